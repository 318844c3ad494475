"""Fields of the zero, of probing and of the hover check."""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.edits.cycles import values_of
from ledgecliff.core.edits.lying import with_zero_at
from ledgecliff.core.edits.machine_words import names_text, with_names
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit
from ledgecliff.core.typed import parse_angles

from .field_table import FieldSpec, Section, length


def datum_sections(setup: int, unit_now: Callable[[], Unit], plan_now: Callable[[], Plan]) -> tuple[Section, ...]:
    path = ("setups", setup, "datum")

    def zero_at(job: Job, text: object) -> Job:
        if not str(text).strip():
            return job
        return with_zero_at(job, setup, plan_now().setups[setup].wcs, str(text), unit_now())

    return (
        Section(
            "Zero lies from there by",
            (
                length("X shift", "The zero lies this far in +X from its source.", *path, "x", "shift"),
                length("Y shift", "The zero lies this far in +Y from its source.", *path, "y", "shift"),
                length("Z shift", "The zero lies this far above its source.", *path, "z", "shift"),
                FieldSpec("So that it is at", path, "text", "A place: a feature's name, or part coordinates such as "
                          "10, 0, 25. The shifts follow.", True, zero_at, lambda _value: ""),
            ),
        ),
    )  # fmt: skip


def probe_sections(job: Job, setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "probing")
    probe = job.probe_path(job.setups[setup])
    return (
        Section(
            "Touches of this setup",
            (
                length("Stand-off", "How far before the expected surface the search starts.", *path, "stand_off"),
                length("Overtravel", "How far past the expected surface the search goes before it stops.",
                        *path, "overtravel"),
                length("Depth", "From the top of the wall down to the ball's centre.", *path, "depth"),
                length("Clearance plane", "Height of the ball's underside over everything between touches.",
                        *path, "clearance"),
                length("Set by eye to ±", "How well the offset is known before anything is probed.", *path, "guess"),
                FieldSpec("Wash the ball", (*path, "wash_s"), "seconds",
                          "Coolant on the ball before the first touch; 0 for none."),
                length("Confirm from", "An offset that would change by more waits for the operator. Blank: none does.",
                       *path, "jump", optional=True),
                FieldSpec("At most", (*path, "longest_s"), "seconds", "A warning when all touches take longer.", True),
            ),
        ),
        Section(
            "Said to the machine besides",
            (
                said_field("At the beginning", "Before the first step, by name.", *path, "words", "begins"),
                said_field("At the end", "After the last step, from the top of the travel.", *path, "words", "ends"),
                said_field("When a check fails", "Before the program stops.", *path, "words", "failed"),
            ),
        ),
        Section(
            "Probe",
            (
                length("Ball diameter", "The real ball.", *probe, "ball_diameter"),
                length("Effective radius", "From calibration: ball radius less pretravel.",
                       *probe, "effective_radius"),
                length("Stem diameter", "Must stay clear where stock hangs over a wall.", *probe, "stem_diameter"),
                length("Reach", "How deep the stylus goes before its body follows.", *probe, "reach"),
                FieldSpec("Search feed", (*probe, "search_feed"), "feed", "First, fast touch."),
                FieldSpec("Touch feed", (*probe, "touch_feed"), "feed", "Second, slow touch: the one that counts."),
                FieldSpec("Switch on", (*probe, "on_word"), "text", "The machine's word, such as M64 P0; blank "
                          "when it is always on.", True),
                FieldSpec("Switch off", (*probe, "off_word"), "text", "Such as M65 P0.", True),
            ),
        ),
    )  # fmt: skip


def said_field(label: str, why: str, *path: str | int) -> FieldSpec:
    """Names of the machine's words, with commas between."""
    why = f"{why} Names of machine words (Release), with commas between."
    return FieldSpec(label, path, "text", why, True, lambda job, text: with_names(job, path, str(text)), names_text)


def cycle_sections(setup: int, number: int, cycle: ProbeCycle) -> tuple[Section, ...]:
    """The picked step's own values; blank ones follow from the setup's touches, the probe, or the planner."""
    path = ("setups", setup, "probing", "cycles", number)
    values = values_of(cycle)
    fields = [
        FieldSpec("Name", (*path, "name"), "text", "How the step is called here and in the record."),
        FieldSpec("Touches averaged", (*path, "touches"), "count", "How often each touch is made."),
        *(_value(path, value) for value in values if value not in _OWN_WAYS),
    ]
    own = [
        length("Stand-off", "Blank: as for the setup.", *path, "stand_off", optional=True),
        length("Overtravel", "Blank: as for the setup.", *path, "overtravel", optional=True),
        *(_value(path, value) for value in values if value in _OWN_WAYS),
        length("Clearance plane", "Blank: as for the setup.", *path, "clearance", optional=True),
        FieldSpec("Search feed", (*path, "search_feed"), "feed", "Blank: the probe's.", optional=True),
        FieldSpec("Touch feed", (*path, "touch_feed"), "feed", "Blank: the probe's. Calibrate at this feed.",
                  optional=True),
        length("Back-off", "Between the fast and the slow touch. Blank: the probe's.", *path, "back_off",
               optional=True),
    ]  # fmt: skip
    own += [
        said_field("Says before", "What the machine is told before this step.", *path, "words_before"),
        said_field("Says after", "What it is told after this step.", *path, "words_after"),
    ]
    return (Section("Its values", tuple(fields)), Section("Its own ways", tuple(own)))


#: Of a cycle's values those that a setup has as well.
_OWN_WAYS = ("depth",)
#: Words and hint of the lengths that only some cycles have, and whether they may be blank.
_VALUES: dict[str, tuple[str, str, bool]] = {
    "reads": ("Must read", "What the found place reads; blank for what the plan has there.", True),
    "moved": ("Moved along by", "From the middle of the side; blank lets the planner find a free place.", True),
    "at_x": ("At X", "Where it is touched, in the WCS. Blank lets the planner find a free place.", True),
    "at_y": ("At Y", "In the WCS. Blank: as for X.", True),
    "spacing": ("Touches apart by", "Between two touches of one edge; wider is surer.", True),
    "depth": ("Depth", "Blank: as for the setup.", True),
    "below": ("Window below", "How much lower than expected the top may be.", False),
    "rise": ("Least rise", "What a part on a chip or a jaw step rises at least; it must be caught.", False),
    "above": ("Window above", "How much higher: half of the least rise that must be caught.", False),
    "tilt": ("Level within", "The most it may rise over 100 mm.", False),
}


def _value(path: Path, value: str) -> FieldSpec:
    if value != "angles_deg":
        words, why, optional = _VALUES[value]
        return length(words, why, *path, value, optional=optional)
    hint = "Degrees from +X, at least three, with commas; blank for the four axis directions."

    def take(job: Job, text: str) -> Job:
        return set_value(job, (*path, value), parse_angles(text))

    return FieldSpec("Angles", (*path, value), "text", hint, True, take, _angles_shown)


def _angles_shown(value: tuple[float, ...]) -> str:
    return ", ".join(f"{angle:g}" for angle in value)


def hover_sections(setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "hover")
    return (
        Section(
            "Hover check",
            (
                FieldSpec("Tool", (*path, "tool"), "tool", "The cutter that hovers; T and H agree."),
                length("Gauge block", "Stands on the chosen surface.", *path, "block"),
                length("Gap over it", "0 means the block should just slide under.", *path, "gap"),
                length(
                    "At X",
                    "In the WCS. Blank: where Z was touched, or the middle of the surface.",
                    *path,
                    "x",
                    optional=True,
                ),
                length("At Y", "In the WCS. Blank: as for X.", *path, "y", optional=True),
            ),
        ),
    )
