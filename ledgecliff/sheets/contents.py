"""What a sheet will say, in rows, to be looked at before it is printed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ledgecliff.core.checklist.checks import Check, checks_of, checks_of_turn
from ledgecliff.core.first_article.lines import lines_of
from ledgecliff.core.first_article.measured import Judged
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, format_length, spell
from ledgecliff.core.turns.turn_plan import turns_of

from .stands import stands
from .tool_rows import tool_rows
from .wanted import ALL, Wanted


@dataclass(frozen=True)
class Contents:
    """``numbers`` are the columns that go to the right; ``typed`` is the one that may be typed into, if any."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...] = ()
    typed: int | None = None


def contents(kind: str, plan: Plan, unit: Unit, wanted: Wanted = ALL) -> Contents:
    """Of one of ``SHEET_KINDS``."""
    match kind:
        case "setup":
            setups = wanted.of(plan)
            return _checks([(each.setup.name, check) for each in setups for check in checks_of(plan, each.index)], unit)
        case "turn":
            after = {each.index for each in wanted.of(plan)}
            turns = [turn for turn in turns_of(plan) if turn.after.index in after]
            told = [(turn.after.setup.name, check) for turn in turns for check in checks_of_turn(plan, turn)]
            return _checks(told, unit)
        case "tools":
            return _tools(plan, unit, wanted)
        case "first-article":
            return _article(wanted.measured or [Judged(line) for line in lines_of(plan.job)], unit)
        case _:
            return _stands(plan, unit, wanted)


def _checks(rows: Sequence[tuple[str, Check]], unit: Unit) -> Contents:
    told = tuple((of, check.part, spell(check.words, unit), spell(check.caution, unit)) for of, check in rows)
    return Contents(("Setup", "", "What is done", "Caution"), told)


def _stands(plan: Plan, unit: Unit, wanted: Wanted) -> Contents:
    rows = tuple(
        (row["offset"], row["station"], row["setup"], row["instance"], row["why"],
         *(format_length(value, unit, sign=True) for value in row["zero"]))
        for setup in wanted.of(plan) for row in stands(plan, setup)
    )  # fmt: skip
    return Contents(("Offset", "Station", "Setup", "Instance", "", "Zero X", "Y", "Z"), rows, (5, 6, 7))


def _tools(plan: Plan, unit: Unit, wanted: Wanted) -> Contents:
    setups = wanted.of(plan)
    rows = tuple(
        (f"T{row['number']}", row["name"], format_length(row["length"], unit), format_length(row["diameter"], unit),
         "" if row["reach"] is None else format_length(row["reach"], unit), "yes" if row["is_set"] else "NO",
         ", ".join(row["setups"]), ", ".join(row["offsets"]))
        for machine in plan.job.machines
        for row in tool_rows(machine, [each for each in setups if each.machine.id == machine.id])
    )  # fmt: skip
    columns = ("Tool", "What it is", "Length", "⌀", "Stands out", "In the table", "In setups", "Offsets")
    return Contents(columns, rows, (2, 3, 4))


def _article(measured: Sequence[Judged], unit: Unit) -> Contents:
    def told(value: float | None) -> str:
        return "" if value is None else format_length(value, unit)

    rows = tuple(
        (each.line.feature, each.line.what, told(each.line.nominal), told(each.line.low), told(each.line.high),
         told(each.value), each.verdict, each.with_what, each.by)
        for each in measured
    )  # fmt: skip
    columns = ("Feature", "What", "Nominal", "From", "To", "Measured", "", "With", "By")
    return Contents(columns, rows, (2, 3, 4, 5), typed=5)
