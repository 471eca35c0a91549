"""The desk: the library, the person, what is open; it owns the models of the views, and is the only door to all of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.acts.library_acts import LibraryActs
from idle_quarry.app.background.compiler import Compiler
from idle_quarry.app.background.file_follower import FileFollower
from idle_quarry.app.background.lazy_model import LazyModel
from idle_quarry.app.background.workers import Workers
from idle_quarry.app.documents.document import Document
from idle_quarry.app.documents.documents import Documents
from idle_quarry.app.house_model import HouseModel
from idle_quarry.app.models.library.shelf import Shelf
from idle_quarry.app.models.path.path import PathModel
from idle_quarry.app.models.people.lending import Lending
from idle_quarry.app.models.people.server import Server
from idle_quarry.app.preferences import Preferences
from idle_quarry.compiling import ahead
from idle_quarry.errors import QuarryError
from idle_quarry.library import FileLibrary, Revision, StoredTemplate
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.template import Template
from idle_quarry.places import DEMO, library_place

if TYPE_CHECKING:  # read when a view of theirs is first opened
    from idle_quarry.app.models.equipment.equipment import Equipment
    from idle_quarry.app.models.help.guide import Guide
    from idle_quarry.app.models.intake.intake import Intake
    from idle_quarry.app.models.jobs.jobs import Jobs
    from idle_quarry.app.models.library.importing import Importing
    from idle_quarry.app.models.library.many import ManyTemplates
    from idle_quarry.app.models.library.merge import Merge
    from idle_quarry.app.models.library.review import Review
    from idle_quarry.app.models.library.standard_set import StandardSet
    from idle_quarry.app.models.line_up.line_up import LineUp
    from idle_quarry.app.models.people.profile import Profile
    from idle_quarry.app.models.proof.proof import Proof

T = TypeVar("T")


class Desk(QObject):
    """What the whole window stands on. Views show the models and forward to them; models ask and act through the desk."""

    shelves_changed = Signal()
    jobs_changed = Signal()
    #: A view is to come to the front.
    view_wanted = Signal(str)
    said = Signal(str, bool, object)
    # the models of views that are opened later
    review: LazyModel[Review] = LazyModel("library.review", "Review")
    merge: LazyModel[Merge] = LazyModel("library.merge", "Merge")
    importing: LazyModel[Importing] = LazyModel("library.importing", "Importing")
    standard_set: LazyModel[StandardSet] = LazyModel("library.standard_set", "StandardSet")
    many: LazyModel[ManyTemplates] = LazyModel("library.many", "ManyTemplates")
    equipment: LazyModel[Equipment] = LazyModel("equipment.equipment", "Equipment")
    guide: LazyModel[Guide] = LazyModel("help.guide", "Guide")
    intake: LazyModel[Intake] = LazyModel("intake.intake", "Intake")
    proof: LazyModel[Proof] = LazyModel("proof.proof", "Proof")
    line_up: LazyModel[LineUp] = LazyModel("line_up.line_up", "LineUp")
    jobs: LazyModel[Jobs] = LazyModel("jobs.jobs", "Jobs")
    profile: LazyModel[Profile] = LazyModel("people.profile", "Profile")

    def __init__(self, library: FileLibrary, preferences: Preferences) -> None:
        super().__init__()
        self.library = library
        self.preferences = preferences
        self.workers = Workers()
        self.compiler = Compiler()
        self.house = HouseModel(self)
        self.documents = Documents(self)
        self.server = Server(self)
        self.lending = Lending(self)
        self._follower = None if library.at_hand else FileFollower(library.place, self._others_saved)
        self._stored: Callable[[str, int, str], StoredTemplate] = lru_cache(maxsize=256)(
            lambda template_id, number, _hash: self.library.stored(template_id, number)
        )
        self._evaluated: Callable[[str, int, str, HouseEntries], Evaluation] = lru_cache(maxsize=512)(
            lambda template_id, number, hash_, house: evaluate(
                self._stored(template_id, number, hash_).template, house=house
            )
        )
        self.acts = LibraryActs(self)
        self.shelf = Shelf(self)
        self.path = PathModel(self)

    # -- saying, reading and writing -----------------------------------------------------------------------

    def say(self, text: str, *, refusal: bool = False, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Have the window say a sentence; `action` is a word to click and what it does."""
        self.said.emit(text, refusal, action)

    def refuse(self, error: QuarryError) -> None:
        self.say(str(error), refusal=True)

    def read(self, work: Callable[[FileLibrary], T]) -> T | None:
        """Read from the library, which lies on this machine; where it refuses, say so and return None."""
        try:
            return work(self.library)
        except QuarryError as error:
            self.refuse(error)
            return None

    def write(
        self, work: Callable[[FileLibrary], T], done: Callable[[T], object], refused: Callable[[QuarryError], object]
    ) -> None:
        """Write to the library: a file at once; a server off the interface thread, which never waits for a network."""
        library, server = self.library, self.server
        if not library.at_hand:
            try:
                value = work(library)
            except QuarryError as error:
                refused(error)
                return
            done(value)
            return

        def wrote(value: T) -> None:
            server.end_writing()
            done(value)

        def failed(error: QuarryError) -> None:
            server.end_writing()
            refused(error)

        server.begin_writing()
        self.workers.start(lambda _ticket: work(library), wrote, failed)

    def edit(self, text: str, *edits: Edit, said: str = "") -> bool:
        """Edit the open template as one step that can be undone; a refusal is said, and nothing has changed then."""
        document = self.document
        if document is None:
            return False
        try:
            document.apply(text, *edits)
        except QuarryError as error:
            self.refuse(error)
            return False
        if said:
            self.say(said, action=("Undo", document.undo_stack.undo))
        return True

    def undo(self) -> None:
        if self.document is not None:
            self.document.undo_stack.undo()

    def redo(self) -> None:
        if self.document is not None:
            self.document.undo_stack.redo()

    # -- what is open and stored -----------------------------------------------------------------------------

    @property
    def document(self) -> Document | None:
        return self.documents.front

    def open_stored(self, template_id: str, number: int | None = None) -> None:
        """Open a template; unsaved work on it is taken up where it was left."""
        self.documents.open_stored(template_id, number)

    def open_new(self, template: Template) -> None:
        """Open a template that no shelf has yet."""
        self.documents.open_new(template)

    def stored(self, revision: Revision) -> StoredTemplate:
        """Return a revision with its body; a revision never changes, so each is read once."""
        return replace(self._stored(revision.template_id, revision.number, revision.hash), revision=revision)

    def evaluation(self, template_id: str, number: int, hash_: str) -> Evaluation:
        """Return a stored revision's evaluation; revisions never change, so each is made once for what the house has now."""
        return self._evaluated(template_id, number, hash_, self.house.value)

    def change_person(self, name: str) -> None:
        """Let another person work here."""
        self.library.call_me(name)
        self.documents.change_person(self.library.person)
        self.shelves_changed.emit()

    def _others_saved(self) -> None:
        """Another program, or another window, wrote into the library's file."""
        self.shelves_changed.emit()
        self.jobs_changed.emit()

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

    # -- folders ---------------------------------------------------------------------------------------------

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
        return self.demo_clips() or Path.home()

    def demo_clips(self) -> Path | None:
        """Return the folder of the demo's clips where this library is the demo's."""
        place = self.library.place
        folder = place.parent / "clips"
        return folder if place == library_place(DEMO) and folder.is_dir() else None

    def close(self) -> None:
        """Keep unsaved work and let go of everything."""
        self.documents.keep_all()
        self.documents.keeping.close()
        if "line_up" in vars(self):
            self.line_up.stop()
        self.compiler.close()
        with ahead.closing():
            self.workers.close()
        if "jobs" in vars(self):
            self.jobs.close()
        if self._follower is not None:
            self._follower.close()
        self.lending.close()
        self.server.close()
        self.library.close()
