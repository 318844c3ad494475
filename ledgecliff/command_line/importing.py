"""Making a job from a model."""

from __future__ import annotations

import argparse
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError


def import_model_file(options: argparse.Namespace) -> int:
    from ledgecliff.store import kernel_process

    kernel_process.warm_up()  # the kernel loads while this process imports the rest
    from ledgecliff.core.model.orientation import shown
    from ledgecliff.core.quantities import spell
    from ledgecliff.store.imports import import_model, plan_imported
    from ledgecliff.store.job_files import read_job, write_job
    from ledgecliff.store.part_models import carry_models, load_models

    body = _whole("--body", options.body, "bodies count from 1, and 0 takes all of them as an assembly")
    within = _whole("--plan-within", options.plan_within, "give whole seconds, or 0 to plan no sides")
    if options.model.suffix.lower() == ".stl" and options.unit is None:
        raise InvalidValueError("--unit", "an STL file states no length unit; say which: mm, cm, m or in")
    if options.model.suffix.lower() == ".stl" and body is not None:
        raise InvalidValueError("--body", "an STL file holds one body; leave it out")
    kept_in_place = options.keep is not None and options.keep.resolve() == options.out.resolve()
    if options.out.exists() and not kept_in_place:
        raise InvalidValueError("--out", f"'{options.out}' exists already; choose another name, or --keep it")
    keep = None
    if options.keep is not None:
        old = read_job(options.keep)
        keep = (old, load_models(old, options.keep, with_part=False))
    imported = import_model(options.model, options.unit or "mm", body, keep)
    cannot = ""
    if keep is None and within:
        imported, cannot = plan_imported(imported, float(within))
    folder = options.out.resolve().parent
    job = carry_models(imported.job, options.model.resolve().parent, folder)
    write_job(job, options.out)
    report = imported.report
    kept: dict[str, Any] = {
        "kept": list(report.kept) if report else [],
        "moved": [{"feature": name, "how": how} for name, how in report.moved] if report else [],
        "lost": list(report.lost) if report else [],
    }
    geometry = imported.models.part
    notes = [spell(note, "mm") for note in geometry.notes] if geometry else []
    if options.json:
        print_json(
            {"job": str(options.out), "features": len(job.part.features), "recognised": imported.words(),
             "notes": notes, "setups": [setup.orientation.up for setup in job.setups], "cannot": cannot, **kept}
        )  # fmt: skip
        return 0
    print(options.out)
    print(f"  {imported.words()}")
    if keep is None and within:
        sides = ", then ".join(f"{shown(setup.orientation.up)} up" for setup in job.setups)
        print(f"  {len(job.setups)} setup{'s' if len(job.setups) > 1 else ''}: part {sides}")
    if cannot:
        print(f"  {cannot}")
    for row in kept["moved"]:
        print(f"  {row['feature']}: {row['how']}")
    for name in kept["lost"]:
        print(f"  not matched: {name}")
    return 0


def _whole(option: str, text: str | None, remedy: str) -> int | None:
    """A whole number from 0 up, None where the option is left out.  Raises InvalidValueError."""
    if text is None:
        return None
    try:
        number = int(text)
    except ValueError:
        number = -1
    if number < 0:
        raise InvalidValueError(option, f"'{text}' is none of what is allowed; {remedy}")
    return number
