"""A tape on paper: the same lines as on the screen, as HTML or PDF."""

from __future__ import annotations

from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.quantities import Unit, format_length
from ledgecliff.core.tape_lines import SIMULATED, Tape, TapeLine, line_words

from .page import print_page

_STYLE = """
@page { size: A5; margin: 14mm; }
body { font-family: sans-serif; font-size: 11pt; color: #20262b; }
h1 { font-size: 14pt; margin: 0; } p { margin: 0 0 8pt 0; color: #525a60; }
table { border-collapse: collapse; width: 100%; } td { padding: 1.5pt 0; } td.n { text-align: right; white-space: pre; }
tr.heading td, tr.total td { font-weight: bold; } tr.heading td { padding-top: 8pt; }
tr.sum td.n { border-top: 0.6pt solid; } tr.total td.n { border-top: 0.6pt solid; border-bottom: 1.6pt double; }
p.simulated { border: 1.2pt solid; padding: 3pt 6pt; font-weight: bold; color: #20262b; }
tr.note td { color: #525a60; font-size: 10pt; }
"""


def tape_html(tape: Tape, unit: Unit) -> str:
    rows = "".join(_row(tape, line, unit) for line in tape.lines)
    mark = f'<p class="simulated">{SIMULATED}</p>' if tape.simulated else ""
    return (
        f'<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{xml_escaped(tape.title)}</title>'
        f"<style>{_STYLE}</style></head><body><h1>{xml_escaped(tape.title)}</h1>"
        f"<p>{xml_escaped(tape.subtitle)} · lengths in {unit}</p>{mark}<table>{rows}</table></body></html>"
    )


def tape_pdf(tape: Tape, unit: Unit) -> bytes:
    """Raises SheetError where nothing can be printed."""
    return print_page(tape_html(tape, unit))


def _row(tape: Tape, line: TapeLine, unit: Unit) -> str:
    number = "" if line.mm is None else format_length(line.mm, unit, sign=line.signed)
    text = xml_escaped(line_words(tape, line, unit))
    return f'<tr class="{line.kind}"><td>{text}</td><td class="n">{xml_escaped(number)}</td></tr>'
