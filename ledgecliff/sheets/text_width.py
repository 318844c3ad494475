"""How wide words are in the shipped typeface, for papers without Qt."""

from __future__ import annotations

from functools import lru_cache
from importlib import resources

from fontTools.ttLib import TTFont

from ledgecliff.core.drawing.layout import TEXT_SIZE

#: Of a sign that the typeface lacks (em).
_UNKNOWN = 0.6


@lru_cache(maxsize=1)
def _advances() -> dict[int, float]:
    """By code point (em)."""
    face = resources.files("ledgecliff") / "resources" / "fonts" / "B612-Regular.otf"
    with resources.as_file(face) as path, TTFont(path, lazy=True) as font:
        widths, units = font["hmtx"].metrics, float(font["head"].unitsPerEm)
        return {code: widths[name][0] / units for code, name in font.getBestCmap().items()}


def text_width(text: str) -> float:
    """Of a drawing's words (pixels), letters side by side as they are."""
    advances = _advances()
    return TEXT_SIZE * sum(advances.get(ord(sign), _UNKNOWN) for sign in text)
