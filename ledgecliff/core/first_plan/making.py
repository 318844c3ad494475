"""A first plan from an order of sides: of what may be, the first that the rules find nothing wrong with.

Each setup is tried with the ones before it as they are: first what holds it and cuts it, then what gives its zero.
Where nothing is free of hazards and errors, what has fewest stays, and one sentence says why.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np

from ..blanks import blank
from ..edits.bench import among, among_all
from ..edits.setups import next_name
from ..errors import LedgecliffError
from ..finding import Finding
from ..findings import cycle_rules, datum_rules, grip_rules, holding_rules, probing_rules, stock_rules, tooling_rules
from ..findings.probing_rules import CLOSER_BY_EYE, GUESSES
from ..findings.rules import findings_of
from ..frames import AXES
from ..in_process.stock import cut_setups
from ..model.identity import derived_id
from ..model.job import Job
from ..model.machine import Cutter, Hover
from ..model.operations import Operation
from ..model.orientation import Orientation, PartDirection, direction_name, opposite, shown
from ..model.part import Feature
from ..model.setup import AxisDatum, Datum, Setup
from ..model.shop import Shop
from ..model.stock import BarStock, TubeStock
from ..plan import Plan, make_plan
from ..programs.targets import free_beside
from ..sides.order import Order
from ..sides.reach import reach_of
from ..solids.geometry import Models, PartGeometry
from ..solids.in_process_stock import InProcessStock
from .blanks import REACH_SPARE, reach_of_end_mills
from .holds import HeldAt, bar_holds, jaw_holds, orientations, sheet_holds
from .operations import ToCut, operations_for, sheet_operations, small_cutters, stands_beside
from .zeros import Zero, bores_for_zero, depths_from, first_zeros, later_zeros

#: What is asked of a way to hold and cut, and of a zero; all rules are asked of the whole in the end.
_HOLD_RULES = (*grip_rules.RULES, *holding_rules.RULES, *tooling_rules.RULES, stock_rules.cut_into_part)
_ZERO_RULES = (*probing_rules.RULES, *cycle_rules.RULES, *datum_rules.RULES)
#: So many ways to hold are tried for one setup at most.
_MOST_HOLDS = 16
#: What another depth mends.
_WRONG_DEPTH = frozenset(("TOUCH_TOO_DEEP", "TOUCH_TOO_SHALLOW"))
#: Where several things are wrong these are why the others are, the first of them before all: no side sees it square,
#: or it is too large.  The rest stays as the rules have it.
_REASONS = ("FEATURE_NOT_REACHED", "JAW_OPENING")
#: Of a tall part so much of its height at most is cut from the first side, and both cuts overlap by so much (mm).
_FIRST_SHARE, _OVERLAP = 0.6, 0.5
#: Stock that does not stand out over the part by this on either end is a sheet of its thickness (mm).
_SHEET = 0.01

Enough = Callable[[], bool]
Rule = Callable[[Plan], Iterator[Finding]]


@dataclass(frozen=True)
class FirstPlan:
    """A planned job; ``cannot`` says in one sentence what could not be made so and why, empty where all could."""

    job: Job
    cannot: tuple[Finding, ...] = ()

    def words(self) -> str:
        """What could not be made so, in one sentence; its lengths are to be spelled."""
        if not self.cannot:
            return ""
        first, more = self.cannot[0], len(self.cannot) - 1
        fact = first.fact.split(". ")[0].rstrip(".")
        return f"Not all of it can be run as it stands: {fact}" + (f", and {more} more." if more else ".")


def _has_a_depth(finding: Finding) -> bool:
    """Whether the rule knows of a depth that would do."""
    return any(path[-1] == "depth" for fix in finding.fixes for path, _ in fix.changes)


@dataclass(frozen=True)
class _Held:
    """One way to hold and cut a setup."""

    orientation: Orientation
    held_at: HeldAt
    operations: tuple[Operation, ...]


def make_first_plan(
    job: Job, order: Order, geometry: PartGeometry, models: Models, shop: Shop, enough: Enough = lambda: False
) -> FirstPlan:
    """``job``, whose stock is chosen, with a setup for each side of ``order``, on the machine of its first one.

    ``enough`` is asked before each try; once it says so what is best so far is taken.
    """
    maker = _Maker(job, order.sides, job.setups[0], geometry, models, _over(job, job.setups[0], shop), enough)
    return maker.made()


def next_setup(plan: Plan, side: PartDirection, shop: Shop, enough: Enough = lambda: False) -> Setup:
    """One more setup after those of ``plan``, with ``side`` up, on the machine of the last one: held, cut and zeroed as
    a first plan's would be, with what lies on the ``shop``'s shelf.

    Raises LedgecliffError where nothing holds it.
    """
    job = plan.job
    sides = (*(setup.orientation.up for setup in job.setups), side)
    maker = _Maker(job, sides, job.setups[-1], plan.geometry, plan.models, _over(job, job.setups[-1], shop), enough)
    return maker.next_to(job.setups, side)


def _over(job: Job, setup: Setup, shop: Shop) -> Shop:
    """What lies on the shop's shelf, and the job's own machine: that of the setup, which need not be the shop's."""
    return shop.model_copy(update={"machine": job.machine_of(setup)})


class _Best:
    """The setup of all tried so far of which least is bad: hazards first, then how many."""

    def __init__(self) -> None:
        self.setup: Setup | None = None
        self._rank = (0, 0)

    def takes(self, setup: Setup, bad: list[Finding] | None) -> bool:
        """Whether nothing at all is wrong with it; one that cannot be planned (None) is passed over."""
        if bad is None:
            return False
        rank = (sum(finding.severity == "hazard" for finding in bad), len(bad))
        if self.setup is None or rank < self._rank:
            self.setup, self._rank = setup, rank
        return not bad


class _Maker:
    def __init__(
        self,
        job: Job,
        sides: tuple[PartDirection, ...],
        like: Setup,
        geometry: PartGeometry,
        models: Models,
        shop: Shop,
        enough: Enough,
    ) -> None:
        self._job, self._sides, self._geometry, self._models = job, sides, geometry, models
        #: Over its machine they go, and at its station what nothing else holds.
        self._like, self._machine = like, job.machine_of(like)
        self._shop, self._enough = shop, enough
        self._setups: tuple[Setup, ...] = ()
        self._made: set[str] = set()
        #: What an id follows from besides the job: nothing in a first plan, later the setups there are and the side.
        self._after: tuple[str, ...] = ()

    def made(self) -> FirstPlan:
        for side in self._sides:
            self._setups = (*self._setups, self._setup(side))
        steps = among_all(self._job.bench, self._job.setups, self._setups)
        job = self._job.model_copy(update={"setups": self._setups, "bench": steps})
        found = findings_of(make_plan(job, self._models))
        bad = [f for f in found if f.severity in ("hazard", "error") or f.code == "NOT_FINISHED"]
        if bad:
            why = [f for code in _REASONS for f in found if f.code == code]
            bad = [*why, *(f for f in bad if f not in why)]
        return FirstPlan(job, tuple(bad))

    def next_to(self, setups: tuple[Setup, ...], side: PartDirection) -> Setup:
        """The setup with ``side`` up after these."""
        self._setups, self._after = setups, (*(setup.id for setup in setups), side)
        self._made = {name for setup in setups for operation in setup.operations for name in operation.features}
        self._made |= {feature.name for feature in self._job.part.features if feature.found}
        return self._setup(side)

    def _setup(self, side: PartDirection) -> Setup:
        mine = tuple(
            f.name for f in self._job.part.features if f.name not in self._made and side in reach_of(f, self._geometry)
        )
        self._made.update(mine)
        bare = self._bare(side)
        held = self._best(self._put(bare, way) for way in self._ways(side, mine))
        return self._with_zero(held, mine)

    # --- trying ---------------------------------------------------------------------------------

    def _best(self, tried: Iterable[Setup]) -> Setup:
        """The first that holds and cuts without anything bad, else the one of which least is."""
        best = _Best()
        for setup in islice(tried, _MOST_HOLDS):
            bad = self._bad(setup, _HOLD_RULES)
            if best.takes(setup, bad) or (best.setup is not None and self._enough()):
                break
        if best.setup is None:
            raise LedgecliffError(
                f"No setup with part {shown(self._sides[len(self._setups)])} up can be planned in this stock; "
                "choose larger stock, or plan the setups by hand."
            )
        return best.setup

    def _with_zero(self, held: Setup, mine: tuple[str, ...]) -> Setup:
        """``held`` with the first zero that can be found, its guess and depth fitted to what is wrong with others."""
        best = _Best()
        for zero in self._zeros(held, mine):
            if best.setup is not None and self._enough():
                break
            touches = self._shop.touches
            guesses, depths = list(GUESSES), depths_from(touches.depth)
            while guesses and depths:
                routine = zero.routine(touches, guesses[0], depths[0])
                setup = held.model_copy(update={"datum": zero.datum, "probing": routine})
                bad = self._bad(setup, _ZERO_RULES)
                if best.takes(setup, bad):
                    return setup
                codes = {finding.code for finding in bad or ()}
                deep = [finding for finding in bad or () if finding.code in _WRONG_DEPTH]
                if deep and all(_has_a_depth(finding) for finding in deep):
                    depths.pop(0)
                elif deep or codes & CLOSER_BY_EYE:
                    # Closer by eye, less is to be searched, and lower walls are deep enough.
                    guesses.pop(0)
                    depths = depths_from(touches.depth)
                else:
                    break
                if self._enough():
                    break
        return best.setup or held

    def _bad(self, setup: Setup, rules: tuple[Rule, ...]) -> list[Finding] | None:
        """Hazards and errors of a setup after those before it; None where nothing can be planned so."""
        try:
            plan = self._plan(setup)
            found = [finding for rule in rules for finding in rule(plan)]
        except LedgecliffError:
            return None
        return [each for each in found if each.setup == setup.name and each.severity in ("hazard", "error")]

    def _plan(self, *more: Setup) -> Plan:
        setups = (*self._setups, *more)
        steps = among(self._job.bench, self._job.setups, setups)
        return make_plan(self._job.model_copy(update={"setups": setups, "bench": steps}), self._models)

    # --- what may be ----------------------------------------------------------------------------

    def _bare(self, side: PartDirection) -> Setup:
        machine = self._machine
        centre = AxisDatum(source="stock centre")
        return Setup(
            id=derived_id(self._job.id, str(len(self._setups)), *self._after),
            name=next_name(self._setups),
            side=f"{shown(side)} side",
            machine=machine.id,
            station=self._like.station,
            hold=self._like.hold,
            offset=free_beside(machine, self._setups) or machine.offsets[-1].code,
            datum=Datum(x=centre, y=centre, z=AxisDatum(source="stock top")),
            hover=Hover(tool=small_cutters(machine)[0].tool),
            probing=self._shop.touches.routine(cycles=()),
        )

    @staticmethod
    def _put(bare: Setup, way: _Held) -> Setup:
        station, hold = way.held_at
        return bare.model_copy(
            update={"orientation": way.orientation, "station": station.id, "hold": hold, "operations": way.operations}
        )  # fmt: skip

    def _ways(self, side: PartDirection, mine: tuple[str, ...]) -> Iterator[_Held]:
        before = self._plan().finished if self._setups else self._first()
        last = self._setups[-1].orientation if self._setups else None
        stock = self._job.stock
        if isinstance(stock, BarStock | TubeStock) and side[1].lower() != stock.along:
            level = Orientation(up=side, right=direction_name(np.eye(3)[AXES.index(stock.along)]))
            operations = self._operations(level, before, mine)
            for hold in (*bar_holds(level, before, self._shop), *jaw_holds(level, before, self._shop, None)):
                yield _Held(level, hold, operations)
            return
        for orientation in orientations(side, self._geometry, last):
            if self._is_sheet(orientation, before):
                features = tuple(f for f in self._job.part.features if f.name in mine)
                thick = float((before.u_corners(orientation)[1] - before.u_corners(orientation)[0])[2])
                operations = sheet_operations(features, orientation, self._machine, thick)
                for hold in sheet_holds(before, orientation, self._shop):
                    yield _Held(orientation, hold, operations)
            operations = self._operations(orientation, before, mine)
            floor = self._cut_floor(orientation, operations)
            for hold in jaw_holds(orientation, before, self._shop, floor):
                yield _Held(orientation, hold, operations)

    def _first(self) -> InProcessStock:
        """What the first setup gets."""
        stock, steps = self._job.stock, self._job.bench_before(0)
        done = cut_setups(stock, self._geometry, self._models.stock, (), (steps,)).bench[0]
        return done[-1].after if done else blank(stock, self._geometry, self._models.stock)

    def _is_sheet(self, orientation: Orientation, before: InProcessStock) -> bool:
        """Whether stock of the part's own thickness lies flat, with the part to be cut out of it."""
        low, high = before.u_corners(orientation)
        part = self._u_part(orientation)
        over = max(part[0] - float(low[2]), float(high[2]) - part[1])
        return over < _SHEET and stands_beside(before, orientation, self._geometry)

    def _u_part(self, orientation: Orientation) -> tuple[float, float]:
        """The finished part's underside and top (mm, in ``u``)."""
        up = orientation.matrix()[2]
        ends = sorted((float(up @ self._geometry.low), float(up @ self._geometry.high)))
        return ends[0], ends[1]

    def _operations(
        self, orientation: Orientation, before: InProcessStock, mine: tuple[str, ...]
    ) -> tuple[Operation, ...]:
        """With the thinnest end mill for what is seen that is long enough, else the one that goes deepest."""
        machine, geometry = self._machine, self._geometry
        bore = self._bore(orientation, before)
        above = self._above(orientation, before)
        smalls = small_cutters(machine)
        features = tuple(feature for feature in self._job.part.features if feature.name in mine)

        work = ToCut(
            orientation=orientation,
            before=before,
            geometry=geometry,
            machine=machine,
            made=features,
            bore=bore,
            above=above,
        )

        def with_cutter(small: Cutter) -> tuple[Operation, ...]:
            return operations_for(work, small)

        held = next(iter(jaw_holds(orientation, before, self._shop, None)), self._as_at_first())
        for small in smalls:
            tried = self._put(self._bare(orientation.up), _Held(orientation, held, with_cutter(small)))
            try:
                uses = self._plan(tried).setups[-1].tool_uses
            except LedgecliffError:
                break
            if not any(
                clash for use in uses for clash in use.clashes if clash.holder and use.cutter.tool == small.tool
            ):
                return with_cutter(small)
        return with_cutter(max(smalls, key=lambda c: c.depth))

    def _as_at_first(self) -> HeldAt:
        station = self._machine.station(self._like.station)
        assert station is not None, "the job's own validation keeps stations true"
        return station, self._like.hold

    def _bore(self, orientation: Orientation, before: InProcessStock) -> Feature | None:
        """The bore that is cut right through from the first side, for the zeros of those after it."""
        low, high = before.u_corners(orientation)
        too_deep = float((high - low)[2]) + REACH_SPARE > reach_of_end_mills(self._machine)
        if self._setups or len(self._sides) < 2 or too_deep:
            return None
        fitting = bores_for_zero(self._job.part.features, self._geometry, self._machine.probe, orientation)
        return fitting[0] if fitting else None

    def _above(self, orientation: Orientation, before: InProcessStock) -> float:
        """How far over the part's underside cuts beside it end: half of a tall part is left for its other side."""
        low, high = self._u_part(orientation)
        reach = reach_of_end_mills(self._machine) - REACH_SPARE
        deep = float(before.u_corners(orientation)[1][2]) - low
        other = opposite(orientation.up)
        done = [setup.orientation.up for setup in self._setups]
        if deep <= reach or not stands_beside(before, orientation, self._geometry):
            return 0.0
        if other in done:
            # What the other side cut beside the part need not be cut again.
            first = next(setup for setup in self._setups if setup.orientation.up == other)
            outline = next((each for each in first.operations if each.removes == "outline"), None)
            left = -outline.below if outline is not None else 0.0
            return max(high - low - left - _OVERLAP, 0.0) if left > 0.0 else 0.0
        if other not in self._sides:
            return 0.0
        facing = float(before.u_corners(orientation)[1][2]) - high
        return max(high - low - min(reach - facing, _FIRST_SHARE * (high - low)), 0.0)

    def _cut_floor(self, orientation: Orientation, operations: tuple[Operation, ...]) -> float | None:
        """Down to where it is cut beside the part, in ``u``; None where it is not."""
        outline = next((each for each in operations if each.removes == "outline"), None)
        return None if outline is None else self._u_part(orientation)[0] - outline.below

    def _seat(self, held: Setup) -> float:
        """How high the stock lies over the place that its fixture is known by (mm)."""
        holding = self._plan(held).setups[-1].holding
        return holding.seat - float(holding.u_zero[2])

    def _zeros(self, held: Setup, mine: tuple[str, ...]) -> Iterator[Zero]:
        if not self._setups:
            yield from first_zeros(held.hold)
        else:
            cut = {each.on for setup in self._setups for each in setup.operations if each.removes == "bore"}
            bores = bores_for_zero(
                self._job.part.features, self._geometry, self._machine.probe, held.orientation
            )  # fmt: skip
            bores = tuple(each for each in bores if each.name in self._made - set(mine))
            made = tuple(sorted(bores, key=lambda f: (f.name not in cut, -(f.diameter or 0.0), f.name)))
            yield from later_zeros(made, held.operations, self._seat(held))
        centre = AxisDatum(source="stock centre")
        yield Zero(Datum(x=centre, y=centre, z=AxisDatum(source="parallels")))
