"""All features of a part in one list: what recognition finds, under the job's own names where it gave some."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .model.orientation import Orientation, PartDirection
from .model.part import Feature, FeatureKind
from .plan import Plan
from .recognition.matching import found_for
from .recognition.recognise import recognise
from .recognition.recognised import Recognised
from .sides.reach import reach_of
from .solids.geometry import Triple, triple

#: Whether some setup has to cut a feature, or the stock already has it.
Surface = Literal["raw", "finished"]
_SIZES = ("diameter", "length", "width", "depth", "radius")


@dataclass(frozen=True)
class FeatureRow:
    """One feature: ``named`` when it stands in the job, ``index`` its number there (else None).

    ``surface`` says whether the planned setups cut it or leave it as the stock is; ``found`` is what
    recognition has, None for a named place that shows no such face.  Lengths in mm in P.
    """

    name: str
    kind: FeatureKind
    index: int | None
    at: Triple
    direction: Triple
    sizes: tuple[tuple[str, float], ...]
    through: bool | None
    steps: tuple[tuple[float, float], ...]
    sides: tuple[PartDirection, ...]
    surface: Surface
    residual: float
    found: Recognised | None

    @property
    def named(self) -> bool:
        return self.index is not None


def feature_list(plan: Plan) -> tuple[FeatureRow, ...]:
    """The job's own features in their order, then everything else that was recognised."""
    features, geometry = plan.job.part.features, plan.geometry
    of_features = [found_for(feature, geometry) for feature in features]
    taken = {found.name for found in of_features if found is not None}
    to_cut = {reach.name for reach in plan.reaches}
    given = {found.name: f.name for f, found in zip(features, of_features, strict=True) if found is not None}
    cut_faces = {k for found in recognise(geometry) if given.get(found.name, found.name) in to_cut for k in found.faces}

    def surface(found: Recognised | None) -> Surface:
        return "finished" if found is None or cut_faces & set(found.faces) else "raw"

    rows = [
        _named_row(index, feature, found, reach_of(feature, geometry), surface(found))
        for index, (feature, found) in enumerate(zip(features, of_features, strict=True))
    ]
    rows += [_row(found, surface(found)) for found in recognise(geometry) if found.name not in taken]
    return tuple(rows)


def _named_row(
    index: int, feature: Feature, found: Recognised | None, sides: tuple[PartDirection, ...], surface: Surface
) -> FeatureRow:
    return FeatureRow(
        name=feature.name,
        kind=feature.kind,
        index=index,
        at=feature.at.as_tuple(),
        direction=triple(feature.direction()),
        sizes=_sizes(feature, found),
        through=feature.through if feature.through is not None else found.through if found else None,
        steps=found.steps if found else (),
        sides=sides,
        surface=surface,
        residual=found.residual if found else 0.0,
        found=found,
    )


def _row(found: Recognised, surface: Surface) -> FeatureRow:
    return FeatureRow(
        name=found.name,
        kind=found.kind,
        index=None,
        at=found.at,
        direction=found.direction,
        sizes=_sizes(found, None),
        through=found.through,
        steps=found.steps,
        sides=found.sees,
        surface=surface,
        residual=found.residual,
        found=found,
    )


def _sizes(of: Feature | Recognised, otherwise: Recognised | None) -> tuple[tuple[str, float], ...]:
    """Sizes that are known, by name; what the job leaves open comes from the model."""
    sizes = []
    for name in _SIZES:
        stated = getattr(of, name)
        value = stated if stated is not None else getattr(otherwise, name, None)
        if value is not None:
            sizes.append((name, float(value)))
    return tuple(sizes)


#: What the reference point of a feature is called at its end, by kind; others have it in the middle of something.
_ENDS: dict[FeatureKind, str] = {
    "hole": "mouth", "bore": "mouth", "counterbore": "mouth", "countersink": "mouth", "slot": "mouth, middle",
    "boss": "end", "outer round": "end",
}  # fmt: skip
#: An end that leans by more than this from upright is neither the upper nor the lower one.
_UPRIGHT = 0.7


def reference_words(feature: Feature, orientation: Orientation) -> str:
    """Which point of a feature its coordinates are those of, as it lies in a setup."""
    if feature.kind == "pocket":
        return "floor, middle"
    end = _ENDS.get(feature.kind)
    if end is None:
        return "a point of it"
    up = float(orientation.matrix()[2] @ feature.direction())
    return f"upper {end}" if up > _UPRIGHT else f"lower {end}" if up < -_UPRIGHT else end
