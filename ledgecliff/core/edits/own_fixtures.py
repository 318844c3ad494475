"""Edits of fixtures of the shop's own: from a model to what its faces, bores and rounds are for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from ..changing import free_name, remove_item, set_value
from ..errors import InvalidValueError
from ..frames import AXES
from ..holding.own_fixtures import model_placement
from ..model.base import Point
from ..model.holding import OwnHold
from ..model.job import Job
from ..model.orientation import Orientation, PartDirection, shown
from ..model.own_fixture import (
    FaceUse,
    FixtureBore,
    FixtureFace,
    FixtureScrew,
    MovingPart,
    OverSpigot,
    OwnFixture,
    Spigot,
)
from ..model.part import ModelReference
from ..quantities import said, said_signed
from ..setup_plan import SetupPlan
from ..solids.geometry import Cylinder, PartGeometry, Plane
from .setups import held_at
from .standing import Standing, new_station, with_standing

FACE_USES: tuple[FaceUse, ...] = get_args(FaceUse)
#: What each is there for, in a list.
USE_WORDS: dict[FaceUse, str] = {
    "seat": "the part lies on it",
    "against": "the part is pushed against it",
    "probed": "only probed",
}
#: Directions that a face of a fixture can look to.
_FACING: tuple[Literal["+X", "-X", "+Y", "-Y", "+Z"], ...] = ("+X", "-X", "+Y", "-Y", "+Z")
#: A cosine this near to one is of no angle; rounds that go round less are no bores and no spigots (degrees).
_SQUARE, _ROUND_DEG = 1.0 - 1e-9, 300.0
#: Places and sizes of what is found are kept to so many digits of a millimetre.
_DIGITS = 4
#: How far a moving part goes at first (mm).
_TRAVEL = 10.0


@dataclass(frozen=True)
class Offered:
    """Something that the model has, with its words for a list."""

    words: str
    thing: FixtureFace | FixtureBore | Spigot


def own_fixture(job: Job, setup: int) -> OwnFixture:
    """The fixture of the shop's own that holds a setup.  Raises InvalidValueError where another one does."""
    now = job.setups[setup]
    fixture = job.machine_of(now).fixture_at(now.station)
    if not isinstance(fixture, OwnFixture):
        raise InvalidValueError(now.name, f"'{fixture.name}' is no fixture from a model; choose one for this setup")
    return fixture


def fixture_path(job: Job, setup: int) -> tuple[str | int, ...]:
    """Where that stands in the job."""
    held, fixture = job.setups[setup], own_fixture(job, setup)
    return (*job.machine_path(held), "fixtures", job.machine_of(held).fixtures.index(fixture))


# --- from a model ---------------------------------------------------------------------------------


def fixture_from(
    name: str, reference: ModelReference, geometry: PartGeometry, stands: Orientation | None = None
) -> OwnFixture:
    """A fixture as its model stands, its zero the model's own; the part lies on the largest face that looks up.

    Raises InvalidValueError where no flat face of it looks up.
    """
    bare = OwnFixture(
        name=name, model=reference, stands=stands or Orientation(), faces=(_seat_at(Point(x=0.0, y=0.0, z=0.0)),)
    )
    up = [(area, face) for area, face in _faces(bare, geometry) if face.facing == "+Z"]
    if not up:
        raise InvalidValueError(name, "no flat face of the model looks up, so nothing can lie on it; stand it upright")
    largest = max(up, key=lambda pair: pair[0])[1]
    return bare.model_copy(update={"faces": (_seat_at(largest.at),)})


def _seat_at(at: Point) -> FixtureFace:
    return FixtureFace(name="seat", use="seat", facing="+Z", at=at)


def with_fixture(job: Job, setup: int, fixture: OwnFixture) -> Job:
    """``setup`` held by a fixture that comes to stand on its machine, where the first one does until that is typed."""
    now = job.setups[setup]
    machine = job.machine_of(now)
    fixture = fixture.model_copy(update={"name": free_name(fixture.name, [each.name for each in machine.fixtures])})
    station = new_station(machine, fixture)
    path = job.machine_path(now)
    job = set_value(job, path, with_standing(job.machines[int(path[1])], Standing(fixture, station)))
    return held_at(job, setup, station.id, OwnHold())


# --- what its faces are for -----------------------------------------------------------------------


def _faces(fixture: OwnFixture, geometry: PartGeometry) -> Iterable[tuple[float, FixtureFace]]:
    """Flat faces that look along the fixture's axes, and upright pins' outermost places, each with its area (mm²)."""
    tf = model_placement(fixture)
    for number, surface in enumerate(geometry.faces):
        if isinstance(surface, Plane):
            facing = _facing(tf.turn @ np.array(surface.normal))
            if facing is None:
                continue
            corners = geometry.coarse.vertices[geometry.coarse.triangles[geometry.face_of == number]]
            areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2.0
            # The middle of its largest triangle lies on it, whatever its shape.
            at = tf(corners[int(np.argmax(areas))].mean(axis=0))
            yield float(areas.sum()), _face(facing, at)


def _face(facing: Literal["+X", "-X", "+Y", "-Y", "+Z"], at: np.ndarray) -> FixtureFace:
    x, y, z = (round(float(value), _DIGITS) + 0.0 for value in at)
    return FixtureFace(name=f"{facing} face", use="probed", facing=facing, at=Point(x=x, y=y, z=z))


def _facing(normal: np.ndarray) -> Literal["+X", "-X", "+Y", "-Y", "+Z"] | None:
    k = int(np.argmax(np.abs(normal)))
    if abs(float(normal[k])) < _SQUARE:
        return None
    name = ("+" if normal[k] > 0.0 else "-") + "XYZ"[k]
    return next((facing for facing in _FACING if facing == name), None)


def faces_offered(fixture: OwnFixture, geometry: PartGeometry) -> tuple[Offered, ...]:
    """Flat faces that the model has and the fixture does not name yet, the largest first."""
    known = [(face.facing, face.at) for face in fixture.faces]
    found = sorted(_faces(fixture, geometry), key=lambda pair: -pair[0])
    return tuple(
        Offered(f"looks {_looks(face)}, {'XYZ'[face.axis]} {said_signed(face.level)}, {area / 100.0:.1f} cm²", face)
        for area, face in found
        if (face.facing, face.at) not in known
    )


def _looks(face: FixtureFace) -> str:
    return "up" if face.facing == "+Z" else f"to {shown(face.facing)}"


def bores_offered(fixture: OwnFixture, geometry: PartGeometry) -> tuple[Offered, ...]:
    """Upright bores that open upward, which the fixture does not name yet."""
    known = {(bore.x, bore.y, bore.top) for bore in fixture.bores}
    found = []
    for cylinder, foot, head in _upright(fixture, geometry, inside=True):
        x, y, top = (round(float(value), _DIGITS) + 0.0 for value in head)
        diameter, depth = round(2.0 * cylinder.radius, _DIGITS), round(float(head[2] - foot[2]), _DIGITS)
        if (x, y, top) not in known:
            bore = FixtureBore(name="bore", x=x, y=y, top=top, diameter=diameter, depth=depth)
            found.append(Offered(f"Ø{said(diameter)} at X {said_signed(x)}, Y {said_signed(y)}", bore))
    return tuple(found)


def spigots_offered(fixture: OwnFixture, geometry: PartGeometry) -> tuple[Offered, ...]:
    """Upright rounds that a bore may go over, which the fixture does not name yet."""
    known = {(spigot.x, spigot.y, spigot.diameter) for spigot in fixture.spigots}
    found = []
    for cylinder, _foot, head in _upright(fixture, geometry, inside=False):
        x, y = (round(float(value), _DIGITS) + 0.0 for value in head[:2])
        diameter = round(2.0 * cylinder.radius, _DIGITS)
        if (x, y, diameter) not in known:
            spigot = Spigot(name="spigot", x=x, y=y, diameter=diameter)
            found.append(Offered(f"Ø{said(diameter)} at X {said_signed(x)}, Y {said_signed(y)}", spigot))
    return tuple(found)


def pins_offered(fixture: OwnFixture, geometry: PartGeometry) -> tuple[Offered, ...]:
    """Upright pins, each by the four sides that a part can be pushed against."""
    known = [(face.facing, face.at) for face in fixture.faces]
    found = []
    for cylinder, foot, head in _upright(fixture, geometry, inside=False):
        for facing in _FACING[:4]:
            sign, k = (1.0 if facing[0] == "+" else -1.0), "XYZ".index(facing[1])
            at = (foot + head) / 2.0 + sign * cylinder.radius * np.eye(3)[k]
            face = _face(facing, at)
            words = (
                f"pin Ø{said(2.0 * cylinder.radius)}, its side {shown(facing)}, {'XYZ'[k]} {said_signed(face.level)}"
            )
            if (face.facing, face.at) not in known:
                found.append(Offered(words, face.model_copy(update={"name": f"pin, {facing} side"})))
    return tuple(found)


def _upright(
    fixture: OwnFixture, geometry: PartGeometry, *, inside: bool
) -> Iterable[tuple[Cylinder, np.ndarray, np.ndarray]]:
    """Whole rounds that stand upright: the cylinder, and its lower and upper end (3,) in the fixture's frame."""
    tf = model_placement(fixture)
    for surface in geometry.cylinders:
        axis = tf.turn @ np.array(surface.axis)
        if surface.inside != inside or surface.sweep_deg < _ROUND_DEG or abs(float(axis[2])) < _SQUARE:
            continue
        foot = tf(np.array(surface.point))
        ends = sorted((foot + axis * end for end in (surface.start, surface.end)), key=lambda end: float(end[2]))
        yield surface, ends[0], ends[1]


def with_thing(job: Job, setup: int, thing: FixtureFace | FixtureBore | Spigot) -> Job:
    """One more face, bore or spigot that is known of the fixture, under a name of its own."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    name = "faces" if isinstance(thing, FixtureFace) else "bores" if isinstance(thing, FixtureBore) else "spigots"
    things = getattr(fixture, name)
    own = thing.model_copy(update={"name": free_name(thing.name, [each.name for each in things])})
    return set_value(job, (*path, name), (*things, own))


def without_thing(job: Job, setup: int, kind: Literal["faces", "bores", "spigots", "moving"], index: int) -> Job:
    """Raises InvalidValueError while something still refers to it."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    name = getattr(fixture, kind)[index].name
    users = [each for each in _users(job, fixture.name) if _refers(each, kind, name, job)]
    if users:
        raise InvalidValueError(
            name, f"{', '.join(users)} still refers to it; choose something else there first"
        )  # fmt: skip
    return remove_item(job, (*path, kind), index)


def _users(job: Job, fixture: str) -> list[str]:
    """Names of the setups that such a fixture holds."""
    return [setup.name for setup in job.setups if job.machine_of(setup).fixture_at(setup.station).name == fixture]


def _refers(name: str, kind: str, thing: str, job: Job) -> bool:
    setup = next(each for each in job.setups if each.name == name)
    hold = setup.hold
    if not isinstance(hold, OwnHold):
        return False
    match kind:
        case "faces":
            named = [setup.datum.axis(axis).face for axis in AXES] + [each.face for each in setup.probing.cycles or ()]
            return thing in named
        case "bores":
            return hold.bore == thing
        case "spigots":
            return hold.over is not None and hold.over.spigot == thing
    return False


def rename_thing(job: Job, setup: int, kind: Literal["faces", "bores", "spigots"], index: int, name: str) -> Job:
    """Another name for a face, bore or spigot, everywhere it is used."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    old = getattr(fixture, kind)[index].name
    if name in [each.name for k, each in enumerate(getattr(fixture, kind)) if k != index]:
        raise InvalidValueError(old, f"'{name}' is taken; choose another name")
    data = job.model_dump()
    where = data["machines"][int(path[1])]["fixtures"][int(path[3])]
    where[kind][index]["name"] = name
    users = _users(job, fixture.name)
    for each in data["setups"]:
        if each["name"] not in users:
            continue
        if kind == "faces":
            places = [each["datum"][axis] for axis in AXES] + list(each["probing"]["cycles"] or ())
            for place in places:
                place["face"] = name if place["face"] == old else place["face"]
        elif kind == "bores":
            each["hold"]["bore"] = name if each["hold"]["bore"] == old else each["hold"]["bore"]
        elif each["hold"]["over"] is not None and each["hold"]["over"]["spigot"] == old:
            each["hold"]["over"]["spigot"] = name
    return set_value(job, (), data)


def put_over(job: Job, setup: int, over: tuple[str, str] | None) -> Job:
    """A bore of the part over a spigot; None where it is pushed against faces instead."""
    chosen = None if over is None else OverSpigot(feature=over[0], spigot=over[1])
    return set_value(job, ("setups", setup, "hold", "over"), chosen)


def with_moving_part(job: Job, setup: int, name: str, reference: ModelReference, to: PartDirection = "+X") -> Job:
    """One more part that moves to clamp."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    free = free_name(name, [part.name for part in fixture.moving])
    part = MovingPart(name=free, model=reference, to=to, travel=_TRAVEL)
    return set_value(job, (*path, "moving"), (*fixture.moving, part))


def overs_offered(setup: SetupPlan) -> tuple[tuple[str, tuple[str, str]], ...]:
    """Bores of the part that stand upright and go over a spigot, in words and by both names."""
    fixture = setup.holding.fixture
    if not isinstance(fixture, OwnFixture):
        return ()
    up = setup.setup.orientation.matrix()[2]
    return tuple(
        (f"{feature.name} Ø{said(feature.diameter)} over {spigot.name} Ø{said(spigot.diameter)}",
         (feature.name, spigot.name))
        for feature in setup.features
        for spigot in fixture.spigots
        if feature.kind in ("bore", "hole", "counterbore") and feature.diameter is not None
        and abs(float(up @ feature.direction())) > _SQUARE and feature.diameter >= spigot.diameter
    )  # fmt: skip


def stand(job: Job, setup: int, name: str, way: PartDirection, geometry: PartGeometry) -> Job:
    """Another way for the model to stand.  What was named of its faces and rounds lay otherwise, so that the largest
    face that now looks up becomes the seat and all else is to be named anew.

    Raises InvalidValueError where no flat face looks up, or something still refers to what was named.
    """
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    now = fixture.stands
    up, right = (way, now.right) if name == "up" else (now.up, way)
    if up[1] == right[1]:
        right = now.up
    stands = Orientation(up=up, right=right)
    if stands == now:
        return job
    for kind in ("faces", "bores", "spigots"):
        for thing in getattr(fixture, kind):
            users = [each for each in _users(job, fixture.name) if _refers(each, kind, thing.name, job)]
            if users:
                raise InvalidValueError(
                    thing.name, f"{', '.join(users)} still refers to it; choose something else there first"
                )
    anew = fixture_from(fixture.name, fixture.model, geometry, stands)
    kept = {"zero": Point(x=0.0, y=0.0, z=0.0), "moving": fixture.moving, "seat_scatter": fixture.seat_scatter}
    return set_value(job, path, anew.model_copy(update=kept))


def with_screw(job: Job, setup: int) -> Job:
    """One more screw through the part into the fixture, at the fixture's zero until its place is typed."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    return set_value(job, (*path, "screws"), (*fixture.screws, FixtureScrew(x=0.0, y=0.0)))


def without_screw(job: Job, setup: int) -> Job:
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    return set_value(job, (*path, "screws"), fixture.screws[:-1])


def call_fixture(job: Job, setup: int, name: str) -> Job:
    """Another name for the fixture; stations follow, and are called so too unless somebody named them."""
    fixture, path = own_fixture(job, setup), fixture_path(job, setup)
    machine = job.machines[int(path[1])]
    fixtures = tuple(each.model_copy(update={"name": name}) if each is fixture else each for each in machine.fixtures)
    stations = tuple(
        each.model_copy(update={"fixture": name, "name": name if each.name == fixture.name else each.name})
        if each.fixture == fixture.name
        else each
        for each in machine.stations
    )
    changed = {**machine.model_dump(), "fixtures": fixtures, "stations": stations}
    return set_value(job, path[:2], changed)
