"""``./run bench``: measures what a user waits for, beside a sensible alternative in the same run."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import mock

from bench import planning
from bench.first_plans import first_plans
from bench.planning import Row, median
from bench.register import register
from bench.registration import registration
from bench.simulator import simulation
from bench.toolpaths import toolpaths
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
            part_models.load_models(job, DEMO)

    assert job.part.model is not None, "the demo's part is a model"
    reference, path = job.part.model, DEMO.parent / job.part.model.path
    cached = median(lambda: part_models.read_model(path, reference))
    return [("model of the demo from the cache (s)", cached, "", "CAD kernel in its process", median(kernel, 3))]


def main() -> None:
    if shutil.which("nproc"):
        print("cores:", subprocess.run(["nproc"], capture_output=True, text=True, check=True).stdout.strip())
    print_table("Start", start_up())
    # Before anything else weighs on this process.
    print_table("Window: edit until every view shows it, and memory", measure_window(DEMO))
    print_table("Model", model())
    print_table("Models: from file to features", planning.models())
    print_table("Models: shown at once, beside a bare kernel process", planning.shown_at_once())
    print_table("Sides: proposals", planning.proposals())
    print_table("First plans of made-up parts", first_plans())
    print_table("Planning: edits of a three-setup job, with all findings", planning.edits())
    print_table("Planning: growth with operations", planning.many_operations())
    print_table("Registration", registration())
    print_table("Simulated machine", simulation(DEMO))
    print_table("Toolpath programs", toolpaths())
    print_table("Offset register: 300 codes, 30 fixtures, 100,000 changes", register())


if __name__ == "__main__":
    main()
    sys.stdout.flush()
    # Past the table nothing may print: no destructor of an extension gets the chance.
    os._exit(0)
