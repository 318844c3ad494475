"""Printers of this computer, by the commands that every Linux print system answers to (``lpstat`` and ``lp``)."""

from __future__ import annotations

import shutil
import subprocess

from ledgecliff.core.errors import LedgecliffError

#: A print system that does not answer in so long (s) is none.
_PATIENCE_S = 10.0


class PrintingError(LedgecliffError, OSError):
    """Nothing can be printed here, or it was refused; the text says why."""


def printers() -> tuple[str, ...]:
    """Their names; none where there is no print system, or it does not answer."""
    if shutil.which("lpstat") is None or shutil.which("lp") is None:
        return ()
    try:
        done = subprocess.run(["lpstat", "-e"], capture_output=True, text=True, timeout=_PATIENCE_S, check=False)
    except (OSError, subprocess.TimeoutExpired):
        return ()
    return tuple(line.strip() for line in done.stdout.splitlines() if line.strip())


def print_pdf(pdf: bytes, printer: str, title: str) -> None:
    """Raises PrintingError where the print system refuses it."""
    command = ["lp", "-d", printer, "-t", title, "--", "-"]
    try:
        done = subprocess.run(command, input=pdf, capture_output=True, timeout=6.0 * _PATIENCE_S, check=False)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise PrintingError(f"'{printer}' does not take it: {error}. Write it as a PDF instead.") from error
    if done.returncode:
        why = done.stderr.decode("utf-8", "replace").strip() or f"status {done.returncode}"
        raise PrintingError(f"'{printer}' does not take it: {why}. Write it as a PDF instead.")
