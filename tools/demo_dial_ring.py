"""The dial ring of the Brackwater Tide Works: a plywood ring with marks on both faces, on a spoilboard.

Once its turn is registered by three dowel pins, once by an interlocking frame.
"""

from __future__ import annotations

import math

from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.holding import BoardHold, Screw, Spoilboard
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, ProbingRoutine
from ledgecliff.core.model.operations import Bore, FrameSlot, Operation, Outline, Pin, PinBores, Pocket
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BarShape, Feature, Part, Tolerance
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stock import Allowance, BlockStock
from tools.fixtures import MILL, station_id, with_fixtures

_OUTER, _INNER, _THICK, _MARKS_AT = 240.0, 150.0, 15.0, 97.5
#: Both outlines meet in the middle of the thickness and go on by so much (mm).
_PARTING, _OVERLAP = 7.5, 0.5


def _marks(face: str, count: int, height: float) -> tuple[Feature, ...]:
    """Marks cut 3 deep at even angles, each along the part axis that runs nearest to its radius."""
    marks = []
    for k in range(count):
        angle = 2.0 * math.pi * k / count
        x, y = _MARKS_AT * math.cos(angle), _MARKS_AT * math.sin(angle)
        marks.append(
            Feature(
                name=f"{face} mark {k + 1}", kind="pocket", at=Point(x=round(x, 3), y=round(y, 3), z=height),
                opens_to="+Z" if face == "upper" else "-Z", length=20, width=8, depth=3, radius=1.5,
                lengthwise="+X" if abs(x) >= abs(y) else "+Y",
                tolerance=Tolerance(position=0.3, to="ring bore") if face == "lower" else None,
            )
        )  # fmt: skip
    return tuple(marks)


_UPPER, _LOWER = _marks("upper", 8, _THICK - 3.0), _marks("lower", 4, 3.0)


def _part() -> Part:
    bore = Feature(
        name="ring bore", kind="bore", at=Point(x=0, y=0, z=_THICK), opens_to="+Z", diameter=_INNER, through=True
    )
    return Part(
        name="dial ring",
        shape=BarShape(along="z", diameter=_OUTER, length=_THICK),
        features=(bore, *_UPPER, *_LOWER),
    )


def _screws(places: tuple[tuple[float, float], ...]) -> tuple[Screw, ...]:
    return tuple(Screw(x=x, y=y, head_diameter=8, head_height=4) for x, y in places)


def _with_board(machine: Machine) -> Machine:
    thin = Cutter(tool=5, name="3 mm end mill", diameter=3, length=94.0, flute=18, reach=24, holder_diameter=18)
    board = Spoilboard(name="spoilboard", length=560, width=390, thickness=25)
    cutting = machine.model_copy(update={"cutters": (*machine.cutters, thin), "accuracy": 0.02})
    return with_fixtures(cutting, (board, Point(x=-400, y=-205, z=-460)))


def _first(registering: Operation, screws: tuple[Screw, ...]) -> Setup:
    centre = AxisDatum(source="stock centre")
    return Setup(
        id=derived_id("Op 10", "upper face"),
        name="Op 10",
        side="upper face",
        machine=MILL,
        station=station_id("spoilboard"),
        hold=BoardHold(screws=screws),
        offset="G54",
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="parallels")),
        probing=ProbingRoutine(depth=7, guess=2),
        hover=Hover(tool=2, block=50),
        operations=(
            registering,
            *(Pocket(name=f"cut {mark.name}", tool=5, on=mark.name, features=(mark.name,)) for mark in _UPPER),
            Bore(name="ring bore right through", tool=3, on="ring bore", features=("ring bore",), beyond=0.5),
            Outline(name="outline past the middle", tool=3, slot=8, below=-(_PARTING - _OVERLAP)),
        ),
    )


def _second(screws: tuple[Screw, ...]) -> Setup:
    over = AxisDatum(source="carried over")
    return Setup(
        id=derived_id("Op 20", "lower face"),
        name="Op 20",
        side="lower face",
        orientation=Orientation(up="-Z", right="+X"),
        machine=MILL,
        station=station_id("spoilboard"),
        hold=BoardHold(registered=True, screws=screws),
        offset="G54",
        datum=Datum(x=over, y=over, z=AxisDatum(source="parallels")),
        probing=ProbingRoutine(depth=7, guess=2),
        hover=Hover(tool=2, block=50),
        operations=(
            *(Pocket(name=f"cut {mark.name}", tool=5, on=mark.name, features=(mark.name,)) for mark in _LOWER),
            Outline(
                name="outline to the first one, with tabs", tool=3, slot=8, below=-(_PARTING - _OVERLAP),
                tabs=6, tab_width=8, tab_height=3.5,
            ),
        ),
    )  # fmt: skip


def _ring(machine: Machine, title: str, note: str, size: Size, setups: tuple[Setup, ...]) -> Job:
    return Job(
        id=derived_id(title),
        title=title,
        note=f"Demo job of the Brackwater Tide Works: {note}",
        part=_part(),
        stock=BlockStock(
            material="birch plywood",
            nominal=size,
            measured=size,
            varies=Spread(x=1.0, y=1.0),
            allowance=Allowance(minus_z=0.0),
            grain="x",
        ),
        machines=(_with_board(machine),),
        setups=setups,
    )


def dial_ring_on_pins(machine: Machine) -> Job:
    """Three pins of one diameter in the strips at both ends: end for end is excluded."""
    bores = PinBores(
        name="bores for the pins", tool=3, into_board=12, pin_length=24,
        pins=(Pin(x=-144, y=60, diameter=10), Pin(x=-144, y=-60, diameter=10), Pin(x=144, y=0, diameter=10)),
    )  # fmt: skip
    screws = _screws(((30, 20), (290, 20), (30, 260), (290, 260)))
    note = "marks on both faces, turned on three pins."
    return _ring(machine, "Dial ring on pins", note, Size(x=320, y=280, z=15), (_first(bores, screws), _second(screws)))


def dial_ring_in_a_frame(machine: Machine) -> Job:
    """The blank's own border takes the turned piece: no pins, no measuring."""
    slot = FrameSlot(name="frame slot", tool=3, turn="x", keep_x=132, keep_y=132, slot=8, fit=0.1)
    border = ((8, 60), (352, 60), (8, 270), (352, 270))
    piece = ((65, 50), (295, 50), (65, 280), (295, 280))
    after = ((50, 25), (278, 25), (50, 255), (278, 255))
    note = "marks on both faces, turned in a frame cut from its own blank."
    return _ring(
        machine, "Dial ring in a frame", note, Size(x=360, y=330, z=15),
        (_first(slot, _screws((*piece, *border))), _second(_screws(after))),
    )  # fmt: skip
