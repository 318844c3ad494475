"""Where things stand: stations on the table or on what carries them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..frames import Axis
from .base import Day, Length, Model, Name, NonNegativeLength, Point
from .carrier_body import CarrierBody
from .identity import Id
from .machine_words import SwitchWord

#: How the centre of a rotary axis was found.
CentreOrigin = Literal[
    "stated by the builder",
    "bar at 0 and 180",
    "bar at rest",
    "trunnion faces",
    "table bore",
    "spigot by hand",
    "test cut",
    "measured part",
    "assumed",
]

Degrees = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
#: How far out of square a face may be measured (degrees).
Tilt = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Bodies = Annotated[tuple[CarrierBody, ...], Field(max_length=40)]
#: How far an axis may go round and be wound up (degrees).
WoundDegrees = Annotated[float, Field(ge=-36000, le=36000, allow_inf_nan=False)]
#: What happens to a rotary axis, or its machine, after which its centre is no longer where it was found.
Mishap = Literal["crash", "re-levelled", "remounted"]
#: How the control takes the word: each turn counts, the nearer way round, or a minus sign for going there backwards.
WayRound = Literal["counts turns", "nearer way", "sign is the way"]


class AxisTurn(Model):
    """A right-handed turn about a machine axis."""

    about: Axis
    degrees: Degrees


class Station(Model):
    """Where a fixture stands: its zero lies ``at`` there, and it is turned about Z by ``turn_deg``.

    Both are in the frame of what carries it, which ``on`` names: the machine's own (as the gauge line would read
    touching there) on the table, and on a rotary axis as long as all of them are at nought.
    """

    id: Id
    name: Name
    fixture: Name
    at: Point
    turn_deg: Degrees = 0.0
    on: Id | None = None


class Mount(Model):
    """What carries stations and stays as it is: a pallet, a plate, a face of a tombstone.

    Its own frame lies ``at`` in that of what carries it, turned by ``turned``, one turn after the other.  As it was
    measured, on the day ``measured_on``, it stands out of that by ``tilt_x_deg`` about its own X and then
    ``tilt_y_deg`` about its own Y, right-handed.  ``bodies`` are what it is made of.
    """

    kind: Literal["mount"] = "mount"
    id: Id
    name: Name
    on: Id | None = None
    at: Point
    turned: Annotated[tuple[AxisTurn, ...], Field(max_length=6)] = ()
    tilt_x_deg: Tilt = 0.0
    tilt_y_deg: Tilt = 0.0
    measured_on: Day | None = None
    bodies: Bodies = ()

    @property
    def turns(self) -> tuple[AxisTurn, ...]:
        """How it stands turned in all, one turn after the other: first out of itself, then as it was put there."""
        tilts = (("x", self.tilt_x_deg), ("y", self.tilt_y_deg))
        measured = (AxisTurn.model_validate({"about": axis, "degrees": tilt}) for axis, tilt in tilts if tilt)
        return (*measured, *self.turned)


class Happened(Model):
    """What happened to an axis, and on which day."""

    what: Mishap
    on: Day


class Rotary(Model):
    """A rotary axis: the ``word`` that moves it, the machine axis it turns ``about``, and what carries it.

    ``centre`` is a place on its axis of rotation, all rotary axes at nought: in machine coordinates, or in the frame of
    the mount that it stands on.  ``uncertainty`` (plus or minus, mm) says how well that is known, ``origin`` how it
    was found and ``found_on`` when; None where nobody has said.  ``happened`` is what makes a centre found before it
    stale.  Right-handed is as seen on the part; nobody may turn by an axis whose ``sense`` is not known, which was seen
    on the day ``sense_seen_on``.  ``flat_deg`` is the word's value that counts as nought, last swept flat
    ``flat_swept_on``; it repeats within ``repeat_deg`` (plus or minus), and can go from ``lowest_deg`` to
    ``highest_deg``, without end where they are left out.  ``free_word`` and ``clamp_word`` are what frees and clamps
    it, empty where it does so by itself; ``way_round`` is how the control takes its word.  ``shift_in_place`` is how
    far an axis that was moved along for a test cut about it has not been moved back yet.  ``bodies`` turn along
    with it.
    """

    kind: Literal["rotary"] = "rotary"
    id: Id
    name: Name
    word: Literal["A", "B", "C"]
    about: Axis
    on: Id | None = None
    centre: Point
    uncertainty: NonNegativeLength | None = None
    origin: CentreOrigin | None = None
    found_on: Day | None = None
    shift_in_place: Length = 0.0
    happened: Annotated[tuple[Happened, ...], Field(max_length=100)] = ()
    sense: Literal["right-handed", "left-handed"] | None = None
    sense_seen_on: Day | None = None
    flat_deg: Degrees = 0.0
    flat_swept_on: Day | None = None
    repeat_deg: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] | None = None
    lowest_deg: WoundDegrees | None = None
    highest_deg: WoundDegrees | None = None
    free_word: SwitchWord = ""
    clamp_word: SwitchWord = ""
    way_round: WayRound = "counts turns"
    bodies: Bodies = ()

    @model_validator(mode="after")
    def _goes_somewhere(self) -> Rotary:
        if self.lowest_deg is not None and self.highest_deg is not None and self.lowest_deg >= self.highest_deg:
            raise ValueError(f"'{self.name}' ends before it begins; swap lowest_deg and highest_deg")
        if bool(self.free_word) != bool(self.clamp_word) or (self.free_word and self.free_word == self.clamp_word):
            raise ValueError(f"'{self.name}' needs a word that frees it and another that clamps it, or neither")
        return self

    def reaches(self, word_deg: float) -> bool:
        """Whether the axis can stand where its word has that value."""
        low, high = self.lowest_deg, self.highest_deg
        return (low is None or word_deg >= low) and (high is None or word_deg <= high)

    def stale_since(self) -> Happened | None:
        """What last happened since its centre was found, on the same day too; whatever did where nobody said when."""
        since = [each for each in self.happened if self.found_on is None or each.on >= self.found_on]
        return max(since, key=lambda each: each.on, default=None)


Carrier = Annotated[Mount | Rotary, Field(discriminator="kind")]


class IndexAngle(Model):
    """Where a rotary axis stands: the value of its word."""

    word: Literal["A", "B", "C"]
    degrees: Degrees
