"""Stock in a pocket of a two-pocket jig.

The jig is screwed down once and its zero found once; each pocket lies a known way from the zero, and what lies in
it is sunk by the pocket's depth below the jig's top (docs/methods/turns.md).
"""

from __future__ import annotations

from functools import lru_cache

import manifold3d
import numpy as np

from ..frames import Array
from ..model.holding import Jig, JigHold, JigPocket
from ..solids.areas import nearest_in
from ..solids.facets import facets_for
from ..solids.geometry import FINE_DEFLECTION
from .flat_beds import OnBed, clamp_block
from .holding import Block, shaped_block

#: Cuts stand out over the jig's top by so much, so that no two faces coincide (mm).
_PROUD = 1.0
#: A corner further out of the cutter's reach than this gets a relief (mm); corners of a full round.
_OUT_OF_REACH, _SEGMENTS = 0.1, 96


def hold_in_jig(jig: Jig, hold: JigHold, u_stock: manifold3d.Manifold, u_middle: Array) -> OnBed:
    """``u_middle`` is what comes to lie over the middle of the pocket."""
    pocket = jig.pocket(hold.pocket)
    low, high = np.array(u_stock.bounding_box()).reshape(2, 3)
    seat, tape = float(low[2]), hold.tape or 0.0
    top = seat - tape + pocket.depth
    # The jig's zero, in u.
    zero = (float(u_middle[0]) - pocket.x, float(u_middle[1]) - pocket.y)
    body = jig_solid(jig).translate((*zero, top))
    blocks = [shaped_block("jig", "base", body)]
    if tape:
        corners = (float(low[0]), float(low[1]), seat - tape), (float(high[0]), float(high[1]), seat)
        blocks.append(Block("tape", *corners, "parallel", None, tape))
    for number, screw in enumerate(jig.screws, start=1):
        if screw.head_height > 0.0:
            head = manifold3d.Manifold.cylinder(screw.head_height, screw.head_diameter / 2.0, circular_segments=32)
            at = (zero[0] + screw.x, zero[1] + screw.y, top)
            blocks.append(shaped_block(f"jig screw {number}", "clamp", head.translate(at)))
    for number, clamp in enumerate(hold.clamps, start=1):
        blocks.append(clamp_block(number, clamp, u_stock, low, high))
    shift = -np.array([*zero, top])
    return OnBed(seat, "jig floor", seat, top - jig.thickness, "table", tuple(blocks), shift)


@lru_cache(maxsize=16)
def jig_solid(jig: Jig) -> manifold3d.Manifold:
    """The jig with both pockets, their corner reliefs and the zero hole; its zero at the origin, top at Z 0."""
    body = manifold3d.Manifold.cube((jig.length, jig.width, jig.thickness), True)
    body = body.translate((0.0, 0.0, -jig.thickness / 2.0))
    for pocket in (jig.first, jig.second):
        area = pocket_area(jig, pocket).translate((pocket.x, pocket.y))
        prism = manifold3d.Manifold.extrude(area, pocket.depth + _PROUD).translate((0.0, 0.0, -pocket.depth))
        body -= prism
    radius = jig.zero_diameter / 2.0
    hole = manifold3d.Manifold.cylinder(
        jig.thickness + 2.0 * _PROUD, radius, circular_segments=facets_for(radius, FINE_DEFLECTION)
    )
    return body - hole.translate((0.0, 0.0, -jig.thickness - _PROUD))


def pocket_area(jig: Jig, pocket: JigPocket) -> manifold3d.CrossSection:
    """The pocket seen from above about its own middle: its outline, and a relief in every inner corner."""
    outline = manifold3d.CrossSection([np.array(pocket.outline)], manifold3d.FillRule.NonZero)
    radius = jig.cutter / 2.0
    reliefs = [manifold3d.CrossSection.circle(radius, 48).translate(place) for place in relief_places(pocket, radius)]
    return manifold3d.CrossSection.batch_boolean([outline, *reliefs], manifold3d.OpType.Add)


def relief_places(pocket: JigPocket, radius: float) -> list[tuple[float, float]]:
    """Where the cutter goes into corners that it does not reach, so that what stands in the pocket finds room: one
    place for each, from which its edge passes through the corner."""
    outline = manifold3d.CrossSection([np.array(pocket.outline)], manifold3d.FillRule.NonZero)
    within = outline.offset(-radius, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    if within.is_empty():
        return []
    reached = within.offset(radius, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    places = []
    for piece in (outline - reached).decompose():
        corners = np.vstack([np.asarray(ring) for ring in piece.to_polygons()])
        nearest = np.array([nearest_in(within, (float(x), float(y))) for x, y in corners])
        away = np.linalg.norm(corners - nearest, axis=1)
        k = int(np.argmax(away))
        if away[k] > radius + _OUT_OF_REACH:
            at = corners[k] + radius * (nearest[k] - corners[k]) / away[k]
            places.append((float(at[0]), float(at[1])))
    return sorted(places)
