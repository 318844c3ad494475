"""Ledgecliff among the user's applications: entry, icon, kinds of files, and what software centres read.  No root."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Sequence
from importlib import resources
from pathlib import Path

import platformdirs

from ledgecliff import __version__

from .atomic import make_folder, write_atomic
from .signed import now

#: Where each file goes below the user's data folder.
_PLACES = {
    "ledgecliff.desktop": "applications/ledgecliff.desktop",
    "ledgecliff.svg": "icons/hicolor/scalable/apps/ledgecliff.svg",
    "ledgecliff-mime.xml": "mime/packages/ledgecliff.xml",
    "ledgecliff.metainfo.xml": "metainfo/ledgecliff.metainfo.xml",
}
#: What tells the desktop that something is new: the program, and which folder it looks at.
_TELL = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))
#: What must be quoted in a desktop entry's command, and escaped inside of quotes.
_RESERVED, _ESCAPED = " \t\n\"'\\><~|&;$*?#()`", '"`$\\'


def data_folder() -> Path:
    return Path(platformdirs.user_data_dir())


def install(command: Sequence[str], data: Path | None = None) -> list[Path]:
    """The files that are there now; ``command`` opens a job, whose file comes after it.  Raises WriteError."""
    folder = data_folder() if data is None else data
    values = {"{exec}": f"{exec_words(command)} %f", "{version}": __version__, "{date}": now()[:10]}
    written = []
    for name, place in _PLACES.items():
        text = (resources.files("ledgecliff") / "resources" / "desktop" / name).read_text(encoding="utf-8")
        for token, value in values.items():
            text = text.replace(token, value)
        path = folder / place
        make_folder(path.parent)
        write_atomic(path, text)
        written.append(path)
    _tell(folder)
    return written


def uninstall(data: Path | None = None) -> list[Path]:
    """The files that were there."""
    folder = data_folder() if data is None else data
    gone = [folder / place for place in _PLACES.values() if (folder / place).exists()]
    for path in gone:
        path.unlink()
    _tell(folder)
    return gone


def exec_words(command: Sequence[str]) -> str:
    """As the Desktop Entry Specification has commands: quoted where needed, a percent sign twice."""
    return " ".join(_quoted(word).replace("%", "%%") for word in command)


def _quoted(word: str) -> str:
    if word and not any(sign in _RESERVED for sign in word):
        return word
    escaped = "".join(f"\\{sign}" if sign in _ESCAPED else sign for sign in word)
    # The file's own escape for a backslash comes on top.
    return f'"{escaped}"'.replace("\\", "\\\\")


def _tell(folder: Path) -> None:
    """A desktop that cannot be told looks by itself, sooner or later."""
    for program, below in _TELL:
        if shutil.which(program) and (folder / below).is_dir():
            subprocess.run([program, str(folder / below)], check=False, capture_output=True)
