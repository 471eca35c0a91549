"""Where pictures lie beside one another in one linked view: rooms, the whole picture in a room, the sample under a
point.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, QRectF

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


@dataclass(frozen=True)
class PaneLayout:
    """The geometry of a view: its size and gap, how many pictures lie in which way, and which part of them is seen.

    `raster` is a picture's samples and lines, `aspect` how wide a sample is for its height, `centre` the point in the
    middle, as shares of the picture's sides.
    """

    width: float
    height: float
    gap: float
    count: int
    layout: str
    raster: tuple[int, int]
    aspect: float
    zoom: int
    centre: QPointF

    def rooms(self) -> list[QRectF]:
        """Return the part of the view that each picture has."""
        whole = QRectF(0, 0, self.width, self.height)
        if self.layout != "Side by side" or self.count < 2:
            return [whole] * max(1, self.count)
        columns = 2 if self.count == 4 else self.count
        rows = 2 if self.count == 4 else 1
        width = (whole.width() - self.gap * (columns - 1)) / columns
        height = (whole.height() - self.gap * (rows - 1)) / rows
        return [
            QRectF((n % columns) * (width + self.gap), (n // columns) * (height + self.gap), width, height)
            for n in range(self.count)
        ]

    def target(self, room: QRectF) -> QRectF:
        """Return where the whole picture lies for a room: more than the room where it is enlarged."""
        samples, lines = self.raster
        if not self.zoom:
            scale = min(room.width() / (samples * self.aspect), room.height() / lines)
            width, height = samples * self.aspect * scale, lines * scale
            return QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)
        width, height = float(samples * self.zoom), float(lines * self.zoom)
        left, top = room.center().x() - self.centre.x() * width, room.center().y() - self.centre.y() * height
        return QRectF(round(left), round(top), width, height)

    def place_at(self, point: QPointF) -> QPointF | None:
        """Return the sample and line under a point of the view, or None where there is no picture."""
        for room in self.rooms():
            if room.contains(point):
                target = self.target(room)
                x = (point.x() - target.left()) / target.width() * self.raster[0]
                y = (point.y() - target.top()) / target.height() * self.raster[1]
                return QPointF(x, y)
        return None

    def zoomed(self, zoom: int, at: QPointF | None) -> PaneLayout:
        """Return the view at another zoom, what lies under `at` staying there."""
        before = self.place_at(at) if at is not None else None
        pane_layout = replace(self, zoom=zoom)
        after = pane_layout.place_at(at) if before is not None and at is not None else None
        if before is None or after is None:
            return pane_layout
        moved = QPointF((before.x() - after.x()) / self.raster[0], (before.y() - after.y()) / self.raster[1])
        return pane_layout.centred(self.centre + moved)

    def centred(self, centre: QPointF) -> PaneLayout:
        """Return the view with another point in the middle, never beyond the picture."""
        return replace(self, centre=QPointF(min(max(centre.x(), 0), 1), min(max(centre.y(), 0), 1)))

    def edges(self, wipe: float) -> list[float]:
        """Return where the parts of one picture that is cut begin and end, as shares of its width."""
        if self.layout == "Wipe":
            return [0.0, 1.0] if self.count < 2 else [0.0, wipe, 1.0]
        return [n / self.count for n in range(self.count + 1)]
