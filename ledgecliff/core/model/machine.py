"""The machine, its fixtures, its probe and its cutters: what a job assumes stands on the table."""

from __future__ import annotations

import math
import re
from typing import Annotated, Literal, TypeVar, get_args

from pydantic import Field, model_validator

from ..scatter import Scatter
from .base import Feed, Length, Model, Name, NonNegativeLength, Point, PositiveLength
from .cycles import ProbeCycle
from .figure import FromRecord, own_scatter
from .holding import AnyFixture, Chuck, Fixture, Jig, Plate, Spoilboard, VBlock, Vise
from .identity import Id
from .machine_words import MachineWord, SetupWords, SwitchWord
from .own_fixture import OwnFixture
from .reports import ReportPattern
from .stations import Carrier, Mount, Rotary, Station
from .work_offsets import ExtendedOffsets, OffsetCode, check_codes, check_turn_variables, codes_of, turn_variables

#: A kind of fixture.
Kind = TypeVar("Kind", Vise, Plate, Spoilboard, VBlock, Chuck, Jig, OwnFixture)


#: Whether the control's offset page sets what is typed, or adds it to what stands there.
OffsetEntry = Literal["not said", "sets", "adds"]

#: Whether tool lengths count from the gauge line, or from a plane that all tools were set on.
LengthsFrom = Literal["gauge line", "reference plane"]


#: The first of the numbered variables that hold how far each work offset is turned about Z (degrees).
TurnVariable = Annotated[int, Field(ge=200, le=4900)]


class Probe(Model):
    """The touch probe as a tool.  Lengths in mm, feeds in mm/min.

    ``length`` is from gauge line to the lowest point of the ball, as in the tool table.
    ``effective_radius`` is the calibrated ball radius (ball less pretravel at ``touch_feed``).
    ``reach`` is how deep the stylus may go before its thicker body follows.  ``on_word`` and ``off_word`` switch
    it; without them it is always on.  ``radius_scatter`` is how well the effective radius is known, ``length_scatter``
    how well the length is (standard), None where nobody has said.
    """

    tool: Annotated[int, Field(ge=1, le=9999)]
    length: PositiveLength
    ball_diameter: PositiveLength
    effective_radius: PositiveLength
    stem_diameter: PositiveLength
    body_diameter: PositiveLength
    reach: PositiveLength
    travel_feed: Feed
    search_feed: Feed
    touch_feed: Feed
    back_off: PositiveLength
    repeatability: NonNegativeLength
    repeatability_from: FromRecord | None = None
    radius_scatter: NonNegativeLength | None = None
    length_scatter: NonNegativeLength | None = None
    on_word: SwitchWord = ""
    off_word: SwitchWord = ""

    @property
    def reading(self) -> Scatter:
        """How far one reading of a touch may be off (mm)."""
        return own_scatter("normal", self.repeatability, self.repeatability_from)

    @property
    def ball_radius(self) -> float:
        return self.ball_diameter / 2.0

    @model_validator(mode="after")
    def _stylus_tapers(self) -> Probe:
        if self.stem_diameter >= self.ball_diameter:
            raise ValueError(
                f"stem {self.stem_diameter} is not thinner than the ball {self.ball_diameter}; "
                "the stem would touch first"
            )
        if self.length <= self.reach:
            raise ValueError(
                f"length {self.length} is from the gauge line and so more than the stylus' reach {self.reach}; "
                "correct one of them"
            )
        if not 0.5 * self.ball_radius <= self.effective_radius <= self.ball_radius:
            raise ValueError(
                f"effective radius {self.effective_radius} must lie just under half the ball diameter "
                f"({self.ball_radius}); calibrate on a ring"
            )
        return self


#: Shape of a cutter's end.
CutterShape = Literal["flat", "ball", "rounded", "slanted", "drill", "face mill"]
CUTTER_SHAPES: tuple[CutterShape, ...] = get_args(CutterShape)


class Cutter(Model):
    """A tool in the tool table; ``length`` from gauge line to tip, all in mm.

    ``flute`` is how far up it cuts, ``reach`` how far it may go down before its holder follows; without
    them neither is checked.  The holder is ``holder_diameter`` wide from there on.  ``end_angle_deg``
    is the full angle of a drill's point or of a slanted cutter's cone.  ``origin`` says where its length came from,
    ``length_wear`` stands in the wear column and is added to it, ``compensation`` in the radius column that D calls.
    Without ``is_set`` its length is not known on this machine yet.
    """

    tool: Annotated[int, Field(ge=1, le=9999)]
    name: Name
    diameter: PositiveLength
    length: PositiveLength
    shape: CutterShape = "flat"
    flute: PositiveLength | None = None
    reach: PositiveLength | None = None
    holder_diameter: PositiveLength = 40.0
    corner_radius: NonNegativeLength = 0.0
    end_angle_deg: Annotated[float, Field(gt=0, le=180)] = 180.0
    origin: Annotated[str, Field(max_length=80)] = ""
    length_wear: Length = 0.0
    compensation: Length = 0.0
    is_set: bool = True

    @property
    def tip_length(self) -> float:
        """What the control adds: length and wear (mm)."""
        return self.length + self.length_wear

    @model_validator(mode="after")
    def _lengths_in_order(self) -> Cutter:
        if self.flute is not None and self.reach is not None and self.flute > self.reach:
            raise ValueError(f"flute length {self.flute} is longer than the reach {self.reach}; correct one of them")
        if self.reach is not None and self.reach > self.length:
            raise ValueError(f"reach {self.reach} is longer than the tool's length {self.length}; correct one of them")
        return self

    @property
    def depth(self) -> float:
        """How far it may go down (mm); all of its length where no reach is stated."""
        return self.reach or self.length

    def point_height(self) -> float:
        """How far a drill's or slanted cutter's point stands below its full diameter (mm)."""
        if self.end_angle_deg >= 180.0:
            return 0.0
        return self.diameter / 2.0 / math.tan(math.radians(self.end_angle_deg / 2.0))


#: The controls that are simulated, by style.
ControlStyle = Literal["parameter style", "numbered-variable skip style"]


#: What the name of a program's file may hold.
FILE_WORDS = ("nn", "kk", "setup", "what", "job", "side", "version")


class OutputProfile(Model):
    """A text template for programs, see docs/profiles.md; ``control`` is the style of control that runs them.

    ``files`` is how its files are called: ``{nn}`` is the setup's number, ``{kk}`` the program's in the setup,
    ``{setup}`` the setup's name, ``{what}`` what the program does, ``{job}`` the job's title, ``{side}`` the side that
    is up, ``{version}`` the job's; ``suffix`` is their ending.
    """

    name: Name
    control: ControlStyle = "parameter style"
    text: Annotated[str, Field(max_length=60_000)]
    files: Annotated[str, Field(min_length=1, max_length=80)] = "{nn}-{setup}-{what}"
    suffix: Annotated[str, Field(pattern=r"^(\.[A-Za-z0-9]{1,8})?$")] = ".ngc"

    @model_validator(mode="after")
    def _tells_programs_apart(self) -> OutputProfile:
        strange = [name for name in re.findall(r"{([^{}]*)}", self.files) if name not in FILE_WORDS]
        if strange or re.search(r"[{}]", re.sub(r"{[a-z]+}", "", self.files)):
            known = ", ".join(f"{{{name}}}" for name in FILE_WORDS)
            raise ValueError(f"files may be called by {known} and plain text; correct '{self.files}'")
        if not ({"{nn}", "{setup}"} & set(re.findall(r"{[a-z]+}", self.files))) or not (
            {"{kk}", "{what}"} & set(re.findall(r"{[a-z]+}", self.files))
        ):
            raise ValueError(
                "two programs would have one file: use {nn} or {setup}, and {kk} or {what}, in what files are called"
            )
        if re.search(r"[/\\\x00-\x1f]", self.files):
            raise ValueError("files lie in one folder: leave slashes out of what they are called")
        return self


class ResultVariables(Model):
    """The control's numbered variables that programs leave results in, ten a step from ``first`` on; beside each, where
    they are given, what is ``expected`` and how far it is off (``deviation``), numbered alike."""

    first: Annotated[int, Field(ge=200, le=4900)] = 500
    expected: Annotated[int, Field(ge=200, le=4900)] | None = None
    deviation: Annotated[int, Field(ge=200, le=4900)] | None = None


class TableTop(Model):
    """Where the table's top ends, from ``left`` to ``right`` and ``front`` to ``back`` in machine X and Y (mm)."""

    left: Length
    right: Length
    front: Length
    back: Length

    @model_validator(mode="after")
    def _in_order(self) -> TableTop:
        if self.left >= self.right or self.front >= self.back:
            raise ValueError("the table's top ends before it begins; left is below right and front below back")
        return self


class Machine(Model):
    """``travel_min`` and ``travel_max`` bound the machine reading of every axis (mm).

    ``program_units`` is the control's own length unit: programs are written in it, because the parameters that hold its
    offsets are kept in it. ``accuracy`` is how far a cut lands from where its WCS says (mm, standard uncertainty),
    ``length_scatter`` how well the lengths of its cutters are known (standard), ``temperature_spread`` how far parts
    may be from 20 °C while they are cut (kelvin, to either side), None where nobody has said. ``spindle`` is how that
    lies: along Z, which then points up, or where it is horizontal toward the operator, and Y points up. ``table`` is
    how far its top reaches, where that was stated. ``nose_diameter`` is its own at the gauge line, which must clear
    everything as the tools under it do; ``lengths_from`` what tool lengths count from, once for the machine, and
    ``reference_z`` where the plane stands that they were set on (machine Z of its face), where they count from one.
    ``profile`` names how its programs are written: one that ships with the program, or one of ``profiles``, which are
    the shop's own copies. ``fixtures`` are what it has; ``stations`` say where they stand, on the table or on one of
    its ``carriers``. ``results`` are the variables that programs leave results in, ``reports`` the kinds of report its
    control prints, ``words`` what its builder has for other things than moving and probing, ``more_probes`` are those
    it has besides its usual one. ``offset_entry`` says how its offset page takes what is typed, ``offset_turns`` in
    which variables programs keep how far each work offset is turned, for a control that cannot turn them but has
    coordinate rotation (G68). ``id`` says which machine it is, in every job and for the register, ``name`` what people
    call it.
    """

    id: Id
    name: Name
    program_units: Literal["mm", "in"] = "mm"
    profile: Name = "parameter style"
    profiles: Annotated[tuple[OutputProfile, ...], Field(max_length=20)] = ()
    accuracy: NonNegativeLength = 0.004
    length_scatter: NonNegativeLength | None = None
    temperature_spread: Annotated[float, Field(ge=0, le=100)] | None = None
    spindle: Literal["vertical", "horizontal"] = "vertical"
    nose_diameter: PositiveLength = 90.0
    travel_min: Point
    travel_max: Point
    table: TableTop | None = None
    offsets: Annotated[tuple[OffsetCode, ...], Field(min_length=1)]
    extended: ExtendedOffsets | None = None
    offset_entry: OffsetEntry = "not said"
    offset_turns: TurnVariable | None = None
    lengths_from: LengthsFrom = "gauge line"
    reference_z: Length = 0.0
    fixtures: Annotated[tuple[AnyFixture, ...], Field(max_length=200)] = ()
    carriers: Annotated[tuple[Carrier, ...], Field(max_length=40)] = ()
    stations: Annotated[tuple[Station, ...], Field(max_length=400)] = ()
    probe: Probe
    more_probes: Annotated[tuple[Probe, ...], Field(max_length=9)] = ()
    results: ResultVariables = ResultVariables()
    words: Annotated[tuple[MachineWord, ...], Field(max_length=60)] = ()
    reports: Annotated[tuple[ReportPattern, ...], Field(max_length=20)] = ()
    cutters: tuple[Cutter, ...] = ()

    @model_validator(mode="after")
    def _travel_and_tools(self) -> Machine:
        for axis in ("x", "y", "z"):
            if getattr(self.travel_min, axis) >= getattr(self.travel_max, axis):
                raise ValueError(f"travel along {axis.upper()} ends before it begins; swap its two limits")
        numbers = [*(probe.tool for probe in self.probes), *(cutter.tool for cutter in self.cutters)]
        if len(set(numbers)) != len(numbers):
            raise ValueError("two tools share one number; give every tool its own")
        for what, names in (
            ("fixtures share the name", [fixture.name for fixture in self.fixtures]),
            ("profiles share the name", [profile.name for profile in self.profiles]),
            ("stations share the name", [station.name for station in self.stations]),
            ("carriers share the name", [carrier.name for carrier in self.carriers]),
            ("reports share the name", [report.name for report in self.reports]),
            ("words share the name", [word.name for word in self.words]),
            ("words are the same", [word.word for word in self.words]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} '{twice}'; rename one of them")
        check_codes(codes_of(self))
        check_turn_variables(turn_variables(self))
        self._check_places()
        return self

    @property
    def probes(self) -> tuple[Probe, ...]:
        return (self.probe, *self.more_probes)

    def probing_with(self, tool: int | None) -> Machine:
        """The machine as a setup sees it that is probed with the probe of that number; the usual one where none is
        named."""
        if tool is None or tool == self.probe.tool:
            return self
        first = next(probe for probe in self.more_probes if probe.tool == tool)
        others = (self.probe, *(probe for probe in self.more_probes if probe.tool != tool))
        return self.model_copy(update={"probe": first, "more_probes": others})

    def _check_places(self) -> None:
        """Stations have something that stands there, and stand on something; nothing carries itself."""
        ids = [each.id for each in (*self.stations, *self.carriers)]
        if len(set(ids)) != len(ids):
            raise ValueError("two stations or carriers share one id; take the id out of one of them")
        names = {fixture.name for fixture in self.fixtures}
        for station in self.stations:
            if station.fixture not in names:
                raise ValueError(
                    f"station '{station.name}': there is no fixture '{station.fixture}'; add it or name another"
                )
        for each in (*self.stations, *self.carriers):
            self.carried_by(each)

    @property
    def landing(self) -> Scatter:
        """How far a cut may land from where its WCS says (mm)."""
        return Scatter("normal", self.accuracy)

    def carried_by(self, each: Station | Mount | Rotary) -> tuple[Mount | Rotary, ...]:
        """What carries a station or carrier, and what carries that, down to the table.  Raises ValueError."""
        chain: list[Mount | Rotary] = []
        while each.on is not None:
            under = next((carrier for carrier in self.carriers if carrier.id == each.on), None)
            if under is None:
                raise ValueError(f"'{each.name}' stands on a carrier that is not there; name one, or the table")
            if under in chain:
                raise ValueError(f"'{under.name}' carries itself; name what it really stands on")
            chain.append(under)
            each = under
        return tuple(chain)

    def length_shift(self) -> float:
        """What the control's Z offsets are less, and its tool lengths more, than from the gauge line (mm)."""
        return self.reference_z if self.lengths_from == "reference plane" else 0.0

    def fixture(self, name: str) -> Fixture | None:
        return next((fixture for fixture in self.fixtures if fixture.name == name), None)

    def station(self, station: str) -> Station | None:
        """The station of an id."""
        return next((each for each in self.stations if each.id == station), None)

    def fixture_at(self, station: str) -> Fixture:
        """What stands at a station, given by its id, that is there: jobs check theirs."""
        place = self.station(station)
        fixture = None if place is None else self.fixture(place.fixture)
        assert fixture is not None, "the job's own validation keeps stations true"
        return fixture

    def standing(self, kind: type[Kind]) -> tuple[tuple[Station, Kind], ...]:
        """The stations where fixtures of a kind stand, each with its fixture."""
        pairs = ((station, self.fixture(station.fixture)) for station in self.stations)
        return tuple((station, fixture) for station, fixture in pairs if isinstance(fixture, kind))

    def word(self, name: str) -> MachineWord | None:
        """What the machine is told by a name."""
        return next((word for word in self.words if word.name == name), None)

    def cutter(self, tool: int) -> Cutter | None:
        return next((cutter for cutter in self.cutters if cutter.tool == tool), None)


#: What a gauge block can stand on, beyond the surface that gave Z.
HoverSurface = Literal["stock top", "jaw top"]


class Hover(Model):
    """A hover check: the cutter stops ``gap`` over a gauge block that stands ``over`` a surface, the one that gave Z
    where none is named, at ``x`` and ``y`` of the WCS where those are given."""

    tool: Annotated[int, Field(ge=1, le=9999)]
    block: PositiveLength = 75.0
    gap: NonNegativeLength = 0.0
    feed: Feed = 200.0
    over: HoverSurface | None = None
    x: Length | None = None
    y: Length | None = None


class StopCosts(Model):
    """What decides how wide a window for presence and seat is: what a good part costs that is stopped, what one costs
    that lies wrong and is not, both in one measure, and which share of parts really lies wrong."""

    stop: Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)] = 1.0
    miss: Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)] = 50.0
    wrong: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.01


class ProbingRoutine(Model):
    """How this setup's touches are made.  Lengths in mm.

    ``depth`` is from the top of the touched wall down to the contact.  ``guess`` is how far the
    offset put in by eye may be off (plus or minus) before anything is probed.  ``cycles`` are the setup's own;
    None lets the planner propose those that earn its datum.  With ``wash_s`` the ball is washed for so long (s)
    before anything is touched; ``longest_s`` is the most that all touches together may take.  An offset that would
    change by more than ``jump`` waits for the operator to confirm it; without one none does.  ``results_from`` is the
    first variable of this setup's results where the machine's own would be written over.  ``words`` are said besides;
    with ``hand_test`` the operator touches the ball by hand, and the program goes on only after that trigger.
    ``probe`` is the tool number of the probe that is used, the machine's usual one where it is left out.  ``costs``
    say what stops and misses cost, where somebody has stated that.
    """

    stand_off: PositiveLength = 5.0
    overtravel: PositiveLength = 5.0
    depth: Length = 8.0
    clearance: PositiveLength = 15.0
    guess: PositiveLength = 3.0
    wash_s: Annotated[float, Field(ge=0, le=60)] = 0.0
    jump: PositiveLength | None = None
    longest_s: Annotated[float, Field(gt=0, le=36_000)] | None = None
    results_from: Annotated[int, Field(ge=200, le=4900)] | None = None
    words: SetupWords = SetupWords()
    hand_test: bool = False
    probe: Annotated[int, Field(ge=1, le=9999)] | None = None
    costs: StopCosts | None = None
    cycles: Annotated[tuple[ProbeCycle, ...], Field(max_length=40)] | None = None

    @model_validator(mode="after")
    def _cycles_have_names_of_their_own(self) -> ProbingRoutine:
        names = [cycle.name for cycle in self.cycles or ()]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two cycles share the name '{twice}'; rename one of them")
        return self
