"""`pampa measure`."""

import json
import sys
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.table import Table

from pampa.core.errors import PampaError
from pampa.one_file.measuring import figures

COLUMNS = {
    "integrated_lufs": "integrated\nLUFS", "loudness_range_lu": "range\nLU", "max_momentary_lufs": "momentary\nLUFS",
    "max_short_term_lufs": "short-term\nLUFS", "true_peak_dbtp": "true peak\ndBTP", "sample_peak_dbfs": "peak\ndBFS",
}  # fmt: skip


def measure_files(files: list[Path], *, as_json: bool) -> int:
    """Print the figures of each file; 0, or 2 if one could not be read (the others are measured all the same)."""
    status, rows = 0, []
    for path in files:
        try:
            row = figures(path)
        except PampaError as error:
            print(error, file=sys.stderr)
            status = 2
            continue
        rows.append(row)
        if as_json:
            print(json.dumps(row), flush=True)
    if rows and not as_json:
        _print(rows)
    return status


def _print(rows: list[dict[str, Any]]) -> None:
    table = Table(box=None, pad_edge=False)
    table.add_column("file")
    for title in COLUMNS.values():
        table.add_column(title, justify="right")
    for row in rows:
        cells = ("–" if row[name] is None else f"{row[name]:.1f}".replace("-", "−") for name in COLUMNS)
        table.add_row(Path(row["file"]).name, *cells)
    Console().print(table)
