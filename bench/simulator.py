"""How fast the simulated machine is: rehearsals, touches through the interpreter, plain blocks, fits."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import manifold3d
import numpy as np
from scipy.optimize import least_squares

from bench.planning import Row, median
from ledgecliff.core.blanks import box
from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body, Feeler
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Probe
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.fits import fit_circle
from ledgecliff.core.probing.planning import plan_probing
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store import part_models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job

_BLOCKS = 100_000
_TOUCHES = 500


def simulation(demo: Path) -> list[Row]:
    job = read_job(demo)
    plan = make_plan(job, part_models.load_models(job, demo))
    written = written_plan(plan)
    seeds = iter(range(1000))
    rehearse(written, drawn_world(written, 0))
    result = rehearse(written, drawn_world(written, 1))
    both = median(lambda: rehearse(written, drawn_world(written, next(seeds))))
    triggers = sum(len(setup.touches) for setup in result.setups)
    moves = sum(len(setup.motions) for setup in result.setups)
    clamped = result.setups[0].clamped
    assert clamped is not None, "the demo's rehearsal runs"
    return [
        ("rehearsal of both setups (s)", both, "0.5", "", None),
        (f"triggers a second ({triggers} triggers, {moves} moves)", triggers / both, "", "", None),
        _one_touch(job.machine.probe),
        _touches(job, "demo world", clamped.bodies, _left_of(clamped.bodies[0]), 2000),
        _touches(job, "50,000 triangles", *_many_triangles(), 1000),
        _plain_blocks(job),
        _forty_steps(),
        _circle(),
    ]


def _one_touch(probe: Probe) -> Row:
    """A single search of 10 mm, against stepping along in thousandths until the ball overlaps."""
    feeler = Feeler.probe(probe, 90.0)
    body = [Body("block", box((0, -20, -20), (40, 20, 20)))]
    start, end = (-12.0, 3.0, 4.0), (-1.0, 3.0, 4.0)

    def stepping() -> None:
        x = start[0]
        while feeler.first_contact((x, 3.0, 4.0), (x + 0.001, 3.0, 4.0), body) is None:
            x += 0.001

    advancing = median(lambda: feeler.first_contact(start, end, body), 50)
    words = "touches a second, one search of 10 mm"
    return (words, 1.0 / advancing, "", "stepping by 0.001, per second", 1.0 / median(stepping, 3))


def _left_of(body: Body) -> tuple[float, float, float]:
    """A contact on the left side of a body, 6 mm under its top."""
    return body.low[0], (body.low[1] + body.high[1]) / 2.0, body.high[2] - 6.0


def _many_triangles() -> tuple[list[Body], tuple[float, float, float]]:
    """A ball-ended column of some 50,000 triangles, touched at its side."""
    solid = manifold3d.Manifold.sphere(60.0, 316).translate((-300.0, -200.0, -400.0))
    body = Body("column", solid)
    assert 49_000 < solid.num_tri() < 53_000, solid.num_tri()
    return [body], (-360.0, -200.0, -400.0)


def _touches(job: Job, where: str, bodies: list[Body], at: tuple[float, float, float], wanted: int) -> Row:
    """Two-stage touches as the program writes them, from a new place each time so that nothing is known beforehand."""
    probe, (x, y, z) = job.machine.probe, at
    lines = ["G21 G90 G54", f"T{probe.tool} M6", f"G43 H{probe.tool}", "G53 G0 Z0"]
    start = x - 7.0
    lines += [f"G0 X{start:.4f} Y{y:.4f}", f"G0 Z{z - probe.effective_radius:.4f}"]
    for k in range(_TOUCHES):
        side = y + (k % 20 - 10) * 0.25
        lines += [
            f"G38.3 X{start:.4f} Y{side:.4f} F1200",
            f"o{k + 10} if [#5070 EQ 1]",
            "M2",
            f"o{k + 10} endif",
            f"G38.2 X{x + 3.0:.4f} F300",
            "#109 = #5061",
            f"G38.4 X{start:.4f} F60",
            "G1 X[#109 - 1.0] F1200",
            "G38.2 X[#109 + 1.0] F60",
            "#110 = #5061",
            f"G38.4 X{start:.4f} F60",
            f"G1 X{start:.4f} F1200",
        ]
    text = "\n".join(lines)
    offsets = {code.number: np.zeros(3) for code in job.machine.offsets}

    def run() -> None:
        machine = SimulatedMachine(job.machine, bodies, offsets, np.random.default_rng(1))
        outcome = Control(machine).run(text)
        assert not outcome.alarm and len(machine.touches) == 2 * _TOUCHES, outcome.alarm

    rate = _TOUCHES / median(run, 5)
    return (f"two-stage touches a second, {where}", rate, f"{wanted}", "", None)


def _plain_blocks(job: Job) -> Row:
    lines = ["G21 G90 G54", "T2 M6", "G43 H2", "G1 F900"]
    lines += [f"X{-150 - (k % 97) * 0.5:.3f} Y{-100 + (k % 61) * 0.25:.3f} Z{-200 - k % 7:.3f}" for k in range(_BLOCKS)]
    text = "\n".join(lines)
    bodies = [Body("part", box((-300, -250, -480), (-200, -150, -430)))]

    def run() -> None:
        machine = SimulatedMachine(job.machine, bodies, {1: np.zeros(3)}, np.random.default_rng(1))
        outcome = Control(machine).run(text)
        assert not outcome.alarm, outcome.alarm

    return ("plain blocks a second through the interpreter", _BLOCKS / median(run, 3), "100000", "", None)


def _forty_steps() -> Row:
    """The winch cheek with each bore and hole measured three times: every need of every touch, every time anew."""
    job = read_job(demo_job("winch-cheek"))
    listed = job.setups[0].probing.cycles or ()
    rounds = [cycle for cycle in listed if cycle.action == "measure"]
    cycles = (*listed[:3], *(c.model_copy(update={"name": f"{c.name} {k}"}) for k in range(3) for c in rounds))[:40]
    job = set_value(job, ("setups", 0, "probing", "cycles"), cycles)
    setup = make_plan(job, Models()).setups[0]

    def prove() -> None:
        plan_probing(replace(setup.clamping), (), setup.machine, job.stock, setup.features, setup.cutting.before)

    words = f"{len(setup.probing.steps)} steps proven, {len(setup.probing.touches)} touches (s)"
    return (words, median(prove, 5), "0.3", "", None)


def _circle() -> Row:
    """Against scipy's own least squares on the same points."""
    rng = np.random.default_rng(4)
    angles = rng.uniform(0.0, 2.0, 10_000)
    points = 20.0 * np.column_stack([np.cos(angles), np.sin(angles)]) + rng.normal(0.0, 0.01, (10_000, 2))

    def general() -> None:
        least_squares(lambda p: np.hypot(points[:, 0] - p[0], points[:, 1] - p[1]) - p[2], [0.5, 0.5, 19.0])

    ours = median(lambda: fit_circle(points), 15)
    return (
        "circle fit, 10,000 points (ms)",
        1000.0 * ours,
        "10",
        "scipy least_squares (ms)",
        1000.0 * median(general, 5),
    )
