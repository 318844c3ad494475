"""Rules about jigs: what goes into their pockets, how deep it is held, and where screws stand."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d
import numpy as np

from ..blanks import transformed
from ..finding import Finding, fix
from ..holding.jigs import pocket_area
from ..model.holding import Jig, JigHold, JigPocket
from ..plan import Plan
from ..quantities import said
from ..setup_plan import SetupPlan
from ..turns.jig_making import outline_reach

#: Shared volumes and areas smaller than this are rounding (mm³, mm²).
_CRUMB, _SLIVER = 1.0, 0.01
#: A pocket that is wider than its clearance by more than this does not hold its place (mm).
_LOOSE = 0.3


def _in_jigs(plan: Plan) -> Iterator[tuple[SetupPlan, JigHold, Jig, int]]:
    for setup in plan.setups:
        hold, fixture = setup.setup.hold, setup.holding.fixture
        if isinstance(hold, JigHold) and isinstance(fixture, Jig):
            yield setup, hold, fixture, setup.machine.fixtures.index(fixture)


def pocket_shallow(plan: Plan) -> Iterator[Finding]:
    for setup, hold, jig, index in _in_jigs(plan):
        depth = setup.holding.pocket_grip()
        if depth < jig.grip_min - 1e-9:
            wanted = round(jig.grip_min + (hold.tape or 0.0), 3)
            yield Finding(
                "JIG_POCKET_SHALLOW",
                "error",
                setup.setup.name,
                f"{setup.setup.name}: the {hold.pocket} pocket of '{jig.name}' holds the part {said(depth)} deep; "
                f"{said(jig.grip_min)} are asked for.",
                "Make the pocket deeper.",
                tuple(
                    fix(
                        f"The {hold.pocket} pocket is {said(deep)} deep",
                        (*plan.job.machine_path(setup.setup), "fixtures", index, hold.pocket, "depth"),
                        deep,
                        promise=True,
                    )
                    for deep in (wanted,)
                    if deep < jig.thickness
                ),
            )


def does_not_go_in(plan: Plan) -> Iterator[Finding]:
    """The stock, as it comes in, must stand in its pocket without cutting into the jig."""
    for setup, hold, jig, _ in _in_jigs(plan):
        block = setup.holding.block("jig")
        if block is None:
            continue
        stock = transformed(setup.before.solid, setup.setup.orientation.matrix())
        if float((stock ^ block.solid()).volume()) <= _CRUMB:
            continue
        pocket = jig.pocket(hold.pocket)
        free = _free_height(setup, jig, pocket, stock)
        name = setup.setup.name
        if free < 1e-3:
            yield Finding(
                "JIG_DOES_NOT_GO_IN", "error", name,
                f"{name}: what comes in is larger than the {hold.pocket} pocket of '{jig.name}'.",
                "Make the pocket for this blank, or the clearance larger.",
            )  # fmt: skip
        else:
            yield Finding(
                "JIG_OUTLINE_SHALLOW", "error", name,
                f"{name}: only {said(free)} of the part's outline are cut from this side; the {hold.pocket} pocket of "
                f"'{jig.name}' is {said(pocket.depth)} deep, so the blank rests on the jig's top.",
                f"Cut the first side's outline at least {said(outline_reach(jig))} below its top, or make the pocket "
                "shallower.",
            )  # fmt: skip


def _free_height(setup: SetupPlan, jig: Jig, pocket: JigPocket, stock: manifold3d.Manifold) -> float:
    """How far up from its seat the stock stays within the pocket's outline (mm)."""
    low, high = setup.holding.u_part if pocket is jig.second else setup.holding.u_stock
    area = pocket_area(jig, pocket).translate(tuple(((low + high) / 2.0)[:2]))
    seat, free = setup.holding.seat, 0.0
    for height in np.linspace(0.0, pocket.depth, 41)[1:]:
        if float((stock.slice(seat + float(height) - 1e-3) - area).area()) > _SLIVER:
            break
        free = float(height)
    return free


def pocket_loose(plan: Plan) -> Iterator[Finding]:
    """A pocket much wider than what stands in it registers nothing."""
    for setup, hold, jig, _ in _in_jigs(plan):
        low, high = setup.holding.u_part if hold.pocket == "second" else setup.holding.u_stock
        outline = np.array(jig.pocket(hold.pocket).outline)
        room = (np.ptp(outline, axis=0) - (high - low)[:2]) / 2.0
        varies = setup.setup.orientation.sizes(setup.spread)[:2] / 2.0
        if hold.pocket == "first" and float((varies - room).max()) > 1e-6:
            short = float((varies - room).max())
            yield Finding(
                "JIG_BLANK_VARIES",
                "warning",
                setup.setup.name,
                f"{setup.setup.name}: the largest blanks are {said(2.0 * short)} too wide for the first pocket of "
                f"'{jig.name}'.",
                "Make the pocket for the largest blank, or measure blanks before they are used.",
            )
        if hold.pocket == "first":
            room = room - varies
        if float(room.max()) > jig.clearance + _LOOSE:
            yield Finding(
                "JIG_POCKET_LOOSE",
                "error",
                setup.setup.name,
                f"{setup.setup.name}: the {hold.pocket} pocket of '{jig.name}' is {said(float(room.max()))} wider on a "
                f"side than what stands in it; {said(jig.clearance)} are meant.",
                "Make the pocket for this blank, or choose the jig anew for this turn.",
            )


RULES = (pocket_shallow, does_not_go_in, pocket_loose)
