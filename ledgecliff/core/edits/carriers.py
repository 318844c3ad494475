"""What carries fixtures: pallets, a tombstone's faces, a trunnion's table, their bodies, and faces as they measure."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np

from ..changing import Path, free_name, set_value
from ..errors import InvalidValueError
from ..frames import rotation
from ..model.base import Point
from ..model.carrier_body import BoxBody, CarrierBody, ColumnBody, RoundBody
from ..model.job import Job
from ..model.machine import Machine
from ..model.stations import AxisTurn, Carrier, Mount, Rotary
from ..places import face_on_axis, tf_m_carrier
from ..quantities import Unit
from ..typed import parse_length
from .free_ids import free_id

#: Sizes to begin with, which a rule corrects (mm): a pallet, and the table and cradle of a trunnion.
_PALLET = (300.0, 200.0, 20.0)
_TABLE, _TABLE_THICK, _ARM, _GAP = 240.0, 40.0, 40.0, 20.0


def mounts(machine: Machine) -> tuple[Mount, ...]:
    return tuple(each for each in machine.carriers if isinstance(each, Mount))


def carrier_path(job: Job, machine: int, carrier: str) -> Path:
    """The path of a carrier of that id, which the caller has."""
    ids = [each.id for each in job.machines[machine].carriers]
    return ("machines", machine, "carriers", ids.index(carrier))


def with_pallet(job: Job, machine: int, on: str | None = None) -> Job:
    """The job with a pallet on the table, or on a carrier, its top's middle at the zero of what carries it."""
    stated = job.machines[machine]
    length, width, thick = _PALLET
    body = BoxBody(
        name="pallet", low=_point(-length / 2.0, -width / 2.0, -thick), high=_point(length / 2.0, width / 2.0, 0.0)
    )
    under = next((each for each in stated.carriers if each.id == on), None)
    at = under.centre if isinstance(under, Rotary) else _point(0.0, 0.0, 0.0)
    return _with(job, machine, (_mount(stated, "pallet", on, at, (), (body,)),))


def with_tombstone(job: Job, machine: int, axis: str, faces: int, distance: float, along: tuple[float, float]) -> Job:
    """The job with a tombstone on a rotary axis: a column with so many ``faces``, each ``distance`` from the axis, from
    one place ``along`` it to another (mm, as the machine counts), and a mount for each that is called by the angle at
    which it looks to the spindle.

    Raises InvalidValueError where the axis turns about Z, so that no face can look to the spindle; where its sense is
    not known, which decides which face comes at which angle; or for sizes that make no column.
    """
    stated = job.machines[machine]
    rotary = next(each for each in stated.carriers if each.id == axis)
    assert isinstance(rotary, Rotary), "the caller has an axis"
    low, high = along
    if rotary.about == "z":
        raise InvalidValueError(
            "tombstone", f"'{rotary.name}' turns about Z, along the spindle: none of its faces would look there"
        )
    if rotary.sense is None:
        raise InvalidValueError(
            "tombstone", f"which way '{rotary.name}' turns is not known: that decides which face comes at which angle"
        )
    if not 3 <= faces <= 24:
        raise InvalidValueError("faces", f"a column has 3 to 24 of them, not {faces}")
    if distance <= 0.0 or high <= low:
        raise InvalidValueError("tombstone", "its faces stand off the axis, and its top lies beyond its foot")
    k = "xyz".index(rotary.about)
    foot = np.zeros(3)
    foot[k] = low - rotary.centre.as_tuple()[k]
    column = ColumnBody(
        name="column", at=_point(*foot), along=rotary.about, length=high - low, faces=faces, distance=distance
    )
    hand = -1.0 if rotary.sense == "left-handed" else 1.0
    made: list[Mount] = []
    for number in range(faces):
        degrees = 360.0 * number / faces
        # Turned back by as much as the axis will bring it to the spindle.
        back = -hand * degrees
        out = rotation(rotary.about, back) @ np.array([0.0, 0.0, distance])
        at = np.array(rotary.centre.as_tuple()) + out
        at[k] = (low + high) / 2.0
        name = f"face at {rotary.word}{rotary.flat_deg + degrees:g}"
        turned = (AxisTurn(about=rotary.about, degrees=back),) if degrees else ()
        made.append(_mount(stated, name, axis, _point(*at), turned, (), made))
    job = _with(job, machine, made)
    return set_value(job, (*carrier_path(job, machine, axis), "bodies"), (*rotary.bodies, column))


def with_trunnion_table(job: Job, machine: int, table: str) -> Job:
    """The job with bodies for a turntable that a tilting axis carries: the table's round, and a cradle of two arms and
    what joins them beneath.  Sizes are to begin with.  Raises InvalidValueError where no rotary axis carries it, or
    both turn about one machine axis."""
    stated = job.machines[machine]
    top = next(each for each in stated.carriers if each.id == table)
    assert isinstance(top, Rotary), "the caller has an axis"
    tilting = next((each for each in stated.carried_by(top) if isinstance(each, Rotary)), None)
    if tilting is None or tilting.about == top.about or top.about != "z":
        raise InvalidValueError(
            "trunnion table", f"'{top.name}' turns about Z and stands on an axis that tilts it; say what carries it"
        )
    disc = RoundBody(name="top", at=_point(0, 0, -_TABLE_THICK), along="z", length=_TABLE_THICK, diameter=_TABLE)
    k = "xy".index(tilting.about)
    # From the tilting axis's centre to the table's: arms stand to either side of it.
    middle = np.array(top.centre.as_tuple()) - np.array(tilting.centre.as_tuple())
    reach, half = _TABLE / 2.0 + _GAP, _ARM * 1.5
    under = float(middle[2]) - _TABLE_THICK - _GAP

    def block(name: str, ends: tuple[float, float], heights: tuple[float, float]) -> BoxBody:
        low, high = middle.copy(), middle.copy()
        low[k], high[k] = middle[k] + ends[0], middle[k] + ends[1]
        low[1 - k], high[1 - k] = -half, half
        low[2], high[2] = heights
        return BoxBody(name=name, low=_point(*low), high=_point(*high))

    foot, head = under - _ARM, max(half, under + half)
    cradle = (
        block("first arm", (-reach - _ARM, -reach), (foot, head)),
        block("second arm", (reach, reach + _ARM), (foot, head)),
        block("bed", (-reach, reach), (foot, under)),
    )
    job = set_value(job, (*carrier_path(job, machine, table), "bodies"), (*top.bodies, disc))
    return set_value(job, (*carrier_path(job, machine, tilting.id), "bodies"), (*tilting.bodies, *cradle))


def with_tombstone_typed(job: Job, machine: int, axis: str, text: str, unit: Unit) -> Job:
    """``with_tombstone`` from one line: faces, distance, and from where to where along the axis.  Raises
    InvalidValueError for anything else."""
    words = [word.strip() for word in text.replace(";", ",").split(",")]
    if len(words) != 4 or not words[0].isdecimal():
        raise InvalidValueError(
            "tombstone", "say faces, distance from the axis, and from where to where along it, such as 4, 150, -60, 360"
        )
    distance, low, high = (parse_length(word, unit) for word in words[1:])
    return with_tombstone(job, machine, axis, int(words[0]), distance, (low, high))


def turns_in_words(mount: Mount) -> str:
    return ", ".join(f"{turn.about.upper()} {turn.degrees:.10g}" for turn in mount.turned)


def with_turns_typed(job: Job, machine: int, mount: str, text: str) -> Job:
    """The job with a mount turned as it is typed: a machine axis and an angle, one turn after the other.  Raises
    InvalidValueError for anything else."""
    turned = []
    for word in filter(None, (word.strip() for word in text.replace(";", ",").split(","))):
        match = re.fullmatch(r"([XYZxyz])\s*([+-]?\d+\.?\d*)", word)
        if match is None:
            raise InvalidValueError("turned", f"'{word}' is no turn; say about which axis and how far, such as Y -90")
        turned.append({"about": match[1].lower(), "degrees": float(match[2])})
    return set_value(job, (*carrier_path(job, machine, mount), "turned"), tuple(turned))


def with_body(job: Job, machine: int, carrier: str, body: CarrierBody) -> Job:
    """The job with one more body of a carrier.  Raises InvalidValueError where that has one of this name."""
    path = carrier_path(job, machine, carrier)
    bodies = job.machines[machine].carriers[int(path[3])].bodies
    if body.name in [each.name for each in bodies]:
        raise InvalidValueError("body", f"there is a '{body.name}' there already; call it otherwise")
    return set_value(job, (*path, "bodies"), (*bodies, body))


def new_body(carrier: Carrier, kind: str) -> CarrierBody:
    """A body to begin with, of a kind, under a name that is free."""
    name = free_name(kind, [each.name for each in carrier.bodies])
    if kind == "round":
        return RoundBody(name=name, at=_point(0, 0, -20), along="z", length=20, diameter=100)
    if kind == "column":
        return ColumnBody(name=name, at=_point(0, 0, 0), along="z", length=200, faces=4, distance=50)
    return BoxBody(name=name, low=_point(-50, -50, -20), high=_point(50, 50, 0))


def without_body(job: Job, machine: int, carrier: str, name: str) -> Job:
    path = carrier_path(job, machine, carrier)
    bodies = job.machines[machine].carriers[int(path[3])].bodies
    return set_value(job, (*path, "bodies"), tuple(each for each in bodies if each.name != name))


def without_mount(job: Job, machine: int, mount: str) -> Job:
    """The job without a pallet or a face.  Raises InvalidValueError where something stands on it."""
    stated = job.machines[machine]
    on_it = [each.name for each in (*stated.stations, *stated.carriers) if each.on == mount]
    if on_it:
        raise InvalidValueError("carrier", f"'{on_it[0]}' stands on it; put that elsewhere first")
    return set_value(
        job, ("machines", machine, "carriers"), tuple(each for each in stated.carriers if each.id != mount)
    )


def with_distance(job: Job, machine: int, mount: str, mm: object) -> Job:
    """The job with a face that was measured so far from the axis that takes it along; it keeps its place otherwise, and
    what stands on it goes with it.  Raises InvalidValueError where no axis does, or for what is no distance."""
    path = carrier_path(job, machine, mount)
    stated = job.machines[machine]
    face = stated.carriers[int(path[3])]
    assert isinstance(face, Mount), "the caller has a mount"
    found = face_on_axis(stated, face)
    if found is None:
        raise InvalidValueError("distance", f"no rotary axis turns '{face.name}' that it does not look along")
    if not isinstance(mm, int | float) or not math.isfinite(mm):
        raise InvalidValueError("distance", f"'{mm}' is no length")
    m_at, m_centre, m_out = found
    moved = m_at + (float(mm) - float((m_at - m_centre) @ m_out)) * m_out
    at = tf_m_carrier(stated, face).inverse()(moved)
    x, y, z = (round(float(value), 6) for value in at)
    return set_value(job, (*path, "at"), Point(x=x, y=y, z=z))


def _mount(
    machine: Machine,
    name: str,
    on: str | None,
    at: Point,
    turned: Sequence[AxisTurn],
    bodies: Sequence[CarrierBody],
    more: Sequence[Mount] = (),
) -> Mount:
    name = free_name(name, [each.name for each in (*machine.carriers, *more)])
    return Mount(
        id=free_id(machine, "mount", name), name=name, on=on, at=at, turned=tuple(turned), bodies=tuple(bodies)
    )


def _with(job: Job, machine: int, more: Sequence[Mount]) -> Job:
    return set_value(job, ("machines", machine, "carriers"), (*job.machines[machine].carriers, *more))


def _point(x: float, y: float, z: float) -> Point:
    return Point(x=float(x), y=float(y), z=float(z))
