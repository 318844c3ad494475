"""Fields of the zero, of probing and of the hover check."""

from __future__ import annotations

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.job import Job

from .field_table import FieldSpec, Section, length


def datum_sections(setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "datum")
    return (
        Section(
            "Zero lies from there by",
            (
                length("X shift", "The zero lies this far in +X from its source.", *path, "x", "shift"),
                length("Y shift", "The zero lies this far in +Y from its source.", *path, "y", "shift"),
                length("Z shift", "The zero lies this far above its source.", *path, "z", "shift"),
            ),
        ),
    )


def probe_sections(job: Job, setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "probing")
    probe = (*job.machine_path(job.setups[setup]), "probe")
    return (
        Section(
            "Touches of this setup",
            (
                length("Stand-off", "How far before the expected surface the search starts.", *path, "stand_off"),
                length("Overtravel", "How far past the expected surface the search goes before it stops.",
                        *path, "overtravel"),
                length("Depth", "From the top of the wall down to the ball's centre.", *path, "depth"),
                length("Clearance", "Height of the ball's underside over everything between touches.",
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


_ROUND = ("bore", "boss")
_SIDEWAYS = ("surface", "web", "pocket", "rectangle", "corner", "edge angle", "bar", "rotary axis")


def cycle_sections(setup: int, number: int, cycle: ProbeCycle) -> tuple[Section, ...]:
    """The picked step's own values; blank ones follow from the setup's touches, the probe, or the planner."""
    path = ("setups", setup, "probing", "cycles", number)
    fields = [FieldSpec("Name", (*path, "name"), "text", "How the step is called here and in the record.")]
    if cycle.action == "set" and cycle.kind in ("surface", "web", "pocket", "plane"):
        fields.append(length("Must read", "What the found place reads; blank for what the plan has there.",
                             *path, "reads", optional=True))  # fmt: skip
    fields.append(FieldSpec("Touches averaged", (*path, "touches"), "count", "How often each touch is made."))
    if cycle.kind in ("surface", "web", "pocket", "edge angle", "corner"):
        fields.append(length("Moved along by", "From the middle of the side; blank lets the planner find a free place.",
                             *path, "moved", optional=True))  # fmt: skip
    if cycle.kind in ("edge angle", "corner"):
        fields.append(length("Touches apart by", "Between two touches of one edge; wider is surer.",
                             *path, "spacing", optional=True))  # fmt: skip
    if cycle.kind in _ROUND:
        fields.append(
            FieldSpec("Angles", (*path, "angles_deg"), "text", "Degrees from +X, at least three, with commas; blank "
                      "for the four axis directions.", True,
                      lambda job, text: set_value(job, (*path, "angles_deg"), _angles(text)), _angles_shown)
        )  # fmt: skip
    if cycle.kind == "presence":
        fields += [
            length("Window below", "How much lower than expected the top may be.", *path, "below"),
            length(
                "Least rise", "What a part on a chip or a jaw step rises at least; it must be caught.", *path, "rise"
            ),
            length("Window above", "How much higher: half of the least rise that must be caught.", *path, "above"),
        ]
    if cycle.kind == "plane":
        fields.append(length("Level within", "The most it may rise over 100 mm.", *path, "tilt"))
    own = [
        length("Stand-off", "Blank: as for the setup.", *path, "stand_off", optional=True),
        length("Overtravel", "Blank: as for the setup.", *path, "overtravel", optional=True),
        length("Clearance", "Blank: as for the setup.", *path, "clearance", optional=True),
        FieldSpec("Search feed", (*path, "search_feed"), "feed", "Blank: the probe's.", optional=True),
        FieldSpec("Touch feed", (*path, "touch_feed"), "feed", "Blank: the probe's. Calibrate at this feed.",
                  optional=True),
        length("Back-off", "Between the fast and the slow touch. Blank: the probe's.", *path, "back_off",
               optional=True),
    ]  # fmt: skip
    if cycle.kind in _SIDEWAYS or cycle.kind in _ROUND:
        own.insert(2, length("Depth", "Blank: as for the setup.", *path, "depth", optional=True))
    return (Section("Its values", tuple(fields)), Section("Its own ways", tuple(own)))


def _angles(text: str) -> list[object]:
    """Numbers between commas or blanks; what is no number stays for validation to refuse."""
    values: list[object] = []
    for word in text.replace(",", " ").replace("°", " ").replace("−", "-").split():
        try:
            values.append(float(word))
        except ValueError:
            values.append(word)
    return values


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
