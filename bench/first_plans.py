"""First plans of a corpus of made-up parts: how many can be run as they come, and why the rest cannot.

Every part is planned by the import's own way alone; what has neither hazard nor error is rehearsed in five worlds.
"""

from __future__ import annotations

import statistics
import time

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.new_job import first_plan, job_for_model
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.shop import shipped_shop
from tests.corpus import CORPUS, corpus_part

from .planning import Row

SEEDS = range(1, 6)


def planned(name: str) -> tuple[Plan, float]:
    """The first plan of a part of the corpus, and how long it took."""
    geometry = corpus_part(name)
    models = Models(geometry)
    job = job_for_model(
        ModelReference(path="part.step", sha256="0" * 64), geometry, name, shipped_shop(), derived_id(name)
    )
    start = time.perf_counter()
    first = first_plan(job, models, shipped_shop())
    return make_plan(first.job, models), time.perf_counter() - start


def alarms(plan: Plan) -> list[str]:
    """What stopped, in the first of five worlds in which something did."""
    written = written_plan(plan)
    for seed in SEEDS:
        found = rehearse(written, drawn_world(written, seed))
        if found.alarms:
            return [f"seed {seed}: {alarm}" for alarm in found.alarms]
    return []


def first_plans() -> list[Row]:
    took, clean, quiet = [], 0, 0
    why: dict[str, list[str]] = {}
    stops: list[str] = []
    for name in CORPUS:
        plan, seconds = planned(name)
        took.append(seconds)
        bad = [finding for finding in findings_of(plan) if finding.severity in ("hazard", "error")]
        clean += not bad
        stopped = [] if bad else alarms(plan)
        quiet += not bad and not stopped
        for code in sorted({finding.code for finding in bad}):
            why.setdefault(code, []).append(name)
        stops += [f"{name}: {each}" for each in stopped]
    count = len(CORPUS)
    reasons = "; ".join(f"{code}: {', '.join(names)}" for code, names in why.items()) or "none"
    return [
        (f"first plans without hazard or error, of {count} (%)", 100.0 * clean / count, ">= 90", reasons, None),
        (
            f"of these without alarm in {len(SEEDS)} rehearsals (%)",
            100.0 * quiet / max(clean, 1),
            "100",
            "; ".join(stops),
            None,
        ),
        ("first plan of a part, median (s)", statistics.median(took), "", "the longest one", max(took)),
    ]
