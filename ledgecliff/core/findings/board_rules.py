"""Rules about what is cut into a bare board or into a fixture, in work offsets of its own, and about zero marks."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..changing import Path
from ..finding import Finding, fix
from ..model.bench import MakeFixture
from ..model.holding import BoardHold, Spoilboard
from ..model.operations import PinBores
from ..model.work_offsets import code_of
from ..plan import Plan
from ..programs.targets import free_code
from ..quantities import said
from ..setup_plan import SetupPlan


def board_offsets(plan: Plan) -> Iterator[Finding]:
    """The offset for the bare board must be there, and hold no setup's zero but that of the setup that works in it."""
    for setup in plan.setups:
        name, machine = setup.setup.name, setup.machine
        for what, words, path in (*_of_board(setup), *_of_fixture(plan, setup)):
            code, free = code_of(machine, words), free_code(plan.job, machine)
            fixes = () if free is None else (fix(f"{free} for {what}", path, free),)
            others = [
                each.name
                for each in plan.job.setups
                if each.id != setup.setup.id and each.machine == machine.id and code_of(machine, each.offset) == code
            ]
            if code is None:
                yield Finding(
                    "BOARD_OFFSET_UNKNOWN", "error", name,
                    f"{name}: {what} is cut in {words}, which {machine.name} does not have.",
                    "Name an offset that the control has.", fixes, about=what,
                )  # fmt: skip
            elif others:
                yield Finding(
                    "BOARD_OFFSET_SHARED", "error", name,
                    f"{name}: {what} is cut in {words}, in which {' and '.join(others)} keeps its zero: one overwrites "
                    "the other.",
                    "Use another offset for it.", fixes, about=what,
                )  # fmt: skip


def _of_board(setup: SetupPlan) -> Iterator[tuple[str, str, Path]]:
    """What a setup cuts into the bare board in an offset of its own: in words, the offset, and where it is said."""
    path, hold = ("setups", setup.index), setup.setup.hold
    for k, made in enumerate(setup.setup.operations):
        if isinstance(made, PinBores) and made.board_offset is not None:
            yield f"'{made.name}'", made.board_offset, (*path, "operations", k, "board_offset")
    if isinstance(hold, BoardHold) and hold.mark is not None and hold.mark.offset is not None:
        yield "the zero mark", hold.mark.offset, (*path, "hold", "mark", "offset")


def _of_fixture(plan: Plan, setup: SetupPlan) -> Iterator[tuple[str, str, Path]]:
    for k, step in enumerate(plan.job.bench):
        if isinstance(step, MakeFixture) and step.before == setup.setup.id:
            yield f"'{step.name}'", step.offset, ("bench", k, "offset")


def zero_marks(plan: Plan) -> Iterator[Finding]:
    """A mark is on its board, no deeper than that may be cut, and seen once the stock lies there."""
    for setup in plan.setups:
        hold, board, name = setup.setup.hold, setup.holding.fixture, setup.setup.name
        if not isinstance(hold, BoardHold) or hold.mark is None or not isinstance(board, Spoilboard):
            continue
        mark, zero = hold.mark, setup.wcs.u_origin
        if mark.depth > board.may_cut + 1e-9:
            yield Finding(
                "ZERO_MARK_TOO_DEEP", "error", name,
                f"{name}: the zero mark is cut {said(mark.depth)} into {board.name}, which may be cut "
                f"{said(board.may_cut)} deep.",
                "Cut it less deep.",
                (fix(f"{said(board.may_cut)} deep", ("setups", setup.index, "hold", "mark", "depth"), board.may_cut),)
                if board.may_cut > 0.0 else (),
            )  # fmt: skip
        s_zero = np.abs(setup.holding.tf_s_u(zero))
        beyond = max(float(s_zero[0]) - board.length / 2.0, float(s_zero[1]) - board.width / 2.0) + mark.arm
        if beyond > 1e-9:
            yield Finding(
                "ZERO_MARK_OFF_BOARD", "error", name,
                f"{name}: the zero mark reaches {said(beyond)} beyond {board.name}: there is no board where X0 and Y0 "
                "are.",
                "Put the zero over the board, or make the arms shorter.",
            )  # fmt: skip
            continue
        low, high = setup.holding.u_stock
        if bool((zero[:2] - mark.arm >= low[:2]).all() and (zero[:2] + mark.arm <= high[:2]).all()):
            yield Finding(
                "ZERO_MARK_COVERED", "note", name,
                f"{name}: the zero mark lies under the blank: it is seen only while the board is bare.",
                "Put the zero beside the blank where it is to be found again while that lies there.",
            )  # fmt: skip


RULES = (board_offsets, zero_marks)
