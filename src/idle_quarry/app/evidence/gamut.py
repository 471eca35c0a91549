"""Gamuts on the CIE 1976 u′v′ diagram: what of the source's colours lies outside the target's."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence.common import Subject, caption, heading, text_at
from idle_quarry.path.grades import percent
from idle_quarry.path.steps import ColourStep
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS, gamut_outside, triangle, uv

#: CIE 1931 2° spectral locus, x and y at 10 nm from 400 to 700 nm (CIE 15:2004, table T.4).
_LOCUS = (
    (0.1733, 0.0048), (0.1726, 0.0048), (0.1714, 0.0051), (0.1689, 0.0069), (0.1644, 0.0109), (0.1566, 0.0177),
    (0.1440, 0.0297), (0.1241, 0.0578), (0.0913, 0.1327), (0.0454, 0.2950), (0.0082, 0.5384), (0.0139, 0.7502),
    (0.0743, 0.8338), (0.1547, 0.8059), (0.2296, 0.7543), (0.3016, 0.6923), (0.3731, 0.6245), (0.4441, 0.5547),
    (0.5125, 0.4866), (0.5752, 0.4242), (0.6270, 0.3725), (0.6658, 0.3340), (0.6915, 0.3083), (0.7079, 0.2920),
    (0.7190, 0.2809), (0.7260, 0.2740), (0.7300, 0.2700), (0.7320, 0.2680), (0.7334, 0.2666), (0.7344, 0.2656),
    (0.7347, 0.2653),
)  # fmt: skip


def paint(p: QPainter, area: QRectF, s: Subject) -> None:
    """Paint the gamuts of a link in the CIE 1976 chart."""
    source, target = s.source.format.encoding, s.target.format.encoding
    heading(p, area, f"Colour: {s.source.name} into {s.target.name}" if s.link else f"Colour of {s.target.name}")
    room = area.adjusted(theme.px(14), theme.px(30), -theme.px(14), -theme.px(58))
    side = min(room.height(), room.width() * 0.62)
    plot = QRectF(room.left() + theme.px(10), room.center().y() - side / 2, side * 1.05, side)

    def at(point: tuple[float, float]) -> QPointF:
        u, v = point
        return QPointF(plot.left() + u / 0.66 * plot.width(), plot.bottom() - v / 0.62 * plot.height())

    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(theme.colour("seam"), 1))
    for tenth in range(1, 7):
        p.drawLine(at((tenth / 10, 0)), at((tenth / 10, 0.62)))
        p.drawLine(at((0, tenth / 10)), at((0.66, tenth / 10)))
    p.setPen(QPen(theme.colour("dust"), 1))
    p.drawPolygon(QPolygonF([at(uv(point)) for point in _LOCUS]))
    for name, role, width in ((source.primaries, "ochre", 2.0), (target.primaries, "lichen", 1.4)):
        fill = QColor(theme.colour(role))
        fill.setAlphaF(0.1)
        p.setBrush(fill)
        p.setPen(QPen(theme.colour(role), width))
        p.drawPolygon(QPolygonF([at(corner) for corner in triangle(name)]))
    white = at(uv(PRIMARIES[target.primaries].white))
    p.setPen(QPen(theme.colour("chalk"), 1.4))
    p.drawLine(white + QPointF(-4, 0), white + QPointF(4, 0))
    p.drawLine(white + QPointF(0, -4), white + QPointF(0, 4))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    x, y, line = plot.right() + theme.px(18), plot.top() + theme.px(16), theme.px(19)
    outside = gamut_outside(source.primaries, target.primaries)
    rows = [
        (f"— {PRIMARIES[source.primaries].label}", "ochre"),
        (f"   {s.source.name}, {TRANSFERS[source.transfer][0]}", "dust"),
        ("", "dust"),
        (f"— {PRIMARIES[target.primaries].label}", "lichen"),
        (f"   {s.target.name}, {TRANSFERS[target.transfer][0]}", "dust"),
        ("", "dust"),
        (f"+ D65, u′ {uv((0.3127, 0.3290))[0]:.4f}  v′ {uv((0.3127, 0.3290))[1]:.4f}", "chalk"),
    ]
    for text, role in rows:
        text_at(p, x, y, text, role, 12)
        y += line
    step = s.link.plan.step(ColourStep) if s.link else None
    first = step.text if step else "primaries, transfer and matrix agree"
    second = (
        f"{percent(outside)} of the area of {PRIMARIES[source.primaries].label} in u′v′ lies outside"
        f" {PRIMARIES[target.primaries].label}"
    )
    caption(p, area, first, second)
