"""The plan: everything that follows from a job, computed by pure functions and cached by stage.

``make_plan(job, models)`` is the one way from a job to what views, sheets, programs and the
command line show.  Each stage is cached by its own inputs, so an edit recomputes what hangs on it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from .blanks import blank, transformed
from .carried import carried, found_on_axis, frame_slot, registered_shift, stays_clamped, takes_over
from .cutting.outlines import inside_outline
from .dimensioned import part_geometry
from .errors import PlanError
from .holding import Block, shaped_block
from .in_process.bench import BenchDone
from .in_process.checks import check_part_is_left
from .in_process.states import Cutting
from .in_process.stock import cut_setups, cuts_of
from .locating import Clamping
from .model.bench import HeatTreat
from .model.identity import derived_id
from .model.job import Job
from .model.setup import Setup
from .neighbours import AtStations, neighbourhood
from .once import lazy
from .patterns.instances import Instance, instances_of, pattern_of
from .patterns.places import stands
from .patterns.seating import with_seating
from .places import as_it_lies, may_index, rotaries_under, station_of
from .setup_plan import OfJob, SetupPlan, clamped, setup_plan
from .sides.order import Proposal, propose
from .sides.reach import Coverage, Reach, coverage, reaches_of
from .solids.geometry import Models, PartGeometry
from .solids.in_process_stock import InProcessStock


@dataclass(frozen=True, eq=False)
class Plan:
    job: Job
    models: Models
    geometry: PartGeometry
    blank: InProcessStock
    setups: tuple[SetupPlan, ...]
    #: What is done beside the machine before each setup, and after all of them.
    bench: tuple[tuple[BenchDone, ...], ...]

    @property
    def first(self) -> InProcessStock:
        """What the first setup gets: the blank, and what is done to it beside the machine before."""
        return self.bench[0][-1].after if self.bench[0] else self.blank

    @property
    def reaches(self) -> tuple[Reach, ...]:
        """From where each feature can be cut."""
        return reaches_of(self.job.part.features, self.geometry, self.first)

    @lazy
    def coverage(self) -> Coverage:
        """The same, and which sides are enough."""
        return coverage(self.job.part.features, self.geometry, self.first)

    @lazy
    def proposal(self) -> Proposal:
        """Proposed orders of sides, with their reasons; takes a second or so."""
        stock = self.job.stock
        movable = stock.form != "model" and not self.bench[0]
        return propose(self.job.part.features, self.geometry, self.first, movable, stock.prepared)

    def check_part_is_left(self) -> None:
        """Asked with the findings, and before anything is handed over.

        Raises InternalError where the stock of a setup lacks some of the part that none of its operations states.
        """
        for setup in self.setups:
            check_part_is_left(setup.cutting, setup.cuts, self.geometry)

    @property
    def finished(self) -> InProcessStock:
        """What there is when all is done, beside the machine too."""
        return self.bench[-1][-1].after if self.bench[-1] else self.setups[-1].after

    @lazy
    def finished_inside(self) -> InProcessStock:
        """What is left within the part's outline: beside a slot the border stays, on tabs or by itself."""
        left = self.finished
        for setup in (each.setup for each in self.setups):
            if any(operation.removes == "outline" and operation.slot is not None for operation in setup.operations):
                left = left.less(inside_outline(self.geometry, setup.orientation, left.solid))
        return left

    def done_of(self, step: str) -> tuple[int, BenchDone]:
        """What the step beside the machine of that id has done, and the number of the setup that it comes before."""
        return next(
            (index, each) for index, done in enumerate(self.bench) for each in done if each.step.id == step
        )  # fmt: skip

    def stays_clamped(self, index: int) -> bool:
        """Whether the part is not taken out before a setup: nothing but rotary axes turns it since the one before."""
        around = self.job.setups[max(index - 1, 0) : index + 1]
        return len(around) == 2 and stays_clamped(*around) and not self.bench[index]

    def is_indexed(self, index: int) -> bool:
        """Whether rotary axes alone turn the part from the setup before."""
        setup = self.job.setups[index]
        return self.stays_clamped(index) and bool(rotaries_under(self.job.machine_of(setup), setup))

    def instances(self, index: int) -> tuple[Instance, ...]:
        """Every instance of a setup, as they are counted; one where it has no pattern."""
        setup = self.setups[index]
        return instances_of(setup.machine, pattern_of(self.job, index), setup.clamping)

    def placed(self, index: int, each: Instance) -> SetupPlan:
        """A setup as it stands at one of its instances, in the offset that this has: what is worked out in its own
        coordinates is shared."""
        setup = self.setups[index]
        own = derived_id(setup.setup.station, each.key)
        station = each.station.model_copy(update={"id": own, "name": f"{setup.setup.name}, {each.name}"})
        machine = setup.machine.model_copy(update={"stations": (*setup.machine.stations, station)})
        update = {"station": own, "index": each.index, "offset": each.offset or setup.setup.offset}
        there = replace(each.located, station=own)
        clamping = replace(setup.clamping, setup=setup.setup.model_copy(update=update), located=there)
        placed = replace(setup, clamping=clamping, machine=machine)
        # Worked out once: touches are the same in the coordinates of every instance.
        placed.__dict__["probing"] = setup.probing
        return placed

    def at_stations(self, index: int) -> AtStations:
        """A setup as it stands at all its stations, in the order of its instances."""
        return _standing(self.job, index, self.setups[index].clamping)

    def before(self, index: int) -> Setup | None:
        """The setup that a zero may be carried over from: the one before."""
        return self.job.setups[index - 1] if index else None


#: Equal for equal jobs, so that their setups are.
_of_job = lru_cache(maxsize=64)(OfJob)


@lru_cache(maxsize=64)
def _left_behind(
    before: Clamping, cutting: Cutting, after: Setup, piece: InProcessStock, geometry: PartGeometry
) -> Block | None:
    """The border of an interlocking frame, in ``u`` of the setup after: it stays on the board as it lay; None where the
    piece goes to another station."""
    rest = cutting.before(len(before.setup.operations)).solid - piece.solid
    if rest.is_empty() or before.setup.station != after.station:
        return None
    s_shift = before.holding.tf_s_u.shift
    shift = registered_shift(before.setup, after, before.wcs, s_shift, geometry)
    # What lay on the board before lies on it still, at whatever height the turned piece has it.
    rise = float(piece.u_corners(after.orientation)[0][2]) - before.holding.seat
    way = np.array([*(s_shift[:2] - shift), rise])
    shape = transformed(rest, before.setup.orientation.matrix(), way)
    return shaped_block("border", "base", shape, cuttable=True)


def _probed_as_one(setup: Setup, job: Job) -> Setup:
    """A setup without its pattern, with the touch that each instance gets for presence and seat."""
    if setup.pattern is None:
        return setup
    seating = setup.pattern.seating
    setup = setup.model_copy(update={"pattern": None})
    return with_seating(setup, job.part.features, job.stock) if seating else setup


def _standing(job: Job, index: int, clamping: Clamping) -> AtStations:
    """Where all stations of a setup stand; a plate or board carries all of a pattern."""
    machine, pattern = job.machine_of(clamping.setup), pattern_of(job, index)
    master, at = station_of(machine, clamping.setup), clamping.setup.index
    if pattern is None:
        return AtStations(clamping, ((master, at),))
    every = stands(pattern, master, at)
    if machine.fixture_at(master.id).kind not in ("plate", "board"):
        return AtStations(clamping, every)
    faces = ((master.model_copy(update={"on": face.carrier}), face.index) for face in pattern.faces)
    return AtStations(clamping, every, ((master, at), *faces))


def make_plan(job: Job, models: Models) -> Plan:
    """Everything derived from ``job`` for the models it refers to.

    Raises PlanError when a setup leaves nothing of the stock, or a model has not been read.
    """
    geometry = part_geometry(job.part, models)
    features = job.part.features
    setups = tuple(_probed_as_one(setup, job) for setup in job.setups)
    cuts = cuts_of((as_it_lies(job.machine_of(setup), setup) for setup in setups), features, job.parting)
    steps = tuple(job.bench_before(index) for index in range(len(job.setups) + 1))
    through = cut_setups(job.stock, geometry, models.stock, cuts, steps)
    cuttings = through.cuttings
    clampings: list[Clamping] = []
    for index, (setup, cutting) in enumerate(zip(setups, cuttings, strict=True)):
        over, behind, still = None, None, None
        if index:
            last = clampings[-1]
            machine, before = job.machine_of(setup), setups[index - 1]
            if stays_clamped(before, setup) and may_index(machine, before, setup) and not steps[index]:
                still = last.level
            if takes_over(setup):
                over = carried(job.machine_of(setup), last.setup, setup, last.wcs, last.holding, geometry)
                over = replace(over, on_axis=found_on_axis(setups, index))
            if frame_slot(last.setup) is not None:
                behind = _left_behind(last, cuttings[index - 1], setup, cutting.before(0), geometry)
        clampings.append(
            clamped(
                _of_job(job.machine_of(setup), job.stock, features, geometry, job.parting, models.fixtures),
                setup,
                cutting.before(0),
                over,
                behind,
                still,
            )
        )
        if cutting.before(len(setup.operations)).solid.is_empty():
            raise PlanError(
                f"{setup.name} cuts the whole stock away: nothing is left to hold. Check the stock's measured "
                "size, its allowances and how deep the operations go."
            )
    plans = []
    standing = tuple(_standing(job, index, clamping) for index, clamping in enumerate(clampings))
    for index, clamping in enumerate(clampings):
        machine = job.machine_of(clamping.setup)
        beside = tuple(other for other in standing if other.clamping.setup.machine == machine.id)
        of_job = _of_job(machine, job.stock, features, geometry, job.parting, models.fixtures)
        round_about = neighbourhood(machine, standing[index], beside)
        moved = sum(step.moves for step in steps[index] if isinstance(step, HeatTreat))
        plans.append(setup_plan(index, clamping, round_about, cuts[index], cuttings[index], of_job, moved))
    whole = blank(job.stock, geometry, models.stock)
    return Plan(job, models, geometry, whole, tuple(plans), through.bench)
