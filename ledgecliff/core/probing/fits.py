"""Least-squares lines, planes and circles through points, with residuals and uncertainty.

Lines and planes minimise the distance square to them (the principal directions of the points);
circles minimise the distance from the circle itself, by Gauss and Newton from the algebraic circle
(Gander, Golub, Strebel, "Least-squares fitting of circles and ellipses", BIT 34, 1994, section 3).
Points are (N, 2) or (N, 3) in mm; residuals (N,) are signed distances in mm.  ``spread`` is the
standard deviation of one point as far as its residuals tell: the root of their squares' sum over
the points more than are needed, nan with no such point.  Standard uncertainties follow from it and
the normal matrix, ``spread² (JᵀJ)⁻¹``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..errors import FitError
from ..frames import Array

#: Points that spread less than this share of their length give no direction of their own.
_DEGENERATE = 1e-9
_STEPS, _CONVERGED = 60, 1e-12


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

    Raises FitError for fewer than two points, or when they all lie at one place.
    """
    points = _checked(points, 2, "a line", (2, 3))
    centre, spans, axes = _principal(points)
    if spans[0] <= _DEGENERATE * max(float(np.abs(points).max()), 1.0):
        raise FitError("The points lie at one place, so no line follows from them. Touch further apart.")
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

    Raises FitError for fewer than three points, or when they lie on one line.
    """
    points = _checked(points, 3, "a plane", (3,))
    centre, spans, axes = _principal(points)
    if spans[1] <= _DEGENERATE * max(spans[0], 1.0):
        raise FitError("The points lie on one line, so the plane may tilt about it. Touch one beside that line.")
    normal = _faced(axes[2])
    residuals = (points - centre) @ normal
    spread = _spread(residuals, len(points) - 3)
    return PlaneFit(centre, normal, residuals, spread, spread / spans[1])


def fit_circle(points: Array) -> CircleFit:
    """The circle that best fits ``points`` (N, 2), or (N, 3) in the plane that fits them best.

    Raises FitError for fewer than three points, or when they lie on one line.
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
    a, b, c = _algebraic(near)
    for _ in range(_STEPS):
        away = near - (a, b)
        distance = np.hypot(away[:, 0], away[:, 1])
        jacobian = np.column_stack([-away / distance[:, None], -np.ones(len(near))])
        step = np.linalg.lstsq(jacobian, c - distance, rcond=None)[0]
        a, b, c = a + step[0], b + step[1], c + step[2]
        if np.abs(step).max() < _CONVERGED:
            break
    away = near - (a, b)
    distance = np.hypot(away[:, 0], away[:, 1])
    residuals = (distance - c) * scale
    jacobian = np.column_stack([-away / distance[:, None], -np.ones(len(near))])
    spread = _spread(residuals, len(near) - 3)
    covariance = np.linalg.inv(jacobian.T @ jacobian)
    worst = float(np.linalg.eigvalsh(covariance[:2, :2])[1])
    return CircleFit(
        middle + scale * np.array([a, b]), c * scale, np.array([0.0, 0.0, 1.0]),
        residuals, spread, spread * math.sqrt(worst), spread * math.sqrt(float(covariance[2, 2])),
    )  # fmt: skip


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
