"""Rules about thin places that are clamped on, and about what is left solid there on purpose until later."""

from __future__ import annotations

import math
from collections.abc import Iterator

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..finding import Finding, Fix
from ..holding.contact import ThinPlace
from ..model.operations import Face, Operation, Pocket, Slot
from ..plan import Plan
from ..quantities import said
from ..setup_plan import SetupPlan

#: What an operation took lies this near to a thin place that it made (mm); remedies are in such steps (mm).
_NEAR, _STEP = 0.3, 0.1
#: Two setups have the same side up where their uprights are this near to one another (cosine).
_SAME_SIDE = 0.999
#: A wall is looked at so far under the edge that is broken, and as far beside it (mm); a disc barely fits where it has
#: this to spare; corners of its round.
_UNDER, _BESIDE_EDGE, _BARELY, _SEGMENTS = 0.05, 0.5, 1e-3, 64
#: What a disc as wide as stated leaves over in a corner of 30 degrees is less than this share of its square.
_NECK = 0.75


def thin_while_clamped(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        thin, least = setup_plan.thinnest, setup_plan.setup.least_wall
        if thin is None or thin.mm >= least - 1e-6:
            continue
        name = setup_plan.setup.name
        squeezed = " between the jaws, which press on it" if thin.squeezed else ""
        yield Finding(
            "THIN_WHILE_CLAMPED",
            "error" if thin.squeezed else "warning",
            name,
            f"{name} leaves a {thin.kind} {said(thin.mm)} thin{squeezed} while it is clamped; stated is at least "
            f"{said(least)}. It bends, sings or breaks through.",
            "Leave it thicker until the last setup, carry it from behind, or state a lower limit.",
            tuple(_left_solid_until_later(plan, setup_plan, thin)),
        )


def _left_solid_until_later(plan: Plan, setup_plan: SetupPlan, thin: ThinPlace) -> Iterator[Fix]:
    """What was cut there, cut only once that side is up again; or so much left of it as is stated."""
    for index, k, operation in _made_by(plan, setup_plan, thin):
        there = plan.setups[index]
        again = next((each for each in plan.setups[setup_plan.index + 1 :] if _comes_at_it_too(there, each)), None)
        if again is not None:
            others = tuple(each for n, each in enumerate(there.setup.operations) if n != k)
            yield Fix(
                f"Cut '{operation.name}' in {again.setup.name}",
                (
                    (("setups", index, "operations"), others),
                    (("setups", again.index, "operations"), (*again.setup.operations, operation)),
                ),
            )
        if isinstance(operation, Pocket | Slot) and thin.kind == "floor":
            lacking = setup_plan.setup.least_wall - thin.mm
            leave = round(math.ceil((operation.leave + lacking) / _STEP - 1e-9) * _STEP, 6)
            changes: list[tuple[tuple[str | int, ...], object]] = [(("setups", index, "operations", k, "leave"), leave)]
            words = f"Leave {said(leave)} in '{operation.name}'"
            if again is not None:
                rest = operation.model_copy(update={"name": f"rest of {operation.name}"[:80]})
                changes.append((("setups", again.index, "operations"), (*again.setup.operations, rest)))
                words += f" until {again.setup.name}"
            yield Fix(words, tuple(changes))


def _made_by(plan: Plan, setup_plan: SetupPlan, thin: ThinPlace) -> Iterator[tuple[int, int, Operation]]:
    """The operations, the last first, that took what lay on either side of a thin place."""
    reach = thin.mm + _NEAR
    at = setup_plan.setup.orientation.matrix().T @ np.array(thin.at)
    round_about = box(tuple((at - reach).tolist()), tuple((at + reach).tolist()))
    for each in reversed(plan.setups[: setup_plan.index + 1]):
        for k in reversed(range(len(each.setup.operations))):
            if float((each.cutting.removed(k) ^ round_about).volume()) > 0.0:
                yield each.index, k, each.setup.operations[k]


def _comes_at_it_too(there: SetupPlan, later: SetupPlan) -> bool:
    same_machine = there.setup.machine == later.setup.machine
    up, again = there.setup.orientation.matrix()[2], later.setup.orientation.matrix()[2]
    return same_machine and float(up @ again) > _SAME_SIDE


def left_solid(plan: Plan) -> Iterator[Finding]:
    """What is left on purpose must go later: said until something takes it."""
    order = [(setup, one) for setup in plan.setups for one in setup.setup.operations]
    for n, (setup, one) in enumerate(order):
        leave = one.leave if isinstance(one, Pocket | Slot | Face) else 0.0
        later = [other for there, other in order[n + 1 :] if _is_of_the_same(setup, one, there, other)]
        if leave < 1e-6 or later:
            continue
        what = "the top" if isinstance(one, Face) else f"'{getattr(one, 'on', '')}'"
        yield Finding(
            "LEFT_SOLID",
            "note",
            setup.setup.name,
            f"{setup.setup.name}: '{one.name}' leaves {said(leave)} over {what} on purpose, and nothing takes that "
            "later.",
            "Cut the rest once nothing presses on it any more, or leave nothing.",
            about=one.name,
        )


def _is_of_the_same(setup: SetupPlan, one: Operation, there: SetupPlan, other: Operation) -> bool:
    if isinstance(one, Face):
        return other.removes in ("face", "seen") and _comes_at_it_too(setup, there)
    if isinstance(one, Pocket | Slot) and isinstance(other, Pocket | Slot):
        return one.on == other.on
    return other.removes == "seen" and _comes_at_it_too(setup, there)


# --- edges of thin walls --------------------------------------------------------------------------


def edge_broken_late(plan: Plan) -> Iterator[Finding]:
    """The edge of a wall is broken while the wall still stands solid, before it is thin."""
    for setup in plan.setups:
        operations = setup.setup.operations
        for n, one in enumerate(operations):
            if one.removes != "edge break" or not _is_thin_under(setup, n, n):
                continue
            solid = next((k for k in reversed(range(n)) if not _is_thin_under(setup, n, k)), None)
            if solid is None:
                continue
            name, thinned = setup.setup.name, operations[solid].name
            order = (*operations[:solid], one, *operations[solid:n], *operations[n + 1 :])
            yield Finding(
                "EDGE_BROKEN_LATE",
                "warning",
                name,
                f"{name}: '{one.name}' breaks the edge of a wall that '{thinned}' has left thinner than "
                f"{said(setup.setup.least_wall)} by then: it gives way and chatters.",
                f"Break that edge before '{thinned}', while the wall is still solid.",
                (Fix(f"'{one.name}' before '{thinned}'", ((("setups", setup.index, "operations"), order),)),),
                about=one.name,
            )


def _is_thin_under(setup: SetupPlan, edge: int, state: int) -> bool:
    """Whether, before operation number ``state``, the wall just under the edge that operation ``edge`` breaks is
    thinner than is stated: seen in a level section there, what a disc as wide as that does not fit into."""
    removed = transformed(setup.cutting.removed(edge), setup.setup.orientation.matrix())
    least = setup.setup.least_wall
    if removed.is_empty() or least <= 0.0:
        return False
    level = float(np.array(removed.bounding_box())[2]) - _UNDER
    stock = transformed(setup.cutting.before(state).solid, setup.setup.orientation.matrix())
    section = stock.slice(level)
    radius = least / 2.0 - _BARELY
    inner = section.offset(-radius, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    fits = inner.offset(radius * (1.0 + _BARELY), manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    about = removed.project().offset(_BESIDE_EDGE, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    # Corners too sharp for the disc are none: of a wall more is left over than of them.
    return any((piece ^ about).area() > _NECK * least**2 for piece in (section - fits).decompose())


RULES = (thin_while_clamped, edge_broken_late, left_solid)
