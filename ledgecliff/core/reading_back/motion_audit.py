"""Whether a probing program moves as one may: guarded wherever something can stand, at the feeds that are planned."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..frames import Array
from ..model.machine import Machine
from ..probing.touches import Touch
from ..simulator.machine import Motion, SimulatedMachine, TouchRecord

#: Places count as on a line, and heights as the top of the travel, to within this (mm); feeds to within this share.
_ON, _SAME_FEED = 0.02, 0.01
#: A slow touch may end this far past a fast one (mm).
_PAST = 0.5
#: A slow touch begins at least this share of the back-off before the surface.
_BACKED_OFF = 0.7


def moves_amiss(
    machine: Machine, unit: SimulatedMachine, motions: Sequence[Motion], m_clear: float, *, away_words: bool
) -> list[str]:  # fmt: skip
    """In words what is wrong with the ``motions`` of one program, and with how it leaves the machine.

    The gauge line may move fast at the top of the travel, and on its way up there from ``m_clear`` on; unguarded, it
    may go back and forth along the line of the last contact, once that is left by a word for it where the control has
    ``away_words``.  Everything else must be guarded.
    """
    top, travel = machine.travel_max.z, machine.probe.travel_feed
    amiss: list[str] = []
    contact: Motion | None = None
    first = touching = True
    for motion in motions:
        start, end = np.array(motion.start), np.array(motion.end)
        up = end[2] >= start[2] - _ON and np.hypot(*(end - start)[:2]) < _ON
        at_top = min(start[2], end[2]) >= top - _ON
        on_its_way_up = up and end[2] >= top - _ON and (start[2] >= m_clear - _ON or first)
        if motion.kind == "rapid" and not at_top and not on_its_way_up:
            amiss.append(f"line {motion.line}: a fast move below the top of the travel")
        way = motion.contact is None and motion.kind in ("feed", "guarded")
        if way and not math.isclose(motion.feed, travel, rel_tol=_SAME_FEED):
            amiss.append(f"line {motion.line}: a way at a feed of {motion.feed:.0f} instead of {travel:.0f}")
        if motion.kind == "feed" and not _along(contact, start, end, machine.probe.back_off):
            amiss.append(f"line {motion.line}: a move that nothing protects")
        if away_words and touching and not first and motion.kind in ("feed", "rapid"):
            amiss.append(f"line {motion.line}: the ball leaves a surface by a move that is not for that")
        first, touching = False, motion.contact is not None
        if motion.contact is not None and not _along(contact, start, end, machine.probe.back_off):
            contact = motion  # the slow touch, on the line of the fast one, begins nearer
    if unit.position[2] < top - _ON:
        amiss.append("at the end the probe is not at the top of the travel")
    if machine.probe.off_word and unit.probe_on:
        amiss.append("at the end the probe is still switched on")
    if unit.spindle_on:
        amiss.append("at the end the spindle turns")
    return amiss


def _along(contact: Motion | None, start: Array, end: Array, back_off: float) -> bool:
    """Whether a move stays on the line of the last contact, between a back-off before its start and where it ended."""
    if contact is None:
        return False
    first, last = np.array(contact.start), np.array(contact.end)
    length = float(np.linalg.norm(last - first))
    if length < _ON:
        return False
    way = (last - first) / length
    for place in (start, end):
        along = float((place - first) @ way)
        aside = float(np.linalg.norm(place - first - along * way))
        if aside > _ON or along < -back_off - _ON or along > length + _PAST:
            return False
    return True


def starts_amiss(
    machine: Machine, motions: Sequence[Motion], m_starts: Array, wanted: Sequence[tuple[Touch, int]], away: float
) -> list[str]:  # fmt: skip
    """Searches that do not begin where they are planned to, and slow touches that begin against the surface.

    ``m_starts`` (N, 3) are the ball's lowest points where each wanted touch begins, of which each has so many stages.
    """
    met = [motion for motion in motions if motion.contact is not None]
    amiss, at = [], 0
    for m_start, (touch, count) in zip(m_starts, wanted, strict=True):
        if at < len(met):
            tip = np.array(met[at].start) - (0.0, 0.0, machine.probe.length)
            if float(np.linalg.norm(m_start - tip)) > away:
                amiss.append(f"line {met[at].line}: a search that does not begin where it is planned to")
        if count > 1 and at + 1 < len(met):
            slow = met[at + 1]
            if math.dist(slow.start, slow.end) < _BACKED_OFF * touch.feeds.back_off:
                amiss.append(f"line {slow.line}: a slow touch that begins against the surface")
        at += count
    return amiss


def places_amiss(machine: Machine, motions: Sequence[Motion], m_places: Array, away: float) -> list[str]:
    """Guarded ways that end where none is planned; ``m_places`` (N, 3) are those of the ball's lowest point, each to
    within ``away`` (mm)."""
    amiss = []
    for motion in motions:
        if motion.kind != "guarded" or motion.contact is not None:
            continue
        tip = np.array(motion.end) - (0.0, 0.0, machine.probe.length)
        if not len(m_places) or float(np.linalg.norm(m_places - tip, axis=1).min()) > away:
            amiss.append(f"line {motion.line}: a way that ends where none is planned")
    return amiss


def feeds_amiss(wanted: Sequence[tuple[Touch, int]], records: Sequence[TouchRecord]) -> list[str]:
    """Where searches and slow touches do not run at their feeds; each wanted touch has so many stages."""
    amiss = []
    planned = [
        touch.feeds.touch if stages == 2 and k else touch.feeds.search
        for touch, stages in wanted
        for k in range(stages)
    ]
    for feed, record in zip(planned, records, strict=False):
        if not math.isclose(record.feed, feed, rel_tol=_SAME_FEED):
            amiss.append(f"line {record.line}: touches at a feed of {record.feed:.0f} instead of {feed:.0f}")
    return amiss
