"""The report of a batch: as JSON, and as a page to read."""

import json
from collections import Counter
from html import escape
from pathlib import Path
from typing import Any

from pampa.batch.task import DONE, Outcome
from pampa.core.files.whole import whole

REPORT, PAGE = "batch.json", "batch.html"
STYLE = """
body { font: 15px/1.5 sans-serif; max-width: 70rem; margin: 2rem auto; padding: 0 1.5rem; }
body { color: #14332f; background: #fffdf8; }
table { border-collapse: collapse; width: 100%; }
th, td { text-align: left; vertical-align: top; padding: 0.3rem 0.8rem 0.3rem 0; border-top: 1px solid #ddd3be; }
th { font-weight: 600; }
td.figure { font-family: monospace; white-space: nowrap; }
.failed td:nth-child(2) { color: #8a4a10; font-weight: 600; }
"""


def report_of(outcomes: list[Outcome], asked: int) -> dict[str, Any]:
    """The whole report. not_begun : what a run that was stopped did not come to."""
    states = Counter(outcome["state"] for outcome in outcomes)
    return {
        "asked": asked, "done": states[DONE], "failed": len(outcomes) - states[DONE],
        "not_begun": asked - len(outcomes), "items": outcomes,
    }  # fmt: skip


def write_report(out: Path, outcomes: list[Outcome], asked: int) -> None:
    """Write both beside what was made, each whole."""
    report = report_of(outcomes, asked)
    with whole(out / REPORT) as making:
        making.write_text(json.dumps(report, indent=1), "utf-8")
    with whole(out / PAGE) as making:
        making.write_text(page_of(report), "utf-8")


def page_of(report: dict[str, Any]) -> str:
    """A page that needs nothing else; what failed comes first."""
    items = sorted(report["items"], key=lambda item: item["state"] == DONE)
    rows = "\n".join(
        f'<tr class="{escape(item["state"])}"><td>{escape(item["name"])}</td><td>{escape(told_of(item))}</td>'
        f'<td class="figure">{item["seconds"]:.1f} s</td></tr>'
        for item in items
    )
    left = f", {report['not_begun']} not begun" if report["not_begun"] else ""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Batch</title><style>{STYLE}</style></head>'
        f"<body><h1>Batch</h1><p>{report['done']} of {report['asked']} done, {report['failed']} failed{left}.</p>"
        "<table><thead><tr><th>name</th><th>what came of it</th><th>took</th></tr></thead>"
        f"<tbody>{rows}</tbody></table></body></html>\n"
    )


def told_of(item: Outcome) -> str:
    """One outcome in words."""
    if item["state"] != DONE:
        return str(item["error"])
    told = [_step(step, figures) for step, figures in item["figures"].items()]
    return " ".join(each for each in told if each) or "Done."


def _step(step: str, figures: Any) -> str:
    if step == "checkup":
        return " ".join(figures)
    if step == "clean":
        return "Mended: " + ("; ".join(figures["done"]) or "nothing to mend was found") + "."
    if step == "files":
        return " ".join(f"{each['format']}, {_lufs(each['integrated_lufs'])}." for each in figures)
    if step == "needs":
        return " ".join(figures)
    if step == "measure":
        return f"Was {_lufs(figures['integrated_lufs'])}."
    return f"{step.capitalize()}: {_lufs(figures['integrated_lufs'])}. {figures['reason'] or ''}".strip()


def _lufs(value: float | None) -> str:
    return "without loudness" if value is None else f"{value:.1f} LUFS".replace("-", "−")
