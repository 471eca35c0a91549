"""The Jobs view: start a job and see beforehand what it will be made of; the jobs started, and what drifted."""

from __future__ import annotations

import contextlib
import time
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
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
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.widgets.difference_table import DifferenceTable
from idle_quarry.app.widgets.lanes import Lanes
from idle_quarry.app.widgets.tinted import tint, tint_branch, tinted
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.files import is_folder, is_there
from idle_quarry.jobs.allowed import NotApproved, check_startable
from idle_quarry.jobs.check import CheckedJob, check_job
from idle_quarry.jobs.left_over import list_job
from idle_quarry.jobs.moving import Move, move, move_of
from idle_quarry.jobs.next_steps import NextStep, next_steps
from idle_quarry.jobs.start import StartedJob, bytes_needed, start_job
from idle_quarry.jobs.structure import planned
from idle_quarry.library import JobRecord, Stored
from idle_quarry.printing import write_pdf
from idle_quarry.proof.work_place import judged

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
        #: The newest approved revision of each template that jobs were started from.
        self._newest: dict[str, int] = {}
        self._newer_move: tuple[JobRecord, CheckedJob, Stored, Move] | None = None
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
        sized(tools).setSpacing(7)
        sized(tools).setContentsMargins(12, 10, 12, 8)
        tools.addWidget(label("Jobs started here", "head"))
        tools.addStretch(1)
        tools.addWidget(self.check_button)
        tools.addWidget(self.new_button)
        self.list = QListWidget()
        self.list.setAccessibleName("Jobs")
        tinted(self.list)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda item, _old: self._show_job(item))
        self._none = label(
            "No job yet. A job takes folders, timelines, line-up and papers from a template. Press New job.",
            "dust",
            wrap=True,
        )
        sized(self._none).setContentsMargins(16, 6, 16, 0)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(tools)
        column.addWidget(self._none)
        column.addWidget(self.list, 1)
        self.pages = QStackedWidget()
        on(self.pages, "bench")
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
        sized(column).setContentsMargins(20, 12, 20, 12)
        sized(column).setSpacing(8)
        column.addWidget(label("Start a job", "title"))
        form = QFormLayout()
        sized(form).setHorizontalSpacing(12)
        self.template = QComboBox()
        self.template.setAccessibleName("Template")
        self.template.activated.connect(self._template_chosen)
        self.title = QLineEdit()
        self.title.setAccessibleName("Title")
        self.title.setPlaceholderText("what the job is called; its folder takes the name")
        self.title.textChanged.connect(lambda _t: self._preview())
        self.folder = QLineEdit(self.desk.jobs_folder())
        self.folder.setAccessibleName("Folder")
        self.folder.setPlaceholderText("a folder on a fast disk of its own, such as /media/work")
        self.folder.textChanged.connect(lambda _t: self._preview())
        where = QHBoxLayout()
        where.addWidget(self.folder, 1)
        where.addWidget(button("Choose", self._choose_folder))
        form.addRow(label("Template", "dust"), self.template)
        form.addRow(label("Title", "dust"), self.title)
        form.addRow(label("Folder", "dust"), where)
        column.addLayout(form)
        self.place_note = label(role="caution", wrap=True)
        column.addWidget(self.place_note)
        self.refusal = label(role="refusal", wrap=True)
        column.addWidget(self.refusal)
        column.addWidget(label("What will be made", "head"))
        self.preview = QTreeWidget()
        self.preview.setHeaderHidden(True)
        tinted(self.preview)
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
        sized(column).setContentsMargins(0, 12, 0, 0)
        self._job_title, self._job_about = label(role="title"), label(role="dust", wrap=True)
        head = QVBoxLayout()
        sized(head).setContentsMargins(20, 0, 16, 0)
        sized(head).setSpacing(3)
        top = QHBoxLayout()
        top.addWidget(self._job_title, 1)
        self.open_revision = button("Open its template", self._open_template)
        top.addWidget(self.open_revision)
        head.addLayout(top)
        head.addWidget(self._job_about)
        self._newer = label(wrap=True)
        self._newer_row = QHBoxLayout()
        self._newer_row.addWidget(self._newer, 1)
        self.changes_button = button("What changes", self._show_changes)
        self.move_button = button("Move the job to it", self._move)
        self._newer_row.addWidget(self.changes_button)
        self._newer_row.addWidget(self.move_button)
        head.addLayout(self._newer_row)
        self.changes = DifferenceTable()
        sized(self.changes).setMinimumHeight(150)
        sized(self.changes).setMaximumHeight(260)
        self.next_head = label("Next", "head")
        self._next = QGridLayout()
        self._next.setColumnStretch(0, 1)
        sized(self._next).setVerticalSpacing(3)
        head.addWidget(self.next_head)
        head.addLayout(self._next)
        self.drift_head = label(role="head")
        self.drift = label(wrap=True)
        head.addWidget(self.drift_head)
        head.addWidget(self.drift)
        column.addLayout(head)
        column.addWidget(self.changes)
        self.lanes = Lanes()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.lanes)
        column.addWidget(scroll, 2)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        tinted(self.tree)
        self.tree.setAccessibleName("Folders and files of the job")
        column.addWidget(self.tree, 3)
        self.pages.addWidget(page)

    # -- the list --------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the list of jobs and check each again, off the interface thread."""
        try:
            records = self.desk.library.jobs()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self._newest = {}
        for ident in {record.template_id for record in records}:
            with contextlib.suppress(QuarryError):  # put aside, or of another library
                self._newest[ident] = self.desk.library.summary(ident).approved or 0
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
            state = "as it was started" if not result.drift else changes_words(len(result.drift))
        newer = self._newest.get(record.template_id, 0)
        stands = f"revision {record.revision}" + (f", {newer} approved since" if newer > record.revision else "")
        item.setText(f"{record.title}\n{record.template_name}, {stands} · {state}")
        bad = isinstance(result, QuarryError)
        drifted = isinstance(result, CheckedJob) and bool(result.drift)
        tint(item, "oxide" if bad else "ochre" if drifted else "chalk")

    def _show_job(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        record: JobRecord = item.data(_ROLE)
        result = self._checked.get(record.id)
        self.pages.setCurrentWidget(self._job_page)
        self._stored = None
        self._look_for_newer(record, result)
        self.move_button.setEnabled(True)
        self._job_title.setText(record.title)
        self._job_about.setText(
            f"{record.template_name}, revision {record.revision} · {record.hash[:12]} · started {record.time[:10]} by {record.author}\n{record.folder}"
        )
        self.tree.clear()
        self._show_next(next_steps(result) if isinstance(result, CheckedJob) else [])
        if isinstance(result, CheckedJob):
            self.lanes.show_template(result.template)
            self.drift_head.setText(
                "As it was started"
                if not result.drift
                else f"{changes_words(len(result.drift)).capitalize()} since the job started"
            )
            self.drift.setText("\n".join(drift.text for drift in result.drift))
            drifted = {drift.path: drift.kind for drift in result.drift}
            _fill_tree(self.tree, (*result.folders, *result.files, "job.json"), drifted)
        else:
            self.lanes.show_template(None)
            self.drift_head.setText("Being checked" if result is None else "Cannot be checked")
            self.drift.setText("" if result is None else str(result))

    def _show_next(self, steps: list[NextStep]) -> None:
        """Say what the job needs next, each with its button."""
        while (item := self._next.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.next_head.setVisible(bool(steps))
        for row, step in enumerate(steps):
            self._next.addWidget(label(step.text, wrap=True), row, 0)
            if step.act:
                self._next.addWidget(button(step.label, partial(self.do, step)), row, 1)

    def do(self, step: NextStep) -> None:
        """Do what a step offers: open its file or folder, or look at its clips against the job's template."""
        if step.path is None or not step.path.exists():
            self.desk.say(f"{step.path} is no longer there.", refusal=True)
        elif step.act == "look at clips":
            self._open_template()
            self.desk.clips_wanted.emit([step.path])
        elif not QDesktopServices.openUrl(QUrl.fromLocalFile(str(step.path))):
            self.desk.say(f"Nothing here opens {step.path.name}. It lies in {step.path.parent}.", refusal=True)

    # -- a newer revision ------------------------------------------------------------------------------

    def _look_for_newer(self, record: JobRecord, job: CheckedJob | QuarryError | None) -> None:
        """Say whether a newer revision was approved since, what of the job would differ, and whether it can move to it."""
        self._newer_move = None
        for widget in (self._newer, self.changes_button, self.move_button, self.changes):
            widget.hide()
        if not isinstance(job, CheckedJob):
            return
        try:
            summary = self.desk.library.summary(record.template_id)
            if summary.for_jobs <= record.revision or (summary.shelf == "house" and summary.approved is None):
                return
            to = self.desk.library.stored(record.template_id, summary.for_jobs)
            found = move_of(job, to)
        except QuarryError:
            return  # the template was put aside, or cannot be read: the job stands by itself
        self._newer_move = (record, job, to, found)
        count = len(found.differences)
        differ = "1 setting differs" if count == 1 else f"{count} settings differ"
        said = f"Revision {to.revision.number} of the template is {to.revision.state} since: {differ}."
        if found.locked:
            said += f" The job cannot move to it: {', '.join(found.locked)} cannot change once there is a timeline."
        self._newer.setText(said)
        self._newer.show()
        self.changes_button.setVisible(bool(count))
        self.move_button.setVisible(found.possible)

    def _show_changes(self) -> None:
        if self._newer_move is None:
            return
        record, _, to, found = self._newer_move
        names = f"Revision {record.revision}", f"Revision {to.revision.number}"
        self.changes.show_differences(list(found.differences), *names)
        self.changes.setVisible(not self.changes.isVisible())

    def _move(self) -> None:
        if self._newer_move is None:
            return
        record, job, to, _ = self._newer_move
        person = self.desk.library.person

        def work(_ticket: Ticket) -> Move:
            found = move(job, to, person, write_pdf)
            self.desk.library.move_job(record.id, to)
            return found

        def done(found: Move) -> None:
            anew = "papers and line-up clip are" if found.line_up else "papers are"
            made = f", {len(found.new_folders)} folders made" if found.new_folders else ""
            self.desk.say(f"{job.title} stands on revision {to.revision.number} now: its {anew} made anew{made}.")
            self.desk.jobs_changed.emit()

        self.move_button.setEnabled(False)
        self.desk.workers.start(work, done, self.desk.refuse)

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
            summaries = self.desk.library.page(limit=400)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        # what may start a job at once comes first, what was withdrawn not at all
        summaries = [each for each in summaries if each.latest.state != "withdrawn" or each.approved]
        summaries.sort(key=lambda each: each.shelf == "house" and each.approved is None)
        for each in summaries:
            mark = "  (default)" if each.default else ""
            number = each.for_jobs
            state = "approved" if number == each.approved else each.latest.state if each.shelf == "house" else "own"
            self.template.addItem(f"{each.name}, revision {number}, {state}{mark}", (each.id, number))
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
        if self._stored is not None and not self.folder.text().strip():
            self.folder.setText(self.desk.jobs_folder(self._stored.template))
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
        typed = self.folder.text().strip()
        folder = Path(typed).expanduser()
        # of a place that will do, only what speaks against it
        against = [each.text for each in judged(folder, None, 0.0) if each.severity != "note"] if typed else []
        self.place_note.setText(" ".join(against) if is_folder(folder) else "")
        self.place_note.setVisible(bool(self.place_note.text()))
        if wanted and not typed:
            why, wanted = "Say in which folder the job is put: on a fast disk of its own, never the system disk.", False
        elif wanted and not is_folder(folder):
            why, wanted = f"{folder}: no such folder; make it first, or choose another", False
        elif wanted and is_there(folder / title):
            why, wanted = f"{folder / title}: the folder exists; choose another title or place", False
        self.refusal.setText(why)
        self.refusal.setVisible(bool(why))
        self.start_button.setEnabled(wanted and self._ticket is None)

    def start(self, *, unapproved: bool = False) -> None:
        """Start the job off the interface thread; a revision that nobody approved is asked about once."""
        stored = self._stored
        if stored is None:
            return
        try:
            check_startable(self.desk.library, stored, unapproved=unapproved)
        except NotApproved as error:
            text = f"{error.subject} {error.what}. Start a job from it all the same?"
            self.desk.say(text, refusal=True, action=("Start it", partial(self.start, unapproved=True)))
            return
        except QuarryError as error:
            self._failed(error)
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
            record = list_job(self.desk.library, job, title, stored)
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


def changes_words(count: int) -> str:
    """Return how many changes there are, in words."""
    return "1 change" if count == 1 else f"{count} changes"


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
                    tint_branch(item, 0, "ochre")
                above.addChild(item)
            above = items[sofar]
    tree.expandAll()
