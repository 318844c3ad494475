"""What leaves the program as files: programs and setup sheets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from ledgecliff.core.drawing.items import Drawing
from ledgecliff.core.drawing.layout import lay_out
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.everything import NOTHING_BESIDE, Beside
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.released import released_files
from ledgecliff.core.quantities import Unit
from ledgecliff.core.tape_lines import Tape, tape_text
from ledgecliff.sheets.about import NOT_SAID, About
from ledgecliff.sheets.wanted import ALL, Wanted

from .atomic import make_folder, write_atomic
from .job_files import job_checksum

#: Width and height of a file of drawings (pixels).
_PAPER = (900.0, 840.0)


def write_programs(plan: Plan, folder: Path) -> list[Path]:
    """One probing and one hover-check program per setup, and what bores for pins or cuts a frame; all texts are made
    before the first is written.  Raises InternalError where the plan's stock lacks some of the part."""
    plan.check_part_is_left()
    texts = released_files(plan)
    make_folder(folder)
    paths = []
    for name, text in texts.items():
        write_atomic(folder / name, text)
        paths.append(folder / name)
    return paths


def would_replace(plan: Plan, folder: Path) -> list[str]:
    """Names of files in ``folder`` that are not what ``write_programs`` would put there in their place."""
    return [name for name, text in released_files(plan).items() if _is_another(folder / name, text)]


def _is_another(path: Path, text: str) -> bool:
    try:
        return path.read_bytes() != text.encode("utf-8")
    except (FileNotFoundError, NotADirectoryError):
        return False
    except OSError:
        return True  # something is there, whatever it is


def sheet_of(
    plan: Plan,
    kind: str = "setup",
    unit: Unit = "mm",
    beside: Beside = NOTHING_BESIDE,
    about: About = NOT_SAID,
    wanted: Wanted = ALL,
) -> str:
    """A sheet as HTML with the job's checksum on it; what is known ``beside`` the plan counts among its findings.
    Raises InternalError as ``write_programs`` does."""
    plan.check_part_is_left()
    from ledgecliff.sheets.kinds import kind_html  # slow to import

    return kind_html(kind, plan, unit, beside, replace(about, checksum=job_checksum(plan.job)), wanted)


def write_sheet(
    plan: Plan,
    path: Path,
    beside: Beside = NOTHING_BESIDE,
    about: About = NOT_SAID,
    kind: str = "setup",
    unit: Unit = "mm",
    wanted: Wanted = ALL,
) -> Path:
    """As HTML or PDF, by the ending of ``path``.  Raises as ``sheet_of`` and ``write_page`` do."""
    check_page(path)
    return write_page(path, sheet_of(plan, kind, unit, beside, about, wanted))


def check_page(path: Path) -> None:
    """Raises InvalidValueError for a file that is to be neither HTML nor PDF."""
    other = path.suffix.lower()
    if other not in (".html", ".htm", ".pdf"):
        raise InvalidValueError("sheet file", f"'{other or path.name}' is not .html or .pdf; name it so")


def write_page(path: Path, html: str) -> Path:
    """A page as HTML or PDF, by the ending of ``path``.  Raises InvalidValueError for another, and WriteError."""
    check_page(path)
    if path.suffix.lower() != ".pdf":
        write_atomic(path, html)
        return path
    from ledgecliff.sheets.page import print_page

    write_atomic(path, print_page(html))
    return path


def write_cards(plan: Plan, path: Path, unit: Unit, setups: Sequence[int]) -> Path:
    """Cards of some setups (from 0) as HTML or PDF, by the ending of ``path``."""
    from ledgecliff.sheets.cards_page import cards_html

    check_page(path)
    return write_page(path, cards_html(plan, unit, setups, replace(NOT_SAID, checksum=job_checksum(plan.job))))


def write_tape(tape: Tape, unit: Unit, path: Path) -> Path:
    """A tape as PDF, HTML or plain text, by the ending of ``path``."""
    from ledgecliff.sheets.tape_page import tape_html, tape_pdf

    match path.suffix.lower():
        case ".pdf":
            write_atomic(path, tape_pdf(tape, unit))
        case ".html" | ".htm":
            write_atomic(path, tape_html(tape, unit))
        case _:
            write_atomic(path, tape_text(tape, unit))
    return path


def write_drawings(drawings: tuple[Drawing, ...], path: Path, unit: Unit) -> Path:
    """Drawings one below the other, as DXF in true size or as SVG by the ending of ``path``."""
    if path.suffix.lower() == ".dxf":
        from ledgecliff.sheets.text_width import text_width

        from .dxf_files import drawings_dxf

        layouts = lay_out(drawings, *_PAPER, unit, text_width)
        write_atomic(path, drawings_dxf(layouts, _PAPER[1], unit))
        return path
    from ledgecliff.sheets.svg import svg_page

    write_atomic(path, svg_page(drawings, unit, *_PAPER))
    return path
