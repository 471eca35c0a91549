"""Lining up: what the monitoring output of the open template sends, what monitors make of it, and what is heard."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.document import Document
from idle_quarry.app.live import Live
from idle_quarry.app.models.by_eye import ByEye
from idle_quarry.app.models.feeds import Feeds
from idle_quarry.errors import QuarryError
from idle_quarry.line.chain import Chain, Looked, Setup
from idle_quarry.line.faults import Fault
from idle_quarry.line.sending import SOUNDS, sent_pictures
from idle_quarry.line.told import Told, told
from idle_quarry.line.transport import INTERFACES, transports
from idle_quarry.path.beginnings import monitor_for
from idle_quarry.path.edits import Edit
from idle_quarry.path.entries import Monitor
from idle_quarry.path.findings.monitoring import acceptable_formats
from idle_quarry.path.findings.sound import db
from idle_quarry.path.monitoring import misread, taken
from idle_quarry.path.registry import monitors, sound_layouts
from idle_quarry.path.template import TimecodePlan
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode, can_drop, start_timecode
from idle_quarry.signal.words import format_words
from idle_quarry.sound.meters import PEAK_TYPES, USUAL_TYPE

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk

#: How many monitors stand beside the template's own.
BESIDE = 2
#: Over how many frames the rate of pictures is counted.
_COUNTED = 12
_MINUTE_S = 60.0


class LineUp(QObject):
    """`changed`: what is sent, or to what; `arrived`: a frame was received and looked at; `packet_changed`: another is told."""

    changed = Signal()
    arrived = Signal()
    packet_changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.looked: Looked | None = None
        self.refused = ""  #: why nothing is sent
        self.picture, self.sound, self.interface, self.payload = "bars", "tone", "", True
        self.meter = ""
        self.packet = 0  #: which of the frame's packets is told
        self.feeds = Feeds(desk)
        self.by_eye = ByEye(self)
        self._beside: list[str] = []
        self._seen = False
        self._followed: Document | None = None
        self._live = Live(self)
        self._live.arrived.connect(self._take)
        self._live.failed.connect(self._ended)
        self._wanted: Setup | None = None
        self._chain: Chain | None = None
        self._times: list[float] = []
        self._faults: list[tuple[float, Fault]] = []
        desk.documents.opened.connect(self._opened)
        desk.house.changed.connect(self._refresh)
        self._opened()

    # -- what is sent, and to what -----------------------------------------------------------------------------

    def _opened(self) -> None:
        document = self.desk.document
        if document is not self._followed:
            if self._followed is not None:
                self._followed.changed.disconnect(self._refresh)
            self._followed = document
            if document is not None:
                document.changed.connect(self._refresh)
                self.interface, self.meter = "", USUAL_TYPE.get(document.template.territory, "dBFS")
        self._refresh()

    @property
    def format(self) -> SignalFormat | None:
        """The format that the template sends its monitor, None where it has none."""
        document = self.desk.document
        feed = document.template.monitor if document is not None else None
        return feed.format if feed is not None else None

    @property
    def monitor(self) -> Monitor | None:
        """The template's monitor."""
        document = self.desk.document
        feed = document.template.monitor if document is not None else None
        return monitors().get(feed.monitor) if feed is not None else None

    def known(self) -> dict[str, Monitor]:
        """Return every monitor, the house's own first."""
        own = {each.id: each for each in self.desk.house.value.entries if isinstance(each, Monitor)}
        carried = {self.monitor.id: self.monitor} if self.monitor is not None else {}
        return {**own, **{ident: monitors()[ident] for ident in monitors()}, **carried}

    def beside(self) -> list[Monitor]:
        """Return the monitors that stand beside the template's own."""
        known = self.known()
        own = self.monitor.id if self.monitor is not None else ""
        chosen = [ident for ident in self._beside if ident in known and ident != own]
        chosen += [ident for ident in known if ident != own and ident not in chosen]
        return [known[ident] for ident in chosen[:BESIDE]]

    def compare(self, place: int, ident: str) -> None:
        """Show another monitor beside the template's own."""
        now = [each.id for each in self.beside()]
        if ident in now:
            other = now.index(ident)
            now[other] = now[place]
        now[place] = ident
        self._beside = now
        self._refresh()

    def send(
        self, *, picture: str = "", sound: str = "", interface: str | None = None, payload: bool | None = None
    ) -> None:
        """Send another picture or sound, or over another interface, with or without an identifier."""
        self.picture, self.sound = picture or self.picture, sound or self.sound
        self.interface = self.interface if interface is None else interface
        self.payload = self.payload if payload is None else payload
        self._refresh()

    def read_by(self, meter: str) -> None:
        """Read the sound by another type of meter."""
        self.meter = meter
        self._refresh()

    def set_format(self, fmt: SignalFormat) -> None:
        """Have the template send another format."""
        self.desk.edit(f"Send {format_words(fmt)}", Edit("monitor.format", fmt))

    def set_monitor(self, ident: str) -> None:
        """Give the template another monitor."""
        self.desk.edit("Other monitor", Edit("monitor.monitor", ident))

    def add_monitor(self) -> None:
        """Give the template a monitor that shows the programme, or what comes nearest."""
        document = self.desk.document
        if document is not None:
            self.desk.edit("Add monitor", Edit("monitor", monitor_for(document.template.working.format)))

    def formats(self) -> list[SignalFormat]:
        """Return what can be sent: what is sent now, then what the monitor shows, the nearest to the programme first."""
        document, monitor, now = self.desk.document, self.monitor, self.format
        if document is None or now is None:
            return []
        shown = acceptable_formats(monitor, document.template.working.format)[:12] if monitor is not None else []
        return [now, *(each for each in shown if each != now)]

    def interfaces(self) -> Mapping[str, str]:
        """Return the interfaces that carry the format, by id, in words."""
        fmt = self.format
        ways = [] if fmt is None else list(transports(fmt))
        return {way.interface.id: way.interface.text for way in ways}

    def pictures(self) -> Mapping[str, str]:
        """Return the pictures that can be sent, by id."""
        return {each.id: each.name for each in sent_pictures().values()}

    # -- what follows, in words --------------------------------------------------------------------------------

    def title_words(self) -> str:
        document, monitor = self.desk.document, self.monitor
        if document is None:
            return ""
        return f"{document.template.name} → {monitor.name if monitor is not None else 'no monitor'}"

    def state_words(self) -> str:
        """Return what travels over what, and what the template's monitor makes of it."""
        fmt = self.format
        if self.refused:
            return self.refused
        if fmt is None or self.looked is None:
            return ""
        way = INTERFACES.get(self.looked.frame.lock.interface or "")
        over = f" over {way.text}" if way is not None else ""
        return f"{format_words(fmt, fields=True)}{over} · {self.face_words(0)}"

    def face_words(self, place: int) -> str:
        """Return what a monitor makes of the signal: 0 is the template's own."""
        looked, fmt = self.looked, self.format
        if looked is None or fmt is None or place >= len(looked.faces):
            return ""
        what = looked.faces[place].taken
        if what.seen is None:
            return f"no lock: {'; '.join(what.why)}"
        wrong = misread(what.seen, fmt)
        return "; ".join(wrong) or f"{format_words(what.seen)}, shown as meant"

    def face_state(self, place: int) -> str:
        """Return "black", "not as meant", "shown", or "" where nothing is known."""
        looked, fmt = self.looked, self.format
        if looked is None or fmt is None or place >= len(looked.faces):
            return ""
        seen = looked.faces[place].taken.seen
        return "black" if seen is None else "not as meant" if misread(seen, fmt) else "shown"

    def format_follows(self) -> str:
        """Return what follows from the format that is sent."""
        fmt, monitor = self.format, self.monitor
        if fmt is None or monitor is None:
            return ""
        what = taken(monitor, fmt, self.interface, payload=self.payload)
        if what.seen is None:
            return f"stays black: {'; '.join(what.why)}"
        return "; ".join(what.notes) or f"{monitor.name} shows it"

    def interface_follows(self) -> str:
        looked = self.looked
        if looked is None:
            return ""
        timing = looked.frame.lock.timing
        return f"{timing.samples} × {timing.raster.lines} with blanking"

    def payload_follows(self) -> str:
        """Return what follows from sending an identifier, or none."""
        monitor = self.monitor
        how = {"heeded": "heeds it", "ignored": "ignores it", "needed": "needs it"}
        told_of = f"{monitor.name} {how[monitor.payload]}" if monitor is not None else ""
        return told_of if self.payload else f"nothing tells PsF from fields, or HDR from SDR; {told_of}"

    def sound_follows(self) -> str:
        looked = self.looked
        channels = 0 if looked is None else len(looked.setup.layout.channels)
        return f"{channels} channels at {db(self._level())} dBFS" if self.sound != "silence" else "nothing is heard"

    def picture_follows(self) -> str:
        return sent_pictures()[self.picture].text

    def meter_follows(self) -> str:
        return PEAK_TYPES[self.meter].text if self.meter else ""

    def remedy(self) -> tuple[str, SignalFormat] | None:
        """Return what would be shown as meant instead of what is sent: its words and the format; None where nothing is wrong."""
        fmt, monitor = self.format, self.monitor
        if fmt is None or monitor is None or taken(monitor, fmt, self.interface, payload=self.payload).state == "shown":
            return None
        fits = [each for each in self.formats() if taken(monitor, each).state == "shown"]
        return (f"Send {format_words(fits[0])}", fits[0]) if fits else None

    def rate_words(self) -> str:
        """Return how many pictures a second are shown, and how long each takes."""
        looked = self.looked
        if looked is None or len(self._times) < 3:
            return ""
        exact = (len(self._times) - 1) / (self._times[-1] - self._times[0])
        wanted = float(looked.setup.format.rate) / looked.setup.format.rate.denominator**0
        wanted /= 2 if looked.frame.lock.interface == "3G-B" and wanted > 30 else 1
        sent, read, drawn = looked.took_ms
        if exact >= wanted * 0.97:
            return f"{wanted:.4g} frames a second"
        return f"{exact:.1f} of {wanted:.4g} frames a second: sent in {sent:.0f}, read in {read:.0f}, drawn in {drawn:.0f} ms"

    # -- packets and faults ------------------------------------------------------------------------------------

    def packet_told(self) -> Told | None:
        """Return what the chosen packet of the frame says, in words."""
        frame = self.looked.frame if self.looked is not None else None
        if frame is None or self.packet >= len(frame.packets):
            return None
        return told(frame.packets[self.packet], frame.lock.rate)

    def tell(self, number: int) -> None:
        """Tell another packet; before the first comes the last."""
        count = len(self.looked.frame.packets) if self.looked is not None else 0
        self.packet = number % count if count else 0
        self.packet_changed.emit()

    def faults_words(self) -> list[str]:
        """Return the faults of the last minute, the newest first, each kind and text once."""
        made: dict[str, int] = {}
        for _, fault in reversed(self._faults):
            text = f"{fault.kind}: {fault.text}" + (f" (line {fault.line})" if fault.line else "")
            made[text] = made.get(text, 0) + 1
        return [f"{text}, {count} times" if count > 1 else text for text, count in made.items()]

    # -- the loop ----------------------------------------------------------------------------------------------

    def look(self, on: bool) -> None:
        """Somebody looks at the view, or no longer: nothing is sent for nobody."""
        self._seen = on
        if on:
            self.feeds.want()
        self._refresh()

    def _level(self) -> float:
        document = self.desk.document
        return document.template.sound.line_up_dbfs if document is not None else -18.0

    def _refresh(self) -> None:
        """Begin to send what is wanted now, or stop."""
        document, fmt = self.desk.document, self.format
        self._wanted = None
        self.refused = ""
        if document is not None and fmt is not None:
            if self.interface not in self.interfaces():
                self.interface = ""
            chosen = document.template.line_up
            picture = chosen if self.picture == "bars" and chosen in sent_pictures() else self.picture
            own = [self.monitor] if self.monitor is not None else []
            start = _start(document.template.timecode, fmt)
            self._wanted = Setup(
                fmt, self.interface, self.payload, picture, self.sound, self._level(),
                sound_layouts()[document.template.sound.layout], start, (*own, *self.beside()), self.meter or "dBFS",
            )  # fmt: skip
        if self._wanted is None:
            self.looked, self._faults, self._times = None, [], []
        if self._seen and self._wanted is not None:
            if not self._live.running:
                self._live.start(self._step, self._period)
        else:
            self._live.stop()
            self._let_go()
        self.changed.emit()

    def _step(self) -> Looked | None:
        """On the loop's thread: the next frame of what is wanted."""
        wanted = self._wanted
        if wanted is None:
            return None
        if self._chain is None or self._chain.setup != wanted:
            self._let_go()
            self._chain = Chain(wanted)
        return self._chain.step()

    def _let_go(self) -> None:
        if self._chain is not None:
            self._chain.close()
            self._chain = None

    def _period(self) -> float:
        return self._chain.period_s if self._chain is not None else 0.04

    def _take(self, looked: Looked | None) -> None:
        now = time.monotonic()
        if looked is None or looked.setup != self._wanted:
            return
        if self.looked is None or self.looked.setup != looked.setup:
            self._times, self._faults = [], []
        self.looked = looked
        self._times = [*self._times[-_COUNTED:], now]
        self._faults = [each for each in self._faults if now - each[0] < _MINUTE_S][-200:]
        self._faults += [(now, fault) for fault in looked.frame.faults]
        if self.packet >= len(looked.frame.packets):
            self.packet = 0
        self.arrived.emit()

    def _ended(self, why: str) -> None:
        self.refused, self.looked = why, None
        self._let_go()
        self.changed.emit()

    def stop(self) -> None:
        """End for good: the window closes."""
        self._seen = False
        self._live.stop()
        self._let_go()


def _start(plan: TimecodePlan, fmt: SignalFormat) -> Timecode:
    """Return where the template's timecode starts, counted in frames of the feed; midnight where it cannot start so."""
    try:
        return start_timecode(plan.start, plan.drop and can_drop(fmt.rate), fmt.rate)
    except QuarryError:
        return Timecode(0, fmt.rate)


def send_with(model: LineUp, name: str, value: str) -> None:
    """Send one thing that was chosen, by the name of what it is."""
    {
        "picture": lambda: model.send(picture=value), "sound": lambda: model.send(sound=value),
        "interface": lambda: model.send(interface=value), "payload": lambda: model.send(payload=value == "yes"),
    }[name]()  # fmt: skip


#: What sound can be sent, by id.
SENT_SOUNDS = dict(SOUNDS)
