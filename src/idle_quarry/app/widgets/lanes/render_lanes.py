"""The timelines of a job, a line each, with their pieces as they stand: to be looked at, clicked and gone through
by keys.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.render_lanes import draw_stood
from idle_quarry.app.drawing.marks import fitted, step_of
from idle_quarry.app.models.jobs.renders.snapshot import PieceRow
from idle_quarry.app.models.jobs.renders.words import row_words

#: At 100 % of text size: a timeline's line, the names at the left, what is said at the right, the count below.
LANE, HEAD, TAIL, COUNT = 34, 128, 150, 22


class RenderLanes(QWidget):
    """`chosen`: the row that was clicked or gone to."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._lanes: list[tuple[str, list[PieceRow], str]] = []
        self._on: PieceRow | None = None
        self.setAccessibleName("Timelines and their pieces")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_rows(self, names: Sequence[tuple[str, str]], rows: Sequence[PieceRow]) -> None:
        """Show timelines, by name and what is said of each, with their pieces."""
        self._lanes = [(name, [row for row in rows if row.programme.name == name], text) for name, text in names]
        self.updateGeometry()
        self.update()

    def show_chosen(self, row: PieceRow | None) -> None:
        self._on = row
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(500), theme.px(LANE) * len(self._lanes) + theme.px(COUNT))

    @property
    def _end_s(self) -> Fraction:
        ends = [rows[-1].stood.piece.last / rows[-1].programme.canvas.format.rate for _, rows, _ in self._lanes if rows]
        return max([Fraction(1), *ends])

    def _x(self, seconds: Fraction) -> float:
        return theme.px(HEAD) + float(seconds / self._end_s) * (self.width() - theme.px(HEAD + TAIL))

    def _rect(self, lane: int, row: PieceRow) -> QRectF:
        piece, rate = row.stood.piece, row.programme.canvas.format.rate
        left, right = self._x(piece.first / rate), self._x(piece.last / rate)
        return QRectF(
            left, lane * theme.px(LANE) + theme.px(7), max(1.5, right - left - 1), theme.px(LANE) - theme.px(14)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for lane, (name, rows, text) in enumerate(self._lanes):
            top = lane * theme.px(LANE)
            painter.setFont(theme.font(13, bold=True))
            painter.setPen(theme.colour("chalk"))
            room = QRectF(theme.px(20), top, theme.px(HEAD) - theme.px(28), theme.px(LANE))
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter, fitted(name, QFontMetricsF(painter.font()), room.width())
            )
            for row in rows:
                rect = self._rect(lane, row)
                draw_stood(painter, rect, row.stood)
                if self._on is not None and row.key == self._on.key:
                    painter.setPen(QPen(theme.colour("chalk"), 2))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(rect.adjusted(-2, -2, 2, 2))
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("dust"))
            tail = QRectF(
                self.width() - theme.px(TAIL) + theme.px(10), top, theme.px(TAIL) - theme.px(14), theme.px(LANE)
            )
            painter.drawText(
                tail, Qt.AlignmentFlag.AlignVCenter, fitted(text, QFontMetricsF(painter.font()), tail.width())
            )
        self._draw_count(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _draw_count(self, painter: QPainter) -> None:
        """Draw seconds and minutes of programme below the lines."""
        painter.setFont(theme.font(11, mono=True))
        room = QFontMetricsF(painter.font()).horizontalAdvance("00:00") + theme.px(26)
        per_second = (self.width() - theme.px(HEAD + TAIL)) / float(self._end_s)
        step = step_of(per_second, room)
        top = theme.px(LANE) * len(self._lanes)
        for second in range(0, int(self._end_s) + 1, step):
            x = self._x(Fraction(second))
            painter.setPen(theme.colour("seam"))
            painter.drawLine(QPointF(x, top), QPointF(x, top + theme.px(5)))
            painter.setPen(theme.colour("dust"))
            painter.drawText(QPointF(x + 3, top + theme.px(15)), f"{second // 60}:{second % 60:02d}")

    def _at(self, point: QPointF) -> PieceRow | None:
        lane = int(point.y() // theme.px(LANE))
        if not 0 <= lane < len(self._lanes):
            return None
        return next(
            (row for row in self._lanes[lane][1] if self._rect(lane, row).adjusted(-1, -5, 1, 5).contains(point)), None
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._at(event.position())
        if row is not None:
            self.chosen.emit(row)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        rows = [row for _, lane, _ in self._lanes for row in lane]
        if step is None or not rows:
            super().keyPressEvent(event)
            return
        keys = [row.key for row in rows]
        at = (
            keys.index(self._on.key) if self._on is not None and self._on.key in keys else -1 if step > 0 else len(rows)
        )
        self.chosen.emit(rows[min(len(rows) - 1, max(0, at + step))])

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            row = self._at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), row_words(row) if row is not None else "", self)
            return True
        return super().event(event)
