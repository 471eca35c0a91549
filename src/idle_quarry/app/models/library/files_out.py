"""What leaves the library as files: a template, what is shown, a carried shelf, the house book."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library import Search, StoredTemplate
from idle_quarry.path.names import cleaned_name

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


class FilesOut(QObject):
    """Writes, and says what was written. `place_asked` wants to know where to: what is written, the name proposed,
    the kinds of file, and what takes the answer.
    """

    place_asked = Signal(str, str, str, object)

    def __init__(self, door: Door, chosen: Callable[[], StoredTemplate | None], wanted: Callable[[], Search]) -> None:
        super().__init__()
        self.door = door
        self._chosen = chosen
        self._wanted = wanted

    def folder(self) -> Path:
        """Return where files were last put."""
        return Path(self.door.preferences.export_folder or Path.home())

    def _put(self, path: Path) -> None:
        self.door.preferences.export_folder = str(path.parent)

    def ask_export(self) -> None:
        """Ask where to, and write the chosen revision as a file."""
        try:
            stored = self._chosen()
        except QuarryError:
            stored = None
        name = cleaned_name(stored.name if stored is not None else "template")
        self.place_asked.emit("Export template", f"{name}.json", "Template (*.json)", self.export_to)

    def export_to(self, path: Path) -> None:
        """Write the chosen revision to `path`."""
        from idle_quarry.library.files.bundles import origin_of
        from idle_quarry.library.files.exchange import export_file

        try:
            stored = self._chosen()
            if stored is None:
                return
            export_file(stored.template, path, origin_of(stored))
        except QuarryError as error:
            self.door.refuse(error)
            return
        self._put(path)
        self.door.say(f"{stored.name}, revision {stored.revision.number}, exported to {path.name}.")

    def ask_carry(self) -> None:
        """Ask for a carried shelf, a bundle on a disk that goes between machines, and add the chosen revision to it."""
        what = "Carried shelf: a new file, or one that is there"
        self.place_asked.emit(what, "Shelf.zip", "Bundle (*.zip)", self.carry_to)

    def carry_to(self, path: Path) -> None:
        """Add the chosen revision to a carried shelf."""
        from idle_quarry.library.files.bundles import SUFFIX, added_to

        path = path if path.suffix.lower() == SUFFIX else path.with_name(path.name + SUFFIX)
        try:
            stored = self._chosen()
            if stored is None:
                return
            count, replaced = added_to(path, [stored])
        except QuarryError as error:
            self.door.refuse(error)
            return
        self._put(path)
        instead = "; it stands in place of the one of its name that was there" if replaced else ""
        self.door.say(
            f"{stored.name}, revision {stored.revision.number}, is on {path.name}, which holds {count} now{instead}."
        )

    def _shown(self) -> Sequence[StoredTemplate]:
        """Return the revisions that jobs would start from, of every template the search shows."""
        library = self.door.library
        return [library.stored(ident, library.summary(ident).for_jobs) for ident in library.identities(self._wanted())]

    def ask_export_shown(self) -> None:
        """Ask where to, and write every template that is shown: as a bundle, or as a table of settings."""
        kinds = "Bundle (*.zip);;Table of settings (*.csv)"
        self.place_asked.emit("Export the templates shown", "Templates.zip", kinds, self.export_shown)

    def export_shown(self, path: Path) -> None:
        """Write every template that is shown to `path`, off the interface thread."""
        from idle_quarry.library.files.bundles import export_bundle
        from idle_quarry.library.files.tables import write_table

        def work(_ticket: object) -> int:
            stored = self._shown()
            if path.suffix.lower() == ".csv":
                write_table(stored, path)
            else:
                export_bundle(stored, path)
            return len(stored)

        self._put(path)
        self.door.workers.start(
            work,
            lambda count: self.door.say(f"{counted(count, 'template')} exported to {path.name}."),
            self.door.refuse,
        )

    def ask_book(self) -> None:
        """Ask where to, and print the house book: every approved template."""
        self.place_asked.emit("House book", "House book.pdf", "PDF (*.pdf)", self.print_book)

    def print_book(self, path: Path) -> None:
        """Write the house book to `path`, off the interface thread."""
        from idle_quarry.library.files.tables import approved_of, write_book
        from idle_quarry.printing import write_pdf

        library = self.door.library

        def report(count: int) -> None:
            held = f"the {count} approved templates" if count != 1 else "the one approved template"
            self.door.say(f"{path.name} holds {held} of the house.")

        self._put(path)
        self.door.workers.start(
            lambda _ticket: write_book(approved_of(library), path, write_pdf), report, self.door.refuse
        )
