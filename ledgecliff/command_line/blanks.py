"""Blanks that vary in size: their groups, allowances, and how many clean up, by ``clean-up``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import given_text, print_json, rounded
from ledgecliff.core.clean_up import Batch, BlankGroup, Spread, batch_of, grouped, odds_of, usual_allowance
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.quantities import said, spell
from ledgecliff.core.typed import parse_length
from ledgecliff.core.typed_sizes import parse_sizes

#: Blanks of a group differ by no more than this where nobody says (mm).
_SPREAD = "0.4"


def add_commands(commands: Any) -> None:
    """Adds ``clean-up`` to the parser's commands."""
    words = "blanks that vary: groups by size, the allowance at the stop's end, how many clean up"
    command = commands.add_parser("clean-up", help=words, description=words)
    command.set_defaults(run=_clean_up)
    command.add_argument("sizes", type=Path, nargs="?", metavar="SIZES", help="measured sizes (.csv), or - for input")
    command.add_argument("--finished", required=True, metavar="L", help="how long the part is")
    command.add_argument("--least", required=True, metavar="C", help="what must come off everywhere")
    command.add_argument("--spread", default=_SPREAD, metavar="W", help=f"how far blanks of a group differ ({_SPREAD})")
    command.add_argument(
        "--edge", metavar="A", help="what comes off at the stop's end; half of the middle where left out"
    )
    command.add_argument("--nominal", metavar="S", help="instead of a file: the size they are cut to")
    command.add_argument("--varies", metavar="V", help="plus or minus; of a normal spread its standard deviation")
    command.add_argument("--shape", choices=("uniform", "normal"), default="uniform")
    command.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _clean_up(options: argparse.Namespace) -> int:
    finished, least = parse_length(options.finished, "mm"), parse_length(options.least, "mm")
    if finished <= 0.0:
        raise InvalidValueError("--finished", "a part is longer than nought; give its finished length")
    if least < 0.0:
        raise InvalidValueError("--least", "what comes off is nought or more; give how much at least")
    batch = _batch(options)
    sizes: Batch | Spread = batch if batch is not None else _told(options)
    groups = () if batch is None else grouped(batch, finished, parse_length(options.spread, "mm"))
    at_stop = usual_allowance(sizes, finished) if options.edge is None else parse_length(options.edge, "mm")
    odds = odds_of(sizes, finished, least, at_stop)
    if options.json:
        shares = {"centre": rounded(odds.centre), "edge": rounded(odds.edge)}
        print_json({"groups": [_group(each) for each in groups], "odds": shares, "edge": rounded(at_stop)})
        return 0
    for number, each in enumerate(groups, start=1):
        load, fewest = each.equal_load, each.equal_least
        words = (
            f"group {number}: {len(each.batch.sizes)} blanks, {said(each.batch.smallest)} to "
            f"{said(each.batch.largest)}: {said(load.at_stop)} at the stop for equal load (least {said(load.least)}), "
            f"or {said(fewest.at_stop)} for equal least"
        )
        print(spell(words, "mm"))
    words = (
        f"{odds.centre:.2%} clean up where each blank's middle is found, {odds.edge:.2%} by the stop's edge with "
        f"{said(at_stop)} there"
    )
    print(spell(words, "mm"))
    return 0


def _batch(options: argparse.Namespace) -> Batch | None:
    if options.sizes is None:
        return None
    if options.nominal is not None:
        raise InvalidValueError("--nominal", "sizes come from a file or from a nominal one; leave one of them out")
    return batch_of(parse_sizes(given_text(options.sizes), "mm"))


def _told(options: argparse.Namespace) -> Spread:
    if options.nominal is None or options.varies is None:
        raise InvalidValueError("sizes", "name a file of them, or give --nominal and --varies")
    nominal, varies = parse_length(options.nominal, "mm"), parse_length(options.varies, "mm")
    if varies < 0.0:
        raise InvalidValueError("--varies", "how far they vary is nought or more; leave its sign out")
    return Spread(nominal, varies, options.shape)


def _group(each: BlankGroup) -> dict[str, Any]:
    load, fewest = each.equal_load, each.equal_least
    return {
        "sizes": [rounded(size) for size in each.batch.sizes],
        "equal_load": rounded(load.at_stop),
        "equal_least": rounded(fewest.at_stop),
        "least": rounded(load.least),
    }
