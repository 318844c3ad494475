"""The tape of a step beside the machine: what it changes, how long one waits, and what it asks for."""

from __future__ import annotations

from ..fixture_making import fixture_cut
from ..in_process.bench import BenchDone
from ..model.bench import Fill, Glue, HeatTreat, MakeFixture, Sand, Saw, TakeOut
from ..model.orientation import shown
from ..plan import Plan
from ..quantities import said, said_area, said_signed, said_volume
from ..route import wait_words
from ..tape_lines import Tape, TapeLine, heading, note


def bench_tape(plan: Plan, step: str) -> Tape:
    _, done = plan.done_of(step)
    if isinstance(done.step, MakeFixture):
        return _making_tape(plan, done.step)
    lines = [heading("Stock"), note(f"before {said_volume(done.before.volume)}")]
    if not done.added.is_empty():
        lines.append(note(f"comes on {said_volume(float(done.added.volume()))}"))
    if not done.gone.is_empty():
        lines.append(note(f"goes {said_volume(float(done.gone.volume()))}"))
    lines += [note(f"after {said_volume(done.after.volume)}"), *_of_kind(done)]
    low, high = done.after.corners
    lines.append(heading("Sizes then"))
    lines += [
        TapeLine(f"part {axis}", float(b - a), source="stock", signed=False)
        for axis, a, b in zip("XYZ", low, high, strict=True)
    ]
    if done.step.wait:
        lines += [heading("Then"), note(f"wait {wait_words(done.step.wait)}")]
    return Tape(done.step.name, "beside the machine", tuple(lines))


def _making_tape(plan: Plan, step: MakeFixture) -> Tape:
    """Zero, tool and depths of what is cut in place, and what must come out of it."""
    cut = fixture_cut(plan, step)
    if cut is None:
        return Tape(step.name, "before it holds", (note("Nothing is cut for what holds the setup after."),))
    lines = [heading(f"Zero, {step.offset}"), *(note(words) for words in cut.zero), heading("Cut")]
    for pocket in cut.sunk:
        lines.append(TapeLine(f"{pocket.name}, deep", pocket.depth, signed=False))
    for bore in cut.bored:
        lines += [
            TapeLine(f"{bore.name}, deep", bore.depth, signed=False),
            TapeLine(f"{bore.name}, X", bore.x),
            TapeLine(f"{bore.name}, Y", bore.y),
        ]
    lines.append(heading("Must come out"))
    lines += [TapeLine(f"{edge.name}, {edge.axis.upper()}", edge.at, "total") for edge in cut.edges]
    for pocket in (each for each in cut.sunk if each.sized):
        for axis, size, middle in zip("XY", pocket.size, pocket.middle, strict=True):
            lines.append(TapeLine(f"{pocket.name}, {axis} across", size, signed=False))
            lines.append(TapeLine(f"{pocket.name}, {axis} middle", middle))
    lines += [TapeLine(f"{bore.name}, across", bore.diameter, "total", signed=False) for bore in cut.bored]
    lines.append(note(f"measured: {step.measured}" if step.measured else "not measured yet"))
    return Tape(step.name, cut.what, tuple(lines))


def bench_words(done: BenchDone) -> str:
    """What a step changes, in one line with lengths to be spelled."""
    match done.step:
        case Saw():
            return f"off {shown(done.step.off)}, from part {done.step.off[1]} {said_signed(done.step.at)}"
        case Glue():
            sizes = " × ".join(said(mm) for mm in done.step.size.as_tuple())
            return f"{sizes} of {done.step.material}, joint {said_area(done.joint)}"
        case Fill() | TakeOut():
            return done.step.feature
        case MakeFixture():
            measured = f", measured: {done.step.measured}" if done.step.measured else ""
            return f"T{done.step.tool}, zero in {done.step.offset}{measured}"
        case Sand() if done.step.takes:
            return f"takes {said(done.step.takes)}"
        case HeatTreat():
            return f"may move by ±{said(done.step.moves)}"
        case _:
            return ""


def _of_kind(done: BenchDone) -> list[TapeLine]:
    match done.step:
        case Saw():
            return [
                heading("Sawn"),
                TapeLine(f"off {shown(done.step.off)}, from part {done.step.off[1]}", done.step.at),
            ]
        case Glue():
            return [heading("Glued"), note(f"joint {said_area(done.joint)}")]
        case Sand():
            return [heading("Sanded"), TapeLine("takes off", done.step.takes, signed=False)]
        case HeatTreat():
            return [heading("Treated"), TapeLine("may move by ±", done.step.moves, signed=False)]
        case _:
            return []
