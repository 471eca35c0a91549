"""Pictures beside one another in one linked view: side by side, wiped, split, blinking, or their difference."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.pane_images import PaneImages, codes_at
from idle_quarry.app.drawing.pane_painting import paint_mark, paint_picture, write_on
from idle_quarry.app.drawing.panes import ZOOMS, PaneLayout
from idle_quarry.app.models.proof.bench import Pane
from idle_quarry.proof.figures import PictureArea

_BLINK_MS = 500
_GRIP = 9  # pixels at each side of the wipe's line that take hold of it


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
        self.mark: PictureArea | None = None
        self._centre = QPointF(0.5, 0.5)
        self._aspect = 1.0
        self._images = PaneImages()
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

    # -- what is shown -----------------------------------------------------------------------------------------

    def show_panes(self, panes: list[Pane], aspect: float) -> None:
        """Show pictures; `aspect` is how wide a sample is for its height."""
        self.panes, self._aspect = panes, aspect
        self._images.keep([pane.still for pane in panes])
        self._point()
        self.update()

    @property
    def field(self) -> int | None:
        return self._images.field

    def set_field(self, field: int | None) -> None:
        """Look at one field (0 the upper, 1 the lower), or at whole frames."""
        self._images.field = field
        self.update()

    def set_layout(self, name: str) -> None:
        """Lay the pictures otherwise."""
        self.layout_name = name
        if name == "Blink":
            self._timer.start()
        else:
            self._timer.stop()
        self.update()

    def set_gain(self, gain: int) -> None:
        """Amplify differences otherwise."""
        self.gain = gain
        self.update()

    def set_zoom(self, zoom: int, at: QPointF | None = None) -> None:
        """Enlarge to so many screen pixels a sample, keeping the place under `at` (a widget's point) where it is."""
        pane_layout = self.seen()
        self.zoom = zoom
        if pane_layout is not None:
            self._centre = pane_layout.zoomed(zoom, at).centre
        self.zoomed.emit(zoom)
        self.update()

    def go_to(self, place: PictureArea) -> None:
        """Bring a place into the middle, enlarged, and mark it."""
        pane_layout = self.seen()
        if pane_layout is None:
            return
        self.mark = place
        across, down = (
            (place.x + place.width / 2) / pane_layout.raster[0],
            (place.y + place.height / 2) / pane_layout.raster[1],
        )
        self._centre = QPointF(across, down)
        self.set_zoom(max(4, self.zoom))

    def seen(self) -> PaneLayout | None:
        """Return the geometry of what is shown, None where there is no picture yet."""
        still = next((pane.still for pane in self.panes if pane.still is not None), None)
        if still is None:
            return None
        height, width = still.shown.shape[:2]
        return PaneLayout(
            width=self.width(),
            height=self.height(),
            gap=theme.px(4),
            count=len(self.panes),
            layout=self.layout_name,
            raster=(width, height),
            aspect=self._aspect,
            zoom=self.zoom,
            centre=self._centre,
        )

    # -- painting ----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        pane_layout = self.seen()
        if pane_layout is None:
            for number, pane in enumerate(self.panes):
                share = self.width() / len(self.panes)
                self._caption(painter, QRectF(number * share, 0, share, self.height()), pane)
        else:
            self._paint(painter, pane_layout)
            if self.mark is not None:
                paint_mark(painter, pane_layout, self.mark)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint(self, painter: QPainter, pane_layout: PaneLayout) -> None:
        rooms, panes = pane_layout.rooms(), self.panes
        if self.layout_name == "Difference" and len(panes) > 1:
            first, second = panes[0].still, panes[1].still
            if first is not None and second is not None and first.shown.shape == second.shown.shape:
                image = self._images.difference(first, second, self.gain)
                paint_picture(painter, pane_layout, rooms[0], image, rooms[0], self._images)
                write_on(painter, rooms[0], f"{panes[1].label} against {panes[0].label}, × {self.gain}")
                return
        if self.layout_name in ("Wipe", "Split"):
            self._parts(painter, pane_layout, rooms[0])
        elif self.layout_name == "Blink":
            self._whole(painter, pane_layout, panes[self._blink % len(panes)], rooms[0])
        else:
            for pane, room in zip(panes, rooms, strict=False):
                self._whole(painter, pane_layout, pane, room)

    def _whole(self, painter: QPainter, pane_layout: PaneLayout, pane: Pane, room: QRectF) -> None:
        if pane.still is not None:
            paint_picture(painter, pane_layout, room, self._images.of(pane.still), room, self._images)
        self._caption(painter, room, pane)

    def _parts(self, painter: QPainter, pane_layout: PaneLayout, room: QRectF) -> None:
        edges, target = pane_layout.edges(self.wipe), pane_layout.target(room).intersected(room)
        for pane, first, last in zip(self.panes, edges, edges[1:], strict=False):
            left = target.left() + first * target.width()
            part = QRectF(left, target.top(), (last - first) * target.width(), target.height())
            if pane.still is not None:
                paint_picture(painter, pane_layout, room, self._images.of(pane.still), part, self._images)
            self._caption(painter, part, pane)
        painter.setPen(QPen(theme.colour("lichen"), 1))
        for edge in edges[1:-1]:
            x = target.left() + edge * target.width()
            painter.drawLine(QPointF(x, target.top()), QPointF(x, target.bottom()))

    def _caption(self, painter: QPainter, room: QRectF, pane: Pane) -> None:
        write_on(painter, room, pane.label + (f" · {pane.note}" if pane.note else ""))

    def _blinked(self) -> None:
        self._blink += 1
        self.update()

    # -- hands ---------------------------------------------------------------------------------------------------

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
        pane_layout = self.seen()
        if pane_layout is not None and self._wiping:
            target = self._cut(pane_layout)
            self.wipe = min(max((event.position().x() - target.left()) / max(1, target.width()), 0), 1)
            self.update()
        elif pane_layout is not None and self._held is not None and self.zoom:
            target = pane_layout.target(pane_layout.rooms()[0])
            moved = event.position() - self._held
            self._held = event.position()
            shift = QPointF(moved.x() / target.width(), moved.y() / target.height())
            self._centre = pane_layout.centred(self._centre - shift).centre
            self.update()
        near = self._on_wipe(event.position())
        self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.CrossCursor)
        self._point()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self._point()

    def _cut(self, pane_layout: PaneLayout) -> QRectF:
        return pane_layout.target(pane_layout.rooms()[0]).intersected(QRectF(self.rect()))

    def _on_wipe(self, point: QPointF) -> bool:
        pane_layout = self.seen()
        if self.layout_name != "Wipe" or pane_layout is None:
            return False
        target = self._cut(pane_layout)
        return abs(point.x() - target.left() - self.wipe * target.width()) < _GRIP

    def _point(self) -> None:
        """Say what lies under the pointer: place and codes of every picture."""
        pane_layout = self.seen()
        place = pane_layout.place_at(self._pointer) if pane_layout is not None and self._pointer is not None else None
        if (
            pane_layout is None
            or place is None
            or not (0 <= place.x() < pane_layout.raster[0] and 0 <= place.y() < pane_layout.raster[1])
        ):
            self.pointed.emit("")
            return
        x, y = int(place.x()), int(place.y())
        values = [
            f"{pane.label} {' '.join(str(value) for value in codes_at(pane.still, x, y))}"
            for pane in self.panes
            if pane.still is not None
        ]
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
