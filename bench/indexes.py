"""How fast indexed work is: edits of five indexes, ten of them rehearsed, what a large fixture sweeps."""

from __future__ import annotations

import itertools
from dataclasses import replace

import manifold3d
import numpy as np
from scipy.spatial.transform import Rotation

from bench.planning import Row, median
from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.holding import shaped_block
from ledgecliff.core.look import Look
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.stations import IndexAngle
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.route import scenes_of
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.sweeps import highest_swept, swept_through
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models

_DEMO = "sluice-valve-block"
#: Segments of a sphere of about 50,000 triangles, and steps of turning it bit by bit.
_SEGMENTS, _STEPS = 316, 360


def indexes() -> list[Row]:
    job = read_job(demo_job(_DEMO))
    models = load_models(job, demo_job(_DEMO))
    return [*_edits(job, models), _rehearsed(job, models), *_swept(job, models)]


def _edits(job: Job, models: Models) -> list[Row]:
    """The centre of the tilting axis, which every index but the first hangs on."""
    job = set_value(job, ("setups",), job.setups[:5])
    steps = itertools.count(1)

    def edited() -> Job:
        return set_value(job, ("machines", 0, "carriers", 0, "centre", "y"), -210.5 + next(steps) * 1e-4)

    def shown() -> None:
        plan = make_plan(edited(), models)
        scene_views(Look(plan, next(each for each in scenes_of(plan) if each.title == "Op 30")), "probe")

    for _ in range(3):
        findings_of(make_plan(edited(), models))
    return [
        ("centre of A, five indexes: plan and drawing (s)", median(shown, 9), "0.05", "", None),
        ("the same with all findings (s)", median(lambda: findings_of(make_plan(edited(), models)), 5), "", "", None),
    ]


def _rehearsed(job: Job, models: Models) -> Row:
    """Ten indexes of one clamping, each worked out from the one before."""
    first, second = job.setups[:2]
    more = tuple(
        second.model_copy(
            update={
                "id": f"{k:012d}",
                "name": f"Op {10 * k + 10}",
                "operations": (),
                "offset": f"G{54 + k % 6}",
                "index": (IndexAngle(word="A", degrees=90), IndexAngle(word="C", degrees=90.0 * (k % 4))),
            }
        )
        for k in range(1, 10)
    )
    plan = make_plan(set_value(job, ("setups",), (first, *more)), models)
    written = written_plan(plan)
    world = drawn_world(written, 1)
    rehearse(written, world)
    return ("ten indexes rehearsed (s)", median(lambda: rehearse(written, world), 3), "1.5", "", None)


def _swept(job: Job, models: Models) -> list[Row]:
    setup = make_plan(job, models).setups[1]
    ball = manifold3d.Manifold.sphere(60.0, _SEGMENTS)
    large = shaped_block("large", "clamp", ball)
    setup = replace(
        setup,
        clamping=replace(setup.clamping, holding=replace(setup.holding, blocks=(large,))),
        neighbours=replace(setup.neighbours, all_about=(large,)),
    )
    corners = np.asarray(ball.to_mesh().vert_properties, dtype=float)[:, :3]

    def bit_by_bit() -> None:
        turns = np.linspace(0.0, 360.0, _STEPS, endpoint=False)
        max(float(Rotation.from_euler("x", turn, degrees=True).apply(corners)[:, 2].max()) for turn in turns)

    triangles = ball.num_tri()
    beside = median(bit_by_bit, 3)
    return [
        (f"highest place swept, {triangles} triangles (s)", median(lambda: highest_swept(setup), 5), "0.1",
         "turned degree by degree", beside),
        (f"neighbours in the sweep, {triangles} triangles (s)", median(lambda: list(swept_through(setup)), 5), "0.1",
         "", None),
    ]  # fmt: skip
