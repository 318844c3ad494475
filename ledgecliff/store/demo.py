"""The demo jobs that ship with the program, each with a sentence and a picture of what is in it."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources
from pathlib import Path

import platformdirs

from ledgecliff.core.errors import JobFileError

from .atomic import make_folder, write_atomic

_FOLDER = Path(__file__).parents[1] / "demo"


@dataclass(frozen=True)
class Demo:
    """``name`` is that of its file with hyphens."""

    name: str
    title: str
    sentence: str


#: In the order in which somebody new looks at them.
DEMOS: tuple[Demo, ...] = (
    Demo("float-housing", "Float housing", "Two sides in a vise, turned over on a probed bore. Begin here."),
    Demo(
        "winch-cheek",
        "Winch cheek",
        "An old plate on dowels and clamps: its hole pattern is measured from a worn bore.",
    ),
    Demo(
        "dial-ring-on-pins",
        "Dial ring on pins",
        "A large ring cut from both faces, registered by dowel pins in a board.",
    ),
    Demo(
        "dial-ring-in-a-frame",
        "Dial ring in a frame",
        "The same ring, registered by a slot cut round it that locks it.",
    ),
    Demo("lamp-lid", "Lamp lid", "A thin shell in a jig with two pockets."),
    Demo(
        "gate-hinge",
        "Gate hinge",
        "Two halves glued before they are cut; the second side in a nest of the shop's own, from its model.",
    ),
    Demo(
        "sluice-valve-block",
        "Sluice valve block",
        "Five sides in one clamping on a trunnion: one zero is probed, four are worked out about the axes' centres.",
    ),
    Demo(
        "gland-spindle",
        "Gland spindle",
        "A bar on a fourth axis: its zero on the axis serves four indexes; then its end in a collet.",
    ),
    Demo("hinge-leaves", "Hinge leaves", "A tombstone on a horizontal machine: six leaves on each of its four faces."),
    Demo(
        "rack-shoes",
        "Rack shoes",
        "Ten stations of one side beside five of the other, by local shifts and by an offset each.",
    ),
    Demo(
        "float-housing-by-jaw",
        "Float housing by the jaw",
        "The housing again, its second side found from the fixed jaw.",
    ),
    Demo(
        "float-housing-to-the-middle",
        "Float housing to the middle",
        "The housing in a self-centring vise, one work offset kept and found again on each side.",
    ),
)


def demo_names() -> tuple[str, ...]:
    return tuple(sorted(path.stem.replace("_", "-") for path in _FOLDER.glob("*.json")))


def demo_job(name: str) -> Path:
    """The job file of a demo.  Raises JobFileError with the names there are."""
    path = _FOLDER / f"{name.replace('-', '_')}.json"
    if name not in demo_names():
        raise JobFileError(f"There is no demo job '{name}'; there are: {', '.join(demo_names())}.")
    return path


def is_shipped(path: Path) -> bool:
    """Whether it is one of the demo's own files, which stay as they are."""
    return _FOLDER.resolve() in path.resolve().parents


def demo_run() -> Path:
    """The demo run in a copy of the user's own, with its jobs and their model: a run is written as it goes on.  What
    is there already stays.  Raises WriteError."""
    return _demo_copy() / "tuesdays_table.json"


def demo_backlog() -> Path:
    """The demo backlog, in a copy of the user's own beside the demo run.  Raises WriteError."""
    return _demo_copy() / "backlog.json"


def _demo_copy() -> Path:
    folder = Path(platformdirs.user_data_dir("ledgecliff")) / "demo-run"
    for path in (*sorted((_FOLDER / "tuesday").iterdir()), _FOLDER / "float_housing.step"):
        copy = folder / path.relative_to(_FOLDER)
        if not copy.exists():
            make_folder(copy.parent)
            write_atomic(copy, path.read_text(encoding="utf-8"))
    return folder / "tuesday"


def demo_picture(name: str) -> bytes:
    """A PNG of its first setup."""
    return (resources.files("ledgecliff") / "resources" / "demos" / f"{name}.png").read_bytes()
