"""Pictures beside one another in one linked view: side by side, wiped, split, blinking, or their difference."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.proof.bench import Place, Still, difference

#: How the pictures lie: the name, and what it does.
LAYOUTS = {
    "Side by side": "each picture whole, all moved and enlarged together",
    "Wipe": "the first left of the line, the second right of it; the line is dragged",
    "Split": "one picture, cut into as many parts as there are methods",
    "Blink": "all in the same place in turn, two a second",
    "Difference": "how the second parts from the first, around grey, amplified",
}
#: Screen pixels for each sample; 0 fits the whole picture.
ZOOMS = (0, 1, 2, 4, 8, 16)
GAINS = (1, 4, 8, 16, 32)
_BLINK_MS = 500
_GRIP = 9  # pixels at each side of the wipe's line that take hold of it


@dataclass(frozen=True)
class Pane:
    """One picture with its label; `still` is None until there is one, `note` says what it waits for or why there is none."""

    label: str
    still: Still | None
    note: str = ""


class Panes(QWidget):
    """Shows up to four pictures. Drag moves them, the wheel enlarges; `stepped` asks for another frame."""

    stepped = Signal(int)
    played = Signal()
    zoomed = Signal(int)
    pointed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.panes: list[Pane] = []
        self.layout_name = "Side by side"
        self.zoom = 0
        self.gain = 8
        self.wipe = 0.5
        self.field: int | None = None
        self.mark: Place | None = None
        self._centre = QPointF(0.5, 0.5)  # of the picture, as shares of its sides
        self._aspect = 1.0
        self._images: dict[tuple[int, int | None], tuple[Any, QImage]] = {}
        self._scaled: dict[tuple[Any, ...], QImage] = {}
        self._blink = 0
        self._held: QPointF | None = None
        self._wiping = False
        self._pointer: QPointF | None = None
        self._timer = QTimer(self, interval=_BLINK_MS)
        self._timer.timeout.connect(self._blinked)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pictures on the bench")
        sized(self).setMinimumHeight(160)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(900), theme.px(330))

    # -- what is shown ---------------------------------------------------------------------------------

    def show_panes(self, panes: list[Pane], aspect: float) -> None:
        """Show pictures; `aspect` is how wide a sample is for its height."""
        self.panes, self._aspect = panes, aspect
        shown = {id(pane.still) for pane in panes}
        self._images = {key: value for key, value in self._images.items() if key[0] in shown}
        self._scaled = {key: value for key, value in self._scaled.items() if set(key[0]) <= shown}
        self._point()
        self.update()

    def set_layout(self, name: str) -> None:
        """Lay the pictures otherwise."""
        self.layout_name = name
        if name == "Blink":
            self._timer.start()
        else:
            self._timer.stop()
        self.update()

    def set_zoom(self, zoom: int, at: QPointF | None = None) -> None:
        """Enlarge to so many screen pixels a sample, keeping the place under `at` (a widget's point) where it is."""
        before = self._place_at(at) if at is not None else None
        self.zoom = zoom
        if before is not None and at is not None:
            after = self._place_at(at)
            size = self._raster()
            if after is not None and size is not None:
                self._centre += QPointF((before.x() - after.x()) / size[0], (before.y() - after.y()) / size[1])
        self._keep_inside()
        self.zoomed.emit(zoom)
        self.update()

    def set_gain(self, gain: int) -> None:
        """Amplify differences otherwise."""
        self.gain = gain
        self.update()

    def set_field(self, field: int | None) -> None:
        """Look at one field (0 the upper, 1 the lower), or at whole frames."""
        self.field = field
        self.update()

    def go_to(self, place: Place) -> None:
        """Bring a place into the middle, enlarged, and mark it."""
        size = self._raster()
        if size is None:
            return
        self.mark = place
        self._centre = QPointF((place.x + place.width / 2) / size[0], (place.y + place.height / 2) / size[1])
        self.set_zoom(max(4, self.zoom))

    def _raster(self) -> tuple[int, int] | None:
        for pane in self.panes:
            if pane.still is not None:
                height, width = pane.still.shown.shape[:2]
                return width, height
        return None

    def _image(self, still: Still) -> QImage:
        key = id(still), self.field
        found = self._images.get(key)
        if found is None:
            pixels = still.shown if self.field is None else one_field(still.shown, self.field)
            pixels = np.ascontiguousarray(pixels)
            height, width = pixels.shape[:2]
            found = pixels, QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888)
            self._images[key] = found
        return found[1]

    def _difference(self, first: Still, second: Still) -> QImage:
        key = (id(first), id(second)), "difference", self.gain, self.field
        found = self._scaled.get(key)
        if found is None:
            pixels = difference(first.shown, second.shown, self.gain)
            pixels = pixels if self.field is None else one_field(pixels, self.field)
            height, width = pixels.shape[:2]
            found = QImage(
                np.ascontiguousarray(pixels).data, width, height, 3 * width, QImage.Format.Format_RGB888
            ).copy()
            self._scaled[key] = found
        return found

    # -- where it lies ---------------------------------------------------------------------------------

    def rooms(self) -> list[QRectF]:
        """Return the part of the widget that each picture has."""
        whole = QRectF(self.rect())
        if self.layout_name != "Side by side" or len(self.panes) < 2:
            return [whole] * max(1, len(self.panes))
        gap = theme.px(4)
        columns = 2 if len(self.panes) == 4 else len(self.panes)
        rows = 2 if len(self.panes) == 4 else 1
        width, height = (whole.width() - gap * (columns - 1)) / columns, (whole.height() - gap * (rows - 1)) / rows
        return [
            QRectF((n % columns) * (width + gap), (n // columns) * (height + gap), width, height)
            for n in range(len(self.panes))
        ]

    def _target(self, room: QRectF) -> QRectF:
        """Return where the whole picture lies for a room: more than the room where it is enlarged."""
        size = self._raster()
        assert size is not None
        if self.zoom:
            width, height = float(size[0] * self.zoom), float(size[1] * self.zoom)
        else:
            scale = min(room.width() / (size[0] * self._aspect), room.height() / size[1])
            width, height = size[0] * self._aspect * scale, size[1] * scale
        if not self.zoom:
            return QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)
        left, top = room.center().x() - self._centre.x() * width, room.center().y() - self._centre.y() * height
        return QRectF(round(left), round(top), width, height)

    def _keep_inside(self) -> None:
        self._centre = QPointF(min(max(self._centre.x(), 0), 1), min(max(self._centre.y(), 0), 1))

    def _place_at(self, point: QPointF) -> QPointF | None:
        """Return the sample and line under a point of the widget, or None where there is no picture."""
        size = self._raster()
        if size is None:
            return None
        for room in self.rooms():
            if room.contains(point):
                target = self._target(room)
                x = (point.x() - target.left()) / target.width() * size[0]
                y = (point.y() - target.top()) / target.height() * size[1]
                return QPointF(x, y)
        return None

    # -- painting --------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        rooms = self.rooms()
        stills = [pane.still for pane in self.panes]
        if self.layout_name == "Difference" and len(stills) > 1 and stills[0] and stills[1]:
            self._paint_picture(painter, rooms[0], self._difference(stills[0], stills[1]), rooms[0])
            self._caption(
                painter, rooms[0], f"{self.panes[1].label} against {self.panes[0].label}, × {self.gain}", left=True
            )
        elif self.layout_name in ("Wipe", "Split") and self._raster():
            self._paint_parts(painter, rooms[0])
        elif self.layout_name == "Blink" and self.panes:
            self._paint_pane(painter, self.panes[self._blink % len(self.panes)], rooms[0])
        else:
            for pane, room in zip(self.panes, rooms, strict=False):
                self._paint_pane(painter, pane, room)
        self._paint_marks(painter, rooms)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint_pane(self, painter: QPainter, pane: Pane, room: QRectF) -> None:
        if pane.still is not None:
            self._paint_picture(painter, room, self._image(pane.still), room)
        self._caption(painter, room, pane.label + (f" · {pane.note}" if pane.note else ""), left=True)

    def _paint_parts(self, painter: QPainter, room: QRectF) -> None:
        panes = self.panes[:2] if self.layout_name == "Wipe" else self.panes
        edges = [0.0, self.wipe, 1.0] if self.layout_name == "Wipe" else [n / len(panes) for n in range(len(panes) + 1)]
        if self.layout_name == "Wipe" and len(panes) < 2:
            edges = [0.0, 1.0]
        target = self._target(room).intersected(room)
        for pane, first, last in zip(panes, edges, edges[1:], strict=False):
            part = QRectF(
                target.left() + first * target.width(), target.top(), (last - first) * target.width(), target.height()
            )
            if pane.still is not None:
                self._paint_picture(painter, room, self._image(pane.still), part)
            self._caption(painter, part, pane.label + (f" · {pane.note}" if pane.note else ""), left=True)
        painter.setPen(QPen(theme.colour("lichen"), 1))
        for edge in edges[1:-1]:
            x = target.left() + edge * target.width()
            painter.drawLine(QPointF(x, target.top()), QPointF(x, target.bottom()))

    def _paint_picture(self, painter: QPainter, room: QRectF, image: QImage, part: QRectF) -> None:
        """Paint the part of a picture that lies in `part`, the whole lying for `room`."""
        target = self._target(room)
        painter.save()
        painter.setClipRect(part)
        if self.zoom:
            visible = target.intersected(part).toAlignedRect()
            across, down = target.width() / image.width(), target.height() / image.height()
            left, top = int((visible.left() - target.left()) / across), int((visible.top() - target.top()) / down)
            right = min(image.width(), int((visible.right() - target.left()) / across) + 2)
            bottom = min(image.height(), int((visible.bottom() - target.top()) / down) + 2)
            source = QRectF(left, top, right - left, bottom - top)
            place = QRectF(
                target.left() + left * across,
                target.top() + top * down,
                source.width() * across,
                source.height() * down,
            )
            painter.drawImage(place, image, source)
        else:
            painter.drawImage(target.toAlignedRect().topLeft(), self._fitted(image, target.toAlignedRect().size()))
        painter.restore()

    def _fitted(self, image: QImage, size: QSize) -> QImage:
        key = (), image.cacheKey(), size.width(), size.height()
        found = self._scaled.get(key)
        if found is None:
            if len(self._scaled) > 24:
                self._scaled.clear()
            found = image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
            self._scaled[key] = found
        return found

    def _caption(self, painter: QPainter, room: QRectF, text: str, *, left: bool) -> None:
        painter.setFont(theme.font(12))
        metrics = painter.fontMetrics()
        text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, max(20, int(room.width()) - theme.px(12)))
        box = QRectF(
            room.left(), room.top(), metrics.horizontalAdvance(text) + theme.px(12), metrics.height() + theme.px(4)
        )
        painter.fillRect(box, theme.colour("ground"))
        painter.setPen(theme.colour("chalk"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_marks(self, painter: QPainter, rooms: list[QRectF]) -> None:
        size = self._raster()
        if self.mark is None or size is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for room in rooms if self.layout_name == "Side by side" else rooms[:1]:
            target = self._target(room)
            across, down = target.width() / size[0], target.height() / size[1]
            box = QRectF(
                target.left() + self.mark.x * across, target.top() + self.mark.y * down, self.mark.width * across,
                self.mark.height * down,
            )  # fmt: skip
            painter.save()
            painter.setClipRect(room)
            for colour, grow in ((theme.colour("ground"), 1), (theme.colour("lichen"), 0)):
                painter.setPen(QPen(colour, 1))
                painter.drawRect(box.adjusted(-grow, -grow, grow, grow))
            painter.restore()

    def _blinked(self) -> None:
        self._blink += 1
        self.update()

    # -- hands -----------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = 1 if event.angleDelta().y() > 0 else -1
        index = min(max(ZOOMS.index(self.zoom) + step, 0), len(ZOOMS) - 1)
        self.set_zoom(ZOOMS[index], event.position())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = event.position()
        self._wiping = self._on_wipe(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held, self._wiping = None, False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        if self._wiping and self._raster():
            target = self._target(self.rooms()[0]).intersected(QRectF(self.rect()))
            self.wipe = min(max((event.position().x() - target.left()) / max(1, target.width()), 0), 1)
            self.update()
        elif self._held is not None and self.zoom and self._raster():
            target = self._target(self.rooms()[0])
            moved = event.position() - self._held
            self._held = event.position()
            self._centre -= QPointF(moved.x() / target.width(), moved.y() / target.height())
            self._keep_inside()
            self.update()
        near = self._on_wipe(event.position())
        self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.CrossCursor)
        self._point()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self._point()

    def _on_wipe(self, point: QPointF) -> bool:
        if self.layout_name != "Wipe" or not self._raster():
            return False
        target = self._target(self.rooms()[0]).intersected(QRectF(self.rect()))
        return abs(point.x() - target.left() - self.wipe * target.width()) < _GRIP

    def _point(self) -> None:
        """Say what lies under the pointer: place and codes of every picture."""
        place = self._place_at(self._pointer) if self._pointer is not None else None
        size = self._raster()
        if place is None or size is None or not (0 <= place.x() < size[0] and 0 <= place.y() < size[1]):
            self.pointed.emit("")
            return
        x, y = int(place.x()), int(place.y())
        values = []
        for pane in self.panes:
            if pane.still is not None:
                values.append(f"{pane.label} {' '.join(str(value) for value in codes_at(pane.still, x, y))}")
        self.pointed.emit(f"sample {x}, line {y} · " + " · ".join(values))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = ZOOMS.index(self.zoom)
        keys: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_Left: lambda: self.stepped.emit(-1),
            Qt.Key.Key_Right: lambda: self.stepped.emit(1),
            Qt.Key.Key_Space: lambda: self.played.emit(),
            Qt.Key.Key_Plus: lambda: self.set_zoom(ZOOMS[min(index + 1, len(ZOOMS) - 1)]),
            Qt.Key.Key_Minus: lambda: self.set_zoom(ZOOMS[max(index - 1, 0)]),
        }
        act = keys.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()


def one_field(pixels: NDArray[np.uint8], field: int) -> NDArray[np.uint8]:
    """Return one field of a picture at full height, each of its lines twice."""
    lines = pixels[field::2].repeat(2, axis=0)
    return lines[: pixels.shape[0]]


def codes_at(still: Still, x: int, y: int) -> tuple[int, ...]:
    """Return the three code values at a sample; chroma is that of the block it lies in."""
    if still.coarse:
        return ()
    height, width = still.codes[0].shape
    return tuple(int(plane[y * plane.shape[0] // height, x * plane.shape[1] // width]) for plane in still.codes)
