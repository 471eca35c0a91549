"""What leaves the library as files: a template, what is shown, a carried shelf, the house book."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from idle_quarry.app.desk import Desk
from idle_quarry.errors import QuarryError
from idle_quarry.library import Search, Stored
from idle_quarry.library.bundles import SUFFIX, added_to, export_bundle, origin_of
from idle_quarry.library.exchange import export_file
from idle_quarry.path.names import cleaned_name


class HandingOver:
    """Asks where to, writes, and says what was written. `chosen` reads the chosen revision, `wanted` the search."""

    def __init__(
        self, parent: QWidget, desk: Desk, chosen: Callable[[], Stored | None], wanted: Callable[[], Search]
    ) -> None:
        self._parent = parent
        self.desk = desk
        self._chosen = chosen
        self._wanted = wanted

    def _name(self) -> str:
        try:
            stored = self._chosen()
        except QuarryError:
            stored = None
        return stored.name if stored is not None else "template"

    def folder(self) -> Path:
        """Return where files were last put."""
        return Path(self.desk.preferences.export_folder or Path.home())

    def export_asked(self) -> None:
        """Ask where to, and write the chosen revision as a file."""
        start = self.folder() / f"{cleaned_name(self._name())}.json"
        name, _kind = QFileDialog.getSaveFileName(self._parent, "Export template", str(start), "Template (*.json)")
        if name:
            self.export_to(Path(name))

    def export_to(self, path: Path) -> None:
        """Write the chosen revision to `path`."""
        try:
            stored = self._chosen()
            if stored is None:
                return
            export_file(stored.template, path, origin_of(stored))
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.preferences.export_folder = str(path.parent)
        self.desk.say(f"{stored.name}, revision {stored.revision.number}, exported to {path.name}.")

    def carry_asked(self) -> None:
        """Ask for a carried shelf, a bundle on a disk that goes between machines, and add the chosen revision to it."""
        start = str(self.folder() / "Shelf.zip")
        name, _kind = QFileDialog.getSaveFileName(
            self._parent, "Carried shelf: a new file, or one that is there", start, "Bundle (*.zip)", options=QFileDialog.Option.DontConfirmOverwrite
        )  # fmt: skip
        if name:
            self.carry_to(Path(name))

    def carry_to(self, path: Path) -> None:
        """Add the chosen revision to a carried shelf."""
        path = path if path.suffix.lower() == SUFFIX else path.with_name(path.name + SUFFIX)
        try:
            stored = self._chosen()
            if stored is None:
                return
            count, replaced = added_to(path, [stored])
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.preferences.export_folder = str(path.parent)
        instead = "; it stands in place of the one of its name that was there" if replaced else ""
        self.desk.say(
            f"{stored.name}, revision {stored.revision.number}, is on {path.name}, which holds {count} now{instead}."
        )

    def shown_stored(self) -> Sequence[Stored]:
        """Return the revisions that jobs would start from, of every template the search shows."""
        library = self.desk.library
        found = []
        for ident in library.identities(self._wanted()):
            found.append(library.stored(ident, library.summary(ident).for_jobs))
        return found

    def export_shown_asked(self) -> None:
        """Ask where to, and write every template that is shown: as a bundle, or as a table of settings."""
        start = self.folder() / "Templates.zip"
        name, _kind = QFileDialog.getSaveFileName(
            self._parent, "Export the templates shown", str(start), "Bundle (*.zip);;Table of settings (*.csv)"
        )
        if name:
            self.export_shown(Path(name))

    def export_shown(self, path: Path) -> None:
        """Write every template that is shown to `path`, off the interface thread."""
        from idle_quarry.library.tables import write_table

        def work(_ticket: object) -> int:
            stored = self.shown_stored()
            if path.suffix.lower() == ".csv":
                write_table(stored, path)
            else:
                export_bundle(stored, path)
            return len(stored)

        self.desk.preferences.export_folder = str(path.parent)
        self.desk.workers.start(
            work, lambda n: self.desk.say(f"{n} templates exported to {path.name}."), self.desk.refuse
        )

    def book_asked(self) -> None:
        """Ask where to, and print the house book: every approved template."""
        start = self.folder() / "House book.pdf"
        name, _kind = QFileDialog.getSaveFileName(self._parent, "House book", str(start), "PDF (*.pdf)")
        if name:
            self.print_book(Path(name))

    def print_book(self, path: Path) -> None:
        """Write the house book to `path`, off the interface thread."""
        from idle_quarry.library.tables import approved_of, write_book
        from idle_quarry.printing import write_pdf

        def work(_ticket: object) -> int:
            return write_book(approved_of(self.desk.library), path, write_pdf)

        self.desk.preferences.export_folder = str(path.parent)
        self.desk.workers.start(
            work,
            lambda n: self.desk.say(
                f"{path.name} holds the {n} approved templates of the house."
                if n != 1
                else f"{path.name} holds the one approved template of the house."
            ),
            self.desk.refuse,
        )
