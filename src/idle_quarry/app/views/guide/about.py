"""About this program: version, licences, where files lie, what went wrong lately."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.help.about import About, parts
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table


class AboutPage(QWidget):
    """Shows facts; opens folders and the newest report, and copies what a report needs."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, About(desk)
        self.title = label(self.model.title_words(), "title")
        self.reports = label("", wrap=True)
        self.open_report = button("Open the newest", self._open_report)
        self.table = wrapped_table("What it stands on", {"What it stands on": 260, "Version": 140, "Licence": 0})
        self._build()

    def _build(self) -> None:
        copy = button(
            "Copy for a report", self._copy, tip="versions, this machine, the newest report; no names and no passwords"
        )
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(copy)
        places = QGridLayout()
        sized(places).setHorizontalSpacing(14)
        sized(places).setVerticalSpacing(4)
        for row, (words, folder) in enumerate(self.model.folders()):
            shown = button("Open", partial(self._open, folder), quiet=True)
            shown.setAccessibleName(f"Open: {words}")
            places.addWidget(label(words, "dust"), row, 0)
            places.addWidget(label(str(folder)), row, 1)
            places.addWidget(shown, row, 2)
        places.setColumnStretch(1, 1)
        wrong = QHBoxLayout()
        wrong.addWidget(self.reports, 1)
        wrong.addWidget(self.open_report)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(16, 4, 16, 12)
        sized(column).setSpacing(10)
        column.addLayout(head)
        column.addWidget(
            label("Project templates for finishing, seen as signal paths. Everything in its demo is made up.", "dust")
        )
        column.addWidget(label("Where files lie", "head"))
        column.addLayout(places)
        column.addWidget(label("What went wrong", "head"))
        column.addLayout(wrong)
        column.addWidget(self.table, 1)

    def show_facts(self) -> None:
        """Show what is so now."""
        self.reports.setText(self.model.report_words())
        self.open_report.setVisible(bool(self.model.reports()))
        known = parts()
        self.table.setRowCount(len(known))
        for row, part in enumerate(known):
            for column, text in enumerate((part.name, part.version, part.licence)):
                self.table.setItem(row, column, QTableWidgetItem(text))
        fit_rows(self.table)

    def _open(self, place: Path) -> None:
        if not place.exists() or not QDesktopServices.openUrl(QUrl.fromLocalFile(str(place))):
            self.desk.say(f"{place} cannot be opened here.", refusal=True)

    def _open_report(self) -> None:
        paths = self.model.reports()
        if paths:
            self._open(paths[0])

    def _copy(self) -> None:
        QApplication.clipboard().setText(self.model.for_a_report())
        self.desk.say("Copied: versions, this machine and the newest report.")
