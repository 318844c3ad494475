"""Rules about two blanks in the same jaws or under the same clamps: what one lacks in size, it is not held by."""

from __future__ import annotations

from collections.abc import Iterator

from ..blanks import transformed
from ..finding import Finding
from ..holding.second_blank import NAME, holds_second
from ..plan import Plan
from ..quantities import said, said_volume
from ..setup_plan import SetupPlan

#: Hard jaws give by so much, and a clamp that lies on two blanks evens out so much (mm).
_JAWS_GIVE, _CLAMP_GIVES = 0.02, 0.2
#: Shared volumes smaller than this are rounding (mm³).
_CRUMB = 1.0


def _pairs(plan: Plan) -> Iterator[SetupPlan]:
    return (setup for setup in plan.setups if setup.holding.block(NAME) is not None)


def second_in_the_way(plan: Plan) -> Iterator[Finding]:
    for setup in _pairs(plan):
        second = setup.holding.block(NAME)
        assert second is not None, "pairs have one"
        solid, name = second.solid(), setup.setup.name
        bodies = [(block.name, block.solid()) for block in setup.holding.blocks if block.name != NAME]
        bodies.append(("first blank", transformed(setup.before.solid, setup.setup.orientation.matrix())))
        for what, body in bodies:
            shared = float((body ^ solid).volume())
            if shared > _CRUMB:
                yield Finding(
                    "SECOND_IN_THE_WAY",
                    "error",
                    name,
                    f"{name}: the second blank and the {what} would share {said_volume(shared)}.",
                    "Put the second blank further away, or move what it stands in.",
                )


def second_not_held(plan: Plan) -> Iterator[Finding]:
    for setup in _pairs(plan):
        if not holds_second(setup.holding):
            in_vise = setup.holding.jaws is not None
            yield Finding(
                "SECOND_NOT_HELD",
                "hazard",
                setup.setup.name,
                f"{setup.setup.name}: nothing clamps the second blank: "
                + ("it does not stand between the jaws." if in_vise else "no clamp comes down on it."),
                "Put it nearer, or put a clamp where it lies on both.",
            )


def held_unevenly(plan: Plan) -> Iterator[Finding]:
    """Of two blanks that vary, what clamps both by one movement may hold only the larger."""
    for setup in _pairs(plan):
        name, jaws = setup.setup.name, setup.holding.jaws
        sizes = setup.setup.orientation.sizes(setup.spread)
        if jaws is not None:
            if setup.grip is not None and setup.grip.surface == "finished":
                continue
            apart = 2.0 * float(sizes[jaws.axis])
            if apart > _JAWS_GIVE:
                yield Finding(
                    "HELD_UNEVENLY",
                    "hazard",
                    name,
                    f"{name}: two blanks may differ by {said(apart)} across the jaws. Hard jaws then hold the larger "
                    "one alone, and the other is thrown.",
                    "Put a jaw in that can rock, or soft sheet before it; sort the blanks into pairs; or clamp one at "
                    "a time.",
                )
            continue
        both = [each for each in holds_second(setup.holding) if _on_first(setup, each)]
        apart = 2.0 * float(sizes[2])
        if both and apart > _CLAMP_GIVES and setup.before.raw.any():
            yield Finding(
                "HELD_UNEVENLY",
                "warning",
                name,
                f"{name}: {' and '.join(both)} lies on two blanks whose heights may differ by {said(apart)}, and "
                "presses on the higher one.",
                "Use a clamp that can rock, or sort the blanks into pairs.",
            )


def _on_first(setup: SetupPlan, clamp: str) -> bool:
    block = setup.holding.block(clamp)
    assert block is not None, "it was found among the blocks"
    down = tuple(setup.holding.tf_s_u.turn.T @ (0.0, 0.0, -0.05))
    stock = transformed(setup.before.solid, setup.setup.orientation.matrix())
    return float((block.solid().translate(down) ^ stock).volume()) > 0.05


RULES = (second_in_the_way, second_not_held, held_unevenly)
