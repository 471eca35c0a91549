"""The core: a template's revisions as a drilled column, newest on top, a segment a revision."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.theme import theme
from idle_quarry.library.records import Revision


class Core(QWidget):
    """Revisions with their heights by how much changed; one is chosen by click or arrow keys."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._revisions: list[tuple[Revision, int]] = []
        self.selected: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Revisions")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_revisions(self, revisions: list[tuple[Revision, int]]) -> None:
        """Show revisions, newest first, each with the number of settings it changed."""
        self._revisions = revisions
        self.selected = revisions[0][0].number if revisions else None
        self._describe()
        self.updateGeometry()
        self.update()

    def _segments(self) -> list[tuple[QRectF, Revision, int]]:
        y, found = float(theme.px(4)), []
        for revision, changed in self._revisions:
            height = theme.px(30) + min(theme.px(22), theme.px(2) * changed)
            found.append((QRectF(theme.px(2), y, theme.px(30), height), revision, changed))
            y += height + 2
        return found

    def sizeHint(self) -> QSize:
        segments = self._segments()
        return QSize(theme.px(360), int(segments[-1][0].bottom()) + theme.px(8) if segments else theme.px(40))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, self.sizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for rect, revision, changed in self._segments():
            chosen = revision.number == self.selected
            painter.fillRect(rect, theme.colour("lichen" if chosen else "seam"))
            painter.setPen(QPen(theme.colour("ground"), 1))
            for line in range(int(rect.top()) + 6, int(rect.bottom()) - 2, 6):
                painter.drawLine(
                    int(rect.left()) + 3 + (line * 7) % 9, line, int(rect.left()) + 12 + (line * 5) % 13, line
                )
            text = QRectF(
                rect.right() + theme.px(12), rect.top(), self.width() - rect.right() - theme.px(20), theme.px(16)
            )
            painter.setFont(theme.font(12, bold=True))
            painter.setPen(theme.colour("lichen" if chosen else "chalk"))
            painter.drawText(
                text, Qt.AlignmentFlag.AlignVCenter, f"{revision.number}  {revision.author}, {revision.time[:10]}"
            )
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("dust"))
            what = f" · {changed} settings changed" if changed > 1 else " · 1 setting changed" if changed else ""
            line_text = QFontMetricsF(painter.font()).elidedText(
                (revision.note or "no note") + what, Qt.TextElideMode.ElideRight, text.width()
            )
            painter.drawText(text.translated(0, theme.px(15)), Qt.AlignmentFlag.AlignVCenter, line_text)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for rect, revision, _ in self._segments():
            if rect.top() <= event.position().y() <= rect.bottom():
                self._choose(revision.number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        numbers = [revision.number for revision, _ in self._revisions]
        if step is None or self.selected not in numbers:
            super().keyPressEvent(event)
            return
        index = max(0, min(len(numbers) - 1, numbers.index(self.selected) + step))
        self._choose(numbers[index])

    def _choose(self, number: int) -> None:
        self.selected = number
        self._describe()
        self.update()
        self.chosen.emit(number)

    def _describe(self) -> None:
        revision = next((r for r, _ in self._revisions if r.number == self.selected), None)
        if revision is not None:
            self.setAccessibleDescription(f"revision {revision.number} by {revision.author}: {revision.note}")
