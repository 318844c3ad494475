"""The main program of a run: it selects each station's offset and local shift, calls the toolpath programs in their
order, restores the modes after each, and stops where the operator acts.

Toolpath programs are taken in as subprograms, or written out where the profile has none; what is not attached is a stop
with its name.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..model.machine import Machine
from ..model.run import Run, RunStation, RunTask, TaskRef
from ..model.setup import Setup
from ..plan import Plan
from ..programs.actions import Call, Shift, Word
from ..programs.dialect import dialect_of
from ..programs.index_moves import index_moves
from ..programs.profile import ProfileWriter, profile_of
from ..programs.text import NumberWriter, comment
from ..programs.writer import tidy
from .rules import Planned
from .tasks import ref_words, task_of, waits_of

#: Numbers of the subprograms begin here.
_FIRST = 7001
#: A work offset call, a program's own ends, numbers and frames, outside of comments.
_OFFSET = re.compile(r"\bG5(?:4(?:\.1[ \t]*P[ \t]*\d+)?|[5-9](?:\.[1-3])?)(?![\d.])", re.IGNORECASE)
_ENDS = re.compile(r"^[ \t/]*(?:N[ \t]*\d+[ \t]*)?M0?(?:2|30|99)\b[ \t]*(?:\([^)]*\))?[ \t]*$", re.IGNORECASE)
_FRAME = re.compile(r"^[ \t]*(?:%.*|O[ \t]*\d+[ \t]*(?:\([^)]*\))?[ \t]*|:\d+.*)$", re.IGNORECASE)
_COMMENT = re.compile(r"\([^)]*\)|;.*$")
_FLOW = re.compile(r"\b(?:M9[789]|GOTO|o\w+[ \t]+(?:sub|call|if|while|do|repeat))\b", re.IGNORECASE)


@dataclass(frozen=True)
class Posted:
    """A main program; ``name`` is that of its file."""

    name: str
    text: str


def main_program(
    run: Run, planned: Planned, plans: Mapping[str, Plan], programs: Mapping[tuple[str, str], str]
) -> Posted:
    """Of everything that is still to be done, in its order; ``plans`` by the jobs' ids, ``programs`` the texts of
    toolpath programs by job and file.

    Raises InvalidValueError where a job is not at hand, or a program cannot be taken in for certain; ProfileError where
    the machine's profile cannot be used.
    """
    return _Writer(run, planned, plans, programs).program("main", planned.order.tasks)


def block_programs(
    run: Run, planned: Planned, plans: Mapping[str, Plan], programs: Mapping[tuple[str, str], str]
) -> tuple[Posted, ...]:
    """One program for each tool block, the operator's own tasks with the block that follows.  Raises as
    ``main_program`` does."""
    write, blocks = _Writer(run, planned, plans, programs), list[list[int]]()
    tool: int | None = None
    for k in planned.order.tasks:
        task = task_of(run, planned.tasks.refs[k])
        if not blocks or (task is not None and tool is not None and task.tool != tool):
            blocks.append([])
            tool = None
        blocks[-1].append(k)
        tool = tool if task is None else task.tool
    return tuple(write.program(f"block {number}", block) for number, block in enumerate(blocks, start=1))


def machine_of_run(run: Run, plans: Mapping[str, Plan]) -> Machine:
    """The machine as the first of its jobs has it.  Raises InvalidValueError where none is at hand."""
    for plan in plans.values():
        for machine in plan.job.machines:
            if machine.id == run.machine:
                return machine
    raise InvalidValueError("run", "none of its jobs is at hand; say where they lie now")


class _Writer:
    def __init__(
        self, run: Run, planned: Planned, plans: Mapping[str, Plan], programs: Mapping[tuple[str, str], str]
    ) -> None:
        self._run, self._planned, self._plans, self._programs = run, planned, plans, programs
        self._machine = machine_of_run(run, plans)
        self._metric = self._machine.program_units == "mm"
        self._numbers = NumberWriter(self._machine.program_units)
        self._profile = ProfileWriter(profile_of(self._machine), {})
        self._calls = self._profile.has("sub") and self._profile.has("call")

    def program(self, what: str, tasks: Sequence[int]) -> Posted:
        bodies: dict[str, int] = {}
        lines = self._head(what)
        offset, index = "", ""
        for k in tasks:
            ref = self._planned.tasks.refs[k]
            station, task = self._run.station(ref.of), task_of(self._run, ref)
            for words in waits_of(self._run, ref):
                lines += self._stop(f"wait until {comment(words)} have gone by")
            if station is None or task is None:
                lines += self._by_hand(ref)
                continue
            lines += [f"(=== {comment(station.name)}: {comment(task.name)}, T{task.tool} ===)"]
            if station.index != index:
                lines += self._turned(station)
                index = station.index
                offset = ""
            if station.offset != offset:
                lines.append(station.offset)
                offset = station.offset
            shifted = any(station.local.as_tuple())
            lines += [self._shift(station.local.as_tuple())] if shifted else []
            lines += self._cut(station, task, bodies)
            lines += self._away()
            lines += [self._shift((0.0, 0.0, 0.0))] if shifted else []
            lines += self._modes()
        lines += ["M5", "M30"]
        subs = [self._sub(number, body) for body, number in bodies.items()]
        before, after = ([], subs) if self._profile.subs_at_end else (subs, [])
        text = tidy("\n".join(["%", *before, *lines, *after, "%"]) + "\n")
        stem = re.sub(r"[^a-z0-9]+", "-", f"{self._run.title} {what}".lower()).strip("-") or "run"
        return Posted(f"{stem}{profile_of(self._machine).suffix}", text)

    def _by_hand(self, ref: TaskRef) -> list[str]:
        """Away from the work with the spindle stopped before hands come near."""
        name = comment(ref_words(self._run, ref))
        caution = f"(CAUTION: {name}. Spindle stopped and locked out, hands clear before the start.)"
        return self._stop(name, caution)

    def _stop(self, words: str, *more: str) -> list[str]:
        return [*self._away(), "M5", *more, f"M0 ({words})"]

    def _away(self) -> list[str]:
        return [f"G53 G0 Z{self._numbers(self._machine.travel_max.z)}"]

    def _head(self, what: str) -> list[str]:
        return [
            f"({comment(self._run.title)}, {comment(what)}: {comment(self._machine.name)})",
            f"({'millimetres' if self._metric else 'inches'}; every offset it calls must be found before)",
            "(CAUTION: eye and ear protection, hands out of the travel.)",
            "(CAUTION: first run above the parts with a finger on hold.)",
            "(CAUTION: follow the machine builder and the shop rules.)",
            # Whatever an earlier program has left: a shift or a rotation would move all of it.
            *self._modes(),
            self._shift((0.0, 0.0, 0.0)),
            # And wherever it has left the tool.
            *self._away(),
        ]

    def _modes(self) -> list[str]:
        rotates = 680 not in dialect_of(self._machine).unknown
        modes = f"{'G21' if self._metric else 'G20'} G17 G40 G49 G80 G90 G94"
        return [modes, *(["G69"] if rotates else []), "G92.1"]

    def _shift(self, shift: Sequence[float]) -> str:
        words = tuple(Word("XYZ"[k], k, self._numbers(float(shift[k]))) for k in range(3))
        return self._profile.action(Shift(words)).strip()

    def _turned(self, station: RunStation) -> list[str]:
        lines = self._away()
        for move in index_moves(self._machine, self._setup(station)):
            lines += [f"{move.free} ({move.letter} free)"] if move.free else []
            lines.append(f"G0 {move.letter}{move.degrees}")
            lines += [f"{move.clamp} ({move.letter} clamped)"] if move.clamp else []
        return lines if len(lines) > 1 else []

    def _setup(self, station: RunStation) -> Setup:
        """The setup as it stands there, with the index of its instance."""
        plan = self._plan(station)
        number = next((k for k, each in enumerate(plan.job.setups) if each.id == station.setup), None)
        if number is None:
            raise InvalidValueError(station.name, "its setup is not in its job any more; take the job over")
        setup = plan.job.setups[number]
        each = next((one for one in plan.instances(number) if one.key == station.place), None)
        return setup if station.place is None or each is None else setup.model_copy(update={"index": each.index})

    def _plan(self, station: RunStation) -> Plan:
        plan = self._plans.get(station.job)
        if plan is None:
            raise InvalidValueError(station.name, "its job is not at hand; say where it lies now")
        return plan

    def _cut(self, station: RunStation, task: RunTask, bodies: dict[str, int]) -> list[str]:
        text = self._programs.get((station.job, task.program)) if task.program else None
        if text is None:
            named = f" ({comment(task.program)} is not there)" if task.program else ""
            why = f"M0 (no toolpath program for {comment(station.name)}: {comment(task.name)}){named}"
            return [f"T{task.tool} M6", *self._away(), "M5", why]
        body = self._body(station, task, text)
        if not self._calls:
            return body.splitlines()
        number = bodies.setdefault(body, _FIRST + len(bodies))
        return [self._profile.action(Call(number)).strip()]

    def _sub(self, number: int, body: str) -> str:
        return self._profile.part("sub", number, body)

    def _body(self, station: RunStation, task: RunTask, text: str) -> str:
        """A toolpath program without its frame, its end, and its offset call, which is the main program's.

        Raises InvalidValueError where it calls others or jumps, or calls an offset that is not its setup's.
        """
        family = {each.offset for each in self._run.stations if (each.job, each.setup) == (station.job, station.setup)}
        family.add(self._setup(station).offset)
        lines, ended = list[str](), False
        for number, line in enumerate(text.splitlines(), start=1):
            bare = _COMMENT.sub(" ", line)
            where = f"{task.program}, line {number}"
            if ended and bare.strip(" %\t"):
                raise InvalidValueError(where, "something follows the program's end; post it by itself, in one piece")
            if _ENDS.match(bare):
                ended = True
            elif _FLOW.search(bare):
                raise InvalidValueError(where, "calls, jumps or repeats; post it written out, without subprograms")
            elif not _FRAME.match(line):
                lines.append(self._without_offset(line, bare, family, where))
        return "\n".join(line for line in lines if line.strip())

    def _without_offset(self, line: str, bare: str, family: set[str], where: str) -> str:
        for found in _OFFSET.finditer(bare):
            called = re.sub(r"[ \t]+", " ", found[0].upper())
            if called not in family:
                raise InvalidValueError(where, f"calls {called}, which is not its setup's; post it for {min(family)}")
        outside = list[str]()
        at = 0
        for said in _COMMENT.finditer(line):
            outside += [_OFFSET.sub("", line[at : said.start()]), said[0]]
            at = said.end()
        return "".join([*outside, _OFFSET.sub("", line[at:])]).rstrip()


def clock_words(minutes: float) -> str:
    """Hours and minutes from the beginning."""
    whole = round(minutes)
    return f"{whole // 60}:{whole % 60:02}"


def run_list(run: Run, planned: Planned) -> list[dict[str, str]]:
    """The operator's list: when, where, what, with which tool, offset and program."""
    rows = []
    for k, start in zip(planned.order.tasks, planned.order.starts, strict=True):
        ref: TaskRef = planned.tasks.refs[k]
        station, task = run.station(ref.of), task_of(run, ref)
        action = run.action(ref.of)
        name = task.name if task is not None else action.name if action is not None else ""
        rows.append(
            {
                "start": clock_words(start),
                "station": station.name if station is not None else "",
                "what": "; ".join([name, *(f"no sooner than {words}" for words in waits_of(run, ref))]),
                "tool": f"T{task.tool}" if task is not None else "by hand",
                "offset": station.offset if station is not None else "",
                "index": station.index if station is not None else "",
                "program": task.program if task is not None else "",
            }
        )
    return rows
