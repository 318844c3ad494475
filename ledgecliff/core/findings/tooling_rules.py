"""Rules about tools: their reach, their holders, and what they must not cut into."""

from __future__ import annotations

from collections.abc import Iterator

from ..cutting.outlines import slot_border
from ..finding import Finding, fix
from ..plan import Plan
from ..quantities import said, whole_up

#: A slot round the outline leaves at least this much blank outside of it (mm).
LEAST_BORDER = 2.0


def tool_too_short(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for use in setup_plan.tool_uses:
            operation, name = setup_plan.setup.operations[use.operation], setup_plan.setup.name
            hit = max((clash for clash in use.clashes if clash.holder), key=lambda clash: clash.by, default=None)
            if hit is not None and use.cutter.reach is not None:
                index = [cutter.tool for cutter in setup_plan.machine.cutters].index(use.cutter.tool)
                needed = use.cutter.reach + hit.by
                yield Finding(
                    "TOOL_TOO_SHORT",
                    "hazard",
                    name,
                    f"{name}: in '{operation.name}' T{use.cutter.tool} {use.cutter.name} reaches "
                    f"{said(use.cutter.reach)}, {said(hit.by)} too little; its holder runs into {hit.with_what}.",
                    f"Let it stand out at least {said(needed)}, use a longer tool, or cut from another side.",
                    tuple(
                        fix(
                            f"T{use.cutter.tool} stands out {said(out)}",
                            (*plan.job.machine_path(setup_plan.setup), "cutters", index, "reach"),
                            out,
                            promise=True,
                        )
                        for out in (whole_up(needed, setup_plan.machine.program_units),)
                        if out <= use.cutter.length
                    ),
                    about=operation.name,
                )


def cut_taller_than_flute(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for use in setup_plan.tool_uses:
            if use.too_long_for_flute > 1e-6 and use.cutter.flute is not None:
                operation, name = setup_plan.setup.operations[use.operation], setup_plan.setup.name
                yield Finding(
                    "CUT_TALLER_THAN_FLUTE",
                    "note",
                    name,
                    f"{name}: '{operation.name}' is {said(use.depth)} deep, more than the flutes of T{use.cutter.tool} "
                    f"({said(use.cutter.flute)}); above them its shank goes along the wall.",
                    "Make sure the shank is relieved, and take the depth in passes.",
                )


def cut_into_holding(plan: Plan) -> Iterator[Finding]:
    """Jaws beside an outline have a rule of their own (``grip_above_underside``)."""
    for setup_plan in plan.setups:
        for use in setup_plan.tool_uses:
            operation, name = setup_plan.setup.operations[use.operation], setup_plan.setup.name
            for clash in use.clashes:
                if (
                    clash.holder
                    or clash.neighbour
                    or (operation.removes == "outline" and clash.with_what.endswith(" jaw"))
                ):
                    continue
                yield Finding(
                    "CUT_INTO_HOLDING",
                    "hazard",
                    name,
                    f"{name}: '{operation.name}' takes T{use.cutter.tool} {use.cutter.name} {said(clash.by)} deep "
                    f"into the {clash.with_what}.",
                    "Move the holding out of the cut, lift the stock, or cut less deep.",
                )


def meets_neighbour(plan: Plan) -> Iterator[Finding]:
    """What stands on another station must be clear of the tool, its holder and the spindle."""
    words = {"tool": "the tool", "holder": "its holder", "nose": "the spindle's nose"}
    for setup_plan in plan.setups:
        for use in setup_plan.tool_uses:
            operation, name = setup_plan.setup.operations[use.operation], setup_plan.setup.name
            for clash in use.clashes:
                if clash.neighbour:
                    yield Finding(
                        "MEETS_NEIGHBOUR",
                        "hazard",
                        name,
                        f"{name}: in '{operation.name}' with T{use.cutter.tool} {use.cutter.name} {words[clash.part]} "
                        f"runs {said(clash.by)} deep into {clash.with_what}, which stands beside it.",
                        "Move one of both stations, or leave the other one empty while this one is cut.",
                    )


def stations_overlap(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for other in setup_plan.neighbours.in_its_place:
            yield Finding(
                "STATIONS_OVERLAP",
                "note",
                setup_plan.setup.name,
                f"{setup_plan.setup.name} and {other} stand in one another's place on the machine: both are taken "
                "never to be there at once, and are not checked against each other.",
                "Give one of them another place where both stand on the table together.",
            )


def stands_in_carrier(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        name, station = setup_plan.setup.name, setup_plan.machine.station(setup_plan.setup.station)
        for body in setup_plan.neighbours.stands_in:
            yield Finding(
                "STANDS_IN_CARRIER",
                "error",
                name,
                f"{name}: what holds the stock stands in {body}, where nothing can stand: its place, or that body, is "
                "not as it is on the machine.",
                "Correct the height of the station, or how far below its axis that body begins (Table view).",
                about="" if station is None else station.id,
            )


def blank_too_narrow(plan: Plan) -> Iterator[Finding]:
    """A slot cut round the part needs blank on its outer side all round."""
    for setup_plan in plan.setups:
        name = setup_plan.setup.name
        for k, operation in enumerate(setup_plan.setup.operations):
            if operation.removes != "outline" or operation.slot is None:
                continue
            before = setup_plan.cutting.before(k).solid
            border = slot_border(plan.geometry, setup_plan.setup.orientation, before, operation.slot)
            if border < LEAST_BORDER - 1e-3:
                yield Finding(
                    "BLANK_TOO_NARROW",
                    "hazard",
                    name,
                    f"{name}: '{operation.name}' leaves {said(max(border, 0.0))} of blank outside of its slot of "
                    f"{said(operation.slot)}; the tool breaks out at the edge and splinters fly.",
                    f"Use a blank at least {said(LEAST_BORDER - border)} wider on that side, or a narrower slot.",
                )


RULES = (
    meets_neighbour,
    stations_overlap,
    stands_in_carrier,
    tool_too_short,
    cut_taller_than_flute,
    cut_into_holding,
    blank_too_narrow,
)
