"""The command `checkup`: what each recording suffers from, and what is proposed."""

import json
from pathlib import Path
from typing import Any

from rich.console import Console

from pampa.core.errors import PampaError
from pampa.one_file.checking import as_row, check_up


def check_up_files(files: list[Path], *, as_json: bool) -> int:
    """Check files up one by one. Ends with 0, or 2 if one could not be read; the others are told all the same."""
    rows: list[dict[str, Any]] = []
    failed = 0
    console = Console()
    for path in files:
        try:
            checkup = check_up(path)
        except PampaError as error:
            failed = 2
            rows.append({"file": str(path), "error": str(error)})
            continue
        rows.append(as_row(path, checkup))
    if as_json:
        print(json.dumps({"files": rows}))
        return failed
    for row in rows:
        console.print(f"[bold]{row['file']}[/bold]")
        console.print(f"  {row['error']}" if "error" in row else "\n".join(f"  {f['text']}" for f in row["findings"]))
    return failed
