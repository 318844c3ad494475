"""The shop's library as a file of the user's own; without one, the library that ships is used."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path

import platformdirs
from pydantic import ValidationError

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.shop import SHOP_VERSION, Shop

from .atomic import write_atomic
from .job_files import first_problem
from .migrations import migrated_shop


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
        return Shop.model_validate(migrated_shop(data) if isinstance(data, dict) else data)
    except ShopFileError:
        raise
    except ValidationError as error:
        raise ShopFileError(f"The shop library '{path}': {first_problem(error)} Correct it or move it away.") from error
    except ValueError as error:
        raise ShopFileError(f"The shop library '{path}' is no whole JSON document: {error}.") from error


def shop_text(shop: Shop) -> str:
    return json.dumps(shop.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def write_shop(shop: Shop) -> Path:
    """Raises WriteError."""
    path = shop_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, shop_text(shop))
    return path
