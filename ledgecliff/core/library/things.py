"""The library as things, each by itself: machine, fixtures, tools, probes, profiles, stations; and whole again.

What two people change at the same time hurts only where it is the same thing.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Literal, NamedTuple

from pydantic import JsonValue, ValidationError

from ..errors import InvalidValueError
from ..model.machine import Machine
from ..model.shop import Shop

ThingKind = Literal["shop", "machine", "station", "fixture", "tool", "probe", "profile", "parallels", "jaws"]
Body = Mapping[str, JsonValue]

#: Lists of a machine, and of the library itself, whose items are things of their own; what tells those apart.
_OF_MACHINE: tuple[tuple[str, ThingKind, str], ...] = (
    ("fixtures", "fixture", "name"), ("stations", "station", "id"), ("cutters", "tool", "tool"),
    ("more_probes", "probe", "tool"), ("profiles", "profile", "name"),
)  # fmt: skip
_OF_SHOP: tuple[tuple[str, ThingKind, str], ...] = (
    ("fixtures", "fixture", "name"), ("stations", "station", "id"), ("parallels", "parallels", "name"),
    ("jaws", "jaws", "name"),
)  # fmt: skip
#: Where what lies on no machine lies.
SHELF = "shelf"


class Key(NamedTuple):
    """Which thing: its kind, on which machine (its id) or on the shelf, and what tells it apart there."""

    kind: ThingKind
    where: str
    which: str


def things_of(shop: Shop) -> dict[Key, Body]:
    """Every thing of the library, with its place among those of its list."""
    plain = shop.model_dump(mode="json")
    machine = plain.pop("machine")
    found = dict(_taken(plain, SHELF, _OF_SHOP))
    found |= things_of_machine(shop.machine, machine)
    found[Key("shop", SHELF, "")] = plain
    return found


def things_of_machine(machine: Machine, plain: dict[str, JsonValue] | None = None) -> dict[Key, Body]:
    """Of one machine: itself without what is on it, and each thing on it."""
    left = machine.model_dump(mode="json") if plain is None else dict(plain)
    where = machine.id
    found = dict(_taken(left, where, _OF_MACHINE))
    found[Key("probe", where, "usual")] = {"thing": left.pop("probe"), "place": 0}
    found[Key("machine", where, "")] = left
    return found


def _taken(
    plain: dict[str, JsonValue], where: str, lists: tuple[tuple[str, ThingKind, str], ...]
) -> Iterator[tuple[Key, Body]]:
    """The things of some lists, which ``plain`` has no more afterwards."""
    for name, kind, by in lists:
        items = plain.pop(name)
        assert isinstance(items, list), "lists of the library are dumped as lists"
        for place, item in enumerate(items):
            assert isinstance(item, dict), "things are dumped as objects"
            yield Key(kind, where, str(item[by])), {"thing": item, "place": place}


def shop_of(things: Mapping[Key, Body]) -> Shop:
    """The whole library again.  Raises InvalidValueError where its things do not fit together."""
    shop = dict(things.get(Key("shop", SHELF, ""), {}))
    where = next((key.where for key in things if key.kind == "machine"), "")
    machine = dict(things.get(Key("machine", where, ""), {}))
    for plain, place, lists in ((machine, where, _OF_MACHINE), (shop, SHELF, _OF_SHOP)):
        for name, kind, _ in lists:
            plain[name] = _listed(things, place, kind)
    usual = things.get(Key("probe", where, "usual"), {})
    machine["probe"] = usual.get("thing")
    shop["machine"] = machine
    try:
        return Shop.model_validate(shop)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where_wrong = ", ".join(map(str, first["loc"])) or "library"
        raise InvalidValueError(f"shop's library, {where_wrong}", f"{first['msg']}; mend it in the library") from error


def _listed(things: Mapping[Key, Body], where: str, kind: ThingKind) -> list[JsonValue]:
    mine = [(key, body) for key, body in things.items() if (key.kind, key.where) == (kind, where)]
    mine = [(key, body) for key, body in mine if key.which != "usual"]
    return [body["thing"] for key, body in sorted(mine, key=lambda each: (_place(each[1]), each[0].which))]


def _place(body: Body) -> int:
    place = body.get("place")
    return place if isinstance(place, int) else 0


def same_thing(one: Body | None, other: Body | None) -> bool:
    """Where it stands in the list of its kind is not what it is."""
    if one is None or other is None:
        return one is other
    return _without_place(one) == _without_place(other)


def _without_place(body: Body) -> dict[str, JsonValue]:
    return {name: value for name, value in body.items() if name != "place"}


def changed_things(before: Mapping[Key, Body], after: Mapping[Key, Body]) -> dict[Key, Body | None]:
    """What is another by then; None what is gone."""
    changed: dict[Key, Body | None] = {key: body for key, body in after.items() if before.get(key) != body}
    return changed | dict.fromkeys(key for key in before if key not in after)


def thing_name(key: Key, body: Body | None) -> str:
    """What it is called."""
    thing = (body or {}).get("thing", body)
    name = thing.get("name") if isinstance(thing, dict) else None
    match key.kind:
        case "shop":
            return "how new jobs begin"
        case "probe":
            tool = thing.get("tool") if isinstance(thing, dict) else None
            return f"probe T{tool if tool is not None else key.which}"
        case "tool":
            return f"T{key.which}{f' {name}' if name else ''}"
        case _:
            return str(name or key.which)


def leaves(value: JsonValue | Body, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], JsonValue]]:
    """Every value of a thing by where it stands in it; a list is one value."""
    if isinstance(value, Mapping) and value:
        for name, each in value.items():
            yield from leaves(each, (*path, name))
    else:
        yield path, value  # type: ignore[misc]


def said_difference(mine: Body | None, theirs: Body | None, here: str = "here", there: str = "there") -> str:
    """Both values of what differs, side by side."""
    if mine is None or theirs is None:
        return "it is gone" if theirs is None else "it was taken out here"
    one, other = dict(leaves(mine)), dict(leaves(theirs))
    paths = [path for path in dict.fromkeys((*one, *other)) if one.get(path) != other.get(path) and path != ("place",)]
    told = [f"{_words(path)}: {here} {_shown(one.get(path))}, {there} {_shown(other.get(path))}" for path in paths]
    return "; ".join(told[:_TOLD]) + (f" and {len(told) - _TOLD} more" if len(told) > _TOLD else "")


#: So many differences are told, and so much of a value (characters).
_TOLD, _LONGEST = 6, 60


def _words(path: tuple[str, ...]) -> str:
    return " ".join(path[1:] if path[:1] == ("thing",) else path).replace("_", " ")


def _shown(value: JsonValue) -> str:
    text = f"{value:g}" if isinstance(value, float) else "nothing" if value is None else str(value)
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"
