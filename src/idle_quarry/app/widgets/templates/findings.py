"""The findings: what the evaluation says, gravest first, each with its remedy at the right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QPointF,
    QRect,
    QSize,
    Qt,
    Signal,
    SignalInstance,
)
from PySide6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_severity, fitted
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.path.evaluation import Evaluation, Finding

Index = QModelIndex | QPersistentModelIndex
_ROLE = Qt.ItemDataRole.UserRole


class FindingsModel(QAbstractListModel):
    """Findings as rows."""

    def __init__(self) -> None:
        super().__init__()
        self.findings: tuple[Finding, ...] = ()
        self.names: dict[str, str] = {}

    def take(self, evaluation: Evaluation) -> None:
        names = {station.id: station.name for station in evaluation.stations}
        if evaluation.findings == self.findings and names == self.names:
            return
        self.beginResetModel()
        self.findings, self.names = evaluation.findings, names
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self.findings)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        finding = self.findings[index.row()]
        if role == _ROLE:
            return finding
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            cure = f" Remedy: {finding.remedy.label}." if finding.remedy else ""
            return f"{finding.severity}, {self.place(finding)}: {finding.text}{cure}"
        return finding.text if role == Qt.ItemDataRole.ToolTipRole else None

    def sentence(self, finding: Finding) -> str:
        """Return a finding's sentence without the name that stands before it in bold."""
        rest = finding.text.removeprefix(self.place(finding))
        if rest == finding.text or rest[:1] not in (":", " "):
            return finding.text
        rest = rest.lstrip(": ")
        return rest if finding.text[len(self.place(finding))] == " " else rest[:1].upper() + rest[1:]

    def place(self, finding: Finding) -> str:
        """Return where a finding belongs, by the name people know."""
        return self.names.get(finding.where, finding.where[:1].upper() + finding.where[1:])


def _sentence(index: Index) -> str:
    model = index.model()
    assert isinstance(model, FindingsModel)
    return model.sentence(index.data(_ROLE))


@lru_cache(maxsize=1024)
def _height(sentence: str, width: int, _percent: int) -> int:
    """Return how high a sentence is in lines of a width."""
    room = QRect(0, 0, width, 10000)
    return QFontMetrics(theme.font(13)).boundingRect(room, Qt.TextFlag.TextWordWrap, sentence).height()


@lru_cache(maxsize=1024)
def _width(text: str, _percent: int) -> int:
    """Return how wide a word to click is."""
    return QFontMetrics(theme.font(13, bold=True)).horizontalAdvance(text)


class _Delegate(QStyledItemDelegate):
    def __init__(self, leads: Mapping[str, str]) -> None:
        super().__init__()
        self._leads = leads

    def lead(self, finding: Finding) -> str:
        """Return the word that leads from a finding to where more can be seen of it, "" for none."""
        return self._leads.get(finding.where, "")

    def _parts(self, rect: QRect, finding: Finding) -> tuple[QRect, QRect, QRect, QRect]:
        cure_width = _width(finding.remedy.label, theme.percent) + theme.px(20) if finding.remedy else 0
        lead_width = _width(self.lead(finding), theme.percent) + theme.px(20) if self.lead(finding) else 0
        name = QRect(rect.left() + theme.px(34), rect.top(), theme.px(150), rect.height())
        cure = QRect(rect.right() - cure_width - theme.px(6), rect.top(), cure_width, rect.height())
        lead = QRect(cure.left() - lead_width, rect.top(), lead_width, rect.height())
        text = QRect(name.right() + theme.px(10), rect.top(), lead.left() - name.right() - theme.px(20), rect.height())
        return name, text, lead, cure

    def remedy_rect(self, rect: QRect, finding: Finding) -> QRect:
        return self._parts(rect, finding)[3]

    def lead_rect(self, rect: QRect, finding: Finding) -> QRect:
        return self._parts(rect, finding)[2]

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        finding = index.data(_ROLE)
        width = (option.widget.width() if option.widget else 1200) - theme.px(14)
        room = self._parts(QRect(0, 0, width, 0), finding)[1].width()
        return QSize(width, max(theme.px(25), _height(_sentence(index), max(80, room), theme.percent) + theme.px(8)))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        finding: Finding = index.data(_ROLE)
        model = index.model()
        assert isinstance(model, FindingsModel)
        rect: QRect = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
        draw_severity(
            painter, QPointF(rect.left() + theme.px(22), rect.top() + theme.px(13)), finding.severity, theme.px(9)
        )
        name, text, lead, cure = self._parts(rect, finding)
        top = Qt.AlignmentFlag.AlignTop
        shift = theme.px(4)
        painter.setFont(theme.font(13, bold=True))
        painter.setPen(theme.colour("chalk"))
        metrics = QFontMetrics(painter.font())
        painter.drawText(
            name.adjusted(0, shift, 0, 0),
            top,
            fitted(model.place(finding), metrics, name.width()),
        )
        painter.setPen(theme.colour("lichen"))
        painter.drawText(lead.adjusted(0, shift, 0, 0), top | Qt.AlignmentFlag.AlignRight, self.lead(finding))
        if finding.remedy:
            painter.drawText(cure.adjusted(0, shift, 0, 0), top | Qt.AlignmentFlag.AlignRight, finding.remedy.label)
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("chalk" if finding.severity != "note" else "dust"))
        painter.drawText(
            text.adjusted(0, shift, 0, 0), int(top) | int(Qt.TextFlag.TextWordWrap), model.sentence(finding)
        )


class _List(QListView):
    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.scheduleDelayedItemsLayout()


class Findings(QWidget):
    """The list with its count. `cured` carries the finding whose remedy was clicked, `shown` the station's id,
    `led` the finding whose other word was: `leads` are those words, by station.
    """

    cured = Signal(object)
    shown = Signal(str)
    led = Signal(object)

    def __init__(self, *, curable: bool = True, leads: Mapping[str, str] | None = None) -> None:
        super().__init__()
        on(self, "bench")
        self._curable = curable
        self.model = FindingsModel()
        self.list = _List()
        self.list.setModel(self.model)
        self._delegate = _Delegate(leads or {})
        self.list.setItemDelegate(self._delegate)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setMouseTracking(True)
        self.list.setAccessibleName("Findings")
        self.list.viewport().installEventFilter(self)
        self.list.installEventFilter(self)
        self.list.clicked.connect(lambda index: self.shown.emit(index.data(_ROLE).where))
        self._count = label(role="dust")
        self._none = label("Nothing to say: every link is as good as it can be.", "good")
        sized(self._none).setContentsMargins(16, 0, 0, 0)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 7, 16, 2)
        head.addWidget(label("Findings", "head"))
        head.addSpacing(theme.px(10))
        head.addWidget(self._count)
        head.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self._none)
        column.addWidget(self.list, 1)

    def show_evaluation(self, evaluation: Evaluation) -> None:
        """Show the findings of an evaluation; without their remedies where nothing here could be edited."""
        if not self._curable:
            evaluation = replace(evaluation, findings=tuple(replace(f, remedy=None) for f in evaluation.findings))
        self.model.take(evaluation)
        parts = []
        for severity in ("stop", "caution", "note"):
            count = evaluation.count(severity)
            if count:
                parts.append(f"{count} {severity}{'s' if count > 1 else ''}")
        self._count.setText(" · ".join(parts))
        self._none.setVisible(not parts)

    def _acts_at(self, point: QPoint, index: QModelIndex, finding: Finding) -> SignalInstance | None:
        """Return what a click at a point of a row does beside choosing it."""
        rect = self.list.visualRect(index)
        if finding.remedy and self._delegate.remedy_rect(rect, finding).contains(point):
            return self.cured
        if self._delegate.lead(finding) and self._delegate.lead_rect(rect, finding).contains(point):
            return self.led
        return None

    def eventFilter(self, watched: object, event: QEvent) -> bool:
        if isinstance(event, QMouseEvent) and watched is self.list.viewport():
            index = self.list.indexAt(event.position().toPoint())
            finding = index.data(_ROLE) if index.isValid() else None
            acts = self._acts_at(event.position().toPoint(), index, finding) if finding is not None else None
            self.list.viewport().setCursor(Qt.CursorShape.PointingHandCursor if acts else Qt.CursorShape.ArrowCursor)
            if acts and event.type() == QEvent.Type.MouseButtonRelease and event.button() == Qt.MouseButton.LeftButton:
                acts.emit(finding)
                return True
        if isinstance(event, QKeyEvent) and watched is self.list and event.type() == QEvent.Type.KeyPress:
            finding = self.list.currentIndex().data(_ROLE)
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and finding is not None:
                if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self._delegate.lead(finding):
                    self.led.emit(finding)
                elif finding.remedy:
                    self.cured.emit(finding)
                else:
                    self.shown.emit(finding.where)
                return True
        return super().eventFilter(watched, event)  # type: ignore[arg-type]
