"""The password of a shared shop: in the desktop's keyring, or in a file that only the user can read; nowhere else."""

from __future__ import annotations

import contextlib
import json
import os
import stat
from pathlib import Path

import platformdirs
from sqlalchemy.engine import URL

from ledgecliff.core.errors import InvalidValueError

from .atomic import WriteError, make_folder

_SERVICE = "ledgecliff"


def account(url: URL) -> str:
    """Whose password it is: user, server and database."""
    return f"{url.username or ''}@{url.host or ''}:{url.port or ''}/{url.database or ''}"


def password_file() -> Path:
    return Path(platformdirs.user_config_dir("ledgecliff")) / "shop-passwords.json"


def password_of(url: URL) -> str | None:
    """None where nobody has kept one.  Raises InvalidValueError where others could read the file."""
    kept = _from_keyring(account(url))
    return kept if kept is not None else _from_file(account(url))


def keep_password(url: URL, password: str) -> str:
    """Where it is kept now, in words.  Raises InvalidValueError and WriteError."""
    import keyring
    from keyring.errors import KeyringError

    try:
        keyring.set_password(_SERVICE, account(url), password)
    except (KeyringError, OSError):
        _into_file(account(url), password)
        return f"in '{password_file()}', which only you can read"
    return "in the keyring of the desktop"


def forget_password(url: URL) -> None:
    """Wherever it is kept."""
    import keyring
    from keyring.errors import KeyringError

    with contextlib.suppress(KeyringError, OSError):
        keyring.delete_password(_SERVICE, account(url))
    if password_file().exists():
        _into_file(account(url), None)


def read_password(path: Path) -> str:
    """From a file of the user's own.  Raises InvalidValueError where it cannot be read, or others could."""
    _only_mine(path)
    try:
        return path.read_text(encoding="utf-8").rstrip("\r\n")
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; name the file with the password") from None


def _from_keyring(name: str) -> str | None:
    import keyring
    from keyring.errors import KeyringError

    try:
        return keyring.get_password(_SERVICE, name)
    except (KeyringError, OSError):
        return None


def _from_file(name: str) -> str | None:
    path = password_file()
    if not path.exists():
        return None
    _only_mine(path)
    try:
        kept = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        raise InvalidValueError(str(path), "is not as it was kept; take it away and join the shop anew") from None
    found = kept.get(name) if isinstance(kept, dict) else None
    return found if isinstance(found, str) else None


def _only_mine(path: Path) -> None:
    if not path.is_file():
        raise InvalidValueError(str(path), "is no file; name the one with the password")
    if stat.S_IMODE(path.stat().st_mode) & 0o077:
        raise InvalidValueError(str(path), f"can be read by others; make it yours alone: chmod 600 '{path}'")


def _into_file(name: str, password: str | None) -> None:
    """None takes it out."""
    path = password_file()
    make_folder(path.parent)
    kept = {}
    if path.exists():
        _only_mine(path)
        kept = json.loads(path.read_text(encoding="utf-8"))
    kept = {key: value for key, value in kept.items() if key != name}
    if password is not None:
        kept[name] = password
    temporary = path.with_suffix(".new")
    try:
        # Nobody else can read it from its first byte on.
        descriptor = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w", encoding="utf-8") as file:
            json.dump(kept, file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o600)
        os.replace(temporary, path)
    except OSError as error:
        raise WriteError(f"'{path}' cannot be written: {error.strerror}. Choose another place.") from error
