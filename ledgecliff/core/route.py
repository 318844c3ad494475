"""The route: one scene for the blank, for every setup and every turn, and for the finished part."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from .blanks import stock_size
from .datums import datum_words
from .frames import Turn
from .in_process.bench import BenchDone
from .lenses import SceneKind
from .model.bench import MakeFixture
from .once import once_each
from .plan import Plan
from .quantities import said_bare, said_volume
from .turns.turn_plan import turns_of


@dataclass(frozen=True)
class Scene:
    """One picture of the route; ``setup`` is the index of its setup, or of the one a turn leads to, ``step`` the id of
    a step beside the machine.

    ``caption`` may hold lengths to be spelled in the unit that is shown.
    """

    kind: SceneKind
    title: str
    caption: str
    detail: str
    setup: int | None = None
    step: str = ""


@once_each
def scenes_of(plan: Plan) -> tuple[Scene, ...]:
    """The pictures of the route: the blank, every setup with the turn that leads to it, the finished part."""
    job = plan.job
    stock = _size_words(stock_size(job.stock, plan.models.stock))
    scenes = [Scene("stock", "Stock", stock, job.stock.material)]
    # As they lie once a tilted station has had its say.
    lying = [each.setup.orientation for each in plan.setups]
    for index, setup in enumerate(job.setups):
        scenes += _beside(plan, index)
        if index:
            turn = Turn(lying[index - 1], lying[index])
            registered = f"registered by {_registered_by(plan, index)}"
            scenes.append(Scene("turn", "Turn", turn.in_shop_words(), registered, index))
        scenes.append(Scene("setup", setup.name, setup.side, setup.offset, index))
    scenes += _beside(plan, len(job.setups))
    part = _size_words(plan.geometry.high - plan.geometry.low)
    scenes.append(Scene("finished", "Finished", part, job.part.name))
    return tuple(scenes)


def _beside(plan: Plan, index: int) -> list[Scene]:
    """What is done beside the machine before a setup, or after all of them."""
    return [
        Scene("bench", each.step.name, _changes(each), f"wait {wait_words(each.step.wait)}" if each.step.wait else "",
              step=each.step.id)
        for each in plan.bench[index]
    ]  # fmt: skip


def _changes(done: BenchDone) -> str:
    if isinstance(done.step, MakeFixture):
        return f"T{done.step.tool} · {done.step.offset}"
    if not done.added.is_empty():
        return f"{said_volume(float(done.added.volume()))} come on"
    return "" if done.gone.is_empty() else f"{said_volume(float(done.gone.volume()))} go"


def wait_words(minutes: float) -> str:
    """A wait as it is said: in minutes, from two hours on in hours."""
    return f"{minutes:g} min" if minutes < 120.0 else f"{minutes / 60.0:.3g} h"


def _size_words(size: Iterable[float]) -> str:
    return " × ".join(said_bare(float(value)) for value in size)


def _registered_by(plan: Plan, index: int) -> str:
    way, setup = turns_of(plan)[index - 1].way, plan.setups[index].setup
    if way in ("dowel pins", "interlocking frame", "two-pocket jig"):
        return way
    names = [datum_words("x", setup.datum.x), datum_words("y", setup.datum.y)]
    return names[0] if names[0] == names[1] else f"{names[0]} and {names[1]}"
