"""The kinds of file that go out, and what each can hold."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from pampa.core.errors import SignalError

Kind = Literal["wav", "flac", "mp3", "m4a", "opus", "ogg"]
PLAIN: tuple[Kind, ...] = ("wav", "flac")
"""These hold the very samples; the others are near to them."""
MPEG1_RATES, MPEG1_KBIT = (32000, 44100, 48000), (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
MPEG2_RATES, MPEG2_KBIT = (16000, 22050, 24000), (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
AAC_RATES = (16000, 22050, 24000, 32000, 44100, 48000, 64000, 88200, 96000)
FREE_KBIT: dict[Kind, tuple[int, int]] = {"m4a": (32, 320), "opus": (16, 320)}
"""The lowest and highest bit rate where any between them will do."""
USUAL_KBIT: dict[Kind, dict[int, int]] = {
    "mp3": {1: 96, 2: 160}, "m4a": {1: 80, 2: 128}, "opus": {1: 48, 2: 96},
}  # fmt: skip
QUALITIES: dict[Kind, tuple[int, int]] = {"mp3": (0, 9), "ogg": (0, 10)}
"""Of variable bit rates: those of MP3 are best at 0, those of Vorbis at 10, as each is written down everywhere."""
USUAL_QUALITY = 5
NAMES: dict[Kind, str] = {
    "wav": "WAV", "flac": "FLAC", "mp3": "MP3", "m4a": "AAC", "opus": "Opus", "ogg": "Vorbis",
}  # fmt: skip

MIME = {
    "wav": "audio/wav", "flac": "audio/flac", "mp3": "audio/mpeg", "m4a": "audio/mp4", "opus": "audio/ogg",
    "ogg": "audio/ogg", "mp4": "video/mp4",
}  # fmt: skip
"""Media types by ending, as registered or in common use."""


@dataclass(frozen=True)
class Format:
    """A file format.

    bits : 16 or 24, for WAV and FLAC, or 32 for WAV in floating point. kbit : the bit rate of MP3 (constant), AAC and
    Opus, None for the usual. quality : of a variable bit rate, for MP3 instead of `kbit` and for Vorbis. rate : in Hz,
    None for that of the sound. broadcast : a WAV file says its loudness in a `bext` chunk.
    """

    kind: Kind
    bits: int = 24
    kbit: int | None = None
    quality: int | None = None
    rate: int | None = None
    broadcast: bool = False

    def checked(self, *, rate: int, channels: int) -> "Format":
        """The format with all that is open decided, or SignalError if it cannot hold such a sound."""
        if self.kind in PLAIN:
            self._check_plain(channels)
            return replace(self, rate=rate)
        if channels > 2:
            raise SignalError(
                f"{NAMES[self.kind]} holds one or two channels here, this has {channels}. Nothing was written; choose "
                "WAV or FLAC."
            )
        if self.kind == "ogg" or (self.kind == "mp3" and self.quality is not None):
            quality = USUAL_QUALITY if self.quality is None else self.quality
            low, high = QUALITIES[self.kind]
            if not low <= quality <= high:
                raise SignalError(
                    f"{NAMES[self.kind]} has no quality {quality}. Nothing was written; choose from {low} to {high}."
                )
            return replace(self, kbit=None, quality=quality, rate=rate)
        kbit = self.kbit or USUAL_KBIT[self.kind][channels]
        allowed: Sequence[int]
        if self.kind == "mp3":
            allowed = MPEG1_KBIT if rate in MPEG1_RATES else MPEG2_KBIT
            told = ", ".join(map(str, allowed))
        else:
            low, high = FREE_KBIT[self.kind]
            allowed, told = range(low, high + 1), f"{low} to {high}"
        if kbit not in allowed:
            raise SignalError(
                f"{NAMES[self.kind]} at {rate} Hz has no bit rate of {kbit} kbit/s here. Nothing was written; choose "
                f"from {told}."
            )
        return replace(self, kbit=kbit, rate=rate)

    def _check_plain(self, channels: int) -> None:
        if self.bits not in (16, 24, 32) or (self.bits == 32 and self.kind == "flac"):
            choice = "16 or 24, or 32 for floating point" if self.kind == "wav" else "16 or 24"
            raise SignalError(f"{self.bits} bits were asked for; choose {choice}. Nothing was written.")
        if channels > 8:
            raise SignalError(f"A delivery has at most 8 channels, this has {channels}. Nothing was written.")

    @property
    def lossy(self) -> bool:
        """Whether what is read back is only near to what was written."""
        return self.kind not in PLAIN

    @property
    def label(self) -> str:
        """How the format is called on a page: `WAV 24-bit`, `MP3 160 kbit/s`."""
        name = NAMES[self.kind]
        if self.kind in PLAIN:
            depth = "32-bit float" if self.bits == 32 else f"{self.bits}-bit"
            return f"{name} {depth}, broadcast" if self.broadcast and self.kind == "wav" else f"{name} {depth}"
        return f"{name} quality {self.quality}" if self.quality is not None else f"{name} {self.kbit} kbit/s"

    def bytes_a_second(self, *, rate: int, channels: int) -> float:
        """About how much a second of it takes."""
        if self.kind in PLAIN:
            return rate * channels * self.bits / 8
        return (self.kbit or 128 * channels) * 125


def rate_for(kind: Kind, rate: int) -> int:
    """The sample rate a file of a kind gets from sound of some rate: its own where possible, else 48 kHz."""
    if kind == "opus":
        return 48000
    if kind == "mp3":
        return rate if rate in MPEG1_RATES + MPEG2_RATES else 48000
    if kind == "m4a":
        return rate if rate in AAC_RATES else 48000
    return rate


def format_of(
    name: str, *, bits: int = 24, kbit: int | None = None, quality: int | None = None, broadcast: bool = False
) -> Format:
    """The format that the ending of a file's name asks for."""
    ending = name.rpartition(".")[2].lower() if "." in name else ""
    if ending not in NAMES:
        told = f"in “.{ending}”" if ending else "without a format"
        endings = ", ".join(f".{kind}" for kind in NAMES)
        raise SignalError(f"{name} ends {told}. Pampa writes {endings}. Nothing was written.")
    return Format(ending, bits, kbit, quality, None, broadcast)
