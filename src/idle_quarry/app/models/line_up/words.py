"""What Line-up says: of the signal, of what each monitor makes of it, and of what follows from each choice."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.line.transport import INTERFACES
from idle_quarry.line.writing.sending import sent_pictures
from idle_quarry.path.findings.sound import db
from idle_quarry.path.monitoring import misread, response_of
from idle_quarry.signal.words import format_words
from idle_quarry.sound.meters import PEAK_TYPES

if TYPE_CHECKING:
    from idle_quarry.app.models.line_up.line_up import LineUp


class LineUpWords:
    """Words made from a model's facts; nothing is kept here."""

    def __init__(self, model: LineUp) -> None:
        self._model = model

    def title(self) -> str:
        document, monitor = self._model.door.document, self._model.monitor
        if document is None:
            return ""
        return f"{document.template.name} → {monitor.name if monitor is not None else 'no monitor'}"

    def state(self) -> str:
        """Return what travels over what, and what the template's monitor makes of it."""
        fmt = self._model.format
        if self._model.refused:
            return self._model.refused
        if fmt is None:
            return ""
        if self._model.looked is None:
            return "Sending begins; the first time on a machine this takes up to a minute."
        way = INTERFACES.get(self._model.looked.frame.lock.interface or "")
        over = f" over {way.text}" if way is not None else ""
        return f"{format_words(fmt, fields=True)}{over} · {self.face(0)}"

    def face(self, place: int) -> str:
        """Return what a monitor makes of the signal: 0 is the template's own."""
        looked, fmt = self._model.looked, self._model.format
        if looked is None or fmt is None or place >= len(looked.faces):
            return ""
        what = looked.faces[place].response
        if what.seen is None:
            return f"no lock: {'; '.join(what.why)}"
        wrong = misread(what.seen, fmt)
        return "; ".join(wrong) or f"{format_words(what.seen)}, shown as meant"

    def face_state(self, place: int) -> str:
        """Return "black", "not as meant", "shown", or "" where nothing is known."""
        looked, fmt = self._model.looked, self._model.format
        if looked is None or fmt is None or place >= len(looked.faces):
            return ""
        seen = looked.faces[place].response.seen
        return "black" if seen is None else "not as meant" if misread(seen, fmt) else "shown"

    def format(self) -> str:
        """Return what follows from the format that is sent."""
        fmt, monitor = self._model.format, self._model.monitor
        if fmt is None or monitor is None:
            return ""
        what = response_of(monitor, fmt, self._model.interface, payload=self._model.payload)
        if what.seen is None:
            return f"stays black: {'; '.join(what.why)}"
        return "; ".join(what.notes) or f"{monitor.name} shows it"

    def interface(self) -> str:
        looked = self._model.looked
        if looked is None:
            return ""
        timing = looked.frame.lock.timing
        code = looked.frame.active_format
        shape = f"; active format {code}" if code is not None else ""
        return f"{timing.samples} × {timing.raster.lines} with blanking{shape}"

    def payload(self) -> str:
        """Return what follows from sending an identifier, or none."""
        monitor = self._model.monitor
        how = {"heeded": "heeds it", "ignored": "ignores it", "needed": "needs it"}
        told_of = f"{monitor.name} {how[monitor.payload]}" if monitor is not None else ""
        return told_of if self._model.payload else f"nothing tells PsF from fields, or HDR from SDR; {told_of}"

    def sound(self) -> str:
        looked = self._model.looked
        if self._model.picture == "clip" and self._model.clip is not None:
            return "the clip's own" if self._model.clip.declared.audio else "the clip has none"
        channels = 0 if looked is None else len(looked.setup.layout.channels)
        return (
            f"{channels} channels at {db(self._model.level())} dBFS"
            if self._model.sound != "silence"
            else "nothing is heard"
        )

    def heard(self) -> str:
        """Return why nothing is heard, or where it is."""
        if self._model.heard is None:
            return "nothing is played here"
        return self._model.mute or "on this machine's output"

    def picture(self) -> str:
        clip = self._model.clip
        if self._model.picture == "clip" and clip is not None:
            was = format_words(clip.format, fields=True) if clip.format is not None else "unknown"
            return f"{was}, through the template's monitor link"
        return sent_pictures()[self._model.picture].text

    def meter(self) -> str:
        return PEAK_TYPES[self._model.meter].text if self._model.meter else ""

    def rate(self) -> str:
        """Return how many pictures a second are shown, and how long each takes."""
        looked = self._model.looked
        if looked is None or len(self._model.times) < 3:
            return ""
        exact = (len(self._model.times) - 1) / (self._model.times[-1] - self._model.times[0])
        wanted = float(looked.setup.format.rate) / looked.setup.format.rate.denominator**0
        wanted /= 2 if looked.frame.lock.interface == "3G-B" and wanted > 30 else 1
        sent, read, drawn = looked.took_ms
        if exact >= wanted * 0.97:
            return f"{wanted:.4g} frames a second"
        return (
            f"{exact:.1f} of {wanted:.4g} frames a second: sent in {sent:.0f}, read in {read:.0f}, drawn in"
            f" {drawn:.0f} ms"
        )

    def faults(self) -> list[str]:
        """Return the faults of the last minute, the newest first, each kind and text once."""
        results: dict[str, int] = {}
        for _, fault in reversed(self._model.faults):
            text = f"{fault.kind}: {fault.text}" + (f" (line {fault.line})" if fault.line else "")
            results[text] = results.get(text, 0) + 1
        return [f"{text}, {count} times" if count > 1 else text for text, count in results.items()]
