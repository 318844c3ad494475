"""Recorded touches evaluated: contact points, what each step found in any WCS, and one feature seen from another.

Readings come from a control's log or from a rehearsal.  A hole seen from a bore is the difference of
two measurements in machine coordinates, in the frame of the bore: turned as the WCS is, or so that a
second feature lies where the drawing has it (docs/methods/cycles.md).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..errors import FitError, InvalidValueError
from ..frames import AXES, Axis
from ..model.base import Length, Model, Name, PositiveLength
from ..model.cycles import WIDTHS
from ..model.machine import Probe
from ..model.part import Feature
from ..probing.evaluation import in_frame, out_of_frame
from ..probing.fits import fit_circle
from ..probing.results import Results, step_results
from ..probing.spokes import spoke_factors
from ..probing.touches import Place, Step
from ..quantities import said_signed, said_unsigned
from ..setup_plan import SetupPlan
from .records import ball_centre

#: A work offset that has moved by more than so many times the clamping scatter was moved by something else.
_SCATTERS = 3.0


class RecordedTouch(Model):
    """One counted trigger of a step, which is named as in the plan; readings in the file's unit, ``at_s`` seconds
    after the program's start where that is known."""

    step: Name
    x: Length
    y: Length
    z: Length
    at_s: Annotated[float, Field(ge=0)] | None = None


class RecordedWcs(Model):
    """A work offset as the control holds it, and how far it is turned about Z."""

    x: Length
    y: Length
    z: Length
    skew_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0


class KnownRing(Model):
    """A ring or plug of known diameter that a bore or boss step touched, to calibrate the probe.

    ``x`` and ``y`` are the spindle's machine position over its middle, indicated true, where that was done.
    """

    step: Name
    diameter: PositiveLength
    x: Length | None = None
    y: Length | None = None


class RecordedTouches(Model):
    """``readings`` are machine positions without tool length (``machine``), or places of the probe's tip in the
    work offset ``wcs``.  Results are given in ``wcs``, the planned one where it is left out; ``before`` is what that
    offset held before it was probed.

    The table shows every feature from ``reference``; ``towards`` is what its X and Y are squared to.  With a ``ring``
    of known size the probe is calibrated.
    """

    format: Literal["ledgecliff-touches"] = "ledgecliff-touches"
    version: Literal[1] = 1
    setup: Name
    unit: Literal["mm", "in"] = "mm"
    readings: Literal["machine", "work offset"] = "machine"
    wcs: RecordedWcs | None = None
    before: RecordedWcs | None = None
    reference: Name | None = None
    towards: Name | None = None
    ring: KnownRing | None = None
    touches: Annotated[tuple[RecordedTouch, ...], Field(min_length=1, max_length=100_000)]


@dataclass(frozen=True, eq=False)
class MeasuredStep:
    """``contacts`` in M (mm), how far each lies beyond where it was expected along the ball's way, and when it was
    made (s); ``found`` in the WCS by the keys of the step's quantities; ``m_place`` is the found
    place in M where the step finds both X and Y; ``residuals`` of a circle through four points or more."""

    step: Step
    contacts: tuple[Place, ...]
    deviations: tuple[float, ...]
    at_s: tuple[float | None, ...]
    found: Results
    m_place: tuple[float, float] | None
    residuals: tuple[float, ...]
    #: Standard uncertainties by key (mm, degrees): from the residuals where there are enough touches, else from the
    #: probe's repeatability.
    uncertainty: Results


@dataclass(frozen=True)
class FromReference:
    """One feature seen from the reference, along the reference's X and Y (mm)."""

    name: str
    x: float
    y: float
    nominal: tuple[float, float]
    size: float | None
    allowed: float | None

    @property
    def off(self) -> float:
        """How far it lies from where the drawing has it."""
        return math.hypot(self.x - self.nominal[0], self.y - self.nominal[1])


@dataclass(frozen=True)
class Calibration:
    """Effective radius along X and Y and on the whole (mm), and how far the stylus' centre stands off the spindle's."""

    radius_x: float
    radius_y: float
    offset: tuple[float, float] | None

    @property
    def radius(self) -> float:
        return (self.radius_x + self.radius_y) / 2.0


@dataclass(frozen=True)
class Change:
    """How far probing has moved a work offset along one axis (mm), and whether that is so far that it must be
    confirmed: more than the setup's ``jump``, or than three times its clamping scatter where it has none."""

    axis: Axis
    by: float
    limit: float

    @property
    def confirm(self) -> bool:
        return abs(self.by) > self.limit


@dataclass(frozen=True, eq=False)
class Measurement:
    """``offset`` is the code that was set, with its ``changes`` where it is known what it held before.

    ``m_zero`` (3,) and ``skew_deg`` are the WCS of the results; the table's own skew is against the machine."""

    setup: SetupPlan
    steps: tuple[MeasuredStep, ...]
    m_zero: Place
    skew_deg: float
    reference: str
    table: tuple[FromReference, ...]
    table_skew_deg: float
    calibration: Calibration | None = None
    offset: str = ""
    changes: tuple[Change, ...] = ()


def measured_names(setup: SetupPlan) -> tuple[str, ...]:
    """Features of which a step finds both X and Y, in order."""
    return tuple(
        dict.fromkeys(
            step.cycle.feature
            for step in setup.probing.steps
            if step.cycle.feature is not None and {"x", "y"} <= {quantity.key for quantity in step.finds}
        )
    )


def seen_from(names: Sequence[str], reference: str | None, towards: str | None) -> tuple[str | None, str | None]:
    """What was chosen, of the features that are measured: the first one where it is none of them, and squared to
    nothing where that would be the same."""
    seen = reference if reference in names else next(iter(names), None)
    return seen, towards if towards in names and towards != seen else None


def said_of(measured: Measurement) -> str:
    """Each feature from the reference with how far it is off, the probe's radius, and how offsets have changed; a line
    each, with lengths to be spelled."""
    lines = []
    for row in measured.table:
        allowed = "" if row.allowed is None else f" of {said_unsigned(row.allowed)} allowed"
        lines.append(
            f"{row.name}: X {said_signed(row.x)}  Y {said_signed(row.y)}\n    off {said_unsigned(row.off)}{allowed}"
        )
    calibration = measured.calibration
    if calibration is not None:
        lines.append(f"calibrated: X {said_unsigned(calibration.radius_x)}  Y {said_unsigned(calibration.radius_y)}")
    for change in measured.changes:
        words = f"{measured.offset} {change.axis.upper()} changed by {said_signed(change.by)}"
        lines.append(words + (f"\n    confirm: more than {said_unsigned(change.limit)}" if change.confirm else ""))
    return "\n".join([f"turned {measured.table_skew_deg:+.4f}°", *lines])


def measure(setup: SetupPlan, recorded: RecordedTouches) -> Measurement:
    """Raises InvalidValueError when a step, a reference or a touch is not of this setup, or when nothing follows from
    the touches of a step."""
    per_unit = 25.4 if recorded.unit == "in" else 1.0
    zero, skew_deg = _wcs(setup, recorded, per_unit)
    steps = tuple(
        _step(setup, step, _mine(recorded, step), _centres(setup, recorded, step, zero, skew_deg, per_unit), zero,
              skew_deg)
        for step in _named_steps(setup, recorded)
    )  # fmt: skip
    names = {step.cycle.name for step in setup.probing.steps} | {step.title for step in setup.probing.steps}
    strange = next((touch.step for touch in recorded.touches if touch.step not in names), None)
    if strange is not None:
        raise InvalidValueError("touches", f"{setup.setup.name} has no step '{strange}'; name one of its cycles")
    table, turn = _table(setup, steps, recorded.reference, recorded.towards, skew_deg)
    found = _calibrated(recorded.ring, steps, setup.machine.probe.effective_radius, per_unit)
    changes = _changes(setup, recorded, per_unit)
    return Measurement(
        setup=setup,
        steps=steps,
        m_zero=zero,
        skew_deg=skew_deg,
        reference=recorded.reference or "",
        table=table,
        table_skew_deg=turn,
        calibration=found,
        offset=setup.setup.offset,
        changes=changes,
    )


def change_limit(setup: SetupPlan) -> float:
    """How far a setup's offset may change before somebody must confirm it (mm)."""
    return setup.setup.probing.jump or _SCATTERS * setup.holding.clamping.standard


def _changes(setup: SetupPlan, recorded: RecordedTouches, per_unit: float) -> tuple[Change, ...]:
    if recorded.before is None or recorded.wcs is None:
        return ()
    limit = change_limit(setup)
    return tuple(
        Change(axis, (getattr(recorded.wcs, axis) - getattr(recorded.before, axis)) * per_unit, limit) for axis in AXES
    )


def _calibrated(
    ring: KnownRing | None, steps: Sequence[MeasuredStep], radius: float, per_unit: float
) -> Calibration | None:
    """In a ring the ball's centre travels ``D - 2r`` from wall to wall, about a plug ``D + 2r``: with ``D`` known,
    ``r`` follows (docs/methods/one-touch.md)."""
    if ring is None:
        return None
    step = next((each for each in steps if ring.step in (each.step.cycle.name, each.step.title)), None)
    if step is None or step.step.w_centre is None or step.m_place is None:
        raise InvalidValueError("ring", f"'{ring.step}' is no measured bore or boss; name the step that touched it")
    sign = 1.0 if step.step.inside else -1.0
    sizes = [step.found.get(f"size {axis}", step.found.get("size", math.nan)) for axis in ("x", "y")]
    x, y = (radius + sign * (ring.diameter * per_unit - size) / 2.0 for size in sizes)
    offset = None
    if ring.x is not None and ring.y is not None:
        offset = (step.m_place[0] - ring.x * per_unit, step.m_place[1] - ring.y * per_unit)
    return Calibration(x, y, offset)


def _wcs(setup: SetupPlan, recorded: RecordedTouches, per_unit: float) -> tuple[Place, float]:
    if recorded.wcs is None:
        if recorded.readings == "work offset":
            raise InvalidValueError("wcs", "readings in a work offset need its values; give wcs with x, y and z")
        x, y, z = (float(value) for value in setup.located.m_offset)
        return (x, y, z), setup.located.turn_deg
    wcs = recorded.wcs
    # The file has what the control's table shows.
    z = wcs.z * per_unit + setup.machine.length_shift()
    return (wcs.x * per_unit, wcs.y * per_unit, z), wcs.skew_deg


def _named_steps(setup: SetupPlan, recorded: RecordedTouches) -> list[Step]:
    wanted = {touch.step for touch in recorded.touches}
    return [step for step in setup.probing.steps if wanted & {step.cycle.name, step.title}]


def _centres(
    setup: SetupPlan, recorded: RecordedTouches, step: Step, zero: Place, skew_deg: float, per_unit: float
) -> list[Place]:
    """Ball centres in M of the step's touches: the last of each where there are several passes."""
    mine, count = _mine(recorded, step), len(step.touches)
    if len(mine) < count or len(mine) % count:
        raise InvalidValueError(
            "touches", f"step '{step.title}' has {count} touches, not {len(mine)}; record each of them, pass after pass"
        )
    probe, centres = setup.machine.probe, []
    for touch in mine[-count:]:
        place = (touch.x * per_unit, touch.y * per_unit, touch.z * per_unit)
        if recorded.readings == "machine":
            centres.append(ball_centre(place, probe))
        else:
            x, y, z = out_of_frame(np.array(place), np.array(zero), math.radians(skew_deg))
            centres.append((float(x), float(y), float(z) + probe.effective_radius))
    return centres


def _mine(recorded: RecordedTouches, step: Step) -> list[RecordedTouch]:
    return [touch for touch in recorded.touches if touch.step in (step.cycle.name, step.title)]


def _step(
    setup: SetupPlan, step: Step, touches: Sequence[RecordedTouch], centres: Sequence[Place], zero: Place,
    skew_deg: float,
) -> MeasuredStep:  # fmt: skip
    probe = setup.machine.probe
    radius, m_zero, skew = probe.effective_radius, np.array(zero), math.radians(skew_deg)
    w_centres: list[Place] = []
    contacts: list[Place] = []
    deviations: list[float] = []
    for touch, centre in zip(step.touches, centres, strict=True):
        x, y, z = (float(value) for value in in_frame(np.array(centre), m_zero, skew))
        w_centres.append((x, y, z))
        way = np.array(out_of_frame(np.array(touch.way), np.zeros(3), skew))
        a, b, c = (float(value) for value in np.array(centre) + radius * way)
        contacts.append((a, b, c))
        beyond = np.array(w_centres[-1]) + radius * np.array(touch.way) - np.array(touch.w_contact)
        deviations.append(float(beyond @ np.array(touch.way)))
    try:
        found, residuals, uncertainty = _evaluated(step, w_centres, probe)
    except FitError as error:
        raise InvalidValueError("touches", f"step '{step.title}': {error}") from error
    place = None
    if {"x", "y"} <= found.keys():
        m = out_of_frame(np.array([found["x"], found["y"], 0.0]), m_zero, skew)
        place = (float(m[0]), float(m[1]))
    times = tuple(touch.at_s for touch in touches[-len(centres) :])
    return MeasuredStep(
        step=step,
        contacts=tuple(contacts),
        deviations=tuple(deviations),
        at_s=times,
        found=found,
        m_place=place,
        residuals=residuals,
        uncertainty=uncertainty,
    )


def _evaluated(
    step: Step, w_centres: Sequence[Place], probe: Probe
) -> tuple[Results, tuple[float, ...], Results]:  # fmt: skip
    """What a step found, the residuals of its circle where there is one through four points or more, and its
    uncertainties."""
    found = step_results(step, w_centres, probe.effective_radius)
    if not all(math.isfinite(value) for value in found.values()):
        raise FitError("nothing follows from its touches. Check that each was made where the plan has it.")
    uncertainty = _uncertainty(step, found, probe.repeatability)
    if step.w_centre is None or len(w_centres) < 4:
        return found, (), uncertainty
    circle = fit_circle(np.array(w_centres)[:, :2])
    sizes = {key: max(value, 2.0 * circle.u_radius) for key, value in uncertainty.items() if key not in "xy"}
    uncertainty |= sizes | {key: max(uncertainty[key], circle.u_centre) for key in ("x", "y")}
    return found, tuple(float(value) for value in circle.residuals), uncertainty


def _uncertainty(step: Step, found: Results, repeatability: float) -> Results:
    """From one touch's repeatability ``u``: a middle ``u/√2``, a width ``√2 u``, an angle ``√2 u / spacing``."""
    u = repeatability / math.sqrt(step.cycle.touches)
    if step.cycle.angles_deg:
        x, y, radius = spoke_factors(step.cycle.angles_deg)
        return {"x": x * u, "y": y * u, "size": 2.0 * radius * u}
    paired = step.kind in (*WIDTHS, "rectangle", "bore", "boss", "bar", "rotary axis")
    result: Results = {}
    for key in found:
        if key.startswith("size"):
            result[key] = math.sqrt(2.0) * u
        elif key == "skew":
            spacing = math.dist(step.touches[0].w_contact, step.touches[1].w_contact)
            result[key] = math.degrees(math.sqrt(2.0) * u / spacing)
        else:
            result[key] = u / math.sqrt(2.0) if paired and key != "z" else u
    return result


def _table(
    setup: SetupPlan, steps: Sequence[MeasuredStep], reference: str | None, towards: str | None, skew_deg: float
) -> tuple[tuple[FromReference, ...], float]:
    if reference is None:
        return (), skew_deg
    by_name = {step.step.cycle.feature: step for step in steps if step.m_place is not None and step.step.cycle.feature}
    for field, name in (("reference", reference), ("towards", towards)):
        if name is not None and name not in by_name:
            raise InvalidValueError(field, f"'{name}' was not measured in X and Y; name one of {', '.join(by_name)}")
    features = {feature.name: feature for feature in setup.features}
    base = by_name[reference].m_place
    assert base is not None, "only steps with a place are listed"
    turn = math.radians(skew_deg)
    if towards is not None:
        other = by_name[towards].m_place
        assert other is not None, "only steps with a place are listed"
        nominal = _nominal(setup, features[towards], features[reference])
        turn = math.atan2(other[1] - base[1], other[0] - base[0]) - math.atan2(nominal[1], nominal[0])
        turn = math.remainder(turn, 2.0 * math.pi)
    rows = []
    for name, step in by_name.items():
        if name == reference or step.m_place is None or name is None:
            continue
        dx, dy = step.m_place[0] - base[0], step.m_place[1] - base[1]
        x = math.cos(turn) * dx + math.sin(turn) * dy
        y = math.cos(turn) * dy - math.sin(turn) * dx
        sizes = [value for key, value in step.found.items() if key.startswith("size")]
        tolerance = features[name].tolerance
        allowed = tolerance.position if tolerance is not None and tolerance.to == reference else None
        nominal = _nominal(setup, features[name], features[reference])
        rows.append(FromReference(name, x, y, nominal, sum(sizes) / len(sizes) if sizes else None, allowed))
    return tuple(rows), math.degrees(turn)


def _nominal(setup: SetupPlan, feature: Feature, reference: Feature) -> tuple[float, float]:
    """Where the drawing has a feature, seen from another, along the setup's X and Y."""
    x, y, _ = setup.wcs.reads(feature.at.as_tuple()) - setup.wcs.reads(reference.at.as_tuple())
    return float(x), float(y)
