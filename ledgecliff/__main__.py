"""``python -m ledgecliff``: the command line; without a command it opens the window."""

from __future__ import annotations

import sys

from ledgecliff.command_line.main import main as command_line


def main() -> int:
    return command_line(sys.argv[1:] or ["open"])


if __name__ == "__main__":
    raise SystemExit(main())
