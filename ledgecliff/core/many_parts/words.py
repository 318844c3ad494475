"""What is said of instances, offsets and choices beside the table, with lengths to be spelled."""

from __future__ import annotations

from ..budget.pair import Enters
from ..model.pattern import Probed, School
from ..patterns.instances import Instance
from ..quantities import said, said_signed
from .choices import Choice, Compared
from .codes import Codes

#: So many of what enters are told.
_TOLD = 3
SCHOOL_WORDS: dict[School, str] = {
    "own each": "an offset of its own each",
    "local shifts": "one offset, local shifts",
    "in the program": "one offset, places in the toolpath program",
}
PROBED_WORDS: dict[Probed, str] = {
    "every one": "every one probed",
    "first of the load": "the first of the load probed",
    "none": "none probed",
}


def instance_words(each: Instance) -> str:
    """One instance in a line: its number, state, offset and how far that is shifted for it."""
    state = {"on": "", "skipped": f"skipped: {each.reason}", "finished": "finished"}[each.state]
    shift = each.located.local_shift
    away = " ".join(f"{axis} {said_signed(float(mm))}" for axis, mm in zip("XYZ", shift, strict=True) if abs(mm) > 1e-9)
    known = each.measured.sizes() if each.measured is not None else {}
    blank = "blank " + " ".join(f"{axis.upper()} {said(mm)}" for axis, mm in known.items()) if known else ""
    group = "" if each.place.group == "all" else each.group_name
    words = (each.name, state, each.offset or "no offset yet", away, blank, group)
    return "  ·  ".join(filter(None, words))


def codes_words(codes: Codes) -> str:
    """A school with how many offsets it needs and how many there are."""
    fits = f"needs {codes.needed}, {len(codes.free)} free"
    return f"{SCHOOL_WORDS[codes.school]}: {fits}" + (f" — {codes.short} too few" if codes.short else "")


def compared_words(told: Compared) -> str:
    """Every choice in a line, the one that suits best marked, and what was asked."""
    lines = []
    if told.asked is None:
        lines.append("No tolerance and no raw side says how near an instance must lie: the cheapest will do.")
    elif told.asked.what == "tolerance":
        lines.append(f"{told.asked.whose} allows {said(told.asked.limit)}.")
    else:
        lines.append(f"{said(told.asked.limit)} are left to clean up.")
    lines += [_choice_words(each, best=k == told.best) for k, each in enumerate(told.choices)]
    worst = max(told.choices, key=lambda each: each.expanded).pair
    told_sources = [f"{each.source.name} {said(each.u)}" + _assumed(each) for each in worst.enters[:_TOLD]]
    lines.append("Most of it at worst: " + "; ".join(told_sources) + " (standard deviations).")
    return "\n".join(lines)


def _assumed(enters: Enters) -> str:
    return ", assumed" if enters.source.scatter.origin == "assumed" else ""


def _choice_words(each: Choice, *, best: bool) -> str:
    mark = "▸" if best else "  "
    keeps = {True: "", False: " — not near enough", None: ""}[each.keeps]
    few = "" if each.enough else " — too few offsets"
    return (
        f"{mark} {SCHOOL_WORDS[each.school]}, {PROBED_WORDS[each.probed]}: within {said(each.expanded)}, "
        f"{each.minutes:.1f} min, {each.needed} offset{'s' if each.needed > 1 else ''}{keeps}{few}"
    )
