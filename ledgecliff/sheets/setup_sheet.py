"""The setup sheet of a job as one self-contained HTML page, and the same page as PDF.

Everything a job says is escaped by the template engine; drawings are made here and inserted as
they are.  The PDF printer may load nothing but what is inside the page.
"""

from __future__ import annotations

import base64
from functools import cache
from importlib import resources
from typing import Any

import jinja2
from markupsafe import Markup

from ledgecliff.core.blanks import stock_size
from ledgecliff.core.datums import datum_words
from ledgecliff.core.drawing.line_work import VIEW_NAMES
from ledgecliff.core.drawing.part_views import stock_views
from ledgecliff.core.drawing.stage import jaw_in_front, setup_views
from ledgecliff.core.edits.bench import BENCH_WORDS, CAUTIONS
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.findings.everything import NOTHING_BESIDE, Beside, found_against, with_rehearsed
from ledgecliff.core.frames import AXES
from ledgecliff.core.holding.second_blank import second_shift
from ledgecliff.core.model.holding import (
    BoardHold,
    ChuckHold,
    JigHold,
    OwnHold,
    PlateHold,
    SoftJaws,
    StepJaws,
    ViseHold,
    VJaws,
    block_away,
)
from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.stations import Mount
from ledgecliff.core.model.stock import Allowance, measured_along
from ledgecliff.core.places import distance_of, rotaries_under, stands_at, station_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.released import files_of_setup
from ledgecliff.core.programs.rotation import turned_words
from ledgecliff.core.programs.text import comment
from ledgecliff.core.programs.writer import hovering
from ledgecliff.core.quantities import Unit, format_length, said, spell
from ledgecliff.core.rehearsal.told import said_of_proof
from ledgecliff.core.rotary_schools import indexed, model_placement
from ledgecliff.core.route import scenes_of, wait_words
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.several_parts import cut_apart_in, names_of
from ledgecliff.core.tape.bench import bench_words
from ledgecliff.core.turns.turn_plan import turns_of

from .about import NOT_SAID, About
from .instances_table import instances_table
from .svg import svg
from .turn_page import turn_page

_WIDTH = 660.0


class SheetError(LedgecliffError, OSError):
    """The sheet cannot be printed here; the text says what is missing."""


def sheet_html(plan: Plan, unit: Unit = "mm", beside: Beside = NOTHING_BESIDE, about: About = NOT_SAID) -> str:
    """The whole sheet as HTML, lengths in ``unit``; what is known ``beside`` the plan, and what a rehearsal came to,
    counts among its findings."""
    found = with_rehearsed(plan, found_against(plan, beside), about.rehearsal, about.worlds)
    template = page_environment(unit).get_template("setup_sheet.html")
    return template.render(
        job=plan.job,
        machines=", ".join(machine.name for machine in plan.job.machines),
        unit=unit,
        fonts=embedded_fonts(),
        # Inside a style sheet HTML escaping does not help, so only harmless signs get there.
        footer=Markup(comment(plan.job.title).replace('"', "").replace("'", "")),
        scenes=scenes_of(plan),
        findings=found,
        blocked=any(finding.severity in ("hazard", "error") for finding in found),
        about=about,
        proof=said_of_proof(about.rehearsal, about.worlds),
        tools=_tools(plan),
        stock_words="measured" if all(measured_along(plan.job.stock)) else "assumed",
        stock_size=[float(value) for value in stock_size(plan.job.stock, plan.models.stock)],
        allowances=_allowances(plan.job.stock.allowance),
        part_size=[float(value) for value in plan.geometry.high - plan.geometry.low],
        stock_views=[Markup(svg(drawing, unit, 0.48 * _WIDTH, 190.0)) for drawing in stock_views(plan)],
        setups=[_setup(plan, setup, unit) for setup in plan.setups],
        at_last=_beside(plan, len(plan.setups)),
        parts=_parts(plan),
        cut_apart=cut_apart_in(plan),
    )


def sheet_pdf(plan: Plan, unit: Unit = "mm", beside: Beside = NOTHING_BESIDE, about: About = NOT_SAID) -> bytes:
    """The sheet as PDF.  Raises SheetError when the text layout library of the system is missing."""
    return print_page(sheet_html(plan, unit, beside, about))


def print_page(html: str) -> bytes:
    """A self-contained HTML page as PDF.  Raises SheetError when the text layout library is missing."""
    try:
        from weasyprint import HTML  # loads system libraries, and slowly
        from weasyprint.urls import URLFetcher
    except OSError as error:
        raise SheetError(f"PDF needs the system library Pango, which is missing here ({error}).") from error
    pdf: bytes = HTML(string=html, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf()
    return pdf


@cache
def page_environment(unit: Unit) -> jinja2.Environment:
    """Templates with lengths in a unit."""
    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("ledgecliff", "sheets/templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    environment.filters["mm"] = lambda value: format_length(float(value), unit)
    environment.filters["spelled"] = lambda text: spell(text, unit)
    environment.filters["signed"] = lambda value: format_length(float(value), unit, sign=True)
    return environment


def embedded_fonts() -> dict[str, str]:
    """The fonts of pages, to be put inside them."""
    return {"regular": _font("B612-Regular.otf"), "bold": _font("B612-Bold.otf")}


@cache
def _font(name: str) -> str:
    data = (resources.files("ledgecliff") / "resources" / "fonts" / name).read_bytes()
    return base64.b64encode(data).decode("ascii")


def _allowances(allowance: Allowance) -> list[tuple[str, float]]:
    """Sides with a stated allowance, as part directions."""
    return [
        (sign + axis.upper(), mm)
        for axis in AXES
        for sign, mm in zip(("−", "+"), allowance.sides(axis), strict=True)
        if mm is not None
    ]


def _setup(plan: Plan, setup: SetupPlan, unit: Unit) -> dict[str, Any]:
    plan_view, _ = setup_views(setup, "probe")
    _, front_view = setup_views(setup, "hold")
    cutters = [setup.machine.cutter(operation.tool) for operation in setup.setup.operations]
    z_zero = float(setup.wcs.u_origin[2])
    return {
        "plan": setup,
        "bench": _beside(plan, setup.index),
        "turn": turn_page(plan, turns_of(plan)[setup.index - 1], unit, _WIDTH) if setup.index else None,
        "files": _files(plan, setup.index),
        "toolpaths": [operation.program for operation in setup.setup.operations if operation.program],
        "view_names": VIEW_NAMES[setup.machine.spindle],
        "views": [Markup(svg(plan_view, unit, _WIDTH, 250.0)), Markup(svg(front_view, unit, _WIDTH, 190.0))],
        "datum": [
            {
                "axis": axis.upper(),
                "words": datum_words(axis, setup.setup.datum.axis(axis)),
                "shift": setup.setup.datum.axis(axis).shift,
            }
            for axis in AXES
        ],
        "heights": [{"name": rung.name, "w_z": rung.u_z - z_zero} for rung in setup.heights()],
        "block_away": block_away(setup.setup.hold),
        "held_before": plan.job.held_before(setup.index),
        "hover": hovering(setup),
        "turned": turned_words(setup),
        "cut_away": jaw_in_front(setup),
        "held_by": _held_by(setup),
        "holding": [*_holding_rows(setup), *_placed_rows(plan, setup)],
        "probe_tool": setup.machine.probe.tool,
        "tools": [cutter.name if cutter else "" for cutter in cutters],
        "many": instances_table(plan, setup.index, unit, _WIDTH),
    }


def _parts(plan: Plan) -> list[dict[str, Any]]:
    """Every part of the blank, with its features, each to be measured and noted by itself; none for a single one."""
    if not plan.job.part.copies:
        return []
    return [
        {
            "name": name,
            "features": [each.name for each in plan.job.part.features if (each.on_copy or 1) == number],
        }
        for number, name in enumerate(names_of(plan), start=1)
    ]


def _beside(plan: Plan, index: int) -> list[dict[str, str]]:
    """What is done beside the machine before a setup, or after all of them, each with its box."""
    return [
        {
            "name": done.step.name,
            "what": BENCH_WORDS[done.step.kind],
            "changes": bench_words(done),
            "wait": wait_words(done.step.wait) if done.step.wait else "",
            "note": done.step.note,
            "caution": CAUTIONS[done.step.kind],
        }
        for done in plan.bench[index]
    ]


def _files(plan: Plan, index: int) -> dict[str, str]:
    """How the setup's programs are called, by what they do; where none can be written, a word for it."""
    try:
        return {what: name for what, (name, _) in files_of_setup(plan, index).items()}
    except LedgecliffError:
        return {"probe": "cannot be written", "hover": "cannot be written"}


def _tools(plan: Plan) -> list[dict[str, Any]]:
    """Every tool that the job calls, the probes among them, with the setups that call it."""
    rows: list[dict[str, Any]] = []
    for machine in plan.job.machines:
        here = [setup for setup in plan.setups if setup.machine.id == machine.id]
        for cutter in machine.cutters:
            calls = [
                setup.setup.name
                for setup in here
                if cutter.tool in (setup.setup.hover.tool, *(step.tool for step in setup.setup.operations))
            ]
            if calls:
                rows.append({
                    "number": cutter.tool, "name": cutter.name, "length": cutter.tip_length,
                    "diameter": cutter.diameter, "reach": cutter.reach, "is_set": cutter.is_set, "setups": calls,
                })  # fmt: skip
        for probe in machine.probes:
            probed = [each.setup.name for each in here if each.probing.steps and each.machine.probe.tool == probe.tool]
            if not probed:
                continue
            rows.append({
                "number": probe.tool, "name": "probe", "length": probe.length, "diameter": probe.ball_diameter,
                "reach": probe.reach, "is_set": True, "setups": probed,
            })  # fmt: skip
    return rows


def _held_by(setup: SetupPlan) -> str:
    kind, name = fixture_words(setup.machine, setup.setup)
    return f"{'on' if kind in ('plate', 'spoilboard') else 'in'} the {name}"


def _own_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What a fixture of the shop's own is laid against and closed by: how far each part of it moves."""
    hold, holding = setup.setup.hold, setup.holding
    if not isinstance(hold, OwnHold) or not isinstance(holding.fixture, OwnFixture) or holding.own is None:
        return []
    rows: list[tuple[str, float | None]] = []
    if hold.over is not None:
        rows.append((f"{hold.over.feature} over the spigot {hold.over.spigot}", None))
    else:
        faces = (*holding.fixture.against(0), *holding.fixture.against(1))
        rows += [(f"pushed against {face.name}", None) for face in faces]
    rows += [(f"{name} moves to the stock by", way) for name, way in holding.own.ways if way is not None]
    rows += [(f"screw {k}, head Ø{said(s.head_diameter)}", None) for k, s in enumerate(holding.fixture.screws, 1)]
    rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
    return rows


def _placed_rows(plan: Plan, setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What a toolpath system must be told where one offset at the centre of rotation is used; with the first index."""
    first = next((each.first for each in indexed(plan) if each.setup is setup), None)
    placed = None if first is not setup else model_placement(setup)
    if placed is None:
        return []
    rows: list[tuple[str, float | None]] = [
        (f"model from the centre of rotation, {axis.upper()}", value)
        for axis, value in zip(AXES, placed.zero, strict=True)
    ]
    turns = ", ".join(f"{turn:.4f}° about {axis.upper()}" for axis, turn in zip(AXES, placed.turns, strict=True))
    return [*rows, (f"and turned {turns}", None)]


def _carrier_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """The pallets and faces that its fixture stands on, as they measure."""
    rows: list[tuple[str, float | None]] = []
    for each in setup.machine.carried_by(station_of(setup.machine, setup.setup)):
        if not isinstance(each, Mount):
            continue
        day = f", measured on {each.measured_on}" if each.measured_on else ""
        distance = distance_of(setup.machine, each)
        rows.append((f"stands on {each.name}{'' if distance is None else ', from the axis'}{day}", distance))
        for axis, tilt in (("X", each.tilt_x_deg), ("Y", each.tilt_y_deg)):
            if tilt:
                rows.append((f"which stands out of square by {tilt:+.4f}° about its {axis}", None))
    return rows


def _holding_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What has to be put together before the stock is clamped, with its sizes (mm)."""
    # As it is with its station level: an index may have stood all of it up.
    hold, holding = setup.setup.hold, setup.clamping.level
    under = reversed(rotaries_under(setup.machine, setup.setup))
    rows: list[tuple[str, float | None]] = [
        (f"{each.word} ({each.name}) stands at {stands_at(each, setup.setup.index):g}°", None) for each in under
    ]
    rows += _carrier_rows(setup)
    if setup.clamping.still:
        return [*rows, ("clamped as in the setup before, and not taken out", None)]
    shift = second_shift(holding.fixture, hold)
    if shift is not None:
        rows += [(f"second blank from the first, {'XY'[k]}", float(shift[k])) for k in (0, 1) if shift[k]]
    if setup.laid_by_eye is not None:
        rows.append(("laid by eye, to within ±", setup.laid_by_eye.within))
    match hold:
        case ViseHold():
            match hold.jaws:
                case StepJaws():
                    rows.append(("jaw step over the bed", hold.jaws.height))
                case SoftJaws():
                    rows.append(("soft jaws, cut below their tops", hold.jaws.depth))
                case VJaws(width=width, angle_deg=angle, both=both):
                    which = "both jaws" if both else f"the {holding.jaws.names[0]}" if holding.jaws else ""
                    rows.append((f"upright groove of {angle:g}° in {which}, wide", width))
                    rows.append(("parallels", hold.parallels_height))
                case _:
                    rows.append(("parallels", hold.parallels_height))
            assert holding.jaws is not None, "a vise has jaws"
            rows.append(("jaw opening", holding.opening))
            rows.append((f"grip (least {said(holding.jaws.vise.grip_min)})", holding.grip))
            if hold.stop is not None:
                across = f"block across the jaws' {hold.stop.side} end until clamped, height over the bed"
                stop = across if hold.stop.at_jaw_end else f"stop on the {hold.stop.side}, height over the bed"
                rows.append((stop, hold.stop.height))
        case PlateHold():
            rows += [(f"dowel {k}, Ø{said(dowel.diameter)}", dowel.height) for k, dowel in enumerate(hold.dowels, 1)]
            rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
        case BoardHold():
            rows += [(f"screw {k}, head Ø{said(screw.head_diameter)}", None) for k, screw in enumerate(hold.screws, 1)]
            if hold.tape is not None:
                rows.append(("tape, thick", hold.tape))
            if hold.fence is not None:
                rows.append((f"pushed against the fence at its {hold.fence.side}, long", hold.fence.length))
            if hold.mark is not None:
                rows.append((f"zero mark cut into the bare board at X0 Y0, T{hold.mark.tool}, arms", hold.mark.arm))
        case JigHold():
            rows.append((f"the jig's {hold.pocket} pocket, grip", holding.pocket_grip()))
            rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
            if hold.tape is not None:
                rows.append(("tape, thick", hold.tape))
        case OwnHold():
            rows += _own_rows(setup)
        case ChuckHold():
            rows.append(("in the chuck's jaws, deep", hold.grip))
        case _:
            rows.append(("strap over it, wide" if hold.strap else "no strap", hold.strap))
    return [*rows, *_support_rows(setup)]


def _support_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """Blocks cut in place, with how high they are left."""
    rows: list[tuple[str, float | None]] = []
    for each in setup.supports:
        size = f"{said(each.support.length)} × {said(each.support.width)}"
        left = "left high" if each.is_level else "left high, sloping, at most"
        words = f"{each.name} on the {each.floor.name}, {size}, {left}"
        rows.append((words, each.height if each.block is not None else None))
    return rows
