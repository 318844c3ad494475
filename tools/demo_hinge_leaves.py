"""The demo *hinge leaves*: six on each of four faces of a tombstone on a horizontal machine.

A leaf is 80 x 60 x 14, its zero the lowest left front corner.  The column turns about Y; each face is 150 from its
axis, and on each the first leaf has its zero 40 right of the middle and 110 up, as in the method's worked example.
Outer sides are drilled on two faces, inner sides sunk on the two others.
"""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.carrier_body import ColumnBody, RoundBody
from ledgecliff.core.model.holding import Clamp, Dowel, Plate, PlateHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, OffsetCode, Probe, ProbingRoutine
from ledgecliff.core.model.operations import Hole
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import Feature, ModelReference, Part
from ledgecliff.core.model.pattern import Grid, KeptIn, Numbering, OnFace, Pattern
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Mount, Rotary, Station
from ledgecliff.core.model.stock import BlockStock
from ledgecliff.store.migrations import machine_id

LENGTH, WIDTH, HEIGHT = 80.0, 60.0, 14.0
NAME = "Mill 5, the horizontal"
HORIZONTAL = machine_id(NAME)
COLUMN = derived_id(HORIZONTAL, "axis B")
#: How far the faces are from the column's axis, and where a station lies on one, right and up of its middle.
FACE_AT, RIGHT, UP = 150.0, 40.0, 110.0
CENTRE_X, CENTRE_Z = -350.0, -820.0
#: The middle of a plate, right and up of the face's; how far the leaves on it are apart.
MIDDLE, APART = (22.0, 252.0), (-98.0, 118.0)
BOLTS = tuple((x, y) for x in (14.0, 66.0) for y in (14.0, 46.0))


def _point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def face_id(index: int) -> str:
    return derived_id(HORIZONTAL, f"face {index}")


def _faces() -> tuple[Mount, ...]:
    """Described with the column at nought: the face that an index brings to the spindle looks another way there."""
    at = {0: (0.0, FACE_AT), 90: (-FACE_AT, 0.0), 180: (0.0, -FACE_AT), 270: (FACE_AT, 0.0)}
    return tuple(
        Mount(
            id=face_id(index), name=f"face at B{index}", on=COLUMN,
            at=_point(CENTRE_X + x, 0, CENTRE_Z + z), turned=(AxisTurn(about="y", degrees=-index),) if index else (),
        )
        for index, (x, z) in at.items()
    )  # fmt: skip


def _machine() -> Machine:
    column = Rotary(
        id=COLUMN, name="column", word="B", about="y", centre=_point(CENTRE_X, 0, CENTRE_Z), uncertainty=0.008,
        origin="bar at rest", found_on="2026-02-16", sense="right-handed", sense_seen_on="2026-02-16",
        flat_swept_on="2026-02-16", repeat_deg=0.001, way_round="nearer way", free_word="M74", clamp_word="M75",
        bodies=(
            # Plates 20 thick stand on the column's faces, which are that much nearer to its axis.
            ColumnBody(name="column", at=_point(0, -60, 0), along="y", length=530, faces=4, distance=FACE_AT - 20.0),
            RoundBody(name="foot", at=_point(0, -100, 0), along="y", length=40, diameter=420),
        ),
    )  # fmt: skip
    plates = tuple(Plate(name=f"plate {k}", length=216, width=412, thickness=20) for k in (1, 2, 3, 4))
    stations = tuple(
        Station(id=derived_id(HORIZONTAL, plate.name), name=plate.name, fixture=plate.name, on=face_id(index),
                at=_point(*MIDDLE, 0))
        for plate, index in zip(plates, (0, 90, 180, 270), strict=True)
    )  # fmt: skip
    return Machine(
        id=HORIZONTAL,
        name=NAME,
        spindle="horizontal",
        travel_min=_point(-720, -80, -900),
        travel_max=_point(0, 580, 0),
        offsets=tuple(OffsetCode(code=f"G{54 + k}", number=k + 1) for k in range(6)),
        probe=Probe(
            tool=30, length=182.6, ball_diameter=4.0, effective_radius=1.982, stem_diameter=2.0, body_diameter=12.0,
            reach=30.0, travel_feed=1200, search_feed=300, touch_feed=60, back_off=1.0, repeatability=0.001,
        ),
        cutters=(
            Cutter(tool=1, name="9 mm end mill, long", diameter=9, length=176.0, flute=30, reach=60,
                   holder_diameter=28),
            Cutter(tool=2, name="12 mm end mill, long", diameter=12, length=176.0, flute=30, reach=60,
                   holder_diameter=28),
        ),
        carriers=(column, *_faces()),
        fixtures=plates,
        stations=stations,
    )  # fmt: skip


def _setup(name: str, side: str, up: str, place: tuple[int, int], operations: tuple[Hole, ...]) -> Setup:
    """Turned over about X, the same two edges of the leaf lie against the dowels: they stand behind it then."""
    plate, index = place
    turned = up == "-Z"
    edge, beside = (WIDTH + 4.0, WIDTH - 12.0) if turned else (-4.0, 12.0)
    dowels = ((-4.0, beside), (14.0, edge), (66.0, edge))
    # None at the sides: the next leaf lies there.
    y, side = (3, "front") if turned else (57, "back")
    clamps = tuple(Clamp(x=x, y=y, side=side, width=14, reach=6) for x in (31, 49))
    across = AxisDatum(source="stock plus side", shift=-WIDTH) if turned else AxisDatum(source="stock minus side")
    return Setup(
        id=derived_id("hinge leaves", name),
        name=name,
        side=side,
        machine=HORIZONTAL,
        station=derived_id(HORIZONTAL, f"plate {plate}"),
        index=(IndexAngle(word="B", degrees=index),),
        orientation=Orientation.model_validate({"up": up, "right": "+X"}),
        hold=PlateHold(
            x=RIGHT + LENGTH / 2.0 - MIDDLE[0], y=UP + WIDTH / 2.0 - MIDDLE[1],
            dowels=tuple(Dowel(x=x, y=y, diameter=8, height=8) for x, y in dowels),
            clamps=clamps,
        ),
        offset=f"G{53 + plate}",
        datum=Datum(x=AxisDatum(source="stock minus side"), y=across, z=AxisDatum(source="parallels")),
        probing=ProbingRoutine(stand_off=4, overtravel=4, depth=4, clearance=30, guess=1.5),
        hover=Hover(tool=2, block=75, gap=0.0, feed=200),
        operations=operations,
        pattern=_six_on_two_faces(plate),
    )  # fmt: skip


def _six_on_two_faces(plate: int) -> Pattern:
    """On a face and the one behind it; an offset for each face, which programs shift from leaf to leaf."""
    behind = 90 * (plate + 1)
    other = face_id(behind)
    return Pattern(
        layout=Grid(columns=2, rows=3, column_pitch=APART[0], row_pitch=APART[1]),
        faces=(OnFace(carrier=other, index=(IndexAngle(word="B", degrees=behind),)),),
        numbering=Numbering(each_face_anew=True),
        grouped_by="faces",
        school="local shifts",
        codes=(KeptIn(key=f"{other}/face", offset=f"G{55 + plate}"),),
        probed="first of the load",
    )


def hinge_leaves(reference: Callable[[str], ModelReference]) -> Job:
    bolts = tuple(
        Feature(name=f"bolt hole {k}", kind="hole", at=_point(x, y, HEIGHT), opens_to="+Z", diameter=9, through=True)
        for k, (x, y) in enumerate(BOLTS, start=1)
    )
    heads = tuple(
        Feature(name=f"head {k}", kind="counterbore", at=_point(x, y, 0), opens_to="-Z", diameter=15, depth=6,
                partner=f"bolt hole {k}")
        for k, (x, y) in enumerate(BOLTS, start=1)
    )  # fmt: skip
    drilled = tuple(Hole(name=f"drill {each.name}", tool=1, on=each.name, features=(each.name,)) for each in bolts)
    sunk = tuple(Hole(name=f"sink {each.name}", tool=2, on=each.name, features=(each.name,)) for each in heads)
    size = Size(x=LENGTH, y=WIDTH, z=HEIGHT)
    return Job(
        id=derived_id("Hinge leaves"),
        title="Hinge leaves",
        note="Demo job of the Brackwater Tide Works: leaves of a gate's hinge, six on each face of a tombstone.",
        part=Part(name="hinge leaf", model=reference("hinge_leaf"), features=(*bolts, *heads)),
        stock=BlockStock(
            material="steel flat, ground and cut to size",
            nominal=size,
            measured=size,
            varies=Spread(x=0.03, y=0.03, z=0.02),
            is_measured=True,
            prepared=("-X", "+X", "-Y", "+Y", "-Z", "+Z"),
        ),
        machines=(_machine(),),
        setups=(
            _setup("Op 10", "outer side", "+Z", (1, 0), drilled),
            _setup("Op 20", "inner side", "-Z", (2, 90), sunk),
        ),
    )
