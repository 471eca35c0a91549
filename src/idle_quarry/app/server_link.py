"""Where the library stands with its server: who is there, what waits, what is being written, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, Signal

if TYPE_CHECKING:  # the server's part is read only where a library is on one
    from idle_quarry.app.context import AppContext
    from idle_quarry.app.documents.documents import Documents
    from idle_quarry.library.server.connection import LibraryNews, ServerConnection
    from idle_quarry.library.server.outbox import WaitingAct


class ServerLink(QObject):
    """`changed`: the line stands, broke, somebody opened or left a template, or something is being written."""

    changed = Signal()
    _news = Signal(object)

    def __init__(self, context: AppContext, documents: Documents) -> None:
        super().__init__()
        self._context, self._documents = context, documents
        self.line: ServerConnection | None = None
        self._broke = ""
        self._news.connect(self._heard, Qt.ConnectionType.QueuedConnection)
        context.writing_changed.connect(self.changed)
        if context.library.at_hand:
            from idle_quarry.library.server.connection import ServerConnection

            self.line = ServerConnection(context.library, self._news.emit)  # type: ignore[arg-type]
            documents.opened.connect(self._tell_what_is_open)

    def close(self) -> None:
        if self.line is not None:
            self.line.close()

    def _tell_what_is_open(self) -> None:
        document = self._documents.front
        if self.line is not None and document is not None:
            self.line.works_on(document.key)

    def also_here(self) -> list[str]:
        """Return who else has the open template open, by name; advisory."""
        document = self._documents.front
        return self.line.present(document.key) if self.line is not None and document is not None else []

    def unsent(self) -> list[WaitingAct]:
        """Return what the server has not got yet."""
        library = self._context.library
        return library.unsent() if library.at_hand else []  # type: ignore[attr-defined]

    def _heard(self, news: LibraryNews) -> None:
        context = self._context
        if news.joined:
            if self._broke:
                self._say_back()
            self._broke = ""
            if news.changed:
                self._documents.follow_numbers()
                context.shelves_changed.emit()
                context.jobs_changed.emit()
        elif self._broke != news.why:
            self._broke = news.why
            context.say(f"{news.why}. What was read so far stays; drafts and jobs go on and are sent when it is back.")
        self.changed.emit()

    def _say_back(self) -> None:
        refused = [act for act in self.unsent() if act.trouble]
        if refused:
            self._context.say(
                f"The server is back, but would not take {len(refused)} of what was saved: {refused[0].trouble}",
                refusal=True,
            )
        else:
            self._context.say("The server is back, and has everything that was saved here.")

    # -- in words ----------------------------------------------------------------------------------------

    @property
    def away(self) -> bool:
        return bool(self._context.library.at_hand and self._context.library.away)  # type: ignore[attr-defined]

    def place_words(self) -> str:
        """Return which library this is, and how it stands: "larkmoor · away from the server, 1 waiting"."""
        library = self._context.library
        if not library.at_hand:
            place = library.place
            return place.parent.name if place.stem == "library" else place.stem
        name = str(library.url.database)  # type: ignore[attr-defined]
        if self.away:
            waiting = len(self.unsent())
            name += " · away from the server" + (f", {waiting} waiting" if waiting else "")
        return name + (" · saving …" if self._context.writing else "")

    def waiting_lines(self) -> list[str]:
        """Return a line for the library's address and for each thing that waits."""
        library = self._context.library
        if not library.at_hand:
            return []
        return [library.subject, *(f"waits for the server: {act.words}" for act in self.unsent()[:12])]
