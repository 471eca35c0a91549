"""The Intake view: what clips declare, one row a clip, against the sources of a template."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import (
    QRectF,
    QSortFilterProxyModel,
    Qt,
)
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QMenu,
    QScrollArea,
    QSplitter,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.drawing import draw_severity
from idle_quarry.app.theme import theme
from idle_quarry.app.views.intake_rows import COLUMNS, ROW, IntakeModel, Looked, VerdictDelegate
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.media import MEDIA_SUFFIXES, Clip, grouped, inspect
from idle_quarry.media.against import against
from idle_quarry.path.edits import Edit
from idle_quarry.path.starting import from_clip, standard_near, working_from
from idle_quarry.path.template import Source, Template, slug
from idle_quarry.signal.rasters import aspect_text
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import format_words


class IntakeView(QWidget):
    """Clips against the open template, or another of the library."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAcceptDrops(True)
        self.model = IntakeModel()
        self.proxy = QSortFilterProxyModel()
        self.proxy.setSourceModel(self.model)
        self.proxy.setFilterKeyColumn(-1)
        self.proxy.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self._ticket: Ticket | None = None
        self._build()
        self.first_focus = self.table
        desk.opened.connect(self._opened)
        desk.shelves_changed.connect(self._fill_templates)
        self._fill_templates()
        self._opened()
        self._show_state()

    def _build(self) -> None:
        self.add_button = button("Open clips", self._ask_files, main=True)
        self.folder_button = button("Open a folder", self._ask_folder)
        self.clear_button = button("Clear", self._clear)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Filter clips")
        self.search.setAccessibleName("Filter clips")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.proxy.setFilterFixedString)
        self.template = QComboBox()
        self.template.setAccessibleName("Template to hold clips against")
        self.template.setMinimumContentsLength(22)
        self.template.activated.connect(lambda _i: self._judge())
        tools = QHBoxLayout()
        tools.setSpacing(theme.px(7))
        tools.setContentsMargins(theme.px(12), theme.px(10), theme.px(12), theme.px(8))
        for widget in (self.add_button, self.folder_button, self.clear_button):
            tools.addWidget(widget)
        tools.addWidget(self.search, 1)
        tools.addWidget(label("against", "dust"))
        tools.addWidget(self.template)
        self.progress = ProgressBar()
        self.progress.setContentsMargins(theme.px(16), 0, theme.px(16), theme.px(6))
        self._empty = label(
            "Drop clips or folders here, or open them. Each is shown with what its file declares, held against the sources of a template.",
            "dust", wrap=True,
        )  # fmt: skip
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.table = QTableView()
        self.table.setModel(self.proxy)
        self.table.setItemDelegateForColumn(len(COLUMNS) - 1, VerdictDelegate(self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setSortingEnabled(True)
        self.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        self.table.setAccessibleName("Clips")
        self.table.setWordWrap(False)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.setStretchLastSection(True)
        head.setHighlightSections(False)
        for column, width in enumerate((215, 205, 120, 90, 165, 100, 105)):
            self.table.setColumnWidth(column, theme.px(width))
        self.table.verticalHeader().setDefaultSectionSize(theme.px(27))
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.table.selectionModel().currentChanged.connect(lambda *_: self._show_clip())
        self._detail = QWidget()
        self._detail.setProperty("role", "bench")
        self._detail.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        detail = QVBoxLayout(self._detail)
        detail.setContentsMargins(0, theme.px(8), 0, theme.px(8))
        self._clip_name, self._verdict = label(role="head"), label(role="dust", wrap=True)
        self.start_button = button("Start a template from this clip", self._start_menu, main=True)
        self.source_button = button("This is another source of the template", self.add_as_source)
        bar = QHBoxLayout()
        bar.setSpacing(theme.px(7))
        bar.setContentsMargins(theme.px(16), 0, theme.px(12), 0)
        bar.addWidget(self._clip_name, 1)
        bar.addWidget(self.source_button)
        bar.addWidget(self.start_button)
        detail.addLayout(bar)
        self._facts = QScrollArea()
        self._facts.setWidgetResizable(True)
        detail.addWidget(self._facts, 1)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self.table)
        self.split.addWidget(self._detail)
        self.split.setSizes([theme.px(380), theme.px(300)])
        self.split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(tools)
        outer.addWidget(self.progress)
        outer.addWidget(self._empty, 1)
        outer.addWidget(self.split, 1)

    # -- templates to hold against ---------------------------------------------------------------------

    def _fill_templates(self) -> None:
        kept = self.template.currentData()
        self.template.clear()
        document = self.desk.document
        self.template.addItem(f"{document.template.name} (open)" if document else "the open template", "open")
        try:
            for each in self.desk.library.summaries():
                self.template.addItem(each.name, each.id)
        except QuarryError as error:
            self.desk.refuse(error)
        self.template.setCurrentIndex(max(0, self.template.findData(kept)))

    def _opened(self) -> None:
        if self.desk.document is not None:
            self.desk.document.changed.connect(self._judge)
            self.template.setItemText(0, self.desk.document.template.name + " (open)")
        self._judge()

    def chosen_template(self) -> Template | None:
        """Return the template that clips are held against, or None where nothing is open."""
        ident = self.template.currentData()
        if ident in ("open", None):
            return self.desk.document.template if self.desk.document is not None else None
        try:
            return self.desk.library.stored(ident).template
        except QuarryError as error:
            self.desk.refuse(error)
            return None

    def _judge(self) -> None:
        if self.model.rows:
            self.model.judge(self.chosen_template())
            self._show_clip()

    # -- clips come in ---------------------------------------------------------------------------------

    def _ask_files(self) -> None:
        names, _kind = QFileDialog.getOpenFileNames(self, "Open clips", str(Path.home()))
        if names:
            self.look_at([Path(name) for name in names])

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a folder of clips", str(Path.home()))
        if name:
            self.look_at([Path(name)])

    def look_at(self, paths: list[Path]) -> None:
        """Look at clips and at the media in folders, off the interface thread; rows come as they are read."""
        if self._ticket is not None:
            self._ticket.cancel()

        def work(ticket: Ticket) -> int:
            found: list[Path] = []
            for path in paths:
                if path.is_dir():
                    found += sorted(p for p in path.rglob("*") if p.suffix.lower() in MEDIA_SUFFIXES and p.is_file())
                else:
                    found.append(path)
            clips = grouped(found)
            for index, path in enumerate(clips):
                ticket.progress(f"{index} of {len(clips)} clips", index / max(1, len(clips)))
                try:
                    looked = Looked(path, inspect(path))
                except QuarryError as error:
                    looked = Looked(path, None, error.what)
                self.desk.workers.start(partial(_itself, looked), self._arrived, self.desk.refuse)
            return len(clips)

        self.progress.begin("looking at clips", self._cancel)
        self._empty.hide()
        self.split.show()
        self._ticket = self.desk.workers.start(
            work, self._done, self._failed, lambda what, share: self.progress.step(what, share)
        )

    def _arrived(self, looked: Looked) -> None:
        template = self.chosen_template()
        match = against(template, looked.clip) if template is not None and looked.clip is not None else None
        self.model.add(Looked(looked.path, looked.clip, looked.refusal, match))
        if len(self.model.rows) == 1:
            self.table.selectRow(0)

    def _done(self, count: int) -> None:
        self.progress.hide()
        self._ticket = None
        if count == 0:
            self.desk.say("No clips there: no file has the name of a media file.", refusal=True)
        self._show_state()

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

    def _clear(self) -> None:
        self.model.clear()
        self._show_state()

    def _show_state(self) -> None:
        some = bool(self.model.rows) or self._ticket is not None
        self._empty.setVisible(not some)
        self.split.setVisible(some)
        self.clear_button.setEnabled(some)
        self._show_clip()

    # -- the chosen clip -------------------------------------------------------------------------------

    def chosen(self) -> Looked | None:
        """Return the row chosen in the table, or None."""
        index = self.table.currentIndex()
        return index.data(ROW) if index.isValid() else None

    def _show_clip(self) -> None:
        row = self.chosen()
        usable = row is not None and row.clip is not None and row.clip.format is not None
        self.start_button.setEnabled(usable)
        self.source_button.setEnabled(usable and self.desk.document is not None)
        self._clip_name.setText("" if row is None else row.clip.name if row.clip else row.path.name)
        body = QWidget()
        grid = QGridLayout(body)
        grid.setContentsMargins(theme.px(16), theme.px(2), theme.px(16), theme.px(4))
        grid.setHorizontalSpacing(theme.px(18))
        grid.setVerticalSpacing(theme.px(3))
        if row is not None and row.clip is not None:
            self._fill_facts(grid, row)
        elif row is not None:
            grid.addWidget(label(f"{row.path.name}: {row.refusal}.", "refusal", wrap=True), 0, 0)
        grid.setRowStretch(grid.rowCount(), 1)
        self._facts.setWidget(body)

    def _fill_facts(self, grid: QGridLayout, row: Looked) -> None:
        assert row.clip is not None
        d, fmt = row.clip.declared, row.clip.format
        source = row.match.source if row.match else None
        wanted = source.format if source else None
        template = self.chosen_template()
        line = 0
        for finding in row.match.findings if row.match else ():
            mark = _Mark(finding.severity)
            grid.addWidget(mark, line, 0)
            grid.addWidget(label(finding.text, wrap=True), line, 1, 1, 4)
            line += 1
        if row.match is not None and not row.match.findings and source is not None:
            grid.addWidget(label(f"Exactly {source.name}.", "good"), line, 1, 1, 4)
            line += 1
        against_what = source.name if source else "no source"
        for column, text in enumerate(
            ("", "", "the file declares", f"{against_what} of {template.name}" if template else "", "")
        ):
            grid.addWidget(label(text, "dust"), line, column)
        line += 1
        facts: list[tuple[str, str, str | None]] = []
        if d.has_picture:
            facts += [
                ("Raster", f"{d.width} × {d.height}, {aspect_text(d.display_aspect)}", f"{wanted.raster.size_text}, {aspect_text(wanted.raster.display_aspect)}" if wanted else None),
                ("Rate", f"{rate_text(d.rate)} frames/s" if d.rate else "not said", f"{rate_text(wanted.rate)} frames/s" if wanted else None),
                ("Scan", _scan(d.scan, d.field_order), _scan(wanted.scan, wanted.field_order) if wanted else None),
                ("Depth", f"{d.bit_depth} bit {d.sampling}", f"{wanted.encoding.bit_depth} bit {wanted.encoding.sampling}" if wanted else None),
                ("Primaries", d.primaries or "not said", wanted.encoding.primaries if wanted else None),
                ("Transfer", d.transfer or "not said", wanted.encoding.transfer if wanted else None),
                ("Matrix", d.matrix or "not said", wanted.encoding.matrix if wanted else None),
                ("Range", d.range or "not said", wanted.encoding.range if wanted else None),
            ]  # fmt: skip
        facts += [
            ("Codec", " ".join(p for p in (d.codec, d.profile, f"in {d.container.split(',')[0]}") if p), None),
            ("Timecode", d.timecode or "none", None),
            ("Length", f"{d.frames or '?'} frames" + (f", {d.duration_s:.2f} s" if d.duration_s else ""), None),
            ("Sound", "; ".join(f"{a.layout}, {a.sample_rate} Hz{f', {a.bit_depth} bit' if a.bit_depth else ''}" for a in d.audio) or "none", None),
            ("Taken as", format_words(fmt, fields=True) if fmt else "no signal format", None),
        ]  # fmt: skip
        for name, declared, expected in facts:
            grid.addWidget(label(name, "dust"), line, 1)
            silent = declared.startswith("not said")
            grid.addWidget(label(declared, "dust" if silent else ""), line, 2)
            if expected is not None:
                grid.addWidget(label(expected, "dust"), line, 3)
                agrees = declared == expected or silent
                grid.addWidget(
                    label(
                        "taken from the standard" if silent else "agrees" if agrees else "differs",
                        "good" if agrees else "refusal",
                    ),
                    line,
                    4,
                )
            line += 1
        grid.setColumnStretch(4, 1)

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
        """Return the templates that can begin from a clip: in its exact format, and in the nearest standard's."""
        assert clip.format is not None
        exact = working_from(clip.format)
        found = [(f"Work in {format_words(exact, fields=True)}, as recorded", from_clip(clip.name, clip.format, exact))]
        near = standard_near(exact)
        if near is not None:
            standard, differs = near
            text = f"Work in {standard.words} ({standard.standard.name}): {'; '.join(differs)}"
            found.append((text, from_clip(clip.name, clip.format, standard.format)))
        return found

    def add_as_source(self) -> None:
        """Add the chosen clip's format as another source of the open template."""
        row, document = self.chosen(), self.desk.document
        if row is None or row.clip is None or row.clip.format is None or document is None:
            return
        template = document.template
        ident = slug(Path(row.clip.name).stem, {s.id for s in template.sources})
        share = 10.0 if template.sources else 100.0
        source = Source(id=ident, name=Path(row.clip.name).stem[:120] or "clip", format=row.clip.format, share=share)
        try:
            document.apply("Add source from clip", Edit(f"sources.{ident}", source))
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.view_wanted.emit("Path")
        self.desk.say(f"{source.name} is now a source of {template.name}.")


def _itself(looked: Looked, _ticket: Ticket) -> Looked:
    return looked


class _Mark(QWidget):
    """A severity's mark as a widget."""

    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        self.setFixedSize(theme.px(16), theme.px(18))
        self.setAccessibleName(severity)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        draw_severity(painter, QRectF(self.rect()).center(), self._severity, theme.px(9))


def _scan(scan: str, order: str | None) -> str:
    first = {"top": ", upper field first", "bottom": ", lower field first", None: ""}[
        order if scan != "progressive" else None
    ]
    return {"psf": "PsF", "unknown": "not said"}.get(scan, scan) + (first if scan == "interlaced" else "")
