"""The finished part as the CAD kernel sees it, in plain arrays that need no kernel to use.

Two meshes are kept: a ``coarse`` one that draws and cuts fast, and a ``fine`` one for the
simulated machine, whose ball must not feel the flats of a faceted bore.  All coordinates are
millimetres in P.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..errors import PlanError
from ..model.orientation import Orientation, PartDirection
from ..model.part import Feature, ModelReference
from ..once import lazy
from .meshes import Mesh

#: How far the triangles may stand off the true surface (mm).
COARSE_DEFLECTION = 0.08
FINE_DEFLECTION = 0.0015
Triple = tuple[float, float, float]


def triple(vector: NDArray[np.float64]) -> Triple:
    """Three plain floats without noise of the last bits, and without a negative nought."""
    x, y, z = (float(round(value, 12)) + 0.0 for value in vector)
    return (x, y, z)


@dataclass(frozen=True)
class Plane:
    """A flat face: outward unit normal, its distance along it from P zero, and its area.

    ``residual`` of this and the other kinds is how far the triangles stand off it where the face was
    fitted to them (mm), or where it ``was_spline`` and recognised; nought where the model states the face itself.
    """

    normal: Triple
    offset: float
    area: float
    residual: float = 0.0
    was_spline: bool = False


@dataclass(frozen=True)
class Cylinder:
    """A round face: a point on its axis, unit axis (3,), radius; ``start``..``end`` along the axis.

    ``inside`` is true where material lies outside of it, as in a hole.
    """

    point: Triple
    axis: Triple
    radius: float
    start: float
    end: float
    inside: bool
    sweep_deg: float
    area: float = 0.0
    residual: float = 0.0
    was_spline: bool = False


@dataclass(frozen=True)
class Cone:
    """A conical face like a ``Cylinder``, with its radii where it starts and ends along the axis."""

    point: Triple
    axis: Triple
    start_radius: float
    end_radius: float
    start: float
    end: float
    inside: bool
    sweep_deg: float
    area: float = 0.0
    residual: float = 0.0
    was_spline: bool = False


@dataclass(frozen=True)
class Freeform:
    """A face that is neither flat nor round about one axis: fillets, spheres, splines; ``kind`` says which."""

    area: float
    residual: float = 0.0
    kind: str = "other surface"


Surface = Plane | Cylinder | Cone | Freeform


@dataclass(frozen=True, eq=False)
class PartGeometry:
    """A part, or a casting, and its faces; ``key`` says what it was made from: equal keys mean equal geometry.

    ``fine_mesh`` gives the fine mesh when it is first wanted, since making it takes longer than all else.
    ``face_of`` (M,) says which of ``faces`` each triangle of ``coarse`` belongs to.  ``notes`` are
    words about how the model was read, such as what had to be mended.  ``extents`` are its lowest and highest
    corner from its surfaces; without them those of the facets count, which stand inside of round faces.
    ``shadows`` are those that its coarse mesh throws with a side up, where they were worked out beforehand (see
    ``cutting.views``).
    """

    key: str
    coarse: Mesh
    fine_mesh: Callable[[], Mesh]
    faces: tuple[Surface, ...]
    face_of: NDArray[np.int64]
    notes: tuple[str, ...] = ()
    extents: tuple[Triple, Triple] | None = None
    shadows: Mapping[PartDirection, Mesh] = field(default_factory=dict)
    #: Holes that are in the blank from the beginning, though no drawing has them.
    found: tuple[Feature, ...] = ()
    #: Of several parts of one blank a single one, and how far each further one lies from it (mm, P).
    single: PartGeometry | None = None
    shifts: tuple[Triple, ...] = ()

    @lazy
    def bodies(self) -> tuple[manifold3d.Manifold, ...]:
        """Each part of the blank by itself, the first one first."""
        if self.single is None:
            return (self.solid,)
        one = self.single.solid
        return (one, *(one.translate(shift) for shift in self.shifts))

    @lazy
    def solid(self) -> manifold3d.Manifold:
        return self.coarse.solid()

    @lazy
    def fine(self) -> Mesh:
        return self.fine_mesh()

    @lazy
    def fine_solid(self) -> manifold3d.Manifold:
        return self.fine.solid()

    @property
    def face_count(self) -> int:
        return len(self.faces)

    @lazy
    def planes(self) -> tuple[Plane, ...]:
        return tuple(face for face in self.faces if isinstance(face, Plane))

    @lazy
    def cylinders(self) -> tuple[Cylinder, ...]:
        return tuple(face for face in self.faces if isinstance(face, Cylinder))

    @property
    def low(self) -> NDArray[np.float64]:
        """Lowest corner (3,) of the part in P."""
        return self._corners[0]

    @property
    def high(self) -> NDArray[np.float64]:
        return self._corners[1]

    @lazy
    def _corners(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        return self.facet_corners if self.extents is None else (np.array(self.extents[0]), np.array(self.extents[1]))

    def u_corners(self, orientation: Orientation) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner (3,) in table-aligned part coordinates; tilted, those of its fine triangles."""
        places = np.array([self.low, self.high]) if orientation.is_square else self.fine.vertices
        turned = places @ orientation.matrix().T
        return turned.min(axis=0), turned.max(axis=0)

    @lazy
    def facet_corners(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner (3,) of the coarse mesh, which stands a little inside of round faces."""
        return self.coarse.vertices.min(axis=0), self.coarse.vertices.max(axis=0)


@dataclass(frozen=True)
class FixtureModels:
    """The geometry of the shop's own fixtures: pairs of a model's key and its geometry; equal for the same geometry."""

    pairs: tuple[tuple[str, PartGeometry], ...] = ()

    def has(self, reference: ModelReference) -> bool:
        return any(key == reference.key for key, _ in self.pairs)

    def geometry(self, reference: ModelReference) -> PartGeometry:
        """Raises PlanError where its file has not been read."""
        found = next((geometry for key, geometry in self.pairs if key == reference.key), None)
        if found is None:
            raise PlanError(
                f"The fixture's model '{reference.path}' has not been read; open the job again, or choose another "
                "fixture."
            )
        return found

    def solid(self, reference: ModelReference, *, fine: bool) -> manifold3d.Manifold:
        """As the simulated machine feels it where it is ``fine``, else as it is drawn and planned with."""
        geometry = self.geometry(reference)
        return geometry.fine_solid if fine else geometry.solid

    def and_also(self, others: FixtureModels) -> FixtureModels:
        """Each once."""
        return FixtureModels(tuple({**dict(self.pairs), **dict(others.pairs)}.items()))


NO_FIXTURES = FixtureModels()


@dataclass(frozen=True, eq=False)
class Models:
    """The geometry that a job refers to by file: of its part, of its stock where that is a model, and of fixtures."""

    part: PartGeometry | None = None
    stock: PartGeometry | None = None
    fixtures: FixtureModels = NO_FIXTURES
