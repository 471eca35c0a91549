"""Can it be seen? Every template's monitor feed against every monitor of the house."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.library import FileLibrary, Search
from idle_quarry.path.entries import Monitor
from idle_quarry.path.monitoring import MonitorResponse, response_of
from idle_quarry.path.registry import monitors
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: Templates that are listed; the Library's search narrows down more.
_MOST = 200


@dataclass(frozen=True)
class TemplateFeed:
    """A template's name and id, and what it sends its monitor."""

    template: str
    ident: str
    monitor: str
    format: SignalFormat


class Feeds(QObject):
    """`changed`: the feeds were read anew."""

    changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self._door = door
        self.feeds: tuple[TemplateFeed, ...] = ()
        self._wanted = False
        self._ticket: Ticket | None = None
        door.shelves_changed.connect(self._read)

    def want(self) -> None:
        """Have them read, if they never were."""
        if not self._wanted:
            self._wanted = True
            self._read()

    def monitors(self) -> list[Monitor]:
        """Return every monitor that templates are held against, the house's own first."""
        own = {entry.id: entry for entry in self._door.house.value.entries if isinstance(entry, Monitor)}
        return [
            *own.values(),
            *(monitor for ident, monitor in monitors().items() if ident not in own and not monitor.uid),
        ]

    def cell(self, feed: TemplateFeed, monitor: Monitor) -> MonitorResponse:
        """Return what a monitor makes of a feed."""
        return response_of(monitor, feed.format)

    def words(self, feed: TemplateFeed, monitor: Monitor) -> str:
        """Return the same in a sentence."""
        what = self.cell(feed, monitor)
        text = {
            "black": f"stays black: {'; '.join(what.why)}",
            "not as meant": "; ".join(what.notes),
            "shown": "shows it as meant",
        }[what.state]
        return f"{feed.template}, {format_words(feed.format)}: {monitor.name} {text}."

    def open(self, feed: TemplateFeed) -> None:
        """Open the template of a feed."""
        self._door.open_stored(feed.ident)

    def _read(self) -> None:
        if not self._wanted:
            return
        if self._ticket is not None:
            self._ticket.cancel()
        library = self._door.library
        self._ticket = self._door.workers.start(lambda ticket: _feeds(library, ticket), self._done, self._failed)

    def _done(self, feeds: tuple[TemplateFeed, ...]) -> None:
        self._ticket = None
        self.feeds = feeds
        self.changed.emit()

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None


def _feeds(library: FileLibrary, ticket: Ticket) -> tuple[TemplateFeed, ...]:
    feeds = []
    for number, summary in enumerate(library.page(Search(), 0, _MOST)):
        ticket.progress("reading templates", number / _MOST)
        template = library.stored(summary.id, summary.for_jobs).template
        if template.monitor is not None:
            feeds.append(TemplateFeed(template.name, summary.id, template.monitor.monitor, template.monitor.format))
    return tuple(feeds)
