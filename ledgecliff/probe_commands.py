"""Commands about probing: ``fit``."""

from __future__ import annotations

import argparse
import math
from typing import Any

import numpy as np

from ledgecliff.command_output import print_json


def fit(options: argparse.Namespace) -> int:
    """Least-squares line, plane or circle through the points of a CSV file."""
    from ledgecliff.core.probing import fits
    from ledgecliff.store.point_files import read_points

    points = read_points(options.points)
    result: dict[str, Any] = {"shape": options.shape, "points": len(points)}
    if options.shape == "line":
        line = fits.fit_line(points)
        result |= {"centre": _numbers(line.centre), "direction": _numbers(line.direction)}
        result["uncertainty"] = {"direction_deg": _number(math.degrees(line.u_direction_rad))}
        residuals, spread = line.residuals, line.spread
    elif options.shape == "plane":
        plane = fits.fit_plane(points)
        result |= {"centre": _numbers(plane.centre), "direction": _numbers(plane.normal)}
        result["uncertainty"] = {"tilt_deg": _number(math.degrees(plane.u_tilt_rad))}
        residuals, spread = plane.residuals, plane.spread
    else:
        circle = fits.fit_circle(points)
        result |= {"centre": _numbers(circle.centre), "radius": _number(circle.radius)}
        result["direction"] = _numbers(circle.normal)
        result["uncertainty"] = {"centre": _number(circle.u_centre), "radius": _number(circle.u_radius)}
        residuals, spread = circle.residuals, circle.spread
    result |= {
        "rms": _number(float(np.sqrt(np.mean(residuals**2)))),
        "largest": _number(float(np.abs(residuals).max())),
        "spread": _number(spread),
        "residuals": _numbers(residuals),
    }
    if options.json:
        print_json(result)
        return 0
    for name in ("centre", "direction", "radius", "rms", "largest", "spread"):
        if name in result:
            values = result[name] if isinstance(result[name], list) else [result[name]]
            print(f"{name:<12}" + "".join("   unknown" if value is None else f"{value:+14.6f}" for value in values))
    return 0


def _number(value: float) -> float | None:
    """Nine places, more than any reading has; None where it cannot be known."""
    return round(float(value), 9) + 0.0 if math.isfinite(value) else None


def _numbers(values: Any) -> list[float | None]:
    return [_number(float(value)) for value in values]
