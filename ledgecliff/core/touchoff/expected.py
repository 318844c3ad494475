"""What the plan knows of an offset before it is touched off: where it lies, how far off it may be, what is near."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..frames import Axis
from .surfaces import Round, Surface


@dataclass(frozen=True)
class ToolSize:
    """A cutter of the tool table: its number, diameter and tip length (mm)."""

    tool: int
    diameter: float
    length: float


@dataclass(frozen=True)
class Expected:
    """Where the plan has each axis of the offset (mm, M), and how far it may lie off.

    ``surfaces``, ``rounds`` and ``tools`` are what may have been touched, and touched with, instead; ``varies`` how
    much the stock's size may differ along each axis (mm).
    """

    offsets: dict[Axis, float]
    region: float
    surfaces: tuple[Surface, ...] = ()
    rounds: tuple[Round, ...] = ()
    tools: tuple[ToolSize, ...] = ()
    varies: dict[Axis, float] = field(default_factory=dict)
