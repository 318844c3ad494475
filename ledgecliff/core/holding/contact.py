"""What of the stock the holding touches: gripped faces, seat, tipping, overhang and thin places.

Everything in table-aligned part coordinates ``u`` of the setup (mm).  Areas are those of flat faces
that lie in the plane of a jaw or of the seat, so round stock in flat jaws shows as next to none.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, TypeAlias

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..blanks import transformed
from ..frames import Array
from ..model.holding import ChuckHold, SoftJaws, VBlockHold, ViseHold
from ..model.orientation import Orientation
from ..solids.flat_area import IN_PLANE, flat_area
from ..solids.in_process_stock import InProcessStock
from ..solids.meshes import Mesh
from ..solids.thickness import thicknesses
from .holding import Holding, Jaws
from .supports import is_support, touched_by

Section: TypeAlias = manifold3d.CrossSection
#: Less flat face than this share of the band between the jaws is a line, not a grip.
_FLAT_SHARE = 0.2
#: Places within this of each other are equally thin (mm).
_SAME_THICKNESS = 0.01
#: So far in from its side a round is held by that side (mm).
_RIM = 0.1
#: An edge is seen so far over the seat (mm).
_EDGE = IN_PLANE / 2.0
#: Flat areas smaller than this are rounding (mm²).
_TOUCHES = 1e-3


@dataclass(frozen=True)
class JawContact:
    """What one jaw holds: flat area (mm²), the share of it still raw, and the share this setup cuts away."""

    area: float
    raw_share: float
    cut_share: float


@dataclass(frozen=True)
class Grip:
    """Both jaws' contacts, the flat area that lies opposite each other, and that of the whole band (mm²).

    ``parallel`` is false where the jaws hold edges, points or a round instead of opposite flats; with ``holds_round``
    soft jaws or a groove hold such a round, and what little of it is flat says nothing.
    """

    fixed: JawContact
    moving: JawContact
    opposite: float
    band: float
    parallel: bool
    holds_round: bool = False

    @property
    def surface(self) -> Literal["raw", "finished", "raw and finished"]:
        share = (self.fixed.raw_share + self.moving.raw_share) / 2.0
        return "raw" if share > 0.95 else "finished" if share < 0.05 else "raw and finished"

    @property
    def cut_share(self) -> float:
        return max(self.fixed.cut_share, self.moving.cut_share)


@dataclass(frozen=True)
class Seat:
    """Area the stock lies on (mm²), its share of the stock's outline from above, and ``steady``: how far
    inside of the supported area the centre of gravity lies (mm; negative: it tips)."""

    area: float
    share: float
    steady: float


@dataclass(frozen=True)
class ThinPlace:
    """The thinnest place once this setup is cut: thickness (mm), where (``u``), wall or floor."""

    mm: float
    at: tuple[float, float, float]
    kind: Literal["wall", "floor"]
    squeezed: bool


@lru_cache(maxsize=256)
def u_mesh(stock: InProcessStock, orientation: Orientation) -> Mesh:
    return Mesh(stock.mesh.vertices @ orientation.matrix().T, stock.mesh.triangles)


# --- jaws -------------------------------------------------------------------------------------


def grip_of(holding: Holding, after: InProcessStock) -> Grip | None:
    """What the jaws hold before and after the cut; None where there are no jaws.

    Soft jaws follow the stock's outline, so whatever lies between them is held all round.
    """
    jaws = holding.jaws
    if jaws is None:
        return None
    top = holding.seat + max(holding.grip, 0.0)
    band = _band(holding, jaws, top)
    if holding.in_groove:
        return _round_grip(holding, after, jaws, top)
    soft = isinstance(holding.hold, ViseHold) and isinstance(holding.hold.jaws, SoftJaws)
    contacts, areas = [], []
    for toward, plane in ((jaws.toward, jaws.face), (-jaws.toward, jaws.moving_face)):
        area, contact = _jaw_contact(holding, after, jaws, toward, plane, band)
        contacts.append(contact)
        areas.append(area)
    opposite = float((areas[0] ^ areas[1]).area())
    whole = float(band.area())
    flat = opposite > _FLAT_SHARE * whole
    return Grip(contacts[0], contacts[1], opposite, whole, soft or flat, soft and not flat)


def _round_grip(holding: Holding, after: InProcessStock, jaws: Jaws, top: float) -> Grip:
    """A round in a groove: lines instead of areas, so that what stands between the jaws counts as a whole."""
    whole = float(_band(holding, jaws, top).area())
    mesh = u_mesh(holding.stock, holding.orientation)
    corners = mesh.vertices[mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normals, axis=1)
    side = (np.abs(normals[:, 2]) < 0.7 * area) & (corners[:, :, 2].min(axis=1) < top)
    raw = float(area[side & (holding.stock.raw > 0)].sum() / max(float(area[side].sum()), _TOUCHES))
    turned = [transformed(each.solid, holding.orientation.matrix()) for each in (holding.stock, after)]
    between = [each.trim_by_plane((0.0, 0.0, -1.0), -top) for each in turned]
    rim = between[0] - manifold3d.Manifold.extrude(
        between[0].project().offset(-_RIM, manifold3d.JoinType.Round), top - holding.seat + 2.0
    ).translate((0.0, 0.0, holding.seat - 1.0))
    cut = 1.0 - float((rim ^ between[1]).volume()) / max(float(rim.volume()), _TOUCHES)
    each = JawContact(0.0, raw, max(round(cut, 6), 0.0))
    return Grip(each, each, 0.0, whole, jaws.fits, holds_round=True)


def _band(holding: Holding, jaws: Jaws, top: float) -> Section:
    """Where jaw and stock can meet, in (along the jaws, up)."""
    k = 1 - jaws.axis
    fixed = holding.first_jaw()
    assert fixed is not None, "jaws have blocks"
    low = max(float(holding.u_stock[0][k]), fixed.low[k])
    high = min(float(holding.u_stock[1][k]), fixed.high[k])
    return Section.square((max(high - low, 0.0), max(top - holding.seat, 0.0))).translate((low, holding.seat))


def _jaw_contact(
    holding: Holding, after: InProcessStock, jaws: Jaws, toward: int, plane: float, band: Section
) -> tuple[Section, JawContact]:
    def in_plane(stock: InProcessStock, which: NDArray[np.bool_] | None = None) -> Section:
        mesh = u_mesh(stock, holding.orientation)
        if which is not None:
            mesh = Mesh(mesh.vertices, mesh.triangles[which])
        unit = np.eye(3)
        return flat_area(mesh, toward * unit[jaws.axis], toward * plane, unit[1 - jaws.axis], unit[2]) ^ band

    whole = in_plane(holding.stock)
    area = float(whole.area())
    if area < 1e-6:
        return whole, JawContact(0.0, 0.0, 0.0)
    raw = float(in_plane(holding.stock, holding.stock.raw > 0).area())
    left = float((whole ^ in_plane(after)).area())
    return whole, JawContact(area, raw / area, 1.0 - left / area)


# --- seat -------------------------------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class SeatOutline:
    """What the stock lies on: where it touches, the ``corners`` (N, 2) around that, and its centre of gravity (3,), all
    in ``u`` (mm)."""

    touched: Section
    corners: Array
    u_weight: Array

    def covers(self, x: float, y: float) -> bool:
        """Whether the stock lies on something there."""
        from shapely import Point, Polygon

        # Rings that run against the clock are filled, the others are holes.
        rings = [Polygon(ring) for ring in self.touched.to_polygons()]
        return sum((1 if ring.exterior.is_ccw else -1) for ring in rings if ring.covers(Point(x, y))) > 0


def seat_outline(holding: Holding) -> SeatOutline | None:
    """Where stock lies flat, or supports carry it; None where nothing carries it so, as in a V-block or a chuck."""
    if isinstance(holding.hold, VBlockHold | ChuckHold):
        return None
    mesh, unit = u_mesh(holding.stock, holding.orientation), np.eye(3)
    seats = _seats(holding)
    touched = flat_area(mesh, unit[2], holding.seat, unit[0], unit[1]) ^ seats
    supports, edges = [block for block in holding.blocks if is_support(block)], Section()
    if supports:
        u_stock = transformed(holding.stock.solid, holding.orientation.matrix())
        touched = _joined([touched, *(touched_by(block, u_stock) for block in supports)])
        # With supports a lowest edge carries too: no area, but an end of what the stock stands on.
        edges = u_stock.slice(holding.seat + _EDGE) ^ seats
    if touched.area() <= 1e-6:
        return None
    corners = np.asarray(_joined([touched, edges]).hull().to_polygons()[0], dtype=float)
    return SeatOutline(touched, corners, _centre_of_gravity(mesh))


def seat_of(holding: Holding) -> Seat:
    """What the stock lies on, and how steady it stands on it unclamped."""
    low, high = holding.u_stock
    size = (high - low)[:2]
    if isinstance(holding.hold, VBlockHold):
        mesh = u_mesh(holding.stock, holding.orientation)
        return _seat_in_v(holding, mesh, _centre_of_gravity(mesh))
    if isinstance(holding.hold, ChuckHold):
        return _seat_in_chuck(holding)
    outline = seat_outline(holding)
    if outline is None:
        return Seat(0.0, 0.0, -float(np.max(size)))
    area = float(outline.touched.area())
    return Seat(area, area / max(float(np.prod(size)), 1e-9), _inside_by(outline.corners, outline.u_weight[:2]))


def _seat_in_chuck(holding: Holding) -> Seat:
    """Between the jaws the stock is held on all sides: as a seat its whole gripped length counts."""
    assert isinstance(holding.hold, ChuckHold), "the caller has looked"
    low, high = holding.u_stock
    return Seat(holding.hold.grip * float(high[1] - low[1]), 1.0, holding.hold.grip)


def _seats(holding: Holding) -> Section:
    """Level tops at the height of the seat, from above: of supports it is told otherwise what they carry."""
    carrying = [
        block
        for block in holding.blocks
        # A plain jaw only grips; one with a shape is a soft jaw, whose floor carries.
        if not is_support(block)
        and (block.kind in ("parallel", "base") or (block.kind == "jaw" and block.shape is not None))
    ]
    return _joined([block.solid().slice(holding.seat - IN_PLANE) for block in carrying])


def _joined(sections: list[Section]) -> Section:
    return Section.batch_boolean([Section(), *sections], manifold3d.OpType.Add)


def _seat_in_v(holding: Holding, mesh: Mesh, centre: Array) -> Seat:
    """Two lines along the groove: no area to speak of, steady as long as the middle is over the block."""
    block = holding.block("V-block")
    assert block is not None, "a V-block holds it"
    along = int(np.argmax(mesh.vertices.max(axis=0)[:2] - mesh.vertices.min(axis=0)[:2]))
    steady = min(centre[along] - block.low[along], block.high[along] - centre[along])
    return Seat(0.0, 0.0, float(steady))


def _centre_of_gravity(mesh: Mesh) -> Array:
    """Of a closed mesh, from the tetrahedra between its triangles and the origin."""
    a, b, c = np.moveaxis(mesh.vertices[mesh.triangles], 1, 0)
    volumes = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0
    centre: Array = ((a + b + c) / 4.0 * volumes[:, None]).sum(axis=0) / volumes.sum()
    return centre


def _inside_by(ring: Array, place: Array) -> float:
    """How far a place lies inside of a convex ring (N, 2) that runs against the clock (mm); negative outside."""
    way = np.roll(ring, -1, axis=0) - ring
    length = np.linalg.norm(way, axis=1)
    kept = length > 1e-9
    inward = np.column_stack([-way[:, 1], way[:, 0]])[kept] / length[kept, None]
    return float(np.einsum("ij,ij->i", place - ring[kept], inward).min())


# --- overhang and thin places -------------------------------------------------------------------


def overhangs(holding: Holding) -> dict[str, float]:
    """How far the stock stands out over what carries or grips it, by machine direction (mm)."""
    carrying = [b for b in holding.blocks if b.kind in ("parallel", "base") or (b.kind == "jaw" and b.shape)]
    if not carrying:
        return {}
    low = np.min([block.low for block in carrying], axis=0)
    high = np.max([block.high for block in carrying], axis=0)
    beyond = {
        "−X": low[0] - holding.u_stock[0][0],
        "+X": holding.u_stock[1][0] - high[0],
        "−Y": low[1] - holding.u_stock[0][1],
        "+Y": holding.u_stock[1][1] - high[1],
    }
    return {way: float(mm) for way, mm in beyond.items() if mm > 1e-6}


def thinnest_place(holding: Holding, after: InProcessStock) -> ThinPlace | None:
    """The thinnest wall or floor once the setup is cut; ``squeezed`` where the jaws press on it."""
    found = thicknesses(after.solid, after.mesh)
    if not len(found.mm):
        return None
    matrix = holding.orientation.matrix()
    thinnest = np.flatnonzero(found.mm <= found.mm.min() + _SAME_THICKNESS)
    at, normal = found.at[thinnest] @ matrix.T, found.normal[thinnest] @ matrix.T
    squeezed = np.zeros(len(thinnest), dtype=bool)
    if holding.jaws is not None:
        between = (at[:, 2] > holding.seat) & (at[:, 2] < holding.seat + holding.grip)
        squeezed = between & (np.abs(normal[:, holding.jaws.axis]) > 0.7)
    # Of equally thin places the one that suffers most.
    k = int(np.argmax(squeezed))
    kind: Literal["wall", "floor"] = "floor" if abs(normal[k, 2]) > 0.7 else "wall"
    x, y, z = (float(value) for value in at[k])
    return ThinPlace(float(found.mm[thinnest[k]]), (x, y, z), kind, bool(squeezed[k]))
