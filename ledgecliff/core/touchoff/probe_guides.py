"""Guided pages for finding a centre by probe: what the program must be told, and how its results come back."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import ValidationError

from ..changing import problem_words
from ..errors import InvalidValueError
from ..model.machine import Machine
from ..model.stations import Rotary
from ..model.work_offsets import codes_of
from ..quantities import Unit
from .centre_guides import Asked, Guide, value_of
from .centre_probing import CentreProbing, ProbedWay, ways_for


def probe_guides(machine: Machine, rotary: Rotary) -> tuple[Guide, ...]:
    """The ways by probe: a program does the touching, and its results are pasted."""
    return tuple(_by_probe(machine, rotary, way) for way in ways_for(rotary))


#: A face stands upright there (degrees from level).
_UPRIGHT = 90.0
#: What each way by probe needs, besides the offset and how far off the centre may be.
_NEEDED: dict[ProbedWay, tuple[str, ...]] = {
    "bar": ("diameter",),
    "bar at rest": ("diameter",),
    "trunnion faces": ("along", "level", "edge", "depth", "first_deg", "second_deg"),
    "table bore": ("diameter", "level", "depth"),
    "flat sweep": ("along", "level", "apart"),
}
_PROBED_TITLES: dict[ProbedWay, str] = {
    "bar": "By probe: bar at 0 and 180",
    "bar at rest": "By probe: bar as it stands",
    "trunnion faces": "By probe: faces of the trunnion",
    "table bore": "By probe: bore of the table",
    "flat sweep": "By probe: level of the table",
}


def _by_probe(machine: Machine, rotary: Rotary, way: ProbedWay) -> Guide:
    about, word = rotary.about, rotary.word
    names = list(_NEEDED[way])
    # Upright to both sides, as far as the axis goes.
    highest, lowest = (
        far if end is None else min(max(end - rotary.flat_deg, -_UPRIGHT), _UPRIGHT)
        for far, end in ((_UPRIGHT, rotary.highest_deg), (-_UPRIGHT, rotary.lowest_deg))
    )
    if way in ("bar", "bar at rest"):
        names += ["level", "depth"] if about == "z" else ["along"]
    labels = {
        "along": Asked("along", f"Touched at {about.upper()}"),
        "level": Asked("level", "Z of the bar's top" if way.startswith("bar") else "Z of the table's face, level"),
        "diameter": Asked("diameter", "Diameter of the bore" if way == "table bore" else "Diameter of the bar"),
        "edge": Asked("edge", "From the axis to the table's edge"),
        "depth": Asked("depth", "Touched below edge or top", begins="8 mm"),
        "apart": Asked("apart", "Touches so far apart"),
        "first_deg": Asked("first_deg", "First angle from level", "angle", f"{highest:g}"),
        "second_deg": Asked("second_deg", "Second angle from level", "angle", f"{lowest:g}"),
    }
    codes = tuple(code.code for code in codes_of(machine))
    offset = Asked("offset", "The centre goes into", "choice", codes[-1], choices=codes)
    guess = Asked("guess", "Believed to within", begins="2 mm")
    done = {
        "table bore": "The table is at level; nothing on it but what is touched.",
        "flat sweep": "Nothing on the table where it is touched. Go to the angle that comes out, and run it again.",
        "trunnion faces": "The table is swept flat and empty; its face is touched level, and from its open side at "
        "both angles.",
    }.get(way, "A straight ground bar is clamped, free where it is touched.")
    steps = (
        done,
        f"Copy the program and run it. It puts the offset on the believed centre and turns {word} by itself.",
        "It stops where the centre is further off than said.",
        "Paste what the variables hold afterwards, a line for each, as #500 = 1.234.",
    )
    return Guide(f"by probe: {way}", _PROBED_TITLES[way], (about,), steps, (*(labels[n] for n in names), guess, offset))


def probing_of(guide: Guide, typed: Mapping[str, str], unit: Unit) -> CentreProbing:
    """What the program of a way by probe is told, as it was typed.  Raises InvalidValueError that names the first that
    is missing or wrong."""
    data = {asked.key: value_of(asked, typed.get(asked.key, asked.begins).strip(), unit) for asked in guide.asked}
    try:
        return CentreProbing.model_validate(data | {"way": guide.kind.removeprefix("by probe: ")})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        label = next((asked.label for asked in guide.asked if asked.key == first["loc"][0]), guide.title)
        raise InvalidValueError(label, problem_words(first["msg"])) from error
