"""What a job says now against what a run took over from it."""

from __future__ import annotations

from ..model.run import Run, RunStation
from ..plan import Plan
from .edits import taken_over


def differences(run: Run, plan: Plan) -> tuple[str, ...]:
    """In words; empty where nothing that the run knows of has changed."""
    job = plan.job
    now = taken_over(run, plan, "0" * 64)
    there = {station.id: station for station in now.stations}
    found: list[str] = []
    for station in run.stations:
        if station.job != job.id:
            continue
        if station.id not in there:
            what = "setup" if station.place is None else "instance on of setup"
            found.append(f"{station.name}: {job.title} has no such {what} '{station.setup_name}' any more")
        else:
            found += _of_station(station, there[station.id])
    return tuple(found)


def _of_station(old: RunStation, new: RunStation) -> list[str]:
    found = []
    for what, was, is_now in (
        ("the setup is called", old.setup_name, new.setup_name),
        ("its offset is", old.offset, new.offset),
        ("its index is", old.index or "none", new.index or "none"),
    ):
        if was != is_now:
            found.append(f"{old.name}: {what} {is_now} now, not {was}")
    if old.local != new.local:
        found.append(f"{old.name}: its local shift is another one now")
    before, after = ({task.name: task for task in station.tasks} for station in (old, new))
    found += [f"{old.name}: '{name}' is not there any more" for name in before if name not in after]
    found += [f"{old.name}: '{name}' has come in" for name in after if name not in before]
    for name in before.keys() & after.keys():
        was_task, task = before[name], after[name]
        if (was_task.tool, was_task.tool_is) != (task.tool, task.tool_is):
            found.append(
                f"{old.name}: '{name}' takes T{task.tool} {task.tool_is} now, not T{was_task.tool} {was_task.tool_is}"
            )
        if was_task.program != task.program:
            found.append(
                f"{old.name}: '{name}' names {task.program or 'no program'} now, not {was_task.program or 'none'}"
            )
    common = [name for name in before if name in after]
    if not old.free and common != [name for name in after if name in before]:
        found.append(f"{old.name}: its tasks come in another order now")
    return sorted(found)
