"""Writes the shipped demo jobs of the Brackwater Tide Works: ``python -m tools.make_demo_jobs``.

The float housing is the worked example of docs/methods.  Jobs are made through the model, so none can
be one that the program would refuse.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.turns import with_way
from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import (
    Chuck,
    Clamp,
    Dowel,
    ParallelsSet,
    Plate,
    PlateHold,
    SoftJaws,
    Spoilboard,
    StepJaws,
    Stop,
    VBlock,
    Vise,
    ViseHold,
)
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, OffsetCode, Probe, ProbingRoutine
from ledgecliff.core.model.operations import Bore, EdgeBreak, Face, Hole, Outline, Pocket, Seen
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BlockShape, Feature, ModelReference, Part, Tolerance
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.shop import NamedJaws, Shop
from ledgecliff.core.model.stock import Allowance, BlockStock
from ledgecliff.core.new_job import recognised_features
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.proposals import proposed_cycles
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.job_files import job_text
from ledgecliff.store.migrations import machine_id
from ledgecliff.store.part_models import read_model
from ledgecliff.store.shop import shop_text
from tools.demo_dial_ring import dial_ring_in_a_frame, dial_ring_on_pins
from tools.demo_gate_hinge import gate_hinge
from tools.demo_gland_spindle import gland_spindle
from tools.demo_hinge_leaves import hinge_leaves
from tools.demo_rack_shoes import rack_shoes
from tools.demo_sluice_valve import sluice_valve_block
from tools.demo_tuesday import write_tuesday
from tools.fixtures import MILL, station, station_id, with_fixtures

DEMO = Path(__file__).parents[1] / "ledgecliff" / "demo"


def point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def features() -> tuple[Feature, ...]:
    def bolt_hole(name: str, x: float, y: float) -> Feature:
        return Feature(name=f"bolt hole {name}", kind="hole", at=point(x, y, 0), opens_to="-Z", diameter=5.5)

    return (
        Feature(name="main bore", kind="bore", at=point(30, 32, 28), opens_to="+Z", diameter=22),
        bolt_hole("SW", 12, 12),
        bolt_hole("NW", 12, 52),
        bolt_hole("SE", 80, 12),
        bolt_hole("NE", 80, 52),
        Feature(name="pocket", kind="pocket", at=point(61, 32, 6), opens_to="+Z"),
        Feature(
            name="counterbore", kind="counterbore", at=point(30, 32, 0), opens_to="-Z", diameter=30, partner="main bore"
        ),
        Feature(
            name="bore edge break", kind="edge break", at=point(30, 32, 0), opens_to="-Z", diameter=32,
            partner="main bore",
        ),
        Feature(name="port", kind="hole", at=point(96, 32, 12), opens_to="+X", diameter=10),
    )  # fmt: skip


def machine() -> Machine:
    def vise(name: str) -> Vise:
        return Vise(
            name=name, jaw_width=150, jaw_height=42, jaw_thickness=18,
            opening_min=10, opening_max=150, grip_min=3.5, clamping_scatter=0.010, bed_height=62,
        )  # fmt: skip

    bare = Machine(
        id=machine_id("Mill 2, the long table"),
        name="Mill 2, the long table",
        travel_min=point(-760, -410, -510),
        travel_max=point(0, 0, 0),
        offsets=tuple(OffsetCode(code=f"G{54 + k}", number=k + 1) for k in range(6)),
        probe=Probe(
            tool=30, length=142.6, ball_diameter=4.0, effective_radius=1.982, stem_diameter=2.0, body_diameter=12.0,
            reach=30.0, travel_feed=1200, search_feed=300, touch_feed=60, back_off=1.0, repeatability=0.001,
        ),
        cutters=(
            Cutter(tool=1, name="50 mm face mill", diameter=50, length=96.0, shape="face mill", flute=10, reach=40,
                   holder_diameter=48),
            Cutter(tool=2, name="12 mm end mill", diameter=12, length=118.4, flute=36, reach=46),
            Cutter(tool=3, name="8 mm end mill", diameter=8, length=112.0, flute=28, reach=36),
            Cutter(tool=4, name="6 mm chamfer mill", diameter=6, length=108.5, shape="slanted", flute=6, reach=30,
                   end_angle_deg=90),
        ),
    )  # fmt: skip
    places = (("left vise", -520), ("right vise", -240))
    return with_fixtures(bare, *((vise(name), point(x, -180, -480)) for name, x in places))


def op_10() -> Setup:
    return Setup(
        id=derived_id("Op 10", "top side"),
        name="Op 10",
        side="top side",
        orientation=Orientation(up="+Z", right="+X"),
        machine=MILL,
        station=station_id("left vise"),
        hold=ViseHold(parallels_height=38, parallels_thickness=14, parallels_length=150),
        offset="G54",
        datum=Datum(
            x=AxisDatum(source="stock centre"), y=AxisDatum(source="stock centre"), z=AxisDatum(source="part top")
        ),
        probing=ProbingRoutine(stand_off=5, overtravel=5, depth=8, clearance=15, guess=3),
        hover=Hover(tool=2, block=75, gap=0.0, feed=200),
        operations=(
            Face(name="face the top", tool=1),
            Outline(name="outline down to the hat", tool=2),
            Seen(
                name="pocket and bolt holes", tool=3,
                features=("bolt hole SW", "bolt hole NW", "bolt hole SE", "bolt hole NE", "pocket"),
            ),
            Bore(name="bore through the hat", tool=2, on="main bore", beyond=0.5, features=("main bore",)),
        ),
        stock_assumed=Size(x=100, y=68, z=34),
    )  # fmt: skip


def op_20() -> Setup:
    return Setup(
        id=derived_id("Op 20", "underside"),
        name="Op 20",
        side="underside",
        orientation=Orientation(up="-Z", right="+X"),
        machine=MILL,
        station=station_id("right vise"),
        hold=ViseHold(parallels_height=24, parallels_thickness=14, parallels_length=150),
        offset="G55",
        datum=Datum(
            x=AxisDatum(source="feature", feature="main bore"),
            y=AxisDatum(source="feature", feature="main bore"),
            z=AxisDatum(source="parallels"),
        ),
        probing=ProbingRoutine(stand_off=5, overtravel=5, depth=8, clearance=15, guess=3),
        hover=Hover(tool=2, block=75, gap=0.0, feed=200),
        operations=(
            Face(name="face the hat off", tool=1),
            Seen(name="counterbore and edge break", tool=4, features=("counterbore", "bore edge break")),
        ),
        stock_assumed=Size(x=100, y=68, z=32.5),
    )


def float_housing() -> Job:
    return Job(
        id=derived_id("Float housing"),
        title="Float housing",
        note="Demo job of the Brackwater Tide Works: a pump float's housing, worked from both sides.",
        part=Part(
            name="float housing",
            model=model_reference("float_housing"),
            features=features(),
        ),
        stock=BlockStock(
            material="aluminium plate",
            nominal=Size(x=100, y=68, z=34),
            measured=Size(x=100, y=68, z=34),
            varies=Spread(x=0.8, y=0.1, z=0.1),
            allowance=Allowance(plus_z=1.5),
            is_measured=True,
        ),
        machines=(machine(),),
        setups=(op_10(), op_20()),
    )


def float_housing_by_jaw() -> Job:
    """The same housing on a thicker plate, turned against jaw and stop: its left end meets the stop both times."""
    job = float_housing()
    left = AxisDatum(source="stock minus side", shift=50)
    stop = Stop(side="left", height=42)
    first, second = job.setups
    first = first.model_copy(
        update={
            "hold": first.hold.model_copy(update={"parallels_height": 32, "stop": stop}),
            "operations": tuple(
                one.model_copy(update={"tool": 5}) if one.removes == "bore" else one for one in first.operations
            ),
            "datum": Datum(x=left, y=AxisDatum(source="stock plus side", shift=-34), z=AxisDatum(source="part top")),
            "stock_assumed": Size(x=100, y=68, z=40),
        }
    )
    second = second.model_copy(
        update={
            "hold": second.hold.model_copy(update={"stop": stop}),
            "operations": (second.operations[0].model_copy(update={"tool": 2}), *second.operations[1:]),
            "datum": Datum(x=left, y=AxisDatum(source="fixed jaw", shift=-32), z=AxisDatum(source="parallels")),
            "probing": second.probing.model_copy(update={"depth": 5.2}),
            "stock_assumed": Size(x=100, y=68, z=38.5),
        }
    )
    thick = Size(x=100, y=68, z=40)
    long_mill = Cutter(tool=5, name="12 mm end mill, long", diameter=12, length=130.0, flute=45, reach=55)
    return job.model_copy(
        update={
            "id": derived_id("Float housing by jaw"),
            "title": "Float housing by jaw",
            "machines": (job.machine.model_copy(update={"cutters": (*job.machine.cutters, long_mill)}),),
            "note": "Demo job of the Brackwater Tide Works: the housing turned against jaw and stop.",
            "stock": job.stock.model_copy(update={"nominal": thick, "measured": thick}),
            "setups": (first, second),
        }
    )


def float_housing_to_the_middle() -> Job:
    """The housing in one self-centring vise for both sides, found again in the same work offset after the turn."""
    job = float_housing()
    machine = job.machine
    closing = tuple(
        each.model_copy(update={"centring": True}) if each.name == "left vise" else each for each in machine.fixtures
    )
    first, second = job.setups
    between = AxisDatum(source="fixture value")
    first = first.model_copy(
        update={"datum": Datum(x=AxisDatum(source="stock centre"), y=between, z=AxisDatum(source="part top"))}
    )
    second = second.model_copy(
        update={
            "station": first.station,
            "offset": first.offset,
            "datum": Datum(
                x=AxisDatum(source="feature", feature="main bore"), y=between, z=AxisDatum(source="parallels")
            ),
        }
    )
    return job.model_copy(
        update={
            "id": derived_id("Float housing to the middle"),
            "title": "Float housing to the middle",
            "note": "Demo job of the Brackwater Tide Works: the housing between jaws that close to the middle.",
            "codes": "one for all",
            "machines": (machine.model_copy(update={"fixtures": closing}),),
            "setups": (first, second),
        }
    )


def model_reference(name: str) -> ModelReference:
    model = DEMO / f"{name}.step"
    return ModelReference(path=model.name, sha256=hashlib.sha256(model.read_bytes()).hexdigest())


def lamp_lid() -> Job:
    """An acetal shell: its inside first, while the outside is still a block on a hat."""
    centre = AxisDatum(source="stock centre")
    gland = AxisDatum(source="feature", feature="gland hole")
    first = Setup(
        id=derived_id("Op 10", "inside"),
        name="Op 10",
        side="inside",
        orientation=Orientation(up="-Z", right="+X"),
        machine=MILL,
        station=station_id("left vise"),
        hold=ViseHold(parallels_height=38, parallels_thickness=6, parallels_length=150),
        offset="G54",
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="part top")),
        hover=Hover(tool=2),
        operations=(
            Face(name="face the rim", tool=1),
            Pocket(name="hollow the inside", tool=5, on="inside", features=("inside", "left boss", "right boss")),
            Pocket(name="step for the seal", tool=5, on="seal step", features=("seal step",)),
            *(
                Pocket(name=f"{name}, through", tool=5, on=name, features=(name,))
                for name in ("front vent", "back vent")
            ),
            *(
                Hole(name=f"drill the {name}", tool=6, on=name, point=0.95, features=(name,))
                for name in ("left screw hole", "right screw hole")
            ),
            Outline(name="outline down to the hat", tool=2),
            Bore(name="gland hole through the hat", tool=5, on="gland hole", features=("gland hole",)),
        ),
        least_wall=1.1,
    )
    second = Setup(
        id=derived_id("Op 20", "outside"),
        name="Op 20",
        side="outside",
        orientation=Orientation(up="+Z", right="+X"),
        machine=MILL,
        station=station_id("right vise"),
        hold=ViseHold(parallels_height=30, parallels_thickness=6, parallels_length=150,
            jaws=SoftJaws(depth=10),
        ),
        offset="G55",
        datum=Datum(x=gland, y=gland, z=AxisDatum(source="parallels")),
        probing=ProbingRoutine(stand_off=2, overtravel=2, depth=3.6, clearance=15, guess=1),
        hover=Hover(tool=2),
        operations=(Face(name="face the hat off", tool=1),),
        least_wall=1.1,
    )  # fmt: skip
    mill = machine()
    thin = Cutter(tool=5, name="3 mm end mill", diameter=3, length=94.0, flute=18, reach=24, holder_diameter=18)
    drill = Cutter(tool=6, name="3.3 mm drill", diameter=3.3, length=90.0, shape="drill", flute=20, reach=32,
                   holder_diameter=18, end_angle_deg=120)  # fmt: skip
    named = {
        "hole 1": "gland hole", "hole 2": "left screw hole", "hole 3": "right screw hole", "pocket 1": "seal step",
        "pocket 2": "inside", "pocket 3": "front vent", "pocket 4": "back vent", "boss 1": "left boss",
        "boss 2": "right boss",
    }  # fmt: skip
    reference = model_reference("lamp_lid")
    found = recognised_features(read_model(DEMO / "lamp_lid.step", reference))
    return Job(
        id=derived_id("Lamp lid"),
        title="Lamp lid",
        note="Demo job of the Brackwater Tide Works: a thin shell, its inside first.",
        part=Part(
            name="lamp lid",
            model=reference,
            features=tuple(f.model_copy(update={"name": named[f.name]}) for f in found),
        ),
        stock=BlockStock(
            material="acetal, natural",
            nominal=Size(x=92, y=66, z=26),
            measured=Size(x=92.2, y=66, z=26),
            varies=Spread(x=0.6, y=0.2, z=0.2),
            allowance=Allowance(minus_z=1.5),
        ),
        machines=(mill.model_copy(update={"cutters": (*mill.cutters, thin, drill)}),),
        setups=(first, second),
    )


def lamp_lid_in_a_jig() -> Job:
    """The lid turned over from one pocket of a jig into the other, with one zero for both sides."""
    job = lamp_lid()
    assert job.part.model is not None, "the lid has a model"
    models = Models(read_model(DEMO / "lamp_lid.step", job.part.model))
    job = with_way(job, 1, "two-pocket jig", make_plan(job, models))
    # Through the tape and no further; and the ball as deep in the zero hole as a flat jig allows.
    job = set_value(job, ("setups", 0, "operations", len(job.setups[0].operations) - 1, "beyond"), 0.1)
    return set_value(job, ("setups", 0, "probing", "depth"), 5.0)


#: Holes of the old cheek, as far as a rule tells: place in part X and Y.
CHEEK_HOLES = (
    (20, 24), (20, 60), (20, 96), (55, 24), (55, 96), (90, 22), (90, 98), (125, 24), (125, 96), (160, 24), (160, 60),
    (160, 96),
)  # fmt: skip


def winch_cheek() -> Job:
    """A new cheek like an old one of which there is no drawing: entered by its dimensions."""
    centre = AxisDatum(source="stock centre")
    bore = AxisDatum(source="feature", feature="shaft bore")
    holes = tuple(
        Feature(
            name=f"hole {number}", kind="hole", at=point(x, y, 24), opens_to="+Z", diameter=10.5, through=True,
            tolerance=Tolerance(position=0.2, to="shaft bore"),
        )
        for number, (x, y) in enumerate(CHEEK_HOLES, start=1)
    )  # fmt: skip
    sunk = tuple(
        Feature(name=f"head {number}", kind="counterbore", at=point(*CHEEK_HOLES[number - 1], 0), opens_to="-Z",
                diameter=17, depth=6, partner=f"hole {number}")
        for number in (1, 3, 10, 12)
    )  # fmt: skip
    first = Setup(
        id=derived_id("Op 10", "outer face"),
        name="Op 10",
        side="outer face",
        machine=MILL,
        station=station_id("left vise"),
        hold=ViseHold(parallels_height=30, parallels_thickness=14, parallels_length=150),
        offset="G54",
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="part top")),
        hover=Hover(tool=2),
        operations=(
            Face(name="face the outside", tool=1),
            Bore(name="shaft bore right through", tool=2, on="shaft bore", features=("shaft bore",)),
            *(
                Hole(name=f"drill {hole.name}", tool=6, on=hole.name, beyond=1.0, features=(hole.name,))
                for hole in holes
            ),
            EdgeBreak(name="break the bore's edge", tool=4, on=("bore edge",), features=("bore edge",)),
        ),
    )
    # When the holes are drilled they are measured from the shaft's bore, as the old cheek was.
    measured = tuple(
        ProbeCycle(name=f"measure {name}", kind="bore", on="feature", feature=name, action="measure",
                   after="drill hole 12")
        for name in ("shaft bore", *(hole.name for hole in holes))
    )  # fmt: skip
    features = (
        Feature(name="shaft bore", kind="bore", at=point(90, 60, 24), opens_to="+Z", diameter=60, through=True),
        *holes,
        *sunk,
        Feature(name="bore edge", kind="edge break", at=point(90, 60, 24), opens_to="+Z", diameter=63, depth=1.5),
    )
    routine = ProbingRoutine(cycles=(*proposed_cycles(first, features), *measured))
    first = first.model_copy(update={"probing": routine})
    second = Setup(
        id=derived_id("Op 20", "inner face"),
        name="Op 20",
        side="inner face",
        orientation=Orientation(up="-Z", right="+X"),
        machine=MILL,
        station=station_id("hole plate"),
        hold=PlateHold(
            dowels=(
                Dowel(x=-4, y=60, diameter=8, height=10),
                Dowel(x=45, y=-4, diameter=8, height=10),
                Dowel(x=135, y=-4, diameter=8, height=10),
            ),
            clamps=(Clamp(x=174, y=60, side="right", reach=6), Clamp(x=90, y=116, side="back", reach=5)),
        ),
        offset="G55",
        datum=Datum(x=bore, y=bore, z=AxisDatum(source="parallels")),
        hover=Hover(tool=2),
        operations=tuple(Hole(name=f"sink {head.name}", tool=3, on=head.name, features=(head.name,)) for head in sunk),
    )
    mill = machine()
    drill = Cutter(tool=6, name="10.5 mm drill", diameter=10.5, length=140.0, shape="drill", flute=90, reach=100,
                   end_angle_deg=140)  # fmt: skip
    return Job(
        id=derived_id("Winch cheek"),
        title="Winch cheek",
        note="Demo job of the Brackwater Tide Works: a new cheek like the old one, without a model.",
        part=Part(
            name="winch cheek",
            shape=BlockShape(size=Size(x=180, y=120, z=24)),
            features=features,
        ),
        stock=BlockStock(
            material="steel flat, edges as rolled",
            nominal=Size(x=180, y=120, z=25),
            measured=Size(x=180, y=120, z=25.1),
            varies=Spread(x=0, y=0, z=0.2),
            allowance=Allowance(minus_z=0.0),
        ),
        machines=(with_fixtures(
            mill.model_copy(update={"cutters": (*mill.cutters, drill)}),
            (Plate(name="hole plate", length=400, width=300, thickness=25), point(-240, -200, -460)),
        ),),
        setups=(first, second),
    )  # fmt: skip


def shop() -> Shop:
    """The library that ships: the mill of the demo, and what lies on its shelf."""
    mill = with_fixtures(
        machine().model_copy(
            update={
                "cutters": (
                    *machine().cutters,
                    Cutter(
                        tool=5,
                        name="16 mm end mill, long",
                        diameter=16,
                        length=152.0,
                        flute=55,
                        reach=82,
                        holder_diameter=36,
                    ),
                    Cutter(
                        tool=6,
                        name="8 mm end mill, long reach",
                        diameter=8,
                        length=136.0,
                        flute=24,
                        reach=62,
                        holder_diameter=28,
                    ),
                ),
            }
        ),
        *(
            (Plate(name="hole plate", length=400, width=300, thickness=25), point(-400, -200, -460)),
            (Spoilboard(name="spoilboard", length=600, width=380, thickness=18), point(-400, -200, -470)),
            (VBlock(name="long V-block", length=150, width=70, height=60, groove=50), point(-400, -330, -430)),
            (Chuck(name="rotary chuck", diameter=125, length=95, height=150), point(-620, -120, -330)),
        ),
    )
    (axis,) = mill.carriers
    seen = {"sense": "right-handed", "sense_seen_on": "2026-01-19"}
    mill = mill.model_copy(update={"carriers": (axis.model_copy(update=seen),)})
    shelf = (
        (
            Vise(name="small vise", jaw_width=100, jaw_height=30, jaw_thickness=14, opening_min=0, opening_max=100,
                 grip_min=3, clamping_scatter=0.015, lift=0.02),
            point(-400, -180, -470),
        ),
        (
            Vise(name="self-centring vise", jaw_width=120, jaw_height=36, jaw_thickness=16, opening_min=4,
                 opening_max=110, grip_min=3, clamping_scatter=0.008, bed_height=50, centring=True),
            point(-400, -180, -480),
        ),
        (Chuck(name="standing collet", diameter=70, length=60, height=60, opens="up"), point(-300, -120, -450)),
        (Plate(name="small plate", length=200, width=150, thickness=20), point(-300, -200, -465)),
        (Spoilboard(name="thin board", length=600, width=380, thickness=12, may_cut=0.5), point(-400, -200, -476)),
        (VBlock(name="short V-block", length=60, width=50, height=40, groove=36), point(-250, -330, -450)),
    )  # fmt: skip
    return Shop(
        name="Brackwater Tide Works",
        machine=mill,
        fixtures=tuple(fixture for fixture, _ in shelf),
        stations=tuple(station(fixture, at, "shelf") for fixture, at in shelf),
        parallels=(
            ParallelsSet(name="thin parallels, 150 long", heights=tuple(range(10, 41, 2)), thickness=6, length=150),
            ParallelsSet(name="thick parallels, 150 long", heights=(14, 20, 24, 29, 32, 35, 38), thickness=14,
                         length=150),
        ),
        jaws=(
            NamedJaws(name="stepped jaws, step 3 x 38", jaws=StepJaws(height=38, depth=3)),
            NamedJaws(name="soft jaws, cut 8 deep", jaws=SoftJaws(depth=8)),
        ),
    )  # fmt: skip


if __name__ == "__main__":
    (DEMO.parent / "resources" / "shop.json").write_text(shop_text(shop()), encoding="utf-8")
    rings = (dial_ring_on_pins(machine()), dial_ring_in_a_frame(machine()))
    for job in (
        float_housing(),
        float_housing_by_jaw(),
        float_housing_to_the_middle(),
        lamp_lid_in_a_jig(),
        winch_cheek(),
        gate_hinge(machine(), model_reference),
        sluice_valve_block(model_reference),
        gland_spindle(machine(), model_reference),
        hinge_leaves(model_reference),
        rack_shoes(),
        *rings,
    ):
        name = job.title.lower().replace(" ", "_")
        (DEMO / f"{name}.json").write_text(job_text(job), encoding="utf-8")
    write_tuesday(DEMO, float_housing(), rack_shoes(), rings[0])
