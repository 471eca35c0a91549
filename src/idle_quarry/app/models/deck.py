"""Recording from a tape deck: which tape is in, its transport, what is recorded where, and the takes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.live import Live
from idle_quarry.app.questions import Choice
from idle_quarry.errors import QuarryError
from idle_quarry.line.checked import contradictions
from idle_quarry.line.deck import SHUTTLE, Wear
from idle_quarry.line.deck_run import DeckRun, DeckSeen
from idle_quarry.line.recorder import OnBreak, Take, Wanted, able
from idle_quarry.line.tape import ClipFeed, line_format
from idle_quarry.media import Clip, inspect
from idle_quarry.media.encode import encoder_pixels
from idle_quarry.media.looking import look
from idle_quarry.path.codecs import cannot_hold, mbps
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.path.template import RecordingInput
from idle_quarry.places import DEMO, library_place
from idle_quarry.proof.disks import DiskError, volume_of
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk

#: A worn tape, where one is asked for: a drop-out each so many frames, and timecode that jumps ten seconds in the middle.
_DROP_OUT_EVERY, _JUMP_S = 37, 10
#: What a recording is kept in by itself: about so much of the data of uncompressed pictures.
_COMPRESSED = 0.3
#: Clips of the demo that are offered as tapes.
_MOST_OFFERED = 60


@dataclass(frozen=True)
class Kept:
    """A take in the list, and what its file turned out to be: None while it is looked at."""

    take: Take
    wrong: tuple[str, ...] | None = None

    def words(self) -> str:
        """Return whether its file is what was recorded."""
        if self.wrong is None:
            return "being looked at"
        return "; ".join(self.wrong) if self.wrong else "as recorded"


class DeckModel(QObject):
    """`changed`: what is in, wanted or kept; `seen_changed`: the tape moved; `asked`: a choice is to be made;
    `folder_asked`: a folder is to be chosen."""

    changed = Signal()
    seen_changed = Signal()
    asked = Signal(object)
    folder_asked = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.clip: Clip | None = None
        self.format: SignalFormat | None = None
        self.seen: DeckSeen | None = None
        self.worn = False
        self.mark_in: Timecode | None = None
        self.mark_out: Timecode | None = None
        self.name, self.folder, self.codec = "", "", ""
        self.on_break: OnBreak = "new clip"
        self.takes: tuple[Kept, ...] = ()
        self._answered: set[str] = set()  # folders on the system disk that were said yes to
        self._live = Live(self)
        self._live.arrived.connect(self._take)
        self._live.failed.connect(self._failed)
        self._run: DeckRun | None = None
        desk.documents.opened.connect(self._opened)
        self._opened()

    # -- the tape ----------------------------------------------------------------------------------------------

    def offered(self) -> dict[Path, str]:
        """Return the clips that can be put in: those of Intake, else the demo's tapes; what is in comes first."""
        rows = [row.path for row in self.desk.intake.rows.rows] if "intake" in vars(self.desk) else []
        demo = library_place(DEMO)
        tapes = sorted((demo.parent / "clips").glob("*.m[px][gf]")) if self.desk.library.place == demo else []
        found = rows or tapes
        own = [self.clip.path] if self.clip is not None else []
        return {path: path.name for path in [*own, *found][:_MOST_OFFERED]}

    def put_in(self, path: Path) -> None:
        """Look at a clip and put it in as a tape."""
        self.desk.workers.start(lambda ticket: look(path, ticket.progress), self._loaded, self.desk.refuse)

    def _loaded(self, clip: Clip) -> None:
        try:
            if clip.format is None:
                raise QuarryError("has no pictures in a format that is known", subject=clip.path.name)
            self.format = line_format(clip.format)
        except QuarryError as error:
            self.desk.refuse(error)
            self.changed.emit()
            return
        self.clip, self.seen = clip, None
        self.mark_in = self.mark_out = None
        self.name = clip.path.stem
        self._follow_template()
        self._load()

    def wear_out(self, on: bool) -> None:
        """Have the tape be a worn one, with drop-outs and a break in its timecode, or a good one."""
        self.worn = on
        if self.clip is not None:
            self._load()

    def _load(self) -> None:
        assert self.clip is not None and self.format is not None
        frames = self.clip.declared.frames or 1
        drop_outs = frozenset(range(_DROP_OUT_EVERY // 2, frames, _DROP_OUT_EVERY))
        jump = {frames // 2: int(_JUMP_S * self.format.rate)}
        wear = Wear(drop_outs, MappingProxyType(jump)) if self.worn else Wear()
        self._run = DeckRun(ClipFeed(self.clip), self.format, wear)
        self._live.start(self._run)
        self.changed.emit()

    def look(self, on: bool) -> None:
        """Somebody looks at the page, or no longer: a tape stops, and a recording goes on."""
        if not on and self._run is not None and self.take is None:
            self.stop()

    def _ask(self, act: Callable[[DeckRun], object]) -> None:
        if self._run is not None:
            self._run.ask(lambda run: (act(run), None)[1])

    def play(self) -> None:
        self._ask(lambda run: run.deck.play())

    def stop(self) -> None:
        self._ask(lambda run: run.deck.stop())

    def shuttle(self, way: int) -> None:
        """Play on (1) or back (−1), faster each time it is asked for."""
        now = self.seen.status.speed if self.seen is not None else 0
        speeds = (1, *SHUTTLE)
        faster = next((each for each in speeds if each > abs(now)), speeds[-1]) if now * way > 0 else 1
        self._ask(lambda run: run.deck.play(way * faster))

    def step(self, by: int) -> None:
        """Go so many frames on."""
        self._ask(lambda run: run.deck.locate(run.deck.at + by))

    def go(self, frame: int) -> None:
        self._ask(lambda run: run.deck.locate(frame))

    # -- what is recorded --------------------------------------------------------------------------------------

    def _opened(self) -> None:
        self._follow_template()
        self.changed.emit()

    @property
    def input(self) -> RecordingInput | None:
        """The template's recording input for what the tape brings: of its format, else the first."""
        document = self.desk.document
        inputs = document.template.inputs if document is not None else ()
        same = [each for each in inputs if self.format is not None and each.format.raster == self.format.raster]
        return next(iter([*same, *inputs]), None)

    def _follow_template(self) -> None:
        """Take codec, place and what a break does from the template, where it says them."""
        document, own = self.desk.document, self.input
        if document is None:
            return
        template = document.template
        place_id = own.place if own is not None else None
        places = [each for each in template.places if each.id == place_id or each.purpose == "capture"]
        if places and places[0].path:
            self.folder = places[0].path
        if own is not None:
            self.on_break = own.on_break
        wanted = [own.codec] if own is not None else []
        wanted.append(template.intermediate.codec)
        able_to = able(self.format) if self.format is not None else []
        ids = [each.id for each in able_to]
        best = max((each for each in able_to if each.quality == "intermediate"), key=self._fitting, default=None)
        self.codec = next((each for each in wanted if each in ids), best.id if best is not None else "")

    def _fitting(self, codec: Codec) -> tuple[bool, float]:
        """Order codecs: those whose chroma is the line's own, then by data."""
        assert self.format is not None
        same = encoder_pixels(codec, self.format).format.encoding.sampling == self.format.encoding.sampling
        return same, -abs(mbps(codec, self.format) / mbps(codecs()["v210"], self.format) - _COMPRESSED)

    def codecs(self) -> dict[str, str]:
        """Return the codecs that can hold what the tape brings, by id."""
        return {each.id: each.name for each in able(self.format)} if self.format is not None else {}

    def codec_words(self) -> str:
        """Return what is to be said of the codec: why the template's own is not it, where it cannot hold what comes."""
        document = self.desk.document
        if document is None or self.format is None:
            return ""
        own = codecs()[self.input.codec if self.input is not None else document.template.intermediate.codec]
        if own.id == self.codec:
            return "the template's"
        why = cannot_hold(own, self.format) or ("it would lose bits or chroma",)
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
            moment = self.seen.status.timecode if self.seen is not None else None
        elif text.strip() and self.seen is not None and self.seen.status.timecode is not None:
            now = self.seen.status.timecode
            try:
                moment = Timecode.from_text(text.strip(), now.rate)
            except QuarryError as error:
                self.desk.refuse(error)
                self.changed.emit()
                return
        if which == "in":
            self.mark_in = moment
        else:
            self.mark_out = moment
        self.changed.emit()

    def why_not(self) -> str:
        """Return why nothing can be recorded now, "" where it can."""
        if self._run is None or self.seen is None:
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
            self.desk.say(why, refusal=True)
            return
        folder = Path(self.folder)
        try:
            if not folder.is_dir():
                raise DiskError("is not there", subject=self.folder, remedy="make the folder first, or choose another")
            volume = volume_of(folder)
            if not volume.writable:
                raise DiskError("may not be written by this person", subject=self.folder)
        except QuarryError as error:
            self.desk.refuse(error)
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
        wanted = Wanted(folder, self.name, self.codec, self.on_break, self.mark_in, self.mark_out)
        self._ask(lambda run: run.record(wanted))

    def _record_all_the_same(self) -> None:
        self._answered.add(self.folder)
        self.record()

    def ask_cancel(self) -> None:
        """End the recording: ask what becomes of what was written."""
        if self.take is None:
            self.end(False)
        else:
            self.asked.emit(
                Choice(
                    f"{self.take.name}: {self.take.frames} frames are written.",
                    {"Keep them as a take": partial(self.end, True), "Keep nothing": partial(self.end, False)},
                )
            )

    def end(self, keep: bool) -> None:
        """End the recording; what was written becomes a take, or nothing is left of it."""
        self._ask(lambda run: run.end(keep=keep))

    @property
    def take(self) -> Take | None:
        """What is being recorded."""
        return self.seen.take if self.seen is not None else None

    def state_words(self) -> str:
        """Return what the deck does."""
        if self.seen is None:
            return "no tape" if self.clip is None else "threading"
        status = self.seen.status
        if self.take is not None:
            return f"recording {self.take.name}, {self.take.frames} frames"
        if self.seen.armed:
            return "rolling to the mark in"
        said = {"stop": "stands", "play": "plays", "shuttle": f"{status.speed:+d} × play speed"}
        return said.get(status.state, status.state)

    def tape_words(self) -> str:
        """Return what the tape brings."""
        if self.clip is None or self.format is None:
            return "Put a clip in as a tape: it plays as a line, with its timecode and sound."
        was = format_words(self.clip.format, fields=True) if self.clip.format is not None else ""
        return f"{was}, played as {format_words(self.format, fields=True)}"

    # -- what comes back ---------------------------------------------------------------------------------------

    def _take(self, seen: DeckSeen | None) -> None:
        if seen is None:
            return
        self.seen = seen
        if seen.refused:
            self.desk.say(seen.refused, refusal=True)
        for take in seen.ended:
            self._keep(take)
        self.seen_changed.emit()

    def _keep(self, take: Take) -> None:
        self.takes = (*self.takes, Kept(take))
        self.changed.emit()

        def work(_ticket: object) -> Kept:
            return Kept(take, contradictions(take, inspect(take.path)))

        self.desk.workers.start(work, self._checked, self.desk.refuse)

    def _checked(self, kept: Kept) -> None:
        self.takes = tuple(replace(each, wrong=kept.wrong) if each.take == kept.take else each for each in self.takes)
        self.changed.emit()

    def open_take(self, number: int) -> None:
        """Show a take in Intake."""
        self.desk.view_wanted.emit("Intake")
        self.desk.intake.look_at([self.takes[number].take.path])

    def _failed(self, why: str) -> None:
        self.clip = self.format = self.seen = self._run = None
        self.desk.say(why, refusal=True)
        self.changed.emit()

    def finish(self) -> None:
        """End for good: the window closes; what was recorded by now is kept."""
        self._live.finish()
