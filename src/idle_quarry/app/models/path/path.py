"""The open template as it is worked on: which sheet is shown, what stands where in words, every edit."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import MergeDrafts, ProveLink, ShowOutput, StartJob
from idle_quarry.app.documents.document import Document, known
from idle_quarry.app.models.path.folders_and_tracks import Structure
from idle_quarry.app.models.path.standing import standing, was
from idle_quarry.app.models.path.stations import Stations
from idle_quarry.app.questions import Answered, Question
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision
from idle_quarry.path.changes.edits import Change, put_back
from idle_quarry.path.comparing import questions
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.settings import SHEET_NAMES, Setting, label_of, settings_of, settings_on, sheet_name
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import pulled_reading

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: Sheets that belong to no station, in the order they are thought of.
#: The sheets that belong to no station, by what they are called.
SHEETS = {name: SHEET_NAMES[name] for name in ("template", "sound", "timecode", "recording", "places")} | {
    "structure": "Structure"
}


class PathModel(QObject):
    """`changed`: the document is another, or was edited.

    `sheet_changed`: another sheet is shown; `asked`: a question is to be put in place; `focus_wanted`: a setting is to
    have the keyboard.
    """

    changed = Signal()
    sheet_changed = Signal()
    asked = Signal(object)
    focus_wanted = Signal(str)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.sheet = "working"
        self.station = "working"  #: the station chosen on the strip
        self.structure = Structure(door)
        self.stations = Stations(self)
        self._followed: Document | None = None
        door.documents.opened.connect(self._opened)
        door.documents.edited.connect(self._edited)

    @property
    def document(self) -> Document | None:
        return self.door.document

    def _opened(self) -> None:
        document = self.document
        if document is not self._followed:
            self._followed = document
            self.sheet = self.station = "working"
        self.structure.show_template()
        self.changed.emit()

    def _edited(self) -> None:
        ids = self._ids()
        if self.station not in ids:
            self.station = "working"
        if self.sheet not in SHEETS and self.sheet not in ids:
            self.sheet = "working"
        self.structure.show_template()
        self.changed.emit()

    def _ids(self) -> set[str]:
        return {station.id for station in self.document.seen.stations} if self.document is not None else set()

    # -- what is shown -------------------------------------------------------------------------------------

    def choose(self, ident: str) -> None:
        """Show the sheet of a station, or one of the others."""
        if ident in self._ids():
            self.sheet = self.station = ident
        elif ident in SHEETS:
            self.sheet = ident
        else:
            return
        self.sheet_changed.emit()

    def show_setting(self, setting: Setting) -> None:
        """Bring one setting into sight with the keyboard on it."""
        self.choose(setting.sheet)
        self.focus_wanted.emit(setting.place)

    def go_to(self, place: str) -> None:
        """Bring the setting at a place into sight, where the open template has it."""
        document = self.document
        settings = settings_of(document.template) if document is not None else []
        setting = next((setting for setting in settings if setting.place == place), None)
        if setting is not None:
            self.door.view_wanted.emit("Path")
            self.show_setting(setting)

    def settings(self) -> list[Setting]:
        """Return the settings of the sheet that is shown."""
        return (
            settings_on(self.document.template, self.sheet, self.door.house.value) if self.document is not None else []
        )

    def before(self) -> dict[tuple[str, str], str]:
        """Return the texts of this sheet's settings at the revision it was begun from, by place and label."""
        document = self.document
        if document is None or document.base is None or not document.dirty:
            return {}
        return {
            (s.place, s.label): s.text for s in settings_on(document.base.template, self.sheet, self.door.house.value)
        }

    def has_something_to_prove(self) -> bool:
        """Return whether the link of this sheet's station converts pictures in a way that could be another."""
        document = self.document
        if document is None or self.sheet in SHEETS or self.sheet == "working":
            return False
        link = document.seen.link_of(self.sheet)
        if link is None:
            return False
        source, target = (document.seen.station(name).format for name in (link.source, link.target))
        return bool(questions(source, target, link.policy))

    # -- in words --------------------------------------------------------------------------------------------

    def about_words(self) -> str:
        """Return where the open template stands, for whom, and who else works on it."""
        document = self.document
        if document is None:
            return ""
        others = self.door.server.also_here()
        also = f" · {' and '.join(others)} {'is' if len(others) == 1 else 'are'} editing this" if others else ""
        return f"{standing(document)} · {document.template.territory}{also}"

    def changes_words(self) -> str:
        """Return how much was changed since the revision it was begun from, "" for nothing."""
        document = self.document
        count = len(document.changes()) if document is not None else 0
        if document is None or document.base is None or not count:
            return ""
        return f"{counted(count, 'change')} since revision {document.base.revision.number}"

    def save_words(self) -> str:
        """Return what saving makes."""
        document = self.document
        house = document is not None and document.base is not None and document.base.shelf == "house"
        return "Save draft" if house else "Save revision"

    def sheet_name(self) -> str:
        """Return the heading of the sheet."""
        if self.sheet in SHEETS or self.document is None:
            return SHEETS.get(self.sheet, "")
        return sheet_name(self.document.template, self.sheet)

    # -- editing -----------------------------------------------------------------------------------------------

    def type(self, setting: Setting, text: str) -> QuarryError | None:
        """Put typed text into a setting; return why it is refused, None where it is taken."""
        document = self.document
        if document is None:
            return None
        try:
            edits = setting.edits(text)
            document.apply(f"Change {label_of(document.template, setting.place)}", *edits)
        except QuarryError as error:
            return error
        read = pulled_reading(text, edits[0].value) if isinstance(edits[0].value, SignalFormat) else ""
        if read:
            self.door.say(read, action=("Undo", document.undo_stack.undo))
        return None

    def cure(self, finding: Finding) -> None:
        """Carry out a finding's remedy as one step that can be undone."""
        remedy = finding.remedy
        if self.document is not None:  # what is shown may be a moment old: only a remedy that helps now is carried out
            now = (item.remedy for item in self.document.evaluation.findings if known(item) == known(finding))
            remedy = next(now, None)
        if remedy is not None:
            self.door.edit(remedy.label, *remedy.edits, words=f"{remedy.label}: done.")

    def put_back(self, place: str) -> None:
        """Put a setting back to what it was at the revision it was begun from."""
        document = self.document
        changes = document.changes() if document is not None else []
        result = (
            change
            for change in changes
            if change.place == place or place.startswith(f"{change.place}.") or change.place.startswith(f"{place}.")
        )
        change = next(result, None)
        if document is not None and change is not None:
            self._put_back(document, change, f"Put back {label_of(document.template, place)}")

    def _put_back(self, document: Document, change: Change, text: str) -> None:
        try:
            document.replace(put_back(document.template, change), text)
        except QuarryError as error:
            self.door.refuse(error)

    def changes(self) -> list[tuple[str, Callable[[], object] | None]]:
        """Return each change since the revision in words, with what puts it back; the last puts back everything."""
        document = self.document
        if document is None or document.base is None:
            return []
        base = document.base.template
        results: list[tuple[str, Callable[[], object] | None]] = []
        for change in document.changes():
            where = document.template if change.after is not None else base
            text = f"Put back {label_of(where, change.place)}{was(change.before)}"
            results.append((text, partial(self._put_back, document, change, text)))
        everything = "Put back everything"
        return [*results, ("", None), (everything, partial(document.replace, base, everything))]

    # -- saving, and what comes next ---------------------------------------------------------------------------

    def ask_save(self) -> None:
        """Ask for a note and save: on which shelf is asked once, when nothing stands on any."""
        document = self.document
        if document is None or not document.dirty:
            return

        def accept(shelf: str, note: str, answered: Answered) -> None:
            self.door.acts.save(document, note, shelf, self._say_saved, answered)

        own, house = partial(accept, "own"), partial(accept, "house")
        if document.base is None:
            question = Question("What is it for?", "Save on own shelf", own, otherwise=("Save on house shelf", house))
        else:
            question = Question("What has changed?", "Save revision", own)
        self.asked.emit(question)

    def _say_saved(self, saved: Revision) -> None:
        """Say what was saved and offer what comes next: a merge where somebody else's draft lies beside it, a
        review.
        """
        door, base = self.door, self.document.base if self.document else None
        name = base.name if base is not None else "The template"
        drafts = door.read(lambda library: library.open_drafts(saved.template_id)) or []
        others = [draft for draft in drafts if draft.number != saved.number]
        if base is None or base.shelf == "own":
            door.say(f"{name} is saved as revision {saved.number}.")
        elif door.server.unsent():
            door.say(f"{name} is saved as revision {saved.number}, a draft, kept here until the server is back.")
        elif others:
            other = others[0]
            door.say(
                f"{name} is saved as revision {saved.number}. {other.author} has a draft of it too, revision"
                f" {other.number}: both are kept.",
                action=("Merge them", partial(self._merge, saved.template_id, other.number, saved.number)),
            )
        else:
            door.say(
                f"{name} is saved as revision {saved.number}, a draft.",
                action=("Send to review", partial(self._propose, saved, name)),
            )

    def _merge(self, template_id: str, a: int, b: int) -> None:
        self.door.go(MergeDrafts(template_id, a, b))

    def _propose(self, saved: Revision, name: str) -> None:
        text = f"{name}, revision {saved.number}, is in review: another person approves it."
        self.door.acts.review("", saved, "propose", saved.note, words=text)

    def start_job(self) -> None:
        """Show the page that starts a job from the open template; it must be saved first."""
        document = self.document
        if document is None:
            return
        if document.dirty or document.base is None:
            self.door.say(
                "Jobs start from saved revisions: save this one first.",
                refusal=True,
                action=("Save revision", self.ask_save),
            )
            return
        self.door.go(StartJob(document.base))

    def line_up(self) -> None:
        """Go to what the monitoring output sends."""
        self.door.go(ShowOutput())

    def prove(self) -> None:
        """Put the link of this sheet's station on the bench."""
        self.door.go(ProveLink(self.sheet, None))
