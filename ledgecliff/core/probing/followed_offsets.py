"""What every work offset must hold after each step of a plan, followed apart from the control's own arithmetic."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Array
from ..model.machine import Machine
from ..model.work_offsets import code_of
from .evaluation import in_frame, out_of_frame
from .results import Results
from .touches import AxisSetting, Step


@dataclass(frozen=True, eq=False)
class Frame:
    """A work offset: its zero (3,) in M (mm), and how far it is turned about Z (degrees)."""

    m_zero: Array
    turn_deg: float = 0.0

    def reads(self, m_point: Array) -> Array:
        return in_frame(m_point, self.m_zero, math.radians(self.turn_deg))

    def place(self, w_point: Array) -> Array:
        return out_of_frame(w_point, self.m_zero, math.radians(self.turn_deg))

    def making(self, m_point: Array, setting: AxisSetting) -> Frame:
        """The frame moved along the one axis of ``setting``, so that a point reads along it as that says."""
        along = np.zeros(3)
        along[AXES.index(setting.axis)] = self.reads(m_point)[AXES.index(setting.axis)] - setting.should_read
        return Frame(self.place(along), self.turn_deg)


class FollowedOffsets:
    """Every offset by its key, ``own`` the setup's; ``turns`` says that the programs turn offsets to a skew."""

    def __init__(self, machine: Machine, own: int, frames: Mapping[int, Frame], *, turns: bool) -> None:
        self._machine, self._own, self._turns = machine, own, turns
        self.frames = dict(frames)

    @property
    def own(self) -> Frame:
        """The setup's offset as the programs have brought it so far."""
        return self.frames[self._own]

    def step(self, step: Step, found: Results) -> Array:
        """Follows what a step sets from what it ``found``, read in the setup's own offset; how far (3,) the offset that
        is set goes from the setup's own (mm)."""
        code = code_of(self._machine, step.into) if step.into else None
        key = self._own if code is None else code.key
        own, frame = self.own, self.frames[key]
        place = own.place(np.array([found.get(axis, 0.0) for axis in AXES]))
        wanted = {setting.axis: setting.should_read for setting in step.sets}
        if step.sets_skew and {"x", "y"} <= wanted.keys():
            # The skew turns what is stated about the place that was found, whether the offset keeps the turn or not.
            turned = Frame(frame.m_zero, (own.turn_deg if self._turns else 0.0) + found["skew"])
            away = turned.place(np.array([wanted["x"], wanted["y"], 0.0])) - turned.m_zero
            zero = np.array([*(place - away)[:2], frame.m_zero[2]])
            frame = Frame(zero, turned.turn_deg if self._turns else frame.turn_deg)
        else:
            if self._turns and step.sets_skew:
                frame = Frame(frame.m_zero, own.turn_deg + found["skew"])
            elif self._turns and key != self._own and step.sets:
                frame = Frame(frame.m_zero, own.turn_deg)
            for setting in step.sets:
                if setting.axis != "z":
                    frame = frame.making(place, setting)
        for setting in step.sets:
            if setting.axis == "z":
                frame = frame.making(place, setting)
        self.frames[key] = frame
        gone: Array = frame.m_zero - own.m_zero
        return gone
