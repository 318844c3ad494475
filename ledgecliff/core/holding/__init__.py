"""How the stock sits in its holding: seat, grip, blocks that stand about, and the ladder of heights."""

from .hold import hold_part
from .holding import Block, Height, Holding, Jaws, jaw_names, shaped_block

__all__ = ["Block", "Height", "Holding", "Jaws", "hold_part", "jaw_names", "shaped_block"]
