"""How the command line prints numbers and JSON."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))


def rounded(value: float) -> float:
    """Six places: far below what a machine resolves, and no noise of the last bit."""
    return round(float(value), 6) + 0.0


def xyz(vector: Iterable[float]) -> dict[str, float]:
    return {axis: rounded(value) for axis, value in zip("xyz", vector, strict=True)}
