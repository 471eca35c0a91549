"""What a monitor shows: its picture in its shape, or black with the reason."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.line.devices.face import Rgb8


class MonitorFace(QWidget):
    """A screen. `state` frames it: "shown", "not as meant" (dashed), "black"."""

    def __init__(self, name: str, *, bare: bool = False) -> None:
        super().__init__()
        self._image: QImage | None = None
        self._held: Rgb8 | None = None
        self._aspect, self._text, self._state, self._bare = 16 / 9, "", "", bare
        self._safe: tuple[float, ...] = ()
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(170))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(120), theme.px(68))

    def show_face(
        self, picture: Rgb8 | None, aspect: float, state: str, text: str, safe: tuple[float, ...] = ()
    ) -> None:
        """Show a picture of a shape, or black with words.

        `safe` are shares of the height and width that safe areas keep.
        """
        self._image = None
        if picture is not None:
            height, width = picture.shape[:2]
            self._image = QImage(picture.data, width, height, 3 * width, QImage.Format.Format_RGB888)
            self._held = picture  # the image is drawn from its memory
        self._aspect, self._state, self._text, self._safe = aspect, state, text, safe
        self.setAccessibleDescription(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(0, 0, 0) if self._bare else theme.colour("surround"))
        edge = 0 if self._bare else theme.px(2)
        room = QRectF(self.rect()).adjusted(edge, edge, -edge, -edge)
        width = min(room.width(), room.height() * self._aspect)
        height = width / self._aspect
        screen = QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)
        painter.fillRect(screen, QColor(0, 0, 0))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(screen, self._image)
            painter.setPen(QPen(QColor(255, 255, 255, 110), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for share in self._safe:
                by_x, by_y = screen.width() * (1 - share) / 2, screen.height() * (1 - share) / 2
                painter.drawRect(screen.adjusted(by_x, by_y, -by_x, -by_y))
        elif self._text:
            painter.setPen(QColor(theme.colour("oxide")) if theme.scheme.name != "office" else QColor("#ea8d78"))
            painter.setFont(theme.font(12))
            inside = screen.adjusted(theme.px(8), theme.px(4), -theme.px(8), -theme.px(4))
            painter.drawText(inside, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), self._text)
        if not self._bare and self._state in ("not as meant", "shown"):
            dashed = self._state == "not as meant"
            painter.setPen(
                QPen(
                    theme.colour("ochre" if dashed else "sage"),
                    theme.px(2),
                    Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine,
                )
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(screen.adjusted(-1, -1, 1, 1))
