"""What a codec took from its worst picture: the difference, amplified around grey."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.proof.codecs import Loss


class LossPicture(QWidget):
    """What one codec took from its worst picture: the difference, amplified around grey."""

    def __init__(self) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.text = ""
        sized(self).setMinimumWidth(260)
        self.setAccessibleName("What the codec took away")

    def show_loss(self, loss: Loss | None, text: str, gain: int) -> None:
        """Show a loss, or only a text."""
        self.text = text
        self._image = None
        if loss is not None:
            pixels = loss.shown(gain)
            height, width = pixels.shape[:2]
            self._image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        painter.setFont(theme.font(12))
        line = theme.px(38)
        room = QRectF(self.rect()).adjusted(0, 0, 0, -line)
        if self._image is not None:
            scale = min(room.width() / self._image.width(), room.height() / self._image.height())
            box = QRectF(0, 0, self._image.width() * scale, self._image.height() * scale)
            box.moveCenter(room.center())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(box, self._image)
        painter.setPen(theme.colour("chalk"))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        below = QRectF(theme.px(8), room.bottom(), self.width() - theme.px(16), line)
        painter.drawText(below if self._image is not None else QRectF(self.rect()), int(flags), self.text)
