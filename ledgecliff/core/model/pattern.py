"""The same clamping many times: where its stations are, what is on, what shifts together, where its zeros are kept."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..frames import AXES, Axis
from .base import Day, Length, Model, Name, NonNegativeLength, Point, PositiveLength, Text
from .identity import Id
from .stations import Degrees, IndexAngle

#: What a place of a pattern is known by, whatever its number: ``2-3`` is column 2 of row 3 of a grid, ``4`` the fourth
#: of a ring, an id one of a list; before it, with a slash, the id of the face where it stands on another.
PlaceKey = Annotated[str, Field(pattern=r"^([0-9a-f]{12}/)?([1-9][0-9]{0,2}(-[1-9][0-9]{0,2})?|home|[0-9a-f]{12})$")]
#: What a group is known by: ``row 2``, ``column 1``, ``face``, or an id of its own; before it a face as in places.
GroupKey = Annotated[str, Field(pattern=r"^([0-9a-f]{12}/)?(all|face|(row|column) [1-9][0-9]{0,2}|[0-9a-f]{12})$")]
Count = Annotated[int, Field(ge=1, le=200)]
#: No pattern has more stations, on all its faces.
MOST_PLACES = 400
#: Where a locating face looks, from the fixture toward the part, in the frame of what carries it.
Looking = Literal["+X", "-X", "+Y", "-Y", "+Z", "-Z"]
State = Literal["on", "skipped", "finished"]
GroupedBy = Literal["all", "rows", "columns", "faces", "own"]
#: How an instance gets its zero: an offset of its own; one for a face or group, which programs shift; or one, with
#: every place written in the toolpath program.
School = Literal["own each", "local shifts", "in the program"]
#: Which instances are probed.
Probed = Literal["every one", "first of the load", "none"]
#: What the run does where a part is missing or does not seat.
Missing = Literal["stop", "skip it"]


class Grid(Model):
    """Rows of stations: the master is column 1 of row 1, further columns lie ``column_pitch`` apart along X and rows
    ``row_pitch`` along Y, both turned by ``turn_deg`` about Z, in the frame of what carries the master."""

    kind: Literal["grid"] = "grid"
    columns: Count = 1
    rows: Count = 1
    column_pitch: Length = 0.0
    row_pitch: Length = 0.0
    turn_deg: Degrees = 0.0

    @model_validator(mode="after")
    def _apart(self) -> Grid:
        for what, count, pitch in (("columns", self.columns, self.column_pitch), ("rows", self.rows, self.row_pitch)):
            if count > 1 and not pitch:
                raise ValueError(f"{count} {what} lie on one another; give the pitch from one to the next")
        return self


class Ring(Model):
    """``count`` stations round a middle that lies ``middle_x`` and ``middle_y`` from the master's zero, each
    ``step_deg`` further round; they turn with it, or stay parallel to the master."""

    kind: Literal["ring"] = "ring"
    count: Count = 1
    middle_x: Length = 0.0
    middle_y: Length = 0.0
    step_deg: Degrees = 60.0
    turns_along: bool

    @model_validator(mode="after")
    def _apart(self) -> Ring:
        if self.count > 1 and not (self.middle_x or self.middle_y):
            raise ValueError("the ring has no radius; say where its middle lies from the master")
        if self.count > 1 and abs(self.step_deg) * (self.count - 1) >= 360.0 - 1e-9:
            raise ValueError(f"{self.count} stations of {self.step_deg:g}° each come round to the first; use less")
        if self.count > 1 and not self.step_deg:
            raise ValueError("the stations of the ring lie on one another; give the angle from one to the next")
        return self


class ListedPlace(Model):
    """A station at ``step`` from the master's zero, turned by ``turn_deg`` from how that stands."""

    id: Id
    step: Point
    turn_deg: Degrees = 0.0


class Listed(Model):
    """The master, and the stations of a list."""

    kind: Literal["list"] = "list"
    places: Annotated[tuple[ListedPlace, ...], Field(max_length=MOST_PLACES - 1)] = ()

    @model_validator(mode="after")
    def _ids(self) -> Listed:
        ids = [place.id for place in self.places]
        if len(set(ids)) != len(ids):
            raise ValueError("two places of the list share one id; take one of them out")
        return self


Layout = Annotated[Grid | Ring | Listed, Field(discriminator="kind")]


class OnFace(Model):
    """The whole pattern once more on another face or pallet, the rotary axes standing at ``index`` for it."""

    carrier: Id
    index: Annotated[tuple[IndexAngle, ...], Field(max_length=3)] = ()


class Numbering(Model):
    """How stations are counted: from ``first`` on, along rows or columns, from which corner, to and fro or always the
    same way; face after face, or each face anew with its number before a point."""

    prefix: Annotated[str, Field(max_length=12)] = ""
    first: Annotated[int, Field(ge=0, le=9999)] = 1
    along: Literal["rows", "columns"] = "rows"
    from_right: bool = False
    from_back: bool = False
    to_and_fro: bool = False
    each_face_anew: bool = False


class Recut(Model):
    """A locating face that was cut again: where it ``looks``, how deep, when and why."""

    looks: Looking
    depth: PositiveLength
    on: Day
    reason: Text = ""


class Group(Model):
    """What shifts together by ``shift``, found on the day ``shifted_on``; with ``note`` saying why.

    ``recuts`` are what was cut off its locating faces.  A group of the pattern's own kind names its ``places``.
    """

    key: GroupKey
    name: Name
    shift: Point = Point(x=0.0, y=0.0, z=0.0)
    shifted_on: Day | None = None
    note: Text = ""
    recuts: Annotated[tuple[Recut, ...], Field(max_length=100)] = ()
    places: Annotated[tuple[PlaceKey, ...], Field(max_length=MOST_PLACES)] = ()

    def stale_since(self) -> Recut | None:
        """What was last cut off its faces since its shift was found, where anything was."""
        last = max(self.recuts, key=lambda each: each.on, default=None)
        return last if last is not None and (self.shifted_on is None or last.on > self.shifted_on) else None


class MeasuredBlank(Model):
    """A blank's sizes along X, Y and Z of its setup as it was measured, as far as it was (mm)."""

    x: PositiveLength | None = None
    y: PositiveLength | None = None
    z: PositiveLength | None = None

    def sizes(self) -> dict[Axis, float]:
        """Those that are known."""
        known = {axis: getattr(self, axis) for axis in AXES}
        return {axis: mm for axis, mm in known.items() if mm is not None}


class OfInstance(Model):
    """What is particular of the instance at a place: its state, with the reason why it is skipped, its own shift, and
    the size of its blank where that was measured.  One that is on although it was finished in this load is
    ``finished_before``."""

    place: PlaceKey
    state: State = "on"
    reason: Annotated[str, Field(max_length=200)] = ""
    shift: Point = Point(x=0.0, y=0.0, z=0.0)
    note: Text = ""
    measured: MeasuredBlank | None = None
    finished_before: bool = False

    @model_validator(mode="after")
    def _says_why(self) -> OfInstance:
        if self.state == "skipped" and not self.reason.strip():
            raise ValueError(f"the instance at {self.place} is skipped; say why")
        return self


class KeptIn(Model):
    """The work offset of a place, or of a face or group where one serves several places."""

    key: Annotated[str, Field(min_length=1, max_length=40)]
    offset: Name


class Pattern(Model):
    """A setup's master station many times over.

    ``layout`` makes its stations, ``faces`` repeats them elsewhere.  ``school`` says how they get their zeros, one
    offset for each face or group where not each has its own; the master's is the setup's, the others are ``codes``.
    ``probed`` says which of them are probed, ``seating`` that the top of each is touched for presence and seat, and
    ``missing`` what happens where that fails.  ``loads`` are how often all of it is loaded, ``over_groups`` the
    operations that run over a whole group in one sweep.  ``seat_scatter`` and ``pattern_error`` (standard, mm) are how
    far seats and stations are off, where that was measured.
    """

    layout: Layout = Grid()
    faces: Annotated[tuple[OnFace, ...], Field(max_length=30)] = ()
    numbering: Numbering = Numbering()
    grouped_by: GroupedBy = "all"
    groups: Annotated[tuple[Group, ...], Field(max_length=MOST_PLACES)] = ()
    instances: Annotated[tuple[OfInstance, ...], Field(max_length=MOST_PLACES)] = ()
    school: School = "own each"
    one_each: Literal["face", "group"] = "face"
    codes: Annotated[tuple[KeptIn, ...], Field(max_length=MOST_PLACES)] = ()
    probed: Probed = "every one"
    seating: bool = False
    missing: Missing = "stop"
    loads: Annotated[int, Field(ge=1, le=100_000)] = 1
    over_groups: Annotated[tuple[Name, ...], Field(max_length=200)] = ()
    seat_scatter: NonNegativeLength | None = None
    pattern_error: NonNegativeLength | None = None

    @model_validator(mode="after")
    def _each_once(self) -> Pattern:
        for what, keys in (
            ("faces are the same", [each.carrier for each in self.faces]),
            ("groups are the same", [each.key for each in self.groups]),
            ("instances are the same", [each.place for each in self.instances]),
            ("offsets are kept for the same", [each.key for each in self.codes]),
        ):
            twice = next((key for key in keys if keys.count(key) > 1), None) if len(set(keys)) < len(keys) else None
            if twice is not None:
                raise ValueError(f"two {what}, {twice}; take one of them out")
        if self.count > MOST_PLACES:
            raise ValueError(f"the pattern has {self.count} stations; {MOST_PLACES} are the most")
        owned = [place for group in self.groups for place in group.places]
        if len(set(owned)) < len(owned):
            raise ValueError("a station is in two groups; take it out of one of them")
        return self

    @property
    def count(self) -> int:
        """How many stations there are, on all faces."""
        match self.layout:
            case Grid(columns=columns, rows=rows):
                here = columns * rows
            case Ring(count=count):
                here = count
            case Listed(places=places):
                here = len(places) + 1
        return here * (len(self.faces) + 1)

    def at(self, place: str) -> OfInstance | None:
        """What is particular of the instance at a place, None where nothing is."""
        return next((each for each in self.instances if each.place == place), None)

    def group(self, key: str) -> Group | None:
        return next((each for each in self.groups if each.key == key), None)

    def code(self, key: str) -> str | None:
        """The offset that is kept for a place, face or group besides the master's."""
        return next((each.offset for each in self.codes if each.key == key), None)
