"""Backlog documents as files, and the tables of jobs that are taken into them."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.backlogs.edits import plain_backlog
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.backlog import BACKLOG_FORMAT, BACKLOG_VERSION, BacklogList
from ledgecliff.core.scheduling.backlog import BacklogJob
from ledgecliff.core.scheduling.backlog_reading import backlog_table, read_backlog

from .atomic import write_atomic
from .plain_documents import document_text, names_document, parse_document, read_plain


def names_a_backlog(path: Path) -> bool:
    """Whether a file says that it is a backlog; one that cannot be read says nothing."""
    return names_document(path, BACKLOG_FORMAT)


def read_backlog_list(path: Path) -> BacklogList:
    """Raises InvalidValueError that names the field and what would be right."""
    return parse_document(BacklogList, read_plain(path), path.name, BACKLOG_FORMAT, BACKLOG_VERSION, "backlog")


def write_backlog_list(held: BacklogList, path: Path) -> None:
    """Raises WriteError."""
    write_atomic(path, document_text(held))


def read_table(path: Path) -> tuple[BacklogJob, ...]:
    """Raises InvalidValueError that names line and column."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a table of jobs") from error
    return read_backlog(text)


def write_table(held: BacklogList, path: Path) -> None:
    """Raises WriteError."""
    write_atomic(path, backlog_table(plain_backlog(held).jobs))
