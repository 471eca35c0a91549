"""What is painted on pictures that lie beside one another: the pictures, their captions, and a marked place."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.pane_images import PaneImages
from idle_quarry.app.drawing.panes import PaneLayout
from idle_quarry.proof.figures import PictureArea


def paint_picture(
    painter: QPainter, pane_layout: PaneLayout, room: QRectF, image: QImage, part: QRectF, images: PaneImages
) -> None:
    """Paint the part of a picture that lies in `part`, the whole lying for `room`; `images` fits it."""
    target = pane_layout.target(room)
    painter.save()
    painter.setClipRect(part)
    if pane_layout.zoom:
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
        lies = target.toAlignedRect()
        painter.drawImage(lies.topLeft(), images.fitted(image, lies.size()))
    painter.restore()


def write_on(painter: QPainter, room: QRectF, text: str) -> None:
    """Write a caption into the upper left corner of a room."""
    painter.setFont(theme.font(12))
    metrics = painter.fontMetrics()
    text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, max(20, int(room.width()) - theme.px(12)))
    width, height = metrics.horizontalAdvance(text) + theme.px(12), metrics.height() + theme.px(4)
    box = QRectF(room.left(), room.top(), width, height)
    painter.fillRect(box, theme.colour("ground"))
    painter.setPen(theme.colour("chalk"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_mark(painter: QPainter, pane_layout: PaneLayout, mark: PictureArea) -> None:
    """Paint a frame around a place, in every picture that lies by itself."""
    rooms = pane_layout.rooms()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for room in rooms if pane_layout.layout == "Side by side" else rooms[:1]:
        target = pane_layout.target(room)
        across, down = target.width() / pane_layout.raster[0], target.height() / pane_layout.raster[1]
        box = QRectF(
            target.left() + mark.x * across,
            target.top() + mark.y * down,
            mark.width * across,
            mark.height * down,
        )
        painter.save()
        painter.setClipRect(room)
        for colour, grow in ((theme.colour("ground"), 1), (theme.colour("lichen"), 0)):
            painter.setPen(QPen(colour, 1))
            painter.drawRect(box.adjusted(-grow, -grow, grow, grow))
        painter.restore()
