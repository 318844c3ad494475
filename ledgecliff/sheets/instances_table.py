"""What a sheet has of a setup that stands many times: the table as it stands, and each instance with a box to tick."""

from __future__ import annotations

from typing import Any

from markupsafe import Markup

from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.many_parts.codes import codes_of_setup
from ledgecliff.core.many_parts.listing import index_words
from ledgecliff.core.many_parts.words import PROBED_WORDS, SCHOOL_WORDS
from ledgecliff.core.patterns.instances import pattern_of
from ledgecliff.core.patterns.places import recut_words
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit

from .svg import svg

#: How high the pictures may be, as seen from the spindle and from the front (pixels of the page).
_HIGH = (340.0, 300.0)


def instances_table(plan: Plan, number: int, unit: Unit, width: float) -> dict[str, Any] | None:
    """None for a setup that stands once."""
    pattern = pattern_of(plan.job, number)
    if pattern is None:
        return None
    setup, instances = plan.setups[number], plan.instances(number)
    drawings = table_views(plan, setup.machine, f"station-{setup.setup.station}")
    return {
        "pictures": [
            {"name": drawing.name, "svg": Markup(svg(drawing, unit, width, high))}
            for drawing, high in zip(drawings, _HIGH, strict=True)
        ],
        "school": SCHOOL_WORDS[pattern.school],
        "probed": PROBED_WORDS[pattern.probed],
        "needed": codes_of_setup(plan.job, number, ()).needed,
        "missing": pattern.missing,
        "seating": pattern.seating,
        "loads": pattern.loads,
        "over_groups": pattern.over_groups,
        "rows": [
            {
                "name": each.name,
                "state": {"on": "", "skipped": f"skipped: {each.reason}", "finished": "finished"}[each.state],
                "is_on": each.is_on,
                "group": "" if each.place.group == "all" else each.group_name,
                "face": each.face,
                "index": index_words(each),
                "offset": each.offset or "NONE YET",
                "zero": [float(value) for value in each.m_zero],
                "local": [float(value) for value in each.located.local_shift],
            }
            for each in instances
        ],
        "groups": [
            {"name": group.name, "shift": group.shift.as_tuple(), "on": group.shifted_on, "note": group.note,
             "recuts": [f"{recut.on}: {recut_words(recut)} {recut.reason}" for recut in group.recuts]}
            for group in pattern.groups
        ],
    }  # fmt: skip
