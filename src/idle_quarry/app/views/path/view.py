"""The Path view: the strip, the sheet of what is chosen on it, the evidence beside it, the findings below."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.evidence.panel import Evidence
from idle_quarry.app.views.path.sheets import Sheets
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.menus import menu_at, menu_under
from idle_quarry.app.widgets.basic.pages import page_head
from idle_quarry.app.widgets.templates.findings import Findings
from idle_quarry.app.widgets.templates.strip import Strip
from idle_quarry.media.names import MEDIA_SUFFIXES


class PathView(QWidget):
    """One template. Everything shown follows the model; every edit goes through it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.path
        model = self.model
        self.empty = label("Nothing is open. Choose a template in the Library, or make one there.", "dust")
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.title, self.about = OneLine("title"), OneLine("dust")
        self.save_button = button("Save revision", model.ask_save, tip="Ctrl+S")
        self.job_button = button("Start a job", model.start_job, main=True, tip="Ctrl+J")
        self.changes_button = button("", lambda: menu_under(self.changes_button, model.changes()), quiet=True)
        self.ask = AskBar()
        self.strip = Strip()
        self.sheets = Sheets(desk)
        self.evidence, self.findings = Evidence(), Findings(leads={"monitor": "Line up"})
        self.middle = _split("path-middle", Qt.Orientation.Horizontal, self.sheets, self.evidence, (560, 720))
        self.halves = _split("path-halves", Qt.Orientation.Vertical, self.middle, self.findings, (330, 150))
        self._full = QWidget()
        whole = QVBoxLayout(self._full)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(page_head(self.title, self.about, self.changes_button, self.save_button, self.job_button))
        whole.addWidget(self.ask)
        whole.addWidget(self.strip)
        whole.addWidget(self.halves, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.empty)
        outer.addWidget(self._full)
        self.first_focus = self.strip
        self.strip.chosen.connect(model.choose)
        self.strip.clips_dropped.connect(self._dropped)
        self.strip.source_wanted.connect(model.stations.add_source)
        self.strip.delivery_wanted.connect(model.stations.ask_delivery)
        model.stations.delivery_asked.connect(self._ask_delivery)
        self.strip.line_up_wanted.connect(model.line_up)
        self.findings.led.connect(model.line_up)
        self.findings.cured.connect(model.cure)
        self.findings.shown.connect(model.choose)
        model.changed.connect(self._show)
        desk.documents.weighed.connect(self._show_findings)
        model.sheet_changed.connect(self._show_chosen)
        model.asked.connect(self.ask.put)
        desk.server.changed.connect(self._show_about)
        desk.documents.opened.connect(self.ask.hide)
        self._show()

    # -- showing -------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        document, model = self.model.document, self.model
        self.empty.setVisible(document is None)
        self._full.setVisible(document is not None)
        if document is None:
            return
        self.title.setText(document.template.name)
        self._show_about()
        self.changes_button.setText(model.changes_words())
        self.changes_button.setVisible(bool(model.changes_words()))
        self.save_button.setEnabled(document.dirty)
        self.save_button.setText(model.save_words())
        self.job_button.setToolTip("Jobs start from saved revisions" if document.dirty else "Ctrl+J")
        self._show_findings()
        self._show_chosen()

    def _show_findings(self) -> None:
        if self.model.document is not None:
            self.findings.show_evaluation(self.model.document.seen)

    def _show_about(self) -> None:
        self.about.setText(self.model.about_words())

    def _show_chosen(self) -> None:
        document = self.model.document
        if document is not None:
            self.strip.show_evaluation(document.seen, self.model.station)
            self.evidence.show_evaluation(document.seen, self.model.station)
            self.evidence.setVisible(self.model.sheet != "structure")  # three editors need the room

    # -- asking ----------------------------------------------------------------------------------------------------

    def _ask_delivery(self) -> None:
        """Offer the standard deliveries and add the one that is taken."""
        menu_at(self.strip, QPoint(self.strip.width(), theme.px(26)), self.model.stations.deliveries_offered())

    def _dropped(self, names: list[str], station: str) -> None:
        """Clips dropped on the strip become sources of the open template, one on a station gives it its format.

        Other files go where they belong.
        """
        paths = [Path(name) for name in names]
        if all(path.suffix.lower() in MEDIA_SUFFIXES for path in paths):
            self.model.stations.from_clips(paths, station if len(paths) == 1 else "")
        else:
            self.window().take_files(paths)  # type: ignore[attr-defined]


def _split(name: str, way: Qt.Orientation, first: QWidget, second: QWidget, sizes: tuple[int, int]) -> QSplitter:
    result = QSplitter(way)
    result.setObjectName(name)
    result.addWidget(first)
    result.addWidget(second)
    result.setSizes([theme.px(size) for size in sizes])
    result.setChildrenCollapsible(False)
    return result
