"""Lengths and areas as they are shown and said in a shop.

Lengths are millimetres everywhere inside; a sentence that holds some carries marks, which are spelled in the unit
that is shown (``spell``).  The unit factors are pint's.
"""

from __future__ import annotations

import math
import re
from functools import cache
from typing import Literal

Unit = Literal["mm", "in"]

#: Nothing on a machine tool is longer; a larger number is a slip of the finger.
LARGEST_MM = 100_000.0


@cache
def mm_per_named(unit: str) -> float:
    """Millimetres in a unit of length by the name pint knows it by."""
    if unit == "mm":
        return 1.0
    import pint  # slow to import, and only needed once something is not in millimetres

    return float(pint.UnitRegistry().Quantity(1, unit).to("mm").magnitude)


def mm_per(unit: Unit) -> float:
    """Millimetres in one display unit."""
    return mm_per_named("mm" if unit == "mm" else "inch")


def decimals(unit: Unit) -> int:
    """Places shown: a thousandth of a millimetre, a ten-thousandth of an inch."""
    return 3 if unit == "mm" else 4


def format_length(mm: float, unit: Unit = "mm", *, sign: bool = False, with_unit: bool = False) -> str:
    """``mm`` in the display unit with the places of that unit.

    ``sign`` shows a plus on coordinates; a true minus sign is used, and zero never reads minus.
    """
    places = decimals(unit)
    value = round(mm / mm_per(unit), places) + 0.0
    text = f"{value:+.{places}f}" if sign else f"{value:.{places}f}"
    return text.replace("-", "−") + (f" {unit}" if with_unit else "")


def format_scatter(mm: float, unit: Unit = "mm") -> str:
    """A standard deviation: so small that it is shown with one more place."""
    return f"{mm / mm_per(unit):.{decimals(unit) + 1}f}"


def format_short(mm: float, unit: Unit = "mm") -> str:
    """As ``format_length`` without trailing noughts, for names and running text."""
    text = f"{round(mm / mm_per(unit), decimals(unit)) + 0.0:.{decimals(unit)}f}".rstrip("0").rstrip(".")
    return text.replace("-", "−")


def whole_up(mm: float, unit: Unit) -> float:
    """``mm`` rounded up to what a rule shows: whole millimetres, sixteenths of an inch."""
    step = 1.0 if unit == "mm" else mm_per("in") / 16.0
    return round(math.ceil(mm / step - 1e-9) * step, 4)


_TOKEN_OPEN, _TOKEN_CLOSE = "\u27e6", "\u27e7"
_IN_TEXT = re.compile(rf"{_TOKEN_OPEN}([~+=²³]?)(-?\d+\.\d+(?:e[+-]?\d+)?){_TOKEN_CLOSE}")


def said(mm: float) -> str:
    """A length inside a sentence, to be spelled out in whatever unit is shown (``spell``)."""
    return f"{_TOKEN_OPEN}{float(mm)!r}{_TOKEN_CLOSE}"


def said_bare(mm: float) -> str:
    """As ``said``, but spelled without unit and trailing noughts."""
    return f"{_TOKEN_OPEN}~{float(mm)!r}{_TOKEN_CLOSE}"


def said_signed(mm: float) -> str:
    """A coordinate inside a sentence, spelled with its sign and all its places but without unit."""
    return f"{_TOKEN_OPEN}+{float(mm)!r}{_TOKEN_CLOSE}"


def said_unsigned(mm: float) -> str:
    """A size inside a sentence, spelled with all its places but without unit."""
    return f"{_TOKEN_OPEN}={float(mm)!r}{_TOKEN_CLOSE}"


def said_area(mm2: float) -> str:
    """An area in mm² inside a sentence."""
    return f"{_TOKEN_OPEN}²{float(mm2)!r}{_TOKEN_CLOSE}"


def said_volume(mm3: float) -> str:
    """A volume in mm³ inside a sentence; spelled in cm³ or cubic inches."""
    return f"{_TOKEN_OPEN}³{float(mm3)!r}{_TOKEN_CLOSE}"


def coordinate_at_end(text: str) -> tuple[str, float | None]:
    """A sentence that ends in a coordinate (``said_signed``) without that, and it (mm); any other whole, and None."""
    *_, last = [None, *_IN_TEXT.finditer(text)]
    if last is None or last.end() != len(text) or last[1] != "+":
        return text, None
    return text[: last.start()].rstrip(), float(last[2])


def spell(text: str, unit: Unit) -> str:
    """``text`` with its lengths, areas and volumes written in ``unit``."""

    def written(match: re.Match[str]) -> str:
        value = float(match[2])
        match match[1]:
            case "~":
                return format_short(value, unit)
            case "=":
                return format_length(value, unit)
            case "+":
                return format_length(value, unit, sign=True)
            case "²":
                return f"{value:.0f} mm²" if unit == "mm" else f"{value / mm_per('in') ** 2:.2f} in²"
            case "³":
                return f"{value / 1000.0:.2f} cm³" if unit == "mm" else f"{value / mm_per('in') ** 3:.3f} in³"
            case _:
                return format_length(value, unit, with_unit=True)

    return _IN_TEXT.sub(written, text)
