"""Documents beside jobs as JSON files: which of them a file is, read with the field named that is wrong."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.base import Model

from .job_files import LARGEST_BYTES, first_problem

Document = TypeVar("Document", bound=Model)


def document_text(document: Model) -> str:
    """As JSON: the same document gives the same bytes."""
    return json.dumps(document.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def read_plain(path: Path) -> Any:
    """What a JSON file says.  Raises InvalidValueError where it cannot be read."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise InvalidValueError(str(path), "is too large to be a run; give a run or a file of tasks")
        return json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a run or a file of tasks as JSON") from error


def read_words(path: Path) -> str:
    """A table or another text.  Raises InvalidValueError where it cannot be read."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise InvalidValueError(str(path), "is too large to be a table; give one of text")
        return path.read_text(encoding="utf-8-sig")
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a table as text in UTF-8") from error


def is_document(plain: object, wanted: str) -> bool:
    """Whether it says that it is of a format."""
    return isinstance(plain, dict) and plain.get("format") == wanted


def names_document(path: Path, wanted: str) -> bool:
    """Whether a file says so; one that cannot be read says nothing."""
    try:
        return is_document(read_plain(path), wanted)
    except InvalidValueError:
        return False


def parse_document(kind: type[Document], plain: object, name: str, wanted: str, newest: int, what: str) -> Document:
    """A document of a format, no newer than this program knows, which is called ``what``.  Raises InvalidValueError
    that names the field and what would be right."""
    if not isinstance(plain, dict) or plain.get("format") != wanted:
        raise InvalidValueError(name, f"is no {what}: its format is not '{wanted}'; give a {what} document")
    version = plain.get("version")
    if isinstance(version, int) and version > newest:
        raise InvalidValueError(name, f"is of version {version}; open it with a newer Ledgecliff")
    try:
        return kind.model_validate(plain)
    except ValidationError as error:
        raise InvalidValueError(name, first_problem(error).replace("the job:", f"the {what}:")) from None
