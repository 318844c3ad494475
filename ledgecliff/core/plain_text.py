"""Text from a job or a file made harmless where it goes: into tables that a spreadsheet opens, and into XML."""

from __future__ import annotations

import re
from html import escape

#: What a cell begins with that a spreadsheet takes for a formula.
FORMULA = "=+-@\t\r"
_CONTROL = re.compile("[\x00-\x1f\x7f\u2028\u2029\ud800-\udfff]")
#: Characters that XML 1.0 does not allow at all, not even escaped.
_NOT_IN_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def harmless_cell(cell: str) -> str:
    """A spreadsheet must not take a name for a formula; numbers stay numbers.  See ``plain_cell``."""
    try:
        float(cell)
    except ValueError:
        return f"'{cell}" if cell[:1] in FORMULA and cell else cell
    return cell


def plain_cell(cell: str) -> str:
    """The text as it was before ``harmless_cell``."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] and cell[1:2] in FORMULA else cell


def xml_escaped(text: str) -> str:
    """Escaped for XML and HTML, with a mark in the place of each character that XML does not allow."""
    return escape(_NOT_IN_XML.sub("\ufffd", text))


def one_line(text: str) -> str:
    """With blanks for control characters, line ends among them."""
    return _CONTROL.sub(" ", text)
