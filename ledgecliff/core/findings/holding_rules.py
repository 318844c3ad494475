"""Rules about vise, jaws and parallels."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..blanks import moved
from ..cutting.cuts import cut_floor
from ..finding import Finding, Fix, fix
from ..frames import Placement
from ..model.holding import ChuckHold
from ..plan import Plan
from ..quantities import said
from ..setup_plan import SetupPlan

#: How far the stock is taken to slide (mm), and on how much of itself it must then stand (mm²).
_SLIDES, _BEARS = 0.5, 0.05


def _parallels_fix(plan: SetupPlan, higher: float) -> tuple[Fix, ...]:
    """Other parallels by how much higher they must be; nothing where none are used, or none would be left."""
    hold = plan.setup.hold
    if hold.by != "vise" or not hold.on_parallels or hold.parallels_height + higher <= 0.0:
        return ()
    height = hold.parallels_height + higher
    return (fix(f"Parallels {said(height)}", ("setups", plan.index, "hold", "parallels_height"), round(height, 4)),)


def grip_above_underside(plan: Plan) -> Iterator[Finding]:
    """Where the outline is cut, the jaws must end below the cut: the hat is all they may hold."""
    for setup_plan in plan.setups:
        holding, setup = setup_plan.holding, setup_plan.setup
        if holding.jaws is None:
            continue
        outlines = [one for one in setup_plan.cuts if one.operation.removes == "outline"]
        if not outlines:
            continue
        bottom = float(holding.u_stock[0][2])
        floor = min(cut_floor(setup_plan.geometry, one, bottom) for one in outlines)
        over = holding.jaw_top - floor
        if over > 1e-9:
            yield Finding(
                "GRIP_ABOVE_UNDERSIDE",
                "hazard",
                setup.name,
                f"{setup.name}: the jaws stand {said(over)} above the outline's floor; the hat is "
                f"{said(floor - holding.seat)} high. The cutter runs into the jaws.",
                f"Use parallels at least {said(over)} higher, lower jaws, or thicker stock.",
                _parallels_fix(setup_plan, over),
            )


def nothing_below(plan: Plan) -> Iterator[Finding]:
    """On a horizontal machine the stock lies on an upright face: what it would slide onto, a little lower, is looked
    for among all that holds it but clamps."""
    for setup_plan in plan.setups:
        if setup_plan.machine.spindle != "horizontal" or isinstance(setup_plan.setup.hold, ChuckHold):
            continue
        name, holding = setup_plan.setup.name, setup_plan.holding
        down = setup_plan.located.tf_m_u.turn.T @ np.array([0.0, -_SLIDES, 0.0])
        u_stock = moved(holding.stock.solid, Placement(holding.orientation.matrix(), down))
        bearing = (
            block for block in holding.blocks if block.kind != "clamp" or block.name.startswith(("dowel", "fence"))
        )
        if any(float((u_stock ^ block.solid()).volume()) > _BEARS * _SLIDES for block in bearing):
            continue
        yield Finding(
            "NOTHING_BELOW",
            "note",
            name,
            f"{name}: the spindle lies, so that gravity pulls the stock to minus Y, and nothing that holds it stands "
            "below: it hangs on hands until it is clamped.",
            "Push it up against its stops and hold it until the clamps are tight, or lay it so that pins stand below.",
        )


def grip_too_small(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        holding = setup_plan.holding
        if holding.jaws is None:
            continue
        vise = holding.jaws.vise
        short = vise.grip_min - holding.grip
        if short > 1e-9:
            yield Finding(
                "GRIP_TOO_SMALL",
                "hazard",
                setup_plan.setup.name,
                f"{setup_plan.setup.name} grips {said(max(holding.grip, 0.0))} where {vise.name} needs "
                f"{said(vise.grip_min)}. The part can be pulled out of the jaws.",
                f"Use parallels at least {said(short)} lower, or higher jaws.",
                _parallels_fix(setup_plan, -short),
            )


def jaw_opening(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        if setup_plan.holding.jaws is None:
            continue
        vise, opening = setup_plan.holding.jaws.vise, setup_plan.holding.opening
        if not vise.opening_min - 1e-9 <= opening <= vise.opening_max + 1e-9:
            yield Finding(
                "JAW_OPENING",
                "error",
                setup_plan.setup.name,
                f"{setup_plan.setup.name} needs {vise.name} open {said(opening)}; it opens "
                f"{said(vise.opening_min)} to {said(vise.opening_max)}. The part does not go in or is not held.",
                "Turn the part a quarter about Z, or use a vise with another range.",
            )


def parallels_too_wide(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        hold, opening = setup_plan.setup.hold, setup_plan.holding.opening
        if hold.by != "vise" or not hold.on_parallels:
            continue
        if 2.0 * hold.parallels_thickness > opening + 1e-9:
            yield Finding(
                "PARALLELS_TOO_WIDE",
                "error",
                setup_plan.setup.name,
                f"Two parallels {said(hold.parallels_thickness)} thick do not fit between jaws {said(opening)} apart.",
                f"Use parallels at most {said(opening / 2.0)} thick.",
            )


def parallels_taller_than_jaws(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        hold, jaws = setup_plan.setup.hold, setup_plan.holding.jaws
        if hold.by != "vise" or not hold.on_parallels or jaws is None:
            continue
        vise = jaws.vise
        if hold.parallels_height >= vise.jaw_height:
            yield Finding(
                "PARALLELS_TALLER_THAN_JAWS",
                "hazard",
                setup_plan.setup.name,
                f"Parallels {said(hold.parallels_height)} high stand over jaws of {said(vise.jaw_height)}: "
                "nothing holds the part.",
                f"Use parallels of at most {said(vise.jaw_height - vise.grip_min)}.",
                _parallels_fix(setup_plan, max(vise.jaw_height - vise.grip_min, 1.0) - hold.parallels_height),
            )


RULES = (
    nothing_below,
    grip_above_underside,
    grip_too_small,
    jaw_opening,
    parallels_too_wide,
    parallels_taller_than_jaws,
)
