"""Artwork: what a picture is, what stands in its way, and the same as a JPEG of the size that is wanted.

Directories of podcasts take square pictures of 1400 to 3000 pixels as JPEG or PNG in RGB; players show them small.
"""

import io
import warnings
from dataclasses import dataclass

from pampa.core.errors import SignalError

SMALLEST_PX, LARGEST_PX = 1400, 3000
HEAVY_BYTES = 512 << 10
"""More than this is heavy for a picture that comes along with every episode."""
LARGEST_BYTES, MOST_PIXELS = 20 << 20, 60_000_000
KINDS = ("JPEG", "PNG", "WEBP")
QUALITY = 85
SQUARE_WITHIN = 0.01


@dataclass(frozen=True)
class Artwork:
    """A picture that was read: its kind, pixels and bytes."""

    kind: str
    width: int
    height: int
    size: int

    @property
    def square(self) -> bool:
        return abs(self.width - self.height) <= SQUARE_WITHIN * max(self.width, self.height)

    @property
    def findings(self) -> list[str]:
        """What is not as it should be, in sentences; it is used all the same."""
        side = min(self.width, self.height)
        found = []
        if not self.square:
            found.append(
                f"The artwork is {self.width} × {self.height} pixels, not square: its middle, {side} × {side}, is used."
            )
        if side < SMALLEST_PX:
            found.append(f"The artwork has {side} pixels on a side; directories ask for {SMALLEST_PX} to {LARGEST_PX}.")
        return found


def load() -> None:
    """Load all that pictures are read with, before a process gives up opening files."""
    from PIL import Image, ImageOps

    Image.init()
    assert ImageOps


def examine_artwork(data: bytes) -> Artwork:
    """What a picture is. Raises SignalError where it is none that can be used."""
    with _opened(data) as picture:
        return Artwork(str(picture.format), picture.width, picture.height, len(data))


def as_jpeg(data: bytes, side: int) -> bytes:
    """The middle square of a picture as a JPEG in RGB, at most `side` pixels wide, without what a camera wrote into it.

    A picture that is smaller stays as small as it is.
    """
    from PIL import Image, ImageOps

    with _opened(data) as picture:
        upright = ImageOps.exif_transpose(picture) or picture
        least = min(upright.width, upright.height)
        square = ImageOps.fit(upright, (least, least), Image.Resampling.LANCZOS)
        flat = Image.new("RGB", square.size, "white")
        with_alpha = square.convert("RGBA")
        flat.paste(with_alpha, mask=with_alpha.getchannel("A"))
        if least > side:
            flat = flat.resize((side, side), Image.Resampling.LANCZOS)
        out = io.BytesIO()
        flat.save(out, "JPEG", quality=QUALITY, optimize=True)
        return out.getvalue()


def _opened(data: bytes):  # type: ignore[no-untyped-def]
    from PIL import Image, UnidentifiedImageError

    if len(data) > LARGEST_BYTES:
        raise SignalError(
            f"This picture has {len(data) / 1e6:.0f} MB; at most {LARGEST_BYTES >> 20} are read. Nothing was changed; "
            "export it smaller."
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data), formats=KINDS)
        if picture.width * picture.height > MOST_PIXELS:
            raise SignalError(
                f"This picture has {picture.width} × {picture.height} pixels, more than can be used. Nothing was "
                "changed; export it smaller."
            )
        picture.load()
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise SignalError(
            "This is no picture that can be used as artwork. Nothing was changed; choose a JPEG, PNG or WebP file."
        ) from error
    return picture
