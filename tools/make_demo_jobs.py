"""Writes the shipped demo job of the Brackwater Tide Works: ``python tools/make_demo_jobs.py``.

The numbers are the handbook's worked example A; the job is made through the model, so it cannot
be one that the program would refuse.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from ledgecliff.core.frames import Orientation
from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.holding import (
    ParallelsSet,
    Plate,
    SoftJaws,
    Spoilboard,
    StepJaws,
    VBlock,
    Vise,
    ViseHold,
)
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, OffsetCode, Probe, ProbingRoutine
from ledgecliff.core.model.operations import Bore, Face, Outline, Seen
from ledgecliff.core.model.part import Feature, ModelReference, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.shop import NamedJaws, Shop
from ledgecliff.core.model.stock import Allowance, BlockStock
from ledgecliff.store.job_files import job_text
from ledgecliff.store.shop import shop_text

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
    def vise(name: str, x: float) -> Vise:
        return Vise(
            name=name, at=point(x, -180, -480), jaw_width=150, jaw_height=42, jaw_thickness=18,
            opening_min=10, opening_max=150, grip_min=3.5, clamping_scatter=0.010,
        )  # fmt: skip

    return Machine(
        name="Mill 2, the long table",
        travel_min=point(-760, -410, -510),
        travel_max=point(0, 0, 0),
        offsets=tuple(OffsetCode(code=f"G{54 + k}", number=k + 1) for k in range(6)),
        vises=(vise("left vise", -520), vise("right vise", -240)),
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


def op_10() -> Setup:
    return Setup(
        name="Op 10",
        side="top side",
        orientation=Orientation(up="+Z", right="+X"),
        hold=ViseHold(vise="left vise", parallels_height=38, parallels_thickness=14, parallels_length=150),
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
        name="Op 20",
        side="underside",
        orientation=Orientation(up="-Z", right="+X"),
        hold=ViseHold(vise="right vise", parallels_height=24, parallels_thickness=14, parallels_length=150),
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
    model = DEMO / "float_housing.step"
    return Job(
        title="Float housing",
        note="Demo job of the Brackwater Tide Works: worked example A of the handbook.",
        part=Part(
            name="float housing",
            model=ModelReference(path=model.name, sha256=hashlib.sha256(model.read_bytes()).hexdigest()),
            features=features(),
        ),
        stock=BlockStock(
            material="aluminium plate",
            nominal=Size(x=100, y=68, z=34),
            measured=Size(x=100, y=68, z=34),
            varies=Spread(x=0.8, y=0.1, z=0.1),
            allowance=Allowance(plus_z=1.5),
        ),
        machine=machine(),
        setups=(op_10(), op_20()),
    )


def shop() -> Shop:
    """The library that ships: the mill of the demo, and what lies on its shelf."""
    return Shop(
        name="Brackwater Tide Works",
        machine=machine().model_copy(
            update={
                "plates": (Plate(name="hole plate", at=point(-400, -200, -460), length=400, width=300, thickness=25),),
                "boards": (
                    Spoilboard(name="spoilboard", at=point(-400, -200, -470), length=600, width=380, thickness=18),
                ),
                "v_blocks": (
                    VBlock(name="long V-block", at=point(-400, -330, -430), length=150, width=70, height=60, groove=50),
                ),
            }
        ),
        vises=(
            Vise(name="small vise", at=point(-400, -180, -470), jaw_width=100, jaw_height=30, jaw_thickness=14,
                 opening_min=0, opening_max=100, grip_min=3, clamping_scatter=0.015, lift=0.02),
        ),
        parallels=(
            ParallelsSet(name="thin parallels, 150 long", heights=tuple(range(10, 41, 2)), thickness=6, length=150),
            ParallelsSet(name="thick parallels, 150 long", heights=(14, 20, 24, 29, 32, 35, 38), thickness=14,
                         length=150),
        ),
        jaws=(
            NamedJaws(name="stepped jaws, step 3 x 38", jaws=StepJaws(height=38, depth=3)),
            NamedJaws(name="soft jaws, cut 8 deep", jaws=SoftJaws(depth=8)),
        ),
        plates=(Plate(name="small plate", at=point(-300, -200, -465), length=200, width=150, thickness=20),),
        boards=(
            Spoilboard(name="thin board", at=point(-400, -200, -476), length=600, width=380, thickness=12, may_cut=0.5),
        ),
        v_blocks=(
            VBlock(name="short V-block", at=point(-250, -330, -450), length=60, width=50, height=40, groove=36),
        ),
    )  # fmt: skip


if __name__ == "__main__":
    (DEMO.parent / "resources" / "shop.json").write_text(shop_text(shop()), encoding="utf-8")
    (DEMO / "float_housing.json").write_text(job_text(float_housing()), encoding="utf-8")
