"""One recording mended into a new file."""

import tempfile
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from pampa.core.deliver.formats import Format, Kind
from pampa.core.errors import PampaError
from pampa.core.executor import Executor
from pampa.core.files.conform import clipped_stretches, conform, conformed_source
from pampa.core.files.encode import encode
from pampa.core.files.held import held
from pampa.core.files.whole import whole
from pampa.core.loudness import measure_source
from pampa.core.loudness.measure import to_db
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import Done, chain, measure, mended
from pampa.core.mend.processes import Facts
from pampa.core.mend.region import doubt
from pampa.core.mend.report import deeds
from pampa.core.proposals.findings import findings
from pampa.core.proposals.proposed import proposed
from pampa.core.proposals.trying import checked_up
from pampa.core.sound import FloatArray, Source
from pampa.core.voice.recipe import UNTREATED
from pampa.core.voice.voice_file import voice_in


@dataclass(frozen=True)
class Cleaned:
    """What was done. figures : by process. words : the same as sentences. lowered_db : so that what was rebuilt fits.

    warning : of a region that noise was learned from, where somebody seems to talk in it; empty for none.
    """

    amounts: Amounts
    sibilance: float
    figures: dict[str, Any]
    words: Sequence[str]
    lowered_db: float
    warning: str
    peak_before_dbfs: float | None
    peak_after_dbfs: float | None


def cleaned(path: Path, out: Path, amounts: Amounts, executor: Executor, *, sibilance: float = 0.0, auto: bool = False
            ) -> Cleaned:  # fmt: skip
    """Mend `path` into `out` (WAV or FLAC, 24 bit, 48 kHz). A file that cannot be read raises PampaError.

    sibilance : 0 to 100, how far a sharp s is softened at the end, as the chain of a voice does. auto : what the
    check-up proposes, besides the amounts.
    """
    if out.suffix.lower() not in (".wav", ".flac"):
        raise PampaError(f"{out.name}: mended sound is written as WAV or FLAC. Nothing was written.")
    if amounts.region and not amounts.noise_from < amounts.noise_to:  # type: ignore[operator]
        raise PampaError("The region to learn noise from ends before it begins. Nothing was written.")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "conformed"
        facts = conform(path, folder)
        source, clipped = conformed_source(folder), clipped_stretches(folder)
        if auto:
            checkup = checked_up(
                source, clipped=clipped, sides_db=facts.side_db, missing=facts.missing, executor=executor
            )
            found = findings(checkup)
            amounts = proposed(found, amounts)
            sibilance = max([sibilance, *(float(each.amount or 0) for each in found if each.kind == "sibilance")])
        doubted = doubt(measure_source(source, executor).energy, amounts.region) if amounts.region else None
        measured = measure(source, amounts, Facts(clipped, executor, missing=facts.missing, hold=held))
        if sibilance:
            recipe = replace(UNTREATED, sibilance=sibilance)
            voice = replace(voice_in(source, executor), source=chain(source, amounts, measured))
            done, lowered_db = _write(source, lambda: (part.sound for part in voice.treated(recipe, executor)), out)
        else:
            done, lowered_db = _write(source, lambda: mended(source, amounts, measured, executor), out)
    did = deeds(measured)
    figures = {deed.process: deed.figures for deed in did}
    words = [deed.words for deed in did]
    if sibilance:
        figures["sibilance"], words = {}, [*words, "sharp S softened"]
    return Cleaned(
        amounts, sibilance, figures, words, lowered_db, doubted.words if doubted else "",
        _rounded(done.peak_before), _rounded(done.peak_after),
    )  # fmt: skip


def _write(source: Source, mended_parts: Callable[[], Iterable[FloatArray]], out: Path) -> tuple[Done, float]:
    """Write the mended sound. Where it would not fit under full scale, all of it is lowered: returns by how many dB."""
    kind: Kind = "flac" if out.suffix.lower() == ".flac" else "wav"
    lowered_db = 0.0
    while True:
        done, gain = Done(), np.float32(10 ** (-lowered_db / 20))
        parts = done.watched(source, mended_parts())
        with whole(out) as making:
            encode(
                making, (part * gain for part in parts), Format(kind, 24), rate=source.rate, channels=source.channels
            )
            if done.peak_after * gain <= 1:
                return done, lowered_db
            lowered_db = round(20 * np.log10(done.peak_after) + 0.1, 1)


def _rounded(peak: float) -> float | None:
    level = to_db(peak)
    return None if level is None else round(level, 1)
