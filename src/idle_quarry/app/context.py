"""What every part of the window needs: the library, preferences, workers, and a way to say something."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.compiler import Compiler
from idle_quarry.app.background.workers import Workers
from idle_quarry.app.preferences import Preferences
from idle_quarry.compiling import ahead
from idle_quarry.errors import QuarryError
from idle_quarry.library import FileLibrary
from idle_quarry.path.template import Template
from idle_quarry.places import DEMO, library_place

T = TypeVar("T")


class AppContext(QObject):
    """The library and the person's preferences, with workers.

    `said` carries a sentence, whether it refuses, and what to click.
    """

    shelves_changed = Signal()
    jobs_changed = Signal()
    message = Signal(str, bool, object)
    #: A view is to come to the front.
    view_wanted = Signal(str)
    #: A write to a server began or ended.
    writing_changed = Signal()

    def __init__(self, library: FileLibrary, preferences: Preferences) -> None:
        super().__init__()
        self.library = library
        self.preferences = preferences
        self.workers = Workers()
        self.compiler = Compiler()
        self.workers.at_rest.append(ahead.let_go_of_compiler)
        self.writing = 0  #: how many writes a server has not answered yet

    def say(self, text: str, *, refusal: bool = False, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Have the window say a sentence; `action` is a word to click and what it does."""
        self.message.emit(text, refusal, action)

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
        library = self.library
        if not library.at_hand:
            try:
                value = work(library)
            except QuarryError as error:
                refused(error)
                return
            done(value)
            return

        def wrote(value: T) -> None:
            self.end_writing()
            done(value)

        def failed(error: QuarryError) -> None:
            self.end_writing()
            refused(error)

        self.begin_writing()
        self.workers.start(lambda _ticket: work(library), wrote, failed)

    def begin_writing(self) -> None:
        self.writing += 1
        self.writing_changed.emit()

    def end_writing(self) -> None:
        self.writing -= 1
        self.writing_changed.emit()

    # -- folders ---------------------------------------------------------------------------------------------
    def jobs_folder(self, template: Template | None = None) -> str:
        """Return where a job is put: where the last was, else where the profile or the template keeps work.

        Else nothing.
        """
        folders = [self.preferences.jobs_folder, self.preferences.work_folder]
        folders += [place.path for place in template.places if place.purpose == "work"] if template is not None else []
        return next((name for name in folders if name and Path(name).is_dir()), "")

    def clips_folder(self) -> Path:
        """Return where clips are looked for first: where they were found last, in the demo where its own lie."""
        folder = self.preferences.clips_folder
        if folder and Path(folder).is_dir():
            return Path(folder)
        return self.demo_clips() or Path.home()

    def demo_clips(self) -> Path | None:
        """Return the folder of the demo's clips where this library is the demo's."""
        place = self.library.place
        folder = place.parent / "clips"
        return folder if place == library_place(DEMO) and folder.is_dir() else None
