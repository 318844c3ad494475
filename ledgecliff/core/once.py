"""What is worked out once for a value, and forgotten with it.

Plans are looked at by the window and by a thread of it at the same time, and neither may wait for the other here.
What both work out at once comes to the same, since nothing of a plan changes.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, Generic, TypeVar, overload
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


class lazy(Generic[Result]):  # noqa: N801 - read as the decorator that it is
    """An attribute that is worked out when it is first asked for.

    Python 3.11's own ``cached_property`` locks it for all instances meanwhile: an older plan's would hold up a newer's.
    """

    def __init__(self, work: Callable[[Any], Result]) -> None:
        self._work, self._name, self.__doc__ = work, work.__name__, work.__doc__

    @overload
    def __get__(self, of: None, owner: type) -> lazy[Result]: ...

    @overload
    def __get__(self, of: object, owner: type) -> Result: ...

    def __get__(self, of: object | None, owner: type) -> lazy[Result] | Result:
        if of is None:
            return self
        # Found there from now on, before this is asked; frozen values keep it too.
        made: Result = of.__dict__.setdefault(self._name, self._work(of))
        return made
