"""What entries are about: machines, what is on them, jobs and their setups, by identities that outlast names."""

from __future__ import annotations

from collections.abc import Iterator

from ..model.holding import Fixture
from ..model.job import Job
from ..model.machine import Cutter, Machine, Probe
from ..model.run import Run
from ..model.setup import Setup
from ..model.stations import Station
from .entries import LONGEST_NAME, SUBJECT_KINDS, Subject, SubjectKind


def about(kind: SubjectKind, subject: str, name: str) -> Subject:
    """What is meant, by as much of its name as is kept."""
    return Subject(kind=kind, id=subject[:LONGEST_NAME], name=name[:LONGEST_NAME])


def of_machine(machine: Machine) -> Subject:
    return about("machine", machine.id, machine.name)


def of_offset(machine: Machine, code: str) -> Subject:
    return about("offset", f"{machine.id}/{code}", f"{machine.name} {code}")


def of_fixture(machine: Machine, fixture: Fixture) -> Subject:
    """Fixtures are told apart by their names on one machine."""
    return about("fixture", f"{machine.id}/{fixture.name}", fixture.name)


def of_station(station: Station) -> Subject:
    return about("station", station.id, station.name)


def of_tool(machine: Machine, cutter: Cutter) -> Subject:
    return about("tool", f"{machine.id}/T{cutter.tool}", f"T{cutter.tool} {cutter.name}")


def of_probe(machine: Machine, probe: Probe) -> Subject:
    return about("probe", f"{machine.id}/T{probe.tool}", f"probe T{probe.tool}")


def of_job(job: Job) -> Subject:
    return about("job", job.id, job.title)


def of_setup(job: Job, setup: Setup) -> Subject:
    return about("setup", f"{job.id}/{setup.id}", f"{job.title} {setup.name}")


def of_run(run: Run) -> Subject:
    return about("run", run.id, run.title)


def subjects_of_machine(machine: Machine) -> Iterator[Subject]:
    """A machine and everything on it."""
    yield of_machine(machine)
    yield from (of_fixture(machine, fixture) for fixture in machine.fixtures)
    yield from (of_station(station) for station in machine.stations)
    yield from (of_tool(machine, cutter) for cutter in machine.cutters)
    yield from (of_probe(machine, probe) for probe in machine.probes)


def subjects_of_job(job: Job) -> Iterator[Subject]:
    """A job, its setups, and its machines with all that is on them."""
    yield of_job(job)
    yield from (of_setup(job, setup) for setup in job.setups)
    for machine in job.machines:
        yield from subjects_of_machine(machine)


def subjects_of_setup(job: Job, setup: Setup) -> tuple[Subject, ...]:
    """What is used in a setup: where a note on any of it pops up."""
    machine = job.machine_of(setup)
    station = next((each for each in machine.stations if each.id == setup.station), None)
    found = [of_job(job), of_setup(job, setup), of_machine(machine), of_offset(machine, setup.offset)]
    if station is not None:
        fixture = machine.fixture(station.fixture)
        found += [of_station(station), *([] if fixture is None else [of_fixture(machine, fixture)])]
    found += [of_probe(machine, probe) for probe in machine.probes if probe.tool == machine.probe.tool]
    tools = {operation.tool for operation in setup.operations}
    found += [of_tool(machine, cutter) for cutter in machine.cutters if cutter.tool in tools]
    return tuple(found)


def split_words(words: str) -> tuple[str | None, str]:
    """The kind, where it is said, and the name of what is meant: ``fixture:vise 1`` or ``vise 1``."""
    kind, colon, name = words.partition(":")
    return (kind, name.strip()) if colon and kind in SUBJECT_KINDS else (None, words.strip())
