"""What the hover check's gauge block stands on: on the release lens, and where a setup is proven by hand."""

from __future__ import annotations

from typing import get_args

from ledgecliff.core.model.machine import HoverSurface

from .document import Document
from .fields import ChoiceField


def stands_on(document: Document, setup: int) -> ChoiceField:
    choices: list[tuple[str, object]] = [("what gave Z", None), *((name, name) for name in get_args(HoverSurface))]
    path = ("setups", setup, "hover", "over")
    return ChoiceField(
        "Block stands on",
        "A level surface that can be seen and reached.",
        lambda: choices,
        lambda: document.job and document.job.setups[setup].hover.over,
        lambda name: document.set_value("hover check", path, name),
    )
