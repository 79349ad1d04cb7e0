"""Measuring what Mend must know of recordings: one thing after another, each kept beside the conformed sound."""

import shutil
import threading
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

from pampa.core.executor import Executor, Urgency, urgent
from pampa.core.files.conform import clipped_stretches, read_facts
from pampa.core.files.held import held
from pampa.core.files.measurements import keep, known_of, near_in
from pampa.core.files.seeking import heard_of
from pampa.core.finds.placed import Lying, on_time
from pampa.core.mend.amounts import Amounts, Other
from pampa.core.mend.clean import Told, measure
from pampa.core.mend.near import amounts_near, around, asked, measured_near
from pampa.core.mend.processes import Facts, Knowledge
from pampa.core.sound import Source
from pampa.core.speech.features import Features


class Mends:
    """Measurements by the folder of the conformed recording that they belong to."""

    def __init__(self, executor: Executor) -> None:
        self._executor = executor
        self._measuring = threading.Lock()
        self._near: dict[Path, tuple[int, int]] = {}
        self.version = 0
        """Grows whenever something new is known: what is heard may be mended further now."""

    def lacks(self, folder: Path, amounts: Amounts) -> bool:
        """Whether something is still to be measured for these amounts."""
        return len(known_of(folder, amounts)) < len(asked(amounts))

    def near(self, folder: Path, amounts: Amounts) -> tuple[int, int] | None:
        """Which stretch has told by itself, in frames, what the whole recording has not told yet; None if none has."""
        near = self._near.get(folder)
        if near is None or not self._helps(folder, amounts, near) or self._lacks_near(folder, amounts, near):
            return None
        return near

    def measure_near(self, folder: Path, source: Source, amounts: Amounts, at: int) -> bool:
        """Measure the minutes around frame `at` by themselves, before all other work.

        False where that is not worth it: the whole is known as quickly, or known already.
        """
        near = around(at, source.frames)
        if near is None or not self._helps(folder, amounts, near):
            return False
        if self._lacks_near(folder, amounts, near):
            shutil.rmtree(near_in(folder, near).parent, ignore_errors=True)
            wanted = amounts_near(amounts, *near)
            with urgent(Urgency.HEARD):
                facts = Facts(clipped_stretches(folder), self._executor, missing=read_facts(folder).missing)
                found = measured_near(source, wanted, facts, *near)
            for name, known in found.items():
                keep(near_in(folder, near), name, wanted, known)
        self._near[folder] = near
        self.version += 1
        return True

    def _helps(self, folder: Path, amounts: Amounts, near: tuple[int, int]) -> bool:
        """Whether something is not known of the whole yet that a stretch tells."""
        return not set(asked(amounts_near(amounts, *near))) <= known_of(folder, amounts).keys()

    def _lacks_near(self, folder: Path, amounts: Amounts, near: tuple[int, int]) -> bool:
        wanted = amounts_near(amounts, *near)
        return len(known_of(near_in(folder, near), wanted)) < len(asked(wanted))

    def measure(self, folder: Path, source: Source, amounts: Amounts, told: Told = lambda doing, share: None, *,
                others: Mapping[int, Path] | None = None, room: Callable[[], tuple[float, float] | None] = lambda: None,
                ) -> None:  # fmt: skip
        """Measure what is lacking, one after another; each is kept as soon as it is known.

        others : the conformed folders of those that `amounts` are among. room : where only the room is heard.
        """
        folders = others or {}

        def heard(other: Other) -> Features:
            lying = Lying(heard_of(folders[other.recording]), other.begins, other.drift_ppm)
            return on_time(lying, other.begins).features

        with self._measuring:
            facts = Facts(
                clipped_stretches(folder), self._executor,
                own=lambda: heard_of(folder).features, others=lambda: [heard(other) for other in amounts.among],
                room=room, missing=read_facts(folder).missing,
                hold=partial(held, folder=folder, executor=self._executor),
            )  # fmt: skip

            def kept(name: str, known: Knowledge) -> None:
                keep(folder, name, amounts, known)
                self.version += 1

            measure(source, amounts, facts, known=known_of(folder, amounts), told=told, keep=kept)
