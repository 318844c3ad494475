"""``./run bench [TABLE…]``: measures what a user waits for, beside a sensible alternative in the same run."""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from bench import planning
from bench.error_budget import error_budget
from bench.first_plans import first_plans
from bench.indexes import indexes
from bench.many_parts import many_parts
from bench.planning import Row, median
from bench.register import register
from bench.registration import registration
from bench.run_order import run_order
from bench.run_record import run_record
from bench.simulator import simulation
from bench.toolpaths import toolpaths
from bench.tried import tried
from bench.window import measure_window
from ledgecliff.store import part_models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job

DEMO = demo_job("float-housing")


def print_table(title: str, rows: list[Row]) -> None:
    print(f"\n{title}")
    print(f"  {'what':<46}{'measured':>12}  {'wanted':<14}{'alternative':<40}{'its time':>10}")
    for what, value, wanted, alternative, other in rows:
        beside = "" if other is None else f"{other:>10.3f}"
        print(f"  {what:<46}{value:>12.3f}  {wanted:<14}{alternative:<40}{beside}")


def start_up() -> list[Row]:
    """From the start of the process to a window that is seen, to a stage that shows the demo, and to all of it."""
    folder = Path(__file__).parent
    bare, seen, stage, done, weight = [], [], [], [], []
    for _ in range(6):
        start = time.time()
        bare.append(_said(folder / "bare_window.py")[0] - start)
        start = time.time()
        *times, resident = _said(folder / "start_up.py", str(DEMO))
        for kept, at in zip((seen, stage, done), times, strict=True):
            kept.append(at - start)
        weight.append(resident)
    # The first run warms the disk.
    least = statistics.median(bare[1:])
    return [
        ("window visible (s)", statistics.median(seen[1:]), f"{min(1.0, 5.0 * least):.2f}", "bare window of Qt", least),
        ("demo on the stage (s)", statistics.median(stage[1:]), "", "", None),
        ("demo complete with findings and pictures (s)", statistics.median(done[1:]), "2.0", "", None),
        ("memory of the window's process then (MB)", statistics.median(weight[1:]), "300", "", None),
    ]


def _said(script: Path, *arguments: str) -> list[float]:
    """The numbers that a script prints."""
    command = [sys.executable, str(script), *arguments]
    done = subprocess.run(command, capture_output=True, text=True, check=True, cwd=script.parents[1])
    return [float(word) for word in done.stdout.split()]


def model() -> list[Row]:
    job = read_job(DEMO)
    assert job.part.model is not None, "the demo's part is a model"
    reference, path = job.part.model, DEMO.parent / job.part.model.path

    def kernel() -> None:
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.object(part_models, "cache_folder", return_value=Path(folder)),
            mock.patch.object(part_models, "SHIPPED", Path(folder)),
        ):
            part_models.read_model(path, reference)

    cached = median(lambda: part_models.read_model(path, reference))
    return [("model of the demo from the cache (s)", cached, "", "CAD kernel in its process", median(kernel, 3))]


#: Title and measure of each table, by the word that asks for it, in the order in which they are made: what weighs on
#: this process comes after what must not be weighed on.
TABLES: dict[str, tuple[str, Callable[[], list[Row]]]] = {
    "start": ("Start", start_up),
    "window": ("Window: edit until every view shows it", lambda: measure_window(DEMO)),
    "model": ("Model", model),
    "models": ("Models: from file to features", planning.models),
    "shown": ("Models: shown at once, beside a bare kernel process", planning.shown_at_once),
    "sides": ("Sides: proposals", planning.proposals),
    "plans": ("First plans of made-up parts", first_plans),
    "edits": ("Planning: edits of a three-setup job, with all findings", planning.edits),
    "tried": ("Tried behind the window: what can be added, zeros compared", lambda: tried(DEMO)),
    "operations": ("Planning: growth with operations", planning.many_operations),
    "registration": ("Registration", registration),
    "indexes": ("Rotary axes: one clamping, many sides", indexes),
    "budget": ("The error budget: to an edit, drawn, and what else there is", error_budget),
    "many": ("Many parts: ten and forty instances of four setups", many_parts),
    "record": ("The shop's record with 100,000 entries", run_record),
    "order": ("The order of a day, proven, and a backlog in loads", run_order),
    "simulator": ("Simulated machine", lambda: simulation(DEMO)),
    "toolpaths": ("Toolpath programs", toolpaths),
    "register": ("Offset register: 300 codes, 30 fixtures, 100,000 changes", register),
}


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench", description="Measures what a user waits for.")
    parser.add_argument(
        "tables", nargs="*", metavar="TABLE", help=f"{', '.join(TABLES)}; all of them where none is said"
    )
    wanted = parser.parse_args().tables or list(TABLES)
    if unknown := sorted(set(wanted) - set(TABLES)):
        parser.error(f"there is no table {', '.join(unknown)}; choose from {', '.join(TABLES)}")
    if shutil.which("nproc"):
        print("cores:", subprocess.run(["nproc"], capture_output=True, text=True, check=True).stdout.strip())
    for name, (title, measure) in TABLES.items():
        if name in wanted:
            print_table(title, measure())
            sys.stdout.flush()


if __name__ == "__main__":
    main()
    sys.stdout.flush()
    # Past the table nothing may print: no destructor of an extension gets the chance.
    os._exit(0)
