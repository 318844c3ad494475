"""The demo *sluice valve block*: five sides in one clamping on a trunnion, the numbers of the method's worked example.

The block is 90 x 70 x 60, its zero at the lowest left front corner; its middle stands over the table's centre, so that
with both axes level its zero is at machine (-447.120, -245.740, -341.000).
"""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.carrier_body import BoxBody, RoundBody
from ledgecliff.core.model.holding import StepJaws, Vise, ViseHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, OffsetCode, Probe, ProbingRoutine
from ledgecliff.core.model.operations import Face, Hole
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import Feature, ModelReference, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stations import IndexAngle, Mount, Rotary, Station
from ledgecliff.core.model.stock import Allowance, BlockStock
from ledgecliff.store.migrations import machine_id

LENGTH, WIDTH, HEIGHT = 90.0, 70.0, 60.0
NAME = "Mill 3, the trunnion"
TRUNNION = machine_id(NAME)
VISE, CRADLE, TABLE = (derived_id(TRUNNION, what) for what in ("vise", "axis A", "axis C"))
#: What lies on the steps of the jaws below the finished part, and how high those steps are (mm).
_STUB, _STEPS = 5.0, 38.0
#: Where the turntable's top is, under the vise (machine Z).
_TOP = -341.0 - _STUB - _STEPS - 50.0
#: Name, place in P, part direction it opens to, diameter and depth.
BORES = (
    ("top bore", (45.0, 35.0, 60.0), "+Z", 24.0, 48.0),
    ("back port", (60.0, 70.0, 25.0), "+Y", 14.0, 22.0),
    ("right port", (90.0, 35.0, 25.0), "+X", 14.0, 36.0),
    ("front port", (30.0, 0.0, 25.0), "-Y", 14.0, 22.0),
    ("left port", (0.0, 35.0, 25.0), "-X", 14.0, 36.0),
)
_INDEXES = ((0.0, 0.0), (90.0, 0.0), (90.0, 90.0), (90.0, 180.0), (90.0, 270.0))


def _point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def _axes() -> tuple[Rotary, Rotary]:
    cradle = Rotary(
        id=CRADLE, name="cradle", word="A", about="x", centre=_point(0, -210.5, -388.25), uncertainty=0.006,
        origin="trunnion faces", found_on="2026-03-02", sense="right-handed", sense_seen_on="2026-01-19",
        flat_swept_on="2026-03-02", repeat_deg=0.001, lowest_deg=-30, highest_deg=110,
        free_word="M78", clamp_word="M79",
        # Two arms of the cradle, and what joins them under the turntable.
        bodies=(
            BoxBody(name="left arm", low=_point(-600, -60, -125), high=_point(-560, 60, 60)),
            BoxBody(name="right arm", low=_point(-245, -60, -125), high=_point(-205, 60, 60)),
            BoxBody(name="bed", low=_point(-560, -60, -125), high=_point(-245, 60, -90)),
        ),
    )  # fmt: skip
    table = Rotary(
        id=TABLE, name="turntable", word="C", about="z", on=CRADLE, centre=_point(-402.12, -210.74, 0),
        uncertainty=0.005, origin="table bore", found_on="2026-03-02", sense="right-handed", sense_seen_on="2026-01-19",
        flat_swept_on="2026-03-02", repeat_deg=0.001, way_round="nearer way", free_word="M76", clamp_word="M77",
        bodies=(RoundBody(name="top", at=_point(0, 0, _TOP - 40.0), along="z", length=40, diameter=240),),
    )  # fmt: skip
    return cradle, table


def _stands() -> Mount:
    """What the cradle hangs in, on the machine's table."""
    posts = (("left post", -660.0, -605.0), ("right post", -200.0, -145.0))
    return Mount(
        id=derived_id(TRUNNION, "stands"), name="trunnion stands", at=_point(0, -210.5, -560),
        bodies=tuple(
            BoxBody(name=name, low=_point(left, -70, 0), high=_point(right, 70, 230)) for name, left, right in posts
        ),
    )  # fmt: skip


def _machine() -> Machine:
    vise = Vise(
        name="trunnion vise", jaw_width=110, jaw_height=42, jaw_thickness=16, opening_min=4, opening_max=110,
        grip_min=3, clamping_scatter=0.008, bed_height=50, centring=True,
    )  # fmt: skip
    return Machine(
        id=TRUNNION,
        name=NAME,
        travel_min=_point(-760, -460, -560),
        travel_max=_point(0, 0, 0),
        offsets=tuple(OffsetCode(code=f"G{54 + k}", number=k + 1) for k in range(6)),
        probe=Probe(
            tool=30, length=142.6, ball_diameter=4.0, effective_radius=1.982, stem_diameter=2.0, body_diameter=12.0,
            reach=30.0, travel_feed=1200, search_feed=300, touch_feed=60, back_off=1.0, repeatability=0.001,
        ),
        cutters=(
            Cutter(tool=1, name="50 mm face mill", diameter=50, length=96.0, shape="face mill", flute=10, reach=40,
                   holder_diameter=48),
            Cutter(tool=2, name="12 mm end mill, long", diameter=12, length=136.0, flute=50, reach=62,
                   holder_diameter=28),
        ),
        carriers=(*_axes(), _stands()),
        fixtures=(vise,),
        stations=(
            Station(id=VISE, name="trunnion vise", fixture="trunnion vise", on=TABLE,
                    at=_point(-402.12, -210.74, -341.0 - _STUB - _STEPS)),
        ),
    )  # fmt: skip


def _setups() -> tuple[Setup, ...]:
    routine = ProbingRoutine(stand_off=5, overtravel=5, depth=8, clearance=15, guess=3)
    hold = ViseHold(
        parallels_height=_STEPS, parallels_thickness=14, parallels_length=110, jaws=StepJaws(height=_STEPS, depth=4)
    )
    middle, along = AxisDatum(source="stock centre"), AxisDatum(source="rotary index")
    first = Setup(
        id=derived_id("sluice valve block", "Op 10"),
        name="Op 10",
        side="top side",
        machine=TRUNNION,
        station=VISE,
        index=(IndexAngle(word="A", degrees=0), IndexAngle(word="C", degrees=0)),
        hold=hold,
        offset="G54",
        datum=Datum(x=middle, y=middle, z=AxisDatum(source="part top")),
        probing=routine,
        hover=Hover(tool=2, block=75, gap=0.0, feed=200),
        operations=(
            Face(name="face the top", tool=1),
            Hole(name="top bore", tool=2, on="top bore", features=("top bore",)),
        ),
    )
    sides = []
    for k, ((name, *_), (a, c)) in enumerate(zip(BORES[1:], _INDEXES[1:], strict=True), start=2):
        sides.append(
            first.model_copy(
                update={
                    "id": derived_id("sluice valve block", f"Op {10 * k}"),
                    "name": f"Op {10 * k}",
                    "side": f"{name.split()[0]} side",
                    "index": (IndexAngle(word="A", degrees=a), IndexAngle(word="C", degrees=c)),
                    "offset": f"G{53 + k}",
                    "datum": Datum(x=along, y=along, z=along),
                    "operations": (Hole(name=name, tool=2, on=name, features=(name,)),),
                }
            )
        )
    underside = first.model_copy(
        update={
            "id": derived_id("sluice valve block", "Op 60"),
            "name": "Op 60",
            "side": "underside",
            "orientation": Orientation(up="-Z", right="+X"),
            "offset": "G59",
            "hold": ViseHold(parallels_height=_STEPS, parallels_thickness=8, parallels_length=170),
            "datum": Datum(x=middle, y=middle, z=AxisDatum(source="parallels")),
            "operations": (Face(name="face the stub off", tool=1),),
        }
    )
    return (first, *sides, underside)


def sluice_valve_block(reference: Callable[[str], ModelReference]) -> Job:
    features = tuple(
        Feature(name=name, kind="hole", at=_point(*at), opens_to=to, diameter=diameter, depth=depth)
        for name, at, to, diameter, depth in BORES
    )
    return Job(
        id=derived_id("Sluice valve block"),
        title="Sluice valve block",
        note="Demo job of the Brackwater Tide Works: a valve body, five sides in one clamping on the trunnion.",
        part=Part(name="sluice valve block", model=reference("sluice_valve_block"), features=features),
        stock=BlockStock(
            material="bronze, ground to size on four sides",
            nominal=Size(x=LENGTH, y=WIDTH, z=HEIGHT + _STUB + 1.5),
            measured=Size(x=LENGTH, y=WIDTH, z=HEIGHT + _STUB + 1.5),
            varies=Spread(x=0.01, y=0.01, z=0.2),
            allowance=Allowance(plus_z=1.5),
            is_measured=True,
            prepared=("-X", "+X", "-Y", "+Y"),
        ),
        machines=(_machine(),),
        setups=_setups(),
    )
