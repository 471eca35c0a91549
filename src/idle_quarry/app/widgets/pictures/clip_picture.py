"""A clip's picture to scrub through: woven or field by field, with its active picture, and its motion ribbon below."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.ribbon import draw_ribbon
from idle_quarry.app.models.intake.scrubber import FIELDS, WOVEN, Scrubber
from idle_quarry.media import Clip


class ClipPicture(QWidget):
    """Shows one frame of a clip. Left and Right step, Page keys by a second, F fields, Z samples one for one."""

    def __init__(self, model: Scrubber) -> None:
        super().__init__()
        self.model = model
        self._image: QImage | None = None
        self.one_to_one = False
        model.changed.connect(self._show)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture of the clip")
        sized(self).setMinimumWidth(330)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(300))

    def _show(self) -> None:
        rgb = self.model.rgb
        if rgb is None:
            self._image = None
        else:
            height, width = rgb.shape[:2]
            self._image = QImage(rgb.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
        self.update()

    # -- drawing ---------------------------------------------------------------------------------------

    def _picture_room(self) -> QRectF:
        return QRectF(0, 0, self.width(), max(40, self.height() - theme.px(48)))

    def ribbon_room(self) -> QRectF:
        room = self._picture_room()
        return QRectF(theme.px(8), room.bottom() + theme.px(7), self.width() - theme.px(16), theme.px(16))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        room = self._picture_room()
        painter.fillRect(self.rect(), theme.colour("bench"))
        painter.fillRect(room, theme.colour("surround"))
        clip = self.model.clip
        if self._image is None or clip is None:
            painter.setPen(theme.colour("dust"))
            painter.setFont(theme.font(13))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, self.model.trouble or ("reading" if clip else ""))
            return
        target, source = self._placed(room, clip)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not self.one_to_one)
        painter.drawImage(target, self._image, source)
        if not self.one_to_one:
            self._paint_active(painter, target, clip)
        fields = clip.measured.fields if clip.measured else None
        if fields is not None:
            draw_ribbon(painter, self.ribbon_room(), fields, clip.declared.frames, frame=self.model.frame)
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("dust"))
        line = QRectF(theme.px(8), self.height() - theme.px(21), self.width() - theme.px(16), theme.px(18))
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.caption())
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "← →  F  Z")
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _placed(self, room: QRectF, clip: Clip) -> tuple[QRectF, QRectF]:
        """Return where the picture lands, and which part of it."""
        assert self._image is not None
        whole = QRectF(0, 0, self._image.width(), self._image.height())
        if self.one_to_one:
            width, height = min(room.width(), whole.width()), min(room.height(), whole.height())
            part = QRectF(0, 0, width, height)
            part.moveCenter(whole.center())
            part.moveTopLeft(QPointF(round(part.left()), round(part.top() / 2) * 2))
            target = QRectF(0, 0, width, height)
            target.moveCenter(room.center())
            return QRectF(target.toRect()), part
        aspect = float(clip.declared.display_aspect) or whole.width() / whole.height()
        width = min(room.width(), room.height() * aspect)
        target = QRectF(0, 0, width, width / aspect)
        target.moveCenter(room.center())
        return target, whole

    def _paint_active(self, painter: QPainter, target: QRectF, clip: Clip) -> None:
        active = clip.measured.active if clip.measured else None
        d = clip.declared
        if active is None or (active.width, active.height) == (d.width, d.height):
            return
        across, down = target.width() / d.width, target.height() / d.height
        painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(
            QRectF(
                target.left() + active.x * across,
                target.top() + active.y * down,
                active.width * across,
                active.height * down,
            )
        )

    def caption(self) -> str:
        """Return which frame and field are shown, and how."""
        return self.model.caption() + (" · 1:1" if self.one_to_one else "")

    # -- hands -----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        clip = self.model.clip
        second = round(float(clip.declared.rate or 25)) if clip is not None else 25
        keys = {
            Qt.Key.Key_Left: lambda: self.model.step(-1),
            Qt.Key.Key_Right: lambda: self.model.step(1),
            Qt.Key.Key_PageUp: lambda: self.model.go(self.model.frame - second),
            Qt.Key.Key_PageDown: lambda: self.model.go(self.model.frame + second),
            Qt.Key.Key_Home: lambda: self.model.go(0),
            Qt.Key.Key_End: lambda: self.model.go(self.model.last),
            Qt.Key.Key_F: lambda: self.model.set_mode(FIELDS if self.model.mode == WOVEN else WOVEN),
            Qt.Key.Key_Z: self._zoom,
        }
        act = keys.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()

    def _zoom(self) -> None:
        self.one_to_one = not self.one_to_one
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._scrub(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._scrub(event.position())

    def _scrub(self, point: QPointF) -> None:
        ribbon = self.ribbon_room()
        if ribbon.adjusted(0, -6, 0, 6).contains(point):
            self.model.go(int((point.x() - ribbon.left()) / ribbon.width() * (self.model.last + 1)))
