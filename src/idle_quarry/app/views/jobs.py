"""The Jobs view: start a job and see beforehand what it will be made of; the jobs started, and what drifted."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.widgets.lanes import Lanes
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import CheckedJob, check_job
from idle_quarry.jobs.start import StartedJob, bytes_needed, start_job
from idle_quarry.jobs.structure import planned
from idle_quarry.library import JobRecord, Stored
from idle_quarry.printing import write_pdf

_ROLE = Qt.ItemDataRole.UserRole


class JobsView(QWidget):
    """A list of jobs; beside it the chosen job's page, or the page that starts a new one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._stored: Stored | None = None
        self._ticket: Ticket | None = None
        self._started_at = 0.0
        self._checked: dict[str, CheckedJob | QuarryError] = {}
        self._build()
        self.first_focus = self.list
        desk.job_wanted.connect(self.prepare)
        desk.jobs_changed.connect(self.reload)
        desk.shelves_changed.connect(self._fill_templates)
        self._fill_templates()
        self.reload()

    def _build(self) -> None:
        self.new_button = button("New job", lambda: self.prepare(None), main=True)
        self.check_button = button("Check all again", self.reload)
        tools = QHBoxLayout()
        tools.setSpacing(theme.px(7))
        tools.setContentsMargins(theme.px(12), theme.px(10), theme.px(12), theme.px(8))
        tools.addWidget(label("Jobs started here", "head"))
        tools.addStretch(1)
        tools.addWidget(self.check_button)
        tools.addWidget(self.new_button)
        self.list = QListWidget()
        self.list.setAccessibleName("Jobs")
        self.list.currentItemChanged.connect(lambda item, _old: self._show_job(item))
        self._none = label(
            "No job yet. A job takes folders, timelines, line-up and papers from a template. Press New job.",
            "dust",
            wrap=True,
        )
        self._none.setContentsMargins(theme.px(16), theme.px(6), theme.px(16), 0)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(tools)
        column.addWidget(self._none)
        column.addWidget(self.list, 1)
        self.pages = QStackedWidget()
        self.pages.setProperty("role", "bench")
        self.pages.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._build_start()
        self._build_page()
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(left)
        split.addWidget(self.pages)
        split.setSizes([theme.px(440), theme.px(840)])
        split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(split)

    def _build_start(self) -> None:
        page = QWidget()
        self._start_page = page
        column = QVBoxLayout(page)
        column.setContentsMargins(theme.px(20), theme.px(12), theme.px(20), theme.px(12))
        column.setSpacing(theme.px(8))
        column.addWidget(label("Start a job", "title"))
        form = QFormLayout()
        form.setHorizontalSpacing(theme.px(12))
        self.template = QComboBox()
        self.template.setAccessibleName("Template")
        self.template.activated.connect(self._template_chosen)
        self.title = QLineEdit()
        self.title.setAccessibleName("Title")
        self.title.setPlaceholderText("what the job is called; its folder takes the name")
        self.title.textChanged.connect(lambda _t: self._preview())
        self.folder = QLineEdit(str(self.desk.jobs_folder()))
        self.folder.setAccessibleName("Folder")
        self.folder.textChanged.connect(lambda _t: self._preview())
        where = QHBoxLayout()
        where.addWidget(self.folder, 1)
        where.addWidget(button("Choose", self._choose_folder))
        form.addRow(label("Template", "dust"), self.template)
        form.addRow(label("Title", "dust"), self.title)
        form.addRow(label("Folder", "dust"), where)
        column.addLayout(form)
        self.refusal = label(role="refusal", wrap=True)
        column.addWidget(self.refusal)
        column.addWidget(label("What will be made", "head"))
        self.preview = QTreeWidget()
        self.preview.setHeaderHidden(True)
        self.preview.setAccessibleName("Folders and files to be made")
        column.addWidget(self.preview, 1)
        self.size_note = label(role="dust", wrap=True)
        column.addWidget(self.size_note)
        row = QHBoxLayout()
        self.progress = ProgressBar()
        self.start_button = button("Start the job", self.start, main=True)
        row.addWidget(self.progress, 1)
        row.addStretch(0)
        row.addWidget(self.start_button)
        column.addLayout(row)
        self.pages.addWidget(page)

    def _build_page(self) -> None:
        page = QWidget()
        self._job_page = page
        column = QVBoxLayout(page)
        column.setContentsMargins(0, theme.px(12), 0, 0)
        self._job_title, self._job_about = label(role="title"), label(role="dust", wrap=True)
        head = QVBoxLayout()
        head.setContentsMargins(theme.px(20), 0, theme.px(16), 0)
        head.setSpacing(theme.px(3))
        top = QHBoxLayout()
        top.addWidget(self._job_title, 1)
        self.open_revision = button("Open its template", self._open_template)
        top.addWidget(self.open_revision)
        head.addLayout(top)
        head.addWidget(self._job_about)
        self.drift_head = label(role="head")
        self.drift = label(wrap=True)
        head.addWidget(self.drift_head)
        head.addWidget(self.drift)
        column.addLayout(head)
        self.lanes = Lanes()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.lanes)
        column.addWidget(scroll, 3)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName("Folders and files of the job")
        column.addWidget(self.tree, 2)
        self.pages.addWidget(page)

    # -- the list --------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the list of jobs and check each again, off the interface thread."""
        try:
            records = self.desk.library.jobs()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        chosen = self.list.currentItem()
        chosen_id = chosen.data(_ROLE).id if chosen else None
        self.list.blockSignals(True)
        self.list.clear()
        for record in records:
            item = QListWidgetItem()
            item.setData(_ROLE, record)
            self.list.addItem(item)
            self._describe(item, record)
            if record.id == chosen_id:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self._none.setVisible(not records)
        for record in records:
            self._check(record)
        if self.list.currentItem() is None and records and self._stored is None:
            self.list.setCurrentRow(0)
        elif not records:
            self.prepare(None)

    def _check(self, record: JobRecord) -> None:
        def work(_ticket: Ticket) -> CheckedJob | QuarryError:
            try:
                return check_job(Path(record.folder))
            except QuarryError as error:
                return error

        def done(result: CheckedJob | QuarryError) -> None:
            self._checked[record.id] = result
            for row in range(self.list.count()):
                item = self.list.item(row)
                if item.data(_ROLE).id == record.id:
                    self._describe(item, record)
                    if item is self.list.currentItem():
                        self._show_job(item)

        self.desk.workers.start(work, done, self.desk.refuse)

    def _describe(self, item: QListWidgetItem, record: JobRecord) -> None:
        result = self._checked.get(record.id)
        if result is None:
            state = "being checked"
        elif isinstance(result, QuarryError):
            state = result.what
        else:
            state = "as it was started" if not result.drift else f"{len(result.drift)} drifted"
        item.setText(
            f"{record.title}\n{record.template_name}, revision {record.revision} · {record.time[:10]} · {state}"
        )
        bad = isinstance(result, QuarryError)
        drifted = isinstance(result, CheckedJob) and bool(result.drift)
        item.setForeground(theme.colour("oxide" if bad else "ochre" if drifted else "chalk"))

    def _show_job(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        record: JobRecord = item.data(_ROLE)
        result = self._checked.get(record.id)
        self.pages.setCurrentWidget(self._job_page)
        self._stored = None
        self._job_title.setText(record.title)
        self._job_about.setText(
            f"{record.template_name}, revision {record.revision} · {record.hash[:12]} · started {record.time[:10]} by {record.author}\n{record.folder}"
        )
        self.tree.clear()
        if isinstance(result, CheckedJob):
            self.lanes.show_template(result.template)
            self.drift_head.setText(
                "As it was started" if not result.drift else f"{len(result.drift)} drifted since it was started"
            )
            self.drift.setText("\n".join(drift.text for drift in result.drift))
            drifted = {drift.path: drift.kind for drift in result.drift}
            _fill_tree(self.tree, (*result.folders, *result.files, "job.json"), drifted)
        else:
            self.lanes.show_template(None)
            self.drift_head.setText("Being checked" if result is None else "Cannot be checked")
            self.drift.setText("" if result is None else str(result))

    def _open_template(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            record: JobRecord = item.data(_ROLE)
            self.desk.open_stored(record.template_id, record.revision)

    # -- starting one ----------------------------------------------------------------------------------

    def _fill_templates(self) -> None:
        kept = self.template.currentData()
        self.template.clear()
        try:
            summaries = self.desk.library.summaries()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        for each in summaries:
            mark = "  (default)" if each.default else ""
            self.template.addItem(f"{each.name}, revision {each.latest.number}{mark}", (each.id, each.latest.number))
            if each.default and kept is None:
                self.template.setCurrentIndex(self.template.count() - 1)
        if kept is not None:
            self.template.setCurrentIndex(max(0, self.template.findData(kept)))

    def prepare(self, stored: Stored | None) -> None:
        """Show the page that starts a job, from `stored` or from the default template."""
        self.list.setCurrentItem(None)  # type: ignore[call-overload]
        self.pages.setCurrentWidget(self._start_page)
        if stored is not None:
            key = (stored.revision.template_id, stored.revision.number)
            index = self.template.findData(key)
            if index < 0:
                self.template.addItem(f"{stored.name}, revision {stored.revision.number}", key)
                index = self.template.count() - 1
            self.template.setCurrentIndex(index)
            self._stored = stored
            self._preview()
            self.desk.view_wanted.emit("Jobs")
        else:
            self._template_chosen()
        self.title.setFocus()

    def _template_chosen(self) -> None:
        data = self.template.currentData()
        self._stored = None
        if data is not None:
            try:
                self._stored = self.desk.library.stored(*data)
            except QuarryError as error:
                self.desk.refuse(error)
        self._preview()

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Where the job's folder is put", self.folder.text())
        if name:
            self.folder.setText(name)

    def _preview(self) -> None:
        """Show what would be made, or why nothing can be."""
        title = self.title.text().strip()
        self.preview.clear()
        self.size_note.setText("")
        why, wanted = "", False
        if self._stored is None:
            why = "There is no template to start from: make one in the Library."
        elif not title:
            why = ""
        else:
            wanted = True
        if self._stored is not None:
            try:
                plan = planned(self._stored.template, title or "Title")
                _fill_tree(self.preview, (*plan.folders, *plan.files), {})
                size = bytes_needed(self._stored.template)
                self.size_note.setText(
                    f"{len(plan.folders)} folders and {len(plan.files)} files, about {size / 1e6:.0f} MB, most of it the line-up clip."
                )
            except QuarryError as error:
                why, wanted = str(error), False
        folder = Path(self.folder.text()).expanduser()
        if wanted and not folder.is_dir():
            why, wanted = f"{folder}: no such folder; make it first, or choose another", False
        elif wanted and (folder / title).exists():
            why, wanted = f"{folder / title}: the folder exists; choose another title or place", False
        self.refusal.setText(why)
        self.refusal.setVisible(bool(why))
        self.start_button.setEnabled(wanted and self._ticket is None)

    def start(self) -> None:
        """Start the job off the interface thread."""
        stored = self._stored
        if stored is None:
            return
        title, folder, person = (
            self.title.text().strip(),
            Path(self.folder.text()).expanduser(),
            self.desk.library.person,
        )
        self._started_at = time.monotonic()

        def work(ticket: Ticket) -> StartedJob:
            return start_job(stored, title, folder, write_pdf, person, ticket.progress)

        self.progress.begin("starting", self._cancel)
        self._ticket = self.desk.workers.start(
            work, lambda job: self._started(job, stored, title), self._failed, self._progressed
        )
        self.start_button.setEnabled(False)

    def _cancel(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()

    def _progressed(self, what: str, share: float) -> None:
        passed = time.monotonic() - self._started_at
        left = passed * (1 - share) / share if share > 0.08 and passed > 0.5 else None
        self.progress.step(what, share, left)

    def _started(self, job: StartedJob, stored: Stored, title: str) -> None:
        self._ticket = None
        self.progress.hide()
        try:
            record = self.desk.library.record_job(title, job.folder.resolve(), stored)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.preferences.jobs_folder = str(job.folder.parent)
        self.title.clear()
        self.desk.jobs_changed.emit()
        for row in range(self.list.count()):
            if self.list.item(row).data(_ROLE).id == record.id:
                self.list.setCurrentRow(row)
        self.desk.say(f"{title} is started in {job.folder}.")

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.progress.hide()
        self._preview()
        self.refusal.setText(str(error))
        self.refusal.show()


def _fill_tree(tree: QTreeWidget, paths: tuple[str, ...], drifted: dict[str, str]) -> None:
    """Fill a tree with relative paths, what drifted in colour and with its word."""
    tree.clear()
    items: dict[str, QTreeWidgetItem] = {}
    for path in [*paths, *(extra for extra, kind in drifted.items() if kind == "extra")]:
        above, sofar = tree.invisibleRootItem(), ""
        for part in path.split("/"):
            sofar = f"{sofar}/{part}" if sofar else part
            if sofar not in items:
                item = items[sofar] = QTreeWidgetItem([part])
                if sofar in drifted:
                    item.setText(0, f"{part}   {drifted[sofar]}")
                    item.setForeground(0, theme.colour("ochre"))
                above.addChild(item)
            above = items[sofar]
    tree.expandAll()
