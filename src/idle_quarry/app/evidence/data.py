"""The data-rate ladder: the codecs that can hold the programme, lowest first, against what the disk plays."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence.common import Subject, caption, heading, text_at, text_before
from idle_quarry.path.codecs import gb_per_hour, holding, mbps
from idle_quarry.path.eyes import files_of
from idle_quarry.path.findings.coding import MARGIN
from idle_quarry.path.registry import codecs


def paint(p: QPainter, area: QRectF, s: Subject) -> None:
    """Paint how much data the formats and codecs of a link make."""
    template = s.evaluation.template
    at_delivery = s.target.kind == "delivery"
    fmt = s.target.format if at_delivery else template.working.format
    chosen = s.target.codec if at_delivery and s.target.codec else codecs()[template.intermediate.codec]
    streams = 1 if at_delivery else template.intermediate.streams * files_of(template.working.eyes)
    able = holding(fmt)
    heading(p, area, f"Codecs that hold {s.target.name if at_delivery else 'the programme'}, lowest data rate first")
    place = next((place for place in template.places if place.id == template.intermediate.place), None)
    plays = None if at_delivery or place is None else s.evaluation.plays(place)
    limit = None if plays is None else plays * MARGIN
    if not able:
        caption(p, area, "No codec of the list can hold this format.")
        return
    room = area.adjusted(theme.px(14), theme.px(32), -theme.px(14), -theme.px(52))
    # what does not fit is left out at the ends, never the chosen codec
    fits = max(1, int(room.height() // theme.px(17)))
    at = next((i for i, codec in enumerate(able) if codec.id == chosen.id), 0)
    first = max(0, min(at - fits // 2, len(able) - fits))
    left_out = max(0, len(able) - fits)
    able = able[first : first + fits]
    line = min(theme.px(21), room.height() / len(able))
    names = min(theme.px(230), room.width() * 0.36)
    bars = QRectF(room.left() + names, room.top(), room.width() - names - theme.px(150), room.height())
    most = max(max(mbps(c, fmt) for c in able) / 8 * streams, limit or 0)
    for index, codec in enumerate(able):
        y = room.top() + index * line
        value = mbps(codec, fmt) / 8 * streams
        role = "lichen" if codec.id == chosen.id else "dust"
        slow = limit is not None and value > limit
        width = max(2.0, bars.width() * (value / most) ** 0.5)  # root scale: proxies stay visible beside uncompressed
        colour = theme.colour("oxide" if slow else role)
        if codec.id != chosen.id:
            colour.setAlphaF(0.6)
        p.fillRect(QRectF(bars.left(), y + line * 0.22, width, line * 0.56), colour)
        size = 12 if line >= theme.px(16) else 11
        p.setFont(theme.font(size))
        text = QFontMetricsF(p.font()).elidedText(codec.name, Qt.TextElideMode.ElideRight, names - 8)
        text_at(p, room.left(), y + line * 0.72, text, "chalk" if codec.id == chosen.id else "dust", size)
        rate = mbps(codec, fmt)
        number = f"{rate:,.0f} Mb/s".replace(",", "\u2009")
        hourly = f"{gb_per_hour(rate):,.0f} GB/h".replace(",", "\u2009")
        text_before(p, bars.right() + theme.px(78), y + line * 0.72, number, "chalk", 12)
        text_before(p, room.right(), y + line * 0.72, hourly, "dust", 12)
    second = f"× {streams} streams · bars by the root of the rate"
    if left_out:
        second = f"{left_out} more do not fit here · {second}"
    if limit is not None and place is not None:
        x = bars.left() + bars.width() * (limit / most) ** 0.5
        p.setPen(QPen(theme.colour("ochre"), 1.5, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(x, bars.top()), QPointF(x, bars.top() + line * len(able)))
        second += f" · dashed: {place.name} plays {limit / MARGIN:.0f} MB/s, a fifth kept in reserve"
    caption(p, area, f"{chosen.name}: {mbps(chosen, fmt) / 8:.0f} MB/s a stream, {chosen.source}", second)
