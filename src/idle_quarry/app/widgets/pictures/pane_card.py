"""Under each picture: its method, two sentences that explain it, its figures, and the button that takes it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.path.policies import PolicyPart
from idle_quarry.proof.figures import Figure


class FigureList(QWidget):
    """Figures in one or two columns; the best among the pictures carries a dot."""

    def __init__(self) -> None:
        super().__init__()
        self._figures: list[tuple[Figure, bool]] = []
        self._note = ""

    def sizeHint(self) -> QSize:
        return QSize(theme.px(200), theme.px(17) * max(1, self._rows()))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def _columns(self) -> int:
        return 2 if self.width() >= theme.px(380) else 1

    def _rows(self) -> int:
        return -(-len(self._figures) // self._columns())

    def show_figures(self, figures: list[tuple[Figure, bool]], note: str = "") -> None:
        """Show figures, each with whether it is the best of all, or a note where there are none yet."""
        self._figures, self._note = figures, note
        self.setToolTip("\n".join(f"{f.name}: {f.explained}" for f, _ in figures if f.explained))
        self.setAccessibleName("; ".join(f"{f.name} {f.text}" for f, _ in figures) or note)
        self.updateGeometry()
        self.update()

    def resizeEvent(self, event: object) -> None:
        self.updateGeometry()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        line = theme.px(17)
        painter.setFont(theme.font(12))
        if not self._figures:
            painter.setPen(theme.colour("dust"))
            painter.drawText(QRectF(0, 0, self.width(), line), Qt.AlignmentFlag.AlignLeft, self._note)
            return
        columns, rows = self._columns(), self._rows()
        width = self.width() / columns - theme.px(10)
        for number, (figure, best) in enumerate(self._figures):
            left, top = (number // rows) * (width + theme.px(20)), (number % rows) * line
            room = QRectF(left, top, width, line)
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("dust"))
            painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, figure.name)
            name_width = painter.fontMetrics().horizontalAdvance(figure.name) + theme.px(8)
            painter.setPen(theme.colour("ochre" if figure.warns else "chalk"))
            painter.setFont(theme.font(12, bold=best))
            dot = theme.px(12)
            text = painter.fontMetrics().elidedText(
                figure.text, Qt.TextElideMode.ElideRight, int(width - name_width - dot)
            )
            value = room.adjusted(name_width, 0, -dot, 0)
            painter.drawText(value, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
            if best:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("sage"))
                size = theme.px(5)
                painter.drawEllipse(QRectF(room.right() - size, room.center().y() - size / 2, size, size))


class PaneCard(QFrame):
    """One method of the part that is compared."""

    method_chosen = Signal(str)
    taken = Signal()
    removed = Signal()

    def __init__(self) -> None:
        super().__init__()
        on(self, "bench")
        self.method = QComboBox()
        self.method.setAccessibleName("Method")
        self.method.activated.connect(lambda index: self.method_chosen.emit(self.method.itemData(index)))
        self.take_button = button("Use it", self.taken.emit)
        self.state = label("in the template", "good")
        self.remove_button = button("✕", self.removed.emit, quiet=True, tip="take this picture off the bench")
        self.remove_button.setAccessibleName("Remove this method")
        self.text = label(role="dust", wrap=True)
        self.figures = FigureList()
        head = QHBoxLayout()
        sized(head).setSpacing(6)
        head.addWidget(self.method, 1)
        head.addWidget(self.state)
        head.addWidget(self.take_button)
        head.addWidget(self.remove_button)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(8, 5, 8, 6)
        sized(column).setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.text)
        column.addWidget(self.figures)
        column.addStretch(1)

    def show_method(
        self, part: PolicyPart, methods: tuple[str, ...], chosen: str, own: str, *, removable: bool, may: bool
    ) -> None:
        """Show which method this is, of those there are.

        `own` is the template's, `may` whether another can be taken.
        """
        self.method.clear()
        for ident in methods:
            self.method.addItem(part[ident].label, ident)
        self.method.setCurrentIndex(methods.index(chosen))
        self.text.setText(part[chosen].text)
        self.state.setVisible(chosen == own)
        self.take_button.setVisible(chosen != own and may)
        self.remove_button.setVisible(removable)
