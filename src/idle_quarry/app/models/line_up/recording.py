"""What is recorded from the deck, where and how; and the takes, each looked at when it is whole."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import LookAtClips
from idle_quarry.app.questions import Choice
from idle_quarry.errors import QuarryError
from idle_quarry.line.devices.checked import contradictions
from idle_quarry.line.devices.recorder import OnBreak, RecordingRequest, Take, able
from idle_quarry.media import inspect
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.path.codecs import cannot_hold, mbps
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.path.template_parts import RecordingInput
from idle_quarry.proof.disks import DiskError, volume_of
from idle_quarry.signal.timecode import Timecode

if TYPE_CHECKING:
    from idle_quarry.app.models.line_up.deck import DeckModel

#: What a recording is kept in by itself: about so much of the data of uncompressed pictures.
_COMPRESSED = 0.3


@dataclass(frozen=True)
class KeptTake:
    """A take in the list, and what its file turned out to be: None while it is looked at."""

    take: Take
    wrong: tuple[str, ...] | None = None

    def words(self) -> str:
        """Return whether its file is what was recorded."""
        if self.wrong is None:
            return "being looked at"
        return "; ".join(self.wrong) if self.wrong else "as recorded"


class Recording(QObject):
    """`changed`: what is wanted or kept; `asked`: a choice is to be made; `folder_asked`: a folder is to be chosen."""

    changed = Signal()
    asked = Signal(object)
    folder_asked = Signal()

    def __init__(self, deck: DeckModel) -> None:
        super().__init__(deck)
        self._deck = deck
        self.mark_in: Timecode | None = None
        self.mark_out: Timecode | None = None
        self.name, self.folder, self.codec = "", "", ""
        self.on_break: OnBreak = "new clip"
        self.takes: tuple[KeptTake, ...] = ()
        self._last_setting: object = None  # what the template said of recordings when that was last taken
        self._answered: set[str] = set()  # folders on the system disk that were said yes to

    def begin(self, name: str) -> None:
        """Begin with another tape: no marks, its name, and what the template says of recordings."""
        self.mark_in = self.mark_out = None
        self.name = name
        self.follow_template()

    @property
    def input(self) -> RecordingInput | None:
        """The template's recording input for what the tape brings: of its format, else the first."""
        document = self._deck.door.document
        inputs = document.template.inputs if document is not None else ()
        same = [
            recording
            for recording in inputs
            if self._deck.format is not None and recording.format.raster == self._deck.format.raster
        ]
        return next(iter([*same, *inputs]), None)

    def follow_template(self) -> None:
        """Take codec, place and what a break does from the template, where it says other than it did: what was
        chosen here stays.
        """
        document, fmt, own = self._deck.door.document, self._deck.format, self.input
        wanted = [own.codec] if own is not None else []
        path = ""
        if document is not None:
            wanted.append(document.template.intermediate.codec)
            places = [place for place in document.template.places if own is not None and place.id == own.place]
            places += [place for place in document.template.places if place.purpose == "capture"]
            path = places[0].path if places else ""
        value = fmt, own, tuple(wanted), path
        if value == self._last_setting:
            return
        self._last_setting = value
        self.folder = path or self.folder
        self.on_break = own.on_break if own is not None else self.on_break
        able_to = {codec.id: codec for codec in able(fmt)} if fmt is not None else {}
        best = max(
            (codec for codec in able_to.values() if codec.quality == "intermediate"), key=self._fitting, default=None
        )
        self.codec = next((name for name in wanted if name in able_to), best.id if best is not None else "")
        self.changed.emit()

    def _fitting(self, codec: Codec) -> tuple[bool, float]:
        """Order codecs: those whose chroma is the line's own, then by data."""
        assert self._deck.format is not None
        same = encoder_pixels(codec, self._deck.format).format.encoding.sampling == self._deck.format.encoding.sampling
        return same, -abs(mbps(codec, self._deck.format) / mbps(codecs()["v210"], self._deck.format) - _COMPRESSED)

    def codecs(self) -> dict[str, str]:
        """Return the codecs that can hold what the tape brings, by id."""
        return {codec.id: codec.name for codec in able(self._deck.format)} if self._deck.format is not None else {}

    def codec_words(self) -> str:
        """Return what is to be said of the codec: why the template's own is not it, where it cannot hold what comes."""
        document = self._deck.door.document
        if document is None or self._deck.format is None:
            return ""
        own = codecs()[self.input.codec if self.input is not None else document.template.intermediate.codec]
        if own.id == self.codec:
            return "the template's"
        why = cannot_hold(own, self._deck.format) or ("it would lose bits or chroma",)
        return f"{own.name} of the template cannot hold it: {why[0]}"

    def want(self, *, name: str | None = None, folder: str | None = None, codec: str = "", on_break: str = "") -> None:
        """Record under another name, elsewhere, in another codec, or with breaks taken otherwise."""
        self.name = self.name if name is None else name.strip()
        self.folder = self.folder if folder is None else folder
        self.codec = codec or self.codec
        if on_break in ("new clip", "go on", "stop"):
            self.on_break = on_break  # type: ignore[assignment]
        self.changed.emit()

    def mark(self, which: str, text: str | None = None) -> None:
        """Set a mark ("in" or "out") to a timecode, to where the tape is where none is given, or take it away ("")."""
        moment: Timecode | None = None
        if text is None:
            moment = self._deck.seen.status.timecode if self._deck.seen is not None else None
        elif text.strip() and self._deck.seen is not None and self._deck.seen.status.timecode is not None:
            now = self._deck.seen.status.timecode
            try:
                moment = Timecode.from_text(text.strip(), now.rate)
            except QuarryError as error:
                self._deck.door.refuse(error)
                self.changed.emit()
                return
        if which == "in":
            self.mark_in = moment
        else:
            self.mark_out = moment
        self.changed.emit()

    def why_not(self) -> str:
        """Return why nothing can be recorded now, "" where it can."""
        if self._deck.run is None or self._deck.seen is None:
            return "Put a tape in first."
        if not self.folder:
            return "Say where takes are kept: the template names no recording place."
        if not self.codec:
            return "No codec here holds what this tape brings."
        if not self.name or "/" in self.name:
            return "Give the take a name without /."
        both = self.mark_in is not None and self.mark_out is not None
        if both and self.mark_out.frames < self.mark_in.frames:  # type: ignore[union-attr]
            return "The mark out lies before the mark in."
        return ""

    def record(self) -> None:
        """Record; on the system disk only after a question was answered."""
        why = self.why_not()
        if why:
            self._deck.door.say(why, refusal=True)
            return
        folder = Path(self.folder)
        try:
            if not folder.is_dir():
                raise DiskError("is not there", subject=self.folder, remedy="make the folder first, or choose another")
            volume = volume_of(folder)
            if not volume.writable:
                raise DiskError("may not be written by this person", subject=self.folder)
        except QuarryError as error:
            self._deck.door.refuse(error)
            return
        if volume.kind == "system" and self.folder not in self._answered:
            self.asked.emit(
                Choice(
                    f"{self.folder} lies on the system disk: takes would fill it, and the machine with it.",
                    {
                        "Choose another folder": self.folder_asked.emit,
                        "Record there all the same": self._record_all_the_same,
                    },
                )
            )
            return
        request = RecordingRequest(folder, self.name, self.codec, self.on_break, self.mark_in, self.mark_out)
        self._deck.ask(lambda run: run.record(request))

    def _record_all_the_same(self) -> None:
        self._answered.add(self.folder)
        self.record()

    def ask_cancel(self) -> None:
        """End the recording: ask what becomes of what was written."""
        if self._deck.take is None:
            self.end(False)
        else:
            self.asked.emit(
                Choice(
                    f"{self._deck.take.name}: {self._deck.take.frames} frames are written.",
                    {"Keep them as a take": partial(self.end, True), "Keep nothing": partial(self.end, False)},
                )
            )

    def end(self, keep: bool) -> None:
        """End the recording; what was written becomes a take, or nothing is left of it."""
        self._deck.ask(lambda run: run.end(keep=keep))

    def keep(self, take: Take) -> None:
        self.takes = (*self.takes, KeptTake(take))
        self.changed.emit()

        def work(_ticket: object) -> KeptTake:
            return KeptTake(take, contradictions(take, inspect(take.path)))

        self._deck.door.workers.start(work, self._checked, self._deck.door.refuse)

    def _checked(self, checked: KeptTake) -> None:
        self.takes = tuple(
            replace(take, wrong=checked.wrong) if take.take == checked.take else take for take in self.takes
        )
        self.changed.emit()

    def open_take(self, number: int) -> None:
        """Show a take in Intake."""
        self._deck.door.go(LookAtClips([self.takes[number].take.path]))
