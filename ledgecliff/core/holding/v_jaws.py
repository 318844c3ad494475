"""Round stock upright in jaws with a groove: where it comes to lie in it.

Everything is in vise coordinates ``v``, the fixed jaw at the back (+Y).  With ``h`` half of the groove's angle the
metal behind its flanks is towards ``(cos h, sin h)`` and ``(-cos h, sin h)``.  Stock whose farthest places along these
are ``s`` and ``t`` touches both flanks of a groove whose bottom is at ``((s - t) / 2 cos h, (s + t) / 2 sin h)``; of a
round of radius ``r`` that is ``r / sin h`` behind its middle (plane trigonometry).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..frames import Array
from ..model.holding import VJaws
from ..solids.circle_through import circle_through

#: Corners that lie on a circle to within this are those of a round (mm).
_SAME = 1e-3
#: So many corners, nearer to each other than this share of what the stock measures, show that it is round there.
_ROUND_FROM, _NEAR_SHARE = 4, 0.35
#: A side that is longer than this is flat, not an edge (mm).
_FLAT = 1.0
#: A groove is so much wider than the places where a round touches it lie apart.
_WIDER = 1.15
#: Grooves in both jaws stand opposite each other to within this (mm).
_TOUCHES = 0.02


@dataclass(frozen=True, eq=False)
class InGroove:
    """``bottom`` (2,) is the groove's, ``face`` the height along Y of the jaw's face; ``fits`` says that the stock lies
    on both flanks and stands out of the groove."""

    bottom: Array
    face: float
    fits: bool


def v_jaws_for(diameter: float, angle_deg: float = 90.0) -> VJaws:
    """Jaws whose groove is a little wider than a round of this diameter needs."""
    contact = diameter * math.cos(math.radians(angle_deg) / 2.0)
    return VJaws(width=round(_WIDER * contact, 1), angle_deg=angle_deg)


def depth_of(jaws: VJaws) -> float:
    """How deep the groove is below the jaw's face (mm)."""
    return jaws.width / 2.0 / math.tan(math.radians(jaws.angle_deg) / 2.0)


def lies_in_groove(jaws: VJaws, outline: Array, toward: int = 1) -> InGroove:
    """Where the groove stands whose flanks the stock touches, pushed ``toward`` +Y or -Y; ``outline`` (N, 2) are places
    of the stock between the jaws, among them every corner of what it shows from above."""
    from scipy.spatial import ConvexHull  # slow to import, and few jobs have a groove

    mirror = np.array([1.0, float(toward)])
    corners = outline[ConvexHull(outline).vertices] * mirror
    half = math.radians(jaws.angle_deg) / 2.0
    sine, cosine = math.sin(half), math.cos(half)
    left, right = _against(corners, np.array([cosine, sine])), _against(corners, np.array([-cosine, sine]))
    s, t = left.reach, right.reach
    bottom = np.array([(s - t) / (2.0 * cosine), (s + t) / (2.0 * sine)])
    face = float(bottom[1]) - depth_of(jaws)
    long = jaws.width / 2.0 / sine
    down = ((left, np.array([sine, -cosine])), (right, np.array([-sine, -cosine])))
    fits = all(touch.lies and float((touch.place - bottom) @ way) <= long for touch, way in down)
    stands_out = float(corners[:, 1].min()) < face - _SAME
    return InGroove(bottom * mirror, face * toward, fits and stands_out)


@dataclass(frozen=True, eq=False)
class _Touch:
    """How far stock ``reach``es along a direction, at which ``place`` (2,), and whether it lies there with a round or a
    flat side rather than an edge."""

    reach: float
    place: Array
    lies: bool


def _against(corners: Array, way: Array) -> _Touch:
    """Facets end on the round itself, which reaches further than they do between their ends."""
    reach = corners @ way
    first = corners[int(np.argmax(reach))]
    near = corners[np.linalg.norm(corners - first, axis=1) < _NEAR_SHARE * float(np.ptp(corners, axis=0).max())]
    found = circle_through(near, _SAME) if len(near) >= _ROUND_FROM else None
    if found is not None and found[0] @ way + found[1] >= reach.max() - _SAME:
        centre, radius = found
        return _Touch(float(centre @ way) + radius, centre + radius * way, lies=True)
    touching = corners[reach > reach.max() - _SAME]
    # Of a flat side, where it lies nearest to the groove's bottom: what reaches on beyond does no harm.
    along = touching @ np.array([-way[1], way[0]])
    place = touching[int(np.argmax(along) if way[0] > 0.0 else np.argmin(along))]
    return _Touch(float(reach.max()), place, lies=float(np.ptp(along)) > _FLAT)


def fit_together(grooves: Sequence[InGroove]) -> bool:
    """Whether the stock lies as it should in every groove, and grooves in both jaws stand opposite each other."""
    apart = max((each.bottom[0] for each in grooves), default=0.0) - min(
        (each.bottom[0] for each in grooves), default=0.0
    )
    return all(each.fits for each in grooves) and bool(apart < _TOUCHES)


def grooved(
    jaw: manifold3d.Manifold, jaws: VJaws, bottom: Array, toward: int, foot: float, top: float
) -> manifold3d.Manifold:
    """A jaw with the groove in it, open at its top and foot."""
    x, y = float(bottom[0]), float(bottom[1])
    wide, deep = jaws.width / 2.0, depth_of(jaws)
    # On past the face by as much as it is deep: the jaw's face is cut through for certain.
    corners = np.array([(0.0, 0.0), (-2.0 * wide, -2.0 * deep), (2.0 * wide, -2.0 * deep)]) * (1.0, float(toward)) + (
        x,
        y,
    )
    ring = corners if toward > 0 else corners[::-1]
    section = manifold3d.CrossSection([ring.tolist()], manifold3d.FillRule.NonZero)
    return jaw - manifold3d.Manifold.extrude(section, top - foot + 2.0).translate((0.0, 0.0, foot - 1.0))
