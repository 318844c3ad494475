"""Edits of part and stock: names of features, features entered by dimensions, and forms of stock."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any, Literal, get_args

from ..blanks import blank_corners
from ..changing import add_item, free_name, remove_item, set_value
from ..errors import InvalidValueError
from ..frames import AXES, Axis
from ..model.base import Point, Size, Spread
from ..model.holding import OwnHold
from ..model.job import Job, made_on
from ..model.orientation import DIRECTIONS, PartDirection, direction_vector, shown
from ..model.part import BarShape, BlockShape, Feature, FeatureKind, ModelReference, copy_name
from ..model.stock import BarStock, BlockStock, ExtrusionStock, Measure, ModelStock, Stock, TubeStock
from ..plan import Plan
from ..recognition.matching import as_feature
from ..recognition.recognised import Recognised
from ..solids.geometry import PartGeometry

#: Kinds that can be entered by dimensions, in the order in which they are offered.
ENTERED: tuple[FeatureKind, ...] = (
    "hole", "counterbore", "countersink", "edge break", "pocket", "slot", "boss", "chamfer",
)  # fmt: skip
StockForm = Literal["block", "round bar", "tube", "extrusion"]
STOCK_FORMS: tuple[StockForm, ...] = get_args(StockForm)


# --- a part entered by dimensions -----------------------------------------------------------------


def with_part_size(job: Job, path: tuple[str, ...], mm: float) -> Job:
    """Another size of a part entered by dimensions; its stock keeps standing out over it as far as it does.

    ``path`` is where the size is in the job.  Raises InvalidValueError for a size that cannot be.
    """
    before = _part_extents(job)
    changed = set_value(job, path, mm)
    grown = [after - was for after, was in zip(_part_extents(changed), before, strict=True)]
    return _stock_grown(changed, grown)


def with_bar_along(job: Job, along: Axis) -> Job:
    """The bar's axis along another part direction; its stock goes along."""
    before = _part_extents(job)
    changed = set_value(job, ("part", "shape", "along"), along)
    if isinstance(changed.stock, BarStock | TubeStock):
        return set_value(changed, ("stock", "along"), along)
    return _stock_grown(changed, [after - was for after, was in zip(_part_extents(changed), before, strict=True)])


def _part_extents(job: Job) -> tuple[float, float, float]:
    shape = job.part.shape
    if isinstance(shape, BlockShape):
        return shape.size.as_tuple()
    assert isinstance(shape, BarShape), "asked of parts entered by dimensions"
    x, y, z = (shape.length if axis == shape.along else shape.diameter for axis in AXES)
    return x, y, z


def _stock_grown(job: Job, by: Sequence[float]) -> Job:
    """Block and bar stock larger along each axis by so much (mm); other stock stays as it is."""
    stock = job.stock
    if any(by):
        job = set_value(job, ("stock", "is_measured"), False)  # of this size there is no blank yet
    if isinstance(stock, BlockStock):
        for kind in ("nominal", "measured"):
            for axis, more in zip(AXES, by, strict=True):
                now = getattr(getattr(stock, kind), axis)
                if more:
                    job = set_value(job, ("stock", kind, axis), round(now + more, 6))
    elif isinstance(stock, BarStock | TubeStock):
        for name, axis in (("length", stock.along), ("diameter", AXES[(AXES.index(stock.along) + 1) % 3])):
            more = by[AXES.index(axis)]
            for kind in ("nominal", "measured"):
                if more:
                    job = set_value(job, ("stock", name, kind), round(getattr(getattr(stock, name), kind) + more, 6))
    return job


# --- features -----------------------------------------------------------------------------------


def name_feature(job: Job, found: Recognised, name: str | None = None) -> Job:
    """A recognised feature becomes one of the job's own, under ``name`` or the one recognition gave it."""
    names = [feature.name for feature in job.part.features]
    feature = as_feature(found).model_copy(update={"name": free_name(name or found.name, names)})
    return add_item(job, ("part", "features"), feature)


def rename_feature(job: Job, index: int, name: str) -> Job:
    """Another name, everywhere it is used: in operations, datums, probing cycles, tolerances and partners."""
    old = job.part.features[index].name
    numbers = range(2, len(job.part.copies) + 2)
    now = {old: name} | {copy_name(old, k): copy_name(name, k) for k in numbers}

    data = job.model_dump()
    data["part"]["features"][index]["name"] = name
    for feature in data["part"]["features"]:
        feature["partner"] = now.get(feature["partner"], feature["partner"])
        tolerance = feature["tolerance"]
        if tolerance is not None:
            tolerance["to"] = now.get(tolerance["to"], tolerance["to"])
    for setup in data["setups"]:
        for axis in ("x", "y", "z"):
            datum = setup["datum"][axis]
            datum["feature"] = now.get(datum["feature"], datum["feature"])
        over = setup["hold"].get("over")
        if over is not None:
            over["feature"] = now.get(over["feature"], over["feature"])
        for cycle in setup["probing"]["cycles"] or ():
            cycle["feature"] = now.get(cycle["feature"], cycle["feature"])
        for operation in setup["operations"]:
            operation["features"] = [now.get(each, each) for each in operation["features"]]
            on = operation.get("on")
            if isinstance(on, (list, tuple)):
                operation["on"] = [now.get(each, each) for each in on]
            elif on in now:
                operation["on"] = now[on]
    for step in data["bench"]:
        if step.get("feature") in now:
            step["feature"] = now[step["feature"]]
    # Checked as a whole: in between, references would lead nowhere.
    return set_value(job, (), data)


def alike_features(job: Job, index: int) -> tuple[int, ...]:
    """The features that differ from one in nothing but place and name, itself among them, in their order."""
    mine = _but_place(job.part.features[index])
    return tuple(k for k, feature in enumerate(job.part.features) if _but_place(feature) == mine)


def _but_place(feature: Feature) -> tuple[object, ...]:
    sizes = (feature.diameter, feature.depth, feature.length, feature.width, feature.radius)
    rounded = tuple(None if mm is None else round(mm, 2) for mm in sizes)
    return (feature.kind, feature.opens_to, feature.skew, feature.through, feature.lengthwise, *rounded)


def name_alike(job: Job, index: int) -> Job:
    """All features alike take the name of one, numbered: ``bolt hole 1``, ``bolt hole 2`` and so on.

    Raises InvalidValueError where another feature has one of these names already.
    """
    stem = re.sub(r"(, hole)?\s*\d+$", "", job.part.features[index].name).strip() or job.part.features[index].kind
    alike = alike_features(job, index)
    others = {f.name for k, f in enumerate(job.part.features) if k not in alike}
    taken = next((f"{stem} {n}" for n in range(1, len(alike) + 1) if f"{stem} {n}" in others), None)
    if taken is not None:
        raise InvalidValueError("name", f"'{taken}' is the name of another feature; rename that first")
    # Through names nobody has, since the new ones may be old ones of others.
    for n, k in enumerate(alike, start=1):
        job = rename_feature(job, k, f"\u2020{stem} {n}")
    for n, k in enumerate(alike, start=1):
        job = rename_feature(job, k, f"{stem} {n}")
    return job


def users_of(job: Job, name: str) -> tuple[str, ...]:
    """Where a feature is used, in words."""
    found = [
        f"{setup.name}, {axis.upper()} zero"
        for setup in job.setups
        for axis in ("x", "y", "z")
        if setup.datum.axis(axis).feature == name
    ]
    found += [
        f"{setup.name}, operation '{operation.name}'"
        for setup in job.setups
        for operation in setup.operations
        if name in made_on(operation)
    ]
    found += [
        f"{setup.name}, probing step '{cycle.name}'"
        for setup in job.setups
        for cycle in setup.probing.cycles or ()
        if cycle.feature == name
    ]
    found += [
        f"{setup.name}, over a spigot"
        for setup in job.setups
        if isinstance(setup.hold, OwnHold) and setup.hold.over is not None and setup.hold.over.feature == name
    ]
    found += [f"step '{step.name}'" for step in job.bench if getattr(step, "feature", None) == name]
    found += [f"partner of '{feature.name}'" for feature in job.part.features if feature.partner == name]
    return tuple(found)


def remove_feature(job: Job, index: int) -> Job:
    """The job without a named feature; raises InvalidValueError, naming the users, while it is used."""
    name = job.part.features[index].name
    users = users_of(job, name)
    if users:
        raise InvalidValueError("feature", f"'{name}' is used by {'; '.join(users)}; change that first")
    for s, setup in enumerate(job.setups):
        for k, operation in enumerate(setup.operations):
            if name in operation.features:
                rest = tuple(each for each in operation.features if each != name)
                job = set_value(job, ("setups", s, "operations", k, "features"), rest)
    return remove_item(job, ("part", "features"), index)


def add_feature(job: Job, kind: FeatureKind, plan: Plan) -> Job:
    """One more feature of a part that is entered by dimensions: in the middle of its top, of a usual size."""
    low, high = plan.geometry.low, plan.geometry.high
    x, y, z = (float(value) for value in ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2]))
    deep = round(float(high[2] - low[2]) / 3.0, 3)
    wide = round(float(min(high[0] - low[0], high[1] - low[1])) / 4.0, 3)
    sizes_by_kind: dict[str, dict[str, Any]] = {
        "hole": {"diameter": 6.0, "through": True},
        "counterbore": {"diameter": 10.0, "depth": deep},
        "countersink": {"diameter": 10.0, "depth": 2.0},
        "edge break": {"diameter": 8.0, "depth": 0.5},
        "pocket": {"length": 2.0 * wide, "width": wide, "depth": deep, "radius": wide / 4.0, "lengthwise": "+X"},
        "slot": {"length": 2.0 * wide, "width": wide / 2.0, "depth": deep, "lengthwise": "+X"},
        "boss": {"diameter": wide, "depth": deep},
        # Of the front edge of the top, 1 mm along both faces.
        "chamfer": {
            "length": float(high[0] - low[0]), "width": 2.0**0.5, "skew": Point(x=0, y=-1, z=1), "lengthwise": "+X",
        },
    }  # fmt: skip
    if kind == "chamfer":
        y, z = float(low[1]) + 0.5, z - 0.5
    height = z - deep if kind == "pocket" else z + deep if kind == "boss" else z
    name = free_name(kind, [feature.name for feature in job.part.features])
    feature = Feature(name=name, kind=kind, at=Point(x=x, y=y, z=height), opens_to="+Z", **sizes_by_kind[kind])
    return add_item(job, ("part", "features"), feature)


def with_direction(job: Job, index: int, opens_to: PartDirection) -> Job:
    """Another direction in which a feature opens; a length that would run along it takes another one."""
    feature = job.part.features[index]
    lengthwise = feature.lengthwise
    if lengthwise is not None and lengthwise[1] == opens_to[1]:
        lengthwise = next(way for way in DIRECTIONS if way[1] != opens_to[1])
    turned = feature.model_copy(update={"opens_to": opens_to, "skew": None, "lengthwise": lengthwise})
    return set_value(job, ("part", "features", index), turned)


def tilt_text(skew: Point) -> str:
    """A tilted direction as it is typed: ``0 -1 1``."""
    return " ".join(f"{value:g}" for value in skew.as_tuple())


def with_tilt(job: Job, index: int, text: str) -> Job:
    """A feature that opens in none of the part's six directions; blank text makes it square again.

    ``text`` has the direction's X, Y and Z, of any length; raises InvalidValueError when it cannot be read.
    """
    try:
        x, y, z = (float(number) for number in text.replace("−", "-").replace(",", " ").split() or (0, 0, 0))
    except ValueError as error:
        raise InvalidValueError("tilted towards", "takes three numbers, such as 0 -1 1, or nothing") from error
    feature = job.part.features[index]
    if not text.strip():
        return with_direction(job, index, feature.opens_to)
    opens_to = max(DIRECTIONS, key=lambda way: float(direction_vector(way) @ (x, y, z)))
    # The length lies across the direction as nearly as it can.
    lengthwise = feature.lengthwise
    if lengthwise is not None and abs(float(direction_vector(lengthwise) @ (x, y, z))) > 1e-9:
        square: PartDirection = min(DIRECTIONS, key=lambda way: abs(float(direction_vector(way) @ (x, y, z))))
        lengthwise = square
    tilted = {"opens_to": opens_to, "skew": {"x": x, "y": y, "z": z}, "lengthwise": lengthwise}
    return set_value(job, ("part", "features", index), feature.model_dump() | tilted)


def with_shape(job: Job, form: Literal["block", "bar"], plan: Plan) -> Job:
    """A part entered by dimensions as a block or a bar of the size it has now."""
    x, y, z = (float(value) for value in plan.geometry.high - plan.geometry.low)
    shape = (
        BlockShape(size=Size(x=x, y=y, z=z)) if form == "block" else BarShape(along="z", diameter=min(x, y), length=z)
    )
    return set_value(job, ("part", "shape"), shape)


# --- stock --------------------------------------------------------------------------------------


def with_stock_form(job: Job, form: StockForm, plan: Plan) -> Job:
    """Stock of another form that still holds the part: overall sizes stay where they can."""
    low, high = blank_corners(job.stock, plan.geometry, plan.models.stock)
    x, y, z = (float(value) for value in high - low)
    spread = job.stock.spread()
    common = {"material": job.stock.material, "allowance": job.stock.allowance, "grain": job.stock.grain}
    along: Axis = max(zip((x, y, z), ("x", "y", "z"), strict=True))[1]  # type: ignore[assignment]
    k = "xyz".index(along)
    length, across = (x, y, z)[k], [(x, y, z)[(k + 1) % 3], (x, y, z)[(k + 2) % 3]]
    measure = Measure(nominal=length, measured=length, varies=spread[k])
    round_about = _measure(_to_tenths((across[0] ** 2 + across[1] ** 2) ** 0.5))
    stock: Stock
    match form:
        case "block":
            size = Size(x=x, y=y, z=z)
            stock = BlockStock(
                nominal=size, measured=size, varies=Spread(x=spread[0], y=spread[1], z=spread[2]), **common
            )
        case "round bar":
            stock = BarStock(along=along, diameter=round_about, length=measure, **common)
        case "tube":
            bore = _measure(_to_tenths(round_about.measured / 4.0))
            stock = TubeStock(along=along, diameter=round_about, length=measure, bore=bore, **common)
        case _:
            a, b = across
            section = ((0.0, 0.0), (a, 0.0), (a, b), (0.0, b))
            stock = ExtrusionStock(along=along, section=section, length=measure, **common)
    return set_value(job, ("stock",), stock)


def with_stock_model(job: Job, reference: ModelReference, stock: PartGeometry, part: PartGeometry) -> Job:
    """Stock that is a model, such as a casting, its middle where the part's middle is."""
    x, y, z = (float(value) for value in (part.low + part.high - stock.low - stock.high) / 2.0)
    common = {"material": job.stock.material, "grain": job.stock.grain}
    return set_value(job, ("stock",), ModelStock(model=reference, at=Point(x=x, y=y, z=z), **common))


def section_text(section: tuple[tuple[float, float], ...]) -> str:
    """The corners of a section as they are typed: ``0 0, 40 0, 40 20``."""
    return ", ".join(f"{a:g} {b:g}" for a, b in section)


def with_section(job: Job, text: str) -> Job:
    """The extrusion's section from its corners in mm; raises InvalidValueError when they cannot be read."""
    try:
        corners = [tuple(float(number) for number in pair.split()) for pair in text.replace("−", "-").split(",")]
    except ValueError as error:
        raise InvalidValueError("section", f"{error}; write two numbers a corner, corners apart by commas") from error
    if any(len(corner) != 2 for corner in corners):
        raise InvalidValueError("section", "a corner has two numbers, such as 40 20; corners are apart by commas")
    return set_value(job, ("stock", "section"), corners)


def _measure(mm: float) -> Measure:
    return Measure(nominal=mm, measured=mm)


def _to_tenths(mm: float) -> float:
    """Rounded up, so that nothing gets too small by rounding."""
    return -(-mm * 10.0 // 1.0) / 10.0


def prepared_words(faces: Sequence[PartDirection]) -> str:
    """As ``with_prepared`` takes it in again."""
    return ", ".join(shown(face) for face in faces)


def with_prepared(job: Job, text: str) -> Job:
    """The prepared faces of the blank from their names, such as ``+Z, -Z``.  Raises InvalidValueError."""
    found: list[PartDirection] = []
    for word in text.replace("−", "-").replace(",", " ").upper().split():
        face = next((each for each in DIRECTIONS if each == word), None)
        if face is None:
            raise InvalidValueError(
                "prepared faces", f"'{word}' is no face of the blank; name part directions, such as +Z, −Z"
            )
        if face not in found:
            found.append(face)
    return set_value(job, ("stock", "prepared"), tuple(found))
