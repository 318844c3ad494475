"""How the part lies in a setup, how it is turned there, and where its zero is taken from."""

from __future__ import annotations

import numpy as np

from ..changing import set_value
from ..datums import Wcs
from ..errors import InvalidValueError
from ..frames import AXES, Array, Axis, Turn, rotation
from ..model.job import Job
from ..model.orientation import Orientation, PartDirection, all_orientations, orientation_from_matrix
from ..model.setup import SOURCES, AxisDatum, DatumSource
from ..model.stations import AxisTurn
from ..quantities import Unit
from ..typed import parse_length

#: Places nearer than this say no direction (mm); a turn of less is none (degrees).
_APART, _NO_ANGLE_DEG = 0.01, 1e-9
#: About which axes what a square orientation leaves is turned, in this order.
_TURNED: tuple[Axis, ...] = ("z", "y", "x")


def set_datum(
    job: Job,
    setup: int,
    axis: Axis,
    source: DatumSource,
    feature: str | None = None,
    dowel: int | None = None,
    face: str | None = None,
) -> Job:
    """Another source for one axis of a setup's zero, its shift kept."""
    if source not in SOURCES[axis]:
        raise InvalidValueError(f"{axis.upper()} zero", f"'{source}' cannot give it; choose {', '.join(SOURCES[axis])}")
    shift = job.setups[setup].datum.axis(axis).shift
    datum = AxisDatum(source=source, feature=feature, dowel=dowel, face=face, shift=shift)
    return set_value(job, ("setups", setup, "datum", axis), datum)


def turn_setup(job: Job, setup: int, axis: Axis, angle_deg: float) -> Job:
    """Turns the part into ``setup`` from the one before by ``angle_deg`` (quarter turns) about a machine axis."""
    before = job.setups[setup - 1].orientation.matrix()
    after = orientation_from_matrix(rotation(axis, angle_deg) @ before)
    return set_value(job, ("setups", setup, "orientation"), after)


def turn_words(axis: Axis, angle_deg: float) -> str:
    """How a turn by quarter turns about a machine axis is called."""
    start = Orientation()
    return Turn(start, orientation_from_matrix(rotation(axis, angle_deg) @ start.matrix())).in_shop_words()


def orient_setup(job: Job, setup: int, up: PartDirection | None = None, right: PartDirection | None = None) -> Job:
    """Another way for the part to lie.  A right direction that the new up direction rules out gives
    way to the part direction that lay up before."""
    now = job.setups[setup].orientation
    up, right = up or now.up, right or now.right
    if up[1] == right[1]:
        right = now.up
    return set_value(job, ("setups", setup, "orientation"), Orientation(up=up, right=right))


def lay_by_places(job: Job, setup: int, text: str, unit: Unit = "mm") -> Job:
    """Lays the part so that three of its places say how: a first one, one towards machine +X from there, and one on the
    side of +Y, all three in one level plane.

    ``text`` names them with semicolons between: a feature's name or three part coordinates each, in ``unit`` where they
    have none.  Raises InvalidValueError where that cannot be read, or the places lie on one line.
    """
    words = [each.strip() for each in text.split(";")]
    if len(words) != 3:
        raise InvalidValueError(
            "places", "takes three, with semicolons between: the first, one towards +X, one towards +Y"
        )
    first, to_right, to_back = (_place(job, each, unit) for each in words)
    right = _unit(to_right - first, f"'{words[0]}' and '{words[1]}' are at one place")
    back = to_back - first - float((to_back - first) @ right) * right
    back = _unit(back, f"'{words[2]}' lies on the line of the other two")
    return set_value(
        job, ("setups", setup, "orientation"), orientation_of(np.array([right, back, np.cross(right, back)]))
    )


def lay_face_up(job: Job, setup: int, name: str) -> Job:
    """Lays the part so that a feature opens, or a face looks, straight up; to the right points what did so before as
    nearly as can be.  Raises InvalidValueError where there is no such feature."""
    feature = job.part.feature(name)
    if feature is None:
        raise InvalidValueError("face up", f"there is no feature '{name}' on the part; name one that exists")
    up, lay = feature.direction(), job.setups[setup].orientation.matrix()
    # What pointed right before may be what looks up now: then what looked up points to the right.
    before = min((lay[0], lay[2]), key=lambda row: round(abs(float(row @ up)), 9))
    right = before - float(before @ up) * up
    right = right / np.linalg.norm(right)
    return set_value(job, ("setups", setup, "orientation"), orientation_of(np.array([right, np.cross(up, right), up])))


def orientation_of(matrix: Array) -> Orientation:
    """The orientation whose matrix is a given rotation (3, 3): the square one nearest to it, then turned about Z, Y
    and X by what is left."""
    from scipy.spatial.transform import Rotation  # slow to import, and few parts lie askew

    square = max(all_orientations(), key=lambda each: float(np.sum(each.matrix() * matrix)))
    left = matrix @ square.matrix().T
    angles = Rotation.from_matrix(left).as_euler("zyx", degrees=True)
    turns = tuple(
        AxisTurn(about=axis, degrees=float(angle))
        for axis, angle in zip(_TURNED, angles, strict=True)
        if abs(angle) > _NO_ANGLE_DEG
    )
    return square.model_copy(update={"tilted": turns})


def _place(job: Job, words: str, unit: Unit) -> Array:
    feature = job.part.feature(words)
    if feature is not None:
        return np.array(feature.at.as_tuple())
    numbers = words.split(",") if "," in words else words.split()
    if len(numbers) != 3:
        raise InvalidValueError(
            "places", f"'{words}' is no feature's name, nor three part coordinates such as 10, 0, 25.5"
        )
    return np.array([parse_length(number, unit) for number in numbers])


def _unit(vector: Array, why_not: str) -> Array:
    length = float(np.linalg.norm(vector))
    if length < _APART:
        raise InvalidValueError("places", f"{why_not}; choose places that lie further apart")
    unit: Array = vector / length
    return unit


def with_zero_at(job: Job, setup: int, wcs: Wcs, text: str, unit: Unit = "mm") -> Job:
    """The zero at a place of the part, a feature's name or three part coordinates: each axis keeps what it is taken
    from, and is shifted from there.  ``wcs`` is the setup's as it is planned now.  Raises InvalidValueError."""
    moves = wcs.reads(_place(job, text.strip(), unit))
    datum = job.setups[setup].datum
    for axis, move in zip(AXES, moves, strict=True):
        source = datum.axis(axis)
        moved = source.model_copy(update={"shift": round(source.shift + float(move), 6) + 0.0})
        datum = datum.model_copy(update={axis: moved})
    return set_value(job, ("setups", setup, "datum"), datum)
