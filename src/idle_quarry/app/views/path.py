"""The Path view: the strip, the sheet of what is chosen on it, the evidence beside it, the findings below."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.document import Document
from idle_quarry.app.evidence.panel import Evidence
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import AskBar, OneLine, button, label, page_head
from idle_quarry.app.widgets.findings import Findings
from idle_quarry.app.widgets.sheet import Sheet
from idle_quarry.app.widgets.strip import Strip
from idle_quarry.app.widgets.structure import Structure
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision
from idle_quarry.path.comparing import questions
from idle_quarry.path.edits import Edit, put_back
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.registry import deliveries
from idle_quarry.path.settings import Setting, label_of, settings_on
from idle_quarry.path.shares import with_another
from idle_quarry.path.starting import delivered, monitor_for
from idle_quarry.path.template import Place, Proxy, Source, slug
from idle_quarry.signal.words import format_words

#: Sheets that belong to no station, in the order they are thought of.
SHEETS = {
    "template": "Template",
    "sound": "Sound",
    "timecode": "Timecode",
    "places": "Places",
    "structure": "Structure",
}


class PathView(QWidget):
    """One template. Everything shown follows the document; every edit goes through it."""

    clips_dropped = Signal(list)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.sheet_id = "working"
        self._watched: Document | None = None
        self._empty = label("Nothing is open. Choose a template in the Library, or make one there.", "dust")
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._build()
        self.first_focus = self.strip
        desk.opened.connect(self._opened)
        desk.line_changed.connect(self.refresh)
        self._opened()

    # -- what it is made of ----------------------------------------------------------------------------

    def _build(self) -> None:
        self._title, self._about = OneLine("title"), OneLine("dust")
        self.save_button = button("Save revision", self.ask_save, tip="Ctrl+S")
        self.job_button = button("Start a job", self._start_job, main=True, tip="Ctrl+J")
        self.changes_button = button("", self._show_changes, quiet=True)
        acts = (self.changes_button, self.save_button, self.job_button)
        head = page_head(self._title, self._about, *acts)
        self.ask = AskBar()
        self.strip = Strip()
        self.sheet, self.structure = Sheet(), Structure()
        self._sheets = QStackedWidget()
        self._sheets.addWidget(self.sheet)
        self._sheets.addWidget(self.structure)
        self.evidence, self.findings = Evidence(), Findings()
        left = QWidget()
        on(left, "ground")
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._sheet_tabs())
        column.addLayout(self._sheet_head())
        column.addWidget(self._sheets, 1)
        self.middle = QSplitter(Qt.Orientation.Horizontal)
        self.middle.setObjectName("path-middle")
        self.middle.addWidget(left)
        self.middle.addWidget(self.evidence)
        self.middle.setSizes([theme.px(560), theme.px(720)])
        self.middle.setChildrenCollapsible(False)
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.halves.setObjectName("path-halves")
        self.halves.addWidget(self.middle)
        self.halves.addWidget(self.findings)
        self.halves.setSizes([theme.px(330), theme.px(150)])
        self.halves.setChildrenCollapsible(False)
        self._full = QWidget()
        whole = QVBoxLayout(self._full)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(head)
        whole.addWidget(self.ask)
        whole.addWidget(self.strip)
        whole.addWidget(self.halves, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._empty)
        outer.addWidget(self._full)
        self.strip.chosen.connect(self.choose)
        self.strip.clips_dropped.connect(self.clips_dropped)
        self.strip.source_wanted.connect(self.add_source)
        self.strip.delivery_wanted.connect(self.add_delivery)
        self.sheet.typed.connect(self._typed)
        self.sheet.put_back.connect(self._put_back)
        self.structure.edited.connect(self._structure_edited)
        self.findings.cured.connect(self.cure)
        self.findings.shown.connect(self.choose)

    def _sheet_tabs(self) -> QHBoxLayout:
        row = QHBoxLayout()
        sized(row).setContentsMargins(9, 4, 8, 0)
        row.setSpacing(0)
        self._tabs = QButtonGroup(self)
        self._tabs.setExclusive(False)
        self.tabs: dict[str, QPushButton] = {}
        for ident, name in {"station": "Chosen station", **SHEETS}.items():
            tab = QPushButton(name)
            tab.setCheckable(True)
            tab.setProperty("quiet", "true")
            tab.clicked.connect(
                lambda _on, ident=ident: self.choose(self.strip.selected if ident == "station" else ident)
            )
            row.addWidget(tab)
            self.tabs[ident] = tab
        row.addStretch(1)
        return row

    def _sheet_head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        sized(row).setContentsMargins(16, 6, 10, 2)
        self._sheet_title, self._sheet_note = label(role="head"), label(role="dust")
        self.remove_button = button("Remove", self._remove_station, quiet=True)
        self.prove_button = button(
            "Test on pictures", lambda: self.desk.proof_wanted.emit(self.sheet_id, None), quiet=True,
            tip="see this link's conversion on real pictures, method beside method",
        )  # fmt: skip
        self.add_button = button("", self._add, quiet=True)
        row.addWidget(self._sheet_title)
        row.addStretch(1)
        row.addWidget(self._sheet_note)
        row.addWidget(self.prove_button)
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        return row

    # -- showing ---------------------------------------------------------------------------------------

    def _opened(self) -> None:
        if self._watched is not None:
            self._watched.changed.disconnect(self.refresh)
        document = self._watched = self.desk.document
        self._empty.setVisible(document is None)
        self._full.setVisible(document is not None)
        self.ask.hide()
        if document is not None:
            document.changed.connect(self.refresh)
            self.sheet_id = "working"
            self.strip.show_evaluation(document.evaluation, "working")
            self.refresh()

    def refresh(self) -> None:
        """Show the document as it is now."""
        document = self.desk.document
        if document is None:
            return
        evaluation, template = document.evaluation, document.template
        ids = [station.id for station in evaluation.stations]
        if self.strip.selected not in ids:
            self.strip.show_evaluation(evaluation, "working")
        else:
            self.strip.show_evaluation(evaluation)
        if self.sheet_id not in SHEETS and self.sheet_id not in ids:
            self.sheet_id = "working"
        self._title.setText(template.name)
        changed = document.changes()
        if document.base is None:
            about = "not saved yet"
        else:
            about = _standing(document)
        others = self.desk.also_here()
        also = f" · {' and '.join(others)} {'is' if len(others) == 1 else 'are'} editing this" if others else ""
        self._about.setText(f"{about} · {template.territory}{also}")
        count = len(changed)
        self.changes_button.setText(
            f"{count} change{'s' if count != 1 else ''} since revision {document.base.revision.number}"
            if document.base
            else ""
        )
        self.changes_button.setVisible(bool(changed))
        self.save_button.setEnabled(document.dirty)
        self.save_button.setText("Save draft" if document.base and document.base.shelf == "house" else "Save revision")
        self.job_button.setToolTip("Jobs start from saved revisions" if document.dirty else "Ctrl+J")
        self.findings.show_evaluation(evaluation)
        self.evidence.show_evaluation(evaluation, self.strip.selected)
        self._show_sheet()

    def _show_sheet(self) -> None:
        document = self.desk.document
        if document is None:
            return
        for ident, tab in self.tabs.items():
            tab.setChecked(ident == (self.sheet_id if self.sheet_id in SHEETS else "station"))
        self._sheet_title.setText(self._sheet_name())
        locked = "† locked once a job has a timeline" if self.sheet_id == "working" else ""
        self._sheet_note.setText(locked)
        self.prove_button.setVisible(self._has_something_to_prove())
        self.remove_button.setVisible(
            self.sheet_id.startswith(("source:", "delivery:")) or self.sheet_id in ("monitor", "proxy")
        )
        adds = {"places": "+ place"}
        if self.sheet_id == "intermediate" and document.template.proxy is None:
            adds["intermediate"] = "+ proxy"
        if self.sheet_id == "working" and document.template.monitor is None:
            adds["working"] = "+ monitor"
        self.add_button.setText(adds.get(self.sheet_id, ""))
        self.add_button.setVisible(self.sheet_id in adds)
        if self.sheet_id == "structure":
            self._sheets.setCurrentWidget(self.structure)
            self.structure.show_template(document.template)
            return
        self._sheets.setCurrentWidget(self.sheet)
        settings = settings_on(document.template, self.sheet_id)
        before: dict[tuple[str, str], str] = {}
        if document.base is not None and document.dirty:
            before = {(s.place, s.label): s.text for s in settings_on(document.base.template, self.sheet_id)}
        self.sheet.show_settings(settings, before)

    def _has_something_to_prove(self) -> bool:
        document = self.desk.document
        if document is None or self.sheet_id in SHEETS or self.sheet_id == "working":
            return False
        link = document.evaluation.link_of(self.sheet_id)
        if link is None:
            return False
        source, target = (document.evaluation.station(each).format for each in (link.source, link.target))
        return bool(questions(source, target, link.policy))

    def _sheet_name(self) -> str:
        document = self.desk.document
        assert document is not None
        if self.sheet_id in SHEETS:
            return SHEETS[self.sheet_id]
        station = document.evaluation.station(self.sheet_id)
        kinds = {"working": "Working picture", "intermediate": "Intermediate", "proxy": "Proxy", "monitor": "Monitor"}
        return kinds.get(station.kind, f"{station.kind.capitalize()}: {station.name}")

    def choose(self, ident: str) -> None:
        """Show the sheet of a station, or one of the others."""
        document = self.desk.document
        if document is None:
            return
        if ident in {station.id for station in document.evaluation.stations}:
            self.sheet_id = ident
            if self.strip.selected != ident:
                self.strip.show_evaluation(document.evaluation, ident)
            self.evidence.show_evaluation(document.evaluation, ident)
        elif ident in SHEETS:
            self.sheet_id = ident
        self._show_sheet()

    def show_setting(self, setting: Setting) -> None:
        """Bring one setting into sight with the keyboard on it."""
        self.choose(setting.sheet)
        self.sheet.focus(setting.place)

    # -- editing ---------------------------------------------------------------------------------------

    def _typed(self, setting: Setting, text: str) -> None:
        document = self.desk.document
        if document is None:
            return
        try:
            document.apply(f"Change {label_of(document.template, setting.place)}", *setting.edits(text))
        except QuarryError as error:
            row = self.sheet.row(setting.place, setting.label)
            if row is not None:
                row.refuse(error)

    def _edit(self, text: str, *edits: Edit) -> bool:
        document = self.desk.document
        if document is None:
            return False
        try:
            document.apply(text, *edits)
        except QuarryError as error:
            self.desk.refuse(error)
            return False
        return True

    def _structure_edited(self, text: str, edits: list[Edit]) -> None:
        if not edits:
            self.desk.say(text[:1].upper() + text[1:] + ".", refusal=True)
        elif not self._edit(text, *edits) and self.desk.document is not None:
            self.structure._refill()

    def cure(self, finding: Finding) -> None:
        """Carry out a finding's remedy as one step that can be undone."""
        if finding.remedy is not None and self._edit(finding.remedy.label, *finding.remedy.edits):
            self.desk.say(f"{finding.remedy.label}: done.", action=("Undo", self.undo))

    def undo(self) -> None:
        if self.desk.document is not None:
            self.desk.document.undo_stack.undo()

    def redo(self) -> None:
        if self.desk.document is not None:
            self.desk.document.undo_stack.redo()

    def _put_back(self, place: str) -> None:
        document = self.desk.document
        if document is None:
            return
        change = next(
            (
                c
                for c in document.changes()
                if c.place == place or place.startswith(c.place + ".") or c.place.startswith(place + ".")
            ),
            None,
        )
        if change is None:
            return
        try:
            document.replace(put_back(document.template, change), f"Put back {label_of(document.template, place)}")
        except QuarryError as error:
            self.desk.refuse(error)

    def _show_changes(self) -> None:
        document = self.desk.document
        if document is None or document.base is None:
            return
        menu = QMenu(self)
        for change in document.changes():
            where = document.template if change.after is not None else document.base.template
            text = f"Put back {label_of(where, change.place)}{_was(change.before)}"
            action = menu.addAction(text)
            action.triggered.connect(
                lambda _on, change=change, text=text: document.replace(put_back(document.template, change), text)
            )
        menu.addSeparator()
        base = document.base.template
        menu.addAction("Put back everything").triggered.connect(lambda: document.replace(base, "Put back everything"))
        menu.exec(self.changes_button.mapToGlobal(self.changes_button.rect().bottomLeft()))

    # -- stations come and go --------------------------------------------------------------------------

    def add_source(self) -> None:
        """Add a source in the working format, ready to be changed."""
        document = self.desk.document
        if document is None:
            return
        template = document.template
        ident = slug("source", {s.id for s in template.sources})
        *shares, own = with_another([s.share for s in template.sources])
        source = Source(id=ident, name=f"Source {len(shares) + 1}", format=template.working.format, share=own)
        others = [Edit(f"sources.{s.id}.share", share) for s, share in zip(template.sources, shares, strict=True)]
        if self._edit("Add source", Edit(f"sources.{ident}", source), *others):
            self.choose(f"source:{ident}")
            self.sheet.focus(f"sources.{ident}.format")

    def add_delivery(self) -> None:
        """Offer the standard deliveries and add the one that is taken."""
        menu = QMenu(self)
        for each in deliveries().values():
            action = menu.addAction(f"{each.name}  ·  {format_words(each.signal)}")
            action.triggered.connect(lambda _on, ident=each.id: self.add_standard_delivery(ident))
        corner = self.strip.mapToGlobal(self.strip.rect().topRight())
        menu.exec(corner - QPoint(menu.sizeHint().width(), -theme.px(26)))

    def add_standard_delivery(self, standard: str) -> None:
        """Add a standard delivery at the end of the path."""
        document = self.desk.document
        if document is None:
            return
        template = document.template
        ident = slug(standard, {d.id for d in template.deliveries})
        made = delivered(standard, ident=ident, rate_of=template.working.format)
        if self._edit("Add delivery", Edit(f"deliveries.{ident}", made)):
            self.choose(f"delivery:{ident}")

    def _remove_station(self) -> None:
        kind, _, ident = self.sheet_id.partition(":")
        place = {"source": f"sources.{ident}", "delivery": f"deliveries.{ident}"}.get(kind, kind)
        if self._edit(f"Remove {kind}", Edit(place, None)):
            self.choose("working")

    def _add(self) -> None:
        document = self.desk.document
        if document is None:
            return
        if self.sheet_id == "places":
            ident = slug("place", {p.id for p in document.template.places})
            self._edit("Add place", Edit(f"places.{ident}", Place(id=ident, name="New place", purpose="work")))
        elif self.sheet_id == "intermediate":
            self._edit("Add proxy", Edit("proxy", Proxy()))
            self.choose("proxy")
        elif self.sheet_id == "working":
            self._edit("Add monitor", Edit("monitor", monitor_for(document.template.working.format)))
            self.choose("monitor")

    # -- saving ----------------------------------------------------------------------------------------

    def ask_save(self) -> None:
        """Ask for a note and save a draft."""
        document = self.desk.document
        if document is None or not document.dirty:
            return

        def accept(shelf: str, note: str) -> str | None:
            try:
                saved = self.desk.save(note, shelf)
            except QuarryError as error:
                return str(error)
            self._say_saved(saved)
            return None

        own, house = partial(accept, "own"), partial(accept, "house")
        if document.base is None:  # which shelf is asked once, when nothing stands on any
            self.ask.ask_text("What is it for?", "", "Save on own shelf", own, otherwise=("Save on house shelf", house))
        else:
            self.ask.ask_text("What has changed?", "", "Save revision", own)

    def _say_saved(self, saved: Revision) -> None:
        """Say what was saved and offer what comes next: a merge where somebody else's draft lies beside it, a review."""
        library, base = self.desk.library, self.desk.document.base if self.desk.document else None
        others = [each for each in library.open_drafts(saved.template_id) if each.number != saved.number]
        if base is None or base.shelf == "own":
            self.desk.say(f"Saved as revision {saved.number}.")
        elif self.desk.unsent():
            self.desk.say(f"Saved as revision {saved.number}, a draft, kept here until the server is back.")
        elif others:
            other = others[0]
            self.desk.say(
                f"Saved as revision {saved.number}. {other.author} has a draft of it too, revision {other.number}: both are kept.",
                action=(
                    "Merge them",
                    lambda: self.desk.merge_wanted.emit(saved.template_id, other.number, saved.number),
                ),
            )
        else:
            self.desk.say(
                f"Saved as revision {saved.number}, a draft.",
                action=("Send to review", lambda: self._propose(saved)),
            )

    def _propose(self, saved: Revision) -> None:
        try:
            self.desk.library.review(saved.template_id, saved.number, "propose", saved.note)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.shelves_changed.emit()
        self.desk.say(f"Revision {saved.number} is in review: another person approves it.")

    def _start_job(self) -> None:
        document = self.desk.document
        if document is None:
            return
        if document.dirty:
            self.desk.say(
                "Jobs start from saved revisions: save this one first.",
                refusal=True,
                action=("Save revision", self.ask_save),
            )
            return
        self.desk.job_wanted.emit(document.base)

    def export_to(self, path: Path) -> None:
        """Write the open template as a file."""
        from idle_quarry.library.bundles import origin_of
        from idle_quarry.library.exchange import export_file

        document = self.desk.document
        if document is None:
            return
        origin = origin_of(document.base) if document.base else {}
        try:
            export_file(document.template, path, origin)
        except QuarryError as error:
            self.desk.refuse(error)
        else:
            self.desk.say(f"Exported to {path.name}.")


def _standing(document: Document) -> str:
    """Return where the open template stands: its shelf, its revision, and what an edit of it is."""
    assert document.base is not None
    revision = document.base.revision
    if document.base.shelf == "own":
        return f"Own shelf · revision {revision.number}"
    if document.dirty:
        return f"House shelf · a draft, begun from revision {revision.number} ({revision.state})"
    kept = {
        "approved": "approved, read-only: an edit begins a draft",
        "in review": "in review: an edit begins a draft beside it",
        "withdrawn": "withdrawn",
    }
    return f"House shelf · revision {revision.number} by {revision.author}, {kept.get(revision.state, revision.state)}"


def _was(value: object) -> str:
    text = format_words(value) if hasattr(value, "encoding") else str(value)  # type: ignore[arg-type]
    return f" (was {text})" if isinstance(value, str | int | float | bool) and len(text) < 40 else ""
