"""Sources as they are entered: a value, how it enters, and how it is spread."""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from ..errors import InvalidValueError
from ..frames import Array
from .distributions import Distribution, standard_of

#: So many sources and values are looked at, at the most.
_MOST_SOURCES, _MOST_VALUES = 1000, 1_000_000

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]


class _Strict(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Source(_Strict):
    """One thing that enters: its best ``value``, by how much the result changes with it (``sensitivity``), and how it
    is spread about that value.

    ``size`` is the standard uncertainty of ``normal`` and ``one-sided``, the half width of ``uniform``, ``triangular``
    and ``arcsine``, the radius of ``disc``; ``samples`` have their ``values`` in its place, about which ``value`` is
    their mean where it is not given.  ``dof`` are its degrees of freedom; of samples one less than there are.
    """

    name: Annotated[str, Field(min_length=1, max_length=200)]
    value: Finite | None = None
    sensitivity: Finite | None = None
    distribution: Distribution = "normal"
    size: Annotated[float, Field(ge=0, le=1e12, allow_inf_nan=False)] | None = None
    values: Annotated[tuple[Finite, ...], Field(max_length=_MOST_VALUES)] = ()
    dof: Annotated[float, Field(ge=1, le=1e12)] | None = None

    @model_validator(mode="after")
    def _has_its_size(self) -> Source:
        if self.distribution == "samples":
            if self.size is not None:
                raise ValueError("samples have their values, and no size; remove the size")
            if len(self.values) < 2:
                raise ValueError("samples need two values or more; enter them")
        elif self.values:
            raise ValueError(f"{self.distribution} has a size, and no values; remove them, or make it samples")
        elif self.size is None:
            raise ValueError(f"{self.distribution} needs its size; enter it")
        return self

    @property
    def at(self) -> float:
        if self.value is not None:
            return self.value
        return math.fsum(self.values) / len(self.values) if self.values else 0.0

    @property
    def u(self) -> float:
        """Standard uncertainty, before it is multiplied by how it enters."""
        return standard_of(self.distribution, self.size or 0.0, self.values)

    @property
    def freedom(self) -> float:
        if self.dof is not None:
            return self.dof
        return len(self.values) - 1.0 if self.distribution == "samples" else math.inf


class Sources(_Strict):
    """Everything that enters one result: a sum of values times sensitivities, or what ``model`` makes of the values.

    ``correlated`` has pairs of names with their coefficient of correlation.
    """

    sources: Annotated[tuple[Source, ...], Field(min_length=1, max_length=_MOST_SOURCES)]
    correlated: Annotated[tuple[tuple[str, str, float], ...], Field(max_length=_MOST_SOURCES)] = ()
    model: str | None = None

    @model_validator(mode="after")
    def _fits_together(self) -> Sources:
        names = [each.name for each in self.sources]
        if twice := next((name for k, name in enumerate(names) if name in names[:k]), None):
            raise ValueError(f"the source '{twice}' is there twice; give each a name of its own")
        if self.model is not None:
            for each in self.sources:
                if each.sensitivity is not None:
                    raise ValueError(
                        f"'{each.name}' has a sensitivity though the model says how it enters; remove one of both"
                    )
                if not each.name.isidentifier():
                    raise ValueError(f"'{each.name}' cannot be named in a formula; use letters, digits and _ only")
        seen: set[frozenset[str]] = set()
        for a, b, r in self.correlated:
            if missing := next((name for name in (a, b) if name not in names), None):
                raise ValueError(f"correlated: there is no source '{missing}'; name one of them")
            if a == b or frozenset((a, b)) in seen:
                raise ValueError(f"correlated: '{a}' and '{b}' stand there twice, or are one; remove that")
            if not -1.0 <= r <= 1.0:
                raise ValueError(f"correlated: {r:g} of '{a}' and '{b}' is no coefficient; it is between -1 and 1")
            seen.add(frozenset((a, b)))
        return self


def sources_of(data: object) -> Sources:
    """Raises InvalidValueError naming the field, why it is refused and what would do."""
    try:
        return Sources.model_validate(data)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ", ".join(f"source {part + 1}" if isinstance(part, int) else str(part) for part in first["loc"])
        raise InvalidValueError(where or "sources", f"{first['msg'].removeprefix('Value error, ')}.") from error


def correlation(sources: Sources) -> Array:
    """The matrix (N, N) of coefficients, in the order of the sources.

    Raises InvalidValueError where no quantities could be correlated so.
    """
    names = [each.name for each in sources.sources]
    matrix = np.eye(len(names))
    for a, b, r in sources.correlated:
        i, j = names.index(a), names.index(b)
        matrix[i, j] = matrix[j, i] = r
    if sources.correlated and float(np.linalg.eigvalsh(matrix).min()) < -1e-9:
        raise InvalidValueError(
            "correlated",
            "no quantities can be correlated so: with a like b, and b like c, a and c cannot be as is said. Correct "
            "the coefficients.",
        )
    return matrix
