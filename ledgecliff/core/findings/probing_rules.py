"""Rules about touches: what the probing planner found wanting becomes a finding."""

from __future__ import annotations

from collections.abc import Iterator

from ..plan import Plan
from .base import Finding, Severity

#: How bad each problem of a touch is; all codes a touch can yield are listed here.
SEVERITY_OF: dict[str, Severity] = {
    "TOUCH_OUTSIDE_WINDOW": "error",
    "TOUCH_NO_WALL": "error",
    "TOUCH_TOO_SHALLOW": "error",
    "TOUCH_TOO_DEEP": "hazard",
    "TOUCH_STEM_FOULS": "error",
    "TOUCH_NO_LANDING": "error",
}


def touches(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for problem in setup_plan.probing.problems:
            yield Finding(
                problem.code,
                SEVERITY_OF[problem.code],
                setup_plan.setup.name,
                f"{setup_plan.setup.name}: {problem.message}",
                problem.remedy,
            )


RULES = (touches,)
