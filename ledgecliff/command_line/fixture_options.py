"""What the command ``fixture`` is told."""

from __future__ import annotations

import argparse
from pathlib import Path

_DIRECTIONS = ("+X", "-X", "+Y", "-Y", "+Z", "-Z")


def add_fixture_arguments(sub: argparse.ArgumentParser) -> None:
    """Numbers are those that ``fixture-model`` lists."""
    sub.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    sub.add_argument("--model", type=Path, metavar="MODEL", help="hold it by a new fixture, from this model")
    sub.add_argument("--name", metavar="NAME", help="what that is called; as its file where left out")
    sub.add_argument("--seat", type=int, metavar="N", help="face that the part lies on; the largest where left out")
    for flag, words in (
        ("--against", "face that the part is pushed against"),
        ("--probe", "face that may only be probed"),
        ("--bore", "bore that may be probed"),
        ("--spigot", "round that a bore of the part may go over"),
    ):
        sub.add_argument(flag, type=int, action="append", default=[], metavar="N", help=f"{words}; as often as wanted")
    sub.add_argument("--zero", nargs=3, metavar=("X", "Y", "Z"), help="where its zero is in the model")
    sub.add_argument("--stands-at", nargs=3, metavar=("X", "Y", "Z"), help="where its zero stands on the machine")
    sub.add_argument("--take", metavar="NAME", help="hold it by what stands on the machine or lies in the library")
    sub.add_argument("--moving", type=Path, metavar="MODEL", help="a part that moves to clamp, drawn open")
    sub.add_argument("--moving-body", type=int, metavar="N", help="which body of that model")
    sub.add_argument("--moves", choices=_DIRECTIONS, default="+X", help="which way it moves (+X; write --moves=-X)")
    sub.add_argument("--travel", metavar="LENGTH", help="how far it can go (10 mm)")
    sub.add_argument("--over", metavar="FEATURE/SPIGOT", help="a bore of the part over a spigot; none to undo that")
    sub.add_argument("--at", nargs=2, metavar=("X", "Y"), help="middle of the stock from its zero, where no face says")
    sub.add_argument("--keep", action="store_true", help="keep the fixture in the shop's library")
