"""The command `clean`: a recording mended into a new file, with a report of what was done."""

import json
import os
from dataclasses import asdict
from pathlib import Path

from rich.console import Console

from pampa.core.executor import Threads
from pampa.core.mend.amounts import Amounts
from pampa.one_file.cleaning import cleaned


def clean_file(path: Path, out: Path, amounts: Amounts, *, sibilance: float, auto: bool, as_json: bool) -> int:
    """Mend one file and tell what was done. Ends with 0; a file that cannot be read raises."""
    done = cleaned(path, out, amounts, Threads(os.cpu_count() or 1), sibilance=sibilance, auto=auto)
    if as_json:
        row = {
            "file": str(path), "out": str(out), "amounts": {**asdict(done.amounts), "sibilance": done.sibilance},
            "done": done.figures, "lowered_db": done.lowered_db, "warning": done.warning or None,
            "peak_before_dbfs": done.peak_before_dbfs, "peak_after_dbfs": done.peak_after_dbfs,
        }  # fmt: skip
        print(json.dumps(row))
        return 0
    lines = [f"  {words}" for words in done.words] or ["  nothing to mend was found; the sound is as it was"]
    if done.warning:
        lines.append(f"  {done.warning}")
    if done.lowered_db:
        lines.append(f"  lowered by {done.lowered_db} dB, so that what was rebuilt fits")
    Console().print("\n".join([f"[bold]{out}[/bold]", *lines]))
    return 0
