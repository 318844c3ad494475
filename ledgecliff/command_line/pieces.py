"""Pieces of jobs taken along and put in, and jobs begun like another: ``take``, ``put`` and ``alike``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.core.edits.pieces import as_template, piece_from, taken, with_piece
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.store.identity import new_id
from ledgecliff.store.job_files import write_job
from ledgecliff.store.part_models import carry_models


def take(options: argparse.Namespace) -> int:
    """A piece as JSON on standard output."""
    plan = plan_of(options)
    piece = taken(plan.job, setup_named(plan, options.setup), options.what, options.name or ())
    print(piece.model_dump_json(indent=1))
    return 0


def put(options: argparse.Namespace) -> int:
    """A piece into a job, which is written."""
    plan = plan_of(options)
    try:
        text = sys.stdin.read() if str(options.piece) == "-" else options.piece.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidValueError(str(options.piece), f"cannot be read: {error}") from error
    job = with_piece(plan.job, piece_from(text), setup_named(plan, options.setup), new_id())
    write_job(job, options.job)
    return 0


def alike(options: argparse.Namespace) -> int:
    """A new job like another, with an identity of its own."""
    plan = plan_of(options)
    out: Path = options.out
    if out.exists():
        raise InvalidValueError("-o", f"'{out}' is there already; a new job needs a file of its own")
    ids = [new_id() for _ in plan.job.setups]
    job = as_template(plan.job, options.title or f"{plan.job.title[:70]} (new)", new_id(), ids)
    write_job(carry_models(job, options.job.parent, out.parent), out)
    print(out)
    return 0
