"""Colours, type and line styles: two themes from the same tokens."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from html import escape
from importlib import resources
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor, QFont, QFontDatabase, QPalette, QPen

if TYPE_CHECKING:
    from ledgecliff.core.drawing.items import Line, Surface
    from ledgecliff.core.finding import Severity

FONT_FAMILY = "B612"
#: Program text: round and square brackets must not be mistaken for each other, as B612's can be.
PROGRAM_FAMILY = "DejaVu Sans Mono"
#: A mark and a word for each severity, so that colour is never the only sign.
SEVERITY_MARKS: dict[Severity, str] = {"hazard": "▲", "error": "✕", "warning": "◆", "note": "·"}


#: Colour, width (pixels) and style of each kind of line.
_STYLES: dict[Line, tuple[str, float, Qt.PenStyle]] = {
    "visible": ("ink", 1.5, Qt.PenStyle.SolidLine),
    "hidden": ("faint", 1.0, Qt.PenStyle.DashLine),
    "holding": ("quiet", 1.1, Qt.PenStyle.SolidLine),
    "hidden_holding": ("faint", 0.8, Qt.PenStyle.DotLine),
    "phantom": ("zero", 1.0, Qt.PenStyle.DashDotLine),
    "center": ("quiet", 1.0, Qt.PenStyle.DashDotLine),
    "thin": ("faint", 0.8, Qt.PenStyle.SolidLine),
    "approach": ("touch", 1.0, Qt.PenStyle.DotLine),
    "search": ("touch", 1.6, Qt.PenStyle.SolidLine),
    "zero": ("zero", 2.0, Qt.PenStyle.SolidLine),
}


@lru_cache(maxsize=64)
def _pen(colour: str, width: float, style: Qt.PenStyle) -> QPen:
    """Made once: a painter takes a copy of it, and a drawing asks for hundreds."""
    pen = QPen(QColor(colour), width, style)
    pen.setCosmetic(True)
    return pen


@dataclass(frozen=True)
class Theme:
    name: str
    desk: str
    paper: str
    strip: str
    ink: str
    quiet: str
    faint: str
    accent: str
    accent_soft: str
    zero: str
    hazard: str
    error: str
    warning: str
    raw: str
    raw_hatch: str
    finished: str
    jaw: str
    jaw_hatch: str
    parallel: str
    section: str
    touch: str
    #: The tape's paper, the paper of simulated numbers, and the mark across it.
    roll: str
    simulated: str
    simulated_ink: str

    def color(self, token: str) -> QColor:
        return QColor(getattr(self, token))

    def shares(self, token: str) -> tuple[float, float, float]:
        """Red, green and blue of a colour, each from 0 to 1."""
        color = self.color(token)
        return (color.redF(), color.greenF(), color.blueF())

    def severity(self, severity: Severity | None) -> QColor:
        return self.color({"hazard": "hazard", "error": "error", "warning": "warning"}.get(severity or "", "quiet"))

    def pen(self, line: Line, *, picked: bool = False) -> QPen:
        """The pen of a line style; what is picked is drawn wider, in the accent."""
        token, width, style = _STYLES[line]
        return _pen(getattr(self, "accent" if picked else token), width + (1.5 if picked else 0.0), style)

    def surface(self, surface: Surface) -> tuple[QColor, QBrush | None]:
        """Tint and hatch of a kind of face."""
        match surface:
            case "raw":
                return self.color("raw"), QBrush(self.color("raw_hatch"), Qt.BrushStyle.FDiagPattern)
            case "jaw":
                return self.color("jaw"), QBrush(self.color("jaw_hatch"), Qt.BrushStyle.DiagCrossPattern)
            case "parallel":
                return self.color("parallel"), QBrush(self.color("jaw_hatch"), Qt.BrushStyle.HorPattern)
            case "section":
                return self.color("section"), QBrush(self.color("raw_hatch"), Qt.BrushStyle.BDiagPattern)
            case "taken":
                # Over stock, which is to be seen through it.
                tint = self.color("section")
                tint.setAlphaF(0.5)
                return tint, QBrush(self.color("raw_hatch"), Qt.BrushStyle.VerPattern)
            case "finished":
                return self.color("finished"), None

    def palette(self) -> QPalette:
        """The colours of a window before its style sheet is laid on, and of what that says nothing of."""
        role = QPalette.ColorRole
        palette = QPalette(self.color("desk"))
        for token, roles in {
            "desk": (role.Window,),
            "paper": (role.Base, role.Button, role.ToolTipBase),
            "strip": (role.AlternateBase,),
            "ink": (role.WindowText, role.Text, role.ButtonText, role.ToolTipText, role.HighlightedText),
            "accent_soft": (role.Highlight,),
            "faint": (role.PlaceholderText, role.Mid),
            "zero": (role.Link,),
        }.items():
            for each in roles:
                palette.setColor(each, self.color(token))
        for each in (role.WindowText, role.Text, role.ButtonText):
            palette.setColor(QPalette.ColorGroup.Disabled, each, self.color("faint"))
        return palette

    def style_sheet(self) -> str:
        icons = resources.files("ledgecliff") / "resources" / "icons"
        arrow, tick = str(icons / "down.svg"), str(icons / "tick.svg")
        sheet = _STYLE.format(**vars(self), arrow=arrow, tick=tick, program_family=PROGRAM_FAMILY)
        return re.sub(r"font-size: (\d+)px", lambda found: f"font-size: {scaled(int(found[1]))}px", sheet)


DAY = Theme(
    name="day",
    desk="#e6decb",
    paper="#fbf8ef",
    strip="#f3edde",
    ink="#20262b",
    quiet="#525a60",
    faint="#62686d",
    accent="#935900",
    accent_soft="#f6dd9f",
    zero="#1d6b4a",
    hazard="#b3261e",
    error="#9c3c0a",
    warning="#7a5b00",
    raw="#efdcae",
    raw_hatch="#cfae68",
    finished="#d3dfe4",
    jaw="#dcdddb",
    jaw_hatch="#c3c5c4",
    parallel="#bfc6d6",
    section="#d9a58c",
    touch="#285f9e",
    roll="#ffffff",
    simulated="#e6eef4",
    simulated_ink="#c9d9e4",
)
NIGHT = Theme(
    name="night",
    desk="#15191c",
    paper="#1e2428",
    strip="#191e22",
    ink="#e9e4d6",
    quiet="#bfc2bd",
    faint="#9aa0a2",
    accent="#e7a93a",
    accent_soft="#42341a",
    zero="#6fcf9f",
    hazard="#ff8a7d",
    error="#ffab70",
    warning="#e6c65c",
    raw="#54472a",
    raw_hatch="#7d683a",
    finished="#3a4a54",
    jaw="#343a3d",
    jaw_hatch="#4c5356",
    parallel="#3f4a60",
    section="#8a5540",
    touch="#8cb8f0",
    roll="#1e2428",
    simulated="#1c2c38",
    simulated_ink="#2b4152",
)

_STYLE = """
QWidget {{ font-family: "B612"; font-size: 13px; color: {ink}; }}
QMainWindow, QWidget#desk, QScrollArea#desk, QScrollArea#desk > QWidget > QWidget {{ background: {desk}; }}
QWidget#paper, QScrollArea#paper, QWidget#panel {{ background: {paper}; }}
QWidget#strip {{ background: {strip}; }}
QScrollArea {{ border: none; }}
QLabel[quiet="true"] {{ color: {quiet}; font-size: 12px; }}
QLabel[bad="true"] {{ color: {hazard}; font-size: 12px; }}
QLabel[head="true"] {{ font-weight: bold; }}
QLabel:disabled {{ color: {faint}; }}
QMenuBar {{ background: {desk}; }}
QMenuBar::item {{ padding: 5px 10px; background: transparent; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {accent_soft}; }}
QMenu {{ background: {paper}; border: 1px solid {faint}; }}
QMenu::item {{ padding: 5px 26px 5px 16px; }}
QMenu::item:disabled {{ color: {faint}; }}
QLineEdit, QComboBox, QSpinBox, QPlainTextEdit {{
    background: {paper}; border: 1px solid {faint}; border-radius: 2px; padding: 3px 6px;
    selection-background-color: {accent_soft}; selection-color: {ink}; }}
QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QPlainTextEdit:focus, QTableView:focus {{
    border: 2px solid {accent}; padding: 2px 5px; }}
QLineEdit[bad="true"] {{ border: 2px solid {hazard}; padding: 2px 5px; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url("{arrow}"); width: 12px; height: 8px; }}
QTableView::indicator {{ width: 13px; height: 13px; border: 1px solid {quiet}; background: {paper}; }}
QTableView::indicator:checked {{ background: {accent}; image: url("{tick}"); }}
QComboBox QAbstractItemView {{ background: {paper}; border: 1px solid {faint};
    selection-background-color: {accent_soft}; selection-color: {ink}; }}
QPushButton {{ background: {paper}; border: 1px solid {ink}; border-radius: 3px; padding: 5px 12px; }}
QPushButton:hover {{ background: {strip}; }}
QPushButton:checked {{ background: {accent_soft}; font-weight: bold; }}
QPushButton:focus {{ border: 2px solid {accent}; padding: 4px 11px; }}
QPushButton:disabled {{ color: {faint}; border-color: {faint}; }}
QPushButton[main="true"] {{ font-weight: bold; }}
QPushButton[promise="true"] {{ border-style: dashed; font-style: italic; }}
QPushButton[flat="true"] {{ border: none; background: transparent; }}
QPushButton[flat="true"]:hover {{ background: {strip}; }}
QPushButton[flat="true"]:focus {{ border: 2px solid {accent}; padding: 4px 11px; }}
QPushButton[left="true"] {{ text-align: left; }}
QPushButton[group="true"] {{ border: none; background: transparent; text-align: left; font-weight: bold;
    padding: 5px 0 2px 0; }}
QPushButton[group="true"]:hover {{ background: {strip}; }}
QPushButton#fold {{ border: none; background: {strip}; padding: 0; }}
QPushButton[view="true"] {{ border: none; background: transparent; font-size: 16px; padding: 4px 10px; }}
QPushButton[view="true"]:hover {{ background: {strip}; }}
QPushButton[view="true"]:checked {{ background: transparent; font-weight: bold; border-bottom: 3px solid {accent}; }}
QPushButton[view="true"]:focus {{ border: 2px solid {accent}; padding: 2px 8px; }}
QPushButton[view="true"]:disabled {{ color: {faint}; }}
QPushButton[tab="true"] {{ border: none; border-radius: 0; padding: 7px 14px; background: transparent; }}
QPushButton[tab="true"]:hover {{ background: {strip}; }}
QPushButton[tab="true"]:focus {{ border: 2px solid {accent}; padding: 5px 12px; }}
QPushButton[tab="true"]:checked {{
    background: {paper}; font-weight: bold; border-top: 3px solid {accent}; padding-top: 4px; }}
QTableView {{ background: {paper}; alternate-background-color: {strip}; border: 1px solid {faint};
    gridline-color: {strip}; selection-background-color: {accent_soft}; selection-color: {ink}; }}
QHeaderView {{ background: {paper}; border: none; }}
QHeaderView::section {{ background: {strip}; border: none; border-bottom: 1px solid {faint};
    padding: 4px 8px; font-weight: bold; }}
QTableCornerButton::section {{ background: {strip}; border: none; }}
QPlainTextEdit#program {{ font-family: "{program_family}"; font-size: 13px; border: none; }}
QTableView#tight, QTableView#tight QHeaderView::section {{ font-size: 12px; padding: 1px 2px; }}
QAbstractItemView {{ background: {paper}; color: {ink};
    selection-background-color: {accent_soft}; selection-color: {ink}; }}
QListView, QTreeView {{ background: {paper}; border: none; }}
QDialog {{ background: {desk}; }}
QListView:focus, QTreeView:focus {{ border: 2px solid {accent}; }}
QCheckBox:focus {{ border: 2px solid {accent}; }}
QListView::item {{ padding: 5px 8px; }}
QListView#found {{ background: {paper}; border: 2px solid {ink}; }}
QListView#tight::item {{ padding: 2px 4px; }}
QScrollArea[big="true"] QLabel {{ font-size: 14px; }}
QScrollArea[big="true"] QLabel[head="true"] {{ font-size: 16px; }}
QScrollArea[big="true"] QLabel#bignumber {{ font-size: 25px; font-weight: bold; padding: 6px 0; }}
QScrollArea[big="true"] QLineEdit {{ font-size: 17px; min-height: 26px; }}
QScrollArea[big="true"] QPushButton, QScrollArea[big="true"] QComboBox {{ font-size: 15px; min-height: 28px; }}
QScrollArea[big="true"] QPushButton:checked {{ background: {accent_soft}; font-weight: bold; }}
QFrame#card {{ border: 1px solid {faint}; border-radius: 3px; }}
QListView::item:selected {{ background: {accent_soft}; color: {ink}; }}
QToolTip {{ background: {paper}; color: {ink}; border: 1px solid {ink}; padding: 4px; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle {{ background: {faint}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {strip}; border: 1px solid {faint}; height: 12px; text-align: center; }}
QProgressBar::chunk {{ background: {accent}; }}
"""


def scaled(pixels: int) -> int:
    """A size of text as it is shown."""
    return round(pixels * _text_percent[0] / 100.0)


def plain_tip(text: str) -> str:
    """A tooltip in which text of a job stays text: Qt would read anything that looks like HTML as such."""
    return "<p>" + escape(text).replace("\n", "<br>") + "</p>"


def load_fonts() -> None:
    """Registers the shipped faces with Qt."""
    folder = resources.files("ledgecliff") / "resources" / "fonts"
    for face in folder.iterdir():
        if face.name.endswith((".otf", ".ttf")):
            QFontDatabase.addApplicationFontFromData(face.read_bytes())


#: How much larger or smaller than they are made all texts are shown, in percent.
TEXT_SIZES = (85, 100, 115, 130, 150)
_text_percent = [100]


def set_text_size(percent: int) -> None:
    """Of all texts that are painted or laid on from now on."""
    _text_percent[0] = percent


def text_size() -> int:
    return _text_percent[0]


def font(pixels: int = 13, *, bold: bool = False) -> QFont:
    result = QFont(FONT_FAMILY)
    result.setPixelSize(scaled(pixels))
    result.setBold(bold)
    return result
