"""The turn check: one or two touches from above that tell a right turn from every wrong one, and a chip under the part.

The stock is laid in as it should be, and in every wrong way that the seat allows.  A touch tells a wrong way where the
right top is level all round the ball and, wherever the ball may come down, the wrong one is met well above or well
below: by the true areas of the solids, not by places looked at.  Where nothing tells, it says what would.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import transformed
from ..contact.first_contact import Body, Feeler
from ..frames import Array, rotation
from ..model.machine import Probe
from ..once import lazy, once_each
from ..solids.areas import nearest_in, roomiest, shrunk, top_area
from ..solids.meshes import mesh_of
from .by_axes import angles_said
from .turn_plan import TurnPlan

#: A difference in height counts from the last of these on (mm): chips, lift and a rough guess must not look like it.
_TELLS = (8.0, 4.0, 2.0, 1.0)
#: A place is sought by these.
_SOUGHT = (4.0, 1.0)
#: How far aside the ball may come down beyond what registers the part leaves open (mm).
_ASIDE = 0.5
#: Tops at this many heights are looked at, the largest first; smaller ones than this have no room for a ball (mm²).
_LEVELS, _LEAST_AREA = 8, 4.0
#: Heights nearer than this are one (mm).
_SAME, _SKIN = 1e-3, 0.02
#: A chip of this thickness under one end should be noticed (mm).
_CHIP = 0.1
#: Poses that differ by no more than this share of the stock and so much (mm³) are the same.
_ALIKE, _SPECK = 1e-6, 0.1
_FAR = 500.0


@dataclass(frozen=True)
class CheckTouch:
    """A touch from above at ``x``, ``y`` of the WCS after the turn; right, the top is met at ``z``.

    ``tells`` are the wrong ways it notices, each with the height at which the ball is met there, None where nothing
    is.  The turn is wrong when the reading is off by more than ``threshold`` (mm).
    """

    x: float
    y: float
    z: float
    tells: tuple[tuple[str, float | None], ...]
    threshold: float


@dataclass(frozen=True)
class TurnCheck:
    """The proposed touches, wrong ways that no touch from above can tell, and how a chip would show.

    ``offers`` say what would tell those wrong ways, or exclude them.  ``chip_touches`` are two places on one level,
    ``chip_shows`` how much they differ with a chip of ``chip`` under one end of the seat (mm); none where the top is
    not flat enough or still raw.
    """

    touches: tuple[CheckTouch, ...]
    cannot_tell: tuple[str, ...]
    chip_touches: tuple[tuple[float, float, float], ...]
    chip_shows: float
    chip: float = _CHIP
    offers: tuple[str, ...] = ()


@once_each
def turn_check(turn: TurnPlan) -> TurnCheck:
    """The touches that tell a right turn from wrong ones; none where axes turn it and it cannot be laid wrongly."""
    return TurnCheck((), (), (), 0.0) if turn.stays else _Checker(turn).check()


def after_words(turn: TurnPlan) -> str:
    """What is done once it is turned, or while the axes turn it."""
    if turn.stays:
        there = angles_said(turn.after.machine, turn.after.setup)
        return (
            f"It stays clamped. Everything retracted and all clear, let the axes go to {there}, with a finger on hold "
            "the first time, and look that nothing is met."
        )
    return (
        "Mark the end that stays with a cross. Clean table and underside, blow out pin bores, no chips under the part. "
        "Seat it, tap it down, check that it does not rock."
    )


class _Pose:
    """The stock as it may lie, in ``u`` of the setup after the turn."""

    def __init__(self, name: str, solid: manifold3d.Manifold) -> None:
        self.name, self.solid = name, solid

    @lazy
    def body(self) -> Body:
        return Body(self.name, self.solid)

    def standing_over(self, height: float) -> manifold3d.CrossSection:
        """What of it reaches above ``height``, seen from above."""
        above = self.solid.trim_by_plane((0.0, 0.0, 1.0), height)
        return manifold3d.CrossSection() if above.is_empty() else above.project()

    def met(self, x: float, y: float, probe: Probe, from_height: float) -> float | None:
        """The height at which the ball's lowest point is when it meets the stock from above, None where it does not."""
        feeler, radius = Feeler.ball_along(probe, (1.0, 0.0), 0.0), probe.ball_radius
        start = from_height + 1.0 + radius
        contact = feeler.first_contact((x, y, start), (x, y, start - _FAR), [self.body])
        return None if contact is None else start - contact.travel - radius


class _Checker:
    def __init__(self, turn: TurnPlan) -> None:
        self._turn, setup = turn, turn.after
        self._probe = setup.machine.probe
        self._right = _Pose("right", transformed(setup.before.solid, setup.setup.orientation.matrix()))
        self._low, self._high = setup.holding.u_stock
        play = turn.play
        reach = float(np.linalg.norm((self._high - self._low)[:2])) / 2.0
        self._aside = _ASIDE + (play.at(reach) if play is not None else 0.0)

    def check(self) -> TurnCheck:
        wrong = self._wrong_ways()
        left, touches = list(wrong), []
        for _ in range(2):
            found = self._best(left)
            if found is None:
                break
            place, height, told, apart = found
            touches.append(self._touch(place, height, told, apart))
            left = [pose for pose in left if pose not in told]
        chips, shows = self._chip()
        names = tuple(pose.name for pose in left)
        return TurnCheck(tuple(touches), names, chips, shows, offers=tuple(self._offer(pose) for pose in left))

    def _wrong_ways(self) -> list[_Pose]:
        """The stock laid in wrongly, on the same seat and about the same middle."""
        turn = self._turn
        solid, after = turn.after.before.solid, turn.after.setup.orientation.matrix()
        spin, before = rotation("z", 180.0), turn.before.setup.orientation.matrix()
        ways = [("turned end for end", spin @ after)]
        if turn.axis is not None:
            ways += [("not turned", before), ("not turned and end for end", spin @ before)]
        target = np.array(self._right.solid.bounding_box()).reshape(2, 3)
        laid = []
        for name, matrix in ways:
            pose = transformed(solid, matrix)
            box = np.array(pose.bounding_box()).reshape(2, 3)
            shift = (target.sum(axis=0) - box.sum(axis=0)) / 2.0
            shift[2] = target[0][2] - box[0][2]
            laid.append(_Pose(name, pose.translate(tuple(shift))))
        return laid

    # --- where a touch tells --------------------------------------------------------------------

    @lazy
    def _levels(self) -> list[tuple[float, manifold3d.CrossSection]]:
        """Level tops of the right pose, where the ball surely comes down on them."""
        mesh = mesh_of(self._right.solid)
        corners = mesh.vertices[mesh.triangles]
        across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        flat = (np.ptp(corners[:, :, 2], axis=1) < _SAME) & (across[:, 2] > 0.0)
        heights = corners[flat][:, 0, 2].round(3)
        areas: dict[float, float] = {}
        for height, area in zip(heights.tolist(), (across[flat, 2] / 2.0).tolist(), strict=True):
            areas[height] = areas.get(height, 0.0) + area
        largest = sorted((h for h, area in areas.items() if area > _LEAST_AREA), key=lambda h: -areas[h])[:_LEVELS]
        aside = (self._aside, self._aside)
        landings = ((h, shrunk(top_area(self._right.solid, h, _SKIN), self._probe.ball_radius, aside)) for h in largest)
        return [(h, landing) for h, landing in landings if not landing.is_empty()]

    def _tells(self, pose: _Pose, height: float, apart: float) -> manifold3d.CrossSection:
        """Where a ball that should meet a top at ``height`` meets a wrong pose ``apart`` above or below it, wherever it
        comes down about there.

        Above: right under its lowest point stands something as high.  Below: nothing as high comes within its radius.
        """
        (a, b), (c, d) = self._low[:2] - 1.0, self._high[:2] + 1.0
        whole = manifold3d.CrossSection([[(a, b), (c, b), (c, d), (a, d)]])
        aside = (self._aside, self._aside)
        above = shrunk(pose.standing_over(height + apart), 0.0, aside)
        clear = whole.offset(2.0 * self._probe.ball_radius, manifold3d.JoinType.Miter)
        clear -= pose.standing_over(height - apart)
        return above + shrunk(clear, self._probe.ball_radius, aside)

    def _best(
        self, wrong: Sequence[_Pose]
    ) -> tuple[tuple[float, float], float, list[_Pose], float] | None:  # fmt: skip
        """The place that tells most of the wrong ways, by as much as it can; with the height that is right there."""
        for apart in _SOUGHT:
            best: tuple[int, float, tuple[float, float], float, list[_Pose]] | None = None
            for height, landing in self._levels:
                area = landing
                told: list[_Pose] = []
                for pose in wrong:
                    both = area ^ self._tells(pose, height, apart)
                    if nearest_in(both, (0.0, 0.0)) is not None:
                        area, told = both, [*told, pose]
                found = roomiest(area) if told else None
                if found is not None and (best is None or (len(told), found[1]) > best[:2]):
                    best = len(told), found[1], found[0], height, told
            if best is not None and (best[0] == len(wrong) or apart == _SOUGHT[-1]):
                return best[2], best[3], best[4], self._apart_at(best[2], best[3], best[4])
        return None

    def _apart_at(self, place: tuple[float, float], height: float, told: Sequence[_Pose]) -> float:
        """By how much at least the wrong ways that a place tells differ there."""
        return next(
            apart
            for apart in _TELLS
            if apart == _TELLS[-1] or all(nearest_in(self._tells(pose, height, apart), place) == place for pose in told)
        )

    def _touch(
        self, place: tuple[float, float], height: float, told: Sequence[_Pose], apart: float
    ) -> CheckTouch:  # fmt: skip
        origin, top = self._turn.after.wcs.u_origin, float(self._high[2])
        z = float(origin[2])
        met = [(pose.name, pose.met(*place, self._probe, top)) for pose in told]
        tells = tuple((name, None if at is None else at - z) for name, at in met)
        return CheckTouch(place[0] - float(origin[0]), place[1] - float(origin[1]), height - z, tells, apart / 2.0)

    # --- what else would tell --------------------------------------------------------------------

    def _offer(self, pose: _Pose) -> str:
        """What tells a wrong way that no touch from above does, or keeps it from happening."""
        right = self._right.solid
        differs = (right - pose.solid).volume() + (pose.solid - right).volume()
        mark = "mark the end that stays left before the stock is unclamped"
        if differs <= _ALIKE * right.volume() + _SPECK:
            return f"{pose.name}: the stock is the same that way, which does no harm; {mark} if it matters."
        sides = (right.project() ^ pose.solid.project()).area()
        if right.project().area() - sides > _LEAST_AREA:
            return f"{pose.name}: its outline differs; look at it from above, or touch a side; {mark}."
        return f"{pose.name}: only what lies below or small differs; look for it, and {mark}."

    def _chip(self) -> tuple[tuple[tuple[float, float, float], ...], float]:
        """Two places far apart on the highest level, and by how much a chip under one end of the seat parts them."""
        if not self._levels or self._turn.after.top_is_raw:
            return (), 0.0
        top, landing = max(self._levels, key=lambda level: level[0])
        corners = np.vstack([np.asarray(ring) for ring in landing.to_polygons()])
        apart = np.linalg.norm(corners[:, None] - corners[None, :], axis=2)
        i, j = np.unravel_index(int(np.argmax(apart)), apart.shape)
        if apart[i, j] <= _SAME:
            return (), 0.0
        length = float(np.linalg.norm((self._high - self._low)[:2]))
        chosen = tuple(self._in_wcs(corners[k], top) for k in (int(i), int(j)))
        return chosen, _CHIP * float(apart[i, j]) / length

    def _in_wcs(self, u_place: Array, height: float) -> tuple[float, float, float]:
        x, y = u_place - self._turn.after.wcs.u_origin[:2]
        return float(x), float(y), height - float(self._turn.after.wcs.u_origin[2])
