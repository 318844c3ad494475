"""The places of a pattern: where its stations lie from the master, how they are counted, and which group each is in.

``m_i = place of the master + pattern step + shift of its group + its own shift``, all in the frame of what carries it;
a re-cut face with outward normal ``n`` moves its group by ``-d n``.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..frames import Array, rotation
from ..model.base import Point
from ..model.orientation import direction_vector
from ..model.pattern import Grid, Group, Listed, Numbering, OnFace, Pattern, Recut, Ring
from ..model.stations import IndexAngle, Station
from ..quantities import said


@dataclass(frozen=True)
class Place:
    """``key`` says which place it is, ``group`` what it shifts with, ``number`` how it is counted and ``name`` how it
    is called; ``face`` is the other face it stands on, None where that is the master's.  ``column`` and ``row`` count
    from 1, along the ring or the list where it is no grid."""

    key: str
    group: str
    number: int
    name: str
    face: OnFace | None
    column: int
    row: int

    @property
    def of_face(self) -> str:
        """The key of its face: what shares one index of the rotary axes."""
        return _on(self.face, "face")


def _on(face: OnFace | None, key: str) -> str:
    return key if face is None else f"{face.carrier}/{key}"


@lru_cache(maxsize=256)
def places_of(pattern: Pattern) -> tuple[Place, ...]:
    """Every place, in the order in which they are counted."""
    numbering, found = pattern.numbering, list[Place]()
    owner = {place: group.key for group in pattern.groups for place in group.places}
    for nth, face in enumerate((None, *pattern.faces), start=1):
        first = numbering.first if numbering.each_face_anew else numbering.first + len(found)
        for number, (key, column, row) in enumerate(_counted(pattern), start=first):
            whole = _on(face, key)
            count = f"{nth}.{number}" if numbering.each_face_anew and pattern.faces else f"{number}"
            group = _group_of(pattern, face, whole, column, row, owner)
            found.append(Place(whole, group, number, f"{numbering.prefix}{count}", face, column, row))
    return tuple(found)


def _group_of(
    pattern: Pattern, face: OnFace | None, key: str, column: int, row: int, owner: dict[str, str]
) -> str:  # fmt: skip
    match pattern.grouped_by:
        case "rows":
            return _on(face, f"row {row}")
        case "columns":
            return _on(face, f"column {column}")
        case "faces":
            return _on(face, "face")
        case "own":
            return owner.get(key, "all")
        case "all":
            return "all"


def _counted(pattern: Pattern) -> Iterator[tuple[str, int, int]]:
    """Key, column and row of the places of one face, in the order in which they are counted."""
    match pattern.layout:
        case Grid() as grid:
            yield from ((f"{column}-{row}", column, row) for column, row in _along(grid, pattern.numbering))
        case Ring(count=count):
            yield from ((f"{k}", k, 1) for k in range(1, count + 1))
        case Listed(places=places):
            yield from (("home" if k == 1 else places[k - 2].id, k, 1) for k in range(1, len(places) + 2))


def _along(grid: Grid, numbering: Numbering) -> Iterator[tuple[int, int]]:
    """Columns and rows as they are counted.  Right and back are as they lie before the grid is turned: a pitch below
    nought goes to the other side."""
    columns, rows = list(range(1, grid.columns + 1)), list(range(1, grid.rows + 1))
    if numbering.from_right != (grid.column_pitch < 0.0):
        columns.reverse()
    if numbering.from_back != (grid.row_pitch < 0.0):
        rows.reverse()
    by_rows = numbering.along == "rows"
    inner, outer = (columns, rows) if by_rows else (rows, columns)
    for k, other in enumerate(outer):
        back = numbering.to_and_fro and k % 2 == 1
        for each in reversed(inner) if back else inner:
            yield (each, other) if by_rows else (other, each)


def group_words(pattern: Pattern, key: str, face_name: str) -> str:
    """What a group is called: its own name, else what it consists of."""
    group = pattern.group(key)
    if group is not None:
        return group.name
    bare = key.rpartition("/")[2]
    if bare == "face":
        return face_name or "master's face"
    return f"{bare} of {face_name}" if face_name and bare != "all" else bare


def recut_moves(recut: Recut) -> Array:
    """How far (3,) a part comes to lie elsewhere by a face that was cut again: ``-d n``."""
    moved: Array = -recut.depth * direction_vector(recut.looks)
    return moved + 0.0


def shift_of(pattern: Pattern, place: Place) -> Array:
    """The shift (3,) of a place's group and its own, in the frame of what carries it (mm)."""
    group, own = pattern.group(place.group), pattern.at(place.key)
    shifts = [each.shift.as_tuple() for each in (group, own) if each is not None]
    return np.sum(shifts, axis=0) if shifts else np.zeros(3)


def station_at(pattern: Pattern, place: Place, master: Station, shift: Array | None = None) -> Station:
    """The station of a place, which stands where the pattern has it, moved by its ``shift`` (3,); by that of its group
    and its own where none is named."""
    at, turn_deg = np.array(master.at.as_tuple()), master.turn_deg
    key = place.key.rpartition("/")[2]
    match pattern.layout:
        case Grid() as grid:
            step = np.array([(place.column - 1) * grid.column_pitch, (place.row - 1) * grid.row_pitch, 0.0])
            at = at + rotation("z", grid.turn_deg) @ step
        case Ring() as ring:
            turned_deg = (place.column - 1) * ring.step_deg
            middle = at + np.array([ring.middle_x, ring.middle_y, 0.0])
            at = middle + rotation("z", turned_deg) @ (at - middle)
            turn_deg += turned_deg if ring.turns_along else 0.0
        case Listed(places=places):
            listed = next((each for each in places if each.id == key), None)
            if listed is not None:
                at, turn_deg = at + np.array(listed.step.as_tuple()), turn_deg + listed.turn_deg
    at = at + (shift_of(pattern, place) if shift is None else shift)
    x, y, z = (float(value) for value in at)
    on = master.on if place.face is None else place.face.carrier
    return master.model_copy(update={"at": Point(x=x, y=y, z=z), "turn_deg": math.remainder(turn_deg, 360.0), "on": on})


def stands(
    pattern: Pattern, master: Station, index: tuple[IndexAngle, ...]
) -> tuple[tuple[Station, tuple[IndexAngle, ...]], ...]:
    """Every station of a pattern whose master stands there, each with where its rotary axes are."""
    return tuple(
        (station_at(pattern, place, master), index if place.face is None else place.face.index)
        for place in places_of(pattern)
    )


def recut_group(group: Group, recut: Recut) -> Group:
    """The group after one of its faces was cut again: shifted, and its record longer."""
    x, y, z = (round(float(value), 6) for value in np.array(group.shift.as_tuple()) + recut_moves(recut))
    update = {"shift": Point(x=x, y=y, z=z), "shifted_on": recut.on, "recuts": (*group.recuts, recut)}
    return group.model_copy(update=update)


def recut_words(recut: Recut) -> str:
    """What a re-cut does, with the sign worked out and why, in words with lengths to be spelled."""
    sides = {"X": ("left", "right"), "Y": ("front", "back"), "Z": ("down", "up")}[recut.looks[1]]
    plus = recut.looks[0] == "+"
    looks, moves = (sides[1], sides[0]) if plus else sides
    way = {"left": "to the left", "right": "to the right", "front": "to the front", "back": "to the back"}.get(
        moves, moves
    )
    sign = "-" if plus else "+"
    return (
        f"The face looks {_LOOKS[looks]} ({recut.looks}). Cut {said(recut.depth)} deeper, it stands that much further "
        f"back, and the parts that rest against it move {said(recut.depth)} {way}: {recut.looks[1]} {sign}"
        f"{said(recut.depth)}."
    )


_LOOKS = {"left": "left", "right": "right", "front": "to the front", "back": "to the back", "up": "up", "down": "down"}
