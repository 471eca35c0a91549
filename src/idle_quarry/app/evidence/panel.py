"""The evidence panel: tabs of what can be computed of the chosen link."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, QTimer
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence import cadence, data, gamut, levels, rasters
from idle_quarry.app.evidence.common import Subject, subject_of
from idle_quarry.path.evaluation import Evaluation

Paint = Callable[[QPainter, QRectF, Subject], None]
#: Every kind of evidence: a new one is added here and nowhere else.
KINDS: dict[str, Paint] = {
    "Raster": rasters.paint,
    "Time": cadence.paint,
    "Levels": levels.paint,
    "Gamut": gamut.paint,
    "Data": data.paint,
}
#: What is most telling of a step.
_BY_STEP = {
    "fit": "Raster",
    "scan": "Time",
    "rate": "Time",
    "colour": "Gamut",
    "range": "Levels",
    "depth": "Levels",
    "sampling": "Levels",
}


#: How long after strip and findings the evidence is painted, ms: what is typed meanwhile is answered first.
_AFTER_MS = 12


class _Canvas(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.subject: Subject | None = None
        self.paint: Paint = rasters.paint

    def sizeHint(self) -> QSize:
        return QSize(theme.px(620), theme.px(300))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self.subject is not None:
            self.paint(painter, QRectF(self.rect()), self.subject)


class Evidence(QWidget):
    """One picture of the chosen link, of the kind the tabs say."""

    def __init__(self) -> None:
        super().__init__()
        on(self, "surround")
        self.canvas = _Canvas()
        self.canvas.setAccessibleName("Evidence")
        row = QHBoxLayout()
        sized(row).setContentsMargins(8, 4, 8, 0)
        row.addStretch(1)
        self._group = QButtonGroup(self)
        self.tabs: dict[str, QPushButton] = {}
        for name in KINDS:
            tab = QPushButton(name)
            tab.setCheckable(True)
            tab.setProperty("quiet", "true")
            tab.clicked.connect(lambda _checked, name=name: self.show_kind(name, by_hand=True))
            self._group.addButton(tab)
            row.addWidget(tab)
            self.tabs[name] = tab
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.canvas, 1)
        self._kind, self._by_hand, self._selected = "Raster", False, ""
        self._soon = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._soon.timeout.connect(self.canvas.update)
        self.show_kind("Raster")

    def show_kind(self, name: str, *, by_hand: bool = False) -> None:
        """Show one kind of evidence."""
        self._kind, self._by_hand = name, self._by_hand or by_hand
        self.tabs[name].setChecked(True)
        self.canvas.paint = KINDS[name]
        self._describe()
        self._soon.start()

    def show_evaluation(self, evaluation: Evaluation, selected: str) -> None:
        """Show evidence of the chosen station's link, of the kind that tells most unless one was picked."""
        self.canvas.subject = subject_of(evaluation, selected)
        if selected != self._selected:
            self._selected, self._by_hand = selected, False
        link = self.canvas.subject.link
        if not self._by_hand:
            if selected in ("intermediate", "proxy"):
                kind = "Data"
            elif link is not None and link.steps:
                kinds = [step.kind for step in link.steps]
                kind = _BY_STEP["fit" if "fit" in kinds else kinds[0]]
            else:
                kind = "Raster"
            self.show_kind(kind)
        self._describe()
        self._soon.start()

    def _describe(self) -> None:
        subject = self.canvas.subject
        if subject is not None and subject.link is not None:
            text = "; ".join(step.text for step in subject.link.steps) or "nothing has to be converted"
            self.canvas.setAccessibleDescription(
                f"{self._kind}: {subject.source.name} to {subject.target.name}: {text}"
            )
