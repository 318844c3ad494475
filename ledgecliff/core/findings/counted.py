"""How many findings there are, and where."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from ..finding import SEVERITIES, Finding


def counted(findings: Iterable[Finding]) -> str:
    """How many of each severity, then how many in each setup: "1 error, 2 warnings · Op 10 2, whole job 1"."""
    of_kind: Counter[str] = Counter()
    of_setup: Counter[str] = Counter()
    for finding in findings:
        of_kind[finding.severity] += 1
        of_setup[finding.setup or "whole job"] += 1
    kinds = [f"{of_kind[kind]} {kind}{'s' if of_kind[kind] > 1 else ''}" for kind in SEVERITIES if of_kind[kind]]
    setups = [f"{setup} {count}" for setup, count in of_setup.most_common()]
    return f"{', '.join(kinds)} · {', '.join(setups)}"
