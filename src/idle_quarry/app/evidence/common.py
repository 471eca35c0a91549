"""What evidence is about, and how its headings and captions are written."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter

from idle_quarry.app.appearance.theme import theme
from idle_quarry.path.evaluation import Evaluation, Link, Station


@dataclass(frozen=True)
class Subject:
    """The link on the bench: its two stations; the working station alone has no link."""

    evaluation: Evaluation
    link: Link | None
    source: Station
    target: Station


def subject_of(evaluation: Evaluation, selected: str) -> Subject:
    """Return what evidence shows for a chosen station: its own link, and for working that of the main source."""
    link = evaluation.link_of(selected)
    if selected == "working":
        shares = {s.id: s.share or 0 for s in evaluation.stations if s.kind == "source"}
        main = max(shares, key=lambda ident: shares[ident], default=None)
        link = evaluation.link_of(main) if main else None
    if link is None:
        station = evaluation.station("working")
        return Subject(evaluation, None, station, station)
    return Subject(evaluation, link, evaluation.station(link.source), evaluation.station(link.target))


def heading(p: QPainter, area: QRectF, text: str) -> None:
    """Write what is shown at the top of `area`."""
    p.setFont(theme.font(13, bold=True))
    p.setPen(theme.colour("chalk"))
    rect = QRectF(area.left() + theme.px(14), area.top() + theme.px(6), area.width() - theme.px(28), theme.px(20))
    elided = QFontMetricsF(p.font()).elidedText(text, Qt.TextElideMode.ElideRight, rect.width())
    p.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)


def caption(p: QPainter, area: QRectF, *lines: str) -> None:
    """Write lines at the foot of `area`, the first in chalk, the others in dust."""
    height = theme.px(18)
    top = area.bottom() - theme.px(8) - height * len(lines)
    for index, text in enumerate(lines):
        p.setFont(theme.font(12))
        p.setPen(theme.colour("chalk" if index == 0 else "dust"))
        rect = QRectF(area.left() + theme.px(14), top + index * height, area.width() - theme.px(28), height)
        elided = QFontMetricsF(p.font()).elidedText(text, Qt.TextElideMode.ElideRight, rect.width())
        p.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)


def text_before(p: QPainter, x: float, y: float, text: str, role: str = "dust", size: int = 11) -> None:
    """Write `text` with its base line's right end at a point: numbers in columns."""
    p.setFont(theme.font(size))
    p.setPen(theme.colour(role))
    p.drawText(QPointF(x - QFontMetricsF(p.font()).horizontalAdvance(text), y), text)


def text_at(
    p: QPainter, x: float, y: float, text: str, role: str = "dust", size: int = 11, *, mono: bool = False
) -> None:
    """Write `text` with its base line's left end at a point."""
    p.setFont(theme.font(size, mono=mono))
    p.setPen(theme.colour(role))
    p.drawText(QPointF(x, y), text)
