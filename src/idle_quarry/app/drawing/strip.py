"""The strip, painted as it was laid out."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QFontMetricsF,
    QPainter,
)

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_fitted, draw_frame, draw_line, draw_link, draw_severity
from idle_quarry.app.drawing.strip_layout import PlacedLink, PlacedStation, StripLayout
from idle_quarry.path.evaluation import SEVERITIES, Evaluation
from idle_quarry.path.strip_words import link_texts, station_texts


def paint_strip(painter: QPainter, e: Evaluation, layout: StripLayout, selected: str) -> None:
    """Draw a strip with its texts."""
    worst: dict[str, str] = {}
    for finding in e.findings:
        if finding.where not in worst or SEVERITIES.index(finding.severity) < SEVERITIES.index(worst[finding.where]):
            worst[finding.where] = finding.severity
    for link in layout.links:
        draw_link(painter, link.points, link.link.grade)
        if link.run.width() > 40:
            _paint_label(painter, link)
    for placed in layout.stations:
        draw_frame(painter, placed.frame, placed.station.format.scan, chosen=placed.station.id == selected)
        if placed.station.id in worst and worst[placed.station.id] != "note":
            draw_severity(painter, placed.frame.topRight() + QPointF(-1, 1), worst[placed.station.id], theme.px(10))
        _paint_texts(painter, placed, narrow=layout.narrow)
    right = -theme.px(10)
    for kind in ("source", "working", "intermediate", "delivery"):
        frames = [p for p in layout.stations if p.station.kind == kind]
        if frames:
            right = _paint_head(painter, kind, frames, right)


def _paint_head(painter: QPainter, kind: str, placed: list[PlacedStation], right: int) -> int:
    """Write a column's head, where there is room right of `right`; return how far the heads reach now."""
    box = placed[0].frame
    for item in placed[1:]:
        box = box.united(item.frame)
    names = {"source": "SOURCE", "working": "WORKING", "intermediate": "INTERMEDIATE", "delivery": "DELIVERY"}
    text = names[kind] + (f"  {len(placed)}" if len(placed) > 1 else "")
    painter.setPen(theme.colour("dust"))
    rect = QRectF(box.center().x() - theme.px(80), theme.px(6), theme.px(160), theme.px(18))
    half = QFontMetricsF(theme.font(12)).horizontalAdvance(text) / 2
    if box.center().x() - half < right + theme.px(10):
        return right
    draw_line(painter, rect, Qt.AlignmentFlag.AlignHCenter, text)
    return int(box.center().x() + half)


def _paint_label(painter: QPainter, placed_link: PlacedLink) -> None:
    """Write a link's grade over its line and its steps under it."""
    roomy = placed_link.run.width() > theme.px(96)
    text, summary = link_texts(placed_link.link, short=not roomy)
    painter.setPen(theme.grade(placed_link.link.grade))
    middle = placed_link.run.center().y()
    above = QRectF(placed_link.run.left(), middle - theme.px(20), placed_link.run.width(), theme.px(16))
    draw_line(painter, above, Qt.AlignmentFlag.AlignHCenter, text, bold=True)
    if summary and roomy:
        painter.setPen(theme.colour("dust"))
        below = QRectF(placed_link.run.left() + 2, middle + theme.px(4), placed_link.run.width() - 4, theme.px(16))
        draw_fitted(painter, below, Qt.AlignmentFlag.AlignHCenter, summary)


def _paint_texts(painter: QPainter, placed: PlacedStation, *, narrow: bool) -> None:
    first, second, third = station_texts(placed.station, narrow=narrow)
    line = placed.text.height() / 3
    for index, (text, bold) in enumerate(((first, True), (second, False), (third, False))):
        painter.setPen(theme.colour("chalk" if bold else "dust"))
        rect = QRectF(placed.text.left(), placed.text.top() + index * line, placed.text.width(), line)
        draw_fitted(painter, rect, placed.align, text, bold=bold)
