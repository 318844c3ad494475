"""How the stock sits in its holding: seat, grip, blocks that stand about, and the ladder of heights."""

from .hold import as_it_stands, held_on, hold_part
from .holding import Block, Height, Holding, Jaws, jaw_names, shaped_block

__all__ = [
    "Block", "Height", "Holding", "Jaws", "as_it_stands", "held_on", "hold_part", "jaw_names", "shaped_block",
]  # fmt: skip
