"""Rotary axes of a machine, what stands on them, and where they stand while a setup is clamped."""

from __future__ import annotations

import numpy as np

from ..changing import Path, changed, set_value
from ..errors import InvalidValueError
from ..frames import AXES, Axis
from ..model.base import Point
from ..model.job import Job
from ..model.machine import Machine
from ..model.stations import Happened, Mishap, Rotary
from ..places import rotaries_under, tf_m_carrier, tf_m_station
from ..touchoff.centres import CentreFound
from .free_ids import free_id

#: Which machine axis the axis of a word usually turns about.
_ABOUT: tuple[tuple[str, Axis], ...] = (("A", "x"), ("B", "y"), ("C", "z"))


def rotaries(machine: Machine) -> tuple[Rotary, ...]:
    return tuple(each for each in machine.carriers if isinstance(each, Rotary))


def with_rotary(job: Job, machine: int) -> Job:
    """The job with one more rotary axis on the table of a machine.  Nothing about it is known: its sense is not said,
    and its centre, on the machine's zero, is assumed.  Raises InvalidValueError when all words are taken."""
    carriers = job.machines[machine].carriers
    taken = {each.word for each in rotaries(job.machines[machine])}
    free = next((pair for pair in _ABOUT if pair[0] not in taken), None)
    if free is None:
        raise InvalidValueError("rotary axes", "A, B and C are there already; change one of them")
    word, about = free
    at = Point(x=0.0, y=0.0, z=0.0)
    axis = Rotary(
        id=free_id(job.machines[machine], "axis", word), name=f"axis {word}", word=word, about=about, centre=at,
        origin="assumed",
    )  # fmt: skip
    return set_value(job, ("machines", machine, "carriers"), (*carriers, axis))


def without_rotary(job: Job, machine: int, axis: str) -> Job:
    """The job without a rotary axis.  Raises InvalidValueError where something stands on it."""
    stated = job.machines[machine]
    on_it = [each.name for each in (*stated.stations, *stated.carriers) if each.on == axis]
    if on_it:
        raise InvalidValueError("rotary axis", f"'{on_it[0]}' stands on it; put that elsewhere first")
    return set_value(job, ("machines", machine, "carriers"), tuple(each for each in stated.carriers if each.id != axis))


def happened_to(job: Job, machine: int, axis: str, what: Mishap, day: str) -> Job:
    """The job with what has happened to a rotary axis on a day."""
    number, rotary = next((k, each) for k, each in enumerate(job.machines[machine].carriers) if each.id == axis)
    assert isinstance(rotary, Rotary), "the caller has an axis"
    happened = (*rotary.happened, Happened(what=what, on=day))
    return set_value(job, ("machines", machine, "carriers", number, "happened"), happened)


def with_sense(job: Job, machine: int, axis: str, sense: str | None, day: str) -> Job:
    """The job with which way a rotary axis was seen to turn on a day; None: nobody knows."""
    number = [each.id for each in job.machines[machine].carriers].index(axis)
    path = ("machines", machine, "carriers", number)
    rotary = job.machines[machine].carriers[number]
    return set_value(job, path, rotary.model_dump() | {"sense": sense, "sense_seen_on": day if sense else None})


def clamping_words(rotary: Rotary) -> str:
    return f"{rotary.free_word}, {rotary.clamp_word}" if rotary.free_word else ""


def with_clamping_words(job: Job, path: Path, text: str) -> Job:
    """The job with the words that free and clamp the axis at a path, typed one after the other; none where nothing is.
    Raises InvalidValueError where there is only one, or they are the same."""
    rotary = job.machines[int(path[1])].carriers[int(path[3])]
    assert isinstance(rotary, Rotary), "the caller has an axis"
    words = [word.strip().upper() for word in text.replace(";", ",").split(",") if word.strip()]
    if words and (len(words) != 2 or words[0] == words[1]):
        raise InvalidValueError(
            "freed, clamped", "there must be a word that frees it and another that clamps it, such as M78, M79"
        )
    free, clamp = words or ("", "")
    return set_value(job, path, rotary.model_dump() | {"free_word": free, "clamp_word": clamp})


def with_centre(job: Job, machine: int, axis: str, found: CentreFound, day: str) -> Job:
    """The job with what was found of a rotary axis on a day: coordinates of its centre, how and how well, or its level;
    of a test cut whose shift still stands in place that alone.  Raises InvalidValueError where it lies another way, or
    something is still to be done for it."""
    stated = job.machines[machine]
    number, rotary = next((k, each) for k, each in enumerate(stated.carriers) if each.id == axis)
    assert isinstance(rotary, Rotary), "the caller has an axis"
    path = ("machines", machine, "carriers", number)
    if found.shift:
        return set_value(job, (*path, "shift_in_place"), found.shift)
    if found.left:
        raise InvalidValueError("centre", found.left)
    if found.flat_deg is not None:
        job = set_value(job, (*path, "flat_deg"), round(found.flat_deg, 6))
        return set_value(job, (*path, "flat_swept_on"), day)
    if rotary.about in dict(found.centre):
        raise InvalidValueError(
            "centre", f"'{rotary.name}' lies along {rotary.about.upper()}, along which it has none; choose another axis"
        )
    beneath = tf_m_carrier(stated, rotary)
    m_centre = beneath(np.array(rotary.centre.as_tuple()))
    for each, value in found.centre:
        m_centre[AXES.index(each)] = value
    x, y, z = (round(float(value), 6) for value in beneath.inverse()(m_centre))
    update = {"centre": Point(x=x, y=y, z=z), "uncertainty": round(found.uncertainty, 6), "origin": found.origin,
              "found_on": day, "shift_in_place": 0.0}  # fmt: skip
    return set_value(job, path, rotary.model_copy(update=update))


def stand_on(job: Job, machine: int, station: str, on: str | None) -> Job:
    """The job with a station on a carrier, or on the table, where it is with all axes at nought; setups there keep the
    angles of axes that still carry them.  Raises InvalidValueError where that carrier stands tilted."""
    stated = job.machines[machine]
    number = next(k for k, each in enumerate(stated.stations) if each.id == station)
    old = stated.stations[number]
    new = old.model_copy(update={"on": on})
    tf_new = tf_m_carrier(stated, new).inverse().after(tf_m_station(stated, old))
    if tf_new.turn[2, 2] < 1.0 - 1e-9:
        raise InvalidValueError("stands on", "that stands tilted to where the fixture is; choose another")
    turn_deg = float(np.degrees(np.arctan2(tf_new.turn[1, 0], tf_new.turn[0, 0])))
    x, y, z = (float(value) for value in tf_new.shift)
    new = new.model_copy(update={"at": Point(x=x, y=y, z=z), "turn_deg": turn_deg})
    stations = (*stated.stations[:number], new, *stated.stations[number + 1 :])
    moved = stated.model_copy(update={"stations": stations})
    words = {each.word for each in moved.carried_by(new) if isinstance(each, Rotary)}
    setups = tuple(
        setup.model_copy(update={"index": tuple(angle for angle in setup.index if angle.word in words)})
        if (setup.machine, setup.station) == (stated.id, station)
        else setup
        for setup in job.setups
    )
    machines = (*job.machines[:machine], moved, *job.machines[machine + 1 :])
    return changed(job, {"machines": machines, "setups": setups})


def stand_at(job: Job, setup: int, word: str, degrees: object) -> Job:
    """The job with a rotary axis standing at an angle while a setup is clamped.  Raises InvalidValueError where that is
    none, or where its sense is not known."""
    held = job.setups[setup]
    kept: dict[str, object] = {angle.word: angle.degrees for angle in held.index} | {word: degrees}
    words = [each.word for each in reversed(rotaries_under(job.machine_of(held), held))]
    index = tuple({"word": each, "degrees": kept[each]} for each in words if each in kept)
    return set_value(job, ("setups", setup, "index"), index)
