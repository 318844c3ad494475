"""What a plan says: coordinates, findings, features, stock and sides."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded, warn, xyz
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import Beside, found_against
from ledgecliff.core.model.base import Model
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.rotary_schools import axes_stand

if TYPE_CHECKING:
    from ledgecliff.core.alternatives.orders import WeighedOrder
    from ledgecliff.core.model.orientation import PartDirection
    from ledgecliff.core.remedies.offered import Remedy

#: Each takes a second or so.
_MOST_WEIGHED = 50


def add_job_command(
    commands: Any, name: str, run: Callable[[argparse.Namespace], int], words: str
) -> argparse.ArgumentParser:
    """A command on a job, added to the parser's."""
    sub: argparse.ArgumentParser = commands.add_parser(name, help=words, description=words)
    sub.set_defaults(run=run)
    sub.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    return sub


def plan_of(options: argparse.Namespace) -> Plan:
    """The plan of the job that is named.  Raises what reading it and its models raises."""
    from ledgecliff.store.job_files import read_job
    from ledgecliff.store.part_models import load_models

    job = read_job(options.job)
    plan = make_plan(job, load_models(job, options.job))
    plan.check_part_is_left()
    return plan


def setup_named(plan: Plan, name: str) -> int:
    """The number of a setup, from 0.  Raises InvalidValueError where the job has none of that name."""
    names = [setup.setup.name for setup in plan.setups]
    if name not in names:
        raise InvalidValueError("--setup", f"there is no '{name}'; the job has {', '.join(names)}")
    return names.index(name)


def coordinates(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    setups: list[dict[str, Any]] = [
        {
            "name": setup.setup.name,
            "offset": setup.setup.offset,
            **({"index": dict(stand)} if (stand := axes_stand(setup)) else {}),
            "features": [
                {"name": r.name, **xyz((r.x, r.y, r.z)), "machine": xyz(setup.located.m_of((r.x, r.y, r.z)))}
                for r in setup.readings
            ],
        }
        for setup in plan.setups
    ]
    if options.json:
        print_json({"setups": setups})
        return 0
    for setup in setups:
        at = "".join(f" {word}{degrees:g}" for word, degrees in setup.get("index", {}).items())
        print(f"{setup['name']} ({setup['offset']}){at}")
        for row in setup["features"]:
            print(f"  {row['name']:<24}{row['x']:+12.3f}{row['y']:+12.3f}{row['z']:+12.3f}")
    return 0


def beside_of(options: argparse.Namespace, plan: Plan) -> Beside:
    """What the register and the operations' programs say; raises for a register that is named and is not there."""
    from ledgecliff.command_line.offsets import place_to_read
    from ledgecliff.store.beside_job import BesideJob

    return BesideJob().read(plan, options.job.resolve().parent, place_to_read(options))


def check(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    beside = beside_of(options, plan)
    found = found_against(plan, beside)
    remedies = _remedies(plan, found, beside) if options.remedies else {}
    rows: list[dict[str, Any]] = [
        {"code": f.code, "severity": f.severity, "setup": f.setup, "message": f.message(), "remedy": f.remedy()}
        | ({"cure": _cure(remedies.get(k))} if options.remedies else {})
        for k, f in enumerate(found)
    ]
    if options.json:
        print_json({"findings": rows})
    else:
        for row in rows:
            print(f"{row['severity']}: {row['message']} {row['remedy']} [{row['code']}]")
            if cure := row.get("cure"):
                print(f"    {'if true' if cure['promise'] else 'remedy'}: {cure['label']}. {cure['words']}")
        if not rows:
            print("nothing found")
    return int(any(row["severity"] in ("hazard", "error") for row in rows))


def _remedies(plan: Plan, found: tuple[Finding, ...], beside: Beside) -> dict[int, Remedy]:
    from ledgecliff.core.remedies.offered import remedies_of
    from ledgecliff.store.library import current_shop

    tried = remedies_of(plan, found, lambda after: found_against(after, beside), current_shop(told=warn))
    return {place: remedy for place, remedy in tried if remedy is not None}


def _cure(remedy: Remedy | None) -> dict[str, Any] | None:
    """A remedy as it is printed: what it changes, what it clears and leaves."""
    if remedy is None:
        return None
    return {
        "label": spell(remedy.fix.label, "mm"),
        "promise": remedy.fix.promise,
        "words": remedy.words("mm"),
        "changes": [{"path": list(path), "value": _value(value)} for path, value in remedy.fix.changes],
    }


def _value(value: object) -> Any:
    """A changed value as the job file has it."""
    if isinstance(value, tuple):
        return [_value(each) for each in value]
    return value.model_dump(mode="json") if isinstance(value, Model) else value


def features(options: argparse.Namespace) -> int:
    from ledgecliff.core.feature_list import feature_list

    rows: list[dict[str, Any]] = [
        {
            "kind": row.kind,
            "name": row.name,
            "named": row.named,
            "sizes": {name: rounded(value) for name, value in row.sizes},
            "through": row.through,
            "position": xyz(row.at),
            "direction": xyz(row.direction),
            "steps": [{"diameter": rounded(d), "depth": rounded(far)} for d, far in row.steps],
            "sides": list(row.sides),
            "surface": row.surface,
            "residual": rounded(row.residual),
        }
        for row in feature_list(plan_of(options))
    ]
    if options.json:
        print_json({"features": rows})
        return 0
    for row in rows:
        sizes = "  ".join(f"{name} {value:.3f}" for name, value in row["sizes"].items())
        at = "".join(f"{row['position'][axis]:+10.3f}" for axis in "xyz")
        print(f"{row['name']:<24}{row['kind']:<14}{at}  {sizes}  from {' '.join(row['sides']) or 'no square side'}")
    return 0


def stock(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    setups: list[dict[str, Any]] = []
    for setup in plan.setups:
        orientation, holding = setup.setup.orientation, setup.holding
        low, high = setup.after.u_corners(orientation)
        setups.append(
            {
                "name": setup.setup.name,
                "size": xyz(holding.u_stock[1] - holding.u_stock[0]),
                "volume": rounded(setup.before.volume),
                "hat": rounded(max(holding.u_part[0][2] - holding.u_stock[0][2], 0.0)),
                "hat_on_top": rounded(max(holding.u_stock[1][2] - holding.u_part[1][2], 0.0)),
                "grip": rounded(holding.grip) if holding.jaws is not None else None,
                "left": {"size": xyz(high - low), "volume": rounded(setup.after.volume)},
                "operations": [
                    {"name": operation.name, "removed": rounded(setup.cutting.removed(k).volume())}
                    for k, operation in enumerate(setup.setup.operations)
                ],
            }
        )
    if options.json:
        print_json({"setups": setups})
        return 0
    for row in setups:
        size = " x ".join(f"{row['size'][axis]:.3f}" for axis in "xyz")
        grip = "" if row["grip"] is None else f", gripped {row['grip']:.3f}"
        print(f"{row['name']}: {size}, {row['volume'] / 1000:.3f} cm3, hat {row['hat']:.3f}{grip}")
        print(f"  leaves {row['left']['volume'] / 1000:.3f} cm3")
    return 0


def sides(options: argparse.Namespace) -> int:
    from ledgecliff.core.quantities import spell

    plan = plan_of(options)
    reaches = [{"name": reach.name, "sides": list(reach.sides)} for reach in plan.coverage.features]
    weighed = _weighed(plan, options.weigh)
    orders: list[dict[str, Any]] = [
        {
            "sides": list(order.sides),
            "score": round(order.score, 3),
            "arguments": [
                {"side": a.side, "weight": round(a.weight, 3), "words": spell(a.words, "mm")} for a in order.arguments
            ],
            **({"planned": _planned(weighed[order.sides])} if order.sides in weighed else {}),
        }
        for order in plan.proposal.orders
    ]
    if options.json:
        print_json({"features": reaches, "fewest": [list(sides) for sides in plan.coverage.fewest], "orders": orders})
        return 0
    for order in orders:
        print(f"{', then '.join(order['sides'])}: {order['score']:+.2f}")
        for argument in order["arguments"]:
            print(f"  {argument['weight']:+.2f}  {argument['side']}: {argument['words']}")
        found = weighed.get(tuple(order["sides"]))
        if found is not None:
            print(f"  {spell(found.words(), 'mm')}")
    return 0


def _weighed(plan: Plan, wanted: int) -> dict[tuple[PartDirection, ...], WeighedOrder]:
    """By its sides what each of the first orders comes to."""
    if not 0 <= wanted <= _MOST_WEIGHED:
        raise InvalidValueError("--weigh", f"give how many orders to plan, 0 to {_MOST_WEIGHED}")
    if not wanted:
        return {}
    from ledgecliff.core.alternatives.orders import weighed_orders
    from ledgecliff.store.library import current_shop

    shop, orders = current_shop(told=warn), plan.proposal.orders[:wanted]
    return {each.order.sides: each for each in weighed_orders(plan, orders, shop)}


def _planned(weighed: WeighedOrder) -> dict[str, Any]:
    planned = weighed.planned
    if planned is None:
        return {"why_not": weighed.why_not}
    pair, worst = planned.pair, planned.brings
    return {
        "pair": None if pair is None else {"feature": pair.asked.feature, "to": pair.asked.to, "what": pair.asked.what},
        "expanded": None if pair is None else rounded(pair.expanded),
        "share": None if pair is None or pair.share is None else rounded(pair.share),
        "minutes": round(planned.cost.minutes, 2),
        "touches": planned.cost.touches,
        "codes": planned.cost.codes,
        "keeps": planned.keeps,
        "brings": None if worst is None else worst.code,
    }
