"""Rules about sides: what no planned setup can reach."""

from __future__ import annotations

from collections.abc import Iterator

from ..frames import shown
from ..plan import Plan
from .base import Finding

#: So many names are said; the rest is counted.
_NAMES = 4


def feature_not_reached(plan: Plan) -> Iterator[Finding]:
    """Everything that has to be cut must be seen from the side that is up in some setup."""
    planned = {setup.orientation.up for setup in plan.job.setups}
    missing = [reach for reach in plan.coverage.features if not planned & set(reach.sides)]
    for sides in dict.fromkeys(reach.sides for reach in missing):
        names = [reach.name for reach in missing if reach.sides == sides]
        listed = ", ".join(names[:_NAMES]) + (f" and {len(names) - _NAMES} more" if len(names) > _NAMES else "")
        if not sides:
            yield Finding(
                "FEATURE_NOT_REACHED",
                "warning",
                "",
                f"No square side reaches {listed}. It stays uncut.",
                "Plan a tilted setup along its own direction, or make it some other way.",
            )
            continue
        ways = " or ".join(shown(side) for side in sides)
        yield Finding(
            "FEATURE_NOT_REACHED",
            "warning",
            "",
            f"No planned setup reaches {listed}. It stays uncut.",
            f"Plan a setup with part {ways} up.",
        )


RULES = (feature_not_reached,)
