"""The page of a job: what it was started from, what it needs next, what drifted, its timelines, its folders."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QTreeWidget, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.jobs.jobs import Jobs
from idle_quarry.app.views.jobs.job_tree import fill_tree
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tinted import tinted
from idle_quarry.app.widgets.lanes.lanes import Lanes
from idle_quarry.app.widgets.templates.difference_table import DifferenceTable
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.folder_plan import JOB_FILE
from idle_quarry.jobs.next_steps import NextStep


class JobPage(QWidget):
    """Shows the job that is looked at, and forwards."""

    def __init__(self, model: Jobs) -> None:
        super().__init__()
        self.model = model
        self.title, self.about = label(role="title"), label(role="dust", wrap=True)
        self.open_revision = button("Open its template", model.open_template)
        self.newer = label(wrap=True)
        self.changes_button = button("What changes", self._toggle_changes)
        self.move_button = button("Move the job to it", self._move)
        self.changes = DifferenceTable()
        sized(self.changes).setMinimumHeight(150)
        sized(self.changes).setMaximumHeight(260)
        self.next_head, self._next = label("Next", "head"), QGridLayout()
        self._next.setColumnStretch(0, 1)
        sized(self._next).setVerticalSpacing(3)
        self.drift_head, self.drift = label(role="head"), label(wrap=True)
        self.lanes = Lanes()
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName("Folders and files of the job")
        tinted(self.tree)
        self._build()
        model.chosen_changed.connect(self._show)
        model.checked.connect(self._checked)
        model.moving_on.changed.connect(self._show_newer)
        self._show()

    def _build(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(self.open_revision)
        newer = QHBoxLayout()
        newer.addWidget(self.newer, 1)
        newer.addWidget(self.changes_button)
        newer.addWidget(self.move_button)
        head = QVBoxLayout()
        sized(head).setContentsMargins(20, 0, 16, 0)
        sized(head).setSpacing(3)
        head.addLayout(top)
        head.addWidget(self.about)
        head.addLayout(newer)
        head.addWidget(self.next_head)
        head.addLayout(self._next)
        head.addWidget(self.drift_head)
        head.addWidget(self.drift)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.lanes)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(0, 12, 0, 0)
        column.addLayout(head)
        column.addWidget(self.changes)
        column.addWidget(scroll, 2)
        column.addWidget(self.tree, 3)

    # -- showing -------------------------------------------------------------------------------------------------

    def _checked(self, job_id: str) -> None:
        if job_id == self.model.chosen:
            self._show()

    def _show(self) -> None:
        model = self.model
        record, result = model.record, model.result(model.chosen)
        if record is None:
            return
        self.title.setText(record.title)
        self.about.setText(model.about_words())
        self._show_newer()
        self._show_next(model.next_steps())
        head, drift = model.drift_words()
        self.drift_head.setText(head)
        self.drift.setText(drift)
        if isinstance(result, Job):
            self.lanes.show_template(result.template)
            drifted = {drift.path: drift.kind for drift in result.drift}
            fill_tree(self.tree, (*result.folders, *result.files, JOB_FILE), drifted)
        else:
            self.lanes.show_template(None)
            self.tree.clear()

    def _show_newer(self) -> None:
        newer = self.model.moving_on.newer
        self.changes.hide()
        self.newer.setText(newer.words() if newer is not None else "")
        self.newer.setVisible(newer is not None)
        self.changes_button.setVisible(newer is not None and bool(newer.move.differences))
        self.move_button.setVisible(newer is not None and newer.move.possible)
        self.move_button.setEnabled(not self.model.moving_on.moving)

    def _toggle_changes(self) -> None:
        newer, record = self.model.moving_on.newer, self.model.record
        if newer is not None and record is not None:
            names = f"Revision {record.revision}", f"Revision {newer.to.revision.number}"
            self.changes.show_differences(list(newer.move.differences), *names)
            self.changes.setVisible(not self.changes.isVisible())

    def _move(self) -> None:
        self.move_button.setEnabled(False)
        self.model.moving_on.move()

    def _show_next(self, steps: list[NextStep]) -> None:
        """Say what the job needs next, each with its button."""
        while (item := self._next.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.next_head.setVisible(bool(steps))
        for row, step in enumerate(steps):
            self._next.addWidget(label(step.text, wrap=True), row, 0)
            if step.act:
                self._next.addWidget(button(step.label, partial(self._do, step)), row, 1)

    def _do(self, step: NextStep) -> None:
        """Do what a step offers: open its file or folder, or look at its clips against the job's template."""
        desk = self.model.door
        if step.path is None or not step.path.exists():
            desk.say(f"{step.path} is no longer there.", refusal=True)
        elif step.act == "look at clips":
            self.model.look_at_clips(step)
        elif not QDesktopServices.openUrl(QUrl.fromLocalFile(str(step.path))):
            desk.say(f"Nothing here opens {step.path.name}. It lies in {step.path.parent}.", refusal=True)
