"""The Intake view: what clips declare and what they really are, against the sources of a template."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from time import monotonic

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk, demo_clips
from idle_quarry.app.document import Document
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.intake_evidence import ClipEvidence
from idle_quarry.app.views.intake_rows import ROW, IntakeModel, Looked, RowDelegate, RowFilter
from idle_quarry.app.views.intake_shares import Shares
from idle_quarry.app.views.two_ends import TwoEnds
from idle_quarry.app.watching import FolderWatch
from idle_quarry.app.widgets.basics import ProgressBar, button, label, restyle
from idle_quarry.app.work import Ticket
from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media import MEDIA_SUFFIXES, Clip, grouped
from idle_quarry.media.against import against
from idle_quarry.media.looking import corrected_clip, look_at_all
from idle_quarry.media.report import SUFFIXES, totals, write_report
from idle_quarry.media.stills import small_picture
from idle_quarry.path.edits import Edit
from idle_quarry.path.starting import beginnings
from idle_quarry.path.template import Source, Template, slug
from idle_quarry.printing import write_pdf
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words


class IntakeView(QWidget):
    """Clips against the open template, or another of the library."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAcceptDrops(True)
        self.model = IntakeModel()
        self.proxy = RowFilter(self.model)
        self._ticket: Ticket | None = None
        self.watch: FolderWatch | None = None
        self._announce = False
        self._watched: Document | None = None
        self._against: Template | None = None  # read once, not for every clip that arrives
        self._build()
        self.first_focus = self.table
        desk.opened.connect(self._opened)
        desk.shelves_changed.connect(self._fill_templates)
        desk.shelves_changed.connect(self._judge)
        desk.clips_wanted.connect(self._wanted)
        self._fill_templates()
        self._opened()
        self._show_state()

    # -- building --------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(16, 0, 16, 6)
        self._empty = self._nothing_yet()
        self.shares = Shares()
        self.shares.chosen.connect(lambda words: self.proxy.take(format_words=words))
        self._build_table()
        self.evidence = ClipEvidence(self.desk)
        self.evidence.refused.connect(self.desk.refuse)
        self.evidence.corrected.connect(self._correct)
        self.two_ends = TwoEnds(self.desk)
        self._below = QStackedWidget()
        self._below.addWidget(self.evidence)
        self._below.addWidget(self.two_ends)
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
        outer.addWidget(self._empty, 1)
        outer.addWidget(self.split, 1)

    def _nothing_yet(self) -> QWidget:
        """Return what is shown while there are no clips: what belongs here, and the first step."""
        told = label(
            "Drop clips or folders here, or open them. Each is measured: what its fields really do, its levels, its "
            "active picture, its sound; and held against what its file declares and what a template expects.",
            "dust", wrap=True,
        )  # fmt: skip
        told.setAlignment(Qt.AlignmentFlag.AlignCenter)
        made = QWidget()
        column = QVBoxLayout(made)
        column.addStretch(1)
        column.addWidget(told)
        folder = demo_clips(self.desk.library.place)
        if folder is not None:
            self.demo_button = button("Open the demo's clips", lambda: self.look_at([folder]), main=True)
            column.addWidget(self.demo_button, 0, Qt.AlignmentFlag.AlignHCenter)
            hint = label(
                "Look for the lamp tape whose flags say the wrong field first, the phone clip that is doubled, the full-range "
                "drone and the film night under pulldown.", "dust", wrap=True,
            )  # fmt: skip
            hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
            column.addWidget(hint)
        column.addStretch(1)
        return made

    def _tools(self) -> QHBoxLayout:
        self.add_button = button("Open clips", self._ask_files, main=True)
        self.folder_button = button("Open a folder", self._ask_folder)
        self.watch_button = button("Watch a folder", self._ask_watch)
        self.clear_button = button("Clear", self._clear)
        self.report_button = button("Report", self._ask_report, tip="what came in, as PDF, HTML, CSV or JSON")
        self.search = QLineEdit()
        self.search.setPlaceholderText("Filter clips")
        self.search.setAccessibleName("Filter clips")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda text: self.proxy.take(text=text))
        self.template = QComboBox()
        self.template.setAccessibleName("Template to hold clips against")
        self.template.setMinimumContentsLength(18)
        self.template.activated.connect(lambda _i: self._judge())
        tools = QHBoxLayout()
        sized(tools).setSpacing(7)
        sized(tools).setContentsMargins(12, 10, 12, 8)
        for widget in (self.add_button, self.folder_button, self.watch_button, self.report_button, self.clear_button):
            tools.addWidget(widget)
        tools.addWidget(self.search, 1)
        tools.addWidget(label("against", "dust"))
        tools.addWidget(self.template)
        return tools

    def _build_table(self) -> None:
        self.table = QTableView()
        self.table.setModel(self.proxy)
        self.table.setItemDelegate(RowDelegate(self.model, self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setSortingEnabled(True)
        self.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.table.verticalHeader().hide()
        sized(self.table.verticalHeader()).setDefaultSectionSize(42)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Clips")
        self.table.setWordWrap(False)
        self.table.setTabKeyNavigation(False)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.setStretchLastSection(True)
        head.setHighlightSections(False)
        for column, width in enumerate((212, 136, 200, 168, 144)):
            sized(self.table).setColumnWidth(column, width)
        self.table.selectionModel().currentChanged.connect(lambda *_: self._show_clip())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._fill_ends())

    def _clip_bar(self) -> QHBoxLayout:
        self._clip_name = label(role="head")
        self.ends_button = button(
            "Two ends", self._toggle_ends, quiet=True, tip="the working formats between what comes in and out"
        )
        self.ends_button.setCheckable(True)
        self.start_button = button("Start a template", self._start_menu, main=True)
        self.source_button = button("Set as a source", self._source_menu)
        self.prove_button = button(
            "Test on pictures", self._prove, tip="see on this clip what its source's link does to it"
        )
        bar = QHBoxLayout()
        sized(bar).setSpacing(7)
        sized(bar).setContentsMargins(14, 0, 12, 0)
        bar.addWidget(self._clip_name, 1)
        for widget in (self.ends_button, self.prove_button, self.source_button, self.start_button):
            bar.addWidget(widget)
        return bar

    # -- templates to hold against ---------------------------------------------------------------------

    def _fill_templates(self) -> None:
        kept = self.template.currentData()
        self.template.clear()
        document = self.desk.document
        self.template.addItem(f"{document.template.name} (open)" if document else "the open template", "open")
        self.template.addItem("no template", "none")
        try:
            for each in self.desk.library.page(limit=400):
                self.template.addItem(each.name, each.id)
        except QuarryError as error:
            self.desk.refuse(error)
        self.template.setCurrentIndex(max(0, self.template.findData(kept)))

    def _opened(self) -> None:
        if self._watched is not None:
            self._watched.changed.disconnect(self._judge)
        self._watched = self.desk.document
        if self._watched is not None:
            self._watched.changed.connect(self._judge)
            self.template.setItemText(0, self._watched.template.name + " (open)")
        self._judge()

    def chosen_template(self) -> Template | None:
        """Return the template that clips are held against, or None for none."""
        ident = self.template.currentData()
        if ident == "none":
            return None
        if ident in ("open", None):
            return self.desk.document.template if self.desk.document is not None else None
        try:
            return self.desk.library.stored(ident).template
        except QuarryError as error:
            self.desk.refuse(error)
            return None

    def _judge(self) -> None:
        self._against = self.chosen_template()
        if self.model.rows:
            self.model.judge(self._against)
            self._show_clip()

    # -- clips come in ---------------------------------------------------------------------------------

    def _ask_files(self) -> None:
        names, _kind = QFileDialog.getOpenFileNames(self, "Open clips", str(self.desk.clips_folder()))
        if names:
            self.desk.preferences.clips_folder = str(Path(names[0]).parent)
            self.look_at([Path(name) for name in names])

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a folder of clips", str(self.desk.clips_folder()))
        if name:
            self.desk.preferences.clips_folder = name
            self.look_at([Path(name)])

    def _wanted(self, paths: list[Path]) -> None:
        self.desk.view_wanted.emit("Intake")
        self.look_at(paths)

    def look_at(self, paths: list[Path]) -> None:
        """Measure clips and the media in folders on all cores, off the interface thread; rows come as they are known."""
        if self._ticket is not None:
            self._ticket.cancel()
        began = monotonic()

        def work(ticket: Ticket) -> int:
            found: list[Path] = []
            for path in paths:
                if path.is_dir():
                    found += sorted(p for p in path.rglob("*") if p.suffix.lower() in MEDIA_SUFFIXES and p.is_file())
                else:
                    found.append(path)
            clips = grouped(found)
            for path, answer in look_at_all(clips, ticket.progress):
                if isinstance(answer, MediaError):
                    looked = Looked(path, None, answer.what)
                else:
                    looked = Looked(path, answer, picture=_picture(answer))
                self.desk.workers.start(partial(_itself, looked), self._arrived, self.desk.refuse)
            return len(clips)

        def progressed(what: str, share: float) -> None:
            spent = monotonic() - began
            self.progress.step(f"measuring: {what}", share, spent * (1 - share) / share if share > 0.02 else None)

        self.progress.begin("measuring clips", self._cancel)
        self._empty.hide()
        self.split.show()
        self._ticket = self.desk.workers.start(work, self._done, self._failed, progressed)

    def take_over(self, rows: list[Looked]) -> None:
        """Show rows that another window looked at."""
        for row in rows:
            self.model.add(row)
        self._show_shares()
        self._show_state()

    def _arrived(self, looked: Looked) -> None:
        template = self._against
        match = against(template, looked.clip) if template is not None and looked.clip is not None else None
        self.model.add(replace(looked, match=match))
        self._show_shares()
        if len(self.model.rows) == 1:
            self.table.selectRow(0)
        if self._ticket is None:  # the word that all is measured can overtake the last clips
            self._show_state()
            self._fill_ends()
        if self._announce and match is not None and (match.source is None or match.grade in ("lossy", "broken")):
            why = match.findings[0].text if match.findings else f"it is {match.grade} into the programme"
            name = template.name if template is not None else ""
            self.desk.say(f"{looked.path.name} arrived and does not fit {name}: {why}", refusal=True)

    def _show_shares(self) -> None:
        clips = [row.clip for row in self.model.rows if row.clip is not None]
        self.shares.show_totals(totals(clips), len(self.model.rows))

    def _done(self, count: int) -> None:
        self.progress.hide()
        self._ticket = None
        if count == 0:
            self.desk.say("No clips there: no file has the name of a media file.", refusal=True)
        self._show_state()
        self._fill_ends()

    def _failed(self, error: QuarryError) -> None:
        self.progress.hide()
        self._ticket = None
        self.desk.say(
            "Stopped; the clips looked at so far are shown." if "cancelled" in str(error) else str(error), refusal=True
        )
        self._show_state()

    def _cancel(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()

    @staticmethod
    def _make_main(which: QPushButton, *, on: bool) -> None:
        which.setProperty("main", "true" if on else "false")
        restyle(which)

    def _clear(self) -> None:
        self._cancel()
        self.model.clear()
        self._show_shares()
        self._show_state()

    def _show_state(self) -> None:
        some = bool(self.model.rows) or self._ticket is not None
        self._empty.setVisible(not some)
        self.split.setVisible(some)
        offers_demo = not some and demo_clips(self.desk.library.place) is not None
        self._make_main(self.add_button, on=not some and not offers_demo)  # one next step at a time
        self._make_main(self.start_button, on=some)
        self.clear_button.setEnabled(some)
        self.report_button.setEnabled(bool(self.model.rows))
        self._show_clip()

    # -- a watched folder ------------------------------------------------------------------------------

    def _ask_watch(self) -> None:
        if self.watch is not None:
            self.stop_watching()
            return
        name = QFileDialog.getExistingDirectory(self, "Watch a folder for new clips", str(Path.home()))
        if name:
            self.watch_folder(Path(name))

    def watch_folder(self, folder: Path) -> None:
        """Look at clips of a folder as they arrive, and say which do not fit the template."""
        self.watch = FolderWatch(folder, self.desk.workers, self)
        self.watch.arrived.connect(self._came_in)
        self.watch.lost.connect(self._watch_lost)
        self.watch_button.setText("Stop watching")
        self.watch_button.setToolTip(str(folder))
        self.desk.say(f"Watching {folder}: clips are measured once they have stopped growing.")

    def stop_watching(self) -> None:
        """Watch no longer."""
        if self.watch is not None:
            self.watch.stop()
            self.watch.deleteLater()
            self.watch = None
        self.watch_button.setText("Watch a folder")
        self.watch_button.setToolTip("")

    def _watch_lost(self, error: QuarryError) -> None:
        self.stop_watching()
        self.desk.refuse(error)

    def _came_in(self, paths: list[Path]) -> None:
        self._announce = True
        self.look_at(paths)

    # -- the chosen clip -------------------------------------------------------------------------------

    def chosen(self) -> Looked | None:
        """Return the row chosen in the table, or None."""
        index = self.table.currentIndex()
        return index.data(ROW) if index.isValid() else None

    def selected(self) -> list[Looked]:
        """Return the selected rows that have a format, or all of them where one or none is selected."""
        rows = [index.data(ROW) for index in self.table.selectionModel().selectedRows()]
        if len(rows) < 2:
            rows = self.model.rows
        return [row for row in rows if row.clip is not None and row.clip.format is not None]

    def _show_clip(self) -> None:
        row = self.chosen()
        usable = row is not None and row.clip is not None and row.clip.format is not None
        self.start_button.setEnabled(usable)
        self.source_button.setEnabled(usable and self.desk.document is not None)
        self.prove_button.setEnabled(usable and self._source_of(row) is not None)
        self._clip_name.setText("" if row is None else row.clip.name if row.clip else row.path.name)
        self.evidence.show_row(row)

    def _source_of(self, row: Looked | None) -> str | None:
        """Return the station of the open template that a clip belongs to: its source, else the first there is."""
        document = self.desk.document
        if document is None or row is None or not document.template.sources:
            return None
        ids = [source.id for source in document.template.sources]
        own = row.match.source.id if row.match is not None and row.match.source is not None else None
        return f"source:{own if own in ids else ids[0]}"

    def _prove(self) -> None:
        row = self.chosen()
        station = self._source_of(row)
        if row is not None and station is not None:
            self.desk.proof_wanted.emit(station, row.path)

    def _correct(self, fmt: SignalFormat | None) -> None:
        row = self.chosen()
        if row is None or row.clip is None:
            return
        try:
            clip = corrected_clip(row.clip, fmt)
        except MediaError as error:
            self.desk.refuse(error)
            return
        template = self._against
        self.model.add(replace(row, clip=clip, match=against(template, clip) if template is not None else None))
        self._show_shares()
        self._show_clip()
        words = format_words(clip.format, fields=True) if clip.format else "no format"
        said = f"{clip.name} is read as {words} from now on." if fmt else f"{clip.name} is read as measured: {words}."
        self.desk.say(said)

    def _toggle_ends(self) -> None:
        self._below.setCurrentWidget(self.two_ends if self.ends_button.isChecked() else self.evidence)
        self.start_button.setVisible(not self.ends_button.isChecked())  # two ends has its own
        self._fill_ends()

    def _fill_ends(self) -> None:
        if self.ends_button.isChecked():
            rows = [row for row in self.selected() if row.clip is not None and row.clip.format is not None]
            words = {row.format_words: format_words(row.clip.format) for row in rows if row.clip and row.clip.format}
            shares = totals([row.clip for row in rows if row.clip])
            self.two_ends.set_sources([(words[total.format], total.share * 100) for total in shares])

    # -- what becomes of it ----------------------------------------------------------------------------

    def _start_menu(self) -> None:
        row = self.chosen()
        if row is None or row.clip is None or row.clip.format is None:
            return
        menu = QMenu(self)
        for text, make in self.beginnings(row.clip):
            menu.addAction(text).triggered.connect(lambda _on, make=make: self.desk.open_new(make))
        menu.exec(self.start_button.mapToGlobal(self.start_button.rect().bottomLeft()))

    def beginnings(self, clip: Clip) -> list[tuple[str, Template]]:
        """Return the templates that can begin from a clip, each with what it is."""
        assert clip.format is not None
        return beginnings(clip.name, clip.format)

    def _source_menu(self) -> None:
        document = self.desk.document
        if document is None:
            return
        menu = QMenu(self)
        menu.addAction("Another source, with its share").triggered.connect(self.add_as_source)
        for source in document.template.sources:
            action = menu.addAction(f"{source.name} is what this clip is")
            action.triggered.connect(lambda _on, ident=source.id: self.set_source(ident))
        menu.exec(self.source_button.mapToGlobal(self.source_button.rect().bottomLeft()))

    def add_as_source(self) -> None:
        """Add the chosen clip's format as another source of the open template, with its share by duration."""
        row, document = self.chosen(), self.desk.document
        if row is None or row.clip is None or row.clip.format is None or document is None:
            return
        template = document.template
        ident = slug(Path(row.clip.name).stem, {s.id for s in template.sources})
        clips = [each.clip for each in self.model.rows if each.clip is not None]
        by_format = {total.format: total.share * 100 for total in totals(clips)}
        share = round(by_format.get(row.format_words, 10.0), 1) if template.sources else 100.0
        source = Source(id=ident, name=Path(row.clip.name).stem[:120] or "clip", format=row.clip.format, share=share)
        self._edit("Add source from clip", Edit(f"sources.{ident}", source), f"{source.name} is now a source")

    def set_source(self, ident: str) -> None:
        """Give a source of the open template the chosen clip's format."""
        row, document = self.chosen(), self.desk.document
        if row is None or row.clip is None or row.clip.format is None or document is None:
            return
        name = next(s.name for s in document.template.sources if s.id == ident)
        edit = Edit(f"sources.{ident}.format", row.clip.format)
        self._edit("Set source from clip", edit, f"{name} is now {row.format_words}")

    def _edit(self, what: str, edit: Edit, said: str) -> None:
        document = self.desk.document
        assert document is not None
        try:
            document.apply(what, edit)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.view_wanted.emit("Path")
        self.desk.say(f"{said} of {document.template.name}.")

    # -- the report ------------------------------------------------------------------------------------

    def _ask_report(self) -> None:
        kinds = ";;".join(f"{suffix[1:].upper()} (*{suffix})" for suffix in SUFFIXES)
        name, _kind = QFileDialog.getSaveFileName(self, "Write the intake report", "intake.pdf", kinds)
        if name:
            self.report(Path(name))

    def report(self, path: Path) -> None:
        """Write the report of all clips, off the interface thread."""
        clips = [row.clip for row in self.model.rows if row.clip is not None]
        template = self._against
        name = template.name if template is not None else ""

        def work(_ticket: Ticket) -> Path:
            write_report(path, clips, write_pdf, name)
            return path

        self.desk.workers.start(work, lambda done: self.desk.say(f"The report is in {done}."), self.desk.refuse)


def _itself(looked: Looked, _ticket: Ticket) -> Looked:
    return looked


def _picture(clip: Clip) -> bytes | None:
    try:
        return small_picture(clip)
    except QuarryError:
        return None
