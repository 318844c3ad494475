"""The physical surfaces that give a setup its zero, named as they are on the part: to follow them."""

from __future__ import annotations

from typing import assert_never

from ..datums import datum_words
from ..frames import AXES, Axis
from ..model.orientation import PartDirection, direction_name, exact_direction, shown
from ..model.setup import DatumSource
from ..setup_plan import SetupPlan


def surface_words(plan: SetupPlan, axis: Axis) -> str:
    """What gives the zero of an axis."""
    datum, k = plan.setup.datum.axis(axis), AXES.index(axis)
    plus = direction_name(plan.setup.orientation.matrix()[k])
    minus = direction_name(-plan.setup.orientation.matrix()[k])
    body = datum.source.split()[0]
    if _has_faces(datum.source) and not _lies_along(plan, axis):
        # Where the part does not lie square, an edge or a round is outermost and no face.
        return f"{datum.source} along {axis.upper()}"
    match datum.source:
        case "stock minus side" | "part minus side":
            return f"{body} side {shown(minus)}"
        case "stock plus side" | "part plus side":
            return f"{body} side {shown(plus)}"
        case "stock centre" | "part centre":
            return f"{body} centre, part {plus[1]}"
        case "fixed jaw":
            return f"fixed jaw, against part side {shown(_at_jaw(plan, plus, minus))}"
        case "fixture value" if _between_jaws(plan, k):
            return f"middle between the jaws, part {plus[1]}"
        case "stock top" | "part top" if _lies_along(plan, axis):
            return f"{body} top {shown(plus)}"
        case "parallels" | "fixture value" | "carried over" | "rotary index" | "fixture face" if (
            axis == "z" and _lies_along(plan, axis)
        ):
            # Known is what the part lies on, and on that lies its underside.
            return f"{datum.source}, under part side {shown(minus)}"
        case (
            "feature" | "feature minus side" | "feature plus side" | "jaw minus end" | "jaw plus end" | "stop" | "dowel"
            | "fixture face"
        ):  # fmt: skip
            return datum_words(axis, datum)
        case (
            "stock top" | "part top" | "parallels" | "fixture bore" | "fixture value" | "rotary axis" | "carried over"
            | "rotary index"
        ):  # fmt: skip
            return datum.source
        case _:
            assert_never(datum.source)


def _between_jaws(plan: SetupPlan, k: int) -> bool:
    """Whether jaws that centre hold the part along X (0) or Y (1): then its own middle is at the fixture's place."""
    jaws = plan.holding.jaws
    return jaws is not None and jaws.vise.centring and jaws.axis == k


def _at_jaw(plan: SetupPlan, plus: PartDirection, minus: PartDirection) -> PartDirection:
    """The face at the fixed jaw, which stands on the side towards which the part is pushed."""
    jaws = plan.holding.jaws
    return plus if jaws is not None and jaws.toward > 0 else minus


def _has_faces(source: DatumSource) -> bool:
    return source == "fixed jaw" or (source.split()[-1] in ("side", "centre") and not source.startswith("feature"))


def _lies_along(plan: SetupPlan, axis: Axis) -> bool:
    """Whether a part direction lies along a machine axis."""
    return exact_direction(plan.setup.orientation.matrix()[AXES.index(axis)]) is not None
