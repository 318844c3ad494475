"""What is said beside each way of touching off, because a hand is in the machine."""

from __future__ import annotations

from .draft import Method

ALWAYS = (
    "Hands out of the travel while anything moves; doors and interlocks as the machine's builder requires.",
    "Jog slowly near a surface, in small steps, and away from it before the next move.",
    "Follow the machine builder's manual, the shop's own rules and local safety law.",
)
_STANDING = "Spindle stopped and locked out of rotation while an indicator or a probe is fitted."
_BY_METHOD: dict[Method, str] = {
    "edge": "An edge finder turns no faster than its maker allows. With a cutter the spindle stands still and paper "
    "or a feeler is between; turn the cutter to its widest by hand, a tooth straight at the surface, or half its "
    "diameter is too much.",
    "wall to wall": "Both walls with the same tool, at the same height. An edge finder turns no faster than its maker "
    "allows; turn a cutter to its widest at each wall, the same tooth at both.",
    "half a measured size": "Measure this part, not the drawing: half of the nominal size is not half of this one.",
    "spigot": "Touch at the spigot's widest, with the tool's axis level with its own, and turn a cutter to its widest "
    "on each side, the same tooth at both.",
    "indicator swept": _STANDING + " Turn it by hand, in neutral.",
    "tool on top": "Spindle stopped. Slide the block or feeler under while the tool comes up, never down onto it. "
    "Turn a cutter with inserts until its lowest tooth is over the block.",
    "indicator against reference": _STANDING + " Both readings at the same place of the dial.",
    "over it, by eye": "Only to bring the probe or a tool near: never to cut by. Jog slowly, look from two sides.",
    "above it, by eye": "Only to bring the probe or a tool near: never to cut by. Stay clear of everything, and guess "
    "low rather than high how far above it stands: then the tip stops higher than it is told.",
    "known value": "Only for what has not been moved, knocked or cleaned under since the value was found.",
    "test cut": "Eye protection, chips not swept by hand. Cut at reduced feed with a finger on hold, and measure with "
    "the spindle stopped.",
}


def caution(method: Method) -> str:
    return _BY_METHOD[method]
