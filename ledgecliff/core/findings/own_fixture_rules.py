"""Rules about fixtures of the shop's own: whether stock goes on, meets what it is pushed against, and is clamped."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..blanks import transformed
from ..finding import Finding, fix
from ..holding.holding import HeldInOwn
from ..holding.own_fixtures import moving_name
from ..model.holding import OwnHold
from ..model.own_fixture import OwnFixture
from ..plan import Plan
from ..quantities import said, said_signed, said_volume
from ..setup_plan import SetupPlan

#: Shared volumes smaller than this are rounding (mm³).
_CRUMB = 1.0
#: A bore this near to upright goes over a spigot (a cosine).
_UPRIGHT = 1.0 - 1e-9


def _in_own(plan: Plan) -> Iterator[tuple[SetupPlan, OwnHold, OwnFixture, HeldInOwn]]:
    for setup in plan.setups:
        hold, fixture, own = setup.setup.hold, setup.holding.fixture, setup.holding.own
        if isinstance(hold, OwnHold) and isinstance(fixture, OwnFixture) and own is not None:
            yield setup, hold, fixture, own


def does_not_go_on(plan: Plan) -> Iterator[Finding]:
    """Neither the fixture nor what moves on it may stand in the stock as it comes in."""
    for setup, _hold, fixture, own in _in_own(plan):
        stock = transformed(setup.before.solid, setup.setup.orientation.matrix())
        for name in ("fixture", *(moving_name(each) for each, _ in own.ways)):
            block = setup.holding.block(name)
            # Where both lie flat against each other a boolean may leave skins: only what has a body counts.
            pieces = [] if block is None else [p for p in (stock ^ block.solid()).decompose() if p.volume() > _CRUMB]
            if not pieces:
                continue
            shared = max(pieces, key=lambda piece: piece.volume())
            low, high = np.array(shared.bounding_box()).reshape(2, 3) - setup.wcs.u_origin
            where = ", ".join(
                f"{axis} {said_signed(float(a))} to {said_signed(float(b))}"
                for axis, a, b in zip("XYZ", low, high, strict=True)
            )
            what = f"'{fixture.name}'" if name == "fixture" else f"'{name.removeprefix('moving part ')}' of it"
            yield Finding(
                "FIXTURE_DOES_NOT_GO_ON",
                "error",
                setup.setup.name,
                f"{setup.setup.name}: {what} stands in the stock by {said_volume(float(shared.volume()))} ({where} in "
                f"{setup.setup.offset}): the part does not come to lie as it is planned.",
                "Cut what stands there before this setup, lay the part another way, or say what it is pushed against.",
                about=name,
            )


def not_against(plan: Plan) -> Iterator[Finding]:
    for setup, _hold, fixture, own in _in_own(plan):
        name = setup.setup.name
        for face in own.missed:
            yield Finding(
                "FIXTURE_FACE_MISSED",
                "error",
                name,
                f"{name}: nothing of the stock can meet '{face}' of '{fixture.name}': nothing gives the part its place "
                "there.",
                "Lay the part so that it stands before that face, or let the face be probed only.",
                about=face,
            )
        for face in own.lost:
            yield Finding(
                "FIXTURE_FACE_NOT_THERE",
                "error",
                name,
                f"{name}: the model of '{fixture.name}' has no flat face where '{face}' is said to be.",
                "Choose the face anew from those that the model has.",
                about=face,
            )
        if not own.at_rest:
            yield Finding(
                "FIXTURE_NO_REST",
                "error",
                name,
                f"{name}: pushed against one face of '{fixture.name}' the stock slides off another, and does not come "
                "to rest.",
                "Let one of the faces be probed only, or lay the part another way.",
            )


def on_its_spigot(plan: Plan) -> Iterator[Finding]:
    """What is said to go over a spigot must be an upright bore, wide enough, and clear below."""
    for setup, hold, fixture, own in _in_own(plan):
        if hold.over is None:
            continue
        name = setup.setup.name
        feature = next((each for each in setup.features if each.name == hold.over.feature), None)
        spigot = fixture.spigot(hold.over.spigot)
        if feature is None or spigot is None or own.play is None or feature.diameter is None:
            why = f"'{fixture.name}' has no spigot '{hold.over.spigot}'"
            if spigot is not None:
                why = f"'{hold.over.feature}' is no bore"
            yield Finding(
                "SPIGOT_NOT_THERE", "error", name, f"{name}: {why}, so nothing says where the part lies.",
                "Choose the bore and the spigot anew.",
            )  # fmt: skip
            continue
        upright = abs(float(setup.setup.orientation.matrix()[2] @ feature.direction()))
        if upright < _UPRIGHT:
            yield Finding(
                "SPIGOT_ASKEW", "error", name,
                f"{name}: '{feature.name}' does not stand upright as the part lies, and does not go over the spigot "
                f"'{spigot.name}'.",
                "Lay the part so that the bore stands upright, or choose another bore.",
            )  # fmt: skip
        elif feature.diameter < spigot.diameter - 1e-9:
            yield Finding(
                "SPIGOT_TOO_WIDE", "error", name,
                f"{name}: the spigot '{spigot.name}' is {said(spigot.diameter)} wide, the bore '{feature.name}' "
                f"{said(feature.diameter)}: it does not go over it.",
                "Choose another bore, or turn the spigot down.",
            )  # fmt: skip


def not_clamped(plan: Plan) -> Iterator[Finding]:
    """Each part that moves must come to the stock within its travel."""
    for setup, _hold, fixture, own in _in_own(plan):
        name = setup.setup.name
        index = setup.machine.fixtures.index(fixture)
        for k, (part, way) in enumerate(own.ways):
            travel = fixture.moving[k].travel
            if way is not None and way <= travel + 1e-9:
                continue
            missing = "never meets the stock" if way is None else f"would have to go {said(way)} to the stock"
            yield Finding(
                "MOVING_PART_SHORT",
                "hazard",
                name,
                f"{name}: '{part}' of '{fixture.name}' moves {said(travel)} and {missing}. It holds nothing.",
                "Lay the stock nearer to it, or use what reaches further.",
                tuple(
                    fix(
                        f"'{part}' moves {said(reach)}",
                        (*plan.job.machine_path(setup.setup), "fixtures", index, "moving", k, "travel"),
                        reach,
                        promise=True,
                    )
                    for reach in ([] if way is None else [round(way + 0.5, 1)])
                ),
                about=part,
            )


RULES = (does_not_go_on, not_against, on_its_spigot, not_clamped)
