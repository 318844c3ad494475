"""What the words of one line of a toolpath program move: straight, along arcs, home, or through a drilling cycle.

Words are plain numbers in the unit in force.  What cannot be counted is told, or raised as ExpressionError.
"""

from __future__ import annotations

from ..simulator.arcs import PLANES, centre_by_radius
from ..simulator.expressions import ExpressionError
from .arcs import arc_extent, arc_length
from .duration import known_way, way
from .state import ARCS, DRILLING, State

Words = dict[str, float]
#: A cycle that is repeated more often is counted so often.
_MOST_REPEATS = 10_000


def move(state: State, words: Words, *, in_machine: bool) -> None:
    """A line with axis words, or with the centre of a whole circle."""
    named = _named(words)
    if in_machine:
        for axis, letter in enumerate("XYZ"):
            if letter in words:
                state.summary.machine_moves.take(axis, words[letter] * state.per_unit)
        state.lose(named)
        return
    if state.motion == -1:
        state.lose(named)
        raise ExpressionError("there are axis words but no motion word is active")
    _note(state, words)
    if {"X", "Y"} & words.keys():
        state.summary.turned.setdefault(state.turned, state.summary.lines)
    if state.distorted:
        state.clock.lost(state.summary.lines)
        return
    if state.motion in DRILLING:
        _drill(state, words)
        return
    start = list(state.at)
    _go(state, words)
    if state.motion in ARCS:
        _arc(state, words, start)
    elif state.motion == 0:
        state.clock.rapid(known_way(start, state.at))
    else:
        state.clock.fed(way(start, state.at), state.summary.lines)


def by_way_of(state: State, words: Words) -> None:
    """G28 and G30: over the point that is named, and from there home."""
    if not state.distorted and _named(words):
        if state.absolute:
            _note_where(state)
        for axis, value in _target(state, words, quiet=True).items():
            state.take(axis, value)
    state.lose(_named(words))


def _named(words: Words) -> str:
    return "".join(letter for letter in "XYZ" if letter in words)


def _note(state: State, words: Words) -> None:
    """The first move of a tool without a length: a feed move, or along Z before it ever had one."""
    use = state.use
    if not (state.has_length or use.bare) and (state.motion != 0 or ("Z" in words and not any(use.h))):
        use.bare = state.summary.lines
    _note_where(state)


def _note_where(state: State) -> None:
    """The first move before any offset and before any unit."""
    summary = state.summary
    if not state.offset and not summary.moved_before_offset:
        summary.moved_before_offset = summary.lines
    if not summary.units and not summary.moved_before_unit:
        summary.moved_before_unit = summary.lines


def _target(state: State, words: Words, *, quiet: bool = False) -> dict[int, float | None]:
    """Where the axes that are named go, in the WCS."""
    target: dict[int, float | None] = {}
    for axis, letter in enumerate("XYZ"):
        if letter not in words:
            continue
        base = state.shift(axis) if state.absolute else state.at[axis]
        if base is None and not (state.absolute or quiet):
            state.tell(f"{letter} moves on from a place that is not known")
        target[axis] = None if base is None else base + words[letter] * state.per_unit
    return target


def _go(state: State, words: Words) -> None:
    for axis, value in _target(state, words).items():
        state.go(axis, value)


def _arc(state: State, words: Words, start: list[float | None]) -> None:
    a, b, _ = PLANES[state.plane]
    ends = (start[a], start[b], state.at[a], state.at[b])
    if any(value is None for value in ends):
        raise ExpressionError("an arc from a place that is not known")
    start_a, start_b, end_a, end_b = (float(value) for value in ends if value is not None)
    begin, end, clockwise = (start_a, start_b), (end_a, end_b), state.motion == 20
    if "R" in words:
        centre = centre_by_radius(begin, end, words["R"] * state.per_unit, clockwise)
    else:
        to_centre = [words.get("IJK"[axis], 0.0) * state.per_unit for axis in (a, b)]
        centre = (start_a + to_centre[0], start_b + to_centre[1])
    low, high = arc_extent(begin, end, centre, clockwise)
    c = 3 - a - b
    rise = way(start[c : c + 1], state.at[c : c + 1])
    long = None if rise is None else arc_length(begin, end, centre, clockwise, rise)
    state.clock.fed(long, state.summary.lines)
    for axis, k in ((a, 0), (b, 1)):
        state.take(axis, low[k])
        state.take(axis, high[k])


def _drill(state: State, words: Words) -> None:
    """The holes' places, their bottom, the height they are come to from and the one that is gone back to."""
    if state.plane != "G17":
        state.lose()
        raise ExpressionError(f"a drilling cycle in {state.plane} is not counted")
    state.cycle |= {letter: words[letter] * state.per_unit for letter in "ZR" if letter in words}
    flat = {letter: words[letter] for letter in "XY" if letter in words}
    base = state.shift(2) if state.absolute else state.cycle_start
    if not {"Z", "R"} <= state.cycle.keys() or base is None:
        _go(state, flat)
        state.lose("Z")
        why = "from a height that is not known" if base is None else "without Z and R"
        raise ExpressionError(f"a drilling cycle {why}; its depth is not counted")
    retract = base + state.cycle["R"]
    bottom = (base if state.absolute else retract) + state.cycle["Z"]
    repeats = round(words.get("L", words.get("K", 1.0)))
    for _ in range(min(repeats, _MOST_REPEATS)):
        start = list(state.at)
        _go(state, flat)
        state.take(2, retract)
        state.take(2, bottom)
        down = 0.0 if start[2] is None else abs(start[2] - retract)
        state.clock.rapid(known_way(start[:2], state.at[:2]) + down + abs(retract - bottom))
        state.clock.fed(abs(retract - bottom), state.summary.lines)
        state.at[2] = retract
    if repeats > _MOST_REPEATS:
        state.tell(f"a drilling cycle is repeated {repeats} times; {_MOST_REPEATS} are counted")
    if repeats > 0:
        first = state.cycle_start
        back = retract if not state.back_to_start else None if first is None else max(first, retract)
        state.at[2] = back
