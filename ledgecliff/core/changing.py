"""The one way to change a job, or the shop: a value at a path gives another, fully checked one.

A path is the fields and places that lead to a value, as in
``("setups", 0, "hold", "parallels_height")``.  The job that was there before is untouched.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import count
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from .errors import InvalidValueError

Path = tuple[str | int, ...]
#: A whole document that checks itself: a job, or the shop's library.
Whole = TypeVar("Whole", bound=BaseModel)


def value_at(model: BaseModel, path: Path) -> Any:
    """The value at a path; None as well below something that is not there."""
    value: Any = model
    for step in path:
        if value is None:
            return None
        value = value[step] if isinstance(step, int) else getattr(value, step)
    return value


def path_words(path: Path) -> str:
    """The path as a person would say it: ``setup 1, hold, parallels height``."""
    words: list[str] = []
    for step in path:
        if isinstance(step, int):
            words[-1] = f"{words[-1].removesuffix('s')} {step + 1}"
        else:
            words.append(step.replace("_", " "))
    return ", ".join(words)


def set_value(model: Whole, path: Path, value: Any) -> Whole:
    """A job or shop with ``value`` at ``path``.  Raises InvalidValueError, naming the field, when it cannot be."""
    changed = _replaced(model, path, value)
    try:
        return type(model).model_validate(changed)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = field_path(first["loc"]) or path
        raise InvalidValueError(path_words(where), problem_words(first["msg"])) from error


def changed(model: Whole, fields: dict[str, object]) -> Whole:
    """A job or shop with several of its fields exchanged at once.  Raises InvalidValueError as ``set_value`` does."""
    data = {name: fields.get(name, getattr(model, name)) for name in type(model).model_fields}
    try:
        return type(model).model_validate({name: _plain(value) for name, value in data.items()})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidValueError(path_words(field_path(first["loc"])), problem_words(first["msg"])) from error


#: Fields that hold one of several kinds of thing: validation puts the kind's tag after them.
_TAGGED = ("hold", "jaws", "shape", "stock")


def field_path(location: tuple[str | int, ...]) -> Path:
    """Where a validation error lies, without the tags of kinds that no field is called by."""
    path: list[str | int] = []
    skip = False
    for place, step in enumerate(location):
        if skip and isinstance(step, str):
            skip = False
            continue
        # A stock inside of a setup's fields would be something else; only the job's own has kinds.
        skip = (step in _TAGGED and (step != "stock" or place == 0)) or (
            isinstance(step, int) and place > 0 and location[place - 1] in ("operations", "fixtures", "carriers")
        )
        path.append(step)
    return tuple(path)


def problem_words(message: str) -> str:
    """A validation message in our own voice."""
    return message.removeprefix("Value error, ").replace("Input should be", "must be")


def _replaced(model: Any, path: Path, value: Any) -> Any:
    """``model`` with the value exchanged, ready to be validated: plain data along the path, and what lies beside it as
    it is, so that it stays the same object and what hangs on it is not worked out again."""
    if not path:
        return _plain(tuple(value) if isinstance(value, list) else value)
    step, rest = path[0], path[1:]
    if model is None:
        return {step: _replaced(None, rest, value)}
    if isinstance(step, int):
        return [_replaced(item, rest, value) if k == step else item for k, item in enumerate(model)]
    return {
        name: _replaced(getattr(model, name), rest, value) if name == step else getattr(model, name)
        for name in type(model).model_fields
    }


def add_item(model: Whole, path: Path, item: BaseModel, at: int | None = None) -> Whole:
    """``item`` put into the list at ``path``, at its end or before place ``at``."""
    items = list(value_at(model, path))
    items.insert(len(items) if at is None else at, item)
    return set_value(model, path, items)


def remove_item(model: Whole, path: Path, index: int) -> Whole:
    items = list(value_at(model, path))
    del items[index]
    return set_value(model, path, items)


def move_item(model: Whole, path: Path, index: int, by: int) -> Whole:
    """The item at ``index`` moved ``by`` places; at an end it stays."""
    items = list(value_at(model, path))
    to = min(max(index + by, 0), len(items) - 1)
    items.insert(to, items.pop(index))
    return set_value(model, path, items)


def free_name(stem: str, taken: Iterable[str]) -> str:
    """``stem``, or with the first number that makes it one of its own."""
    used = set(taken)
    return stem if stem not in used else next(n for k in count(2) if (n := f"{stem} {k}") not in used)


def _plain(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump()
    return [_plain(item) for item in value] if isinstance(value, tuple) else value
