"""What a plan says: coordinates, findings, features, stock and sides."""

from __future__ import annotations

import argparse
from typing import Any

from ledgecliff.command_line.output import print_json, rounded, xyz
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import Plan, make_plan


def plan_of(options: argparse.Namespace) -> Plan:
    """The plan of the job that is named.  Raises what reading it and its models raises."""
    from ledgecliff.store.job_files import read_job
    from ledgecliff.store.part_models import load_models

    job = read_job(options.job)
    plan = make_plan(job, load_models(job, options.job))
    plan.check_part_is_left()
    return plan


def coordinates(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    setups: list[dict[str, Any]] = [
        {
            "name": setup.setup.name,
            "offset": setup.setup.offset,
            "features": [{"name": r.name, **xyz((r.x, r.y, r.z))} for r in setup.readings],
        }
        for setup in plan.setups
    ]
    if options.json:
        print_json({"setups": setups})
        return 0
    for setup in setups:
        print(f"{setup['name']} ({setup['offset']})")
        for row in setup["features"]:
            print(f"  {row['name']:<24}{row['x']:+12.3f}{row['y']:+12.3f}{row['z']:+12.3f}")
    return 0


def check(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.offsets import present_findings, present_values
    from ledgecliff.command_line.toolpaths import operation_programs
    from ledgecliff.core.finding import SEVERITIES

    plan = plan_of(options)
    found = [*findings_of(plan), *present_findings(options, plan.job)]
    rows = [
        {"code": f.code, "severity": f.severity, "setup": f.setup, "message": f.message(), "remedy": f.remedy()}
        for f in found
    ]
    present = present_values(options, plan.job)
    rows = [*rows, *operation_programs(plan, options.job.resolve().parent, present)]
    rows.sort(key=lambda row: SEVERITIES.index(row["severity"]))
    if options.json:
        print_json({"findings": rows})
    else:
        for row in rows:
            print(f"{row['severity']}: {row['message']} {row['remedy']} [{row['code']}]")
        if not rows:
            print("nothing found")
    return int(any(row["severity"] in ("hazard", "error") for row in rows))


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
    orders: list[dict[str, Any]] = [
        {
            "sides": list(order.sides),
            "score": round(order.score, 3),
            "arguments": [
                {"side": a.side, "weight": round(a.weight, 3), "words": spell(a.words, "mm")} for a in order.arguments
            ],
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
    return 0
