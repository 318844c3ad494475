"""Times as they are told, as seconds that follow each other whatever zone each is told in."""

from __future__ import annotations

import re
from calendar import monthrange, timegm

_TIME = re.compile(
    r"(\d{4})-(\d\d)-(\d\d)[T ](\d\d):(\d\d)(?::(\d\d)(\.\d{1,9})?)?(?:(Z)|([+-])(\d\d):(\d\d)(?::(\d\d))?)"
)


def moment(at: str) -> float:
    """Seconds since 1970 of a time in ISO 8601 with its zone.  Raises ValueError for anything else."""
    found = _TIME.fullmatch(at)
    if found is None:
        raise ValueError(f"'{at}' is no time with its zone")
    year, month, day, hour, minute = map(int, found.group(1, 2, 3, 4, 5))
    second, part = int(found[6] or 0), float(found[7] or 0.0)
    if not (year >= 1 and 1 <= month <= 12 and 1 <= day <= monthrange(year, month)[1]):
        raise ValueError(f"'{at}' is no day of the calendar")
    if hour > 23 or minute > 59 or second > 59:
        raise ValueError(f"'{at}' is no time of a day")
    off = 0
    if found[8] is None:
        hours, minutes, seconds = (int(text or 0) for text in found.group(10, 11, 12))
        if hours > 23 or minutes > 59 or seconds > 59:
            raise ValueError(f"'{at}' is in no zone")
        off = (-1 if found[9] == "-" else 1) * (hours * 3600 + minutes * 60 + seconds)
    return timegm((year, month, day, hour, minute, second)) - off + part
