"""Instances: every station of a setup's pattern worked out, with its place, its work offset and its local shift.

The frame of what holds the master is put to each station in turn, so that all of it goes along rigidly: what the setup
is worked out in lies at ``tf_m_u`` of the instance, and a place of its WCS at ``E_i + T_i (w + local shift)``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..carried import stays_clamped
from ..frames import Array, Placement
from ..locating import Clamping, Located
from ..model.job import Job
from ..model.machine import Machine
from ..model.pattern import MeasuredBlank, OnFace, Pattern, School, State
from ..model.setup import Setup
from ..model.stations import IndexAngle, Mount, Rotary, Station
from ..places import rotaries_under, station_of, tf_m_station
from .places import Place, group_words, places_of, station_at

#: What is left of angles that add up to none (degrees).
_NO_TURN_DEG = 1e-9
#: An instance whose WCS leans off the master's by more is out of square (degrees).
SQUARE_DEG = 0.001


@dataclass(frozen=True, eq=False)
class Instance:
    """One station of a setup's pattern.

    ``carrier`` is what it stands on, as it is called, and ``face`` the face of it where that has several.  ``located``
    says where it stands, the axes at ``index``; ``tf_m_master`` takes places on the machine from where the master has
    them, and ``m_zero`` (3,) is where the zero of its WCS lies, at its index.  ``offset`` is None where no code is kept
    for it yet.  ``w_from_base`` (3,) is how far that zero lies from the one that its face or group shares, or would
    share, which ``turned_deg`` is its turn about Z from; ``leans_deg`` is how far its WCS leans off the master's.
    ``group_name`` and ``name`` are what people call it.
    """

    place: Place
    name: str
    group_name: str
    carrier: str
    face: str
    station: Station
    index: tuple[IndexAngle, ...]
    located: Located
    tf_m_master: Placement
    m_zero: Array
    w_from_base: Array
    offset: str | None
    turned_deg: float
    leans_deg: float
    state: State = "on"
    reason: str = ""
    note: str = ""
    #: Its blank as it was measured.
    measured: MeasuredBlank | None = None
    #: Whether its offset serves others too.
    shares: bool = False

    @property
    def key(self) -> str:
        return self.place.key

    @property
    def is_on(self) -> bool:
        return self.state == "on"


def pattern_of(job: Job, number: int) -> Pattern | None:
    """The pattern of a setup: its own, or where its part stays clamped that of the setup before, which has no offsets
    of its own then."""
    setup = job.setups[number]
    if setup.pattern is not None or not number:
        return setup.pattern
    before = job.setups[number - 1]
    indexed = stays_clamped(before, setup) and rotaries_under(job.machine_of(setup), setup)
    if not indexed or job.bench_before(number):
        return None
    pattern = pattern_of(job, number - 1)
    if pattern is None:
        return None
    faces = tuple(_further(face, before, setup) for face in pattern.faces)
    return pattern.model_copy(update={"faces": faces, "codes": (), "over_groups": ()})


def _further(face: OnFace, before: Setup, after: Setup) -> OnFace:
    """A face with the axes turned on as they are from one setup to the next."""

    def at(index: tuple[IndexAngle, ...], word: str) -> float:
        return next((angle.degrees for angle in index if angle.word == word), 0.0)

    words = dict.fromkeys(angle.word for angle in (*before.index, *after.index, *face.index))
    index = tuple(
        IndexAngle(
            word=word, degrees=math.fmod(at(face.index, word) + at(after.index, word) - at(before.index, word), 360)
        )
        for word in words
    )
    return face.model_copy(update={"index": index})


@lru_cache(maxsize=256)
def instances_of(machine: Machine, pattern: Pattern | None, clamping: Clamping) -> tuple[Instance, ...]:
    """Every instance of a setup, in the order in which they are counted; the setup itself where it has no pattern."""
    setup = clamping.setup
    if pattern is None:
        pattern = Pattern()
    master = station_of(machine, setup)
    tf_m_master = tf_m_station(machine, master, setup.index)
    names = {carrier.id: carrier.name for carrier in machine.carriers}
    bases: dict[str, Located] = {}
    found = []
    for place in places_of(pattern):
        index = setup.index if place.face is None else place.face.index
        station = station_at(pattern, place, master)
        tf = tf_m_station(machine, station, index).after(tf_m_master.inverse())
        offset = _offset(pattern, setup, place)
        located = _located(tf, clamping, place.key, offset or "")
        m_zero, key = located.m_offset, _base_key(pattern, place)
        if key not in bases:
            bases[key] = _base(machine, pattern, clamping, place, master)
        turned_deg = math.remainder(located.turn_deg - bases[key].turn_deg, 360.0)
        from_base = _from_base(bases[key], located)
        if pattern.school != "own each":
            located = from_base
        own = pattern.at(place.key)
        carrier, face = _carried(machine, station)
        on_face = names.get(place.face.carrier if place.face is not None else master.on or "", "")
        notes = [each.note for each in (pattern.group(place.group), own) if each is not None and each.note]
        found.append(
            Instance(
                place=place,
                name=place.name,
                group_name=group_words(pattern, place.group, on_face if pattern.faces else ""),
                carrier=carrier,
                face=face,
                station=station,
                index=index,
                located=located,
                tf_m_master=tf,
                m_zero=m_zero,
                w_from_base=from_base.local_shift,
                offset=offset,
                turned_deg=turned_deg,
                leans_deg=_leans_deg(tf),
                state=own.state if own is not None else "on",
                reason=own.reason if own is not None else "",
                note="; ".join(notes),
                measured=own.measured if own is not None else None,
                shares=pattern.school != "own each",
            )
        )
    return tuple(found)


def _carried(machine: Machine, station: Station) -> tuple[str, str]:
    """What a station stands on, and the face of it where a rotary axis takes several along."""
    chain = machine.carried_by(station)
    axis = next((each for each in reversed(chain) if isinstance(each, Rotary)), None)
    if not chain:
        return "table", ""
    if axis is None:
        return chain[0].name, ""
    return axis.name, chain[0].name if isinstance(chain[0], Mount) else ""


def _base_key(pattern: Pattern, place: Place) -> str:
    """What shares one offset where not each place has its own.  A group is on one face at most."""
    if pattern.one_each == "face":
        return place.of_face
    face = place.of_face
    return f"{face} {place.group}"


def code_key(pattern: Pattern, place: Place) -> str:
    """Under which key the offset of a place is kept."""
    return place.key if pattern.school == "own each" else _base_key(pattern, place)


def _offset(pattern: Pattern, setup: Setup, place: Place) -> str | None:
    key = code_key(pattern, place)
    return setup.offset if key == master_key(pattern) else pattern.code(key)


@lru_cache(maxsize=256)
def master_key(pattern: Pattern) -> str:
    """The key of the master's own offset, which is the setup's."""
    return code_key(pattern, next(place for place in places_of(pattern) if is_master(place)))


def keys_of(pattern: Pattern, school: School) -> tuple[str, ...]:
    """What each offset is kept for in a ``school``, the master's first."""
    pattern = pattern if pattern.school == school else pattern.model_copy(update={"school": school})
    first = master_key(pattern)
    return tuple(dict.fromkeys((first, *(code_key(pattern, place) for place in places_of(pattern)))))


def is_master(place: Place) -> bool:
    return place.face is None and place.column == 1 and place.row == 1


def _located(tf: Placement, clamping: Clamping, station: str, code: str) -> Located:
    tf_m_u = tf.after(clamping.located.tf_m_u)
    turn_deg = math.degrees(math.atan2(float(tf_m_u.turn[1, 0]), float(tf_m_u.turn[0, 0])))
    turn_deg = 0.0 if abs(turn_deg) < _NO_TURN_DEG else turn_deg
    return Located(station, tf_m_u, tf(clamping.located.m_offset), turn_deg, code, np.zeros(3))


def _base(machine: Machine, pattern: Pattern, clamping: Clamping, place: Place, master: Station) -> Located:
    """Where the one offset of a face or group has its zero: at its first station, without shifts, so that what is read
    of the shift of an instance is all of it."""
    key = _base_key(pattern, place)
    first = next(each for each in _by_column(pattern) if _base_key(pattern, each) == key)
    index = clamping.setup.index if first.face is None else first.face.index
    station = station_at(pattern, first, master, np.zeros(3))
    tf_m_master = tf_m_station(machine, master, clamping.setup.index)
    tf = tf_m_station(machine, station, index).after(tf_m_master.inverse())
    return _located(tf, clamping, "", "")


def _by_column(pattern: Pattern) -> list[Place]:
    """The places as they lie, whichever way they are counted: the master first."""
    faces = [None, *(face.carrier for face in pattern.faces)]
    return sorted(
        places_of(pattern),
        key=lambda place: (faces.index(None if place.face is None else place.face.carrier), place.row, place.column),
    )


def _from_base(base: Located, own: Located) -> Located:
    """The place of an instance in an offset that others share: its local shift is along that offset's axes."""
    shift = base.tf_m_u.turn.T @ (own.m_offset - base.m_offset)
    return Located(own.station, own.tf_m_u, base.m_offset, base.turn_deg, own.code, shift)


def _leans_deg(tf: Placement) -> float:
    """How far (degrees) what stood upright leans after ``tf``."""
    return math.degrees(math.atan2(float(np.hypot(*tf.turn[:2, 2])), float(tf.turn[2, 2])))
