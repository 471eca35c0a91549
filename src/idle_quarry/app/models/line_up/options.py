"""What can be chosen in a line-up: monitors, formats, interfaces, pictures and channels."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from idle_quarry.line.transport import transports
from idle_quarry.line.writing.sending import SOUNDS, sent_pictures
from idle_quarry.path.beginning.beginnings import monitor_for
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.entries import Monitor
from idle_quarry.path.findings.monitoring import acceptable_formats
from idle_quarry.path.monitoring import response_of
from idle_quarry.path.registry import monitors, sound_layouts
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.models.line_up.line_up import LineUp

#: How many monitors stand beside the template's own.
BESIDE = 2


class LineUpOptions:
    """What can be sent, and to which monitors, for the template that is open."""

    def __init__(self, line_up: LineUp) -> None:
        self._line_up, self._door = line_up, line_up.door
        self._beside: list[str] = []

    def known(self) -> dict[str, Monitor]:
        """Return every monitor, the house's own first."""
        own = {entry.id: entry for entry in self._door.house.value.entries if isinstance(entry, Monitor)}
        carried = {self._line_up.monitor.id: self._line_up.monitor} if self._line_up.monitor is not None else {}
        return {**own, **{ident: monitors()[ident] for ident in monitors()}, **carried}

    def beside(self) -> list[Monitor]:
        """Return the monitors that stand beside the template's own."""
        known = self.known()
        own = self._line_up.monitor.id if self._line_up.monitor is not None else ""
        chosen = [ident for ident in self._beside if ident in known and ident != own]
        chosen += [ident for ident in known if ident != own and ident not in chosen]
        return [known[ident] for ident in chosen[:BESIDE]]

    def compare(self, place: int, ident: str) -> None:
        """Show another monitor beside the template's own."""
        now = [monitor.id for monitor in self.beside()]
        if ident in now:
            other = now.index(ident)
            now[other] = now[place]
        now[place] = ident
        self._beside = now
        self._line_up.refresh()

    def pairs(self) -> dict[int, str]:
        """Return what can be listened to: nothing (−1), or two channels, by the first of them."""
        document = self._door.document
        count = len(sound_layouts()[document.template.sound.layout].channels) if document is not None else 0
        if self._line_up.picture == "clip" and self._line_up.clip is not None:
            count = sum(track.channels for track in self._line_up.clip.declared.audio)
        named = {
            n: f"Channels {n + 1} and {n + 2}" if n + 1 < count else f"Channel {n + 1}" for n in range(0, count, 2)
        }
        return {-1: "Nothing", **named}

    def set_format(self, fmt: SignalFormat) -> None:
        """Have the template send another format."""
        self._door.edit(f"Send {format_words(fmt)}", Edit("monitor.format", fmt))

    def set_monitor(self, ident: str) -> None:
        """Give the template another monitor."""
        self._door.edit("Other monitor", Edit("monitor.monitor", ident))

    def add_monitor(self) -> None:
        """Give the template a monitor that shows the programme, or what comes nearest."""
        document = self._door.document
        if document is not None:
            self._door.edit("Add monitor", Edit("monitor", monitor_for(document.template.working.format)))

    def formats(self) -> list[SignalFormat]:
        """Return what can be sent: what is sent now, then what the monitor shows, the nearest to the programme
        first.
        """
        document, monitor, now = self._door.document, self._line_up.monitor, self._line_up.format
        if document is None or now is None:
            return []
        formats = acceptable_formats(monitor, document.template.working.format)[:12] if monitor is not None else []
        return [now, *(fmt for fmt in formats if fmt != now)]

    def interfaces(self) -> Mapping[str, str]:
        """Return the interfaces that carry the format, by id, in words."""
        fmt = self._line_up.format
        ways = [] if fmt is None else list(transports(fmt))
        return {way.interface.id: way.interface.text for way in ways}

    def pictures(self) -> Mapping[str, str]:
        """Return the pictures that can be sent, by id."""
        tests = {sent_picture.id: sent_picture.name for sent_picture in sent_pictures().values()}
        clip = {"clip": self._line_up.clip.path.name} if self._line_up.clip is not None else {}
        return {**tests, **clip, "other clip": "A clip…"}

    def remedy(self) -> tuple[str, SignalFormat] | None:
        """Return what would be shown as meant instead of what is sent: its words and the format.

        None where nothing is wrong.
        """
        fmt, monitor = self._line_up.format, self._line_up.monitor
        if fmt is None or monitor is None:
            return None
        now = response_of(monitor, fmt, self._line_up.interface, payload=self._line_up.payload)
        if now.state == "shown":
            return None
        fits = [fmt for fmt in self.formats() if response_of(monitor, fmt).state == "shown"]
        return (f"Send {format_words(fits[0])}", fits[0]) if fits else None


def send_with(model: LineUp, name: str, value: str) -> None:
    """Send one thing that was chosen, by the name of what it is."""
    {
        "picture": lambda: model.send(picture=value),
        "sound": lambda: model.send(sound=value),
        "interface": lambda: model.send(interface=value),
        "payload": lambda: model.send(payload=value == "yes"),
    }[name]()


#: What sound can be sent, by id.
SENT_SOUNDS = dict(SOUNDS)
