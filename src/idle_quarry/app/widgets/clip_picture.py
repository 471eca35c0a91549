"""A clip's picture to scrub through: woven or field by field, with its active picture, and its motion ribbon below."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.drawing.ribbon import draw_ribbon
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.work import Ticket, Workers
from idle_quarry.errors import QuarryError
from idle_quarry.media import Clip
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.picture.scopes import Counts, field_shown, histogram, vectors, waveform
from idle_quarry.signal.timecode import Timecode

WOVEN, FIELDS = "woven", "fields"


@dataclass(frozen=True)
class Seen:
    """A frame as it was decoded: its R′G′B′ and what scopes make of its codes."""

    clip: Clip
    frame: int
    rgb: NDArray[np.uint8]
    bits: int
    waveform: Counts
    histogram: Counts
    vectors: Counts | None


def _seen(source: FrameSource, frame: int, _ticket: Ticket) -> Seen | None:
    picture = source.frame(frame)
    if picture is None:
        return None
    chroma = None if picture.chroma is None else vectors(picture.chroma, picture.bits)
    return Seen(
        source.clip, picture.index, shown(picture, source.clip), picture.bits, waveform(picture.luma, picture.bits),
        histogram(picture.luma, picture.bits), chroma,
    )  # fmt: skip


class ClipPicture(QWidget):
    """Shows one frame of a clip. Left and Right step, Page keys by a second, F fields, Z samples one for one."""

    seen = Signal(object)

    def __init__(self, workers: Workers) -> None:
        super().__init__()
        self._workers = workers
        self._source: FrameSource | None = None
        self._ticket: Ticket | None = None
        self._seen: Seen | None = None
        self._image: QImage | None = None
        self._trouble = ""
        self.frame = 0
        self.second_field = False
        self.mode = WOVEN
        self.one_to_one = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture of the clip")
        sized(self).setMinimumWidth(330)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(300))

    # -- what is shown ---------------------------------------------------------------------------------

    def show_clip(self, clip: Clip | None) -> None:
        """Show a clip from its middle, or nothing."""
        if self._ticket is not None:
            self._ticket.cancel()
        old, self._source = self._source, None
        if old is not None:
            self._workers.start(lambda _ticket: old.close(), lambda _none: None, lambda _error: None)
        self._seen, self._image, self._trouble = None, None, ""
        self.second_field = False
        if clip is not None and clip.declared.has_picture:
            self._source = FrameSource(clip)
            self.go((clip.declared.frames or 2) // 2)
        else:
            self._trouble = "sound only" if clip is not None else ""
            self.update()

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
        self._ticket = self._workers.start(partial(_seen, self._source, self.frame), self._arrived, self._failed)
        self.update()

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

    def _arrived(self, found: Seen | None) -> None:
        self._ticket = None
        if found is None:
            self._trouble = "this picture cannot be decoded"
        elif self._source is not None and found.clip is self._source.clip:
            self._seen, self._trouble = found, ""
            self._remake()
            self.seen.emit(found)
        self.update()

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self._trouble = error.what
        self.update()

    def _order(self) -> str:
        clip = self.clip
        fields = clip.measured.fields if clip and clip.measured else None
        order = (fields.field_order if fields else None) or (clip.declared.field_order if clip else None)
        return order or "top"

    def _remake(self) -> None:
        if self._seen is None:
            return
        rgb = self._seen.rgb
        if self.mode == FIELDS:
            first = self._order()
            rgb = field_shown(rgb, first if not self.second_field else {"top": "bottom", "bottom": "top"}[first])
        height, width = rgb.shape[:2]
        self._image = QImage(rgb.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
        self.update()

    # -- drawing ---------------------------------------------------------------------------------------

    def _picture_room(self) -> QRectF:
        return QRectF(0, 0, self.width(), max(40, self.height() - theme.px(48)))

    def _ribbon_room(self) -> QRectF:
        room = self._picture_room()
        return QRectF(theme.px(8), room.bottom() + theme.px(7), self.width() - theme.px(16), theme.px(16))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        room = self._picture_room()
        painter.fillRect(self.rect(), theme.colour("bench"))
        painter.fillRect(room, theme.colour("surround"))
        clip = self.clip
        if self._image is None or clip is None:
            painter.setPen(theme.colour("dust"))
            painter.setFont(theme.font(13))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, self._trouble or ("reading" if clip else ""))
            return
        target, source = self._placed(room, clip)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not self.one_to_one)
        painter.drawImage(target, self._image, source)
        if not self.one_to_one:
            self._paint_active(painter, target, clip)
        fields = clip.measured.fields if clip.measured else None
        if fields is not None:
            draw_ribbon(painter, self._ribbon_room(), fields, clip.declared.frames, frame=self.frame)
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("dust"))
        line = QRectF(theme.px(8), self.height() - theme.px(21), self.width() - theme.px(16), theme.px(18))
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.caption())
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "← →  F  Z")
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _placed(self, room: QRectF, clip: Clip) -> tuple[QRectF, QRectF]:
        """Return where the picture lands, and which part of it."""
        assert self._image is not None
        whole = QRectF(0, 0, self._image.width(), self._image.height())
        if self.one_to_one:
            width, height = min(room.width(), whole.width()), min(room.height(), whole.height())
            part = QRectF(0, 0, width, height)
            part.moveCenter(whole.center())
            part.moveTopLeft(QPointF(round(part.left()), round(part.top() / 2) * 2))
            target = QRectF(0, 0, width, height)
            target.moveCenter(room.center())
            return QRectF(target.toRect()), part
        aspect = float(clip.declared.display_aspect) or whole.width() / whole.height()
        width = min(room.width(), room.height() * aspect)
        target = QRectF(0, 0, width, width / aspect)
        target.moveCenter(room.center())
        return target, whole

    def _paint_active(self, painter: QPainter, target: QRectF, clip: Clip) -> None:
        active = clip.measured.active if clip.measured else None
        d = clip.declared
        if active is None or (active.width, active.height) == (d.width, d.height):
            return
        across, down = target.width() / d.width, target.height() / d.height
        painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(
            QRectF(
                target.left() + active.x * across, target.top() + active.y * down, active.width * across,
                active.height * down,
            )
        )  # fmt: skip

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
        return text + (" · 1:1" if self.one_to_one else "")

    # -- hands -----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        clip = self.clip
        second = round(float(clip.declared.rate or 25)) if clip is not None else 25
        keys = {
            Qt.Key.Key_Left: lambda: self.step(-1),
            Qt.Key.Key_Right: lambda: self.step(1),
            Qt.Key.Key_PageUp: lambda: self.go(self.frame - second),
            Qt.Key.Key_PageDown: lambda: self.go(self.frame + second),
            Qt.Key.Key_Home: lambda: self.go(0),
            Qt.Key.Key_End: lambda: self.go(self.last),
            Qt.Key.Key_F: lambda: self.set_mode(FIELDS if self.mode == WOVEN else WOVEN),
            Qt.Key.Key_Z: self._zoom,
        }
        act = keys.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()

    def _zoom(self) -> None:
        self.one_to_one = not self.one_to_one
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._scrub(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._scrub(event.position())

    def _scrub(self, point: QPointF) -> None:
        ribbon = self._ribbon_room()
        if ribbon.adjusted(0, -6, 0, 6).contains(point):
            self.go(int((point.x() - ribbon.left()) / ribbon.width() * (self.last + 1)))
