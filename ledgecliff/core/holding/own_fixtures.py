"""Stock in a fixture of the shop's own, of which a model says the shape.

It lies on the fixture's seat.  Sideways its place follows from the bodies: a bore of the part goes over a spigot, or
the stock is pushed until it meets the faces it is to lie against, whatever stands out of it there.  What moves to
clamp goes until it meets the stock (docs/methods/own-fixtures.md).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np

from ..blanks import moved
from ..frames import Array, Placement
from ..model.holding import OwnHold
from ..model.orientation import Orientation, axis_of, direction_vector
from ..model.own_fixture import FixtureFace, MovingPart, OwnFixture, Spigot
from ..model.part import Feature
from ..solids.facets import facets_for
from ..solids.flat_area import IN_PLANE
from ..solids.geometry import NO_FIXTURES, Cylinder, FixtureModels, PartGeometry, Plane
from .first_met import way_until_met
from .flat_beds import Corners, OnBed, clamp_block, top_at
from .holding import Block, HeldInOwn, KnownFace, shaped_block

#: Cosines this near to one are of no angle; a place is on a face that is this near (mm).
_SQUARE = 1e-9
#: Pushed to and fro between faces, stock has come to rest when it moves no more than this (mm), in so many goes.
_AT_REST, _GOES = 1e-7, 40
#: Stock is met at its outermost when that is so near (mm).
_OUTERMOST = 1e-6
#: A pin that stock is pushed against is round to this (mm).
_PIN_DEFLECTION = 1e-4
#: A screw's shank against its head, and a hair that it goes into the fixture (mm).
_SHANK, _INTO = 0.5, 0.1
_HEAD_SEGMENTS = 32


@dataclass(frozen=True)
class OwnNeeds:
    """What it takes besides to seat stock in such a fixture: the models, ``fine`` as the simulated machine feels them,
    and the part's features."""

    models: FixtureModels = NO_FIXTURES
    features: tuple[Feature, ...] = ()
    fine: bool = False

    def feature(self, name: str) -> Feature | None:
        return next((each for each in self.features if each.name == name), None)


NO_NEEDS = OwnNeeds()


@dataclass(frozen=True)
class Pushed:
    """Where stock comes to lie: ``shift`` takes ``u`` to the fixture's frame.

    ``missed`` are faces that nothing of the stock can meet (of seats, all where it lies on none), ``lost`` those that
    the model does not have; ``at_rest`` is untrue where pushing one way always takes it off the other.
    """

    shift: tuple[float, float, float]
    missed: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    at_rest: bool = True


@dataclass(frozen=True, eq=False)
class Lying:
    """Stock as it lies before anything holds it: ``solid`` and ``corners`` in ``u``, and how the part lies."""

    solid: manifold3d.Manifold
    corners: Corners
    orientation: Orientation


def model_placement(fixture: OwnFixture) -> Placement:
    """From the model's own coordinates to the fixture's frame."""
    return Placement(fixture.stands.matrix(), -np.array(fixture.zero.as_tuple()))


def hold_in_own(fixture: OwnFixture, hold: OwnHold, lying: Lying, needs: OwnNeeds) -> tuple[OnBed, HeldInOwn]:
    """Raises PlanError where a model of the fixture has not been read."""
    low, high = lying.corners
    pushed = pushed_in(fixture, hold, lying, needs)
    shift = np.array(pushed.shift)
    seat = fixture.seat - float(shift[2])
    tf_u_s = Placement(np.eye(3), -shift)
    tf_u_model = tf_u_s.after(model_placement(fixture))
    blocks = [shaped_block("fixture", "base", moved(needs.models.solid(fixture.model, fine=needs.fine), tf_u_model))]
    ways: list[tuple[str, float | None]] = []
    for part in fixture.moving:
        block, way = _moved_part(part, lying.solid, tf_u_model, needs)
        blocks.append(block)
        ways.append((part.name, way))
    for number, screw in enumerate(fixture.screws, start=1):
        x, y = screw.x - float(shift[0]), screw.y - float(shift[1])
        under = top_at(lying.solid, x, y)
        head = under if under is not None else seat
        radius = screw.head_diameter / 2.0
        shank = manifold3d.Manifold.cylinder(
            head - seat + _INTO, _SHANK * screw.head_diameter / 2.0, circular_segments=_HEAD_SEGMENTS
        )
        cap = manifold3d.Manifold.cylinder(max(screw.head_height, 0.1), radius, circular_segments=_HEAD_SEGMENTS)
        solid = shank.translate((x, y, seat - _INTO)) + cap.translate((x, y, head))
        blocks.append(shaped_block(f"fixture screw {number}", "clamp", solid))
    for number, clamp in enumerate(hold.clamps, start=1):
        blocks.append(clamp_block(number, clamp, lying.solid, low, high))
    foot = blocks[0].low[2]
    bed = OnBed(seat, f"seat of {fixture.name}", seat, foot, "table", tuple(blocks), shift)
    play, faces = spigot_play(fixture, hold, needs), known_faces(fixture, needs, shift)
    return bed, HeldInOwn(faces, play, tuple(ways), pushed.missed, pushed.lost, pushed.at_rest)


def _moved_part(
    part: MovingPart, u_stock: manifold3d.Manifold, tf_u_model: Placement, needs: OwnNeeds
) -> tuple[Block, float | None]:
    """What moves to clamp, where it has met the stock, or as far as it goes; and how far it is to the stock."""
    solid = moved(needs.models.solid(part.model, fine=needs.fine), tf_u_model)
    sign = 1 if part.to[0] == "+" else -1
    way = way_until_met(triangles_of(solid), u_stock, axis_of(part.to), sign, before_only=True)
    gone = part.travel if way is None else min(max(way, 0.0), part.travel)
    return shaped_block(moving_name(part.name), "clamp", solid.translate(tuple(gone * direction_vector(part.to)))), way


def moving_name(name: str) -> str:
    """What a part that moves is called among all that holds the stock."""
    return f"moving part {name}"


def triangles_of(solid: manifold3d.Manifold) -> Array:
    """The triangles (N, 3, 3) of a solid."""
    mesh = solid.to_mesh64()
    corners: Array = np.array(mesh.vert_properties, dtype=float)[:, :3][np.array(mesh.tri_verts, dtype=np.int64)]
    return corners


# --- where it comes to lie ------------------------------------------------------------------------


def over_spigot(fixture: OwnFixture, hold: OwnHold, needs: OwnNeeds) -> tuple[Feature, Spigot] | None:
    """The bore that goes over a spigot; None where none does."""
    if hold.over is None:
        return None
    feature, spigot = needs.feature(hold.over.feature), fixture.spigot(hold.over.spigot)
    if feature is None or spigot is None or feature.diameter is None:
        return None
    return feature, spigot


def spigot_play(fixture: OwnFixture, hold: OwnHold, needs: OwnNeeds) -> float | None:
    """How far a bore may lie off its spigot to any side (mm): nought over one that expands; None where it is over
    none."""
    on = over_spigot(fixture, hold, needs)
    if on is None:
        return None
    feature, spigot = on
    return 0.0 if spigot.expands else max(((feature.diameter or 0.0) - spigot.diameter) / 2.0, 0.0)


def pushed_in(fixture: OwnFixture, hold: OwnHold, lying: Lying, needs: OwnNeeds) -> Pushed:
    """Where stock comes to lie: down on its seats, and over a spigot, else against the faces along X and along Y; one
    after the other until none moves it any more."""
    low, high = lying.corners
    on = over_spigot(fixture, hold, needs)
    middle = (low + high)[:2] / 2.0
    shift = np.array([hold.x - middle[0], hold.y - middle[1], fixture.seat - float(low[2])])
    regions: list[list[tuple[FixtureFace, Array]]] = [[], [], []]
    lost: list[str] = []
    seats = tuple(face for face in fixture.faces if face.use == "seat")
    pushed = () if on is not None else (*fixture.against(0), *fixture.against(1))
    if on is not None:
        feature, spigot = on
        u_axis = lying.orientation.matrix() @ np.array(feature.at.as_tuple())
        shift[:2] = spigot.x - float(u_axis[0]), spigot.y - float(u_axis[1])
    for face in (*pushed, *seats):
        found = face_region(fixture, face, needs.models.geometry(fixture.model))
        if found is None:
            lost.append(face.name)
        else:
            regions[face.axis].append((face, found))
    for k in (0, 1):  # about where it is pushed to, so that it is before what it is pushed against
        if on is None and fixture.against(k):
            shift[k] = _by_its_ends(fixture.against(k)[0], low, high)
    missed: tuple[str, ...] = ()
    at_rest = False
    for _ in range(_GOES):
        before, missed = shift.copy(), ()
        for k in (2, 0, 1):
            if regions[k]:
                shift[k], not_met = _against(regions[k], lying, shift, k)
                # It may well lie on one of several seats alone.
                missed += not_met if k != 2 or len(not_met) == len(regions[k]) else ()
        if np.abs(shift - before).max() <= _AT_REST:
            at_rest = True
            break
    x, y, z = (float(value) for value in shift)
    return Pushed((x, y, z), missed, tuple(lost), at_rest)


def _by_its_ends(face: FixtureFace, low: Array, high: Array) -> float:
    return face.level - float(low[face.axis] if face.sign > 0 else high[face.axis])


def _against(
    regions: list[tuple[FixtureFace, Array]], lying: Lying, shift: Array, k: int
) -> tuple[float, tuple[str, ...]]:
    """Where (along ``k``) stock is first stopped by any of the faces, and those that it does not meet at all."""
    there = lying.solid.translate(tuple(shift))
    ways = {face.name: way_until_met(region, there, k, face.sign) for face, region in regions}
    missed = tuple(name for name, way in ways.items() if way is None)
    met = {name: way for name, way in ways.items() if way is not None}
    if not met:
        return float(shift[k]), missed
    first = min(met, key=lambda name: met[name])
    face = next(face for face, _ in regions if face.name == first)
    # A face that would have to go so far to meet the stock is met when the stock comes so far to it.
    stops = float(shift[k]) - face.sign * met[first]
    end = 0 if face.sign > 0 else 1
    outermost = float(np.array(lying.solid.bounding_box()).reshape(2, 3)[end, k])
    if abs(face.level - stops - outermost) < _OUTERMOST:
        # What is met is the stock's own end, which of a round lies further out than its facets.
        stops = face.level - float(lying.corners[end][k])
    return stops, missed


# --- the faces of its model -----------------------------------------------------------------------


def known_faces(fixture: OwnFixture, needs: OwnNeeds, s_shift: Array) -> tuple[KnownFace, ...]:
    """The faces that the model has, where ``u`` less ``s_shift`` has them."""
    geometry, found = needs.models.geometry(fixture.model), []
    for face in fixture.faces:
        region = face_region(fixture, face, geometry)
        if region is not None:
            level = face.level - float(s_shift[face.axis])
            found.append(KnownFace(face.name, face.use, face.axis, face.sign, level, region - s_shift))
    return tuple(found)


@lru_cache(maxsize=512)
def face_region(fixture: OwnFixture, face: FixtureFace, geometry: PartGeometry) -> Array | None:
    """The triangles (N, 3, 3) of a flat face, or of an upright pin's free side, in the fixture's frame; None where the
    model has no such face there."""
    tf_s_model = model_placement(fixture)
    at, way = np.array(face.at.as_tuple()), face.sign * np.eye(3)[face.axis]
    m_at, m_way = tf_s_model.inverse()(at), tf_s_model.turn.T @ way
    for number, surface in enumerate(geometry.faces):
        if isinstance(surface, Plane) and float(m_way @ surface.normal) > 1.0 - _SQUARE:
            corners = geometry.coarse.vertices[geometry.coarse.triangles[geometry.face_of == number]]
            if abs(float(m_way @ m_at) - surface.offset) < IN_PLANE and _covers(corners, m_at, m_way):
                turned: Array = corners @ tf_s_model.turn.T + tf_s_model.shift
                return turned
        if isinstance(surface, Cylinder) and not surface.inside and face.axis != 2:
            pin = _pin(surface, tf_s_model, at, way)
            if pin is not None:
                return pin
    return None


def _covers(corners: Array, at: Array, way: Array) -> bool:
    """Whether a place lies on triangles (N, 3, 3), seen along their normal."""
    k = int(np.argmax(np.abs(way)))
    a, b, c = np.moveaxis(np.delete(corners, k, axis=2), 1, 0)
    place = np.delete(at, k)

    def beside(p: Array, q: Array) -> Array:
        way: Array = (q[:, 0] - p[:, 0]) * (place[1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (place[0] - p[:, 0])
        return way

    sides = np.array([beside(a, b), beside(b, c), beside(c, a)])
    return bool(np.any((sides >= -IN_PLANE).all(axis=0) | (sides <= IN_PLANE).all(axis=0)))


def _pin(surface: Cylinder, tf_s_model: Placement, at: Array, way: Array) -> Array | None:
    """The free side of an upright round pin whose outermost place is ``at``, as a band of triangles that follows its
    true round."""
    axis = tf_s_model.turn @ np.array(surface.axis)
    if abs(abs(float(axis[2])) - 1.0) > _SQUARE:
        return None
    foot = tf_s_model(np.array(surface.point))
    outermost = foot + surface.radius * way
    ends = sorted(float(foot[2] + axis[2] * end) for end in (surface.start, surface.end))
    on_it = np.linalg.norm((outermost - at)[:2]) < IN_PLANE and ends[0] - IN_PLANE <= at[2] <= ends[1] + IN_PLANE
    if not on_it:
        return None
    count = facets_for(surface.radius, _PIN_DEFLECTION) // 2
    middle = float(np.arctan2(way[1], way[0]))
    # An even count each side, so that a corner is where the pin is outermost.
    angles = middle + np.linspace(-np.pi / 2.0, np.pi / 2.0, 2 * count + 1)
    ring = foot[:2] + surface.radius * np.column_stack([np.cos(angles), np.sin(angles)])
    below, above = (np.column_stack([ring, np.full(len(ring), end)]) for end in ends)
    first = np.stack([below[:-1], below[1:], above[1:]], axis=1)
    second = np.stack([below[:-1], above[1:], above[:-1]], axis=1)
    band: Array = np.concatenate([first, second])
    return band
