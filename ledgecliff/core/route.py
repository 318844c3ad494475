"""The route: one scene for the blank, for every setup and every turn, and for the finished part."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from .blanks import stock_size
from .datums import datum_words
from .frames import Turn
from .lenses import SceneKind
from .once import once_each
from .plan import Plan
from .quantities import said_bare
from .turns.turn_plan import turns_of


@dataclass(frozen=True)
class Scene:
    """One picture of the route; ``setup`` is the index of its setup, or of the one a turn leads to.

    ``caption`` may hold lengths to be spelled in the unit that is shown.
    """

    kind: SceneKind
    title: str
    caption: str
    detail: str
    setup: int | None = None


@once_each
def scenes_of(plan: Plan) -> tuple[Scene, ...]:
    """The pictures of the route: the blank, every setup with the turn that leads to it, the finished part."""
    job = plan.job
    stock = _size_words(stock_size(job.stock, plan.models.stock))
    scenes = [Scene("stock", "Stock", stock, job.stock.material)]
    # As they lie once a tilted station has had its say.
    lying = [each.setup.orientation for each in plan.setups]
    for index, setup in enumerate(job.setups):
        if index:
            turn = Turn(lying[index - 1], lying[index])
            registered = f"registered by {_registered_by(plan, index)}"
            scenes.append(Scene("turn", "Turn", turn.in_shop_words(), registered, index))
        scenes.append(Scene("setup", setup.name, setup.side, setup.offset, index))
    part = _size_words(plan.geometry.high - plan.geometry.low)
    scenes.append(Scene("finished", "Finished", part, job.part.name))
    return tuple(scenes)


def _size_words(size: Iterable[float]) -> str:
    return " × ".join(said_bare(float(value)) for value in size)


def _registered_by(plan: Plan, index: int) -> str:
    way, setup = turns_of(plan)[index - 1].way, plan.setups[index].setup
    if way in ("dowel pins", "interlocking frame", "two-pocket jig"):
        return way
    names = [datum_words("x", setup.datum.x), datum_words("y", setup.datum.y)]
    return names[0] if names[0] == names[1] else f"{names[0]} and {names[1]}"
