"""The probe lens: the steps of a setup's probing, one of them to be changed, and what is known after each."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from PySide6.QtCore import Signal

from ledgecliff.core.adding.offer import Offer
from ledgecliff.core.adding.touching import touchable
from ledgecliff.core.edits.cycles import (
    add_cycle,
    move_cycle,
    offers,
    propose_again,
    remove_cycle,
    set_cycle,
    take_over,
)
from ledgecliff.core.edits.found_holes import typed_hole
from ledgecliff.core.edits.tools import add_probe, remove_probe, with_probe
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.cycles import WIDTHS, ProbeCycle
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.probing.duration import probing_seconds
from ledgecliff.core.probing.touches import Knowledge, Step
from ledgecliff.core.programs.cards import card_lines
from ledgecliff.core.quantities import Unit, format_length, spell

from ..adding import AddHere, Adding, Groups
from ..cards import Cards
from ..document import Document
from ..field_table import FieldSpec, Section
from ..fields import ChoiceField
from ..probe_fields import cycle_sections, probe_sections
from ..row_list import RowList
from .base import LensPanel

#: Height of the list at most (pixels).
_LIST_HEIGHT = 132


def _offered(
    plan: Plan, setup: int, name: str, _found: object, _judge: object, cancelled: Callable[[], bool]
) -> tuple[Offer[ProbeCycle], ...]:
    return touchable(plan, setup, name, cancelled)


class ProbePanel(LensPanel):
    #: Cards of this setup are to be written.
    cards_wanted = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.adding = Adding(document, "probe", _offered)
        self.cards = Cards(document)
        self.cards.changed.connect(self._show_card)

    def key(self) -> object:
        chosen = self._cycle()
        own = self.job.setups[self.setup_index].probing.cycles is not None
        about = (chosen.kind, chosen.on, chosen.action, chosen.axis) if chosen else None
        return self.setup_index, own, about, self.chosen(), len(self._steps()), self.machine.probe.tool

    def _steps(self) -> tuple[Step, ...]:
        return self.plan.setups[self.setup_index].probing.steps

    def chosen(self) -> int | None:
        """The step on the stage: the one whose touch is picked, else the one picked in the list."""
        steps = self._steps()
        if not steps:
            return None
        source = self.document.picked
        for k, step in enumerate(steps):
            if any(source == f"touch-{touch.number}" for touch in step.touches):
                return k
        return min(self.document.step, len(steps) - 1)

    def _cycle(self) -> ProbeCycle | None:
        chosen = self.chosen()
        return None if chosen is None else self._steps()[chosen].cycle

    def _number(self) -> int | None:
        """The place of the picked step's cycle in the setup's own list; None while the list is proposed."""
        own, cycle = self.job.setups[self.setup_index].probing.cycles, self._cycle()
        return own.index(cycle) if own is not None and cycle in own else None

    def build(self) -> None:
        own = self.job.setups[self.setup_index].probing.cycles is not None
        self.add_heading("Steps, in order" if own else "Steps, as proposed for the datum")
        tip = "Pick one: its touches are marked on the drawing."
        self.list = RowList("Probing steps of this setup", tip, _LIST_HEIGHT)
        self.list.currentRowChanged.connect(self._picked)
        self.add_widget(self.list)
        if own:
            self.add_buttons(
                ("Earlier", "One place up in the order", lambda: self._move(-1)),
                ("Later", "One place down in the order", lambda: self._move(+1)),
                ("Remove", "Take this step out", self._remove),
            )
            self.add_buttons(
                ("Propose again", "Back to what the datum asks for; what only measures stays", self._propose),
            )
        else:
            self.add_buttons(
                ("Edit these steps", "Keep these steps as they are, to be changed one by one", self._take_over),
            )
        self.add_heading("Add a step", folds=True)
        self.add_widget(AddHere(self.adding, self.document, self._groups, self._add))
        self.add_sections((self._found_section(),))
        self.add_heading("Known after each step")
        self._known = self.add_quiet("")
        self._trouble = self.add_quiet("")
        self.add_heading("Card for the control's own cycle", folds=True)
        self._card = self.add_quiet("")
        tip = "All cards of this setup, to be worked through at the control"
        self.add_buttons(("Write cards…", tip, self.cards_wanted.emit))
        number, cycle = self._number(), self._cycle()
        if number is not None and cycle is not None:
            self._add_cycle_choices(cycle)
            self.add_sections(cycle_sections(self.setup_index, number, cycle))
        self.add_choice(
            ChoiceField(
                "Touched by hand first",
                "The operator touches the ball, and the program goes on only after that trigger.",
                lambda: [("no", False), ("yes: a test of the probe", True)],
                lambda: self.job.setups[self.setup_index].probing.hand_test,
                lambda value: self.document.set_value(
                    "probe test", ("setups", self.setup_index, "probing", "hand_test"), value
                ),
            )
        )
        self._add_probes()
        self.add_sections(probe_sections(self.job, self.setup_index))
        self.refresh_more()

    def _found_section(self) -> Section:
        why = (
            "Jog about to its middle and type what is read there: X, Y and its diameter, and its depth where it is "
            "blind, such as 12.3, -4.5, 8. It is then a feature to be touched, and kept where results have it."
        )
        path = ("setups", self.setup_index, "orientation")

        def keep(job: Job, text: object) -> Job:
            if not str(text).strip():
                return job
            return typed_hole(self.plan, self.setup_index, str(text), self.document.unit)

        spec = FieldSpec("Reads about", path, "text", why, True, keep, lambda _value: "")
        return Section("A hole nobody has drawn", (spec,))

    def _add_probes(self) -> None:
        """Which of the machine's probes this setup is probed with."""
        index = self.setup_index
        self.add_choice(
            ChoiceField(
                "Probed with",
                "Which of the machine's probes is used here; its sizes are below.",
                lambda: [(f"T{each.tool}, ball {format_length(each.ball_diameter, self.document.unit)}", each.tool)
                         for each in sorted(self.machine.probes, key=lambda each: each.tool)],
                lambda: self.machine.probe.tool,
                lambda tool: self.document.apply("probe", lambda job: with_probe(job, index, cast(int, tool))),
            )
        )  # fmt: skip
        self.add_buttons(
            ("Add a probe", "One more probe on this machine, which this setup then uses",
             lambda: self.document.apply("add a probe", lambda job: add_probe(job, index))),
            ("Remove it", "Takes the probe off the machine, where no other setup uses it",
             lambda: self.document.apply("remove a probe", lambda job: remove_probe(job, index))),
        )  # fmt: skip

    def _add_cycle_choices(self, cycle: ProbeCycle) -> None:
        self.add_heading("The picked step")
        if cycle.kind not in ("presence", "consistency"):
            self._choice("What it does", "action", "Set an offset, or only measure for the record.",
                         [("sets the offset", "set"), ("only measures", "measure")])  # fmt: skip
        codes: list[tuple[str, object]] = [("this setup's own", None)]
        codes += [(offset.code, offset.code) for offset in codes_of(self.machine)]
        if cycle.action == "set":
            self._choice("Writes", "into", "Which work offset is set.", codes)
        if cycle.kind in (*WIDTHS, "rectangle", "bore", "boss", "corner"):
            self._choice("Between sides", "crossing", "Up and over the top, or straight across.",
                         [("as is usual for it", None), ("up and over", "over"),
                          ("straight across", "straight")])  # fmt: skip
        names = [operation.name for operation in self.job.setups[self.setup_index].operations]
        after: list[tuple[str, object]] = [("before all operations", None)]
        after += [(f"after {name}", name) for name in names]
        self._choice("Runs", "after", "Before anything is cut, or once an operation is done.", after)
        if cycle.kind in ("surface", "outside width"):
            self._choice("Touches", "rough", "Two stages, or one fast touch that only finds it roughly.",
                         [("fast, then slow", False), ("fast only: rough", True)])  # fmt: skip

    def _choice(self, label: str, field: str, why: str, choices: list[tuple[str, object]]) -> None:
        index = self.setup_index

        def apply(value: object) -> None:
            number = self._number()
            if number is not None:
                self.document.apply(label.lower(), lambda job: set_cycle(job, index, number, field, value))

        self.add_choice(ChoiceField(label, why, lambda: choices, lambda: getattr(self._cycle(), field, None), apply))

    def refresh_more(self) -> None:
        unit, probing = self.document.unit, self.plan.setups[self.setup_index].probing
        texts = []
        for number, step in enumerate(probing.steps, start=1):
            touches = "1 touch" if len(step.touches) == 1 else f"{len(step.touches)} touches"
            mark = "⚠ " if step.problems else ""
            measured = " · measures" if not step.sets and not step.sets_skew else ""
            texts.append(f"{mark}{number}. {step.title} · {touches}{measured}")
        chosen = self.chosen()
        self.show_rows(self.list, texts, -1 if chosen is None else chosen)
        self.list.fit()
        seconds = probing_seconds(probing, self.machine.probe)
        lines = [f"before: {known_words(probing.knowledge_before, unit)}"]
        for number, step in enumerate(probing.steps, start=1):
            lines.append(f"after {number}: {known_words(step.knowledge_after, unit)}")
        # A long list of measurements knows nothing new; its first and last lines say it.
        shown = lines if len(lines) <= 7 else [*lines[:4], "…", lines[-1]]
        self._known.setText("\n".join([*shown, f"about {seconds:.0f} s in all"]))
        troubles = probing.steps[chosen].problems if chosen is not None else ()
        self._trouble.setText("\n".join(spell(f"⚠ {p.message} {p.remedy}", unit) for p in troubles))
        self._trouble.setVisible(bool(troubles))

        self._show_card()

    def _show_card(self) -> None:
        if self._built_for is None or self.document.plan is None:
            return
        cards, chosen = self.cards.of(self.setup_index), self.chosen()
        if cards is None or chosen is None or chosen >= len(cards):
            self._card.setText("" if chosen is None else "How near is near enough is being worked out…")
            return
        self._card.setText("\n".join(spell(line, self.document.unit) for line in card_lines(cards[chosen])))

    def _groups(self) -> Groups:
        for words, cycles in offers(self.plan.setups[self.setup_index]):
            yield words, [(cycle.name, cycle) for cycle in cycles]

    def _picked(self, row: int) -> None:
        if row >= 0:
            self.document.show_step(row)

    def _add(self, cycle: ProbeCycle) -> None:
        index = self.setup_index

        def add() -> None:
            self.document.apply("probing step", lambda job: add_cycle(job, index, cycle))
            self.document.show_step(len(self._steps()) - 1)

        self.attempt(add)

    def _take_over(self) -> None:
        index = self.setup_index
        self.document.apply("probing steps", lambda job: take_over(job, index))

    def _propose(self) -> None:
        index = self.setup_index
        self.document.apply("probing steps", lambda job: propose_again(job, index))

    def _move(self, by: int) -> None:
        index, number = self.setup_index, self._number()
        if number is not None:
            self.document.apply("order of probing steps", lambda job: move_cycle(job, index, number, by))
            self.document.show_step(min(max(number + by, 0), len(self._steps()) - 1))

    def _remove(self) -> None:
        index, number = self.setup_index, self._number()
        if number is not None:
            self.document.apply("remove probing step", lambda job: remove_cycle(job, index, number))


def known_words(known: tuple[Knowledge, ...], unit: Unit) -> str:
    """What is known of X, Y and Z, alike ones together; and of the skew once it is found."""
    *axes, skew = known
    words: dict[str, list[str]] = {}
    for axis, each in zip(AXES, axes, strict=True):
        words.setdefault(f"{each.state} ±{format_length(each.uncertainty, unit)}", []).append(axis.upper())
    said = [f"{' '.join(letters)} {state}" for state, letters in words.items()]
    if skew.state != "guessed":
        said.append(f"skew {skew.state} ±{skew.uncertainty:.3f}°")
    return ", ".join(said)
