"""A job drawn as a page: folders as a tree of names, timelines as lanes to scale of canvas, on their time."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_frame
from idle_quarry.counting import counted
from idle_quarry.jobs.folder_plan import line_up_start
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import start_timecode


class Lanes(QWidget):
    """Timelines as lanes: the canvas at their head to one scale, the tracks as coloured bands, line-up before start."""

    def __init__(self) -> None:
        super().__init__()
        self._template: Template | None = None
        self.setAccessibleName("Timelines")

    def show_template(self, template: Template | None) -> None:
        self._template = template
        if template is not None:
            self.setAccessibleDescription(
                "; ".join(f"{t.name}, {counted(len(t.tracks), 'track')}" for t in template.timelines)
            )
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        rows = sum(max(5, len(t.tracks)) for t in self._template.timelines) if self._template else 0
        count = len(self._template.timelines) if self._template else 0
        return QSize(theme.px(500), theme.px(34) + rows * theme.px(17) + count * theme.px(34))

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.sizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        template = self._template
        if template is None or not template.timelines:
            return
        p = QPainter(self)
        rate = template.working.format.rate
        start = start_timecode(template.timecode.start, template.timecode.drop, rate)
        before = line_up_start(template)
        largest = max(
            max(template.canvas(t).width * float(template.canvas(t).pixel_aspect), template.canvas(t).height)
            for t in template.timelines
        )
        head = theme.px(112)
        scale = (head - theme.px(24)) / largest
        lane = QRectF(theme.px(16) + head, 0, self.width() - head - theme.px(32), 0)
        lead = lane.width() * 0.16
        p.setFont(theme.font(12, mono=True))
        p.setPen(theme.colour("dust"))
        p.drawText(QPointF(lane.left(), theme.px(14)), str(before))
        p.drawText(QPointF(lane.left() + lead + 3, theme.px(14)), f"{start}  programme")
        y = float(theme.px(24))
        for timeline in template.timelines:
            canvas = template.canvas(timeline)
            rows = max(5, len(timeline.tracks))
            height = rows * theme.px(17)
            frame = QRectF(
                theme.px(16), y + theme.px(18), canvas.width * float(canvas.pixel_aspect) * scale, canvas.height * scale
            )
            if frame.height() > height:
                frame.setHeight(height)
                frame.setWidth(height * canvas.width * float(canvas.pixel_aspect) / canvas.height)
            draw_frame(p, frame, template.working.format.scan)
            p.setFont(theme.font(12, bold=True))
            p.setPen(theme.colour("chalk"))
            p.drawText(QPointF(theme.px(16), y + theme.px(12)), timeline.name)
            bold = QFontMetricsF(p.font()).horizontalAdvance(timeline.name)
            p.setFont(theme.font(12))
            p.setPen(theme.colour("dust"))
            p.drawText(
                QPointF(theme.px(16) + bold + theme.px(12), y + theme.px(12)),
                f"{canvas.size_text} · {rate_text(rate)} frames/s",
            )
            for number, track in enumerate(reversed([t for t in timeline.tracks if t.kind == "video"])):
                self._track(p, lane, lead, y + theme.px(18) + number * theme.px(17), track.name, track.colour, "video")
            shown = sum(t.kind == "video" for t in timeline.tracks)
            for number, track in enumerate(t for t in timeline.tracks if t.kind == "audio"):
                self._track(
                    p, lane, lead, y + theme.px(18) + (shown + number) * theme.px(17), track.name, track.colour, "audio"
                )
            p.setPen(QPen(theme.colour("lichen"), 1))
            x = lane.left() + lead
            p.drawLine(QPointF(x, y + theme.px(18)), QPointF(x, y + theme.px(18) + len(timeline.tracks) * theme.px(17)))
            y += height + theme.px(32)

    def _track(self, p: QPainter, lane: QRectF, lead: float, y: float, name: str, colour: str, kind: str) -> None:
        band = QRectF(lane.left(), y, lane.width(), theme.px(15))
        p.fillRect(band, theme.colour("ledge"))
        p.fillRect(QRectF(band.left(), y, theme.px(4), band.height()), theme.seen(colour))
        if kind == "video":
            p.setPen(QPen(theme.colour("seam"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(band.left() + lead, band.bottom()), QPointF(band.right(), band.bottom()))
        p.setFont(theme.font(12))
        p.setPen(theme.colour("chalk"))
        p.drawText(
            QRectF(band.left() + lead + theme.px(6), y, band.width() - lead, band.height()),
            Qt.AlignmentFlag.AlignVCenter,
            name,
        )
