"""The lenses that are fields and choices: datum, probe, finished."""

from __future__ import annotations

from typing import cast

from ledgecliff.core import edits
from ledgecliff.core.datums import DatumChoice, datum_choices
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.probing.touches import Knowledge
from ledgecliff.core.quantities import Unit, format_length

from ..fields import ChoiceField
from ..probe_fields import datum_sections, probe_sections
from .base import LensPanel


class FinishedPanel(LensPanel):
    def build(self) -> None:
        self.add_heading("The finished part")
        self.add_quiet("Read from its model. Named features are listed in the coordinate table (Alt+5).")


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
        return datum_choices(axis, self.document.job, self.setup_index) if self.document.job else ()

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
        lines = [f"before: {_known_words(probing.knowledge_before, unit)}"]
        for number, step in enumerate(probing.steps, start=1):
            states = _known_words(step.knowledge_after, unit)
            touches = "1 touch" if len(step.touches) == 1 else f"{len(step.touches)} touches"
            lines.append(f"{number}. {step.title}, {touches}\n    {states}")
        self._steps.setText("\n".join(lines))


def _known_words(known: tuple[Knowledge, ...], unit: Unit) -> str:
    """What is known of X, Y and Z, in one word where it is the same of all; and of the skew once it is found."""
    *axes, skew = known
    words = [f"{each.state} ±{format_length(each.uncertainty, unit)}" for each in axes]
    turned = f"  skew {skew.state} ±{skew.uncertainty:.3f}°" if skew.state != "guessed" else ""
    if len(set(words)) == 1:
        return f"X Y Z {words[0]}{turned}"
    return "  ".join(f"{axis.upper()} {said}" for axis, said in zip(AXES, words, strict=True)) + turned
