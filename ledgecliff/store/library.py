"""The shop's library as everybody has it: in the shop's database, with a copy here for when that is away."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.library.things import changed_things, shop_of, things_of
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.shop import Shop

from .atomic import make_folder, write_atomic
from .register_place import is_there, register_place
from .shop import ShopFileError, fixtures_folder, for_library, from_library, read_shop, write_shop


def current_shop(place: Path | str | None = None, told: Callable[[str], None] = lambda _words: None) -> Shop:
    """As the shop's database has it; where that has none yet, or is away, this workstation's own copy, and then
    ``told`` why.  Raises ShopFileError."""
    try:
        return library(place)
    except ShopFileError:
        raise
    except LedgecliffError as error:
        told(f"{error} The library is as this workstation last saw it.")
        return read_shop()


def library(place: Path | str | None = None) -> Shop:
    """As the shop's database has it, and kept here; this workstation's own where that has none yet.

    Raises ShopDatabaseError where it cannot be read, and ShopFileError.
    """
    where = register_place() if place is None else place
    if not is_there(where):
        return read_shop()
    from .library_db import LibraryDb  # slow to import

    db = LibraryDb(where)
    try:
        things = db.things()
        if not things:
            return read_shop()
        shop = shop_of(things)
        for path, sha in _models(shop):
            if not path.is_file() or hashlib.sha256(path.read_bytes()).hexdigest() != sha:
                content = db.file(sha)
                if content is not None:
                    make_folder(path.parent)
                    write_atomic(path, content)
    finally:
        db.close()
    shop = from_library(shop)
    write_shop(shop)
    return shop


def keep_shop(before: Shop, after: Shop, place: Path | str | None = None) -> Path:
    """What is another in ``after`` than in ``before`` is written into the shop's database, and all of it here; where
    that is.

    Raises ThingChangedError where somebody else has changed one of the same things meanwhile, ShopDatabaseError,
    WriteError; then nothing is written.
    """
    from .library_db import LibraryDb

    one, other = things_of(for_library(before)), things_of(for_library(after))
    db = LibraryDb(register_place() if place is None else place)
    try:
        db.keep_files(path.read_bytes() for path, _ in _models(for_library(after)) if path.is_file())
        changes = changed_things(one, other) if db.things() else dict(other)
        db.write(one, changes)
    finally:
        db.close()
    return write_shop(after)


def _models(shop: Shop) -> Iterator[tuple[Path, str]]:
    """Where the models of its fixtures lie here, and what they must be."""
    for fixture in (*shop.machine.fixtures, *shop.fixtures):
        if isinstance(fixture, OwnFixture):
            for model in fixture.models:
                yield fixtures_folder() / model.path, model.sha256
