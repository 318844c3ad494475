"""Writing a file so that a reader finds either the old one or the whole new one."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from ledgecliff.core.errors import LedgecliffError


class WriteError(LedgecliffError, OSError):
    """A file that cannot be written; the text names it and the reason."""


def make_folder(folder: Path) -> None:
    """With what is above it, where it is not there.  Raises WriteError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(f"'{folder}' cannot be made: {error.strerror}. Choose another folder.") from error


def write_atomic(path: Path, content: bytes | str) -> None:
    """Writes beside ``path``, flushes to disk and replaces.  Raises WriteError; then ``path`` is as it was."""
    data = content.encode("utf-8") if isinstance(content, str) else content
    temporary = None
    try:
        descriptor, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        with os.fdopen(descriptor, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, path.stat().st_mode & 0o777 if path.exists() else 0o644)
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
        raise WriteError(f"'{path}' cannot be written: {error.strerror}. Choose another place.") from error
