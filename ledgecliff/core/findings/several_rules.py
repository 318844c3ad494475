"""Rules about several parts from one blank: joined as long as they are held together, and cut apart in the end."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding
from ..model.operations import Outline, Seen
from ..plan import Plan
from ..quantities import said
from ..several_parts import apart_before, gap_between, joined_at_the_end


def parts_joined(plan: Plan) -> Iterator[Finding]:
    joined = joined_at_the_end(plan)
    if joined:
        yield Finding(
            "PARTS_STILL_JOINED",
            "warning",
            "",
            f"Parts {' and '.join(joined)} are still one piece when all is done.",
            "Cut outlines without tabs in the last setup, or saw them apart or cut their tabs at the bench.",
        )


def parts_apart(plan: Plan) -> Iterator[Finding]:
    """What has come apart lies nowhere together any more: each part is held by itself."""
    for setup in plan.setups:
        if not apart_before(plan, setup.index):
            continue
        name = setup.setup.name
        yield Finding(
            "PARTS_APART_TOO_SOON",
            "error",
            name,
            f"{name}: the parts come in already cut apart, and are held here as if they were one piece.",
            "Cut them apart in the last setup or at the bench after it, or go on with each in a job of its own.",
        )
        return


def parts_too_close(plan: Plan) -> Iterator[Finding]:
    """A cutter that goes round the parts must go between them."""
    gap = gap_between(plan)
    for setup in plan.setups:
        for operation in setup.setup.operations:
            cutter = setup.machine.cutter(operation.tool)
            if not isinstance(operation, Outline | Seen) or cutter is None or gap is None or cutter.diameter <= gap:
                continue
            yield Finding(
                "PARTS_TOO_CLOSE",
                "error",
                setup.setup.name,
                f"{setup.setup.name}: T{cutter.tool} {cutter.name} is {said(cutter.diameter)} wide, and between two "
                f"parts of the blank there are only {said(gap)}: '{operation.name}' does not go between them.",
                "Put the parts further apart, or use a thinner cutter.",
                about=operation.name,
            )


RULES = (parts_joined, parts_apart, parts_too_close)
