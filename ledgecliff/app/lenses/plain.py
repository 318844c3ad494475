"""The lenses that are fields and choices: turn, datum, probe, finished."""

from __future__ import annotations

from typing import cast

from ledgecliff.core import edits
from ledgecliff.core.datums import DatumChoice, datum_choices
from ledgecliff.core.frames import AXES, Axis, Turn
from ledgecliff.core.quantities import format_length

from ..fields import ChoiceField
from ..probe_fields import datum_sections, probe_sections
from .base import LensPanel

#: Turns that are offered: words are worked out from the turn itself.
_TURNS: tuple[tuple[Axis, float], ...] = (
    ("x", 180.0),
    ("y", 180.0),
    ("z", 180.0),
    ("x", 90.0),
    ("x", -90.0),
    ("y", 90.0),
    ("y", -90.0),
    ("z", 90.0),
    ("z", -90.0),
)


class FinishedPanel(LensPanel):
    def build(self) -> None:
        self.add_heading("The finished part")
        self.add_quiet("Read from its model. Named features are listed in the coordinate table (Ctrl+T).")


class TurnPanel(LensPanel):
    def build(self) -> None:
        self.add_heading("How the part is turned over")
        self.add_choice(
            ChoiceField(
                "Turn",
                "About which machine axis the part is turned between the two setups.",
                self._turns,
                self._current,
                self._apply,
            )
        )
        self.add_quiet(
            "Turned about X the left end stays left: a left stop still meets the same end. "
            "Turned about Y the other end meets it, and the blank's length enters."
        )
        self.add_heading("After the turn")
        self.add_quiet(
            "Mark the end that stays left with a cross. Clean table and underside, no chips under the part. "
            "Seat it, tap it down, check that neither parallel moves. Check one feature by touch before cutting."
        )

    def _turns(self) -> list[tuple[str, object]]:
        choices: list[tuple[str, object]] = []
        for axis, angle in _TURNS:
            words = edits.turn_words(axis, angle)
            choices.append((words, words))
        if self._current() not in [words for words, _ in choices]:
            choices.append((self._current(), self._current()))
        return choices

    def _current(self) -> str:
        job = self.document.job
        if job is None or self.setup_index == 0:
            return ""
        return Turn(
            job.setups[self.setup_index - 1].orientation, job.setups[self.setup_index].orientation
        ).in_shop_words()

    def _apply(self, words: object) -> None:
        index = self.setup_index
        chosen = next(((a, d) for a, d in _TURNS if edits.turn_words(a, d) == words), None)
        if chosen is not None:
            self.document.apply("turn", lambda job: edits.turn_setup(job, index, *chosen))


class DatumPanel(LensPanel):
    def build(self) -> None:
        self.add_heading("What sets each axis")
        for axis in AXES:
            self.add_choice(
                ChoiceField(
                    f"{axis.upper()} zero",
                    f"The surface that gives the zero of {axis.upper()}.",
                    lambda axis=axis: [(choice.words, choice) for choice in self._choices(axis)],
                    lambda axis=axis: self._current(axis),
                    lambda value, axis=axis: self._apply(axis, cast(DatumChoice, value)),
                )
            )
        self.add_choice(
            ChoiceField(
                "Kept in",
                "The work offset of the control that holds this zero.",
                lambda: [(o.code, o.code) for o in self.document.job.machine.offsets] if self.document.job else [],
                lambda: self.document.job and self.document.job.setups[self.setup_index].offset,
                lambda value: self.document.set_value("work offset", ("setups", self.setup_index, "offset"), value),
            )
        )
        self.add_sections(datum_sections(self.setup_index))

    def _choices(self, axis: Axis) -> tuple[DatumChoice, ...]:
        return datum_choices(axis, self.document.job.part.features) if self.document.job else ()

    def _current(self, axis: Axis) -> DatumChoice | None:
        if self.document.job is None:
            return None
        datum = self.document.job.setups[self.setup_index].datum.axis(axis)
        return next((c for c in self._choices(axis) if (c.source, c.feature) == (datum.source, datum.feature)), None)

    def _apply(self, axis: Axis, choice: DatumChoice) -> None:
        index = self.setup_index
        self.document.apply(
            f"{axis.upper()} zero", lambda job: edits.set_datum(job, index, axis, choice.source, choice.feature)
        )


class ProbePanel(LensPanel):
    def build(self) -> None:
        self.add_heading("Steps, and what is known after each")
        self._steps = self.add_quiet("")
        self.add_sections(probe_sections(self.setup_index))
        self.refresh_more()

    def refresh_more(self) -> None:
        plan = self.document.plan
        if plan is None:
            return
        unit = self.document.unit
        probing = plan.setups[self.setup_index].probing
        before = format_length(probing.knowledge_before.uncertainty, unit)
        lines = [f"before: X Y Z guessed ±{before}"]
        for number, step in enumerate(probing.steps, start=1):
            states = "  ".join(
                f"{axis.upper()} {known.state} ±{format_length(known.uncertainty, unit)}"
                for axis, known in zip(AXES, step.knowledge_after, strict=True)
            )
            lines.append(f"{number}. {step.title}, {len(step.touches)} touches\n    {states}")
        self._steps.setText("\n".join(lines))
