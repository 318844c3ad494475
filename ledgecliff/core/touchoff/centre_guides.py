"""Guided pages for finding the centre of a rotary axis or its nought: what is done, what is read, in their order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

from pydantic import TypeAdapter, ValidationError

from ..changing import problem_words
from ..errors import InvalidValueError, LedgecliffError
from ..frames import AXES, Axis
from ..model.stations import Rotary
from ..quantities import Unit
from ..typed import parse_length
from .centre_readings import CentreReading, put_at

#: What stands on every page.
CAUTIONS = (
    "Spindle stopped and locked out of rotation while a probe, finder or indicator is fitted. Everything retracted "
    "before the axis turns, hands out of the travel. The machine builder's manual and the shop's rules come first."
)


@dataclass(frozen=True)
class Asked:
    """One reading: where it goes (a dotted path), what it is called, and how it is typed; ``begins`` is what stands
    there at first, and one that is ``optional`` may stay empty."""

    key: str
    label: str
    kind: Literal["length", "angle", "choice"] = "length"
    begins: str = ""
    optional: bool = False
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Guide:
    """A way to find it: for axes that lie ``about`` these, the ``steps`` in words, and what is asked for."""

    kind: str
    title: str
    about: tuple[Axis, ...]
    steps: tuple[str, ...]
    asked: tuple[Asked, ...]


def _bar(when: str, words: str, about: Axis) -> tuple[Asked, ...]:
    first, second = (axis.upper() for axis in AXES if axis != about)
    sides = (
        Asked(f"{when}.sides.0", f"{first}, lower side{words}"),
        Asked(f"{when}.sides.1", f"{first}, upper side{words}"),
    )
    if about != "z":
        return (*sides, Asked(f"{when}.top", f"{second}, gauge line on its top{words}"))
    return (
        *sides,
        Asked(f"{when}.second_sides.0", f"{second}, lower side{words}"),
        Asked(f"{when}.second_sides.1", f"{second}, upper side{words}"),
    )


def guides_for(rotary: Rotary) -> tuple[Guide, ...]:
    """The ways that fit an axis, the surest first."""
    about = rotary.about
    return tuple(guide for guide in _all(rotary) if about in guide.about)


def _all(rotary: Rotary) -> tuple[Guide, ...]:
    about, word = rotary.about, rotary.word
    across = tuple(axis for axis in AXES if axis != about)
    first = across[0]
    of_bar = (
        Asked("bar_diameter", "Diameter of the bar"),
        *((Asked("tool_length", "Length of the tool", begins="0"), Asked("gauge", "Paper or block", begins="0"))
          if about != "z" else ()),
    )  # fmt: skip
    return (
        Guide(
            "bar", "Bar at 0 and 180", AXES,
            (f"Clamp a straight bar. At {word}0 touch both its sides and its top.",
             f"Turn to {word}180 and touch the same again, at the same place along the bar.",
             "Half-way between both middles lies the axis, whatever the bar runs out."),
            (*_bar("at_first", ", at 0", about), *_bar("turned_over", ", at 180", about), *of_bar),
        ),
        Guide(
            "bar", "Bar as it stands", AXES,
            ("Touch both sides of the bar and its top, and do not turn it.",
             "This is the middle of the bar: right for one index or odd-shaped stock, and not the axis."),
            (*_bar("at_first", "", about), *of_bar),
        ),
        Guide(
            "trunnion faces", "Faces of the trunnion", ("x", "y"),
            (f"Sweep the table flat first, take everything off it, and touch its face while {word} stands level.",
             f"Turn to {word}90, touch the face from its open side along {first.upper()}; then to {word}-90 and again.",
             "Where a limit forbids one of them, any two angles do: then give Z of the ball's middle too."),
            (Asked("z_table", "Z of the face, level"), Asked("radius", "Radius of ball or finder"),
             Asked("first.degrees", "First angle", "angle", "90"), Asked(f"first.{first}", f"{first.upper()} there"),
             Asked("first.z", "Z there", begins="0"), Asked("second.degrees", "Second angle", "angle", "-90"),
             Asked(f"second.{first}", f"{first.upper()} there, second"),
             Asked("second.z", "Z there, second", begins="0")),
        ),
        Guide(
            "table bore", "Bore of the table", ("z",),
            (f"Sweep the bore with an indicator at {word}0 until it stands still, and write X and Y down.",
             f"Turn to {word}180 and sweep it again: a bore is not the axis."),
            (Asked("at_0.0", "X at 0"), Asked("at_0.1", "Y at 0"), Asked("at_180.0", "X at 180"),
             Asked("at_180.1", "Y at 180")),
        ),
        Guide(
            "flat sweep", "Level of the table", ("x", "y"),
            ("Touch the table twice, a long way apart across the axis, on a clean place.",
             "Go to the angle that comes out, and sweep again until both read alike."),
            (Asked("word_deg", f"{word} reads now", "angle", f"{rotary.flat_deg:g}"),
             Asked("z_low", f"Z at the lower {'Y' if about == 'x' else 'X'}"),
             Asked("z_high", f"Z at the higher {'Y' if about == 'x' else 'X'}"), Asked("apart", "So far apart")),
        ),
        Guide(
            "spigot", "Spigot or bar by hand", ("x", "y"),
            ("Square against the blank first: what gap does the blade show, over what height?",
             "Touch the spigot from one side with a tool and paper between, then its top.",
             "Half the spigot, half the tool and the paper lead to the axis; a test cut makes sure."),
            (Asked("side", "Reading at its side"), Asked("from_side", "Tool came from", "choice", "minus",
             choices=("minus", "plus")), Asked("tool_diameter", "Diameter of the tool"),
             Asked("spigot_diameter", "Diameter of the spigot"), Asked("gauge", "Paper", begins="0"),
             Asked("top", "Gauge line on its top"), Asked("tool_length", "Length of the tool", begins="0"),
             Asked("gap", "Gap at the square", begins="0"), Asked("over", "over a height of", optional=True)),
        ),
        Guide(
            "test cut", "Test cut, half the step", AXES,
            (f"Cut one face of the part at {word}0 from one machine side, and beside it at {word}180 from the other.",
             "Cut from the same side, both show no step whatever the error.",
             "The axis lies half the step towards the side on which the cut went deeper.",
             "Correct it, move along by a fresh length, cut again, see no step.",
             "Then put the axis that was moved along back: until then this page is not finished."),
            (Asked("along", "It tells", "choice", across[0], choices=across),
             Asked("believed", "That one, as believed"), Asked("step", "Step between both"),
             Asked("deeper", "Deeper on the side", "choice", "plus", choices=("minus", "plus")),
             Asked("moved_along", "Moved along by", begins="0"),
             Asked("moved_back", "Moved back", "choice", "no", choices=("no", "yes"))),
        ),
        Guide(
            "measured part", "From a measured part", AXES,
            ("Measure two features that were cut in line from opposite indexes, along one direction of the first.",
             "Half of what the first lies beyond the second is how far the believed centre is off."),
            (Asked("along", "It tells", "choice", across[0], choices=across),
             Asked("believed", "That one, as believed"),
             Asked("first", "Cut at the first index"), Asked("second", "Cut at the opposite one")),
        ),
    )  # fmt: skip


def reading_of(rotary: Rotary, guide: Guide, typed: Mapping[str, str], unit: Unit) -> CentreReading:
    """The readings as they were typed, lengths in ``unit`` where they name none.  Raises InvalidValueError that names
    the first that is missing or wrong."""
    data: dict[str, Any] = {"kind": guide.kind, "about": rotary.about}
    if guide.kind in ("trunnion faces", "flat sweep"):
        if rotary.sense is None:
            raise InvalidValueError("sense", f"which way {rotary.word} turns is not known; run the sense test first")
        data["sense"] = rotary.sense
    for asked in guide.asked:
        text = typed.get(asked.key, asked.begins).strip()
        if text or not asked.optional:
            put_at(data, asked.key, value_of(asked, text, unit))
    try:
        reading: CentreReading = _readings().validate_python(data)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        place = ".".join(str(part) for part in first["loc"] if part != guide.kind)
        label = next((asked.label for asked in guide.asked if asked.key == place), guide.title)
        raise InvalidValueError(label, problem_words(first["msg"])) from error
    return reading


@cache
def _readings() -> TypeAdapter[Any]:
    """Built when the first is typed."""
    return TypeAdapter(CentreReading)


def value_of(asked: Asked, text: str, unit: Unit) -> object:
    """What was typed for one reading.  Raises InvalidValueError where that is nothing or not understood."""
    if not text:
        raise InvalidValueError(asked.label, "nothing is typed there yet; read it and type it")
    if asked.kind == "choice":
        return text == "yes" if asked.choices == ("no", "yes") else text
    try:
        return float(text.replace("°", "")) if asked.kind == "angle" else parse_length(text, unit)
    except (ValueError, LedgecliffError) as error:
        raise InvalidValueError(asked.label, f"'{text}' is not understood; type a number") from error
