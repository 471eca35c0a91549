"""Lining up: what the monitoring output of the open template sends, what monitors make of it, and what is heard."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.loop_thread import LoopThread
from idle_quarry.app.documents.document import Document
from idle_quarry.app.models.library.feeds import Feeds
from idle_quarry.app.models.line_up.by_eye import ByEye
from idle_quarry.app.models.line_up.deck import DeckModel
from idle_quarry.app.models.line_up.loop import SendingLoop
from idle_quarry.app.models.line_up.options import LineUpOptions
from idle_quarry.app.models.line_up.signal_file_writer import SignalFileWriter
from idle_quarry.app.models.line_up.words import LineUpWords
from idle_quarry.errors import QuarryError
from idle_quarry.line.devices.chain import ShownFrame
from idle_quarry.line.devices.tape import ClipFeed
from idle_quarry.line.reading.faults import Fault
from idle_quarry.line.reading.packet_description import PacketDescription, describe
from idle_quarry.line.writing.feed import Setup
from idle_quarry.line.writing.sending import forget_pictures, sent_pictures
from idle_quarry.media import Clip
from idle_quarry.media.looking import look
from idle_quarry.path.entries import Monitor
from idle_quarry.path.registry import monitors, sound_layouts
from idle_quarry.path.template_parts import TimecodePlan
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode, can_drop, start_timecode
from idle_quarry.sound.meters import USUAL_TYPE
from idle_quarry.sound.playing import SoundOut, Speaker

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: The pages of the view.
PAGES = ("Output", "Record")
#: Over how many frames the rate of pictures is counted.
_COUNTED = 12
_MINUTE_S = 60.0


class LineUp(QObject):
    """`changed`: what is sent, or to what.

    `arrived`: a frame was received and looked at; `packet_changed`: another is told.
    """

    changed = Signal()
    arrived = Signal()
    packet_changed = Signal()
    clip_asked = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.looked: ShownFrame | None = None
        self.refused = ""  #: why nothing is sent
        self.picture, self.sound, self.interface, self.payload = "bars", "tone", "", True
        self.meter = ""
        self.parade = False  #: R′, G′ and B′ beside one another in place of luma
        self.heard: int | None = None  #: the first of the two channels that are listened to
        self.speaker: Callable[[int], SoundOut] = Speaker
        self.clip: Clip | None = None  #: what is sent where the picture is "clip"
        self.words = LineUpWords(self)
        self.packet = 0  #: which of the frame's packets is told
        self.feeds = Feeds(door)
        self.by_eye = ByEye(self)
        self.playing_out = SignalFileWriter(self)
        self.deck = DeckModel(door)
        self.page = PAGES[0]
        self.options = LineUpOptions(self)
        self._seen = False
        self._followed: Document | None = None
        self._live = LoopThread(self)
        self._live.arrived.connect(self._take)
        self._live.failed.connect(self._ended)
        self.wanted: Setup | None = None
        self._sending: SendingLoop | None = None
        self.times: list[float] = []
        self.faults: list[tuple[float, Fault]] = []
        door.documents.opened.connect(self._opened)
        door.documents.edited.connect(self.refresh)
        door.house.changed.connect(self.refresh)
        door.workers.before_rest.append(self._forget_unseen)
        self._opened()

    def _forget_unseen(self) -> None:
        """Let go of the last frame and of test pictures: nobody looks at them, and the next frame brings others."""
        if self._live.running:
            return
        self.looked, self._sending = None, None
        forget_pictures()

    # -- what is sent, and to what -----------------------------------------------------------------------------

    def _opened(self) -> None:
        document = self.door.document
        if document is not self._followed:
            self._followed = document
            if document is not None:
                self.interface, self.meter = "", USUAL_TYPE.get(document.template.territory, "dBFS")
        self.refresh()

    @property
    def format(self) -> SignalFormat | None:
        """The format that the template sends its monitor, None where it has none."""
        document = self.door.document
        feed = document.template.monitor if document is not None else None
        return feed.format if feed is not None else None

    @property
    def monitor(self) -> Monitor | None:
        """The template's monitor."""
        document = self.door.document
        feed = document.template.monitor if document is not None else None
        return monitors().get(feed.monitor) if feed is not None else None

    def send(
        self, *, picture: str = "", sound: str = "", interface: str | None = None, payload: bool | None = None
    ) -> None:
        """Send another picture or sound, or over another interface, with or without an identifier."""
        if picture == "other clip":
            self.ask_clip()
            self.changed.emit()  # what is shown as chosen is what was sent before
            return
        self.picture, self.sound = picture or self.picture, sound or self.sound
        self.interface = self.interface if interface is None else interface
        self.payload = self.payload if payload is None else payload
        self.refresh()

    def ask_clip(self) -> None:
        """Have a clip chosen that is sent."""
        self.clip_asked.emit()

    def send_clip(self, path: Path) -> None:
        """Look at a clip, and send it through the template's monitor link."""
        self.door.workers.start(lambda ticket: look(path, ticket.progress), self._send_clip, self.door.refuse)

    def _send_clip(self, clip: Clip) -> None:
        self.clip = clip
        self.send(picture="clip")

    def listen(self, first: int) -> None:
        """Listen to two channels from `first` on, or (below 0) to nothing."""
        self.heard = first if first >= 0 else None
        self.refresh()

    @property
    def mute(self) -> str:
        """Why nothing is heard though it should be."""
        return self._sending.mute if self._sending is not None and self.heard is not None else ""

    def show_parade(self, on: bool) -> None:
        """Look at R′, G′ and B′ beside one another, or at luma."""
        self.parade = on
        self.refresh()

    def read_by(self, meter: str) -> None:
        """Read the sound by another type of meter."""
        self.meter = meter
        self.refresh()

    # -- packets and faults ------------------------------------------------------------------------------------

    def packet_told(self) -> PacketDescription | None:
        """Return what the chosen packet of the frame says, in words."""
        frame = self.looked.frame if self.looked is not None else None
        if frame is None or self.packet >= len(frame.packets):
            return None
        return describe(frame.packets[self.packet], frame.lock.rate)

    def tell(self, number: int) -> None:
        """Tell another packet; before the first comes the last."""
        count = len(self.looked.frame.packets) if self.looked is not None else 0
        self.packet = number % count if count else 0
        self.packet_changed.emit()

    # -- the loop ----------------------------------------------------------------------------------------------

    def look(self, on: bool) -> None:
        """Somebody looks at the view, or no longer: nothing is sent for nobody."""
        self._seen = on
        if on:
            self.feeds.want()
        else:
            self.door.workers.rest_soon()
        self.deck.look(on and self.page == PAGES[1])
        self.refresh()

    def show_page(self, page: str) -> None:
        """Go to a page of the view."""
        self.page = page
        self.look(self._seen)

    def level(self) -> float:
        document = self.door.document
        return document.template.sound.line_up_dbfs if document is not None else -18.0

    def refresh(self) -> None:
        """Begin to send what is wanted now, or stop."""
        document, fmt = self.door.document, self.format
        self.wanted = None
        self.refused = ""
        if document is not None and fmt is not None:
            if self.interface not in self.options.interfaces():
                self.interface = ""
            chosen = document.template.line_up
            picture = chosen if self.picture == "bars" and chosen in sent_pictures() else self.picture
            feed = document.template.monitor
            clip = None
            if self.picture == "clip" and self.clip is not None and feed is not None:
                clip = ClipFeed(self.clip, feed.policy)
            own = [self.monitor] if self.monitor is not None else []
            start = _start(document.template.timecode, fmt)
            self.wanted = Setup(
                format=fmt,
                interface=self.interface,
                payload=self.payload,
                picture=picture,
                sound=self.sound,
                level_dbfs=self.level(),
                layout=sound_layouts()[document.template.sound.layout],
                start=start,
                monitors=(*own, *self.options.beside()),
                meter=self.meter or "dBFS",
                clip=clip,
            )
        if self.wanted is None:
            self.looked, self.faults, self.times = None, [], []
        if self._seen and self.page == PAGES[0] and self.wanted is not None:
            if self._sending is not None and self._live.running:
                self._sending.wanted, self._sending.heard, self._sending.parade = self.wanted, self.heard, self.parade
                self._live.hurry()
            else:
                self._sending = SendingLoop(self.wanted, self.heard, self.speaker, parade=self.parade)
                self._live.start(self._sending)
        else:
            self._live.stop()
        self.changed.emit()

    def _take(self, looked: ShownFrame | None) -> None:
        now = time.monotonic()
        if looked is None or looked.setup != self.wanted:
            return
        if self.looked is None or self.looked.setup != looked.setup:
            self.times, self.faults = [], []
        self.looked = looked
        self.times = [*self.times[-_COUNTED:], now]
        self.faults = [pair for pair in self.faults if now - pair[0] < _MINUTE_S][-200:]
        self.faults += [(now, fault) for fault in looked.frame.faults]
        if self.packet >= len(looked.frame.packets):
            self.packet = 0
        self.arrived.emit()

    def _ended(self, why: str) -> None:
        self.refused, self.looked = why, None
        self.changed.emit()

    def stop(self) -> None:
        """End for good: the window closes."""
        self._seen = False
        self._live.finish()
        self.deck.finish()


def _start(plan: TimecodePlan, fmt: SignalFormat) -> Timecode:
    """Return where the template's timecode starts, counted in frames of the feed; midnight where it cannot start so."""
    try:
        return start_timecode(plan.start, plan.drop and can_drop(fmt.rate), fmt.rate)
    except QuarryError:
        return Timecode(0, fmt.rate)
