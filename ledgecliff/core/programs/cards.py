"""Cards: a probing step worked through by hand with the control's own cycle, from where the probe stands by eye.

A card says where to stand and how near is near enough, which values to key in, and what must come out.  Its numbers are
those of the step's one call (``probing.one_call``), and so those of the touch-by-touch program.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..frames import Axis
from ..probing.one_call import OneCall, one_call
from ..probing.touches import Step
from ..quantities import said, said_signed
from ..setup_plan import SetupPlan
from .cycle_actions import SKEW_LIMIT_DEG


@dataclass(frozen=True)
class CardRow:
    """A value to key in: a length (mm), a feed (mm/min), or words."""

    label: str
    mm: float | None = None
    feed: float | None = None
    words: str = ""


@dataclass(frozen=True)
class CardResult:
    """What the control must show: expected (mm), and how far it may be off where that is told."""

    words: str
    expected: float
    tolerance: float | None = None


@dataclass(frozen=True)
class Card:
    """``near`` is how far the probe may stand from where it should, along any axis (mm).  Where ``cannot`` says why, no
    cycle of a control makes the step from where the probe stands; words may hold lengths to be spelled."""

    number: int
    title: str
    after: str | None
    cycle: str
    stand: str
    near: float | None
    rows: tuple[CardRow, ...]
    results: tuple[CardResult, ...]
    writes: str
    cannot: str = ""


def cards_of(setup: SetupPlan) -> tuple[Card, ...]:
    """A card for every step of a setup, in order."""
    return tuple(_card(setup, step, number) for number, step in enumerate(setup.probing.steps, start=1))


def why_no_card(setup: SetupPlan, step: Step) -> str:
    """Why a step cannot be worked through with one cycle from where the probe stands; empty where it can."""
    if setup.located.turn_deg or any(each.sets_skew for each in setup.probing.steps):
        return "The work offset is turned about Z here, which a cycle from where the probe stands knows nothing of."
    if one_call(step) is None:
        return "No single cycle makes this step; run its program touch by touch."
    return ""


def _card(setup: SetupPlan, step: Step, number: int) -> Card:
    cannot, call = why_no_card(setup, step), one_call(step)
    if cannot or call is None:
        return Card(number, step.title, step.cycle.after, step.kind, "", None, (), (), _writes(setup, step), cannot)
    near = setup.near_enough(step)
    if near is None:
        cannot = "However near the probe stands, this step cannot be made: see its findings."
    return Card(
        number=number,
        title=step.title,
        after=step.cycle.after,
        cycle=_cycle(call, step),
        stand=_stand(call, step),
        near=near,
        rows=_rows(call, step),
        results=_results(step),
        writes=_writes(setup, step),
        cannot=cannot,
    )


def _cycle(call: OneCall, step: Step) -> str:
    """Which of the control's cycles, and which way."""
    inside = "from within" if call.inside else "from outside"
    match call.shape:
        case "top":
            return "One surface, moving −Z"
        case "side":
            return f"One surface, moving {step.touches[0].moving()}"
        case "width":
            return f"Middle of two sides along {call.spans[0].axis.upper()}, {inside}"
        case "rectangle":
            return f"Middle of four sides, {inside}"
        case "bore" | "boss":
            return f"Middle of a {call.shape}, {inside}, made twice"
        case "corner":
            ways = " and ".join(touch.moving() for touch in step.touches)
            return f"{(step.cycle.corner or '').capitalize()} corner from outside, moving {ways}"


def _stand(call: OneCall, step: Step) -> str:
    touch = step.touches[0]
    # How high the ball's lowest point stands over the edge that the touch is so deep below.
    over = call.down - touch.depth - touch.ball_radius
    match call.shape:
        case "top":
            return f"Over the {touch.surface}, about {said(call.down + touch.stand_off)} above it."
        case "side":
            return (
                f"Beside the {touch.surface}, the ball's skin about {said(touch.stand_off)} from it, its tip about "
                f"{said(over)} above the edge."
            )
        case "corner":
            return f"Over the corner, the ball's tip about {said(over)} above the edges."
        case _ if call.straight:
            return f"Inside, about in the middle, the ball's middle about {said(touch.depth)} below the edge."
        case _:
            return f"Over the middle, the ball's tip about {said(over)} above the edge."


def _rows(call: OneCall, step: Step) -> tuple[CardRow, ...]:
    touch = step.touches[0]
    rows = [CardRow("approach (the search begins so far before the surface)", mm=touch.stand_off)]
    if call.down:
        rows.append(CardRow("down to where it searches", mm=call.down))
    rows.append(CardRow("search on past the surface at most", mm=touch.overtravel))
    for span in call.spans:
        if span.size:
            rows.append(CardRow(f"expected size along {span.axis.upper()}", mm=span.size))
        elif call.shape == "corner":
            other = "Y" if span.axis == "x" else "X"
            way = "+" if span.along > 0.0 else "−"
            rows.append(
                CardRow(f"touch moving {_way(span.axis, span.sign)}: along {way}{other} by", mm=abs(span.along))
            )
    if call.straight:
        spans = {span.axis: span.begin for span in call.spans}
        rows += [CardRow(f"search begins from the middle, {axis.upper()}", mm=mm) for axis, mm in spans.items()]
    rows += [
        CardRow("search feed", feed=touch.feeds.search),
        CardRow("slow touch feed", words="none: one fast touch")
        if step.cycle.rough
        else CardRow("slow touch feed", feed=touch.feeds.touch),
        CardRow("back off between both", mm=touch.feeds.back_off),
    ]
    return tuple(rows)


def _way(axis: Axis, sign: int) -> str:
    return ("+" if sign > 0 else "−") + axis.upper()


def _results(step: Step) -> tuple[CardResult, ...]:
    """Sizes can be held against the plan; places only once the offset is set: then they read what they must."""
    tolerance = step.size_tolerance or None
    sizes = [
        CardResult(quantity.words, quantity.expected, tolerance)
        for quantity in step.finds
        if quantity.key.startswith("size")
    ]
    reads = [CardResult(f"{each.axis.upper()} there then reads", each.should_read) for each in step.sets]
    return (*sizes, *reads)


def _writes(setup: SetupPlan, step: Step) -> str:
    code = step.into or setup.setup.offset
    if not step.sets:
        return f"Measure only; {code} is not written." if not step.sets_skew else f"Turns {code}."
    values = " and ".join(f"{each.axis.upper()} to read {said_signed(each.should_read)}" for each in step.sets)
    return f"Set {code}: {values}."


def row_words(row: CardRow) -> str:
    """What is keyed in for a row, a length to be spelled."""
    if row.feed is not None:
        return f"{said(row.feed)}/min"
    return row.words if row.mm is None else said(row.mm)


def result_words(result: CardResult) -> str:
    """What the control must show, to be spelled."""
    if result.tolerance is None:
        return said_signed(result.expected)
    return f"{said(result.expected)} to within {said(result.tolerance)}"


def card_lines(card: Card) -> tuple[str, ...]:
    """A card in lines, lengths to be spelled."""
    if card.cannot:
        return (card.cannot,)
    near = "" if card.near is None else f" To within {said(card.near)} is near enough."
    return (
        f"{card.cycle}.",
        f"Stand: {card.stand}{near}",
        *(f"{row.label}: {row_words(row)}" for row in card.rows),
        card.writes,
        *(f"must come out: {result.words} {result_words(result)}" for result in card.results),
    )


_STRAIGHT = (
    f"Straighten the part to within {SKEW_LIMIT_DEG:g}° first: the cycles go along the machine's axes, and what they "
    "find is true only there."
)
_READY = (
    "Probe fitted and called with its length, spindle stopped and locked out of rotation, hands out of the travel. "
    "Touch the ball by hand once and see that the control takes it as a trigger."
)
_SAFE = (
    "Jog slowly, in small steps near anything. Follow the machine builder's manual, the shop's own rules and local "
    "safety law."
)
#: What must be so before any of them: said at their head.
BEFORE_CARDS = (_STRAIGHT, _READY, _SAFE)
