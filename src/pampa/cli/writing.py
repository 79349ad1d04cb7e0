"""Writing what a command made, as it is: no gain, no limiter."""

from collections.abc import Iterable
from pathlib import Path

from pampa.core.deliver.formats import Format, format_of, rate_for
from pampa.core.errors import SignalError, disk_errors
from pampa.core.files.encode import encode
from pampa.core.files.whole import whole
from pampa.core.sound import FloatArray


def format_for(out: Path, *, rate: int, channels: int, sources: Iterable[Path]) -> tuple[Format, int]:
    """The format that OUT's ending asks for, and its rate. Raises SignalError where it cannot be written."""
    fmt = format_of(out.name)
    for source in sources:
        if out.exists() and source.exists() and out.samefile(source):
            raise SignalError(f"{out.name} is what is read. Pampa never writes over an original; choose another OUT.")
    if not out.parent.is_dir():
        raise SignalError(f"There is no folder {out.parent}. Nothing was written.")
    rate = rate_for(fmt.kind, rate)
    return fmt.checked(rate=rate, channels=channels), rate


def write(out: Path, blocks: Iterable[FloatArray], fmt: Format, *, rate: int, channels: int) -> None:
    """Write blocks to OUT, whole or not at all."""
    with disk_errors(), whole(out) as making:
        encode(making, blocks, fmt, rate=rate, channels=channels)
