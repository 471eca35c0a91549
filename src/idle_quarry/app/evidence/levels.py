"""The code ladder: the code values of source and target, black and white, what each keeps outside them."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence.common import Subject, caption, heading, text_at
from idle_quarry.signal.levels import Levels


def paint(p: QPainter, area: QRectF, s: Subject) -> None:
    """Paint the code ladders of a link."""
    heading(p, area, f"Codes: {s.source.name} into {s.target.name}" if s.link else f"Codes of {s.target.name}")
    room = area.adjusted(theme.px(70), theme.px(44), -theme.px(70), -theme.px(64))
    source, target = s.source.format.encoding, s.target.format.encoding
    bar = min(theme.px(110), room.width() * 0.26)
    left = QRectF(room.left() + room.width() * 0.08, room.top(), bar, room.height())
    right = QRectF(room.right() - room.width() * 0.08 - bar, room.top(), bar, room.height())
    _ladder(p, left, source.levels, at_left=True)
    if s.link:
        _ladder(p, right, target.levels, at_left=False)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for code, to in ((source.levels.black, target.levels.black), (source.levels.white, target.levels.white)):
            y0, y1 = _y(left, source.levels, code), _y(right, target.levels, to)
            p.setPen(
                QPen(theme.colour("sage"), 1.5, Qt.PenStyle.SolidLine if abs(y0 - y1) < 1 else Qt.PenStyle.DashLine)
            )
            p.drawLine(QPointF(left.right() + 4, y0), QPointF(right.left() - 4, y1))
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    text_at(p, left.left(), left.top() - 8, f"{source.bit_depth} bit {source.range}", "chalk", 12)
    steps = [step for step in (s.link.steps if s.link else ()) if step.kind in ("range", "depth", "sampling")]
    if s.link:
        text_at(p, right.left(), right.top() - 8, f"{target.bit_depth} bit {target.range}", "chalk", 12)
    first = "; ".join(step.text for step in steps) or "the codes agree: nothing is rounded"
    words = f"{source.levels.codes} luma codes from black to white"
    second = f"{words} → {target.levels.codes}" if s.link else words
    caption(p, area, first, second + " · hatched: below black, above white; outermost codes belong to SDI")


def _y(rect: QRectF, levels: Levels, code: float) -> float:
    return rect.bottom() - code / ((1 << levels.bits) - 1) * rect.height()


def _ladder(p: QPainter, rect: QRectF, levels: Levels, *, at_left: bool) -> None:
    p.fillRect(rect, theme.colour("ground"))
    black, white = _y(rect, levels, levels.black), _y(rect, levels, levels.white)
    steps = 24
    for index in range(steps):
        shade = round(28 + (index / (steps - 1)) * 200)
        top = black + (white - black) * (index + 1) / steps
        strip = QRectF(rect.left(), top, rect.width(), (black - white) / steps + 1)
        colour = theme.colour("ground")
        colour.setRgb(shade, shade, shade)
        p.fillRect(strip, colour)
    if levels.narrow:
        hatch = QBrush(theme.colour("ochre"), Qt.BrushStyle.BDiagPattern)
        p.fillRect(QRectF(rect.left(), rect.top(), rect.width(), white - rect.top()), hatch)
        p.fillRect(QRectF(rect.left(), black, rect.width(), rect.bottom() - black), hatch)
    p.setPen(QPen(theme.colour("chalk"), 1))
    p.drawRect(rect)
    top_code = (1 << levels.bits) - 1
    marks = [(levels.white, f"{levels.white} white"), (levels.black, f"{levels.black} black")]
    if levels.narrow:
        marks += [(top_code, str(top_code)), (0, "0")]
    for code, text in marks:
        y = _y(rect, levels, code)
        x = rect.left() - theme.px(68) if at_left else rect.right() + theme.px(7)
        text_at(p, x, y + theme.px(4), text, "chalk" if "w" in text or "b" in text else "dust", 11, mono=True)
