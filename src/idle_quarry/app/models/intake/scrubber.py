"""A clip that is scrubbed through: which frame or field is looked at, and what was decoded of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.media import Clip
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.picture.scopes import Counts, field_shown, histogram, vectors, waveform
from idle_quarry.signal.timecode import Timecode

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

WOVEN, FIELDS = "woven", "fields"


@dataclass(frozen=True)
class ScrubbedFrame:
    """A frame as it was decoded: its R′G′B′ and what scopes make of its codes."""

    clip: Clip
    frame: int
    rgb: NDArray[np.uint8]
    bits: int
    waveform: Counts
    histogram: Counts
    vectors: Counts | None


def _seen(source: FrameSource, frame: int, _ticket: Ticket) -> ScrubbedFrame | None:
    picture = source.frame(frame)
    if picture is None:
        return None
    chroma = None if picture.chroma is None else vectors(picture.chroma, picture.bits)
    return ScrubbedFrame(
        source.clip,
        picture.index,
        shown(picture, source.clip),
        picture.bits,
        waveform(picture.luma, picture.bits),
        histogram(picture.luma, picture.bits),
        chroma,
    )


class Scrubber(QObject):
    """`decoded` carries what was seen of a frame; `changed`: something else is to be shown."""

    decoded = Signal(object)
    changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self._door = door
        self._source: FrameSource | None = None
        self._ticket: Ticket | None = None
        self.seen: ScrubbedFrame | None = None
        self.rgb: NDArray[np.uint8] | None = None  #: what is looked at: the frame, or one of its fields
        self.trouble = ""
        self.frame = 0
        self.second_field = False
        self.mode = WOVEN
        door.workers.at_rest.append(self._let_go)

    def _let_go(self) -> None:
        source = self._source
        if source is not None:
            source.close()  # the next frame opens it again

    def show_clip(self, clip: Clip | None) -> None:
        """Show a clip from its middle, or nothing."""
        if self._ticket is not None:
            self._ticket.cancel()
        old, self._source = self._source, None
        if old is not None:
            self._door.workers.start(lambda _ticket: old.close(), lambda _none: None, lambda _error: None)
        self.seen, self.rgb, self.trouble = None, None, ""
        self.second_field = False
        if clip is not None and clip.declared.has_picture:
            self._source = FrameSource(clip)
            self.go((clip.declared.frames or 2) // 2)
        else:
            self.trouble = "sound only" if clip is not None else ""
            self.changed.emit()

    @property
    def clip(self) -> Clip | None:
        return self._source.clip if self._source is not None else None

    @property
    def last(self) -> int:
        """The number of the last frame."""
        return max(0, (self.clip.declared.frames or 1) - 1) if self.clip is not None else 0

    def go(self, frame: int) -> None:
        """Show a frame; the newest request wins."""
        if self._source is None:
            return
        self.frame = min(max(0, frame), self.last)
        if self._ticket is not None:
            self._ticket.cancel()
        self._ticket = self._door.workers.start(partial(_seen, self._source, self.frame), self._arrived, self._failed)
        self.changed.emit()

    def set_mode(self, mode: str) -> None:
        """Show frames woven, or field by field."""
        self.mode, self.second_field = mode, False
        self._remake()

    def step(self, by: int) -> None:
        """Go on by frames, or by fields where fields are shown."""
        if self.mode == WOVEN:
            self.go(self.frame + by)
            return
        at = 2 * self.frame + self.second_field + by
        frame, self.second_field = at // 2, bool(at % 2)
        if frame == self.frame:
            self._remake()
        else:
            self.go(frame)

    def _arrived(self, frame: ScrubbedFrame | None) -> None:
        self._ticket = None
        if frame is None:
            self.trouble = "this picture cannot be decoded"
        elif self._source is not None and frame.clip is self._source.clip:
            self.seen, self.trouble = frame, ""
            self._remake()
            self.decoded.emit(frame)
        self.changed.emit()

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.trouble = error.what
        self.changed.emit()

    def _order(self) -> str:
        clip = self.clip
        fields = clip.measured.fields if clip and clip.measured else None
        order = (fields.field_order if fields else None) or (clip.declared.field_order if clip else None)
        return order or "top"

    def _remake(self) -> None:
        if self.seen is None:
            return
        rgb = self.seen.rgb
        if self.mode == FIELDS:
            first = self._order()
            rgb = field_shown(rgb, first if not self.second_field else {"top": "bottom", "bottom": "top"}[first])
        self.rgb = rgb
        self.changed.emit()

    def caption(self) -> str:
        """Return which frame and field are shown, and its timecode where the clip has one."""
        clip = self.clip
        if clip is None:
            return ""
        d = clip.declared
        text = f"frame {self.frame} of {self.last + 1}"
        if self.mode == FIELDS:
            first = self._order() == "top"
            text += f", {'upper' if first != self.second_field else 'lower'} field"
        if d.timecode and d.rate:
            try:
                text += f" · {Timecode.from_text(d.timecode, d.rate) + self.frame}"
            except QuarryError:
                text += f" · starts {d.timecode}"
        return text
