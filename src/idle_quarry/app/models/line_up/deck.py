"""Recording from a tape deck: which tape is in, its transport, what is recorded where, and the takes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.loop_thread import LoopThread
from idle_quarry.app.models.line_up.recording import Recording
from idle_quarry.errors import QuarryError
from idle_quarry.line.devices.deck import SHUTTLE, Wear
from idle_quarry.line.devices.deck_run import DeckRun, DeckSnapshot
from idle_quarry.line.devices.recorder import Take
from idle_quarry.line.devices.tape import ClipFeed, line_format
from idle_quarry.media import Clip
from idle_quarry.media.looking import look
from idle_quarry.places import DEMO, library_place
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: A worn tape, where one is asked for: a drop-out each so many frames, and timecode that jumps ten seconds in the
#: middle.
_DROP_OUT_EVERY, _JUMP_S = 37, 10
#: Clips of the demo that are offered as tapes.
_MOST_OFFERED = 60


class DeckModel(QObject):
    """`changed`: another tape is in; `seen_changed`: the tape moved."""

    changed = Signal()
    seen_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.clip: Clip | None = None
        self.format: SignalFormat | None = None
        self.seen: DeckSnapshot | None = None
        self.worn = False
        self.recording = Recording(self)
        self._live = LoopThread(self)
        self._live.arrived.connect(self._take)
        self._live.failed.connect(self._failed)
        self.run: DeckRun | None = None
        for signal in (door.documents.opened, door.documents.edited):
            signal.connect(self.recording.follow_template)
        self.recording.follow_template()

    # -- the tape ----------------------------------------------------------------------------------------------

    def offered(self) -> dict[Path, str]:
        """Return the clips that can be put in: those of Intake, else the demo's tapes; what is in comes first."""
        rows = list(self.door.intake_clips)
        demo = library_place(DEMO)
        tapes = sorted((demo.parent / "clips").glob("*.m[px][gf]")) if self.door.library.place == demo else []
        paths = rows or tapes
        own = [self.clip.path] if self.clip is not None else []
        return {path: path.name for path in [*own, *paths][:_MOST_OFFERED]}

    def put_in(self, path: Path) -> None:
        """Look at a clip and put it in as a tape; not while one is recorded."""
        if self._recording():
            return
        self.door.workers.start(lambda ticket: look(path, ticket.progress), self._loaded, self.door.refuse)

    def _loaded(self, clip: Clip) -> None:
        try:
            if clip.format is None:
                raise QuarryError("has no pictures in a format that is known", subject=clip.path.name)
            self.format = line_format(clip.format)
        except QuarryError as error:
            self.door.refuse(error)
            self.changed.emit()
            return
        self.clip, self.seen = clip, None
        self.recording.begin(clip.path.stem)
        self._load()

    def _recording(self) -> bool:
        """Return whether a tape is being recorded, and say that it then stays in."""
        if self.seen is None or not self.seen.armed:
            return False
        self.door.say("The tape is being recorded: end the take first.", refusal=True)
        self.changed.emit()  # what is shown as chosen is what is in
        return True

    def wear_out(self, on: bool) -> None:
        """Have the tape be a worn one, with drop-outs and a break in its timecode, or a good one.

        Not while it is recorded.
        """
        if on == self.worn or self._recording():
            return
        self.worn = on
        if self.clip is not None:
            self._load()

    def _load(self) -> None:
        assert self.clip is not None and self.format is not None
        frames = self.clip.declared.frames or 1
        drop_outs = frozenset(range(_DROP_OUT_EVERY // 2, frames, _DROP_OUT_EVERY))
        jump = {frames // 2: int(_JUMP_S * self.format.rate)}
        wear = Wear(drop_outs, MappingProxyType(jump)) if self.worn else Wear()
        self.run = DeckRun(ClipFeed(self.clip), self.format, wear)
        self._live.start(self.run)
        self.changed.emit()

    def look(self, on: bool) -> None:
        """Somebody looks at the page, or no longer: a tape stops, and a recording goes on."""
        if not on and self.run is not None and self.take is None:
            self.stop()

    def ask(self, act: Callable[[DeckRun], object]) -> None:
        if self.run is not None:
            self.run.ask(lambda run: (act(run), None)[1])
            self._live.hurry()

    def play(self) -> None:
        self.ask(lambda run: run.deck.play())

    def stop(self) -> None:
        self.ask(lambda run: run.deck.stop())

    def shuttle(self, way: int) -> None:
        """Play on (1) or back (−1), faster each time it is asked for."""
        now = self.seen.status.speed if self.seen is not None else 0
        speeds = (1, *SHUTTLE)
        faster = next((speed for speed in speeds if speed > abs(now)), speeds[-1]) if now * way > 0 else 1
        self.ask(lambda run: run.deck.play(way * faster))

    def step(self, by: int) -> None:
        """Go so many frames on."""
        self.ask(lambda run: run.deck.locate(run.deck.at + by))

    def go(self, frame: int) -> None:
        self.ask(lambda run: run.deck.locate(frame))

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
        data = {"stop": "stands", "play": "plays", "shuttle": f"{status.speed:+d} × play speed"}
        return data.get(status.state, status.state)

    def tape_words(self) -> str:
        """Return what the tape brings."""
        if self.clip is None or self.format is None:
            return "Put a clip in as a tape: it plays as a line, with its timecode and sound."
        was = format_words(self.clip.format, fields=True) if self.clip.format is not None else ""
        return f"{was}, played as {format_words(self.format, fields=True)}"

    # -- what comes back ---------------------------------------------------------------------------------------

    def _take(self, snapshot: DeckSnapshot | None) -> None:
        if snapshot is None:
            return
        self.seen = snapshot
        if snapshot.refused:
            self.door.say(snapshot.refused, refusal=True)
        for take in snapshot.ended:
            self.recording.keep(take)
        self.seen_changed.emit()

    def _failed(self, why: str) -> None:
        self.clip = self.format = self.seen = self.run = None
        self.door.say(why, refusal=True)
        self.changed.emit()

    def finish(self) -> None:
        """End for good: the window closes; what was recorded by now is kept."""
        self._live.finish()
