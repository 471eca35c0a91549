"""What the template's monitor shows, over a whole display of this machine, for real looking."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QScreen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from idle_quarry.app.models.line_up.line_up import LineUp
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.pictures.monitor_face import MonitorFace


class FullScreen(QWidget):
    """A window without a frame: Escape closes it, space and the arrow keys go through the steps of setting by eye."""

    def __init__(self, model: LineUp, screen: QScreen) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Line-up, full screen")
        self.model, self._screen = model, screen
        self.face = MonitorFace("What the template's monitor shows, full screen", bare=True)
        self.words = label(role="dust")
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.face, 1)
        column.addWidget(self.words)
        model.arrived.connect(self._show)
        model.by_eye.changed.connect(self._show)
        self._show()

    def show_on(self) -> None:
        """Cover the display."""
        self.setGeometry(self._screen.geometry())
        self.showFullScreen()

    def _show(self) -> None:
        looked = self.model.looked
        face = looked.faces[0] if looked is not None and looked.faces else None
        fmt = face.response.seen if face is not None else None
        picture = face.picture if face is not None else None
        self.face.show_face(
            picture, float(fmt.raster.display_aspect) if fmt is not None else 16 / 9, "", self.model.words.face(0)
        )
        eye = self.model.by_eye
        self.words.setText(
            f"{eye.words()}: {eye.step.text}  Space: next, Escape: end" if eye.on else self._refresh_words()
        )
        self.words.setWordWrap(True)

    def _refresh_words(self) -> str:
        """Return what this display's own rate does to the pictures."""
        hertz = self._screen.refreshRate()
        looked = self.model.looked
        if looked is None or hertz <= 0:
            return ""
        rate = float(looked.setup.format.moments)
        times = hertz / rate
        even = abs(times - round(times)) < 0.01 and times >= 0.99
        judder = (
            "each picture stands equally long"
            if even
            else "pictures stand unequally long: motion judders here, not on the line"
        )
        return f"This display shows {hertz:.2f} pictures a second, the line has {rate:g}: {judder}. Escape: back."

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        eye = self.model.by_eye
        if key == Qt.Key.Key_Escape:
            self.close()
        elif eye.on and key in (Qt.Key.Key_Space, Qt.Key.Key_Right, Qt.Key.Key_Return):
            eye.go(1)
        elif eye.on and key in (Qt.Key.Key_Left, Qt.Key.Key_Backspace):
            eye.go(-1)
        else:
            super().keyPressEvent(event)
