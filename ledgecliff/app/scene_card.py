"""The card of one scene on the route: its picture, name, detail and seal; narrow for a turn, or folded to one line."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QSizePolicy

from ledgecliff.core.drawing.bodies import KINDS
from ledgecliff.core.drawing.pictures import Picture
from ledgecliff.core.finding import Severity
from ledgecliff.core.frames import Turn
from ledgecliff.core.quantities import Unit, spell
from ledgecliff.core.route import Scene

from .theme import SEVERITY_MARKS, Theme, font, plain_tip

PICTURE = QSize(148, 84)
#: Heights of a card: open, and folded to one line.
HEIGHT, FOLDED_HEIGHT = 150, 32
#: Widths of a turn between many setups, and folded.
_NARROW_TURN, _FOLDED_TURN = 44, 38
#: How much is seen of a picture that is of an older plan.
_STALE = 0.45
#: A turn's sign is drawn so large on its picture, on a narrow card and on one that is folded.
_SIGN, _NARROW_SIGN, _FOLDED_SIGN = 0.55, 0.62, 0.42

Form = Literal["open", "narrow", "folded"]


class SceneCard(QAbstractButton):
    """``form`` narrow is of turns alone; other scenes are open then."""

    #: A menu of what can be done to the scene is wanted, at a place of the screen.
    menu_wanted = Signal(object)
    #: The name is to be edited where it stands.
    name_wanted = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.theme = theme
        self.scene: Scene | None = None
        self.seal = ""
        self.worst: Severity | None = None
        #: The picture, or what was found, is of an older plan.
        self.stale = False
        #: A chain that is looked at runs through it.
        self.lit = False
        self.unit: Unit = "mm"
        self.form: Form = "open"
        self._shown: object = None
        self._turn: Turn | None = None
        self._picture: Picture | None = None
        self._image: QImage | None = None

    def set_form(self, form: Form) -> None:
        if form != self.form:
            self.form = form
            self.updateGeometry()
            self.update()

    def _is_turn(self) -> bool:
        return self.scene is not None and self.scene.kind == "turn"

    def sizeHint(self) -> QSize:
        if self.form == "folded":
            metrics = self.fontMetrics()
            words = f"{self.scene.title if self.scene else ''}  {self._seal()}"
            return QSize(_FOLDED_TURN if self._is_turn() else metrics.horizontalAdvance(words) + 34, FOLDED_HEIGHT)
        narrow = self._is_turn() and self.form == "narrow"
        return QSize(_NARROW_TURN if narrow else PICTURE.width() + 16, HEIGHT)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def show_scene(self, scene: Scene, seal: str, worst: Severity | None, turn: Turn | None, unit: Unit) -> None:
        shown = (scene, seal, worst, unit, self.stale)
        if shown == self._shown:
            return  # with each key that is held, most scenes stay as they are
        self._shown = shown
        self.unit = unit
        self.scene, self.seal, self._turn = scene, seal, turn
        self.worst = worst if worst != "note" else None
        words = f", {self.worst}" if self.worst else ""
        caption = spell(scene.caption, unit)
        self.setAccessibleName(f"{scene.title}: {caption}, {seal}{words}")
        self.setToolTip(plain_tip(f"{scene.title} — {caption}\n{scene.detail}"))
        self.updateGeometry()
        self.update()

    def show_picture(self, picture: Picture | None) -> None:
        self._picture, self._image, self.stale = picture, None, False
        self.update()

    def set_lit(self, lit: bool) -> None:
        if lit != self.lit:
            self.lit = lit
            self.setAccessibleDescription("in the chain that is looked at" if lit else "")
            self.update()

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._image = None
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_wanted.emit(event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.name_wanted.emit()
        event.accept()

    def name_area(self) -> QRect:
        """Where the scene's name stands."""
        if self.form == "folded":
            return QRect(4, 0, self.width() - 8, FOLDED_HEIGHT - 4)
        return QRect(3, self.height() - 49, self.width() - 6, 24)

    def _seal(self) -> str:
        # What a rehearsal found off says more than that something is wrong.
        if self.worst and not self.seal.endswith("off"):
            return f"{SEVERITY_MARKS[self.worst]} {self.worst}"
        return self.seal

    # --- painting ---------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.scene is None:
            return
        theme, painter = self.theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked():
            painter.fillRect(self.rect(), theme.color("paper"))
            painter.fillRect(QRectF(0, self.height() - 4, self.width(), 4), theme.color("accent"))
        elif self.underMouse():
            painter.fillRect(self.rect(), theme.color("accent_soft"))
        if self.lit:
            painter.fillRect(QRectF(0, 0, self.width(), 4), theme.color("zero"))
        if self.hasFocus():
            painter.setPen(QPen(theme.color("accent"), 2.0))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        if self.form == "folded":
            self._paint_folded(painter)
        elif self._is_turn() and self.form == "narrow":
            self._sign(painter, QPointF(self.width() / 2.0, 62.0), _NARROW_SIGN)
        else:
            self._paint_picture(painter)
            self._words(painter)
        painter.end()

    def _paint_folded(self, painter: QPainter) -> None:
        if self._is_turn():
            self._sign(painter, QPointF(self.width() / 2.0 - 3.0, FOLDED_HEIGHT / 2.0 + 3.0), _FOLDED_SIGN)
            return
        assert self.scene is not None, "paintEvent has looked"
        painter.setPen(self.theme.color("ink"))
        painter.setFont(font(13, bold=True))
        painter.drawText(QRectF(10, 0, self.width() - 12, FOLDED_HEIGHT - 4), _MIDDLE_LEFT, self.scene.title)
        painter.setFont(font(11))
        painter.setPen(self.theme.severity(self.worst) if self.worst else self.theme.color("quiet"))
        painter.drawText(QRectF(4, 0, self.width() - 10, FOLDED_HEIGHT - 4), _MIDDLE_RIGHT, self._seal())

    def _paint_picture(self, painter: QPainter) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.translate(self.width() / 2.0, 20.0)
        if self._picture is not None:
            painter.setOpacity(_STALE if self.stale else 1.0)
            painter.drawImage(QPointF(-PICTURE.width() / 2.0, 0.0), self._rendered())
        painter.restore()
        if self._turn is not None:
            self._sign(painter, QPointF(28.0, 22.0), _SIGN)

    def _sign(self, painter: QPainter, at: QPointF, scale: float) -> None:
        if self._turn is None:
            return
        painter.save()
        painter.translate(at)
        painter.scale(scale, scale)
        _paint_turn(painter, self.theme, self._turn, QPointF(0.0, 0.0))
        painter.restore()

    def _words(self, painter: QPainter) -> None:
        theme, scene = self.theme, self.scene
        assert scene is not None, "paintEvent has looked"
        width = self.width() - 6
        painter.setFont(font(11))
        painter.setPen(theme.severity(self.worst) if self.worst else theme.color("quiet"))
        painter.drawText(QRectF(3, 3, width - 4, 16), int(Qt.AlignmentFlag.AlignRight), self._seal())
        turn = scene.kind == "turn"
        caption = spell(scene.caption, self.unit)
        painter.setPen(theme.color("ink"))
        painter.setFont(font(12 if turn else 14, bold=not turn))
        metrics = painter.fontMetrics()
        first = caption if turn else scene.title
        painter.drawText(
            QRectF(3, self.height() - 42, width, 18),
            int(Qt.AlignmentFlag.AlignCenter),
            metrics.elidedText(first, Qt.TextElideMode.ElideRight, width),
        )
        painter.setFont(font(11))
        painter.setPen(theme.color("quiet"))
        second = (
            scene.detail if turn else f"{caption} · {scene.detail}" if scene.kind in ("setup", "bench") else caption
        )
        painter.drawText(
            QRectF(3, self.height() - 25, width, 16),
            int(Qt.AlignmentFlag.AlignCenter),
            painter.fontMetrics().elidedText(second.strip(" ·"), Qt.TextElideMode.ElideRight, width),
        )

    def _rendered(self) -> QImage:
        """The picture in the theme's colours."""
        if self._image is None and self._picture is not None:
            self._image = colored(self._picture, self.theme)
        assert self._image is not None, "called with a picture only"
        return self._image


_MIDDLE_LEFT = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
_MIDDLE_RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)


def colored(picture: Picture, theme: Theme) -> QImage:
    """A picture in a theme's colours."""
    tints = [theme.surface(kind)[0] for kind in KINDS]
    palette = np.array([[tint.red(), tint.green(), tint.blue()] for tint in tints] + [[0, 0, 0]], dtype=float)
    nothing = picture.kind == 255
    kind = np.where(nothing, len(KINDS), picture.kind)
    shade = 0.72 + 0.34 * picture.light[..., None]
    pixels = np.empty((*picture.kind.shape, 4), dtype=np.uint8)
    pixels[..., :3] = np.clip(palette[kind] * shade, 0, 255)[..., ::-1]
    pixels[..., 3] = np.where(nothing, 0, 255)
    height, width = picture.kind.shape
    image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_ARGB32).convertToFormat(
        QImage.Format.Format_ARGB32_Premultiplied
    )
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.color("ink"), 0.9))
    painter.drawLines([QLineF(*a, *b) for a, b in picture.edges.tolist()])
    painter.setPen(QPen(theme.color("accent"), 1.4))
    painter.drawLines([QLineF(*a, *b) for a, b in picture.parting.tolist()])
    if picture.mark is not None:
        at = QPointF(*picture.mark)
        painter.setPen(QPen(theme.color("paper"), 1.0))
        painter.setBrush(theme.color("zero"))
        painter.drawEllipse(at, 3.5, 3.5)
    painter.end()
    return image


def _paint_turn(painter: QPainter, theme: Theme, turn: Turn, at: QPointF) -> None:
    """The turn's axis as a dash-dotted line and a hand's way round it as an arrow."""
    axis = turn.axis()
    ink = theme.color("ink")
    painter.setPen(theme.pen("center"))
    # The axis as it lies seen from the front, slightly from above: Y runs into the picture.
    dx, dy = 44.0 * float(axis[0]) + 24.0 * float(axis[1]), -30.0 * float(axis[2]) - 20.0 * float(axis[1])
    if math.hypot(dx, dy) < 1.0:
        return
    painter.drawLine(QPointF(at.x() - dx, at.y() - dy), QPointF(at.x() + dx, at.y() + dy))
    letter = next(("XYZ"[k] for k in range(3) if abs(abs(float(axis[k])) - 1.0) < 1e-6), "")
    painter.setFont(font(12, bold=True))
    painter.setPen(ink)
    painter.drawText(QPointF(at.x() + dx + 4.0, at.y() + dy + 4.0), letter)
    painter.setPen(QPen(ink, 1.8))
    radius = 22.0
    box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
    span = min(turn.angle_deg(), 200.0)
    path = QPainterPath()
    path.arcMoveTo(box, 180.0)
    path.arcTo(box, 180.0, -span)
    painter.drawPath(path)
    end = math.radians(180.0 - span)
    tip = QPointF(at.x() + radius * math.cos(end), at.y() - radius * math.sin(end))
    heading = end - math.pi / 2.0
    for side in (-0.45, 0.45):
        back = QPointF(tip.x() - 10.0 * math.cos(heading + side), tip.y() + 10.0 * math.sin(heading + side))
        painter.drawLine(tip, back)
