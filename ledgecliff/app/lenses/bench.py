"""The lens of a step beside the machine, and the choice that adds one."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from ledgecliff.core.edits.bench import BENCH_KINDS, BENCH_WORDS, CAUTIONS, add_step, bench_path, move_step, remove_step
from ledgecliff.core.edits.making import place_typed
from ledgecliff.core.model.bench import AnyBenchStep, BenchKind, MakeFixture, Saw
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.orientation import DIRECTIONS, shown
from ledgecliff.core.route import scenes_of
from ledgecliff.store.identity import new_id

from ..bench_fields import bench_sections
from ..document import Document
from ..field_table import FieldSpec, Section
from ..fields import ChoiceField
from .base import LensPanel


def add_beside(document: Document, kind: BenchKind, setup: int) -> None:
    """One more step before a setup (after all where ``setup`` is their number), which comes to the stage."""
    plan = document.plan
    assert plan is not None, "there is a route only once a job is open"
    step = new_id()
    document.apply("step beside the machine", lambda job: add_step(job, kind, setup, step, plan))
    show_step(document, step)


def show_step(document: Document, step: str) -> None:
    if document.plan is not None:
        document.show_scene(next(k for k, scene in enumerate(scenes_of(document.plan)) if scene.step == step))


def adding_choice(document: Document, setup: Callable[[], int]) -> ChoiceField:
    """Of a panel: what can be put before ``setup``, after all where that is the number of setups."""

    def take(kind: object) -> None:
        if kind is not None:
            add_beside(document, cast(BenchKind, kind), setup())

    return ChoiceField(
        "At the bench",
        "Adds a step between setups: sawn, glued, cured, filled, freed of tabs, sanded, heat-treated, a fixture made.",
        lambda: [("add a step…", None), *((BENCH_WORDS[kind], kind) for kind in BENCH_KINDS)],
        lambda: None,
        take,
    )


class BenchPanel(LensPanel):
    def key(self) -> object:
        step = self._step()
        return (step.id, step.kind, step.off if isinstance(step, Saw) else None) if step is not None else None

    def _step(self) -> AnyBenchStep | None:
        scene = self.document.scene
        job = self.document.job
        if scene is None or job is None:
            return None
        return next((step for step in job.bench if step.id == scene.step), None)

    def build(self) -> None:
        step = self._step()
        if step is None:
            return
        path = bench_path(self.job, step.id)
        self.add_heading(BENCH_WORDS[step.kind][:1].upper() + BENCH_WORDS[step.kind][1:])
        if isinstance(step, Saw):
            self.add_choice(
                ChoiceField(
                    "Takes off",
                    "The side that goes.",
                    lambda: [(shown(way), way) for way in DIRECTIONS],
                    lambda: (now := self._step()) and getattr(now, "off", None),
                    lambda way: self.document.set_value("side that is sawn off", (*path, "off"), way),
                )
            )
        self.add_sections(bench_sections(step, path))
        if isinstance(step, MakeFixture):
            self.add_sections((self._known_section(step),))
        self.add_quiet(f"Caution: {CAUTIONS[step.kind]}")
        self.add_heading("On the route")
        self.add_buttons(
            ("Earlier", "Before what comes before it", lambda: self._move(-1)),
            ("Later", "After what comes after it", lambda: self._move(1)),
            ("Remove this step", "It is not done any more", self._remove),
        )
        self.add_choice(adding_choice(self.document, self._place))

    def _known_section(self, step: MakeFixture) -> Section:
        why = (
            f"X, Y and Z of {step.offset} as the control shows them once it is cut: the fixture then stands where it "
            "was cut, and zeros that follow from it count on that."
        )

        def keep(job: Job, text: object) -> Job:
            return place_typed(self.plan, step.id, str(text), self.document.unit) if str(text).strip() else job

        spec = FieldSpec("Offset holds", ("bench",), "text", why, True, keep, lambda _value: "")
        return Section("Known in place", (spec,))

    def _place(self) -> int:
        """The number of the setup that the step comes before."""
        step = self._step()
        return next(
            (k for k, setup in enumerate(self.job.setups) if step is not None and setup.id == step.before),
            len(self.job.setups),
        )

    def _move(self, by: int) -> None:
        step = self._step()
        if step is not None:
            self.document.apply("order of steps", lambda job: move_step(job, step.id, by))
            show_step(self.document, step.id)

    def _remove(self) -> None:
        step = self._step()
        if step is not None:
            self.document.apply("remove a step", lambda job: remove_step(job, step.id))
