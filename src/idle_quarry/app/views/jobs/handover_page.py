"""The page of a job's hand-over: deliveries made and verified, files of others verified, each check with its place."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.file_lanes import CheckMark
from idle_quarry.app.models.jobs.handover.handover import Handover
from idle_quarry.app.models.jobs.handover.words import wanted_words
from idle_quarry.app.views.jobs.watch_line import WatchLine
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.boxes import choice_box, offered
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.page_rows import report_asked, tools_row, words_column
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint, tinted
from idle_quarry.app.widgets.lanes.file_lanes import FileLanes
from idle_quarry.app.widgets.pictures.clip_picture import ClipPicture
from idle_quarry.jobs.folder_plan import FOR_DELIVERIES
from idle_quarry.media.sequences import clips_among
from idle_quarry.path.template_parts import Delivery

_COUNTED = {"fails": "failing", "look": "to look at", "passes": "passing"}
_ROLES = {"fails": "oxide", "look": "ochre", "passes": "sage", "not checked": "dust"}


class HandoverPage(QWidget):
    """Shows the hand-over of the model, and forwards."""

    guide_section = "Hand over"

    def __init__(self, model: Handover) -> None:
        super().__init__()
        self.model = model
        FileDrop(self, clips_among, lambda paths, _event: self._verify_all(paths))
        self.delivery = choice_box("Delivery", {}, lambda _id: None)
        self.timeline = choice_box("Timeline", {}, lambda _name: None)
        for box in (self.delivery, self.timeline):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.make_button = button("Make", self._make, main=True, tip="make the delivery of the timeline, and verify it")
        self.verify_button = button(
            "Verify a file",
            self._verify,
            tip="hold files, of whoever's making, against the delivery; or drop them here",
        )
        self.accept_button = button("Accept", model.accept, tip="looked at, and accepted because of something")
        self.setting_button = button("See the setting", model.see_setting, tip="of the template, which wants it so")
        self.trial_button = button(
            "See it in Trial", model.see_in_trial, tip="the frame of the timeline that this picture was made of"
        )
        self.report_button = button(
            "Report", self._report, tip="every check with its places, as PDF, HTML, CSV or JSON"
        )
        self.cancel_button = button("Cancel", self._cancel, quiet=True)
        self.doing, self.head, self.hash = OneLine("dust"), OneLine(), OneLine("dust")
        self.watching = WatchLine(model.watched, self._delivery)
        self.ask = AskBar()
        self.files = QListWidget()
        self.files.setAccessibleName("Files that were verified")
        self.files.setWordWrap(True)
        tinted(self.files)
        self.files.currentRowChanged.connect(self._file_chosen)
        self.lanes = FileLanes()
        self.lanes.gone.connect(self._go)
        self.table = wrapped_table("Checks", {"Check": 118, "Verdict": 84, "Found": 0, "Where": 108})
        self.table.itemSelectionChanged.connect(self._check_chosen)
        self.picture = ClipPicture(model.scrubber)
        self.one = label("", wrap=True)
        self.empty = label(
            "Nothing is verified here yet. Make a delivery of a timeline, or drop a file that somebody else made: every"
            " picture and all of its sound is held against the delivery.",
            "dust",
            wrap=True,
        )
        self._build()
        model.changed.connect(self._show)
        model.doing_changed.connect(self._show_doing)
        model.chosen_changed.connect(self._show_chosen)
        model.scrubber.changed.connect(self._show_lanes)
        model.asked.connect(self.ask.put)
        self._show()

    def _build(self) -> None:
        tools = tools_row(
            self.delivery,
            self.timeline,
            self.make_button,
            self.verify_button,
            self.watching.button,
            self.report_button,
            self.cancel_button,
        )
        middle = QWidget()
        column = QVBoxLayout(middle)
        sized(column).setContentsMargins(14, 0, 0, 8)
        column.addWidget(self.table, 1)
        right = QWidget()
        beside = QVBoxLayout(right)
        sized(beside).setContentsMargins(10, 0, 16, 8)
        beside.addWidget(self.files, 2)
        beside.addWidget(self.picture, 3)
        beside.addWidget(self.one)
        acts = QHBoxLayout()
        sized(acts).setSpacing(7)
        for item in (self.accept_button, self.setting_button, self.trial_button):
            acts.addWidget(item)
        acts.addStretch(1)
        beside.addLayout(acts)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(middle)
        split.addWidget(right)
        split.setSizes([theme.px(560), theme.px(350)])
        split.setChildrenCollapsible(False)
        words = words_column(self.watching, self.doing, self.head, self.hash, self.empty)
        outer = QVBoxLayout(self)
        sized(outer).setContentsMargins(0, 8, 0, 0)
        outer.addLayout(tools)
        outer.addWidget(self.ask)
        outer.addLayout(words)
        outer.addWidget(self.lanes)
        outer.addWidget(split, 1)
        self._split = split

    # -- showing -----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        model = self.model
        offered(self.delivery, {delivery.name: delivery.id for delivery in model.deliveries()})
        offered(self.timeline, {name: name for name in model.timelines()})
        self.files.blockSignals(True)
        self.files.clear()
        for pending in model.to_verify.rows:
            item = QListWidgetItem(f"{pending.path.name}\n{pending.words} · {pending.delivery.name}")
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)  # there is nothing of it to look at yet
            self.files.addItem(item)
            tint(item, "oxide" if pending.why else "dust")
        for file in model.files:
            item = QListWidgetItem(
                f"{file.path.name}\n{file.verdict} · {model.delivery_name(file)} · revision {file.document['revision']}"
                f" · {file.when[:16].replace('T', ' ')}"
            )
            self.files.addItem(item)
            tint(item, _ROLES[file.verdict])
        above = len(model.to_verify.rows)
        self.files.setCurrentRow(above + model.files.index(model.chosen) if model.chosen in model.files else -1)
        self.files.blockSignals(False)
        self._show_doing()
        self._show_chosen()

    def _show_doing(self) -> None:
        model = self.model
        self.doing.setText(model.doing)
        self.doing.setVisible(bool(model.doing))
        self.cancel_button.setVisible(bool(model.doing))
        can = model.job is not None and bool(model.deliveries()) and not model.doing
        self.verify_button.setEnabled(can)
        self.make_button.setEnabled(can and bool(model.timelines()))

    def _show_chosen(self) -> None:
        model, file = self.model, self.model.chosen
        rows = bool(model.files or model.to_verify.rows)
        self.empty.setVisible(not rows and not model.doing)
        for element in (self.head, self.hash, self.lanes, self._split):
            element.setVisible(rows)
        self.report_button.setEnabled(file is not None)
        checks = model.checks()
        counts = {verdict: sum(check["verdict"] == verdict for check in checks) for verdict in _ROLES}
        words = ", ".join(f"{count} {_COUNTED.get(verdict, verdict)}" for verdict, count in counts.items() if count)
        self.head.setText(f"{file.path.name}: {file.verdict} · {words}" if file is not None else "")
        self.hash.setText(
            f"against {model.delivery_name(file)} of {file.document['template']}, revision {file.document['revision']}"
            f" · SHA-256 {file.document['sha256'][:16]}…"
            + (f" · looked at by {file.document['looked']}" if "looked" in file.document else "")
            if file is not None
            else ""
        )
        self.table.blockSignals(True)
        self.table.setRowCount(len(checks))
        for number, check in enumerate(checks):
            acceptance = model.accepted_words(check["id"])
            where = check["where"]
            place = (
                (f"{where[0]['from']}" + (f"\nand {len(where) - 1} more" if len(where) > 1 else "")) if where else ""
            )
            cells = (
                check["id"].replace("_", " "),
                "accepted" if acceptance else check["verdict"],
                check["text"] + (f"\n{acceptance}" if acceptance else ""),
                place,
            )
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(check["clause"] or "")
                tint(
                    item, ("sage" if acceptance else _ROLES[check["verdict"]]) if column == 1 else "", bold=column == 0
                )
                self.table.setItem(number, column, item)
            if check["id"] == model.check:
                self.table.selectRow(number)
        self.table.blockSignals(False)
        fit_rows(self.table)
        results = next((check for check in checks if check["id"] == model.check), None)
        clause = f"\n{results['clause']}" if results is not None and results["clause"] else ""
        wanted = (
            f"Wanted: {wanted_words(results['wanted'])}"
            if results is not None and results["wanted"] is not None
            else ""
        )
        self.one.setText(f"{wanted}{clause}".strip())
        self.accept_button.setVisible(
            results is not None and results["verdict"] == "look" and not model.accepted_words(model.check)
        )
        self.setting_button.setVisible(results is not None and model.setting() is not None)
        self._show_lanes()

    def _show_lanes(self) -> None:
        model = self.model
        self.trial_button.setVisible(model.source() is not None)
        marked = [
            CheckMark(place["first_frame"], place["last_frame"], check["verdict"], check["id"] == model.check)
            for check in model.checks()
            if check["verdict"] in ("fails", "look") or check["id"] == model.check
            for place in check["where"]
        ]
        delivery = self._delivery()
        clip = model.scrubber.clip
        rate = clip.declared.rate if clip is not None and clip.declared.rate else Fraction(25)
        self.lanes.show_file(
            model.measured, rate, marked, delivery.loudness_lufs if delivery else None, model.scrubber.frame
        )

    def _delivery(self) -> Delivery | None:
        ident = self.delivery.currentData()
        return next((delivery for delivery in self.model.deliveries() if delivery.id == ident), None)

    # -- hands -------------------------------------------------------------------------------------------------------

    def _go(self, frame: int) -> None:
        self.model.scrubber.go(frame)

    def _file_chosen(self, row: int) -> None:
        row -= len(self.model.to_verify.rows)
        if 0 <= row < len(self.model.files) and self.model.files[row] is not self.model.chosen:
            self.model.choose(self.model.files[row])

    def _check_chosen(self) -> None:
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        checks = self.model.checks()
        if rows and rows[0] < len(checks) and checks[rows[0]]["id"] != self.model.check:
            self.model.look_at(checks[rows[0]]["id"])

    def _cancel(self) -> None:
        self.model.stop()
        self.model.changed.emit()

    def _make(self) -> None:
        delivery, name = self._delivery(), self.timeline.currentData()
        if delivery is not None and name:
            begins = self.model.folder_for(FOR_DELIVERIES)
            if folder := QFileDialog.getExistingDirectory(self, "Hand over into", begins):
                self.model.make(delivery, name, Path(folder))

    def _verify(self) -> None:
        delivery = self._delivery()
        if delivery is None or self.model.job is None:
            return
        if names := QFileDialog.getOpenFileNames(self, "Verify", self.model.folder_for(FOR_DELIVERIES))[0]:
            self.model.verify([Path(name) for name in names], delivery)

    def _report(self) -> None:
        path = report_asked(self, "verified")
        if path is not None:
            self.model.report(path)

    def _verify_all(self, paths: Sequence[Path]) -> None:
        delivery = self._delivery()
        if delivery is not None:
            self.model.verify(paths, delivery)
