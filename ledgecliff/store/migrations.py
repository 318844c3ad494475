"""Job files of older versions, brought up to the present one: one small function a step."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from ledgecliff.core.model.job import VERSION

Data = dict[str, Any]


def migrated(data: Data) -> Data:
    """``data`` as the present version has it; what cannot be understood is left for validation to name."""
    data = copy.deepcopy(data)
    while isinstance(data.get("version"), int) and 1 <= data["version"] < VERSION:
        _STEPS[data["version"]](data)
        data["version"] += 1
    return data


def _to_2(data: Data) -> None:
    """Stock and holding got kinds; the facing allowance became one of six sides."""
    stock = data.get("stock")
    if isinstance(stock, dict):
        stock.setdefault("form", "block")
        if stock.get("facing") is not None:
            stock["allowance"] = {_first_up(data): stock.pop("facing")}
    for setup in _dicts(data.get("setups")):
        if isinstance(setup.get("hold"), dict):
            setup["hold"].setdefault("by", "vise")


def _first_up(data: Data) -> str:
    """The side that is up in the first setup, as the name of an allowance."""
    first = next(iter(_dicts(data.get("setups"))), {})
    orientation = first.get("orientation")
    up = orientation.get("up", "+Z") if isinstance(orientation, dict) else "+Z"
    sides = {sign + axis: f"{word}_{axis.lower()}" for sign, word in (("+", "plus"), ("-", "minus")) for axis in "XYZ"}
    return sides.get(up, "plus_z")


def _dicts(value: Any) -> list[Data]:
    return [item for item in value if isinstance(item, dict)] if isinstance(value, list) else []


def _to_3(_data: Data) -> None:
    """Jigs, pins, frames and carried-over zeros came; what was there before means the same."""


def _to_4(_data: Data) -> None:
    """Probing cycles, skew, text profiles and switches of the probe came; without them all is as before."""


def _to_5(_data: Data) -> None:
    """Dowel pins got a length; one that is not stated is asked for where it matters."""


_STEPS: dict[int, Callable[[Data], None]] = {1: _to_2, 2: _to_3, 3: _to_4, 4: _to_5}
