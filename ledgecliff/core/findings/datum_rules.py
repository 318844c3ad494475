"""Rules about zeros and offset codes."""

from __future__ import annotations

from collections.abc import Iterator

from ..carried import hangs_on_place, in_one_place
from ..finding import Finding, fix
from ..frames import AXES
from ..holding.giving_place import BESIDE_THE_PART, BY_HAND, gives_place
from ..model.holding import Vise
from ..model.setup import FROM_BEFORE
from ..model.work_offsets import code_of
from ..plan import Plan
from ..programs.targets import codes_said, free_code, writable_codes
from ..quantities import said
from ..setup_plan import SetupPlan
from ..turns.turn_plan import turns_of


def z_zero_on_raw(plan: Plan) -> Iterator[Finding]:
    """On a later side Z zero belongs on the face the part lies on, not on raw stock, unless that came prepared."""
    for setup_plan in plan.setups[1:]:
        source = setup_plan.setup.datum.z.source
        if source not in ("stock top", "part top") or not setup_plan.top_is_raw:
            continue
        varies = setup_plan.top_varies
        if setup_plan.top_gives_zero:
            if varies > 0.0:
                yield Finding(
                    "Z_ZERO_ON_PREPARED",
                    "note",
                    setup_plan.setup.name,
                    f"{setup_plan.setup.name} takes Z zero from the {source}, which the blank came prepared on: the "
                    f"±{said(varies)} that its thickness varies by go into the finished thickness.",
                    "Measure each blank, or take Z zero from the parallels, where that is too much.",
                )
        elif setup_plan.thickness_is_prepared:
            yield Finding(
                "Z_ZERO_ON_RAW",
                "error",
                setup_plan.setup.name,
                f"{setup_plan.setup.name} takes Z zero from the {source}. Both faces there are prepared, but blanks "
                f"vary by ±{said(varies)} in thickness, {_more_than(setup_plan)}, and all of it goes into the "
                "finished thickness.",
                "Take Z zero from the parallels, or state how little prepared blanks really vary.",
                (fix("Z zero on parallels", ("setups", setup_plan.index, "datum", "z", "source"), "parallels"),),
            )
        else:
            yield Finding(
                "Z_ZERO_ON_RAW",
                "error",
                setup_plan.setup.name,
                f"{setup_plan.setup.name} takes Z zero from the {source}, where the stock is still raw. Its "
                "thickness is not the label's, and the error goes into the finished thickness.",
                "Take Z zero from the parallels: the finished face lies on them.",
                (fix("Z zero on parallels", ("setups", setup_plan.index, "datum", "z", "source"), "parallels"),),
            )


def _more_than(setup: SetupPlan) -> str:
    """What a prepared blank's thickness may vary by, and who says so."""
    limit, whose = setup.prepared_within
    return f"more than {said(limit)}" + (f", half of what '{whose}' may lie off" if whose else "")


def place_not_given(plan: Plan) -> Iterator[Finding]:
    """What is not touched after a turn must be put where it was by more than a hand."""
    for turn in turns_of(plan):
        after, setup = turn.after, turn.after.setup
        if turn.play is not None or plan.stays_clamped(turn.index):
            continue
        moved = [axis.upper() for axis in AXES if setup.datum.axis(axis).source in FROM_BEFORE]
        if moved and not in_one_place(turn.before.setup, setup):
            yield Finding(
                "CARRIED_ELSEWHERE",
                "error",
                setup.name,
                f"{setup.name} carries {' and '.join(moved)} over from {turn.before.setup.name} into another fixture, "
                "and nothing registers the part there: it counts on that fixture standing exactly where the plan has "
                "it.",
                "Probe the zero there, or clamp it in the same fixture.",
            )
        axes = [
            axis.upper()
            for k, axis in enumerate(AXES[:2])
            if setup.datum.axis(axis).source in (*FROM_BEFORE, "fixture value", *BESIDE_THE_PART)
            and not (
                gives_place(after.holding, k)
                and (gives_place(turn.before.holding, k) or not hangs_on_place(turn.before.setup, setup, axis))
            )
        ]
        if axes:
            yield Finding(
                "PLACE_NOT_GIVEN",
                "error",
                setup.name,
                f"{setup.name} does not touch the part in {' and '.join(axes)}, and nothing gives it its place there "
                f"or in the setup before: put by hand it may lie {said(BY_HAND.size)} off, and what is cut here with "
                "it.",
                "Take the zero from a side or feature that is touched, push the part against a stop, or register the "
                "turn.",
            )


def no_fixed_jaw(plan: Plan) -> Iterator[Finding]:
    """Between jaws that both move, neither says where anything is."""
    for setup_plan in plan.setups:
        setup, fixture = setup_plan.setup, setup_plan.holding.fixture
        if not isinstance(fixture, Vise) or not fixture.centring:
            continue
        across = 0 if fixture.fixed_jaw in ("left", "right") else 1
        for k, axis in enumerate(AXES[:2]):
            if setup.datum.axis(axis).source == "fixed jaw":
                other = "fixture value" if k == across else "stock centre"
                middle = "the middle between its jaws" if k == across else "the middle of the stock"
                yield Finding(
                    "NO_FIXED_JAW",
                    "error",
                    setup.name,
                    f"{setup.name} takes {axis.upper()} from the fixed jaw, but {fixture.name} closes to the middle: "
                    "both its jaws stand elsewhere with every part's size.",
                    f"Take {axis.upper()} from {middle}, or from a side or feature that is touched.",
                    (
                        fix(
                            f"{axis.upper()} from {other}", ("setups", setup_plan.index, "datum", axis, "source"), other
                        ),
                    ),
                )


def offset_shared(plan: Plan) -> Iterator[Finding]:
    if plan.job.codes == "one for all":
        return
    first: dict[tuple[str, str], str] = {}
    for setup_plan in plan.setups:
        setup, index = setup_plan.setup, setup_plan.index
        key = (setup.machine, setup.offset)
        if key in first and not _keeps_zero(plan, index):
            free = free_code(plan.job, setup_plan.machine)
            yield Finding(
                "OFFSET_SHARED",
                "error",
                setup.name,
                f"{setup.name} and {first[key]} both keep their zero in {setup.offset}; probing one "
                "overwrites the other.",
                f"Give {setup.name} an offset of its own" + (f", such as {free}." if free else "."),
                (fix(f"Use {free}", ("setups", index, "offset"), free),) if free else (),
            )
        first.setdefault(key, setup.name)


def kept_code(plan: Plan) -> Iterator[Finding]:
    """Where one offset is kept through all setups, each finds it again, or it goes on with another side's."""
    if plan.job.codes != "one for all":
        return
    for setup_plan in plan.setups:
        setup = setup_plan.setup
        kept = next(each.offset for each in plan.job.setups if each.machine == setup.machine)
        if setup.offset != kept:
            yield Finding(
                "CODE_NOT_KEPT",
                "warning",
                setup.name,
                f"{setup.name} keeps its zero in {setup.offset}, while this job keeps one code through all its setups.",
                f"Give it {kept}, or let each setup have a code of its own.",
                (fix(f"Use {kept}", ("setups", setup_plan.index, "offset"), kept),),
            )
        before = plan.job.held_before(setup_plan.index)
        missing = [axis.upper() for axis in AXES if not setup_plan.probing.gives(axis, setup.offset)]
        if before is not None and missing:
            yield Finding(
                "CODE_NOT_FOUND_AGAIN",
                "error",
                setup.name,
                f"{setup.name} goes on in {setup.offset}, which holds the zero of {before.name}, and nothing here "
                f"finds {' and '.join(missing)} again: what is cut would lie where that side's zero is.",
                "Add a step that finds it, carry it over, or take a code of its own.",
            )


def _keeps_zero(plan: Plan, index: int) -> bool:
    """Whether a setup goes on with the very zero of the one before, as a registered turn allows."""
    setup = plan.job.setups[index]
    over = setup.datum.x.source == setup.datum.y.source == "carried over"
    return over and index > 0 and plan.job.setups[index - 1].offset == setup.offset


def offset_unknown(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        setup, machine = setup_plan.setup, setup_plan.machine
        codes = writable_codes(machine)
        code = code_of(machine, setup.offset)
        if code is not None and code in codes:
            continue
        name, one = setup.name, codes[0].code if codes else None
        fact, advice = (
            (
                f"{name} uses {setup.offset}, which {machine.name} does not have.",
                f"Choose one of {codes_said(machine)}.",
            )
            if code is None
            else (f"{name} uses {code.code}, which the programs of {machine.name} cannot write.", "Choose another.")
        )
        yield Finding(
            "OFFSET_UNKNOWN",
            "error",
            name,
            fact,
            advice,
            tuple(
                fix(f"Use {each}", ("setups", setup_plan.index, "offset"), each)
                for each in dict.fromkeys((free_code(plan.job, machine), one))
                if each
            ),
        )


RULES = (z_zero_on_raw, no_fixed_jaw, place_not_given, offset_shared, kept_code, offset_unknown)
