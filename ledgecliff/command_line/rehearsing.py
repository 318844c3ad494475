"""Programs written and read back, and rehearsed on the simulated machine."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json, rounded, warn, xyz
from ledgecliff.command_line.plans import plan_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.results import Rehearsal, RehearsedSetup, WrittenPlan
from ledgecliff.core.rehearsal.true_world import TrueWorld


def seed(text: str) -> int:
    try:
        seed = int(text)
    except ValueError:
        seed = -1
    if seed < 0:
        raise argparse.ArgumentTypeError(f"'{text}' is no seed; give a whole number from 0 up")
    return seed


def trials(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 1000:
        raise argparse.ArgumentTypeError(f"'{text}' is no number of trials; give a whole number from 1 to 1000")
    return int(text)


def limit(text: str) -> float:
    from ledgecliff.core.errors import QuantityError
    from ledgecliff.core.typed import parse_length

    try:
        limit = parse_length(text, "mm")
    except QuantityError as error:
        raise argparse.ArgumentTypeError(str(error)) from error
    if limit <= 0.0:
        raise argparse.ArgumentTypeError(f"'{text}' is no limit; give a length above 0")
    return limit


def post(options: argparse.Namespace) -> int:
    from ledgecliff.store.outputs import write_programs

    plan = plan_of(options)
    for path in write_programs(plan, options.out):
        print(path)
    # What was written is run against the plan; standard output stays the list of files.
    differences = 0
    for index, setup in enumerate(plan.setups):
        back = read_back(plan, index)
        differences += len(back.differences)
        agree = f"{back.touches} touches and {back.results} results as planned, {back.stops} stops driven and held"
        print(f"{setup.setup.name}: read back, {agree}", file=sys.stderr)
        for difference in back.differences:
            print(f"  not as planned: {difference}", file=sys.stderr)
    return int(differences > 0)


def rehearse_job(options: argparse.Namespace) -> int:
    from ledgecliff.core.rehearsal.rehearse import rehearse

    if options.seeds is not None:
        return _seeds(options)
    plan = plan_of(options)
    written = written_plan(plan, by_cards=options.cards)
    if options.trials is not None:
        return _trials(options, written)
    world = _world(options, written)
    rehearsal = rehearse(written, world, limit=options.limit)
    if options.keep_world is not None:
        from ledgecliff.store.touch_files import write_world

        write_world(world, options.keep_world)
    if options.record is not None:
        from ledgecliff.command_line.probing import recorded_touches
        from ledgecliff.store.atomic import write_atomic

        name, file = options.record
        write_atomic(Path(file), recorded_touches(plan, rehearsal, name))
    if options.keep:
        _keep(options, plan, rehearsal)
    setups = [_told(setup) for setup in rehearsal.setups]
    for told, setup in zip(setups, rehearsal.setups, strict=True):
        mine = [each for each in rehearsal.instances if each.name == setup.name and each.instance]
        if mine:
            told["instances"] = [
                {"instance": each.instance, "load": each.load, "left_out": each.left_out, **_told(each)}
                for each in mine
            ]
    pairs = [
        {
            "feature": pair.feature,
            "partner": pair.partner,
            "position": xyz(tuple(a + b for a, b in zip(pair.p_nominal, pair.p_deviation, strict=True))),
            "nominal": xyz(pair.p_nominal),
            "deviation": xyz(pair.p_deviation),
            **({"part": pair.part} if rehearsal.instances else {}),
        }
        for pair in rehearsal.pairs
    ]
    if options.json:
        print_json({"seed": rehearsal.seed, "setups": setups, "features": pairs})
    else:
        _print_rehearsal(setups, pairs)
    return int(bool(rehearsal.alarms or rehearsal.amiss))


def _seeds(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.budgets import rehearse_seeds
    from ledgecliff.core.errors import InvalidValueError

    for name in ("seed", "trials", "world", "record", "keep_world"):
        if getattr(options, name) is not None:
            raise InvalidValueError(
                f"--{name.replace('_', '-')}", "is of one trial; leave it out, or leave --seeds out"
            )
    if options.cards or options.keep or options.limit is not None:
        raise InvalidValueError("--seeds", "goes with --json alone; leave the others out")
    return rehearse_seeds(options)


def _keep(options: argparse.Namespace, plan: Plan, rehearsal: Rehearsal) -> None:
    from ledgecliff.command_line.shops import shop_place
    from ledgecliff.core.record.made import of_rehearsal
    from ledgecliff.core.release.seals import rests_on
    from ledgecliff.store.job_files import job_checksum
    from ledgecliff.store.recording import record

    made = of_rehearsal(plan.job, rehearsal, rests_on(plan.job))
    if words := record([made], shop_place(options), job_checksum(plan.job)).words:
        warn(words)


def _told(setup: RehearsedSetup) -> dict[str, Any]:
    from ledgecliff.core.quantities import spell

    return {
        "name": setup.name,
        "offset": setup.offset,
        "true": xyz(setup.true) if setup.ran else None,
        "found": xyz(setup.found) if not setup.stopped else None,
        "difference": xyz(setup.difference) if not setup.stopped else None,
        "alarms": list(setup.alarms),
        "amiss": [spell(words, "mm") for words in setup.amiss],
        "touches": setup.counted,
        "triggers": len(setup.touches),
        "hover_gap": None if setup.hover_gap is None else rounded(setup.hover_gap),
        "skew": {"true_deg": rounded(setup.true_turn_deg), "found_deg": rounded(setup.turn_deg)},
    }


def _trials(options: argparse.Namespace, written: WrittenPlan) -> int:
    """Many worlds, one after the other from the seed on, and the worst that was met in them."""
    from ledgecliff.core.errors import InvalidValueError
    from ledgecliff.core.quantities import spell
    from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds

    for name in ("world", "record", "keep_world"):
        if getattr(options, name) is not None:
            raise InvalidValueError(name.replace("_", "-"), "is of one trial; leave it out, or leave --trials out")
    first = 1 if options.seed is None else options.seed
    worlds = rehearse_in_worlds(written, range(first, first + options.trials), limit=options.limit)
    if options.json:
        worst = worlds.worst
        told = {
            name: [{"seed": seed, "setup": setup, "words": spell(words, "mm")} for seed, setup, words in rows]
            for name, rows in (("alarms", worlds.alarms), ("amiss", worlds.amiss))
        }
        shown = None if worst is None else {
            "off": rounded(worst.off), "limit": rounded(worst.limit), "axis": worst.axis, "offset": worst.offset,
            "setup": worst.setup, "seed": worst.seed,
        }  # fmt: skip
        print_json({"seeds": list(worlds.seeds), "worst": shown, **told, "not_set": list(worlds.not_set)})
    else:
        print(spell(worlds.words(), "mm"))
        for seed, setup, words in (*worlds.alarms, *worlds.amiss):
            print(f"  trial {seed}, {setup}: {spell(words, 'mm')}")
    return int(bool(worlds.alarms or worlds.amiss))


def _world(options: argparse.Namespace, written: WrittenPlan) -> TrueWorld:
    """The true world that is stated in a file, or one that is drawn."""
    from ledgecliff.core.rehearsal.drawn_world import drawn_world

    if options.world is None:
        return drawn_world(written, 1 if options.seed is None else options.seed)
    from ledgecliff.store.touch_files import read_world

    world = read_world(options.world, written.job)
    return world if options.seed is None else world.model_copy(update={"seed": options.seed})


def _print_rehearsal(setups: list[dict[str, Any]], pairs: list[dict[str, Any]]) -> None:
    for setup in (each for whole in setups for each in whole.get("instances", [whole])):
        which = f", instance {setup['instance']}, load {setup['load']}" if "instance" in setup else ""
        print(f"{setup['name']}{which} ({setup['offset']}): {setup['touches']} touches")
        if setup.get("left_out"):
            print("  left out: it is missing or not seated")
        for alarm in setup["alarms"]:
            print(f"  stopped: {alarm}")
        for words in setup["amiss"]:
            print(f"  not right: {words}")
        for what in ("true", "found", "difference"):
            if setup[what]:
                print(f"  {what:<12}" + "".join(f"{setup[what][axis]:+12.3f}" for axis in "xyz"))
    for pair in pairs:
        print(
            (f"part {pair['part']}, " if "part" in pair else "")
            + f"{pair['feature']} to {pair['partner']}: "
            + " ".join(f"{a.upper()} {pair['deviation'][a]:+.3f}" for a in "xyz")
        )
