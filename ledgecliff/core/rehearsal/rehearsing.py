"""A rehearsal step by step: clamp, run a text, cut up to an operation, go on to the next setup, measure.

It carries the true stock, the control's tables, and where every feature was really cut, from setup to setup.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..blanks import moved
from ..carried import registered_shift, takes_over
from ..contact.first_contact import Body
from ..feature_places import stands, sunk_by_length
from ..frames import AXES, IDENTITY, Array, Placement, rotation
from ..holding.own_fixtures import OwnNeeds
from ..in_process.bench import worked
from ..in_process.stock import at_the_turn, cut, cuts_of
from ..model.base import Point
from ..model.cycles import OF_FIXTURE
from ..model.job import made_on
from ..model.machine import Machine
from ..model.operations import Operation
from ..model.part import Feature
from ..model.setup import Setup
from ..model.work_offsets import code_of, codes_of
from ..places import tf_m_s
from ..programs.card_programs import CardCall
from ..programs.dialect import dialect_of
from ..quantities import mm_per
from ..simulator.axes import Axes, axes_at, planned_axes
from ..simulator.interpreter import Control, Outcome
from ..simulator.machine import SimulatedMachine
from ..simulator.modal import PARAMETER_STYLE
from ..solids.in_process_stock import InProcessStock
from .clamped import Laid, Registered, TrueSetup, clamp, stock_body, true_blank
from .drawn_world import stream
from .results import PairResult, PlannedSetup, WrittenPlan
from .standing import true_standing
from .true_depth import UntoldDepthError, cut_deeper
from .true_offset import Wanted, true_offset, true_turn_deg
from .true_world import OldOffset, TrueWorld


@dataclass(eq=False)
class Clamped:
    """The setup that is on the machine: as it was clamped, as it is now, and how many operations are done."""

    planned: PlannedSetup
    first: TrueSetup
    true: TrueSetup
    machine: SimulatedMachine
    m_right: Array
    #: Which of the control's offsets is the setup's own.
    own: int
    done: int = 0

    @property
    def found(self) -> Array:
        """What the setup's offset holds (3,), with what a program shifts it by."""
        turn = rotation("z", self.turn_deg)
        found: Array = self.machine.offsets[self.own] + turn @ self.planned.located.local_shift
        return found

    @property
    def turn_deg(self) -> float:
        return self.machine.turns.get(self.own, 0.0)

    @property
    def true_turn_deg(self) -> float:
        return true_turn_deg(self.planned.setup, self.first)

    def tf_m_cut(self) -> Placement:
        """Where the control puts P: ``m = found + T (R p - u_origin)``, T the turn of the offset."""
        turn = rotation("z", self.turn_deg)
        matrix = self.planned.setup.orientation.matrix()
        return Placement(turn @ matrix, self.found - turn @ self.planned.wcs.u_origin)


class Rehearsing:
    """``plan`` in a true ``world``; everything that takes long asks whether it ``should_stop``."""

    def __init__(
        self,
        plan: WrittenPlan,
        world: TrueWorld,
        should_stop: Callable[[], bool] = lambda: False,
        beside: Rehearsing | None = None,
    ) -> None:
        """``beside`` is the rehearsal of another part that goes over the same machines at the same time."""
        self.plan, self.world = plan, world
        self._should_stop = should_stop
        self._stock = true_blank(plan.job, plan.geometry, plan.casting, world.stock_off)
        #: What is to be cut from it before anyone looks at it again: nobody may.
        self._to_cut: list[Callable[[], None]] = []
        #: Of each feature: where, in P, its own setup really cut it.
        self._tf_p_cut: dict[str, Placement] = {}
        #: Of what each setup cut as a whole, and of the blank (None): how it lies in P.
        self._tf_p_setup: dict[int | None, Placement] = {None: IDENTITY}
        #: Why nobody can tell what is left.
        self._untold = ""
        self._index = 0
        self._before: Clamped | None = None
        self._tables = {each.id: self._table_before(each) for each in plan.job.machines}
        self._turns = {each.id: self._turns_before(each) for each in plan.job.machines}
        #: Offsets of the world's own that nobody has set by eye: what they hold is what an earlier job left.
        self._left = {(each.id, key) for each in plan.job.machines for key in self._old(each)}
        if beside is not None:
            self._tables, self._turns, self._left = beside._tables, beside._turns, beside._left
        self.now: Clamped | None = None

    # --- the machine before anything runs -------------------------------------------------------

    def _table_before(self, machine: Machine) -> dict[int, Array]:
        table = {code.key: np.zeros(3) for code in codes_of(machine)}
        return table | {key: np.array(old.at.as_tuple()) for key, old in self._old(machine).items()}

    def _turns_before(self, machine: Machine) -> dict[int, float]:
        return {key: old.turn_deg for key, old in self._old(machine).items() if old.turn_deg}

    def _old(self, machine: Machine) -> dict[int, OldOffset]:
        found = {}
        for old in self.world.offsets:
            code = code_of(machine, old.code)
            if code is not None and old.machine in (None, machine.name):
                found[code.key] = old
        return found

    # --- steps ----------------------------------------------------------------------------------

    @property
    def stock(self) -> InProcessStock:
        """What there is by now, in P as last cut."""
        for take in self._to_cut:
            take()
        self._to_cut.clear()
        return self._stock

    def spoilt(self, after: str) -> str:
        """Why nothing can be done with what is left ``after`` some operations, in words; empty where all is well."""
        gone = self.stock.solid.is_empty()
        return (self._untold or f"nothing of the stock is left after {after}") if gone else ""

    def clamp(self, index: int) -> Clamped:
        """Takes what is there out and puts it into a setup's fixture, the probe's offset by eye.

        Raises InvalidValueError where the world states something that cannot be.
        """
        self._index = index
        planned, job = self.plan.setups[index], self.plan.job
        setup = planned.setup
        machine, border = planned.machine, planned.holding.block("border")
        if self.now is not None:
            self._before = self.now
        self._to_cut.append(lambda: self._work_beside(index))
        needs = OwnNeeds(self.plan.fixtures, self._features_as_cut(), fine=True)
        still = self._before.true if self._before is not None and planned.still else None
        level, registered = planned.stated, self._registered(planned)
        lies, side = (self._tf_p_setup[by].turn for by in planned.aligned_by)
        laid = Laid(
            level, self.stock, self.plan.geometry, registered, border, planned.level, needs, still, (lies, side)
        )
        true = clamp(machine, laid, self.world.setup(setup.name, planned.instance), self.world.axes)
        features, turn = job.part.features, planned.located.tf_m_u.turn
        wanted = Wanted(setup, planned.holding, features, self._tf_p_cut, planned.wcs.p_origin, turn)
        own, table, turns = self._own(setup), self._tables[machine.id], self._turns[machine.id]
        if (machine.id, own) in self._left:
            self._left.remove((machine.id, own))
        else:
            table[own] = self._by_eye(planned, table[own])
            turns.pop(own, None)
        readings = stream(self.world.seed, setup.id, "readings", *((planned.key,) if planned.key else ()))
        unit = SimulatedMachine(
            machine,
            [*true.bodies, *standing_about(machine, planned, true.axes)],
            table,
            readings,
            self.world.true_probe(machine.name, machine.probe.tool),
            true.axes.copied(),
            turns,
            longer=self.world.longer(machine.name),
        )
        if still is not None and self._before is not None:
            # Where the setup before has left them: the program turns them.
            unit.left_at(self._before.machine.axes.angles)
        self.now = Clamped(planned, true, true, unit, true_offset(wanted, true), own)
        return self.now

    def run(self, text: str) -> Outcome:
        """Runs a program text on the machine as it stands.  Raises ProgramError where it is not understood."""
        return self._control().run(text, self._should_stop)

    def run_cards(self, after: str | None) -> Iterator[Outcome]:
        """Works through the cards of the stage after an operation, up to the first that stops: the operator jogs the
        probe about to its place, the control's cycle runs from there, and the offset is set from what it found."""
        if after is None:
            self._index_by_hand()
            self._take_over_by_hand()
        for card in self._clamped().planned.cards or ():
            if card.step.cycle.after == after:
                outcome = self._jogged(card)
                if outcome.alarm:
                    yield outcome
                    return
                outcome = self._own_cycle(card)
                yield outcome
                if outcome.alarm:
                    return

    def steps(self, text: str) -> Iterator[int]:
        """As ``run``, block by block: yields the number of each line that is done."""
        return self._control().steps(text, self._should_stop)

    def cut_to(self, end: int) -> None:
        """Cuts the setup's operations up to ``end`` (not with it), with its offset as it stands now.

        From here on P is where they were cut.
        """
        now = self._clamped()
        tf_m_cut = now.tf_m_cut()
        tf_cut_p = tf_m_cut.inverse().after(now.true.tf_m_p)
        self._tf_p_cut = {name: tf_cut_p.after(before) for name, before in self._tf_p_cut.items()}
        self._tf_p_setup = {by: tf_cut_p.after(before) for by, before in self._tf_p_setup.items()}
        self._tf_p_setup[self._index] = IDENTITY
        setup, first = now.planned.setup, now.done
        for operation in setup.operations[first:end]:
            for name in (*operation.features, *made_on(operation)):
                self._tf_p_cut[name] = self._sunk(name, operation)
        self._to_cut.append(lambda: self._cut(setup, tf_cut_p, first, end))
        now.true, now.done = replace(now.true, tf_m_p=tf_m_cut), end
        self._tf_p_cut |= dict.fromkeys(self._newly_standing(), IDENTITY)

    def _sunk(self, name: str, operation: Operation) -> Placement:
        """How a feature lies in P that an operation cuts: a face by how much longer the tool really is too deep."""
        feature, longer = self.plan.job.part.feature(name), self._longer(self._clamped().planned.setup, operation)
        if feature is None or feature.kind != "face" or not longer:
            return IDENTITY
        up = self._clamped().planned.setup.orientation.matrix()[2]
        return Placement(np.eye(3), longer * sunk_by_length(feature.direction(), up))

    def _longer(self, setup: Setup, operation: Operation) -> float:
        """How much longer the tool really is that an operation of a setup is cut with (mm)."""
        return self.world.longer(self.plan.job.machine_of(setup).name).get(operation.tool, 0.0)

    def _newly_standing(self) -> tuple[str, ...]:
        """Walls, floors and faces that a zero is taken from and that what was cut last has left: no operation names
        those that come about by going round or facing."""
        datums = [setup.datum.axis(axis) for setup in self.plan.job.setups for axis in AXES]
        named = {datum.feature for datum in datums} - self._tf_p_cut.keys()
        sought = [each for each in self.plan.job.part.features if each.name in named and not each.is_round()]
        return tuple(each.name for each in sought if stands(each, self.stock.solid))

    def clamp_still(self) -> None:
        """The same clamping goes on with the stock as it has been cut, its rotary axes at the setup's index."""
        now = self._clamped()
        now.machine.axes.angles |= now.true.axes.angles
        self.as_cut()
        now.machine.put([*now.true.bodies, *standing_about(now.machine.machine, now.planned, now.true.axes)])

    def as_cut(self) -> None:
        """What is clamped has the shape that was cut by now."""
        now = self._clamped()
        carrier = next(body.carrier for body in now.true.bodies if body.role == "stock")
        part = stock_body(self.stock, now.true.tf_m_p, carrier)
        now.true = replace(now.true, bodies=[part, *(body for body in now.true.bodies if body.role != "stock")])

    def measure(self) -> tuple[PairResult, ...]:
        """Every feature that was cut against its partner that was."""
        results, part = [], self.plan.job.part
        for feature in part.features:
            partner = part.feature(feature.partner) if feature.partner else None
            if partner is None or not {feature.name, partner.name} <= self._tf_p_cut.keys():
                continue
            at, other = np.array(feature.at.as_tuple()), np.array(partner.at.as_tuple())
            nominal, off = _triple(at - other), _triple(self.seen_from(feature.name, partner.name) - at)
            results.append(PairResult(feature.name, partner.name, nominal, off))
        return tuple(results)

    def seen_from(self, feature: str, other: str = "") -> Array:
        """Where (3,) a feature is in P as the setup cut it that cut the ``other``, else the first that cut anything."""
        part = self.plan.job.part.feature(feature)
        assert part is not None, "it was cut, so the part has it"
        first = next(index for index, each in enumerate(self.plan.setups) if each.setup.operations)
        tf_p_other = self._tf_p_cut.get(other, self._tf_p_setup[None if other else first])
        seen: Array = tf_p_other.inverse().after(self._tf_p_cut[feature])(np.array(part.at.as_tuple()))
        return seen

    def measure_asked(self) -> dict[tuple[str, str], Array]:
        """How far every feature that is asked for, and was cut, is off where what it is seen from has it."""
        part, found = self.plan.job.part, {}
        for name, other in self.plan.asked:
            feature = part.feature(name)
            if feature is not None and name in self._tf_p_cut:
                found[name, other] = self.seen_from(name, other) - np.array(feature.at.as_tuple())
        return found

    # --- by hand --------------------------------------------------------------------------------

    def _index_by_hand(self) -> None:
        """The rotary axes turned to the setup's index from the panel, which takes off what is known of them there."""
        now = self._clamped()
        now.machine.left_at(now.true.axes.angles)

    def _take_over_by_hand(self) -> None:
        """Zeros that are carried over into another code, or that the rotary axes have taken along, are typed there."""
        now, before = self._clamped(), self._before
        for axis in now.planned.probing.carried:
            assert before is not None, "only from a setup before is anything carried over"
            k, shift = AXES.index(axis), now.planned.setup.datum.axis(axis).shift
            now.machine.offsets[now.own][k] = before.found[k] + shift
        for axis in now.planned.probing.indexed:
            assert before is not None, "only from a setup before is anything worked out"
            k, machine = AXES.index(axis), now.machine.machine
            moved = tf_m_s(machine, now.planned.setup).after(tf_m_s(machine, before.planned.setup).inverse())
            now.machine.offsets[now.own][k] = moved(before.found)[k] + now.planned.setup.datum.axis(axis).shift

    def _jogged(self, card: CardCall) -> Outcome:
        """The probe brought over its place, and down: as near as the card asks for, seen against what really stands
        there."""
        now = self._clamped()
        machine = now.machine.machine
        u_stand = np.array(card.w_stand) + now.planned.wcs.u_origin
        if card.step.cycle.on in OF_FIXTURE:
            m_tip = now.first.tf_m_held(u_stand)
        else:
            m_tip = now.true.tf_m_p(now.planned.setup.orientation.matrix().T @ u_stand)
        eye = stream(self.world.seed, now.planned.setup.id, "eye", card.step.title)
        x, y, z = m_tip + eye.uniform(-card.near, card.near, 3) + (0.0, 0.0, machine.probe.length)
        top, probe = machine.travel_max.z, machine.probe
        switched = f"{probe.on_word}\n" if probe.on_word else ""
        jog = (
            f"G21 G17 G90 G94\nM5\nT{probe.tool} M6\n{switched}G53 G0 Z{top:.4f}\nG53 G0 X{x:.4f} Y{y:.4f}\n"
            f"G53 G1 Z{z:.4f} F{probe.travel_feed:.1f}\nM2\n"
        )
        return self._own_control().run(jog, self._should_stop)

    def _own_cycle(self, card: CardCall) -> Outcome:
        now, code = self._clamped(), self._clamped().own
        machine = now.machine.machine
        selected = self._code(card.step.into or now.planned.setup.offset, machine)
        control = self._own_control()
        start = control.machine.offsets[code].copy()
        outcome = control.run(f"{now.planned.setup.offset}\n{card.text}", self._should_stop)
        if outcome.alarm:
            return outcome
        per_unit = mm_per(machine.program_units)
        for setting in card.step.sets:
            k = AXES.index(setting.axis)
            found = outcome.parameters[card.results[setting.axis]] * per_unit
            now.machine.offsets[selected][k] = start[k] + found - setting.should_read
        self._retract()
        return outcome

    def _retract(self) -> None:
        top = self._clamped().machine.machine.travel_max.z
        self._own_control().run(f"G21 G90 G94\nG53 G0 Z{top:.4f}\nM2\n", self._should_stop)

    def _own_control(self) -> Control:
        """The control by its own form: its cycles are stand-ins in the parameter style, whatever its programs are."""
        machine = self._clamped().machine
        return Control(machine, PARAMETER_STYLE.on(machine.machine))

    # --- within a step --------------------------------------------------------------------------

    def _clamped(self) -> Clamped:
        assert self.now is not None, "something is clamped first"
        return self.now

    def _control(self) -> Control:
        machine = self._clamped().machine
        return Control(machine, dialect_of(machine.machine))

    def _own(self, setup: Setup) -> int:
        return self._code(setup.offset, self.plan.job.machine_of(setup))

    @staticmethod
    def _code(words: str, machine: Machine) -> int:
        code = code_of(machine, words)
        assert code is not None, "programs could be written, so every offset they write exists"
        return code.key

    def _by_eye(self, planned: PlannedSetup, stands: Array) -> Array:
        """The offset before probing: as planned, but axes that are carried over are left as it ``stands``."""
        start = planned.located.m_offset.copy()
        kept = [AXES.index(axis) for axis in (*planned.probing.carried, *planned.probing.indexed)]
        start[kept] = stands[kept]
        return start

    def _features_as_cut(self) -> tuple[Feature, ...]:
        """The part's features where they really are by now, in P as last cut: what a spigot goes into."""
        return tuple(
            feature.model_copy(update={"at": _point(self._tf_p_cut[feature.name](np.array(feature.at.as_tuple())))})
            if feature.name in self._tf_p_cut
            else feature
            for feature in self.plan.job.part.features
        )

    def _registered(self, planned: PlannedSetup) -> Registered | None:
        """What holds the stock to its place: bores and frames lie where the setup before really cut them."""
        if planned.play is None:
            return None
        if self._before is None or not takes_over(planned.setup):
            return Registered(None)
        before, shift = self._before, None
        if getattr(planned.setup.hold, "registered", False):
            machine, off = planned.machine, before.first.fixture_off
            # In the frame of the fixture as it really stands.
            standing = true_standing(machine, planned.setup, off, self.world.axes)
            tf_s_m = standing.tf_m_s(standing.axes_at(planned.setup)).inverse()
            s_shift = tf_s_m(before.found) - before.planned.wcs.u_origin
            x, y = registered_shift(
                before.planned.setup, planned.setup, before.planned.wcs, s_shift, self.plan.geometry
            )
            shift = (float(x), float(y))
        return Registered(shift, before.first.fixture_off)

    def _work_beside(self, index: int) -> None:
        """What is done beside the machine before a setup, to the stock as it really is."""
        for done in self.plan.bench[index] if self.plan.bench else ():
            self._stock = worked(done.step, self._stock, done.known, self.plan.geometry).after

    def _cut(self, setup: Setup, tf_cut_p: Placement, first: int, end: int) -> None:
        stock = InProcessStock(moved(self._stock.solid, tf_cut_p), self._stock.raw_id, more_raw=self._stock.more_raw)
        (cuts,) = cuts_of((setup,), self.plan.job.part.features, self.plan.job.parting)
        done = at_the_turn(cuts) if end == len(cuts) else ()
        up, geometry = setup.orientation.matrix()[2], self.plan.geometry
        longer = [self._longer(setup, operation) for operation in setup.operations[first:end]]
        if not any(longer):
            self._stock = cut(stock, geometry.fine, geometry, (*cuts[first:end], *done))
            return
        states = [stock]
        for one in cuts[first:end]:
            states.append(cut(states[-1], geometry.fine, geometry, (one,)))
        try:
            left = stock.less(cut_deeper([each.solid for each in states], longer, up))
        except UntoldDepthError as error:
            operation, by = setup.operations[first + error.operation], longer[error.operation]
            self._untold = (
                f"T{operation.tool} is {abs(by):.3f} mm {'longer' if by > 0.0 else 'shorter'} than it counts for: what "
                f"'{operation.name}' leaves cannot be told"
            )
            self._stock = stock.less(manifold3d.Manifold())
            return
        self._stock = cut(left, geometry.fine, geometry, done)


def standing_about(machine: Machine, plan: PlannedSetup, axes: Axes) -> list[Body]:
    """What stands on other stations, and carriers: where the plan has it, taken along by the true axes."""
    planned = axes_at(plan.setup, planned_axes(machine))
    bodies = []
    for block in plan.neighbours:
        there = axes.tf_now_nought(block.on).after(planned.tf_now_nought(block.on).inverse()).after(plan.located.tf_m_u)
        bodies.append(Body(block.name, moved(block.solid(), there), "neighbour", carrier=block.on))
    return bodies


def _point(place: Array) -> Point:
    x, y, z = _triple(place)
    return Point(x=x, y=y, z=z)


def _triple(vector: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in vector)
    return (x, y, z)
