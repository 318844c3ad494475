"""Commands about toolpath programs: ``read``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded

if TYPE_CHECKING:
    from ledgecliff.core.plan import Plan
    from ledgecliff.core.toolpaths.checks import Difference
    from ledgecliff.core.toolpaths.summary import ProgramSummary


def read(options: argparse.Namespace, plan: Plan | None) -> int:
    """What programs call and how far they go; exit status 1 when a hazard or error stands."""
    from ledgecliff.command_line.offsets import present_values
    from ledgecliff.core.toolpaths.checks import check_program
    from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL, control_words
    from ledgecliff.store.toolpath_files import read_program

    control = control_words(plan.job.machine) if plan is not None else UNKNOWN_CONTROL
    present = present_values(options, plan.job) if plan is not None else {}
    programs, bad = [], False
    for path in options.programs:
        summary = read_program(path, control=control)
        differences = check_program(summary, plan, present)
        bad = bad or any(each.severity in ("hazard", "error") for each in differences)
        programs.append(_program(path, summary, differences))
    if options.json:
        print_json({"programs": programs})
        return int(bad)
    for program in programs:
        whole = "" if program["complete"] else ", not whole" if program["read"] else ", NOT READ"
        print(f"{program['file']}: {program['lines']} lines, {' '.join(program['units']) or 'no unit'}{whole}")
        for row in program["extents"]:
            reach = "  ".join(
                f"{axis.upper()} {row[axis]['low']:+.3f} to {row[axis]['high']:+.3f}" for axis in "xyz" if row[axis]
            )
            print(f"  {row['offset'] or 'no offset'} T{row['tool']}: {reach}")
        for row in program["findings"]:
            print(f"  {row['severity']}: line {row['line']}: {row['message']} [{row['code']}]")
    return int(bad)


def _program(path: Path, summary: ProgramSummary, differences: tuple[Difference, ...]) -> dict[str, Any]:
    from ledgecliff.core.quantities import spell

    return {
        "file": str(path),
        "lines": summary.lines,
        "read": summary.not_read is None,
        "complete": summary.complete,
        "units": list(summary.units),
        "distance": list(summary.distance),
        "planes": list(summary.planes),
        "offsets": [{"code": code, "line": line} for code, line in summary.offsets.items()],
        "tools": [
            {
                "tool": use.tool,
                "line": use.line,
                "comment": use.comment,
                "h": list(use.h),
                "d": list(use.d),
                "compensation_lines": use.compensated,
            }
            for use in summary.tools
        ],
        "extents": [
            {
                "offset": offset or None,
                "tool": tool,
                **{
                    axis: None
                    if (reach := extent.bounds(k)) is None
                    else {"low": rounded(reach[0]), "high": rounded(reach[1])}
                    for k, axis in enumerate("xyz")
                },
            }
            for (offset, tool), extent in summary.extents.items()
        ],
        "findings": [
            {"code": d.code, "severity": d.severity, "line": d.line, "message": spell(d.message, "mm")}
            for d in differences
        ],
    }
