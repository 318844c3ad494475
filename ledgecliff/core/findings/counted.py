"""How many findings there are, and where."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from ..finding import SEVERITIES, Finding


def kinds_counted(findings: Iterable[Finding]) -> str:
    """How many of each severity: "1 error, 2 warnings"."""
    of_kind = Counter(finding.severity for finding in findings)
    return ", ".join(
        f"{of_kind[kind]} {kind}{'s' if of_kind[kind] > 1 else ''}" for kind in SEVERITIES if of_kind[kind]
    )


def setups_counted(findings: Iterable[Finding]) -> tuple[tuple[str, int], ...]:
    """How many each setup has, by its name, the most first; those of the whole job under an empty one."""
    return tuple(Counter(finding.setup for finding in findings).most_common())
