"""How the stock sits in its holding: seat, grip, blocks that stand about, and the ladder of heights."""

from .held import Block, Height, Holding, Jaws, shaped_block
from .hold import hold_part

__all__ = ["Block", "Height", "Holding", "Jaws", "hold_part", "shaped_block"]
