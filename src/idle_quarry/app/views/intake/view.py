"""The Intake view: what clips declare and what they really are, against the sources of a template."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import on, restyle
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.intake.rows import ROW, ClipRow
from idle_quarry.app.views.intake.evidence import ClipEvidence
from idle_quarry.app.views.intake.shares import Shares
from idle_quarry.app.views.intake.table import ClipTable
from idle_quarry.app.views.intake.two_ends import TwoEndsPanel
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.menus import menu_under
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.paper import SUFFIXES

_TOLD = (
    "Drop clips or folders here, or open them. Each is measured: what its fields really do, its levels, its "
    "active picture, its sound; and held against what its file declares and what a template expects."
)
_HINT = (
    "Look for the lamp tape whose flags say the wrong field first, the phone clip that is doubled, the full-range "
    "drone and the film night under pulldown."
)


class IntakeView(QWidget):
    """Clips against the open template, or another of the library."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.intake
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(16, 0, 16, 6)
        self.demo_button: QPushButton | None = None
        self.empty = self._nothing_yet()
        self.shares = Shares()
        self.shares.chosen.connect(lambda words: self.model.filtered.take(format_words=words))
        self.table = ClipTable(self.model)
        self.evidence = ClipEvidence(desk)
        self.two_ends = TwoEndsPanel(self.model.two_ends)
        self._below = QStackedWidget()
        self._below.addWidget(self.evidence)
        self._below.addWidget(self.two_ends)
        self._build()
        self.first_focus = self.table
        model = self.model
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._fill_ends())
        model.rows_changed.connect(self._show_rows)
        model.chosen_changed.connect(self._show_clip)
        model.running_changed.connect(self._show_running)
        model.progressed.connect(self.progress.step)
        model.watch_changed.connect(self._show_watch)
        model.templates_changed.connect(self._fill_templates)
        self._fill_templates()
        self._show_watch()
        self._show_running()
        self._show_clip()

    # -- building ----------------------------------------------------------------------------------------------

    def _build(self) -> None:
        upper = QWidget()
        beside = QHBoxLayout(upper)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.shares)
        beside.addWidget(self.table, 1)
        lower = QWidget()
        on(lower, "bench")
        column = QVBoxLayout(lower)
        sized(column).setContentsMargins(0, 6, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(self._clip_bar())
        column.addWidget(self._below, 1)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setObjectName("intake")
        self.split.addWidget(upper)
        self.split.addWidget(lower)
        self.split.setSizes([theme.px(330), theme.px(380)])
        self.split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(self._tools())
        outer.addWidget(self.progress)
        outer.addWidget(self.empty, 1)
        outer.addWidget(self.split, 1)

    def _nothing_yet(self) -> QWidget:
        """Return what is shown while there are no clips: what belongs here, and the first step."""
        value = label(_TOLD, "dust", wrap=True)
        value.setAlignment(Qt.AlignmentFlag.AlignCenter)
        widget = QWidget()
        column = QVBoxLayout(widget)
        column.addStretch(1)
        column.addWidget(value)
        folder = self.desk.demo_clips()
        if folder is not None:
            self.demo_button = button("Open the demo's clips", lambda: self.model.look_at([folder]), main=True)
            column.addWidget(self.demo_button, 0, Qt.AlignmentFlag.AlignHCenter)
            hint = label(_HINT, "dust", wrap=True)
            hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
            column.addWidget(hint)
        column.addStretch(1)
        return widget

    def _tools(self) -> QHBoxLayout:
        self.add_button = button("Open clips", self._ask_files, main=True)
        self.folder_button = button("Open a folder", self._ask_folder)
        self.watch_button = button("Watch a folder", self._ask_watch)
        self.clear_button = button("Clear", self.model.clear)
        self.report_button = button("Report", self._ask_report, tip="what came in, as PDF, HTML, CSV or JSON")
        self.search = QLineEdit(clearButtonEnabled=True)
        self.search.setPlaceholderText("Filter clips")
        self.search.setAccessibleName("Filter clips")
        self.search.textChanged.connect(lambda text: self.model.filtered.take(text=text))
        self.template = QComboBox()
        self.template.setAccessibleName("Template to hold clips against")
        self.template.setMinimumContentsLength(18)
        self.template.activated.connect(lambda _i: self.model.hold_against(self.template.currentData()))
        tools = QHBoxLayout()
        sized(tools).setSpacing(7)
        sized(tools).setContentsMargins(12, 10, 12, 8)
        for widget in (self.add_button, self.folder_button, self.watch_button, self.report_button, self.clear_button):
            tools.addWidget(widget)
        tools.addWidget(self.search, 1)
        tools.addWidget(label("against", "dust"))
        tools.addWidget(self.template)
        return tools

    def _clip_bar(self) -> QHBoxLayout:
        self.clip_name = label(role="head")
        self.ends_button = button(
            "Two ends", self._toggle_ends, quiet=True, tip="the working formats between what comes in and out"
        )
        self.ends_button.setCheckable(True)
        self.start_button = button(
            "Start a template", lambda: menu_under(self.start_button, self.model.uses.beginnings()), main=True
        )
        self.source_button = button(
            "Set as a source", lambda: menu_under(self.source_button, self.model.uses.source_acts())
        )
        self.prove_button = button(
            "Test on pictures", self.model.uses.prove, tip="see on this clip what its source's link does to it"
        )
        bar = QHBoxLayout()
        sized(bar).setSpacing(7)
        sized(bar).setContentsMargins(14, 0, 12, 0)
        bar.addWidget(self.clip_name, 1)
        for widget in (self.ends_button, self.prove_button, self.source_button, self.start_button):
            bar.addWidget(widget)
        return bar

    # -- showing -------------------------------------------------------------------------------------------------

    def _fill_templates(self) -> None:
        self.template.clear()
        for name, ident in self.model.templates():
            self.template.addItem(name, ident)
        self.template.setCurrentIndex(max(0, self.template.findData(self.model.held_against)))

    def _show_rows(self) -> None:
        model = self.model
        some = bool(model.rows.rows) or model.running
        self.shares.show_totals(model.totals(), len(model.rows.rows))
        self.empty.setVisible(not some)
        self.split.setVisible(some)
        _make_main(self.add_button, on=not some and self.demo_button is None)  # one next step at a time
        _make_main(self.start_button, on=some)
        self.clear_button.setEnabled(some)
        self.report_button.setEnabled(bool(model.rows.rows))
        self.table.show_chosen()

    def _show_running(self) -> None:
        if self.model.running:
            self.progress.begin("measuring clips", self.model.cancel)
        else:
            self.progress.hide()
            self._fill_ends()
        self._show_rows()

    def _show_watch(self) -> None:
        watch = self.model.watch
        self.watch_button.setText("Stop watching" if watch is not None else "Watch a folder")
        self.watch_button.setToolTip(str(watch.folder) if watch is not None else "")

    def _show_clip(self) -> None:
        row = self.model.row
        usable = row is not None and row.usable
        self.start_button.setEnabled(usable)
        self.source_button.setEnabled(bool(self.model.uses.source_acts()))
        self.prove_button.setEnabled(self.model.uses.source_of(row) is not None)
        self.clip_name.setText(row.name if row is not None else "")
        self.evidence.show_row(row)
        self.table.show_chosen()

    def _toggle_ends(self) -> None:
        on = self.ends_button.isChecked()
        self._below.setCurrentWidget(self.two_ends if on else self.evidence)
        self.start_button.setVisible(not on)  # two ends has its own
        self._fill_ends()

    def selected(self) -> list[ClipRow]:
        """Return the selected rows, or all of them where one or none is selected."""
        rows = [index.data(ROW) for index in self.table.selectionModel().selectedRows()]
        return rows if len(rows) > 1 else self.model.rows.rows

    def _fill_ends(self) -> None:
        if self.ends_button.isChecked():
            self.model.set_ends(self.selected())

    # -- asking --------------------------------------------------------------------------------------------------

    def _ask_files(self) -> None:
        names, _kind = QFileDialog.getOpenFileNames(self, "Open clips", str(self.desk.clips_folder()))
        if names:
            self.desk.preferences.clips_folder = str(Path(names[0]).parent)
            self.model.look_at([Path(name) for name in names])

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a folder of clips", str(self.desk.clips_folder()))
        if name:
            self.desk.preferences.clips_folder = name
            self.model.look_at([Path(name)])

    def _ask_watch(self) -> None:
        if self.model.watch is not None:
            self.model.stop_watching()
            return
        name = QFileDialog.getExistingDirectory(self, "Watch a folder for new clips", str(Path.home()))
        if name:
            self.model.watch_folder(Path(name))

    def _ask_report(self) -> None:
        kinds = ";;".join(f"{suffix[1:].upper()} (*{suffix})" for suffix in SUFFIXES)
        name, _kind = QFileDialog.getSaveFileName(self, "Write the intake report", "intake.pdf", kinds)
        if name:
            self.model.report(Path(name))


def _make_main(which: QPushButton, *, on: bool) -> None:
    which.setProperty("main", "true" if on else "false")
    restyle(which)
