"""Rules about steps beside the machine: that each does what it is there for, and that no joint is trusted."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d
import numpy as np

from ..blanks import transformed
from ..finding import Finding
from ..fixture_making import fixture_cut
from ..frames import Array
from ..holding.flat_beds import FENCE
from ..holding.stops import SAME
from ..in_process.bench import BenchDone, glued_block
from ..model.bench import CutTabs, Fill, Glue, MakeFixture, Saw, TakeOut
from ..model.holding import BoardHold, SoftJaws, Spoilboard, ViseHold
from ..plan import Plan
from ..programs.fixture_program import rings_of
from ..quantities import said, said_volume

#: Nothing nearer than this is looked for (mm).
_FAR = 200.0
#: Less than this is rounding (mm³), and a joint of less than this holds nothing (mm²).
_CRUMB, _NO_JOINT = 1.0, 1.0
#: A joint counts as cut through where so much of it goes (mm²), seen this near to its plane (mm).
_CUT_THROUGH, _SKIN = 1.0, 0.02


def _steps(plan: Plan) -> Iterator[tuple[int, BenchDone, str]]:
    """Each step, the number of the setup it comes before, and that setup's name; of the last one after all of them."""
    for index, done in enumerate(plan.bench):
        name = plan.job.setups[min(index, len(plan.job.setups) - 1)].name
        for each in done:
            yield index, each, name


def nothing_made(plan: Plan) -> Iterator[Finding]:
    """A fixture is made where there is one to be cut, and with a cutter that goes into it."""
    for _, done, setup in _steps(plan):
        step = done.step
        if not isinstance(step, MakeFixture):
            continue
        cut = fixture_cut(plan, step)
        if cut is None:
            yield Finding(
                "FIXTURE_NOTHING_TO_MAKE", "error", setup,
                f"'{step.name}' cuts nothing: {setup} is held in no soft jaws, jig, dowels on a plate or fence on a "
                "board that stands square, and on no level support.",
                "Hold it in one of them, or take the step out.", about=step.name,
            )  # fmt: skip
            continue
        cutter = cut.setup.machine.cutter(step.tool)
        narrow = [
            pocket.name for pocket in cut.sunk if not rings_of(pocket, (cutter.diameter if cutter else 0.0) / 2.0)
        ]
        narrow += [bore.name for bore in cut.bored if cutter is not None and bore.diameter < cutter.diameter - 1e-6]
        if narrow:
            yield Finding(
                "FIXTURE_CUTTER_TOO_WIDE", "error", setup,
                f"'{step.name}': T{step.tool} does not go into {' and '.join(narrow)}.",
                "Use a thinner cutter.", about=step.name,
            )  # fmt: skip


def jaws_not_cut(plan: Plan) -> Iterator[Finding]:
    """A zero that follows from soft jaws counts on their being cut in place, in this very zero."""
    made = {each.before for each in plan.job.bench if isinstance(each, MakeFixture)}
    for setup in plan.setups:
        hold, datum, name = setup.setup.hold, setup.setup.datum, setup.setup.name
        soft = isinstance(hold, ViseHold) and isinstance(hold.jaws, SoftJaws)
        sources = {datum.x.source, datum.y.source}
        if soft and "fixture value" in sources and setup.setup.id not in made:
            yield Finding(
                "JAWS_NOT_CUT_IN_PLACE", "warning", name,
                f"{name} takes its zero from the vise's place, and its part lies in soft jaws: that counts on their "
                "having been cut in place.",
                "Cut them in place in a step of the route (make the fixture), or probe the part or a bore in the jaws.",
            )  # fmt: skip


def fences(plan: Plan) -> Iterator[Finding]:
    """A fence is true once it is cut in place, and stands on its board."""
    made = {each.before for each in plan.job.bench if isinstance(each, MakeFixture)}
    for setup in plan.setups:
        hold, name, board = setup.setup.hold, setup.setup.name, setup.holding.fixture
        if not isinstance(hold, BoardHold) or hold.fence is None or not isinstance(board, Spoilboard):
            continue
        if setup.setup.id not in made:
            yield Finding(
                "FENCE_NOT_CUT", "warning", name,
                f"{name}: stock lies against a fence that no step cuts true: its direction and place are as well known "
                "as the strip was laid by hand.",
                "Cut it in place in a step of the route (make the fixture).",
            )  # fmt: skip
        block = setup.holding.block(FENCE)
        assert block is not None, "a hold with a fence has its block"
        u_stock = transformed(setup.before.solid, setup.setup.orientation.matrix())
        gap = float(u_stock.min_gap(block.solid(), _FAR))
        if gap > SAME:
            yield Finding(
                "FENCE_MEETS_NOTHING", "error", name,
                f"{name}: the fence, {said(hold.fence.height)} over the board, does not meet the stock: "
                f"{'they are far apart' if gap >= _FAR else f'{said(gap)} lie between them'}, and it gives no place.",
                "Make it as high as the wall it is to meet and long enough to reach it, or put it at another side.",
            )  # fmt: skip
        ends = np.abs([setup.holding.tf_s_u(np.array(end)) for end in (block.low, block.high)]).max(axis=0)
        beyond = max(float(ends[0]) - board.length / 2.0, float(ends[1]) - board.width / 2.0)
        if beyond > 1e-9:
            yield Finding(
                "FENCE_OFF_BOARD", "error", name,
                f"{name}: the fence reaches {said(beyond)} beyond {board.name}: there is nothing to screw it to.",
                "Make it shorter or narrower, or lay the stock further in.",
            )  # fmt: skip


def sawn_wrong(plan: Plan) -> Iterator[Finding]:
    for _, done, setup in _steps(plan):
        if not isinstance(done.step, Saw):
            continue
        name, into = done.step.name, float((done.gone ^ plan.geometry.solid).volume())
        if into > _CRUMB:
            yield Finding(
                "SAW_INTO_PART", "error", setup,
                f"'{name}' saws {said_volume(into)} off the finished part.",
                "Saw further out, or off another side.", about=name,
            )  # fmt: skip
        elif float(done.gone.volume()) <= _CRUMB:
            yield Finding(
                "SAW_MEETS_NOTHING", "warning", setup,
                f"'{name}' saws off nothing: the stock does not reach so far.",
                "Correct where it saws, or take the step out.", about=name,
            )  # fmt: skip


def glued_wrong(plan: Plan) -> Iterator[Finding]:
    for index, done, setup in _steps(plan):
        step = done.step
        if not isinstance(step, Glue):
            continue
        name, into = step.name, float((glued_block(step) ^ done.before.solid).volume())
        if into > _CRUMB:
            yield Finding(
                "GLUED_INTO_STOCK", "error", setup,
                f"What '{name}' puts on stands {said_volume(into)} in the stock that is there.",
                "Put it beside the stock, against the face that it is glued to.", about=name,
            )  # fmt: skip
        elif done.joint < _NO_JOINT:
            yield Finding(
                "GLUE_MEETS_NOTHING", "error", setup,
                f"What '{name}' puts on does not lie flat against the stock anywhere: nothing holds it.",
                "Put it against a flat face of the stock.", about=name,
            )  # fmt: skip
        elif not _cut_through(plan, index, done):
            yield Finding(
                "JOINT_TRUSTED", "warning", setup,
                f"No later setup cuts through the joint of '{name}': what was cut on either side counts on how well "
                "it was put together by hand.",
                "Cut what must match on both sides after it is glued, or register both pieces with dowels.", about=name,
            )  # fmt: skip


def _cut_through(plan: Plan, index: int, done: BenchDone) -> bool:
    """Whether any later operation takes away some of the joint."""
    assert isinstance(done.step, Glue), "only what is glued has a joint"
    joints = list(_joints(done.before.solid, glued_block(done.step)))
    for setup in plan.setups[index:]:
        for k in range(len(setup.setup.operations)):
            removed = setup.cutting.removed(k)
            for turn, level, joint in joints:
                upright = transformed(removed, turn)
                for side in (-_SKIN, _SKIN):
                    if float((upright.slice(level + side) ^ joint).area()) > _CUT_THROUGH:
                        return True
    return False


def _joints(
    stock: manifold3d.Manifold, piece: manifold3d.Manifold
) -> Iterator[tuple[Array, float, manifold3d.CrossSection]]:
    """Where the piece lies flat against the stock: what turns that plane level, its height then, and the area."""
    for k in range(3):
        turn = np.roll(np.eye(3), 2 - k, axis=0)  # (x, y, z) so that axis k is up, without mirroring
        upright, other = transformed(stock, turn), transformed(piece, turn)
        low, high = (float(np.array(other.bounding_box()).reshape(2, 3)[end, 2]) for end in (0, 1))
        for level, out in ((low, -1.0), (high, 1.0)):
            area = other.slice(level - out * _SKIN) ^ upright.slice(level + out * _SKIN)
            if float(area.area()) > _NO_JOINT:
                yield turn, level, area


def filled_wrong(plan: Plan) -> Iterator[Finding]:
    for _, done, setup in _steps(plan):
        step = done.step
        if isinstance(step, Fill) and float(done.added.volume()) <= _CRUMB:
            yield Finding(
                "FILL_NOTHING", "warning", setup,
                f"'{step.name}' fills nothing: nothing was cut for '{step.feature}' before, or it is full.",
                "Put the step after the operation that cuts it.", about=step.name,
            )  # fmt: skip
        if isinstance(step, TakeOut) and float(done.gone.volume()) <= _CRUMB:
            yield Finding(
                "FILLER_NOT_THERE", "warning", setup,
                f"'{step.name}' takes nothing out of '{step.feature}': no filler is in it.",
                "Put the step after the one that fills it.", about=step.name,
            )  # fmt: skip
    yield from _stays_in(plan)


def _stays_in(plan: Plan) -> Iterator[Finding]:
    """Filler that is still in at the end."""
    for _, done, setup in _steps(plan):
        if not isinstance(done.step, Fill):
            continue
        left = done.added ^ plan.finished.solid
        over = float((left - plan.geometry.solid).volume())
        if over > _CRUMB:
            yield Finding(
                "FILLER_STAYS", "warning", setup,
                f"{said_volume(over)} of what '{done.step.name}' fills are still in '{done.step.feature}' at the end.",
                "Take it out again, after what it bears is cut.", about=done.step.name,
            )  # fmt: skip


def tabs_not_there(plan: Plan) -> Iterator[Finding]:
    for _, done, setup in _steps(plan):
        if isinstance(done.step, CutTabs) and float(done.gone.volume()) <= _CRUMB:
            yield Finding(
                "NO_TABS_TO_CUT", "warning", setup,
                f"'{done.step.name}' cuts nothing: no outline before it was left on tabs.",
                "Put it after the setup that cuts the outline in a slot, or take it out.", about=done.step.name,
            )  # fmt: skip


RULES = (nothing_made, jaws_not_cut, fences, sawn_wrong, glued_wrong, filled_wrong, tabs_not_there)
