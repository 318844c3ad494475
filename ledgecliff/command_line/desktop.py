"""``desktop install`` and ``desktop uninstall``: among the applications of the user."""

from __future__ import annotations

import argparse
import shlex
import shutil
import sys
from pathlib import Path
from typing import Any


def add_commands(commands: Any) -> None:
    """Adds ``desktop`` to the parser's commands."""
    words = "Ledgecliff among the user's applications: menu, icon, kinds of files (no root)"
    desktop = commands.add_parser("desktop", help=words, description=words)
    kinds = desktop.add_subparsers(required=True, metavar="WHAT")
    installing = kinds.add_parser("install", help="put it there", description="put it there")
    installing.set_defaults(run=_install)
    installing.add_argument("--command", metavar="WORDS", help="what opens a job (this very program)")
    removing = kinds.add_parser("uninstall", help="take it away again", description="take it away again")
    removing.set_defaults(run=_uninstall)


def _install(options: argparse.Namespace) -> int:
    from ledgecliff.store.desktop_install import install

    print("\n".join(map(str, install(shlex.split(options.command) if options.command else _own_command()))))
    return 0


def _own_command() -> list[str]:
    script = shutil.which("ledgecliff")
    return [script, "open"] if script else [str(Path(sys.executable)), "-m", "ledgecliff", "open"]


def _uninstall(_options: argparse.Namespace) -> int:
    from ledgecliff.store.desktop_install import uninstall

    print("\n".join(map(str, uninstall())) or "nothing was there")
    return 0
