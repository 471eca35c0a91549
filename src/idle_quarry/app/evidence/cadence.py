"""The cadence ribbon: which source moment each output moment shows; repeated, blended, dropped."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence.common import Subject, caption, heading, text_at
from idle_quarry.path.steps import RateStep, ScanStep
from idle_quarry.path.steps.cadence import ribbon
from idle_quarry.path.steps.pacing import pace, retiming
from idle_quarry.signal.rates import rate_text


def paint(p: QPainter, area: QRectF, s: Subject) -> None:
    """Paint which source pictures the target's show."""
    if s.link is None:
        heading(p, area, "No link to show a cadence of")
        caption(p, area, "Add a source: what its moments become is drawn here.")
        return
    source, target = s.link.ends(s.source.format, s.target.format)
    method = retiming(source, target, s.link.policy)
    before, after = pace(source, target, method)
    heading(p, area, f"Time: {s.source.name} into {s.target.name}")
    count = 24
    cells = ribbon(before, after, method, count, s.link.policy.mix, s.link.policy.shutter)
    room = area.adjusted(theme.px(14), theme.px(46), -theme.px(14), -theme.px(64))
    cell = room.width() / count
    height = min(theme.px(46), room.height() * 0.32)
    top = QRectF(room.left(), room.top() + theme.px(12), room.width(), height)
    bottom = QRectF(room.left(), room.bottom() - height - theme.px(2), room.width(), height)
    fielded = target.scan == "interlaced" and after == target.moments
    unit_in = "fields" if source.scan == "interlaced" and before != source.rate else "pictures"
    played = f", played at {rate_text(before)}" if method == "slowed" else ""
    text_at(p, room.left(), top.top() - 5, f"{rate_text(before)} {unit_in} a second come in{played}")
    text_at(
        p, room.left(), bottom.top() - 5, f"{rate_text(after)} {'fields' if fielded else 'pictures'} a second go out"
    )
    # in real time, except where speed keeps every picture and time is what changes
    ratio = 1.0 if method in ("speed", "none") else float(after / before)
    width_in = cell * ratio
    shown = {int(c.source) for c in cells}
    index, x = 0, top.left()
    while x < top.right() - 1:
        rect = QRectF(x, top.top(), min(width_in, top.right() - x) - 1, height)
        dropped = index not in shown and method not in ("blend", "compensated") and index < max(shown)
        p.fillRect(rect, theme.colour("ledge"))
        if dropped:
            p.fillRect(rect, QBrush(theme.colour("oxide"), Qt.BrushStyle.BDiagPattern))
        p.setPen(QPen(theme.colour("dust"), 1))
        p.drawRect(rect)
        if width_in > theme.px(15):
            text_at(p, x + 4, top.top() + theme.px(14), str(index), "chalk", 11, mono=True)
        x, index = x + width_in, index + 1
    for number, item in enumerate(cells):
        rect = QRectF(bottom.left() + number * cell, bottom.top(), cell - 1, height)
        role = {"new": "ledge", "repeated": "ochre", "blended": "ochre"}[item.kind]
        colour = theme.colour(role)
        if item.kind != "new":
            colour.setAlphaF(0.55)
        p.fillRect(rect, colour)
        if item.kind == "blended":
            p.fillRect(rect, QBrush(theme.colour("ground"), Qt.BrushStyle.Dense6Pattern))
        if fielded and number % 2 == 1:
            p.setPen(QPen(theme.colour("seam"), 1))
            for y in range(int(rect.top()) + 3, int(rect.bottom()), 4):
                p.drawLine(QPointF(rect.left() + 1, y), QPointF(rect.right() - 1, y))
        p.setPen(QPen(theme.colour("dust"), 1))
        p.drawRect(rect)
        label = str(int(item.source)) if item.kind != "blended" else "~"
        text_at(p, rect.left() + 3, rect.top() + theme.px(14), label, "chalk", 11, mono=True)
        x_from = top.left() + (float(item.source) + 0.5) * width_in
        if x_from < top.right():
            p.setPen(QPen(theme.colour("ochre" if item.kind != "new" else "seam"), 1))
            p.drawLine(QPointF(x_from, top.bottom() + 2), QPointF(rect.center().x(), rect.top() - theme.px(17)))
    step, scan = s.link.plan.step(RateStep), s.link.plan.step(ScanStep)
    first = step.text if step else "every moment is kept: rates agree"
    second = f"scan: {scan.text}" if scan else "scan: nothing has to be done"
    caption(p, area, first, f"{second} · filled cells repeat or mix, hatched cells are lost")
