"""The two ends: what comes in and what goes out, and between them the working formats, ranked by what they cost."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.beginning.two_ends import Suggestion, delivery_from_words, source_from_words, suggested, taken_up
from idle_quarry.path.registry import deliveries
from idle_quarry.path.template_parts import Delivery, Source
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

_LATER_MS = 120


@dataclass(frozen=True)
class End:
    """One of an end: what it is called, the words it is read from, its share in per cent as typed, whether it
    counts.
    """

    name: str
    words: str
    share: str = ""
    on: bool = False


class TwoEnds(QObject):
    """`ends_changed`: one came, went, or is other.

    `ranked`: the ranking is another; `refused`: something typed will not do.
    """

    ends_changed = Signal()
    ranked = Signal()
    refused = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.sources: list[End] = []
        specs = (*door.house.value.specs(), *deliveries().values())
        self.outs = [End(spec.name, spec.id) for spec in specs]
        self.ranking: list[Suggestion] = []
        self.chosen: Suggestion | None = None
        self._ends: tuple[tuple[Source, ...], tuple[Delivery, ...]] = ((), ())
        self._ticket: Ticket | None = None
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._rank)

    # -- the ends ------------------------------------------------------------------------------------------

    def set_sources(self, shares: list[tuple[str, float]]) -> None:
        """Take formats in words with their shares in per cent as what comes in."""
        self.sources = [End(words, words, f"{share:.3g}", True) for words, share in shares]
        self._changed()

    def set_source(self, index: int, words: str, share: str, *, on: bool) -> None:
        """Change what comes in."""
        self.sources[index] = End(words, words, share, on)
        self._later.start()

    def set_out(self, index: int, *, on: bool) -> None:
        """Count a delivery, or leave it out."""
        self.outs[index] = replace(self.outs[index], on=on)
        self._later.start()

    def add_source(self, text: str) -> None:
        """Add what comes in, in words, with its share where it is said. Raises `QuarryError`."""
        source = source_from_words(text, sixty=self.door.house.value.sixty)
        words = format_words(source.format)
        self.sources.append(End(words, words, f"{source.share:g}" if source.share else "", True))
        self._changed()

    def add_out(self, text: str) -> None:
        """Add what goes out, in words. Raises `QuarryError`."""
        self.outs.append(End(delivery_from_words(text, house=self.door.house.value).name, text, on=True))
        self._changed()

    def _changed(self) -> None:
        self.ends_changed.emit()
        self._later.start()

    def ends(self) -> tuple[tuple[Source, ...], tuple[Delivery, ...]]:
        """Return what counts on both sides. Raises `QuarryError` for what cannot be understood."""
        sources: list[Source] = []
        for end in self.sources:
            if end.on:
                share = end.share.strip()
                sources.append(source_from_words(end.words + (f"={share}" if share else ""), sources))
        whole = sum(source.share for source in sources)
        if whole > 100:  # shares are of all clips: those that are left make the whole
            sources = [s.model_copy(update={"share": s.share * 100 / whole}) for s in sources]
        outs: list[Delivery] = []
        for end in self.outs:
            if end.on:
                outs.append(delivery_from_words(end.words, outs))
        return tuple(sources), tuple(outs)

    # -- the ranking -----------------------------------------------------------------------------------------

    def _rank(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()
        try:
            sources, outs = self.ends()
        except QuarryError as error:
            self.refused.emit(error)
            return
        self._ends = (sources, outs)
        if not sources or not outs:
            self._arrived([])
            return
        self._ticket = self.door.workers.start(
            lambda _ticket: suggested(sources, outs), self._arrived, self.refused.emit
        )

    def _arrived(self, suggestions: list[Suggestion]) -> None:
        self._ticket = None
        self.ranking = suggestions
        self.chosen = suggestions[0] if suggestions else None
        self.ranked.emit()

    def choose(self, index: int) -> None:
        """Look at a working format of the ranking."""
        self.chosen = self.ranking[index] if 0 <= index < len(self.ranking) else None

    def head_words(self) -> str:
        """Return what stands over the ranking."""
        if not self.ranking:
            return "Choose what comes in and what goes out."
        return (
            f"{len(self.ranking)} working formats, best first: broken links, then loss (0 is none, 1 a whole source"
            " gone), then data."
        )

    def reason_words(self) -> str:
        """Return why the chosen format stands where it does."""
        reasons = self.chosen.reasons if self.chosen is not None else ()
        return "\n\n".join(f"{text[0].upper()}{text[1:]}." for text in reasons)

    def take(self) -> None:
        """Open a new template in the chosen working format."""
        if self.chosen is None:
            return
        try:
            template = taken_up(self.chosen, f"New in {format_words(self.chosen.working)}")
        except QuarryError as error:
            self.refused.emit(error)
            return
        self.door.open_new(template)
