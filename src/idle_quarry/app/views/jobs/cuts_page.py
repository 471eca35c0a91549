"""The page of a job's cuts: a list from elsewhere, what its frame would do, its events as lanes and as a table."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QModelIndex, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QListWidgetItem,
    QScrollArea,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.drawing.lanes.cut_lanes import LANE, SCALE
from idle_quarry.app.models.jobs.cuts.cuts import ALL, LACKING, Cuts
from idle_quarry.app.models.jobs.cuts.rows import NUMBER, RECORD, SOURCE, TAPE, CutRows
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.page_rows import report_asked, tools_row, words_column
from idle_quarry.app.widgets.basic.tables import ColourDelegate, rows_of_one_height, words_list
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.app.widgets.lanes.cut_lanes import CutLanes
from idle_quarry.jobs.conform.lists import KINDS
from idle_quarry.jobs.folder_plan import FOR_CLIPS, FOR_CUTS

_WIDTHS = (48, 104, 60, 190, 84, 104, 60)
#: The lanes are as high as their tracks, up to so much; what is told has so much at the most.
_MOST_LANES, _MOST_TOLD = 190, 118
_SEVERITY_ROLE = {"stop": "oxide", "caution": "ochre", "note": "chalk"}


class CutsPage(QWidget):
    """Shows the cuts of the model, and forwards."""

    guide_section = "Bring in a cut"

    def __init__(self, model: Cuts) -> None:
        super().__init__()
        self.model = model
        FileDrop(self, self._lists_among, lambda paths, _event: self._take(paths[0]))
        self.read_button = button(
            "Read a list", self._ask_list, main=True, tip="OpenTimelineIO, CMX 3600, AAF or a table of clips"
        )
        self.folder_button = button("Look in a folder", self._ask_folder, tip="look for its clips there too")
        self.again_button = button("Look again", model.look_again, tip="clips came, or went")
        self.report_button = button(
            "Report", self._ask_report, tip="the list, its frame and every event, as PDF, HTML, CSV or JSON"
        )
        self.take_button = button(
            "Make it a timeline", model.take, tip="among the job's timelines, showing the clips that were found"
        )
        self.cancel_button = button("Cancel", model.cancel, quiet=True)
        self.title, self.clips = OneLine(), label(role="dust", wrap=True)
        self.only = choice_box("Events shown", {ALL: ALL, LACKING: LACKING}, model.show_only)
        self.one = label(wrap=True)
        self.one.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.ask = AskBar()
        self.frame_words = words_list()
        self.frame_words.setAccessibleName("What the list's frame would do")
        self.lanes = CutLanes()
        self.lanes.chosen.connect(model.choose)
        self.rows = CutRows()
        self.table = QTableView()
        self._build_table()
        self.empty = label(
            "No list is read. Drop one here, or read one: its frame is held against the template, and every event is"
            " matched with the job's clips.",
            "dust",
            wrap=True,
        )
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._build()
        model.changed.connect(self._show)
        model.doing_changed.connect(self._show_doing)
        model.chosen_changed.connect(self._show_chosen)
        model.asked.connect(self.ask.put)
        self._show()

    def _build_table(self) -> None:
        table = self.table
        table.setModel(self.rows)
        table.setItemDelegate(ColourDelegate(table, (RECORD, SOURCE)))
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        rows_of_one_height(table, "Events", _WIDTHS, 24)
        table.selectionModel().currentRowChanged.connect(self._row_chosen)

    def _build(self) -> None:
        tools = tools_row(
            self.read_button,
            self.folder_button,
            self.again_button,
            self.report_button,
            self.take_button,
            self.cancel_button,
        )
        tools.addWidget(self.only)
        words = words_column(self.title, self.clips)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setWidget(self.lanes)
        layout = QHBoxLayout()
        sized(layout).setContentsMargins(16, 0, 16, 0)
        layout.addWidget(self.frame_words)
        full = QWidget()
        column = QVBoxLayout(full)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(words)
        column.addLayout(layout)
        column.addWidget(self._scroll)
        events = QVBoxLayout()
        sized(events).setContentsMargins(14, 0, 0, 8)
        events.addWidget(self.table, 1)
        events.addWidget(self.one)
        column.addLayout(events, 1)
        nothing = QWidget()
        beside = QVBoxLayout(nothing)
        sized(beside).setContentsMargins(20, 8, 16, 0)
        beside.addWidget(self.empty)
        self._pages = QStackedWidget()
        self._pages.addWidget(nothing)
        self._pages.addWidget(full)
        outer = QVBoxLayout(self)
        sized(outer).setContentsMargins(0, 8, 0, 0)
        outer.addLayout(tools)
        outer.addWidget(self.ask)
        outer.addWidget(self._pages, 1)

    # -- showing -----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        model, report = self.model, self.model.report
        there = model.job is not None
        for item in (self.read_button, self.folder_button):
            item.setEnabled(there)
        for item in (self.report_button, self.take_button, self.again_button):
            item.setEnabled(report is not None and not model.doing)
        self.cancel_button.setVisible(bool(model.doing))
        self.only.setVisible(report is not None)
        self._pages.setCurrentIndex(1 if report is not None or model.doing else 0)
        self.title.setText(model.title_words())
        self.clips.setText(model.clips_words())
        self._show_told()
        self.lanes.show_events(
            report.cuts.timeline if report is not None else None, report.events if report is not None else ()
        )
        sized(self._scroll).setFixedHeight(
            min(_MOST_LANES, SCALE + 6 + LANE * (len(report.cuts.timeline.tracks) if report is not None else 0))
        )
        self.rows.show(report.cuts if report is not None else None, model.events())
        self.table.setColumnHidden(TAPE, not self.rows.tapes)
        self._show_chosen()

    def _show_doing(self) -> None:
        self.title.setText(self.model.title_words())

    def _show_told(self) -> None:
        report = self.model.report
        self.frame_words.clear()
        for finding in report.findings if report is not None else ():
            item = QListWidgetItem(finding.text)
            self.frame_words.addItem(item)
            tint(item, _SEVERITY_ROLE[finding.severity])
        for text in report.cuts.lost if report is not None else ():
            item = QListWidgetItem(text)
            self.frame_words.addItem(item)
            tint(item, "dust")
        self.frame_words.setVisible(self.frame_words.count() > 0)
        sized(self.frame_words).setMaximumHeight(min(_MOST_TOLD, 8 + 40 * self.frame_words.count()))

    def _show_chosen(self) -> None:
        chosen = self.model.chosen
        self.lanes.show_chosen(chosen)
        self.one.setText(self.model.chosen_words())
        self.one.setVisible(bool(self.one.text()))
        row = self.rows.row_of(chosen)
        if row >= 0 and self.table.currentIndex().row() != row:
            self.table.selectRow(row)

    def _row_chosen(self, index: QModelIndex) -> None:
        if index.isValid():
            self.model.choose(index.data(NUMBER))

    # -- asking --------------------------------------------------------------------------------------------------------

    def _ask_list(self) -> None:
        kinds = " ".join(f"*{suffix}" for suffix in KINDS)
        name, _kind = QFileDialog.getOpenFileName(
            self, "Read a list of cuts", self.model.folder_for(FOR_CUTS), f"Lists of cuts ({kinds})"
        )
        if name:
            self.model.read(Path(name))

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Look for clips in", self.model.folder_for(FOR_CLIPS))
        if name:
            self.model.look_in(Path(name))

    def _ask_report(self) -> None:
        path = report_asked(self, "cuts")
        if path is not None:
            self.model.write_report(path)

    def _lists_among(self, paths: list[Path]) -> list[Path]:
        """Return the lists among what is dropped, and folders, where clips may lie."""
        there = self.model.job is not None
        return [path for path in paths if there and (path.is_dir() or path.suffix.casefold() in KINDS)]

    def _take(self, path: Path) -> None:
        if path.is_dir():
            self.model.look_in(path)
        else:
            self.model.read(path)
