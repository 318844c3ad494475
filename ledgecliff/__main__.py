"""``python -m ledgecliff``: the command line; without a command it opens the window."""

from __future__ import annotations

import sys
from pathlib import Path


def main() -> int:
    match sys.argv[1:]:
        case [] | ["open"]:
            return _window(None)
        case ["open", job] if not job.startswith("-"):
            return _window(Path(job))
        case words:
            from ledgecliff.command_line.main import main as command_line  # imports what a window comes up without

            return command_line(words)


def _window(job: Path | None) -> int:
    from ledgecliff.app.main import run  # Qt, which no command needs

    return run(job)


if __name__ == "__main__":
    raise SystemExit(main())
