"""Rules about patterns: where their instances stand, in which offsets, and what comes of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from ..finding import Finding
from ..frames import Array
from ..many_parts.choices import Choice, compared
from ..many_parts.codes import codes_of_setup
from ..many_parts.measured_blanks import TooSmall, too_small_ends
from ..many_parts.reach import Reached, over_edge, reached
from ..many_parts.words import PROBED_WORDS, SCHOOL_WORDS
from ..model.pattern import Pattern
from ..neighbours import overlapping
from ..patterns.instances import SQUARE_DEG, Instance, code_key, pattern_of
from ..plan import Plan
from ..programs.targets import used_by
from ..quantities import said
from ..setup_plan import SetupPlan

#: So many instances are named where more are meant.
_FEW = 6
#: A face that leans more spoils the part (degrees).
_TOO_FAR_DEG = 0.05
#: Less beyond an edge is none (mm).
_NO_EDGE = 1e-6


def _patterned(plan: Plan) -> Iterator[tuple[SetupPlan, tuple[Instance, ...]]]:
    """Setups with a pattern of their own or of the setup before, and their instances."""
    for setup in plan.setups:
        if pattern_of(plan.job, setup.index) is not None:
            yield setup, plan.instances(setup.index)


def _named(names: Iterable[str]) -> str:
    """The first of them, and how many more."""
    every = list(names)
    shown = ", ".join(every[:_FEW])
    return shown if len(every) <= _FEW else f"{shown} and {len(every) - _FEW} more"


def instances_overlap(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        pairs = overlapping(setup.machine, plan.at_stations(setup.index))
        if pairs:
            name = setup.setup.name
            words = _named(f"{instances[a].name} and {instances[b].name}" for a, b in pairs)
            yield Finding(
                "INSTANCES_OVERLAP",
                "hazard",
                name,
                f"{name}: instances stand in one another with parts or clamps: {words}.",
                "Widen the pitch, turn clamps to another side, or take one of them out of the pattern.",
            )


def off_plate(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        name, at = setup.setup.name, plan.at_stations(setup.index)
        over = over_edge(setup, at)
        off = [(each, by) for each, by in zip(instances, over, strict=True) if by > _NO_EDGE]
        if off:
            most = max(by for _, by in off)
            yield Finding(
                "OFF_PLATE",
                "error",
                name,
                f"{name}: {_named(each.name for each, _ in off)} reach up to {said(most)} over the edge of "
                f"{setup.machine.fixture_at(setup.setup.station).name}: parts, pins or clamps have nothing under them.",
                "Move the pattern, narrow its pitch, or take a larger plate.",
            )


def off_table(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        table = setup.machine.table
        if table is None:
            continue
        low, high = np.array([table.left, table.front]), np.array([table.right, table.back])
        off = []
        for each in instances:
            if each.carrier == "table":
                m_low, m_high = _footprint(setup, each)
                off.append((each.name, float(np.max([low - m_low, m_high - high]))))
        most = max((by for _, by in off), default=0.0)
        if most > _NO_EDGE:
            yield Finding(
                "OFF_TABLE",
                "error",
                setup.setup.name,
                f"{setup.setup.name}: {_named(name for name, by in off if by > _NO_EDGE)} stand up to {said(most)} "
                "beyond the table's top.",
                "Move the pattern, or leave those places out.",
            )


def _footprint(setup: SetupPlan, each: Instance) -> tuple[Array, Array]:
    """Lowest and highest X and Y (2,) on the machine of an instance's part and what holds it there."""
    low, high = setup.near_box
    ends = low + np.array(list(np.ndindex(2, 2, 2))) * (high - low)
    m_ends = ends @ each.located.tf_m_u.turn.T + each.located.tf_m_u.shift
    return m_ends[:, :2].min(axis=0), m_ends[:, :2].max(axis=0)


def outside_travel(plan: Plan) -> Iterator[Finding]:
    """With every tool at every instance; one that is outside by its shift alone is told so."""
    for setup, instances in _patterned(plan):
        name, found = setup.setup.name, reached(plan, setup, instances)
        pattern = pattern_of(plan.job, setup.index)
        plain = [one for one in found if not one.by_shift]
        if plain:
            yield Finding(
                "INSTANCE_OUTSIDE_TRAVEL",
                "error",
                name,
                f"{name}: {_named(_told(plain))}: outside the machine's travel.",
                "Move the pattern or what carries it, or use a shorter tool there.",
            )
        shifted = [one for one in found if one.by_shift]
        if shifted and pattern is not None:
            yield Finding(
                "SHIFT_BEYOND_REACH",
                "error",
                name,
                f"{name}: by their shift alone {_named(_told(shifted))}: the tool does not get there.",
                "Check the shift's amount, sign and unit; else move the pattern.",
            )


def _told(found: list[Reached]) -> list[str]:
    return [f"{one.instance} with {one.what} {said(one.by)} beyond {one.axis.upper()}" for one in found]


def codes_short(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        codes = codes_of_setup(plan.job, setup.index)
        name = setup.setup.name
        if codes.short:
            yield Finding(
                "CODES_SHORT",
                "error",
                name,
                f"{name}: '{codes.school}' needs {codes.needed} work offsets, and {setup.machine.name} has "
                f"{len(codes.free)} for it: {codes.short} too few.",
                "Shift one offset from part to part, or state more offsets that the control has.",
            )
            continue
        missing = dict.fromkeys(each.name for each in instances if each.offset is None)
        if missing:
            yield Finding(
                "INSTANCE_WITHOUT_OFFSET",
                "error",
                name,
                f"{name}: no work offset is kept for {_named(missing)}.",
                "Let the offsets be given out again on the Table.",
            )


def offset_of_two(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        pattern, name = plan.job.setups[setup.index].pattern, setup.setup.name
        if pattern is None:
            continue
        keys: dict[str, dict[str, str]] = {}
        for each in instances:
            if each.offset is not None:
                keys.setdefault(each.offset, {}).setdefault(code_key(pattern, each.place), each.name)
        for code, users in keys.items():
            if len(users) > 1:
                yield Finding(
                    "OFFSET_OF_TWO",
                    "error",
                    name,
                    f"{name}: {_named(users.values())} all keep their zero in {code}; the last one to be found "
                    "overwrites the others.",
                    "Give each an offset of its own, or shift one for all of them.",
                    about=code,
                )
        if plan.job.codes == "one for all":
            continue
        own = {kept.offset for kept in pattern.codes}
        for other in plan.setups:
            mine = other.index != setup.index and other.setup.machine == setup.setup.machine
            if mine and (shared := sorted(own & used_by(plan.job.setups[other.index]))):
                yield Finding(
                    "OFFSET_OF_TWO",
                    "error",
                    name,
                    f"{name} and {other.setup.name} both keep zeros in {_named(shared)}; one overwrites the other.",
                    "Give one of them other offsets.",
                    about=other.setup.name,
                )


def leans(plan: Plan) -> Iterator[Finding]:
    """A face that does not come to lie as the master's: its axes stand otherwise, or it is out of square."""
    for setup, instances in _patterned(plan):
        off = {(each.face or each.carrier): each.leans_deg for each in instances if each.leans_deg > SQUARE_DEG}
        low, high = setup.holding.u_stock
        across = float(np.linalg.norm((high - low)[:2]))
        for face, leans_deg in off.items():
            name, far = setup.setup.name, leans_deg > _TOO_FAR_DEG
            yield Finding(
                "FACE_LEANS",
                "error" if far else "warning",
                name,
                f"{name}: {face} leans {leans_deg:.3f}° off how the master lies; across the part that is "
                f"{said(across * float(np.sin(np.radians(leans_deg))))}.",
                "Correct where the rotary axes stand for that face." if far else "Square the face, or allow for it.",
                about=face,
            )


def shift_cannot_turn(plan: Plan) -> Iterator[Finding]:
    for setup, instances in _patterned(plan):
        pattern, name = pattern_of(plan.job, setup.index), setup.setup.name
        turned = [each.name for each in instances if abs(each.turned_deg) > SQUARE_DEG]
        if pattern is not None and pattern.school == "local shifts" and turned:
            yield Finding(
                "SHIFT_CANNOT_TURN",
                "error",
                name,
                f"{name}: {_named(turned)} stand turned from the offset that they share, and a local shift turns "
                "nothing.",
                "Give each an offset of its own, let the ring's stations stay parallel, or let the toolpath program "
                "have the positions.",
            )


def shift_before_recut(plan: Plan) -> Iterator[Finding]:
    for setup in plan.setups:
        pattern = plan.job.setups[setup.index].pattern
        for group in pattern.groups if pattern is not None else ():
            recut = group.stale_since()
            if recut is not None:
                when = f"is from {group.shifted_on}" if group.shifted_on else "has no day"
                yield Finding(
                    "SHIFT_BEFORE_RECUT",
                    "warning",
                    setup.setup.name,
                    f"{setup.setup.name}: the shift of {group.name} {when}, and its face was cut again on {recut.on}, "
                    f"{said(recut.depth)} deep.",
                    "Enter the re-cut on the group, which shifts it, or measure it again.",
                    about=group.key,
                )


def started_again(plan: Plan) -> Iterator[Finding]:
    for setup in plan.setups:
        pattern = plan.job.setups[setup.index].pattern
        if pattern is None:
            continue
        again = {each.place for each in pattern.instances if each.finished_before and each.state == "on"}
        names = [each.name for each in plan.instances(setup.index) if each.key in again]
        if names:
            yield Finding(
                "STARTED_AGAIN",
                "warning",
                setup.setup.name,
                f"{setup.setup.name}: {_named(names)} were finished in this load and are to be run again.",
                "Mark them as finished, or begin a new load.",
            )


def blank_too_small(plan: Plan) -> Iterator[Finding]:
    """Blanks that were measured, where they are clamped."""
    for setup, instances in _patterned(plan):
        pattern, small = plan.job.setups[setup.index].pattern, dict[str, TooSmall]()
        if pattern is None:
            continue
        for each in instances:
            if each.measured is None or each.state != "on":
                continue
            ends = too_small_ends(setup, pattern, each.measured.sizes())
            if ends:
                small[each.name] = max(ends, key=lambda end: end.lacks)
        if small:
            worst = max(small, key=lambda name: small[name].lacks)
            end, name = small[worst], setup.setup.name
            side = ("minus " if end.sign < 0 else "plus ") + end.axis.upper()
            yield Finding(
                "INSTANCE_TOO_SMALL",
                "error",
                name,
                f"{name}: the blanks of {_named(small)} are measured too small to clean up; that of {worst} lacks "
                f"{said(end.lacks)} at {side}.",
                "Skip them, put other blanks there, or take the values of their group (Stock, blanks that differ).",
            )


def more_than_next_takes(plan: Plan) -> Iterator[Finding]:
    """Parts that come out of a setup against those that the next one takes, in the loads that are planned."""
    if all(setup.pattern is None for setup in plan.job.setups):
        return
    made = [_made(plan, setup) for setup in plan.setups]
    for setup, before, takes in zip(plan.setups[1:], made, made[1:], strict=False):
        if before > takes and not plan.stays_clamped(setup.index):
            last = plan.setups[setup.index - 1].setup.name
            yield Finding(
                "MORE_PARTS_WAITING",
                "warning",
                setup.setup.name,
                f"{setup.setup.name} takes {takes} parts in the loads planned, and {before} come from {last}: "
                f"{before - takes} are left waiting.",
                "Plan more loads of it, or more stations.",
            )


def _made(plan: Plan, setup: SetupPlan) -> int:
    pattern = pattern_of(plan.job, setup.index)
    running = sum(each.state != "skipped" for each in plan.instances(setup.index))
    return running * (pattern.loads if pattern is not None else 1)


def offset_each(plan: Plan) -> Iterator[Finding]:
    """Whether it pays that every instance is found by itself, by the error budget."""
    for setup, _ in _patterned(plan):
        pattern, told = pattern_of(plan.job, setup.index), compared(plan, setup)
        now = next((each for each in told.choices if pattern is not None and _is_of(each, pattern)), None)
        if told.asked is None or now is None:
            continue
        name, asked = setup.setup.name, told.asked
        limit = (
            f"{asked.whose} allows {said(asked.limit)}" if asked.whose else f"{said(asked.limit)} is left to clean up"
        )
        own = next((each for each in told.choices if each.probed == "every one"), None)
        best = None if told.best is None else told.choices[told.best]
        if now.keeps is False and own is not None and own.keeps:
            yield Finding(
                "OFFSET_EACH_PAYS",
                "warning",
                name,
                f"{name}: its instances come within {said(now.expanded)} of their places, and {limit}; every one "
                f"probed in an offset of its own, they come within {said(own.expanded)}, for {own.needed} offsets and "
                f"{own.minutes - now.minutes:.1f} min a load.",
                "Give each an offset of its own and probe every one, on the table's offsets and probing.",
            )
        elif now is own and best is not None and best is not now and best.keeps:
            yield Finding(
                "OFFSET_EACH_DOES_NOT_PAY",
                "note",
                name,
                f"{name}: every instance is probed in an offset of its own, which comes within {said(now.expanded)}; "
                f"with {SCHOOL_WORDS[best.school]}, {PROBED_WORDS[best.probed]}, they come within "
                f"{said(best.expanded)}, and {limit}: {now.minutes - best.minutes:.1f} min a load and "
                f"{now.needed - best.needed} offsets less.",
                "Let them share, on the table's offsets and probing.",
            )


def _is_of(choice: Choice, pattern: Pattern) -> bool:
    """Whether a choice is how a pattern has it now; places in the toolpath program share one offset too."""
    school = "own each" if pattern.school == "own each" else "local shifts"
    return (choice.school, choice.probed) == (school, pattern.probed)


RULES = (
    instances_overlap,
    off_plate,
    off_table,
    outside_travel,
    codes_short,
    offset_of_two,
    leans,
    shift_cannot_turn,
    shift_before_recut,
    started_again,
    blank_too_small,
    more_than_next_takes,
    offset_each,
)
