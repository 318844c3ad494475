"""Results that come back from the machine: ``results``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import given_text, print_json, rounded, xyz
from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.command_line.probing import entry_of, keep_offset, keep_offsets
from ledgecliff.core.edits.batches import with_touched_sizes
from ledgecliff.core.edits.found_holes import holes_in, with_measured_holes
from ledgecliff.core.edits.reports import with_report
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.instance_results import (
    KeptOfInstance,
    ReturnedOfInstance,
    kept_of_instances,
    parsed_of_instances,
)
from ledgecliff.core.measuring.measured import RecordedWcs
from ledgecliff.core.measuring.reports import learned, read_report
from ledgecliff.core.measuring.results_back import Returned, ReturnedResults, in_millimetres, parsed_results, returned
from ledgecliff.core.register.measured_value import by_results
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job
from ledgecliff.store.touch_files import read_results

if TYPE_CHECKING:
    from ledgecliff.core.model.job import Job
    from ledgecliff.core.plan import Plan
    from ledgecliff.core.setup_plan import SetupPlan


def results(options: argparse.Namespace) -> int:
    """Held against the plan, and the offset that follows; exit status 1 when a size is off or a change must be
    confirmed."""
    plan = plan_of(options)
    setup = plan.setups[setup_named(plan, options.setup)]
    kept = kept_of_instances(plan, setup.index)
    if kept:
        return _of_instances(options, plan, kept, setup.setup.name)
    given = _given(options, setup)
    if options.show is not None:
        name, report = options.show
        pattern = learned(
            name, given_text(Path(report)), setup.probing.steps, given.results, setup.machine.program_units
        )
        job: Job = with_report(plan.job, plan.job.machine_path(setup.setup)[1], pattern)
        write_job(job, options.job)
    found = returned(setup, given)
    if options.keep:
        if not found.before_known:
            raise InvalidValueError("--before", "say what the offset held before, or keep the control's own table")
        keep_offset(options, plan, setup, by_results(found))
    if options.keep_sizes:
        if options.keep_holes or options.show is not None:
            raise InvalidValueError("--keep-sizes", "the job is written for one thing at a time; leave the other out")
        write_job(with_touched_sizes(plan, setup.index, [("", setup, given.results)]), options.job)
    if options.keep_holes:
        shaped = with_measured_holes(plan, setup.index, found)
        write_job(shaped, options.job)
        for name in holes_in(plan, found):
            hole = shaped.part.feature(name)
            assert hole is not None, "it was just kept"
            print(f"{name}: diameter {hole.diameter:.4f} at part {hole.at.x:.4f}, {hole.at.y:.4f}", file=sys.stderr)
    if options.json:
        print_json(_shown(found))
    else:
        _print(found)
    return int(_asks(found))


def _asks(found: Returned) -> bool:
    """Whether a size is off, or a change must be confirmed."""
    return any(step.beyond for step in found.steps) or any(change.confirm for change in found.changes)


def _print(found: Returned) -> None:
    data = _shown(found)
    for step in data["steps"]:
        print(f"{step['number']}. {step['title']}")
        for each in step["results"]:
            mark = "  BEYOND its tolerance" if each["beyond"] else ""
            print(f"     {each['words']:<28}{each['value']:+12.4f}  off {each['off']:+.4f}{mark}")
    wcs = data["wcs"]
    print(f"{found.offset}: X {wcs['x']:+.4f}  Y {wcs['y']:+.4f}  Z {wcs['z']:+.4f}  turned {wcs['skew_deg']:+.4f}")
    for change in found.changes:
        ask = f"  CONFIRM: more than {change.limit:.4f}" if change.confirm else ""
        print(f"     {change.axis.upper()} changed by {change.by:+.4f}{ask}")


def _of_instances(options: argparse.Namespace, plan: Plan, kept: tuple[KeptOfInstance, ...], name: str) -> int:
    """Of each instance; its offset held what was planned before, with ``--keep`` what the register says, unless all
    began at ``--before``.  Exit status 1 also where one is missing."""
    for stated, words in ((options.report, "--report"), (options.show, "--show")):
        if stated is not None:
            raise InvalidValueError(words, "reports are of one part; give the lines that the control keeps of all")
    if options.results.suffix.lower() == ".json" or options.keep_holes:
        raise InvalidValueError("results", f"'{name}' stands many times; give lines as #500 = 1.234")
    unit = kept[0].setup.machine.program_units
    found = parsed_of_instances(kept, given_text(options.results), unit, name)
    told = [(each, _returned_of(options, each, name)) for each in found if each.missing is not None]
    if options.keep_sizes:
        sizes = [(each.kept.instance.key, each.kept.setup, each.results) for each in found]
        write_job(with_touched_sizes(plan, kept[0].setup.index, sizes), options.job)
    if options.keep:
        _keep_all(options, plan, told)
    if options.json:
        rows = [
            {"instance": each.kept.instance.name, "missing": each.missing} | ({} if back is None else _shown(back))
            for each, back in told
        ]
        print_json({"setup": name, "instances": rows})
    else:
        for each, back in told:
            print(f"Instance {each.kept.instance.name}{': MISSING OR NOT SEATED' if each.missing else ''}")
            if back is not None:
                _print(back)
    return int(any(each.missing or (back is not None and _asks(back)) for each, back in told))


def _returned_of(options: argparse.Namespace, each: ReturnedOfInstance, name: str) -> Returned | None:
    if not each.results:
        return None
    before = _before(options)
    if before is None and options.keep:
        before = _held(options, each.kept.setup)
    return returned(each.kept.setup, ReturnedResults(setup=name, before=before, results=each.results))


def _held(options: argparse.Namespace, setup: SetupPlan) -> RecordedWcs:
    """What the register says its offset held."""
    entry = entry_of(options, setup.machine, setup.setup.offset)
    if entry.value is None:
        raise InvalidValueError("--keep", f"the register does not say what {entry.code} held before; write it there")
    value = entry.value
    return RecordedWcs(x=value.x, y=value.y, z=value.z, skew_deg=value.turn_deg)


def _keep_all(options: argparse.Namespace, plan: Plan, told: list[tuple[ReturnedOfInstance, Returned | None]]) -> None:
    """The offset of each instance whose zero was found, all or none."""
    finds = [
        (each, back) for each, back in told
        if back is not None and any(step.step.sets or step.step.sets_skew for step in back.steps)
    ]  # fmt: skip
    keep_offsets(options, plan, [(each.kept.setup, by_results(back), each.kept.offset_key) for each, back in finds])


def _before(options: argparse.Namespace) -> RecordedWcs | None:
    if options.before is None:
        return None
    # As the control's table shows it, in whatever unit it is typed.
    x, y, z = (parse_length(text, "mm") for text in options.before)
    return RecordedWcs(x=x, y=y, z=z)


def _given(options: argparse.Namespace, setup: SetupPlan) -> ReturnedResults:
    before = _before(options)
    if options.report is not None:
        pattern = next((each for each in setup.machine.reports if each.name == options.report), None)
        if pattern is None:
            names = ", ".join(f"'{each.name}'" for each in setup.machine.reports) or "none yet"
            raise InvalidValueError("--report", f"no kind of report '{options.report}' was shown; there is {names}")
        found = read_report(pattern, given_text(options.results), setup.probing.steps)
    elif options.results.suffix.lower() == ".json":
        read = read_results(options.results)
        if read.setup != setup.setup.name:
            raise InvalidValueError("setup", f"the results are of '{read.setup}', not of '{setup.setup.name}'")
        read = in_millimetres(setup, read)
        return read.model_copy(update={"before": read.before or before})
    else:
        found = parsed_results(setup, given_text(options.results), setup.machine.program_units)
    return ReturnedResults(setup=setup.setup.name, before=before, results=found)


def _shown(found: Returned) -> dict[str, Any]:
    x, y, z = found.m_zero
    return {
        "setup": found.setup.setup.name,
        "offset": found.offset,
        "wcs": {**xyz((x, y, z - found.setup.machine.length_shift())), "skew_deg": rounded(found.skew_deg)},
        "before_known": found.before_known,
        "steps": [
            {
                "number": each.number,
                "title": each.step.title,
                "results": [
                    {
                        "key": quantity.key,
                        "words": quantity.words,
                        "value": rounded(each.found[quantity.key]),
                        "expected": rounded(quantity.expected),
                        "off": rounded(each.off[quantity.key]),
                        "beyond": quantity.key in each.beyond,
                    }
                    for quantity in each.step.finds
                ],
            }
            for each in found.steps
        ],
        "changes": [
            {"axis": each.axis, "by": rounded(each.by), "limit": rounded(each.limit), "confirm": each.confirm}
            for each in found.changes
        ],
    }
