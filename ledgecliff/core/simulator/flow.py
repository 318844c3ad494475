"""Where a program goes next: conditions, loops, subprograms, jumps."""

from __future__ import annotations

from dataclasses import dataclass

from .blocks import Block, Program
from .expressions import ExpressionError, Parameters, evaluated

#: A program that jumps or loops more often than this is taken to hang.
MOST_JUMPS = 200_000
_DEEPEST = 20
#: Parameters that belong to a subprogram alone.
_LOCAL = range(1, 34)


@dataclass
class _Call:
    sub: int
    back_to: int
    saved: dict[int, float]
    #: How often the subprogram still runs after this time.
    more: int = 0
    #: What its own parameters begin with, None where it has none of its own.
    given: dict[int, float] | None = None


class Flow:
    """Follows the flow words of one program; ``parameters`` are the control's."""

    def __init__(self, program: Program, parameters: Parameters) -> None:
        self._program, self._parameters = program, parameters
        self._calls: list[_Call] = []
        self._repeats: dict[int, int] = {}
        self._jumps = 0

    def after(self, at: int, block: Block) -> int:
        """The line (from 0) after the flow word at ``at``."""
        self._jumps += 1
        if self._jumps > MOST_JUMPS:
            raise ExpressionError("the program goes round without an end")
        word = block.flow
        if word in ("IF", "ELSEIF", "ELSE", "ENDIF") and self._program.dialect.o_words:
            return self._if(at, word)
        match word:
            case "WHILE":
                return at + 1 if self._holds(block) else self._program.groups[at][-1] + 1
            case "ENDWHILE" | "END":
                return self._program.groups[at][0]
            case "REPEAT":
                return self._repeat(at, block)
            case "ENDREPEAT":
                return self._program.groups[at][0]
            case "SUB" | "PROGRAM":
                # Reached by running on: a subprogram is passed over, a heading is only a name.
                return self._program.groups[at][-1] + 1 if word == "SUB" else at + 1
            case "ENDSUB" | "RETURN":
                return self.back()
            case "CALL":
                given = {k: evaluated(value, self._parameters) for k, value in enumerate(block.arguments, start=1)}
                return self.call(block.label, at + 1, given)
            case "MACRO":
                sub, times = (round(evaluated(value, self._parameters)) for value in block.arguments)
                given = {int(number): evaluated(value, self._parameters) for number, value in block.assigns}  # type: ignore[arg-type]
                return self.call(sub, at + 1, given, times)
            case "IF":
                return self._line(block.arguments[1]) if self._holds(block) else at + 1
            case "GOTO":
                return self._line(block.arguments[0])
        raise ExpressionError(f"'{word}' is not supported")

    def _holds(self, block: Block) -> bool:
        return bool(evaluated(block.arguments[0], self._parameters))

    def _if(self, at: int, word: str) -> int:
        """Into the first branch that holds; past the others when a branch that was taken runs off its end."""
        group = self._program.groups[at]
        if word != "IF":
            return group[-1] + 1
        for branch in group:
            block = self._program.block(branch)
            if block.flow in ("ELSE", "ENDIF") or self._holds(block):
                return branch + 1
        raise AssertionError("an if always ends in endif")

    def _repeat(self, at: int, block: Block) -> int:
        left = self._repeats.pop(at, None)
        if left is None:
            left = int(evaluated(block.arguments[0], self._parameters))
        if left <= 0:
            return self._program.groups[at][-1] + 1
        self._repeats[at] = left - 1
        return at + 1

    def _line(self, label: object) -> int:
        number = int(label)  # type: ignore[call-overload]
        if number not in self._program.labels:
            raise ExpressionError(f"there is no line N{number} to go to")
        return self._program.labels[number]

    def call(self, sub: int, back_to: int, given: dict[int, float] | None, times: int = 1) -> int:
        """Into subprogram ``sub``, with local parameters of its own where some are ``given`` to it."""
        if sub not in self._program.subs:
            raise ExpressionError(f"there is no subprogram {sub}")
        if len(self._calls) >= _DEEPEST:
            raise ExpressionError("subprograms call each other too deeply")
        if times < 1:
            return back_to
        saved = {}
        if given is not None:
            saved = {number: self._parameters[number] for number in _LOCAL}
        self._calls.append(_Call(sub, back_to, saved, times - 1, given))
        self._give(given)
        return self._program.subs[sub] + 1

    def _give(self, given: dict[int, float] | None) -> None:
        """Each time anew: what the subprogram has made of them does not count the next time."""
        if given is not None:
            self._parameters.update({number: given.get(number, 0.0) for number in _LOCAL})

    def back(self) -> int:
        if not self._calls:
            raise ExpressionError("a return outside a subprogram")
        call = self._calls[-1]
        if call.more > 0:
            call.more -= 1
            self._give(call.given)
            return self._program.subs[call.sub] + 1
        self._calls.pop()
        self._parameters.update(call.saved)
        return call.back_to
