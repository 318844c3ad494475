"""A machine's own profiles: copying one that ships, changing its text, and what it would write."""

from __future__ import annotations

from ..changing import set_value
from ..errors import InvalidValueError
from ..model.job import Job
from ..model.machine import OutputProfile
from ..plan import Plan
from ..programs.profile import SHIPPED, profile_names, profile_of
from ..programs.writer import hover_program, probing_programs


def own_copy(job: Job, machine: int = 0) -> Job:
    """A copy of the profile that a machine of the job uses, under a name of its own, and the machine set to it."""
    profile, taken = profile_of(job.machines[machine]), profile_names(job.machines[machine])
    name, number = f"our {profile.name}", 2
    while name in taken:
        name, number = f"our {profile.name} {number}", number + 1
    return with_profile(job, profile.model_copy(update={"name": name}), machine)


def with_profile(job: Job, profile: OutputProfile, machine: int = 0) -> Job:
    """Keeps ``profile`` in place of the one of its name, or beside the others, and uses it.

    Raises InvalidValueError for the name of one that ships.
    """
    if profile.name in SHIPPED:
        raise InvalidValueError("profile", f"'{profile.name}' ships with the program; give yours another name")
    others = [each for each in job.machines[machine].profiles if each.name != profile.name]
    job = set_value(job, ("machines", machine, "profiles"), (*others, profile))
    return set_value(job, ("machines", machine, "profile"), profile.name)


def without_profile(job: Job, name: str, machine: int = 0) -> Job:
    """Takes one of the machine's own out; if it is in use, the parameter style takes its place."""
    others = tuple(each for each in job.machines[machine].profiles if each.name != name)
    job = set_value(job, ("machines", machine, "profiles"), others)
    if job.machines[machine].profile == name and name not in SHIPPED:
        job = set_value(job, ("machines", machine, "profile"), "parameter style")
    return job


def example(plan: Plan, setup: int, profile: OutputProfile) -> str:
    """What ``profile`` would write for a setup: its probing program, then its hover check.

    Raises ProfileError with the line that is at fault, PlanError as the programs themselves do.
    """
    machine = plan.setups[setup].machine.model_copy(update={"profile": profile.name, "profiles": (profile,)})
    mine, before = plan.setups[setup], plan.setups[setup - 1].setup if setup else None
    texts = probing_programs(machine, plan.job.title, mine, before, plan.job.held_before(setup))
    hover = hover_program(machine, plan.job.title, mine)
    return "\n".join([*(text.text for text in texts), hover])
