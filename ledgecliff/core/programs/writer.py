"""Programs of one setup: the probing program and the hover check, as plain text.

The layout is in the text profiles; this module only hands them numbers.  Lengths stay millimetres
up to the profile's ``n`` filter, which writes the program's own unit.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING, Any

from ..datums import Wcs
from ..errors import PlanError
from ..frames import AXES
from ..holding import Holding
from ..model.job import Job
from ..model.machine import OffsetCode
from ..model.setup import Setup
from ..probing.touches import ProbingPlan, Step, Touch
from .text import NumberWriter, comment

if TYPE_CHECKING:
    from jinja2 import Template

#: This style keeps the offsets' values in #5221 + 20 (P - 1); it has nine of them.
_OFFSETS_IN_STYLE = 9
#: Results of a step are kept from here on, ten parameters a step.
_RESULTS_FROM = 120
_PROFILES = "rs274-ngc"
#: The last stretch over the block, or over the part, is gone at reduced feed (mm).
_HOVER_ABOVE = 25.0


@dataclass(frozen=True)
class Hovering:
    """Where the hover check stops, in the WCS (mm), and what its gauge block stands on.

    The tool comes down fast to ``w_high`` only, clear of everything.
    """

    w_tip: tuple[float, float, float]
    w_high: float
    stands_on: str


@cache
def _template(kind: str, units: str) -> Template:
    import jinja2  # only once a program is written

    numbers = NumberWriter("mm" if units == "mm" else "in")
    environment = jinja2.Environment(undefined=jinja2.StrictUndefined, autoescape=False)
    environment.filters |= {"n": numbers, "b": numbers.in_brackets, "c": comment}
    source = resources.files(__package__).joinpath("profiles", f"{_PROFILES}-{kind}.txt").read_text(encoding="utf-8")
    return environment.from_string(source)


def probing_program(job: Job, setup: Setup, plan: ProbingPlan, before: Setup | None = None) -> str:
    """The probing program of ``setup``, which takes zeros that are carried over from the one ``before``.

    Raises PlanError when the style lacks its work offset.
    """
    probe, offset = job.machine.probe, _offset(job, setup)
    numbers = NumberWriter(job.machine.program_units)
    steps = [
        _StepWriter(step, number, offset, numbers, job.machine.probe.ball_radius).context()
        for number, step in enumerate(plan.steps, start=1)
    ]
    if steps:
        steps[0]["first_move_free"] = True
    text = _template("probing", job.machine.program_units).render(
        **_common(job, setup, offset),
        tool=probe.tool,
        guess=setup.probing.guess,
        carried=_carried(job, setup, plan, before),
        clearance=plan.w_clearance,
        probe={
            "ball": probe.ball_diameter,
            "re": probe.effective_radius,
            "travel": probe.travel_feed,
            "search": probe.search_feed,
            "touch": probe.touch_feed,
            "back_off": probe.back_off,
        },
        steps=steps,
        results=[row for step in steps for row in step["results"]],
    )
    return _tidy(text)


def _carried(job: Job, setup: Setup, plan: ProbingPlan, before: Setup | None) -> list[dict[str, Any]]:
    """Axes that keep the zero of the setup before, with the parameter that holds it and the datum's shift."""
    if before is None:
        return []
    source = _offset(job, before)
    return [
        {
            "letter": axis.upper(),
            "parameter": 5221 + 20 * (source.number - 1) + AXES.index(axis),
            "shift": setup.datum.axis(axis).shift,
            "code": source.code,
            "same": source.code == setup.offset and abs(setup.datum.axis(axis).shift) < 1e-9,
        }
        for axis in plan.carried
    ]


def hovering(setup: Setup, holding: Holding, wcs: Wcs, plan: ProbingPlan) -> Hovering:
    """Over the surface that gave Z, where it was touched, else over the stock's top: height + gauge block + gap
    (chapter 2)."""
    x, y, z = plan.landing.w_at
    tip = z + setup.hover.block + setup.hover.gap
    top = max(holding.top(), float(holding.u_stock[1][2])) - float(wcs.u_origin[2])
    return Hovering((x, y, tip), max(tip, top) + _HOVER_ABOVE, plan.landing.surface)


def hover_program(job: Job, setup: Setup, holding: Holding, wcs: Wcs, plan: ProbingPlan) -> str:
    """The hover-check program of ``setup``; T and H are the same number by construction."""
    offset, hover = _offset(job, setup), setup.hover
    cutter = job.machine.cutter(hover.tool)
    at = hovering(setup, holding, wcs, plan)
    text = _template("hover", job.machine.program_units).render(
        **_common(job, setup, offset),
        tool=hover.tool,
        tool_name=cutter.name if cutter else "",
        stands_on=at.stands_on,
        block=hover.block,
        gap=hover.gap,
        feed=hover.feed,
        x=at.w_tip[0],
        y=at.w_tip[1],
        z=at.w_tip[2],
        z_high=at.w_high,
    )
    return _tidy(text)


def _offset(job: Job, setup: Setup) -> OffsetCode:
    offset = job.machine.offset(setup.offset)
    if offset is None:
        codes = ", ".join(offset.code for offset in job.machine.offsets)
        raise PlanError(f"Setup '{setup.name}': the machine has no work offset {setup.offset}; it has {codes}.")
    if offset.number > _OFFSETS_IN_STYLE:
        raise PlanError(
            f"Setup '{setup.name}': {offset.code} is offset {offset.number}; programs in this style can write "
            f"1 to {_OFFSETS_IN_STYLE}. Choose another offset."
        )
    return offset


def _common(job: Job, setup: Setup, offset: OffsetCode) -> dict[str, Any]:
    metric = job.machine.program_units == "mm"
    return {
        "title": job.title,
        "setup": setup.name,
        "side": setup.side,
        "offset": offset.code,
        "offset_number": offset.number,
        "units": "G21" if metric else "G20",
        "units_word": "millimetres" if metric else "inches",
        "top": job.machine.travel_max.z,
    }


def _tidy(text: str) -> str:
    lines = [line.rstrip() for line in text.splitlines()]
    return "\n".join(line for line in lines if line) + "\n"


class _StepWriter:
    """One step as the profile sees it."""

    def __init__(self, step: Step, number: int, offset: OffsetCode, numbers: NumberWriter, radius: float) -> None:
        self._step = step
        self._number = number
        self._offset = offset
        self._numbers = numbers
        self._radius = radius
        self._base = _RESULTS_FROM + 10 * number

    def context(self) -> dict[str, Any]:
        step = self._step
        context: dict[str, Any] = {
            "number": self._number,
            "label": str(self._number * 1000),
            "kind": step.kind,
            "title": step.title,
            "size": step.size,
            "size_tolerance": step.size_tolerance,
            "letter": step.touches[0].axis.upper(),
            "found": self._base,
            "size_parameter": self._base + 1,
            "first_move_free": False,
            "touches": [self._touch(touch) for touch in step.touches],
        }
        if step.kind == "bore":
            context |= self._bore()
        context["sets"] = [
            {
                "letter": setting.axis.upper(),
                "offset_parameter": 5221 + 20 * (self._offset.number - 1) + AXES.index(setting.axis),
                "should_read": setting.should_read,
                "found": self._base + (AXES.index(setting.axis) * 2 if step.kind == "bore" else 0),
            }
            for setting in step.sets
        ]
        context["results"] = self._results(context)
        return context

    def _results(self, context: dict[str, Any]) -> list[dict[str, Any]]:
        if self._step.kind == "bore":
            return [
                row
                for pair in context["pairs"]
                for row in (
                    {"parameter": pair["centre"], "text": f"{self._step.title}: centre {pair['letter']}"},
                    {"parameter": pair["size"], "text": f"{self._step.title}: diameter along {pair['letter']}"},
                )
            ]
        rows = [{"parameter": self._base, "text": self._step.title}]
        if self._step.kind == "web":
            rows.append({"parameter": self._base + 1, "text": f"{self._step.title}: width"})
        return rows

    def _bore(self) -> dict[str, Any]:
        """Pairs of opposite touches that start from the centre held in #101 and #102."""
        first = self._step.touches
        centre = (first[2].w_contact[0], first[0].w_contact[1])
        pairs = []
        for k in (0, 1):
            minus, plus = (self._touch(touch, about=(f"#{101 + k}", centre[k])) for touch in first[2 * k : 2 * k + 2])
            pairs.append(
                {
                    "letter": "XY"[k],
                    "letter_number": k,
                    "minus": minus,
                    "plus": plus,
                    "centre": self._base + 2 * k,
                    "size": self._base + 2 * k + 1,
                    "kept": 101 + k,
                }
            )
        tip = first[0].w_contact[2] - self._radius
        return {"x": centre[0], "y": centre[1], "tip": tip, "pairs": pairs}

    def _touch(self, touch: Touch, about: tuple[str, float] | None = None) -> dict[str, Any]:
        """``about`` gives start and end relative to a parameter that holds the found centre."""
        k = AXES.index(touch.axis)
        start, end = touch.start[k], touch.end[k]
        if touch.axis == "z":
            # The control's Z is the ball's lowest point, a radius below its centre.
            start, end = start - self._radius, end - self._radius
        expected = touch.at_contact[k] - (self._radius if touch.axis == "z" else 0.0)
        return {
            "number": touch.number,
            "label": str(self._number * 1000 + touch.number * 10),
            "surface": touch.surface,
            "letter": touch.axis.upper(),
            "word": k + 1,
            "sign": "+" if touch.direction > 0 else "-",
            "direction": touch.direction,
            "expected": expected,
            "start": self._place(start, about),
            "way": self._way(touch, k, self._place(start, about), about is not None),
            "end": self._place(end, about),
            "x": touch.start[0],
            "y": touch.start[1],
            "tip": touch.start[2] - self._radius,
        }

    @staticmethod
    def _way(touch: Touch, k: int, start: str, in_bore: bool) -> str:
        """The words of the protected move to the stand-off; empty when the ball came down onto it.

        In a bore both words are given, so that the ball leaves from the centre found so far.
        """
        if in_bore:
            return f"X{start} Y#102" if k == 0 else f"X#101 Y{start}"
        return f"Z{start}" if touch.axis == "z" else ""

    def _place(self, mm: float, about: tuple[str, float] | None) -> str:
        if about is None:
            return self._numbers(mm)
        parameter, centre = about
        return f"[{parameter} + {self._numbers.in_brackets(mm - centre)}]"
