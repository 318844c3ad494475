"""What is done beside the machine, on the command line: ``bench``."""

from __future__ import annotations

import argparse
from typing import Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.core.changing import set_value, value_at
from ledgecliff.core.edits.bench import BENCH_KINDS, BENCH_WORDS, CAUTIONS, add_step, bench_path, remove_step
from ledgecliff.core.edits.making import with_place_known
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.typed import parse_length
from ledgecliff.store.identity import new_id
from ledgecliff.store.job_files import write_job


def bench(options: argparse.Namespace) -> int:
    """Steps beside the machine in their order; one added or taken out, and the job written."""
    plan = plan_of(options)
    job = plan.job
    if options.remove is not None:
        job = remove_step(job, _named(job, options.remove))
    if options.add is not None:
        job = _added(options, plan, job)
    if options.known is not None:
        name, *value = options.known
        job = with_place_known(plan, _named(job, name), [parse_length(word, "mm") for word in value])
    after = make_plan(job, plan.models)
    after.check_part_is_left()
    if job != plan.job:
        write_job(job, options.job)
    _tell(after, as_json=options.json)
    return 0


def _named(job: Job, name: str) -> str:
    step = next((step.id for step in job.bench if step.name == name), None)
    if step is None:
        known = ", ".join(step.name for step in job.bench) or "none"
        raise InvalidValueError("step", f"there is no step '{name}'; the job has {known}")
    return step


def _added(options: argparse.Namespace, plan: Plan, job: Job) -> Job:
    if options.add not in BENCH_KINDS:
        raise InvalidValueError("--add", f"there is no '{options.add}'; choose {', '.join(BENCH_KINDS)}")
    setup = len(job.setups) if options.before is None else setup_named(plan, options.before)
    step = new_id()
    job = add_step(job, options.add, setup, step, plan)
    for text in options.set:
        field, sign, value = text.partition("=")
        path = (*bench_path(job, step), *field.strip().split("."))
        if not sign:
            raise InvalidValueError("--set", f"'{text}' states no value; write FIELD=VALUE, such as at=12")
        job = set_value(job, path, _typed(value_at(job, path), value.strip(), field))
    return job


def _typed(now: object, text: str, field: str) -> object:
    """As the field has it: a number of minutes, a length, or a text."""
    if isinstance(now, float | int):
        if field.strip() == "wait":
            try:
                return float(text)
            except ValueError:
                raise InvalidValueError("wait", f"'{text}' is no number of minutes") from None
        return parse_length(text)
    return text


def _tell(plan: Plan, *, as_json: bool) -> None:
    rows: list[dict[str, Any]] = []
    for index, done in enumerate(plan.bench):
        before = plan.job.setups[index].name if index < len(plan.job.setups) else None
        for each in done:
            rows.append({
                "name": each.step.name, "kind": each.step.kind, "before": before, "wait": each.step.wait,
                "comes_on": rounded(float(each.added.volume())), "goes": rounded(float(each.gone.volume())),
                "joint": rounded(each.joint), "after": rounded(each.after.volume), "caution": CAUTIONS[each.step.kind],
            })  # fmt: skip
    if as_json:
        print_json({"steps": rows})
        return
    for row in rows:
        where = f"before {row['before']}" if row["before"] else "after all setups"
        print(f"{row['name']} ({BENCH_WORDS[row['kind']]}), {where}: {row['after'] / 1000.0:.2f} cm³ then")
        if row["wait"]:
            print(f"  wait {row['wait']:g} min")
    if not rows:
        print("nothing is done beside the machine")
