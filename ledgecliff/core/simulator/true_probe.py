"""How a probe really is, where that differs from what the machine was told."""

from __future__ import annotations

from dataclasses import dataclass

#: The lag between trigger and latched position (s).
DELAY_S = 0.004


@dataclass(frozen=True)
class TrueProbe:
    """``radius_off`` is how much larger its true effective radius is in every direction, ``lobing`` how much
    the pretravel swings three times a turn (mm); ``missed`` are triggers, counted from 1, that do not come.
    """

    radius_off: float = 0.0
    lobing: float = 0.0
    delay_s: float = DELAY_S
    repeatability: float | None = None
    missed: frozenset[int] = frozenset()
