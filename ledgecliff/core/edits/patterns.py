"""Edits of patterns: how the stations are laid out, what is on, what shifts and why."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

import numpy as np

from ..changing import set_value
from ..errors import InvalidValueError
from ..frames import Axis
from ..model.base import Model, Point
from ..model.job import Job
from ..model.pattern import (
    Grid,
    Group,
    Layout,
    Listed,
    MeasuredBlank,
    OfInstance,
    OnFace,
    Pattern,
    Recut,
    Ring,
    State,
)
from ..model.stations import IndexAngle, Mount, Rotary
from ..patterns.instances import Instance
from ..patterns.places import recut_group
from ..places import stands_at, station_of, tf_m_carrier
from ..quantities import Unit
from ..typed import parse_length

#: A layout that is begun leaves this much between what stands there (mm).
_SPARE = 10.0
#: What moves a rotary axis.
AxisWord = Literal["A", "B", "C"]
#: A face comes to lie as another one where it agrees with it to this (sine of one degree): what little it leans as it
#: was measured is a finding's to tell.
_ALIKE = 0.0175
#: Full turns make no difference but for rounding.
_NO_BETTER = 1e-9


def path_of(setup: int) -> tuple[str | int, ...]:
    return ("setups", setup, "pattern")


def pattern_in(job: Job, setup: int) -> Pattern:
    """A setup's pattern; one station where it has none."""
    return job.setups[setup].pattern or Pattern()


def with_pattern(job: Job, setup: int, **fields: object) -> Job:
    """The job with fields of a setup's pattern set; the pattern begins with the first of them.

    Raises InvalidValueError for what none can be.
    """
    data = {name: fields.get(name, getattr(pattern_in(job, setup), name)) for name in Pattern.model_fields}
    # Plain all through: what is a model already would not be looked at again.
    return set_value(job, path_of(setup), _plain(data))


def _plain(value: object) -> object:
    if isinstance(value, Model):
        return _plain(dict(value))
    if isinstance(value, dict):
        return {name: _plain(each) for name, each in value.items()}
    return [_plain(each) for each in value] if isinstance(value, tuple | list) else value


def without_pattern(job: Job, setup: int) -> Job:
    """The setup at its one station again."""
    return set_value(job, path_of(setup), None)


def first_layout(kind: str, room: tuple[float, float]) -> Layout:
    """A layout of a kind to begin with: two stations with ``room`` (mm along X and Y) for each."""
    pitch = room[0] + _SPARE
    if kind == "ring":
        return Ring(count=4, middle_y=max(pitch, room[1] + _SPARE), step_deg=90.0, turns_along=True)
    return Listed() if kind == "list" else Grid(columns=2, column_pitch=pitch, row_pitch=room[1] + _SPARE)


def typed_layout(text: str, unit: Unit) -> Layout:
    """A grid as it is typed: ``5 x 2, 74, 118``, columns by rows, pitches along X and Y; or a ring,
    ``ring 6, 0, 90, 60``: how many, its middle from the master, and the angle of a step; ``parallel`` after it where
    its stations do not turn along.  Raises InvalidValueError."""
    words = [word.strip() for word in text.replace(";", ",").split(",")]
    head = words[0].lower().replace("×", "x").split()
    if head[:1] == ["ring"] and len(head) == 2 and head[1].isdecimal() and len(words) in (4, 5):
        parallel = len(words) == 5
        if not parallel or words[4].lower() == "parallel":
            x, y = (parse_length(word, unit) for word in words[1:3])
            step = _degrees(words[3])
            return _checked(Ring, count=int(head[1]), middle_x=x, middle_y=y, step_deg=step, turns_along=not parallel)
    counts = "".join(head).split("x")
    if len(counts) == 2 and all(count.isdecimal() for count in counts) and len(words) == 3:
        pitches = [parse_length(word, unit) for word in words[1:]]
        return _checked(
            Grid, columns=int(counts[0]), rows=int(counts[1]), column_pitch=pitches[0], row_pitch=pitches[1]
        )
    raise InvalidValueError(
        "pattern", f"'{text}' is no grid or ring; say it as '5 x 2, 74, 118' or 'ring 6, 0, 90, 60' (parallel)"
    )


def _checked(kind: type[Grid] | type[Ring], **fields: object) -> Layout:
    from pydantic import ValidationError

    from ..changing import problem_words

    try:
        return kind.model_validate(fields)
    except ValidationError as error:
        raise InvalidValueError("pattern", problem_words(error.errors(include_url=False)[0]["msg"])) from error


def _degrees(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise InvalidValueError("pattern", f"'{text}' is no angle; give degrees") from None


# --- instances ------------------------------------------------------------------------------------


def with_state(job: Job, setup: int, places: Iterable[str], state: State, reason: str = "") -> Job:
    """Instances on, skipped (and why) or finished.  One that is on again after it was finished says so."""
    now = {each.place: each for each in pattern_in(job, setup).instances}
    for place in places:
        own = now.get(place) or OfInstance(place=place)
        again = state == "on" and (own.state == "finished" or own.finished_before)
        why = reason if state == "skipped" else ""
        now[place] = own.model_copy(update={"state": state, "reason": why, "finished_before": again})
    return with_pattern(job, setup, instances=_said(now.values()))


def with_new_load(job: Job, setup: int) -> Job:
    """All that was finished is on again with new blanks; what is skipped stays so."""
    fresh = {"finished_before": False, "measured": None}
    now = [
        each.model_copy(update=fresh | ({} if each.state == "skipped" else {"state": "on"}))
        for each in pattern_in(job, setup).instances
    ]
    return with_pattern(job, setup, instances=_said(now))


def with_instance_shift(job: Job, setup: int, place: str, axis: Axis, mm: float) -> Job:
    """An instance's own shift along one axis of what carries it."""
    return with_instance(job, setup, place, shift=_with(own_of(job, setup, place).shift, axis, mm))


def with_measured(job: Job, setup: int, places: Iterable[str], axis: Axis, mm: float | None) -> Job:
    """The size of blanks along one axis of the setup as it was measured; None: it is not known any more."""
    for place in places:
        now = own_of(job, setup, place).measured or MeasuredBlank()
        known = now.model_copy(update={axis: None if mm is None else round(mm, 6)})
        job = with_instance(job, setup, place, measured=None if known == MeasuredBlank() else known)
    return job


def own_of(job: Job, setup: int, place: str) -> OfInstance:
    return pattern_in(job, setup).at(place) or OfInstance(place=place)


def with_instance(job: Job, setup: int, place: str, **fields: object) -> Job:
    """What is particular of one instance, with fields set."""
    now = {each.place: each for each in pattern_in(job, setup).instances}
    now[place] = own_of(job, setup, place).model_copy(update=fields)
    return with_pattern(job, setup, instances=_said(now.values()))


def _said(instances: Iterable[OfInstance]) -> tuple[OfInstance, ...]:
    """Those of which anything is said."""
    return tuple(each for each in instances if each != OfInstance(place=each.place))


def nudged(job: Job, setup: int, places: Sequence[str], by: tuple[float, float, float]) -> Job:
    """Instances moved by so much (mm) in the frame of what carries each."""
    for place in places:
        shift = own_of(job, setup, place).shift
        x, y, z = (round(a + b, 6) for a, b in zip(shift.as_tuple(), by, strict=True))
        # What is too far, or no number, is refused with the rest of the pattern.
        job = with_instance(job, setup, place, shift=Point.model_construct(x=x, y=y, z=z))
    return job


# --- groups ---------------------------------------------------------------------------------------


def with_group(job: Job, setup: int, key: str, called: str, /, **fields: object) -> Job:
    """A group with fields set; it is ``called`` so where nobody has named it."""
    pattern = pattern_in(job, setup)
    now: dict[str, object] = {group.key: group for group in pattern.groups}
    group = now.get(key) or Group(key=key, name=called)
    now[key] = {**dict(group), **fields}  # type: ignore[call-overload]
    return with_pattern(job, setup, groups=tuple(now.values()))


def with_group_shift(job: Job, setup: int, key: str, name: str, axis: Axis, mm: float, day: str | None) -> Job:
    """A group's shift along one axis, found on that ``day``."""
    group = pattern_in(job, setup).group(key)
    shift = group.shift if group is not None else Point(x=0.0, y=0.0, z=0.0)
    return with_group(job, setup, key, name, shift=_with(shift, axis, mm), shifted_on=day)


def with_recut(job: Job, setup: int, key: str, name: str, recut: Recut) -> Job:
    """A group after one of its locating faces was cut again: shifted, and its record longer."""
    group = pattern_in(job, setup).group(key) or Group(key=key, name=name)
    after = recut_group(group, recut)
    return with_group(
        job, setup, key, name, shift=after.shift, shifted_on=after.shifted_on, recuts=after.recuts
    )  # fmt: skip


def typed_recut(text: str, unit: Unit, day: str, reason: str = "") -> Recut:
    """A re-cut as it is typed: where the face looks and how deep it was cut, such as ``-Y 0.2``.  Raises
    InvalidValueError."""
    looks, _, depth = text.strip().partition(" ")
    if looks.upper() not in ("+X", "-X", "+Y", "-Y", "+Z", "-Z"):
        raise InvalidValueError("recut", f"'{looks}' is no way a face looks; give one such as -Y and the depth: -Y 0.2")
    mm = parse_length(depth, unit)
    if mm <= 0.0:
        raise InvalidValueError("recut", "the depth is how much was cut off, above nought; the sign follows by itself")
    return Recut.model_validate({"looks": looks.upper(), "depth": mm, "on": day, "reason": reason})


def with_over_groups(job: Job, setup: int, operation: str, *, over: bool) -> Job:
    """An operation that runs over a whole group in one sweep, or at each instance.  Raises InvalidValueError where it
    is not there."""
    names = [each.name for each in job.setups[setup].operations]
    if operation not in names:
        raise InvalidValueError("operation", f"there is no '{operation}'; there are {', '.join(names) or 'none'}")
    now = set(pattern_in(job, setup).over_groups) - {operation} | ({operation} if over else set())
    return with_pattern(job, setup, over_groups=tuple(name for name in names if name in now))


# --- what a stop and a miss cost, where the table ends ---------------------------------------------


def with_costs(job: Job, setup: int, text: str) -> Job:
    """What decides the window for presence and seat, as it is typed: what a stop costs, what a miss, and which share of
    parts lies wrong, such as ``1, 50, 0.01`` or ``1, 50, 1%``; nothing for those that are assumed.  Raises
    InvalidValueError."""
    path = ("setups", setup, "probing", "costs")
    if not text.strip():
        return set_value(job, path, None)
    words = [word.strip() for word in text.replace(";", ",").split(",")]
    if len(words) != 3:
        raise InvalidValueError("costs", "give what a stop costs, what a miss costs, and the share that lies wrong")
    try:
        stop, miss = float(words[0]), float(words[1])
        wrong = float(words[2].removesuffix("%")) / (100.0 if words[2].endswith("%") else 1.0)
    except ValueError:
        raise InvalidValueError("costs", f"'{text}' is not three numbers; write 1, 50, 1%") from None
    return set_value(job, path, {"stop": stop, "miss": miss, "wrong": wrong})


def costs_words(job: Job, setup: int) -> str:
    """What ``with_costs`` takes."""
    costs = job.setups[setup].probing.costs
    return "" if costs is None else f"{costs.stop:g}, {costs.miss:g}, {costs.wrong * 100.0:g}%"


def with_table_stated(job: Job, machine: int) -> Job:
    """The machine's table as large as its travel, to be corrected: nobody has said where it ends."""
    low, high = job.machines[machine].travel_min, job.machines[machine].travel_max
    top = {"left": low.x, "right": high.x, "front": low.y, "back": high.y}
    return set_value(job, ("machines", machine, "table"), top)


# --- faces ----------------------------------------------------------------------------------------


def faces_for(job: Job, setup: int) -> tuple[tuple[Mount, OnFace | None], ...]:
    """Every face or pallet besides the master's where a setup may stand once more, with how: the rotary axes turned so
    that it lies as the master's does; None where they cannot be."""
    own = job.setups[setup]
    machine = job.machine_of(own)
    master = station_of(machine, own)
    mounts = [each for each in machine.carriers if isinstance(each, Mount) and each.id != master.on]
    return tuple((mount, _like_master(job, setup, mount)) for mount in mounts)


def _like_master(job: Job, setup: int, mount: Mount) -> OnFace | None:
    own = job.setups[setup]
    machine = job.machine_of(own)
    master = station_of(machine, own)
    there = master.model_copy(update={"on": mount.id})
    wanted = tf_m_carrier(machine, master, own.index).turn
    axes = [each for each in machine.carried_by(there) if isinstance(each, Rotary)]
    stand = {each.word: stands_at(each, own.index) for each in axes}
    tries = [stand]
    for axis in axes if all(each.sense is not None for each in axes) else ():
        tries += [stand | {axis.word: angle} for angle in _angles(job, setup, mount, axis, stand)]
    best, least = None, _ALIKE
    for angles in tries:
        index = tuple(IndexAngle(word=axis.word, degrees=angles[axis.word]) for axis in axes)
        off = float(np.abs(tf_m_carrier(machine, there, index).turn - wanted).max())
        if off < least - _NO_BETTER and all(axis.reaches(angles[axis.word]) for axis in axes):
            best, least = OnFace(carrier=mount.id, index=index), off
    return best


def _angles(job: Job, setup: int, mount: Mount, axis: Rotary, stand: dict[AxisWord, float]) -> list[float]:
    """Where one axis must stand, the others as they do, so that a face lies as the master's: what is left of its turn
    is one about that axis."""
    own = job.setups[setup]
    machine = job.machine_of(own)
    master = station_of(machine, own)
    there = master.model_copy(update={"on": mount.id})
    index = tuple(IndexAngle(word=each, degrees=angle) for each, angle in stand.items())
    left = tf_m_carrier(machine, master, own.index).turn @ tf_m_carrier(machine, there, index).turn.T
    along = tf_m_carrier(machine, axis, index).turn[:, "xyz".index(axis.about)]
    cross = np.array([left[2, 1] - left[1, 2], left[0, 2] - left[2, 0], left[1, 0] - left[0, 1]])
    sine, cosine = float(cross @ along) / 2.0, (float(np.trace(left)) - 1.0) / 2.0
    angle = float(np.degrees(np.arctan2(sine, cosine))) * (-1.0 if axis.sense == "left-handed" else 1.0)
    start = stand[axis.word] + round(angle, 6)
    return [turned for turned in (start, start + 360.0, start - 360.0) if -360.0 <= turned <= 360.0]


# --- what they are called by ----------------------------------------------------------------------


def places_named(instances: Sequence[Instance], names: Iterable[str]) -> tuple[str, ...]:
    """The keys of instances by what they are called.  Raises InvalidValueError where there is none."""
    by_name = {each.name: each.key for each in instances}
    strange = next((name for name in names if name not in by_name), None)
    if strange is not None:
        raise InvalidValueError("instance", f"there is no '{strange}'; there are {', '.join(by_name)}")
    return tuple(by_name[name] for name in names)


def group_named(instances: Sequence[Instance], name: str) -> tuple[str, str]:
    """Key and name of a group by what it is called.  Raises InvalidValueError where there is none."""
    groups = {each.group_name: each.place.group for each in instances}
    if name not in groups:
        raise InvalidValueError("group", f"there is no '{name}'; there are {', '.join(groups)}")
    return groups[name], name


def _with(point: Point, axis: Axis, mm: float) -> Point:
    return point.model_copy(update={axis: mm})
