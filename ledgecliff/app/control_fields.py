"""The field table of a machine's control: which work offsets it has, and how programs call and write them."""

from __future__ import annotations

from functools import partial

from ledgecliff.core.edits.control_offsets import ExtendedField, standard_said, with_extended, with_standard
from ledgecliff.core.edits.machine_words import with_words, words_text
from ledgecliff.core.model.job import Job

from .field_table import FieldSpec, Section


def result_sections(machine: int, setup: int) -> tuple[Section, ...]:
    """The variables that programs leave results in: of the machine, and of the setup where it has its own."""
    path = ("machines", machine, "results")
    return (
        Section(
            "Results at the control",
            (
                FieldSpec(
                    "Results from #",
                    (*path, "first"),
                    "count",
                    "The first numbered variable that programs leave results in, ten for each step.",
                ),
                FieldSpec(
                    "Expected from #",
                    (*path, "expected"),
                    "count",
                    "What is expected is kept here, numbered alike, to be seen beside each result; blank: nowhere.",
                    optional=True,
                ),
                FieldSpec(
                    "Deviation from #",
                    (*path, "deviation"),
                    "count",
                    "How far each result is off is kept here, numbered alike; blank: nowhere.",
                    optional=True,
                ),
                FieldSpec(
                    "Here from #",
                    ("setups", setup, "probing", "results_from"),
                    "count",
                    "Where another setup's results must not be written over; blank: as the machine has it.",
                    optional=True,
                ),
                FieldSpec(
                    "Turns from #",
                    ("machines", machine, "offset_turns"),
                    "count",
                    "For a control that cannot turn its work offsets but rotates coordinates (G68): programs keep how "
                    "far each is turned in variables from this one on, kept through power off; blank: it has neither.",
                    optional=True,
                ),
            ),
        ),
    )


def word_sections(machine: int) -> tuple[Section, ...]:
    """What the machine is told besides, by name."""
    spec = FieldSpec(
        "Words",
        ("machines", machine, "words"),
        "text",
        "What the machine's builder has, by name: vise air on = M21; conveyor off = M64 P2. Setups and steps say them.",
        optional=True,
        change=lambda job, text: with_words(job, machine, str(text)),
        show=words_text,
    )
    return (Section("Machine words", (spec,)),)


def offset_sections(machine: int) -> tuple[Section, ...]:
    """Of the machine's number in the job."""
    path = ("machines", machine)

    def extended(field: ExtendedField, job: Job, value: object) -> Job:
        return with_extended(job, machine, field, value)

    return (
        Section(
            "Work offsets the control has",
            (
                FieldSpec(
                    "Standard",
                    (*path, "offsets"),
                    "text",
                    "What calls each, in the order of their numbers in G10 L2 P; '= 7' where a number is another.",
                    change=lambda job, text: with_standard(job, machine, str(text)),
                    show=standard_said,
                ),
                FieldSpec(
                    "Extended ones",
                    (*path, "extended", "count"),
                    "count",
                    "How many more offsets are called by a word and a number in P; 0 where there are none.",
                    change=partial(extended, "count"),
                    optional=True,
                ),
                FieldSpec(
                    "Called by",
                    (*path, "extended", "word"),
                    "text",
                    "The word before P, as the control's manual has it: G54.1, or another such as G154.",
                    change=partial(extended, "word"),
                    optional=True,
                ),
                FieldSpec(
                    "Written by G10 L",
                    (*path, "extended", "level"),
                    "count",
                    "The L of the G10 block that writes one of them.",
                    change=partial(extended, "level"),
                    optional=True,
                ),
                FieldSpec(
                    "First parameter",
                    (*path, "extended", "first_parameter"),
                    "count",
                    "The numbered parameter that holds X of the first; each further one is 20 on.",
                    change=partial(extended, "first_parameter"),
                    optional=True,
                ),
            ),
        ),
    )
