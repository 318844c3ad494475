"""Programs with one slip each, drawn by lot, and whether reading back notices them.

Slips are made in what the control executes, never in comments or messages.  ``python -m tests.mutants N`` counts over
N of them and lists those that pass.
"""

from __future__ import annotations

import math
import random
import re
import sys
from collections import Counter
from dataclasses import replace

import numpy as np

from ledgecliff.core.blanks import transformed
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.errors import ProfileError, ProgramError
from ledgecliff.core.model.work_offsets import code_of, codes_of
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.programs.released import probing_texts
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.reading_back.replay import Fault, RecordingMachine, ReplayingMachine
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import quiet
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.jobs import plan_of

_COMMENT = re.compile(r"\([^()]*\)")
_NUMBER = re.compile(r"(?<![#\w.])(\d+\.\d*|\d+)(?![\w.])")
#: Words that are mistaken for one another.
_TAKEN_FOR = (
    ("G38.2", "G38.3"), ("G38.3", "G1"), ("G38.4", "G1"), ("G90", "G91"), ("G21", "G20"), ("G20", "G21"),
    ("G17", "G18"), ("G55", "G54"), ("L2 ", "L20 "), ("P2 ", "P1 "), ("G31", "G1"), ("G0 ", "G1 "), ("G53 ", ""),
    (" GT ", " LT "),
    (" NE ", " EQ "), (" EQ ", " NE "), (" LT ", " GT "), ("COS", "SIN"), ("SIN", "COS"), ("ATAN", "ABS"), ("ABS", ""),
    ("M2", "M0"), ("M30", "M0"), ("M5", "M3"), ("G40", "G41"), ("G49", ""), ("G43 H30", "G43 H2"), ("T30", "T2"),
    ("G92.1", ""), ("G94", ""), ("G80", ""), ("SQRT", "ABS"), ("/ 2]", "/ 3]"), ("X", "Y"), ("Y", "X"), ("Z", "X"),
)  # fmt: skip


def slip(text, draw):
    """``text`` with one slip: what it is, the line it is in (from 1), the new text; None where it does not apply."""
    lines = text.splitlines()
    code = [k for k, line in enumerate(lines) if _COMMENT.sub("", line).strip() not in ("", "%")]
    at = draw.choice(code)
    line, kind = lines[at], draw.choice(["lost", "taken for", "number", "parameter", "sign", "order", "twice"])
    before, comment = (_COMMENT.sub("", line), "".join(_COMMENT.findall(line)))
    match kind:
        case "lost":
            changed = ""
        case "taken for":
            able = [pair for pair in _TAKEN_FOR if pair[0] in before]
            if not able:
                return None
            old, new = draw.choice(able)
            places = [found.start() for found in re.finditer(re.escape(old), before)]
            place = draw.choice(places)
            changed = before[:place] + new + before[place + len(old) :]
            kind = f"{old.strip()} taken for {new.strip() or 'nothing'}"
        case "number":
            found = list(_NUMBER.finditer(before)) + list(re.finditer(r"(?<=[XYZF-])(\d+\.\d*)", before))
            if not found:
                return None
            place = draw.choice(found)
            value = float(place.group()) * draw.choice([0.5, 1.2, 2.0]) + draw.choice([0.0, 0.3])
            changed = before[: place.start()] + f"{value:.4f}" + before[place.end() :]
        case "parameter":
            found = list(re.finditer(r"#(\d+)", before))
            if not found:
                return None
            place = draw.choice(found)
            number = int(place[1]) + draw.choice([-1, 1])
            changed = before[: place.start()] + f"#{number}" + before[place.end() :]
        case "sign":
            found = list(re.finditer(r"[+-]|(?<=[XYZ])(?=[\d\[])", before))
            if not found:
                return None
            place = draw.choice(found)
            new = {"+": "-", "-": "+", "": "-"}[place.group()]
            changed = before[: place.start()] + new + before[place.end() :]
        case "order":
            if at + 1 >= len(lines) or at + 1 not in code:
                return None
            lines[at], lines[at + 1] = lines[at + 1], lines[at]
            return "order", at + 1, "\n".join(lines) + "\n"
        case _:
            changed = f"{before}\n{before}"
    if changed == before:
        return None
    lines[at] = changed + comment
    return kind, at + 1, "\n".join(lines) + "\n"


def programs():
    """Every kind of cycle, in a profile and unit by turns."""
    for k, (name, cycle) in enumerate(CYCLES.items()):
        profile, units = list(SHIPPED)[k % len(SHIPPED)], ("mm", "in")[k // 3 % 2]
        yield name, plan_of(job_with(cycle, profile=profile, program_units=units, jump=0.4))


def noticed(plan, text):
    """Whether reading back tells a program from what the plan says."""
    (written,) = probing_texts(plan, 1)
    try:
        back = read_back(plan, 1, texts=[replace(written, text=text)])
    except ProfileError:
        return True
    return bool(back.differences)


def trace(plan, text):
    """What happens: every move, every offset and how it ends, with all a little off, and with each thing that was met
    or missed going otherwise.  None where the text is not understood."""
    probed, machine = plan.setups[1], plan.job.machine
    dialect = dialect_of(machine)
    off = np.array([0.21, -0.17, 0.13])
    bodies = bodies_of(probed, off)
    offsets = {code.key: probed.located.m_offset + 3.0 * k for k, code in enumerate(codes_of(machine))}
    own = code_of(machine, probed.setup.offset).key
    offsets[own] = probed.located.m_offset.copy()
    unit = RecordingMachine(machine, bodies, {key: value.copy() for key, value in offsets.items()}, _Odd())
    happened = []
    try:
        outcome = Control(unit, dialect).run(text)
        happened.append(_ended(unit, outcome))
        original = RecordingMachine(machine, bodies, {key: value.copy() for key, value in offsets.items()}, _Odd())
        Control(original, dialect).run(probing_texts(plan, 1)[0].text)
        for at, event in enumerate(original.events):
            if event.what != "towards":
                continue
            fault = Fault("met" if event.reading is None else "missed", at)
            again = ReplayingMachine(
                machine, [], {key: value.copy() for key, value in offsets.items()}, quiet(), past=original.events,
                fault=fault,
            )  # fmt: skip
            happened.append(_ended(again, Control(again, dialect).run(text)))
    except ProgramError:
        return None
    return happened


def _ended(unit, outcome):
    moves = [(m.kind, tuple(np.round(m.end, 2)), round(m.feed), m.contact) for m in unit.motions]
    values = {key: tuple(np.round(value, 3)) for key, value in unit.offsets.items()}
    turns = {key: round(value, 3) for key, value in unit.turns.items()}
    return moves, values, turns, bool(outcome.alarm), outcome.ended, len(outcome.room_at_pauses), unit.probe_on


class _Odd:
    """Readings that are never the same twice."""

    def __init__(self):
        self.count = 0

    def normal(self, mean, _sigma):
        self.count += 1
        return mean + 0.01 * math.sin(7.0 * self.count)


def bodies_of(probed, off):
    """Stock and holding as planned, all of it ``off``."""
    shift = tuple(probed.located.tf_m_u.shift + off)
    part = transformed(probed.before.solid, probed.setup.orientation.matrix(), np.array(shift))
    return [Body("part", part), *(Body(block.name, block.solid().translate(shift)) for block in probed.holding.blocks)]


def survivors(count, seed=0):
    """Of ``count`` slips that change what happens, how many are noticed, and those that are not."""
    draw, passed, seen = random.Random(seed), [], 0
    plans = [(name, plan, trace(plan, probing_texts(plan, 1)[0].text)) for name, plan in programs()]
    turn = 0
    while seen < count:
        name, plan, happens = plans[turn % len(plans)]
        turn += 1
        original = probing_texts(plan, 1)[0].text
        made = slip(original, draw)
        if made is None or trace(plan, made[2]) == happens:
            continue
        seen += 1
        kind, line, text = made
        if not noticed(plan, text):
            old, new = (each.splitlines()[line - 1].strip() for each in (original, text))
            passed.append((kind, plan.job.machine.profile, name, old, new))
    return seen - len(passed), passed


if __name__ == "__main__":
    total = int(sys.argv[1])
    caught, left = survivors(total, int(sys.argv[2]) if len(sys.argv) > 2 else 0)
    for row in left:
        print(" | ".join(row))
    print(f"{caught} of {total} noticed, {Counter(row[0] for row in left).most_common()}")
