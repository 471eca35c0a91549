"""The page of a job's renders: its timelines with their pieces, where they are kept, what is left to make and what
may go.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QScrollArea,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.jobs.renders.renders import Renders
from idle_quarry.app.models.jobs.renders.rows import FROM, ROW, RenderRows
from idle_quarry.app.models.jobs.renders.snapshot import PieceRow
from idle_quarry.app.models.jobs.renders.words import cost_words, doing_words, lane_words, stale_words, where_words
from idle_quarry.app.questions import Choice
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.page_rows import tools_row, with_button, words_column
from idle_quarry.app.widgets.basic.tables import ColourDelegate, rows_of_one_height
from idle_quarry.app.widgets.lanes.render_lanes import COUNT, LANE, RenderLanes
from idle_quarry.jobs.folder_plan import FOR_RENDERS
from idle_quarry.jobs.renders.pieces import PieceState

_WIDTHS = (128, 104, 70, 220, 80)
#: The lanes are as high as their timelines, up to so much.
_MOST_LANES = 220


class RendersPage(QWidget):
    """Shows the renders of the model, and forwards."""

    guide_section = "Render ("

    def __init__(self, model: Renders) -> None:
        super().__init__()
        self.model = model
        self.render_button = button(
            "Render", self._render, main=True, tip="the pieces that are chosen, or all that are not rendered"
        )
        self.slowest_button = button(
            "Slowest first",
            model.render_slowest,
            tip="all that is not rendered; what takes longest for each frame comes first",
        )
        self.pause_button = button("Pause", self._pause, quiet=True)
        self.cancel_button = button("Cancel", model.cancel, quiet=True, tip="render nothing more; what is whole stays")
        self.remove_button = button("Remove", self._remove, tip="the renders of the pieces that are chosen")
        self.stale_button = button(
            "Remove what is not shown", self._remove_stale, tip="renders that no timeline shows any more"
        )
        self.folder_button = button("Keep elsewhere", self._ask_folder, tip="another folder for this job's renders")
        self.help_button = button(
            "Let others help", model.let_help, tip="mark these folders, so that other machines find them"
        )
        self.where, self.cost, self.stale, self.alone = OneLine("dust"), OneLine(), OneLine("dust"), OneLine("dust")
        self.ask = AskBar()
        self.lanes = RenderLanes()
        self.lanes.chosen.connect(self._choose)
        self.rows = RenderRows()
        self.table = QTableView()
        self.table.setModel(self.rows)
        self.table.setItemDelegate(ColourDelegate(self.table, (FROM,)))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        rows_of_one_height(self.table, "Pieces", _WIDTHS, 24)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._show_chosen())
        self.key = label(
            "Two lines: plays as it is · full: rendered · hatched: waits · empty: not rendered · crossed: cannot be",
            "dust",
        )
        self._build()
        model.changed.connect(self._show)
        model.asked.connect(self._asked)
        model.folder_wanted.connect(self._ask_folder)
        self._show()

    def _build(self) -> None:
        tools = tools_row(
            self.render_button,
            self.slowest_button,
            self.remove_button,
            self.folder_button,
            self.pause_button,
            self.cancel_button,
        )
        words = words_column(self.cost, self.where)
        self._stale, self._alone = with_button(self.stale, self.stale_button), with_button(self.alone, self.help_button)
        words.addWidget(self._stale)
        words.addWidget(self._alone)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setWidget(self.lanes)
        rows = QVBoxLayout()
        sized(rows).setContentsMargins(14, 0, 0, 8)
        rows.addWidget(self.table, 1)
        outer = QVBoxLayout(self)
        sized(outer).setContentsMargins(0, 8, 0, 0)
        outer.addLayout(tools)
        outer.addWidget(self.ask)
        outer.addLayout(words)
        outer.addWidget(self._scroll)
        outer.addLayout(words_column(self.key))
        outer.addLayout(rows, 1)

    # -- showing -----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        snapshot, there = self.model.seen, self.model.job is not None
        if snapshot is not None and snapshot.settled.store is not None:
            self.ask.hide()
        doing = doing_words(snapshot) if snapshot is not None else ""
        self.cost.setText(
            doing or (cost_words(snapshot) if snapshot is not None else "Looking at the timelines …" if there else "")
        )
        self.where.setText(where_words(snapshot) if snapshot is not None else "")
        stale = stale_words(snapshot) if snapshot is not None else ""
        self.stale.setText(stale)
        self._stale.setVisible(bool(stale))
        self.alone.setText(
            f"This machine renders alone: {snapshot.alone}." if snapshot is not None and snapshot.alone else ""
        )
        self._alone.setVisible(bool(snapshot and snapshot.alone))
        self.help_button.setVisible(bool(snapshot and snapshot.unmarked))
        self.pause_button.setVisible(bool(doing))
        self.pause_button.setText("Pause" if snapshot is not None and snapshot.under_way else "Go on")
        self.cancel_button.setVisible(bool(doing))
        self.folder_button.setEnabled(snapshot is not None)
        names = (
            [(programme.name, lane_words(snapshot, programme.name)) for programme in snapshot.programmes]
            if snapshot is not None
            else []
        )
        self.lanes.show_rows(names, snapshot.rows if snapshot is not None else ())
        sized(self._scroll).setFixedHeight(min(_MOST_LANES, COUNT + 4 + LANE * len(names)))
        self._scroll.setVisible(bool(names))
        self.key.setVisible(bool(self.rows.rows) or bool(snapshot and snapshot.rows))
        self.rows.show(snapshot.rows if snapshot is not None else ())
        self.table.setVisible(bool(self.rows.rows))
        self._show_chosen()

    def chosen(self) -> list[PieceRow]:
        """Return the pieces whose rows are chosen."""
        return [index.data(ROW) for index in self.table.selectionModel().selectedRows()]

    def _show_chosen(self) -> None:
        snapshot, chosen = self.model.seen, self.chosen()
        self.lanes.show_chosen(chosen[0] if len(chosen) == 1 else None)
        self.remove_button.setEnabled(any(row.stood.rendered is not None for row in chosen))
        can = (
            any(
                row.stood.state in (PieceState.MISSED, PieceState.FAILED) and row.stood.piece.recipe
                for row in snapshot.rows
            )
            if snapshot
            else False
        )
        missing = [
            row
            for row in chosen
            if row.stood.state in (PieceState.MISSED, PieceState.FAILED) and row.stood.piece.recipe is not None
        ]
        self.render_button.setEnabled(bool(missing) if chosen else can)
        self.render_button.setText("Render what is chosen" if chosen else "Render all")
        self.slowest_button.setEnabled(can)

    def _choose(self, row: PieceRow) -> None:
        number = self.rows.row_of(row.key)
        if number >= 0:
            self.table.selectRow(number)
            self.table.scrollTo(self.rows.index(number, 0))

    # -- asking --------------------------------------------------------------------------------------------------------

    def _asked(self, choice: Choice) -> None:
        if self.isVisible():
            self.ask.put(choice)

    def _render(self) -> None:
        self.model.render(self.chosen() or None)

    def _pause(self) -> None:
        self.model.pause(self.model.seen is not None and self.model.seen.under_way)

    def _remove(self) -> None:
        self.model.remove(
            {row.stood.rendered.identity: row.stood.rendered for row in self.chosen() if row.stood.rendered}.values()
        )

    def _remove_stale(self) -> None:
        if self.model.seen is not None:
            self.model.remove(self.model.seen.stale)

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Keep this job's renders in", self.model.folder_for(FOR_RENDERS))
        if name:
            self.model.settle(Path(name))
