"""The mark of a page: of which job in which state it is, read or scanned, so that an outdated one is noticed.

The square code is one of ISO/IEC 18004, drawn by segno.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import segno

from ledgecliff.core.errors import InvalidValueError

_WORD = "LEDGECLIFF"
#: So much of a checksum is in the code (128 of its 256 bits: nobody finds another job with those), and told in words.
_IN_CODE, _IN_WORDS = 32, 12
#: How wide a dot of the code is on paper (mm): told apart by any camera at a hand's breadth.
_DOT = 0.36


@dataclass(frozen=True)
class PageMark:
    """``job`` and ``checksum`` are hexadecimal: of a job or a run, and of its text as it was when the page was made."""

    job: str
    checksum: str

    @property
    def words(self) -> str:
        """The checksum's beginning, in fours."""
        begins = self.checksum[:_IN_WORDS]
        return " ".join(begins[k : k + 4] for k in range(0, len(begins), 4))

    @property
    def code(self) -> str:
        """What the square code says; capitals alone keep it small."""
        return f"{_WORD} {self.job} {self.checksum[:_IN_CODE]}".upper()

    @property
    def picture(self) -> str:
        """As a ``data:`` address of an SVG picture."""
        made = segno.make(self.code, error="m", micro=False)
        return made.svg_data_uri(scale=_DOT, unit="mm", border=2, light="#fff", omitsize=False)


def differs(code: str, mark: PageMark) -> str:
    """How the page with a scanned or typed ``code`` is not that of ``mark``; nothing where it is.  A typed one may be
    the words alone.  Raises InvalidValueError where it is no such code."""
    words = code.upper().split()
    if len(words) == 3 and words[0] == _WORD and all(re.fullmatch("[0-9A-F]+", word) for word in words[1:]):
        if words[1] != mark.job.upper():
            return "the page is of another job"
        begins = words[2]
    elif re.fullmatch(f"[0-9A-F]{{{_IN_WORDS}}}", "".join(words)):
        begins = "".join(words)
    else:
        raise InvalidValueError(
            "code", "is none of a page's; scan the square at its foot, or type the twelve signs beside it"
        )
    if len(begins) >= _IN_WORDS and mark.checksum.upper().startswith(begins):
        return ""
    return f"the page is outdated: it says {begins[:_IN_WORDS].lower()}, the job is {mark.checksum[:_IN_WORDS]} now"
