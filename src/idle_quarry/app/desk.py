"""The desk: the library, the person, what is open, and what the views tell one another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, Signal

from idle_quarry.app.document import Document
from idle_quarry.app.drafts import Draft, Drafts
from idle_quarry.app.following import FileFollower
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.work import Workers
from idle_quarry.errors import LibraryError, QuarryError
from idle_quarry.library import FileLibrary, Revision, Stored, Summary
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.template import Template
from idle_quarry.places import DEMO, library_place
from idle_quarry.proof.disks import disk_speeds

if TYPE_CHECKING:  # the server's part is read only where a library is on one
    from idle_quarry.library.server.line import Line, News
    from idle_quarry.library.server.outbox import Waiting


def demo_clips(library: Path) -> Path | None:
    """Return the folder of the demo's clips where a library is the demo's."""
    if library != library_place(DEMO):
        return None
    folder = library.parent / "clips"
    return folder if folder.is_dir() else None


class Desk(QObject):
    """Handed to every view when it is made. Views change the library and the document only through it."""

    opened = Signal()
    shelves_changed = Signal()
    jobs_changed = Signal()
    view_wanted = Signal(str)
    job_wanted = Signal(object)
    #: A station whose link is to be proved, and the clip to see it on (None for what is there).
    proof_wanted = Signal(str, object)
    #: Clips, or folders of them, that are to be looked at in Intake.
    clips_wanted = Signal(list)
    #: A template and two of its drafts that are to be made one.
    merge_wanted = Signal(str, int, int)
    #: A finding of the open template that is to be cured.
    cure_wanted = Signal(object)
    said = Signal(str, bool, object)
    #: The line to a server stands, broke, or somebody opened or left a template.
    line_changed = Signal()
    _news = Signal(object)

    def __init__(self, library: FileLibrary, preferences: Preferences) -> None:
        super().__init__()
        self.library = library
        self.preferences = preferences
        self.workers = Workers()
        self.drafts = Drafts(library.place, library.person)
        self.disk_speeds = disk_speeds()
        self.document: Document | None = None
        self.line: Line | None = None
        self._line_broke = ""
        self._news.connect(self._heard, Qt.ConnectionType.QueuedConnection)
        self._hold_line()
        self._follower = None if library.at_hand else FileFollower(library.place, self._others_saved)
        self._held: dict[str, Document] = {}
        self._stored: Callable[[str, int, str], Stored] = lru_cache(maxsize=256)(
            lambda template_id, number, _hash: self.library.stored(template_id, number)
        )
        self._evaluated: Callable[[str, int, str], Evaluation] = lru_cache(maxsize=512)(
            lambda template_id, number, hash_: evaluate(self._stored(template_id, number, hash_).template)
        )

    def look_at_file(self) -> None:
        """Look, off the interface thread, whether the library's file is whole; say so where it is not."""
        from idle_quarry.library.safety import torn

        place = self.library.place

        def done(wrong: str) -> None:
            if wrong:
                self.say(
                    f"The library's file is damaged: {wrong}. Put back a copy ('library restore'), or rescue what is sound "
                    "('library rescue'), before more is saved in it.",
                    refusal=True,
                )

        self.workers.start(lambda _ticket: torn(place), done, self.refuse)

    # -- the server ------------------------------------------------------------------------------------

    def _hold_line(self) -> None:
        """Listen to the server, where the library is on one; the line comes back by itself when it was cut."""
        if self.library.at_hand:
            from idle_quarry.library.server.line import Line

            self.line = Line(self.library, self._news.emit)  # type: ignore[arg-type]

    def _heard(self, news: News) -> None:
        if news.joined:
            if self._line_broke:
                self._say_back()
            self._line_broke = ""
            if news.changed:
                self._follow_numbers()
                self.shelves_changed.emit()
                self.jobs_changed.emit()
        elif self._line_broke != news.why:
            self._line_broke = news.why
            self.say(f"{news.why}. What was read so far stays; drafts and jobs go on and are sent when it is back.")
        self.line_changed.emit()

    def _say_back(self) -> None:
        refused = [one for one in self.unsent() if one.trouble]
        if refused:
            self.say(
                f"The server is back, but would not take {len(refused)} of what was saved: {refused[0].trouble}",
                refusal=True,
            )
        else:
            self.say("The server is back, and has everything that was saved here.")

    def unsent(self) -> list[Waiting]:
        """Return what the server has not got yet."""
        return self.library.unsent() if self.library.at_hand else []  # type: ignore[attr-defined]

    def _follow_numbers(self) -> None:
        """A revision saved while the server was away has the server's number now: what is open stands on that one."""
        for document in self._held.values():
            if document.base is None:
                continue
            revision = document.base.revision
            try:
                every = self.library.revisions(revision.template_id)
                here = next(
                    (each for each in every if each.hash == revision.hash and each.author == revision.author), None
                )
                if here is not None and here != revision:
                    document.base = self.library.stored(revision.template_id, here.number)
                    document.changed.emit()
            except LibraryError:
                continue

    def _others_saved(self) -> None:
        """Another program, or another window, wrote into the library's file."""
        self.shelves_changed.emit()
        self.jobs_changed.emit()

    def also_here(self) -> list[str]:
        """Return who else has the open template open, by name; advisory."""
        if self.line is None or self.document is None:
            return []
        return self.line.present(self.document.key)

    def say(self, text: str, *, refusal: bool = False, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Have the window say a sentence."""
        self.said.emit(text, refusal, action)

    def refuse(self, error: QuarryError) -> None:
        self.say(str(error), refusal=True)

    def stored(self, revision: Revision) -> Stored:
        """Return a revision with its body; a revision never changes, so each is read once."""
        return replace(self._stored(revision.template_id, revision.number, revision.hash), revision=revision)

    def evaluation(self, template_id: str, number: int, hash_: str) -> Evaluation:
        """Return a stored revision's evaluation; revisions never change, so each is made once."""
        return self._evaluated(template_id, number, hash_)

    def open_stored(self, template_id: str, number: int | None = None) -> None:
        """Open a template; unsaved work on it is taken up where it was left."""
        try:
            stored = self.library.stored(template_id, number or self._worked_on(template_id))
        except LibraryError as error:
            self.refuse(error)
            return
        held = self._held.get(template_id)
        if held is not None and (number is None or (held.base and held.base.revision.number == number)):
            self._show(held)
            return
        draft = next((d for d in self.drafts.all() if d.key == template_id), None) if number is None else None
        if draft is not None and draft.revision is not None:
            try:
                base = self.library.stored(template_id, draft.revision)
            except LibraryError:
                base = stored
            self._show(self._document(draft.template, base))
            self.say("Unsaved work on this template was kept and is back.", action=("Drop it", self._drop_draft))
            return
        self._show(self._document(stored.template, stored))

    def worked_on(self, summary: Summary) -> int:
        """Return the revision that opening a template opens: one's own open draft, else what is approved, else the newest."""
        own = [each for each in self.library.open_drafts(summary.id) if each.author == self.library.person]
        return own[0].number if own else summary.for_jobs

    def _worked_on(self, template_id: str) -> int:
        return self.worked_on(self.library.summary(template_id))

    def open_new(self, template: Template, key: str | None = None) -> None:
        """Open a template that no shelf has yet."""
        self._show(self._document(template, None, key))
        if self.document is not None:
            self.document._keep()

    def _document(self, template: Template, base: Stored | None, key: str | None = None) -> Document:
        return Document(template, base, self.drafts, self.workers, key, lambda: self.disk_speeds)

    def disks_measured(self) -> None:
        """Take up what disks were measured to play, and have the open template judged by it."""
        self.disk_speeds = disk_speeds()
        for document in self._held.values():
            document.look_again()

    def unfinished(self) -> list[Draft]:
        """Return every draft an earlier run left."""
        return self.drafts.all()

    def _drop_draft(self) -> None:
        if self.document is not None and self.document.base is not None:
            self.document.replace(self.document.base.template, "Drop unsaved work")

    def _show(self, document: Document) -> None:
        self._held[document.key] = document
        self.document = document
        if self.line is not None:
            self.line.works_on(document.key)
        self.opened.emit()
        self.view_wanted.emit("Path")

    def save(self, note: str, shelf: str = "own") -> Revision:
        """Save the open template as a draft made of the revision it began from, or as a new template on a shelf.

        What somebody else saved meanwhile stays beside it. Raises `QuarryError`.
        """
        document = self.document
        if document is None:
            raise LibraryError("nothing is open")
        if document.base is None:
            revision = self.library.save_new(document.template, shelf, note)
        else:
            base = document.base.revision
            revision = self.library.save_revision(base.template_id, document.template, note, parent=base.number)
        old = document.key
        document.became(self.library.stored(revision.template_id, revision.number))
        self._held.pop(old, None)
        self._held[document.key] = document
        self.shelves_changed.emit()
        return revision

    def forget_held(self, template_id: str) -> None:
        """Let go of a document whose template was changed on its shelf."""
        held = self._held.get(template_id)
        if held is not None and not held.dirty:
            del self._held[template_id]
            if self.document is held:
                stored = self.library.stored(template_id, self._worked_on(template_id))
                self.document = self._document(stored.template, stored)
                self._held[template_id] = self.document
                self.opened.emit()

    def change_person(self, name: str) -> None:
        """Let another person work here: unsaved work is kept as its owner's, and nothing stays open."""
        for document in self._held.values():
            document.keep_now()
        self._held.clear()
        self.document = None
        self.library.person = name
        self.drafts = Drafts(self.library.place, name)
        self.opened.emit()
        self.shelves_changed.emit()

    def jobs_folder(self, template: Template | None = None) -> str:
        """Return where a job is put: where the last was, else where the profile or the template keeps work; else nothing."""
        kept = [self.preferences.jobs_folder, self.preferences.work_folder]
        kept += [place.path for place in template.places if place.purpose == "work"] if template is not None else []
        return next((each for each in kept if each and Path(each).is_dir()), "")

    def clips_folder(self) -> Path:
        """Return where clips are looked for first: where they were found last, in the demo where its own lie."""
        kept = self.preferences.clips_folder
        if kept and Path(kept).is_dir():
            return Path(kept)
        return demo_clips(self.library.place) or Path.home()

    def close(self) -> None:
        """Keep unsaved work and let go of everything."""
        for document in self._held.values():
            try:
                document.keep_now()
            except OSError:
                continue
        self.workers.close()
        if self._follower is not None:
            self._follower.close()
        if self.line is not None:
            self.line.close()
        self.library.close()
