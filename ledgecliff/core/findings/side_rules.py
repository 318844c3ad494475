"""Rules about sides: what no planned setup can reach."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from ..finding import Finding
from ..model.orientation import Orientation, shown
from ..plan import Plan
from ..recognition.matching import faces_of
from ..recognition.recognise import recognise
from ..recognition.recognised import parallel
from ..sides.left import covered_faces
from ..sides.reach import Reach, is_in_sight

#: So many names are said; the rest is counted.
_NAMES = 4

#: What such a finding is about where no side would do; else it is the sides that would, with a space between.
NO_SIDE = "no side"


def feature_not_reached(plan: Plan) -> Iterator[Finding]:
    """What stock is still on at the end, because it is not seen from the side that is up in any setup."""
    # As they lie once a turned station or a rotary axis has had its say.
    lying = [setup.setup.orientation for setup in plan.setups]
    left = {
        face
        for face in covered_faces(plan.finished_inside.solid, plan.geometry)
        if not any(is_in_sight(face, orientation.matrix()[2], plan.geometry) for orientation in lying)
    }
    if not left:
        return
    uncut = {found.name for found in recognise(plan.geometry) if left & set(found.faces)}
    named = {f.name for f in plan.job.part.features if left & set(faces_of(f, plan.geometry))}
    planned = {orientation.square_up() for orientation in lying}
    missing = [
        reach
        for reach in plan.reaches
        if not planned & set(reach.sides) and not _tilted_to(reach, lying) and reach.name in uncut | named
    ]
    for sides in dict.fromkeys(reach.sides for reach in missing):
        names = [reach.name for reach in missing if reach.sides == sides]
        listed = ", ".join(names[:_NAMES]) + (f" and {len(names) - _NAMES} more" if len(names) > _NAMES else "")
        if not sides:
            yield Finding(
                "FEATURE_NOT_REACHED",
                "warning",
                "",
                f"No square side reaches {listed}. Some of it stays uncut.",
                "Plan more sides, a tilted setup along its own direction, or make it some other way.",
                about=NO_SIDE,
            )
            continue
        ways = " or ".join(shown(side) for side in sides)
        yield Finding(
            "FEATURE_NOT_REACHED",
            "warning",
            "",
            f"No planned setup reaches {listed}. It stays uncut.",
            f"Plan a setup with part {ways} up.",
            about=" ".join(sides),
        )


def _tilted_to(reach: Reach, lying: Sequence[Orientation]) -> bool:
    """Whether any setup has the direction up from which alone a feature is reached."""
    if reach.skew is None:
        return False
    ups = [orientation.matrix()[2] for orientation in lying]
    return any(parallel(up, np.array(reach.skew)) and float(up @ np.array(reach.skew)) > 0.0 for up in ups)


RULES = (feature_not_reached,)
