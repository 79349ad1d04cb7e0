"""How a batch scales: one worker and two here, and what a hundred would do with 1,000 hours: `./pampa bench batch`."""

import heapq
import statistics
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from bench.__main__ import talk
from pampa.batch.place import Place
from pampa.batch.plan import read_plan
from pampa.batch.run import run
from pampa.batch.task import lost
from pampa.cli.warming import warm_up
from pampa.core.cluster import Cluster
from pampa.core.executor import Inline, Threads
from pampa.core.files.content import hash_file
from pampa.core.sound import RATE

FILES, SECONDS = 8, 90
HOURS, HOUR_MB = 1000, 58
"""A catalogue of so many hours, one a file, in MP3 of 128 kbit/s."""
WORKERS = (1, 2, 10, 50, 100, 200, 500, 1000)
PLAN = """out = "OUT"
SHARED
[[work]]
files = ["in"]
do = ["clean", "level", "deliver"]
format = "mp3"
"""


@dataclass(frozen=True)
class Costs:
    """compute : seconds of one core for each second of sound, of each task that was measured. given_s : what giving a
    file out and taking it in costs the one that gives it, each MB; handed_s : the same for each task whatever its size.
    fetch_mb_s : what the shared place gives to all together.
    """

    compute: list[float]
    given_s: float
    handed_s: float
    fetch_mb_s: float


def main() -> None:
    from distributed import LocalCluster

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "in").mkdir()
        for n in range(FILES):
            soundfile.write(folder / "in" / f"{n:02}.wav", talk(SECONDS, n), RATE, subtype="PCM_16")
        took: dict[str, float] = {}
        compute: list[float] = []
        for way, executor in (("one thread", Inline()), ("two threads", Threads(2))):
            began = time.perf_counter()
            run(_plan(folder, way, shared=False), executor, elsewhere=False)
            took[way] = time.perf_counter() - began
        for count in (1, 2):
            with LocalCluster(n_workers=count, threads_per_worker=1, host="127.0.0.1", dashboard_address=":0") as here:
                cluster = Cluster(here.scheduler_address, lost)
                list(cluster.map(_warm, range(4 * count)))  # the workers have loaded what they need
                began = time.perf_counter()
                outcomes = run(_plan(folder, f"{count} workers", shared=True), cluster, elsewhere=True)
                took[f"{count} workers"] = time.perf_counter() - began
                if count == 1:
                    compute = [outcome["seconds"] / SECONDS for outcome in outcomes]
                began = time.perf_counter()
                handed = len(list(cluster.map(_nothing, range(300))))
                handed_s = (time.perf_counter() - began) / handed
                cluster.close()
        costs = _costs(folder, compute, handed_s)
    for way, seconds in took.items():
        print(f"{FILES} files of {SECONDS} s, {way:<12}{seconds:8.1f} s {FILES * SECONDS / seconds:7.0f} x real time")
    print(f"two workers beside one: {took['1 workers'] / took['2 workers']:.2f} times as fast")
    _simulated(costs)


def _plan(folder: Path, way: str, *, shared: bool):  # type: ignore[no-untyped-def]
    name = way.replace(" ", "-")
    place = f'shared = "{folder}/share-{name}"' if shared else ""
    (folder / f"{name}.toml").write_text(PLAN.replace("OUT", f"out-{name}").replace("SHARED", place))
    return read_plan(folder / f"{name}.toml")


def _warm(item: int) -> int:
    warm_up()
    time.sleep(1)  # so that each worker gets some of them
    return item


def _nothing(item: int) -> int:
    return item


def _costs(folder: Path, compute: list[float], handed_s: float) -> Costs:
    """What it costs to move a file of 58 MB: hashed and offered, fetched, and taken back."""
    path = folder / "hour.bin"
    path.write_bytes(np.random.default_rng(1).bytes(HOUR_MB * 1_000_000))
    place = Place(str(folder / "moved"), shared=True)
    began = time.perf_counter()
    content = hash_file(path)
    place.offer(path, content)
    place.keep(path, "key")
    place.take("key", path.name, folder / "back" / path.name)
    given_s = (time.perf_counter() - began) / HOUR_MB
    began = time.perf_counter()
    place._get(f"content/{content}", folder / "fetched")
    return Costs(compute, given_s, handed_s, HOUR_MB / (time.perf_counter() - began))


def _simulated(costs: Costs) -> None:
    """Each hour is worked on as long as one that was measured, drawn at random; whoever is free takes the next."""
    alone = _hours_for(costs, 1)
    print(
        f"{HOURS} hours of sound, one an hour long; one core does {1 / statistics.mean(costs.compute):.0f} x real time,"
    )
    print(f"giving a file out and taking it in costs {costs.given_s * HOUR_MB + costs.handed_s:.2f} s each")
    for workers in WORKERS:
        hours = _hours_for(costs, workers)
        print(f"{workers:>6} workers{hours:10.2f} h {alone / hours:8.1f} times as fast as one")


def _hours_for(costs: Costs, workers: int) -> float:
    rng = np.random.default_rng(2)
    lasting = 3600 * rng.choice(costs.compute, HOURS)
    free = [0.0] * workers
    given = fetched = 0.0
    end = 0.0
    for seconds in lasting:
        given += costs.given_s * HOUR_MB + costs.handed_s  # one gives out, one after the other
        begin = max(heapq.heappop(free), given)
        fetched = max(fetched, begin) + HOUR_MB / costs.fetch_mb_s  # the shared place serves one at a time
        done = fetched + seconds
        end = max(end, done)
        heapq.heappush(free, done)
    return end / 3600


if __name__ == "__main__":
    main()
