"""The remedies that are offered: of each finding the first that was tried and cures, and one for all that are alike."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from ..errors import CancelledError
from ..finding import Finding, Fix, Severity
from ..model.shop import Shop
from ..plan import Plan
from ..quantities import Unit, spell
from .leaves import leaves
from .tried import Judge, tried
from .worth_trying import worth_trying


@dataclass(frozen=True)
class Remedy:
    """A fix that was tried and cures.

    ``also_gone`` counts what goes with its finding, ``come`` names how bad the milder ones are that come; ``left`` is
    the figure of its finding afterwards, with lengths to be spelled.  ``everywhere`` cures the like findings of other
    setups as well.
    """

    fix: Fix
    also_gone: int
    come: tuple[Severity, ...]
    left: str
    everywhere: Fix | None = None

    def words(self, unit: Unit) -> str:
        """What it clears, leaves and brings."""
        clears = f"Clears this and {self.also_gone} more" if self.also_gone else "Clears this"
        leaves_words = f", leaves {spell(self.left, unit)}" if self.left else ""
        kinds = {kind: self.come.count(kind) for kind in dict.fromkeys(self.come)}
        brings = " and ".join(f"{count} {kind}{'s' if count > 1 else ''}" for kind, count in kinds.items())
        return f"{clears}{leaves_words}{f'; brings {brings}' if brings else ''}."


def remedies_of(
    plan: Plan,
    found: Sequence[Finding],
    judge: Judge,
    shop: Shop | None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[tuple[int, Remedy | None]]:
    """The place of each of ``found`` that something is worth trying for, with its remedy or None, as they become known.

    ``judge`` finds all there is against a changed plan; ``shop`` is what is owned.  A finding that has one for several
    setups comes again with it.  Raises CancelledError once ``cancelled``.
    """
    known: dict[int, Remedy] = {}
    for place, finding in enumerate(found):
        any_tried = False
        remedy = None
        for fix in worth_trying(plan, finding, shop, cancelled):
            if cancelled():
                raise CancelledError
            any_tried = True
            done = tried(plan, found, (finding,), fix, judge)
            if done is not None:
                remedy = Remedy(fix, done.also_gone, done.come, leaves(done.plan, finding))
                break
        if remedy is not None:
            known[place] = remedy
        if any_tried:
            yield place, remedy
    yield from _everywhere(plan, found, judge, known, cancelled)


def _everywhere(
    plan: Plan,
    found: Sequence[Finding],
    judge: Judge,
    known: dict[int, Remedy],
    cancelled: Callable[[], bool],
) -> Iterator[tuple[int, Remedy]]:
    """Like findings of several setups whose remedies, each another change, cure together."""
    for code in dict.fromkeys(found[place].code for place in known):
        places = [place for place in known if found[place].code == code]
        fixes = _one_for_each_setup(found, places, known)
        changes = tuple(dict.fromkeys(change for fix in fixes for change in fix.changes))
        if len(fixes) < 2 or changes == fixes[0].changes or _collide(changes):
            continue
        if cancelled():
            raise CancelledError
        both = Fix(f"In all {len(fixes)} setups", changes, any(fix.promise for fix in fixes))
        if tried(plan, found, [found[place] for place in places], both, judge) is not None:
            for place in places:
                yield place, replace(known[place], everywhere=both)


def _one_for_each_setup(found: Sequence[Finding], places: Sequence[int], known: dict[int, Remedy]) -> list[Fix]:
    """Of the remedies for one setup's findings the one that clears most."""
    best: dict[str, Remedy] = {}
    for place in places:
        mine, setup = known[place], found[place].setup
        if setup not in best or mine.also_gone > best[setup].also_gone:
            best[setup] = mine
    return [remedy.fix for remedy in best.values()]


def _collide(changes: Sequence[tuple[tuple[str | int, ...], object]]) -> bool:
    """Whether two of them would put different values in one place."""
    paths = [path for path, _ in changes]
    return len(set(paths)) < len(paths)
