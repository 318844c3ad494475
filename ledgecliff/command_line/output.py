"""How the command line prints numbers and JSON, and reads what is piped in."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from ledgecliff.core.errors import InvalidValueError


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))


def warn(words: str) -> None:
    """Beside what is printed."""
    print(f"ledgecliff: {words}", file=sys.stderr)


def rounded(value: float) -> float:
    """Six places: far below what a machine resolves, and no noise of the last bit."""
    return round(float(value), 6) + 0.0


def xyz(vector: Iterable[float]) -> dict[str, float]:
    return {axis: rounded(value) for axis, value in zip("xyz", vector, strict=True)}


def given_text(path: Path) -> str:
    """What a file holds, or standard input for ``-``.  Raises InvalidValueError where it cannot be read."""
    try:
        return sys.stdin.read() if str(path) == "-" else path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise InvalidValueError(str(path), f"cannot be read: {error.strerror}") from error
