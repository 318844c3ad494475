"""The route: the part's journey as a strip of scenes, always at the top."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QFrame, QHBoxLayout, QScrollArea, QSizePolicy, QWidget

from ledgecliff.core.drawing.bodies import KINDS
from ledgecliff.core.drawing.pictures import Picture
from ledgecliff.core.finding import Severity
from ledgecliff.core.findings.rules import worst_of
from ledgecliff.core.frames import Turn
from ledgecliff.core.model.stock import measured_along
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, format_short, spell
from ledgecliff.core.rehearsal.results import RehearsedSetup
from ledgecliff.core.route import Scene, scenes_of

from .document import Document
from .following import Following
from .theme import SEVERITY_MARKS, Theme, font, plain_tip

PICTURE = QSize(148, 84)
#: Height of a card, and how much of it the picture takes: with room, and on a small screen.
_HEIGHT, _COMPACT_HEIGHT, _COMPACT_SCALE = 150, 108, 0.58
_TURN_WIDTH = 156
#: How much is seen of a picture that is of an older plan.
_STALE = 0.45


class SceneCard(QAbstractButton):
    """One scene: its picture, name, detail and seal."""

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
        self.unit: Unit = "mm"
        self.compact = False
        self._shown: object = None
        self._turn: Turn | None = None
        self._picture: Picture | None = None
        self._image: QImage | None = None

    def sizeHint(self) -> QSize:
        turn = self.scene is not None and self.scene.kind == "turn"
        height = _COMPACT_HEIGHT if self.compact else _HEIGHT
        return QSize(_TURN_WIDTH if turn else PICTURE.width() + 16, height)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def show_scene(self, scene: Scene, seal: str, worst: Severity | None, turn: Turn | None, unit: Unit) -> None:
        shown = (scene, seal, worst, unit, self.stale)
        if shown == self._shown:
            return  # with each key that is held, most scenes stay as they are
        self._shown = shown
        self.unit = unit
        if scene.kind != (self.scene.kind if self.scene else ""):
            self.updateGeometry()
        self.scene, self.seal, self._turn = scene, seal, turn
        self.worst = worst if worst != "note" else None
        words = f", {self.worst}" if self.worst else ""
        caption = spell(scene.caption, unit)
        self.setAccessibleName(f"{scene.title}: {caption}, {seal}{words}")
        self.setToolTip(plain_tip(f"{scene.title} — {caption}\n{scene.detail}"))
        self.update()

    def show_picture(self, picture: Picture | None) -> None:
        self._picture, self._image, self.stale = picture, None, False
        self.update()

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._image = None
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.scene is None:
            return
        theme = self.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked():
            painter.fillRect(self.rect(), theme.color("paper"))
            painter.fillRect(QRectF(0, self.height() - 4, self.width(), 4), theme.color("accent"))
        elif self.underMouse():
            painter.fillRect(self.rect(), theme.color("accent_soft"))
        if self.hasFocus():
            painter.setPen(QPen(theme.color("accent"), 1.5, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(2, 2, -3, -3))
        middle = self.width() / 2.0
        scale = _COMPACT_SCALE if self.compact else 1.0
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.translate(middle, 20.0)
        painter.scale(scale, scale)
        if self._turn is not None:
            _paint_turn(painter, theme, self._turn, QPointF(0.0, PICTURE.height() / 2.0))
        elif self._picture is not None:
            painter.setOpacity(_STALE if self.stale else 1.0)
            painter.drawImage(QPointF(-PICTURE.width() / 2.0, 0.0), self._rendered())
        painter.restore()
        self._words(painter)
        painter.end()

    def _words(self, painter: QPainter) -> None:
        theme, scene = self.theme, self.scene
        assert scene is not None, "paintEvent has looked"
        width = self.width() - 6
        painter.setFont(font(11))
        painter.setPen(theme.severity(self.worst) if self.worst else theme.color("quiet"))
        # What a rehearsal found off says more than that something is wrong.
        bad = self.worst and not self.seal.endswith("off")
        seal = f"{SEVERITY_MARKS[self.worst]} {self.worst}" if self.worst and bad else self.seal
        painter.drawText(QRectF(3, 3, width - 4, 16), int(Qt.AlignmentFlag.AlignRight), seal)
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
        second = scene.detail if turn else f"{caption} · {scene.detail}" if scene.kind == "setup" else caption
        painter.drawText(
            QRectF(3, self.height() - 25, width, 16),
            int(Qt.AlignmentFlag.AlignCenter),
            painter.fontMetrics().elidedText(second.strip(" ·"), Qt.TextElideMode.ElideRight, width),
        )

    def _rendered(self) -> QImage:
        """The picture in the theme's colours."""
        if self._image is None and self._picture is not None:
            self._image = _colored(self._picture, self.theme)
        assert self._image is not None, "called with a picture only"
        return self._image


def _colored(picture: Picture, theme: Theme) -> QImage:
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


def result_words(result: RehearsedSetup, unit: Unit) -> str:
    """How a setup came out of its rehearsal: stopped, or by how much a zero is off, or right."""
    if result.stopped:
        return "✕ stopped"
    off = result.worst_off
    return "● rehearsed" if off is None else f"✕ {format_short(off, unit)} off"


class Route(QScrollArea):
    """Scenes from left to right; Left and Right walk them."""

    picked = Signal(int)

    def __init__(self, document: Document, following: Following, theme: Theme) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFixedHeight(_HEIGHT + 12)
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._document = document
        self._theme = theme
        self._compact = False
        self._strip = QWidget()
        self._strip.setObjectName("strip")
        self._row = QHBoxLayout(self._strip)
        self._row.setContentsMargins(8, 0, 8, 0)
        self._row.setSpacing(2)
        self.setWidget(self._strip)
        self._group = QButtonGroup(self)
        self.cards: list[SceneCard] = []
        document.plan_changed.connect(self._await_pictures)
        document.findings_changed.connect(self.refresh)
        following.picture_came.connect(self._show_picture)
        document.scene_changed.connect(self._mark)
        document.rehearsal_changed.connect(self.refresh)
        document.unit_changed.connect(self.refresh)

    def set_compact(self, compact: bool) -> None:
        """Less height for the route, as on a small screen."""
        if compact == self._compact:
            return
        self._compact = compact
        self.setFixedHeight((_COMPACT_HEIGHT if compact else _HEIGHT) + 12)
        for card in self.cards:
            card.compact = compact
            card.updateGeometry()
            card.update()

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        for card in self.cards:
            card.set_theme(theme)

    def refresh(self) -> None:
        plan = self._document.plan
        if plan is None:
            return
        self._match_cards(len(scenes_of(plan)))
        for card, scene in zip(self.cards, scenes_of(plan), strict=True):
            turn = None
            if scene.kind == "turn" and scene.setup is not None:
                turn = Turn(plan.setups[scene.setup - 1].setup.orientation, plan.setups[scene.setup].setup.orientation)
            card.show_scene(scene, self._seal(plan, scene), self._worst(plan, scene, card), turn, self._document.unit)
        self._mark()

    def _await_pictures(self) -> None:
        for card in self.cards:
            card.stale = True
        self.refresh()

    def _worst(self, plan: Plan, scene: Scene, card: SceneCard) -> Severity | None:
        """What was found last stays until what is found now is known."""
        if self._document.findings is None:
            return card.worst
        if scene.kind not in ("stock", "setup"):
            return None
        return worst_of(self._document.findings, "" if scene.setup is None else plan.setups[scene.setup].setup.name)

    def _seal(self, plan: Plan, scene: Scene) -> str:
        """Word and mark for how far a scene has come."""
        if scene.kind == "stock":
            along = measured_along(plan.job.stock)
            return "■ measured" if all(along) else "◧ partly measured" if any(along) else "□ assumed"
        if scene.kind != "setup" or scene.setup is None:
            return ""
        rehearsal = self._document.rehearsal
        if rehearsal is None:
            return "○ planned"
        return result_words(rehearsal.setups[scene.setup], self._document.unit)

    def _match_cards(self, count: int) -> None:
        while len(self.cards) > count:
            card = self.cards.pop()
            self._group.removeButton(card)
            card.deleteLater()
        while len(self.cards) < count:
            card = SceneCard(self._theme)
            card.compact = self._compact
            index = len(self.cards)
            card.clicked.connect(lambda _checked=False, index=index: self._document.show_scene(index))
            self._group.addButton(card)
            self.cards.append(card)
            self._row.insertWidget(index, card)

    def _show_picture(self, index: int, picture: Picture | None) -> None:
        if index < len(self.cards):
            self.cards[index].show_picture(picture)

    def _mark(self) -> None:
        index = self._document.scene_index
        if index < len(self.cards):
            self.cards[index].setChecked(True)
            self.ensureWidgetVisible(self.cards[index], 40, 0)
