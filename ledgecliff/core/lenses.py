"""Lenses: what a scene is looked at for.  One row a lens; who draws it, writes its tape and shows its fields matches
on its key, all of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

SceneKind = Literal["stock", "bench", "setup", "turn", "finished"]
LensKey = Literal[
    "part", "stock", "sides", "hold", "cut", "datum", "probe", "hand", "bench", "turn", "finished", "coordinates",
    "budget", "rehearse", "release",
]  # fmt: skip


@dataclass(frozen=True)
class Lens:
    """``words`` stand on its tab, ``tip`` says what it is for; ``scenes`` are those that have it."""

    key: LensKey
    words: str
    tip: str
    scenes: tuple[SceneKind, ...]
    shortcut: str = ""


#: In the order of the work, which is that of the tabs.
LENSES: tuple[Lens, ...] = (
    Lens("part", "Part", "Features of the part", ("stock",), "Ctrl+1"),
    Lens("stock", "Stock", "The blank and how it lies round the part", ("stock",), "Ctrl+2"),
    Lens("sides", "Sides", "From where features can be cut, and in which order", ("stock",), "Ctrl+3"),
    Lens("hold", "Hold", "How the part is held", ("setup",), "Alt+1"),
    Lens("cut", "Cut", "What is cut in this setup", ("setup",), "Alt+2"),
    Lens("datum", "Datum", "Where the zero is", ("setup",), "Alt+3"),
    Lens("probe", "Probe", "The touches that find it", ("setup",), "Alt+4"),
    Lens("hand", "By hand", "Touching off with edge finder, indicator or cutter", ("setup",), "Alt+5"),
    Lens("bench", "Beside", "What is done beside the machine", ("bench",)),
    Lens("turn", "Turn", "How the part comes from one setup into the next", ("turn",)),
    Lens("finished", "Finished", "What comes out of the last setup", ("finished",)),
    Lens("coordinates", "Coordinates", "Every feature in every setup's zero", get_args(SceneKind), "Alt+6"),
    Lens("budget", "Budget", "How far features may be off each other, and why", ("setup", "turn", "finished"), "Alt+9"),
    Lens("rehearse", "Rehearse", "The simulated machine", ("setup",), "Alt+7"),
    Lens("release", "Release", "Programs and sheet", ("setup",), "Alt+8"),
)
BY_KEY: dict[LensKey, Lens] = {lens.key: lens for lens in LENSES}


def lenses_of(kind: SceneKind) -> tuple[Lens, ...]:
    """Those that a kind of scene has."""
    return tuple(lens for lens in LENSES if kind in lens.scenes)
