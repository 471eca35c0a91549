"""What the player shows: the canvas in its shape, the picture where the template puts it, safe areas, levels of the
sound beside.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.jobs.trial.playback import Playback
from idle_quarry.picture.scopes import field_shown
from idle_quarry.signal.rasters import Raster, safe_area

#: The lowest level that is drawn, dBFS, and the width of the levels.
_LOWEST, _LEVELS = -48.0, 34


class PlayerPicture(QWidget):
    """The wheel jogs; a double click plays or holds.

    `dragged` says by how much of the canvas a picture was shifted (across, down).
    """

    jogged = Signal(int)
    toggled = Signal()
    dragged = Signal(float, float)

    def __init__(self, player: Playback) -> None:
        super().__init__()
        self.player = player
        self.safe = True
        self.shiftable = False  #: whether a picture can be shifted in its canvas: one of another shape
        self.raster: Raster | None = None
        self._image: QImage | None = None
        self._from: tuple[float, float] | None = None
        self._by = (0.0, 0.0)
        self.setAccessibleName("Player")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        sized(self).setMinimumHeight(140)
        player.seen_changed.connect(self._show)
        player.state_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(480), theme.px(280))

    def _show(self) -> None:
        picture = self.player.seen
        if picture is None or picture.rgb is None:
            self._image = None
        else:
            rgb = picture.rgb
            if self.player.by_field and not self.player.speed and picture.order:
                other = {"top": "bottom", "bottom": "top"}[picture.order]
                rgb = field_shown(rgb, other if self.player.second_field else picture.order)
            height, width = rgb.shape[:2]
            self._image = QImage(rgb.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
        self.update()

    def toggle_safe(self) -> None:
        """Draw the safe areas of a held picture, or none."""
        self.safe = not self.safe
        self.update()

    def canvas(self) -> QRectF:
        """Return where the canvas lies."""
        room = QRectF(theme.px(6), theme.px(6), self.width() - theme.px(18 + _LEVELS), self.height() - theme.px(12))
        source = self.player.source
        aspect = source.aspect if source is not None else 16 / 9
        width = min(room.width(), room.height() * aspect)
        canvas = QRectF(0, 0, width, width / aspect)
        canvas.moveCenter(room.center())
        return canvas

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        player, canvas = self.player, self.canvas()
        if player.source is None:
            return
        self.player.lines = max(120, int(canvas.height() * self.devicePixelRatio()))
        painter.fillRect(canvas, Qt.GlobalColor.black)
        picture = player.seen
        if picture is not None and self._image is not None:
            left, top, width, height = picture.place
            target = QRectF(
                canvas.left() + (left + self._by[0]) * canvas.width(),
                canvas.top() + (top + self._by[1]) * canvas.height(),
                width * canvas.width(),
                height * canvas.height(),
            )
            painter.save()
            painter.setClipRect(canvas)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not player.speed)
            painter.drawImage(target, self._image)
            painter.restore()
        elif picture is not None and picture.words:
            painter.setPen(theme.colour("dust"))
            painter.setFont(theme.font(13))
            painter.drawText(canvas, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, picture.words)
        self._draw_over(painter, canvas)
        self._draw_levels(painter, canvas)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _draw_over(self, painter: QPainter, canvas: QRectF) -> None:
        if self.safe and self.raster is not None and not self.player.speed:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for kind, style in (("action", Qt.PenStyle.SolidLine), ("graphics", Qt.PenStyle.DotLine)):
                painter.setPen(QPen(theme.colour("dust"), 1, style))
                area = safe_area(self.raster, kind)
                across, down = canvas.width() / self.raster.width, canvas.height() / self.raster.height
                painter.drawRect(
                    QRectF(
                        canvas.left() + area.x * across,
                        canvas.top() + area.y * down,
                        area.width * across,
                        area.height * down,
                    )
                )
        picture = self.player.seen
        if picture is not None and picture.quick:
            painter.setFont(theme.font(11))
            text = "a quick look: the clip as it is, fitted"
            wide = painter.fontMetrics().horizontalAdvance(text) + theme.px(10)
            room = QRectF(canvas.left(), canvas.top(), wide, theme.px(18))
            painter.fillRect(room, theme.colour("bench"))
            painter.setPen(theme.colour("ochre"))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)

    def _draw_levels(self, painter: QPainter, canvas: QRectF) -> None:
        room = QRectF(self.width() - theme.px(_LEVELS), canvas.top(), theme.px(_LEVELS - 12), canvas.height())
        wide = room.width() / 2 - 2
        for number, peak in enumerate(self.player.levels()):
            bar = QRectF(room.left() + number * (wide + 4), room.top(), wide, room.height())
            painter.fillRect(bar, theme.colour("bench"))
            level = 20 * math.log10(peak) if peak > 1e-5 else _LOWEST
            share = min(1.0, max(0.0, 1 - level / _LOWEST))
            lit = QRectF(bar.left(), bar.bottom() - share * bar.height(), bar.width(), share * bar.height())
            painter.fillRect(lit, theme.colour("oxide" if level > -1 else "sage"))

    # -- hands -----------------------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.jogged.emit(-1 if (event.angleDelta().y() or event.angleDelta().x()) > 0 else 1)
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.toggled.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shiftable and self.canvas().contains(event.position()):
            self._from = event.position().x(), event.position().y()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            canvas = self.canvas()
            self._by = (
                (event.position().x() - self._from[0]) / canvas.width(),
                (event.position().y() - self._from[1]) / canvas.height(),
            )
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        by, self._from, self._by = self._by, None, (0.0, 0.0)
        if abs(by[0]) + abs(by[1]) > 0.002:
            self.dragged.emit(*by)
        self.update()
