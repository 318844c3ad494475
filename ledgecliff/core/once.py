"""What is worked out once for a value, and forgotten with it."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar
from weakref import WeakKeyDictionary

Of = TypeVar("Of")
Result = TypeVar("Result")


def once_each(work: Callable[[Of], Result]) -> Callable[[Of], Result]:
    """``work`` done once for each value, as long as that value lives.

    The value is known by its identity (a dataclass with ``eq=False``), and the result must not hold it, or neither
    would ever go.
    """
    done: WeakKeyDictionary[Of, Result] = WeakKeyDictionary()

    @wraps(work)
    def once(of: Of) -> Result:
        if of not in done:
            done[of] = work(of)
        return done[of]

    return once
