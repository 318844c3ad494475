"""Everything the finder finds: commands, setups, features, fields and findings, by the words a shop has for them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial

from PySide6.QtGui import QAction

from ledgecliff.core.quantities import spell
from ledgecliff.core.route import scenes_of

from .actions import ACTIONS, ActionSpec
from .desk import Desk
from .fields import ValueField
from .groups import open_around

#: What else a command may be looked for by.
_SHOP_WORDS = {
    "hold": "vise jaws parallels clamp fixture grip workholding",
    "cut": "operations tools machining",
    "datum": "zero origin offset wcs G54 G55",
    "probe": "touch ball cycle zero probing",
    "hand": "touch off edge finder indicator paper zero manual",
    "coordinates": "table features numbers",
    "budget": "error tolerance uncertainty accuracy spread",
    "rehearse": "simulate dry run test trial",
    "run": "simulate dry run test trial",
    "release": "post program write output export",
    "programs": "post G-code write output export nc",
    "sheet": "print setup sheet pdf paper",
    "register": "offsets work offset zero G54 G55 table",
    "shop": "library vise parallels tools plates",
    "axes": "rotary axis fourth trunnion tombstone centre sense level guided",
    "tools": "tool table length offset H D cutter wear",
    "theme": "dark light night black colours",
    "unit": "inch metric mm",
    "solid": "3d view model turn",
    "turn": "flip over registration pins",
    "play": "flip over turn",
    "sides": "order setups faces reach",
    "stock": "blank material billet size",
    "part": "features holes model",
    "import": "step stl model cad",
    "profile": "post processor control dialect style",
    "findings": "errors warnings problems hazards check",
    "undo": "back take back",
    "fold": "hide route room",
    "groups": "hide collapse sections fields room",
}


@dataclass(frozen=True)
class Thing:
    """``words`` are shown, ``sought`` is searched as well; ``why_not`` is empty for what can be done now."""

    words: str
    detail: str
    sought: str
    run: Callable[[], object]
    why_not: str = ""

    def rank(self, typed: list[str]) -> int | None:
        """How well it fits, the smallest best; None where not every word occurs."""
        words, everything = self.words.lower(), f"{self.words} {self.detail} {self.sought}".lower()
        if not all(word in everything for word in typed):
            return None
        sentence = " ".join(typed)
        if words == sentence:
            return 0
        return 1 if words.startswith(sentence) else 2 if all(word in words for word in typed) else 3


def things_found(things: list[Thing], text: str, most: int) -> list[Thing]:
    """Those in which every typed word occurs: what can be done first, then the best fit, in their own order."""
    typed = text.lower().split()
    ranked = [
        (bool(thing.why_not), rank, k) for k, thing in enumerate(things) if (rank := thing.rank(typed)) is not None
    ]
    return [things[k] for _, _, k in sorted(ranked)[:most]]


def all_things(desk: Desk, actions: dict[str, QAction]) -> list[Thing]:
    return [*_commands(desk, actions), *_setups(desk), *_features(desk), *_fields(desk), *_findings(desk)]


def _commands(desk: Desk, actions: dict[str, QAction]) -> Iterator[Thing]:
    for spec in ACTIONS:
        action = actions[spec.id]
        why_not = "" if action.isEnabled() else _why_not(desk, spec)
        detail = f"{spec.menu} · {spec.shortcut}" if spec.shortcut else spec.menu
        yield Thing(spec.text, detail, f"{spec.tip} {_SHOP_WORDS.get(spec.id, '')}", action.trigger, why_not)


def _why_not(desk: Desk, spec: ActionSpec) -> str:
    if spec.needs_job and desk.document.job is None:
        return "open a job first"
    return {"undo": "nothing was changed yet", "redo": "nothing was taken back"}.get(spec.id, "not now")


def _setups(desk: Desk) -> Iterator[Thing]:
    plan, document = desk.document.plan, desk.document
    for index, scene in enumerate(scenes_of(plan) if plan is not None else ()):
        caption = spell(scene.caption, document.unit)
        kind = "setup" if scene.kind == "setup" else "scene"
        yield Thing(scene.title, f"{kind} · {caption} · {scene.detail}", "", _scene_shown(desk, index))


def _scene_shown(desk: Desk, index: int) -> Callable[[], object]:
    return lambda: desk.document.show_scene(index)


def _features(desk: Desk) -> Iterator[Thing]:
    for feature in desk.document.job.part.features if desk.document.job is not None else ():
        yield Thing(feature.name, f"feature · {feature.kind}", "", _feature_shown(desk, feature.name))


def _feature_shown(desk: Desk, name: str) -> Callable[[], object]:
    def show() -> None:
        desk.document.show_scene(0)
        desk.document.show_lens("part")
        desk.document.pick(name)

    return show


def _fields(desk: Desk) -> Iterator[Thing]:
    """Of the panel on the stage: what is typed there."""
    document = desk.document
    panel = desk.stage.panels.get(desk.stage.panel_key()) if document.scene is not None else None
    for field in panel.fields if panel is not None else ():
        yield Thing(field.spec.label, f"field · {document.lens}", field.spec.why, partial(_go_to, field))


def _go_to(field: ValueField) -> None:
    open_around(field)
    field.entry.setFocus()


def _findings(desk: Desk) -> Iterator[Thing]:
    for finding in desk.document.findings or ():
        words = finding.message(desk.document.unit)
        yield Thing(words, f"finding · {finding.severity}", finding.code, _finding_shown(desk, finding.setup))


def _finding_shown(desk: Desk, setup: str) -> Callable[[], object]:
    return lambda: desk.show_setup(setup) if setup else desk.findings.open_list()
