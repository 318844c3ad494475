"""Least-squares lines, planes and circles through points, with residuals and uncertainty.

Lines and planes minimise the distance square to them (the principal directions of the points);
circles minimise the distance from the circle itself (Gander, Golub, Strebel, "Least-squares fitting of circles and
ellipses", BIT 34, 1994, section 3) by a library's guarded solver, from the algebraic circle and from circles through
three of the points each, for scattered points have several minima.  What did not converge is refused.
Points are (N, 2) or (N, 3) in mm; residuals (N,) are signed distances in mm.  ``spread`` is the
standard deviation of one point as far as its residuals tell: the root of their squares' sum over
the points more than are needed, nan with no such point.  Standard uncertainties follow from it and
the normal matrix, ``spread² (JᵀJ)⁻¹``.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..errors import FitError
from ..frames import Array

#: Points that spread less than this share of their length give no direction of their own.
_DEGENERATE = 1e-9
#: Points that spread nearly as much another way, to this share, have no direction; no place is this far away (mm).
_UNDECIDED, _FARTHEST = 1e-6, 1e7
#: A fit has converged where its next step is smaller than this share of its radius and of the points' spread.
_CONVERGED = 1e-5
#: Points as near to a circle as this (root of their mean square, as a share of their spread) have no better one.
_PLAINLY_ROUND = 0.02
#: Starts through three points each: all of few points, so many of more; of all starts this many are followed.
_STARTS, _FOLLOWED = 220, 12
#: So many points tell starts apart.
_TELLING = 200
#: Points that bend as little as a circle of this many times their own spread say nothing of its centre.
_FLATTEST = 1e4


@dataclass(frozen=True, eq=False)
class LineFit:
    """``centre`` (D,) is the mean of the points, ``direction`` (D,) of length 1 with its largest part positive.

    ``residuals`` are distances from the line; in the plane they are positive on the left of ``direction``.
    ``u_direction_rad`` is the standard uncertainty of the direction.
    """

    centre: Array
    direction: Array
    residuals: Array
    spread: float
    u_direction_rad: float


@dataclass(frozen=True, eq=False)
class PlaneFit:
    """``normal`` (3,) has length 1 and its largest part positive; residuals are positive on its side.

    ``u_tilt_rad`` is the standard uncertainty of the tilt about the direction that is known worst.
    """

    centre: Array
    normal: Array
    residuals: Array
    spread: float
    u_tilt_rad: float


@dataclass(frozen=True, eq=False)
class CircleFit:
    """``normal`` is (0, 0, 1) for points in a plane; residuals are positive outside.

    ``u_centre`` is the standard uncertainty of the centre along the direction that is known worst.
    """

    centre: Array
    radius: float
    normal: Array
    residuals: Array
    spread: float
    u_centre: float
    u_radius: float


def fit_line(points: Array) -> LineFit:
    """The line that best fits ``points`` (N, 2) or (N, 3).

    Raises FitError for fewer than two points, when they all lie at one place, or spread alike every way.
    """
    points = _checked(points, 2, "a line", (2, 3))
    centre, spans, axes = _principal(points)
    if spans[0] <= _DEGENERATE * max(float(np.abs(points).max()), 1.0):
        raise FitError("The points lie at one place, so no line follows from them. Touch further apart.")
    if spans[0] - spans[1] <= _UNDECIDED * spans[0]:
        raise FitError("The points spread alike every way, so no line follows from them. Touch along an edge.")
    direction = _faced(axes[0])
    off = (points - centre) - np.outer((points - centre) @ direction, direction)
    if points.shape[1] == 2:
        residuals = (points - centre) @ np.array([-direction[1], direction[0]])
    else:
        residuals = np.linalg.norm(off, axis=1)
    # In space every point has two residuals and the line four unknowns; in the plane one and two.
    ways = points.shape[1] - 1
    spread = _spread(off, ways * (len(points) - 2))
    return LineFit(centre, direction, residuals, spread, spread / spans[0])


def fit_plane(points: Array) -> PlaneFit:
    """The plane that best fits ``points`` (N, 3).

    Raises FitError for fewer than three points, when they lie on one line, or spread across the plane as along it.
    """
    points = _checked(points, 3, "a plane", (3,))
    centre, spans, axes = _principal(points)
    if spans[1] <= _DEGENERATE * max(spans[0], 1.0):
        raise FitError("The points lie on one line, so the plane may tilt about it. Touch one beside that line.")
    if spans[1] - spans[2] <= _UNDECIDED * spans[0]:
        raise FitError("The points spread across any plane as much as along it. Touch one flat surface.")
    normal = _faced(axes[2])
    residuals = (points - centre) @ normal
    spread = _spread(residuals, len(points) - 3)
    return PlaneFit(centre, normal, residuals, spread, spread / spans[1])


def fit_circle(points: Array) -> CircleFit:
    """The circle that best fits ``points`` (N, 2), or (N, 3) in the plane that fits them best.

    Raises FitError for fewer than three points, when they lie on one line or bend so little that a line fits them as
    well, or when no fit converges.
    """
    points = _checked(points, 3, "a circle", (2, 3))
    if points.shape[1] == 2:
        return _plane_circle(points)
    plane = fit_plane(points)
    across = np.eye(3)[int(np.argmin(np.abs(plane.normal)))]
    right = np.cross(across, plane.normal)
    right /= np.linalg.norm(right)
    basis = np.array([right, np.cross(plane.normal, right)])
    flat = _plane_circle((points - plane.centre) @ basis.T)
    return CircleFit(
        plane.centre + flat.centre @ basis, flat.radius, plane.normal,
        flat.residuals, flat.spread, flat.u_centre, flat.u_radius,
    )  # fmt: skip


def _plane_circle(points: Array) -> CircleFit:
    middle = points.mean(axis=0)
    near = points - middle
    scale = float(np.sqrt((near**2).sum() / len(near)))
    if scale == 0.0 or np.linalg.svd(near, compute_uv=False)[1] <= _DEGENERATE * scale * math.sqrt(len(near)):
        raise FitError("The points lie on one line, so no circle follows from them. Touch further round.")
    near = near / scale
    a, b, c = _best_circle(near)
    away = near - (a, b)
    distance = np.hypot(away[:, 0], away[:, 1])
    residuals = (distance - c) * scale
    jacobian = np.column_stack([-away / distance[:, None], -np.ones(len(near))])
    spread = _spread(residuals, len(near) - 3)
    covariance = np.linalg.pinv(jacobian.T @ jacobian)
    worst = float(np.linalg.eigvalsh(covariance[:2, :2])[1])
    return CircleFit(
        middle + scale * np.array([a, b]), c * scale, np.array([0.0, 0.0, 1.0]),
        residuals, spread, spread * math.sqrt(worst), spread * math.sqrt(float(covariance[2, 2])),
    )  # fmt: skip


def _best_circle(near: Array) -> tuple[float, float, float]:
    """Centre and radius with the least squared distances, from the best of several starts (points about nought, with
    a spread of 1)."""
    from scipy.optimize import least_squares  # it takes its time to import, and few need it

    def off(circle: Array) -> Array:
        return _off(near, circle)

    def slopes(circle: Array) -> Array:
        away = circle[:2] - near
        distance = np.maximum(np.hypot(away[:, 0], away[:, 1]), 1e-300)
        return np.column_stack([away / distance[:, None], -np.ones(len(near))])

    best: tuple[float, Array] | None = None
    for start in _starts(near):
        # Near a circle as flat as points can tell the unknowns are large and little known: no bounds, but judged after.
        found = least_squares(off, start, slopes, method="lm", xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=2000)
        squares = float((off(found.x) ** 2).sum())
        if np.isfinite(found.x).all() and (best is None or squares < best[0]):
            best = squares, found.x
        if best is not None and best[0] < _PLAINLY_ROUND**2 * len(near):
            break
    if best is None:
        raise FitError("No circle could be fitted to the points. Check them, and touch further round.")
    a, b, c = best[1]
    if c > _FLATTEST:
        raise FitError("The points bend so little that their centre cannot be told. Touch further round.")
    circle = best[1]
    further = np.linalg.lstsq(slopes(circle), -off(circle), rcond=None)[0]
    if float(np.abs(further).max()) > _CONVERGED * max(float(c), 1.0):
        raise FitError("The fit of a circle to the points did not converge. Check them for one that is far off.")
    return float(a), float(b), float(c)


def _starts(near: Array) -> Iterator[Array]:
    """The algebraic circle, then the best of those through three points that do not lie on one line.

    Which of them are the best some of the points tell.
    """
    yield np.array(_algebraic(near))
    some = near[:: max(len(near) // _TELLING, 1)]
    starts = []
    count = math.comb(len(near), 3)
    for number in range(0, count, max(count // _STARTS, 1)):
        a, b, c = near[_triple(len(near), number)]
        matrix = 2.0 * np.array([b - a, c - a])
        if abs(np.linalg.det(matrix)) < 1e-9:
            continue
        centre = np.linalg.solve(matrix, [b @ b - a @ a, c @ c - a @ a])
        starts.append(np.array([*centre, float(np.hypot(*(some - centre).T).mean())]))
    yield from sorted(starts, key=lambda circle: float((_off(some, circle) ** 2).sum()))[:_FOLLOWED]


def _off(points: Array, circle: Array) -> Array:
    """How far outside (N,) of a circle, given by its centre and radius (3,), points (N, 2) lie."""
    distances: Array = np.hypot(points[:, 0] - circle[0], points[:, 1] - circle[1]) - circle[2]
    return distances


def _triple(count: int, number: int) -> list[int]:
    """Three of ``count``, rising: the choice of that number, from 0, of all in their order.

    Counted and not gone through: of ten thousand points there are more than anyone waits for.
    """
    triple, first = [], 0
    for left in (3, 2, 1):
        rest = count - first
        at = _beginning(rest, left, number)
        number -= math.comb(rest, left) - math.comb(rest - at, left)
        triple.append(first + at)
        first += at + 1
    return triple


def _beginning(count: int, left: int, number: int) -> int:
    """With which of ``count`` the choice of ``left`` of that number begins: before it come all that begin earlier."""
    of_all = math.comb(count, left)
    return bisect_right(range(count), number, key=lambda k: of_all - math.comb(count - k, left)) - 1


def _algebraic(near: Array) -> tuple[float, float, float]:
    """Centre and radius with the least algebraic error ``x² + y² - 2ax - 2by - k``, a start for the real one."""
    matrix = np.column_stack([2.0 * near, np.ones(len(near))])
    a, b, k = np.linalg.lstsq(matrix, (near**2).sum(axis=1), rcond=None)[0]
    return float(a), float(b), math.sqrt(float(k + a * a + b * b))


def _checked(points: Array, least: int, what: str, widths: tuple[int, ...]) -> Array:
    points = np.asarray(points, dtype=float)
    if points.ndim != 2 or points.shape[1] not in widths:
        columns = " or ".join(str(width) for width in widths)
        raise FitError(f"Points for {what} need {columns} coordinates each; give that many columns.")
    if len(points) < least:
        raise FitError(f"{len(points)} points are too few for {what}; it takes at least {least}.")
    if np.isfinite(points).all() and float(np.abs(points).max()) > _FARTHEST:
        raise FitError(f"A coordinate of the points for {what} is more than 10 km away; correct it.")
    if not np.isfinite(points).all():
        raise FitError(f"A coordinate of the points for {what} is not a finite number; correct it.")
    return points


def _principal(points: Array) -> tuple[Array, list[float], Array]:
    """Mean (D,), spans (root of the summed squares along each principal direction), directions (D, D) by rows."""
    centre = points.mean(axis=0)
    _, spans, axes = np.linalg.svd(points - centre, full_matrices=len(points) < points.shape[1])
    padded = [*spans.tolist(), *[0.0] * (points.shape[1] - len(spans))]
    return centre, padded, axes


def _faced(direction: Array) -> Array:
    """``direction`` or its opposite: the one whose largest part is positive, so that results can be compared."""
    turned: Array = direction * np.sign(direction[int(np.argmax(np.abs(direction)))])
    return turned


def _spread(residuals: Array, freedom: int) -> float:
    return math.sqrt(float((residuals**2).sum()) / freedom) if freedom > 0 else math.nan
