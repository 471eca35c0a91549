"""A template's revisions as a drilled column, newest on top, a segment a revision."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.counting import counted
from idle_quarry.library.records import Revision


class Revisions(QWidget):
    """Revisions, their heights by how much changed, solid where approved, hatched where draft, open where in review,
    cut through where withdrawn. One is chosen by click or arrow keys; with Ctrl or Shift a second one beside it.
    """

    #: A revision, and a second one beside it or None.
    chosen = Signal(int, object)

    def __init__(self) -> None:
        super().__init__()
        self._revisions: list[Revision] = []
        self._jobs: dict[int, int] = {}
        self.selected: int | None = None
        self.second: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Revisions")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_revisions(
        self, revisions: list[Revision], jobs: dict[int, int], selected: int | None, second: int | None = None
    ) -> None:
        """Show revisions, newest first, with how many jobs stand on each."""
        self._revisions, self._jobs = revisions, jobs
        self.selected, self.second = selected, second
        self._describe()
        self.updateGeometry()
        self.update()

    def _segments(self) -> list[tuple[QRectF, Revision]]:
        y, results = float(theme.px(4)), []
        for revision in self._revisions:
            height = theme.px(34) + min(theme.px(22), theme.px(2) * (revision.changed or 0))
            results.append((QRectF(theme.px(2), y, theme.px(30), height), revision))
            y += height + 2
        return results

    def sizeHint(self) -> QSize:
        segments = self._segments()
        return QSize(theme.px(320), int(segments[-1][0].bottom()) + theme.px(8) if segments else theme.px(40))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(180), self.sizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for rect, revision in self._segments():
            self._paint_segment(painter, rect, revision)
            self._paint_text(painter, rect, revision)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_segment(self, painter: QPainter, rect: QRectF, revision: Revision) -> None:
        picked = revision.number in (self.selected, self.second)
        colour = theme.colour("lichen" if picked else "dust")
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(colour if revision.state == "approved" else Qt.BrushStyle.NoBrush)
        painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if revision.state == "draft":
            painter.save()
            painter.setClipRect(rect)
            for x in range(-int(rect.height()), int(rect.width()), 6):
                painter.drawLine(
                    QPointF(rect.left() + x, rect.bottom()), QPointF(rect.left() + x + rect.height(), rect.top())
                )
            painter.restore()
        elif revision.state == "withdrawn":
            middle = rect.center().y()
            painter.fillRect(QRectF(rect.left() - 2, middle - 2, rect.width() + 4, 4), theme.colour("bench"))
            painter.drawLine(QPointF(rect.left(), middle - 2), QPointF(rect.right(), middle - 2))
            painter.drawLine(QPointF(rect.left(), middle + 2), QPointF(rect.right(), middle + 2))

    def _paint_text(self, painter: QPainter, rect: QRectF, revision: Revision) -> None:
        left = rect.right() + theme.px(12)
        text = QRectF(left, rect.top() + theme.px(1), self.width() - left - theme.px(8), theme.px(16))
        picked = revision.number in (self.selected, self.second)
        painter.setFont(theme.font(12, bold=True))
        painter.setPen(theme.colour("lichen" if picked else "chalk"))
        head = f"{revision.number}  {revision.state}, {revision.author} {revision.time[:10]}"
        metrics = QFontMetricsF(painter.font())
        painter.drawText(
            text, Qt.AlignmentFlag.AlignVCenter, metrics.elidedText(head, Qt.TextElideMode.ElideRight, text.width())
        )
        texts = [revision.note or "no note"]
        if revision.changed:
            texts.append(f"{counted(revision.changed, 'setting')} changed")
        jobs = self._jobs.get(revision.number, 0)
        if jobs:
            texts.append(counted(jobs, "job"))
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("dust"))
        line = QFontMetricsF(painter.font()).elidedText(" · ".join(texts), Qt.TextElideMode.ElideRight, text.width())
        painter.drawText(text.translated(0, theme.px(15)), Qt.AlignmentFlag.AlignVCenter, line)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        beside = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        for rect, revision in self._segments():
            if rect.top() <= event.position().y() <= rect.bottom():
                self.choose(revision.number, bool(beside))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        numbers = [revision.number for revision in self._revisions]
        beside = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        here = self.second if beside and self.second is not None else self.selected
        if step is None or here not in numbers:
            super().keyPressEvent(event)
            return
        self.choose(numbers[max(0, min(len(numbers) - 1, numbers.index(here) + step))], beside)

    def choose(self, number: int, beside: bool) -> None:
        """Choose a revision, or one beside it to be compared with."""
        if beside:
            self.second = number if number != self.selected else None
        else:
            self.selected, self.second = number, None
        self._describe()
        self.update()
        if self.selected is not None:
            self.chosen.emit(self.selected, self.second)

    def _describe(self) -> None:
        revision = next((r for r in self._revisions if r.number == self.selected), None)
        if revision is not None:
            beside = f", beside revision {self.second}" if self.second else ""
            self.setAccessibleDescription(
                f"revision {revision.number}, {revision.state}, by {revision.author}: {revision.note}{beside}"
            )
