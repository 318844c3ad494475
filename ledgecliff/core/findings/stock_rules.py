"""Rules about the blank and about what each setup leaves for the next."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d
import numpy as np

from ..blanks import blank_corners, stock_size
from ..cutting.cuts import can_cut, into_part
from ..finding import Finding, fix
from ..frames import AXES
from ..in_process.bench import glued_block
from ..model.bench import Glue
from ..model.job import made_on
from ..model.stock import measured_along
from ..plan import Plan
from ..quantities import said, said_volume
from ..solids.geometry import Cone, Cylinder

#: Sizes closer than this are the same size (mm).
SAME_SIZE = 0.02
#: Sizes differ by less than this only in their last digits (mm).
_NOTHING = 1e-4
#: Less than this left over is facets and rounding, not material to cut (mm³).
CRUMBS = 60.0
#: Less than this taken out of the part is rounding (mm³).
_GOUGE = 0.05


def stock_too_small(plan: Plan) -> Iterator[Finding]:
    """The measured blank must hold the part, and the facing allowance on top of it."""
    job = plan.job
    glued = [glued_block(step) for step in job.bench if isinstance(step, Glue)]
    if glued:
        whole = manifold3d.Manifold.batch_boolean([plan.blank.solid, *glued], manifold3d.OpType.Add)
        lacking = float((plan.geometry.solid - whole).volume())
        if lacking > CRUMBS:
            yield Finding(
                "STOCK_TOO_SMALL", "error", "",
                f"The blank and what is glued to it lack {said_volume(lacking)} of the part. It will not clean up.",
                "Glue on larger pieces, or put them elsewhere.",
            )  # fmt: skip
        return
    part = plan.geometry.high - plan.geometry.low
    size = stock_size(job.stock, plan.models.stock)
    for k, name in enumerate(AXES):
        facing = max(0.0, *(side or 0.0 for side in job.stock.allowance.sides(name)))
        need, have = float(part[k]) + facing, float(size[k])
        if have < need - _NOTHING:
            faced = f" and {said(facing)} to face off" if facing else ""
            yield Finding(
                "STOCK_TOO_SMALL",
                "error",
                "",
                f"The stock measures {said(have)} along part {name.upper()}; the part needs {said(part[k])}{faced}. "
                "The part will not clean up.",
                f"Use stock of at least {said(need)} along {name.upper()}" + (", or face off less." if facing else "."),
            )


def nominal_not_measured(plan: Plan) -> Iterator[Finding]:
    """A size that was never measured counts only as long as blanks vary less than what stands over the part."""
    job = plan.job
    if job.stock.form == "model":
        return
    measured, varies, is_measured = job.stock.size(), job.stock.spread(), measured_along(job.stock)
    low, high = blank_corners(job.stock, plan.geometry, plan.models.stock)
    for k, axis in enumerate(AXES):
        if is_measured[k]:
            continue
        # Centred stock shares its variation between both sides; stated on one side, the other takes it all.
        centred = job.stock.allowance.sides(axis) == (None, None)
        over = min(float(plan.geometry.low[k] - low[k]), float(high[k] - plan.geometry.high[k]))
        off = varies[k] / 2.0 if centred else varies[k]
        if off > over + 1e-9 and over > -1e-9:
            yield Finding(
                "NOMINAL_NOT_MEASURED",
                "warning",
                "",
                f"Part {axis.upper()}: the stock's size {said(measured[k])} is the label's; blanks vary by "
                f"±{said(varies[k])}, and only {said(over)} stand over the part. A short one does not clean up.",
                "Measure the blank and enter what the caliper says, or allow more on each side.",
                (fix("The blank is measured so", ("stock", "is_measured"), True, promise=True),),
                about=axis,
            )


def stock_not_what_is_left(plan: Plan) -> Iterator[Finding]:
    """The block a later setup's programs were made for must be the one the setup before leaves."""
    for setup_plan in plan.setups:
        assumed = setup_plan.setup.stock_assumed
        if assumed is None:
            continue
        left = setup_plan.holding.u_stock[1] - setup_plan.holding.u_stock[0]
        for k, axis in enumerate("xyz"):
            wanted = assumed.as_tuple()[k]
            if abs(float(left[k]) - wanted) > SAME_SIZE:
                yield Finding(
                    "STOCK_NOT_WHAT_IS_LEFT",
                    "error",
                    setup_plan.setup.name,
                    f"{setup_plan.setup.name} is programmed for stock {said(wanted)} along machine {axis.upper()}, "
                    f"but gets {said(left[k])}. The first pass cuts air or far too much.",
                    f"Make its programs for {said(left[k])} and enter that here, or correct the setup before.",
                    (
                        fix(
                            f"Its programs are made for {said(left[k])}",
                            ("setups", setup_plan.index, "stock_assumed", axis),
                            round(float(left[k]), 4),
                            promise=True,
                        ),
                    ),
                    about=axis,
                )


def bore_not_upright(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for operation in setup_plan.setup.operations:
            named = [f for name in made_on(operation) if (f := plan.job.part.feature(name)) is not None]
            if can_cut(operation, tuple(named), setup_plan.setup.orientation):
                continue
            names = " and ".join(feature.name for feature in named)
            if operation.removes == "bore":
                yield Finding(
                    "BORE_NOT_UPRIGHT",
                    "error",
                    setup_plan.setup.name,
                    f"'{operation.name}' cannot be bored: {names} lies level in {setup_plan.setup.name}.",
                    "Turn the part so that the bore stands upright, or bore it in another setup.",
                )
            else:
                yield Finding(
                    "OPERATION_FROM_WRONG_SIDE",
                    "error",
                    setup_plan.setup.name,
                    f"'{operation.name}' cannot be cut: {names} does not open upward in {setup_plan.setup.name}.",
                    "Turn the part so that it opens upward, or plan the operation in another setup.",
                )


def cut_into_part(plan: Plan) -> Iterator[Finding]:
    """Holes and bores cut what their own numbers say, part or not."""
    for setup_plan in plan.setups:
        for k, one in enumerate(setup_plan.cuts):
            if one.operation.removes not in ("hole", "bore"):
                continue
            lost = into_part(plan.geometry, one, setup_plan.cutting.removed(k))
            if lost > _GOUGE:
                yield Finding(
                    "CUT_INTO_PART",
                    "error",
                    setup_plan.setup.name,
                    f"'{one.operation.name}' takes {said_volume(lost)} out of the finished part. The part is scrap.",
                    "Correct the feature's diameter or depth, or how far the operation goes beyond its end.",
                )


def feature_not_in_model(plan: Plan) -> Iterator[Finding]:
    """A round feature of the job must be a round face of the model of its diameter there; a countersink is a cone,
    and as wide as its wide end."""
    faces = plan.geometry.faces
    cylinders = [(face, face.radius) for face in faces if isinstance(face, Cylinder)]
    cones = [(face, max(face.start_radius, face.end_radius)) for face in faces if isinstance(face, Cone)]
    for feature in plan.job.part.features:
        if feature.diameter is None or feature.kind == "edge break":
            continue
        at = np.array(feature.at.as_tuple())
        if not any(
            abs(2.0 * radius - feature.diameter) < SAME_SIZE
            and float(np.linalg.norm(np.cross(at - face.point, face.axis))) < SAME_SIZE
            for face, radius in (cones if feature.kind == "countersink" else cylinders)
        ):
            yield Finding(
                "FEATURE_NOT_IN_MODEL",
                "error",
                "",
                f"The model has no round face Ø{said(feature.diameter)} on the axis of '{feature.name}'. "
                "Its coordinates would lead to a place where nothing is.",
                "Correct the feature's place or diameter, or use the model this job was made for.",
            )


def not_finished(plan: Plan) -> Iterator[Finding]:
    """Said, not blamed: what the planned setups leave standing on the part."""
    over = float(plan.finished_inside.volume) - float(plan.geometry.solid.volume())
    if over > CRUMBS:
        cut = {name for setup in plan.job.setups for operation in setup.operations for name in operation.features}
        missing = [f.name for f in plan.job.part.features if f.name not in cut]
        named = f" No planned setup makes: {', '.join(missing)}." if missing else ""
        yield Finding(
            "NOT_FINISHED",
            "note",
            "",
            f"After {plan.job.setups[-1].name} {said_volume(over)} of stock are still on the part.{named}",
            "Plan another setup for it, or leave it for later work.",
        )


RULES = (
    stock_too_small,
    nominal_not_measured,
    stock_not_what_is_left,
    bore_not_upright,
    cut_into_part,
    feature_not_in_model,
    not_finished,
)
