"""The kinds of file that go out, and what each can hold."""

from dataclasses import dataclass
from typing import Literal

from pampa.core.errors import SignalError

Kind = Literal["wav", "flac", "mp3"]
MPEG1_RATES, MPEG1_KBIT = (32000, 44100, 48000), (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
MPEG2_RATES, MPEG2_KBIT = (16000, 22050, 24000), (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
DEFAULT_KBIT = {1: 96, 2: 160}


@dataclass(frozen=True)
class Format:
    """A file format. bits: 16 or 24, for WAV and FLAC. kbit: the constant bit rate of MP3, None for the usual."""

    kind: Kind
    bits: int = 24
    kbit: int | None = None

    def checked(self, *, rate: int, channels: int) -> "Format":
        """The format with all that is open decided, or SignalError if it cannot hold such a sound."""
        if self.kind != "mp3":
            if self.bits not in (16, 24):
                raise SignalError(f"{self.bits} bits were asked for; choose 16 or 24. Nothing was written.")
            if channels > 8:
                raise SignalError(f"A delivery has at most 8 channels, this has {channels}. Nothing was written.")
            return self
        if channels > 2:
            raise SignalError(
                f"MP3 holds one or two channels, this has {channels}. Nothing was written; choose WAV or FLAC."
            )
        kbit = self.kbit or DEFAULT_KBIT[channels]
        allowed = MPEG1_KBIT if rate in MPEG1_RATES else MPEG2_KBIT
        if kbit not in allowed:
            choices = ", ".join(map(str, allowed))
            raise SignalError(
                f"MP3 at {rate} Hz has no bit rate of {kbit} kbit/s. Nothing was written; choose from {choices}."
            )
        return Format("mp3", self.bits, kbit)

    @property
    def label(self) -> str:
        """How the format is called on a page: `WAV 24-bit`, `MP3 160 kbit/s`."""
        return f"MP3 {self.kbit} kbit/s" if self.kind == "mp3" else f"{self.kind.upper()} {self.bits}-bit"


def rate_for(kind: Kind, rate: int) -> int:
    """The sample rate a file of a kind gets from sound of some rate: its own where possible, else 48 kHz."""
    return rate if kind != "mp3" or rate in MPEG1_RATES + MPEG2_RATES else 48000


def format_of(name: str, *, bits: int = 24, kbit: int | None = None) -> Format:
    """The format that the ending of a file's name asks for."""
    ending = name.rpartition(".")[2].lower() if "." in name else ""
    if ending not in ("wav", "flac", "mp3"):
        told = f"in “.{ending}”" if ending else "without a format"
        raise SignalError(f"{name} ends {told}. Pampa writes .wav, .flac and .mp3. Nothing was written.")
    return Format(ending, bits, kbit)  # type: ignore[arg-type]
