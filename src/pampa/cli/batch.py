"""`pampa batch`: many files and raw episodes from one plan."""

import json
import os
from pathlib import Path

from rich.console import Console

from pampa.batch.plan import read_plan
from pampa.batch.report import PAGE, report_of, told_of
from pampa.batch.run import named, run
from pampa.batch.task import DONE, lost
from pampa.cli.bar import bar
from pampa.core.cluster import Cluster
from pampa.core.executor import Threads

console = Console(highlight=False)


def run_batch(path: Path, scheduler: str, *, as_json: bool) -> int:
    """Do a plan; 0, or 3 where something of it failed, which is told."""
    plan = read_plan(path)
    with bar("Reading the plan", quiet=as_json) as told:
        if scheduler:
            cluster = Cluster(scheduler, lost)
            try:
                outcomes = run(plan, cluster, elsewhere=True, told=told)
            finally:
                cluster.close()
        else:
            outcomes = run(plan, Threads(os.cpu_count() or 1), elsewhere=False, told=told)
    report = report_of(outcomes, len(named(plan)))
    if as_json:
        print(json.dumps(report))
    else:
        for outcome in outcomes:
            mark = "+" if outcome["state"] == DONE else "–"
            console.print(f"{mark} {outcome['name']}: {told_of(outcome)}", markup=False)
        console.print(f"{report['done']} of {report['asked']} done. {plan.out / PAGE} tells it.", markup=False)
    return 0 if report["done"] == report["asked"] else 3
