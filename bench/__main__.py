"""``./run bench``: measures what a user waits for, beside a sensible alternative in the same run."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np

from bench.window import measure_window
from ledgecliff.core import plan as plan_module
from ledgecliff.core import stock as stock_module
from ledgecliff.core.drawing import pictures, projection, stage
from ledgecliff.core.edits import set_value
from ledgecliff.core.model.machine import Probe
from ledgecliff.core.plan import make_plan
from ledgecliff.core.simulator.contact import Body, Feeler
from ledgecliff.core.simulator.rehearsal import rehearse
from ledgecliff.core.stock import box
from ledgecliff.store import part_models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job

DEMO = demo_job("float-housing")
Row = tuple[str, float, str, str, float | None]


def median(function: Callable[[], object], times: int = 7) -> float:
    """Median seconds of a call."""
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        function()
        seconds.append(time.perf_counter() - start)
    return statistics.median(seconds)


def print_table(title: str, rows: list[Row]) -> None:
    print(f"\n{title}")
    print(f"  {'what':<46}{'measured':>12}  {'wanted':<14}{'alternative':<40}{'its time':>10}")
    for what, value, wanted, alternative, other in rows:
        beside = "" if other is None else f"{other:>10.3f}"
        print(f"  {what:<46}{value:>12.3f}  {wanted:<14}{alternative:<40}{beside}")


def start_up() -> list[Row]:
    """From the start of the process to a window that is exposed, and to all pictures of the demo."""
    seen, done = [], []
    for _ in range(4):
        start = time.time()
        script = str(Path(__file__).with_name("start_up.py"))
        said = subprocess.run(
            [sys.executable, script, str(DEMO)],
            capture_output=True,
            text=True,
            check=True,
            cwd=Path(__file__).parents[1],
        ).stdout.split()
        seen.append(float(said[0]) - start)
        done.append(float(said[1]) - start)
    # The first run warms the disk.
    return [
        ("window visible (s)", statistics.median(seen[1:]), "1.5", "", None),
        ("demo open with all pictures (s)", statistics.median(done[1:]), "", "", None),
    ]


def model() -> list[Row]:
    job = read_job(DEMO)

    def kernel() -> None:
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.object(part_models, "cache_folder", return_value=Path(folder)),
        ):
            part_models.load_part(job, DEMO)

    cached = median(lambda: part_models.load_part(job, DEMO))
    return [("model of the demo from the cache (s)", cached, "", "CAD kernel in its process", median(kernel, 3))]


def forget() -> None:
    """Empties every cache of the plan and the drawings."""
    for module in (plan_module, stock_module, stage, pictures, projection):
        for thing in vars(module).values():
            if hasattr(thing, "cache_clear"):
                thing.cache_clear()


def planning() -> list[Row]:
    job = read_job(DEMO)
    geometry = part_models.load_part(job, DEMO)
    step = iter(range(1, 10_000))

    def edit(path: tuple[str | int, ...], start: float) -> Callable[[], object]:
        return lambda: make_plan(set_value(job, path, start + 0.001 * next(step)), geometry).findings

    def from_nothing() -> None:
        forget()
        _ = make_plan(job, geometry).findings

    nothing = median(from_nothing, 3)
    make_plan(job, geometry)
    return [
        (f"plan after an edit: {name} (s)", median(edit(path, start)), "", "nothing cached", nothing)
        for name, path, start in (
            ("probing depth", ("setups", 1, "probing", "depth"), 8.0),
            ("parallels", ("setups", 0, "hold", "parallels_height"), 38.0),
            ("stock length", ("stock", "measured", "x"), 100.0),
        )
    ]


def simulation() -> list[Row]:
    job = read_job(DEMO)
    geometry = part_models.load_part(job, DEMO)
    planned = make_plan(job, geometry).for_rehearsal()
    seeds = iter(range(1000))
    rehearse(job, geometry, planned, 0)
    result = rehearse(job, geometry, planned, 1)
    both = median(lambda: rehearse(job, geometry, planned, next(seeds)))
    triggers = sum(len(setup.touches) for setup in result.setups)
    moves = sum(len(setup.motions) for setup in result.setups)
    rows: list[Row] = [
        ("rehearsal of both setups (s)", both, "0.5", "", None),
        (f"triggers a second ({triggers} triggers, {moves} moves)", triggers / both, "", "", None),
    ]
    return [*rows, one_touch(job.machine.probe)]


def one_touch(probe: Probe) -> Row:
    """A single search of 10 mm, against stepping along in thousandths until the ball overlaps."""
    feeler = Feeler.probe(probe)
    body = [Body("block", box((0, -20, -20), (40, 20, 20)))]
    start, end, step = np.array([-12.0, 3.0, 4.0]), np.array([-1.0, 3.0, 4.0]), np.array([0.001, 0.0, 0.0])

    def stepping() -> None:
        at = start
        while feeler.first_contact(at, at + step, body) is None:
            at = at + step

    advancing = median(lambda: feeler.first_contact(start, end, body), 50)
    words = "touches a second, one search of 10 mm"
    return (words, 1.0 / advancing, "", "stepping by 0.001, per second", 1.0 / median(stepping, 3))


def main() -> None:
    if shutil.which("nproc"):
        print("cores:", subprocess.run(["nproc"], capture_output=True, text=True, check=True).stdout.strip())
    print_table("Start", start_up())
    print_table("Model", model())
    print_table("Planning", planning())
    print_table("Simulated machine", simulation())
    print_table("Window: edit until every view shows it, and memory", measure_window(DEMO))


if __name__ == "__main__":
    main()
