"""The shop's library as a file of the user's own; without one, the library that ships is used."""

from __future__ import annotations

import json
from collections.abc import Callable
from importlib import resources
from pathlib import Path

import platformdirs
from pydantic import ValidationError

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.holding import Fixture
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.shop import SHOP_VERSION, Shop

from .atomic import write_atomic
from .job_files import first_problem
from .migrations import migrated_shop
from .part_models import carry_fixture


class ShopFileError(LedgecliffError, ValueError):
    """A shop library that cannot be read; the file is left as it is."""


def shop_file() -> Path:
    return Path(platformdirs.user_config_dir("ledgecliff")) / "shop.json"


def shipped_shop() -> Shop:
    """The library of the Brackwater Tide Works."""
    text = (resources.files("ledgecliff") / "resources" / "shop.json").read_text(encoding="utf-8")
    return Shop.model_validate_json(text)


def read_shop() -> Shop:
    """The user's library, or the shipped one where there is none.  Raises ShopFileError."""
    path = shop_file()
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        return shipped_shop()
    except (OSError, UnicodeDecodeError) as error:
        raise ShopFileError(f"The shop library '{path}' cannot be read: {error}.") from error
    try:
        data = json.loads(text)
        version = data.get("version") if isinstance(data, dict) else None
        if isinstance(version, int) and version > SHOP_VERSION:
            raise ShopFileError(
                f"The shop library '{path}' is of version {version}; this program reads up to {SHOP_VERSION}. "
                "Use a newer Ledgecliff, or move it away."
            )
        shop = Shop.model_validate(migrated_shop(data) if isinstance(data, dict) else data)
        return from_library(shop)
    except ShopFileError:
        raise
    except ValidationError as error:
        raise ShopFileError(f"The shop library '{path}': {first_problem(error)} Correct it or move it away.") from error
    except ValueError as error:
        raise ShopFileError(f"The shop library '{path}' is no whole JSON document: {error}.") from error


def for_shop(fixture: Fixture, folder: Path) -> Fixture:
    """A fixture as the library can keep it: models of its own are copied from beside ``folder`` to beside the library.
    Raises WriteError or ModelFileError."""
    if not isinstance(fixture, OwnFixture):
        return fixture
    place = fixtures_folder()
    place.mkdir(parents=True, exist_ok=True)
    return _each_model(carry_fixture(fixture, folder, place), lambda path: str(place / path))


def fixtures_folder() -> Path:
    return shop_file().parent / "fixtures"


def _each_model(fixture: Fixture, change: Callable[[str], str]) -> Fixture:
    if not isinstance(fixture, OwnFixture):
        return fixture
    return fixture.with_models(lambda model: model.model_copy(update={"path": change(model.path)}))


def _with_models(shop: Shop, change: Callable[[str], str]) -> Shop:
    machine = shop.machine.model_copy(
        update={"fixtures": tuple(_each_model(each, change) for each in shop.machine.fixtures)}
    )
    fixtures = tuple(_each_model(each, change) for each in shop.fixtures)
    return shop.model_copy(update={"machine": machine, "fixtures": fixtures})


def from_library(shop: Shop) -> Shop:
    """With models where they lie here."""
    return _with_models(shop, _from_library)


def for_library(shop: Shop) -> Shop:
    """With models by their names alone, as the library is kept."""
    return _with_models(shop, _to_library)


def _from_library(path: str) -> str:
    """Where a model lies that the library names: beside it, wherever that is by now."""
    return path if Path(path).is_absolute() else str(fixtures_folder() / path)


def _to_library(path: str) -> str:
    return Path(path).name if Path(path).parent == fixtures_folder() else path


def shop_text(shop: Shop) -> str:
    return json.dumps(shop.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def write_shop(shop: Shop) -> Path:
    """Raises WriteError."""
    path = shop_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, shop_text(for_library(shop)))
    return path
