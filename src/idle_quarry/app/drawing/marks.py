"""How grades, severities and frames are drawn: by form first, by colour second."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetrics, QFontMetricsF, QPainter, QPen, QPolygonF, QStaticText, QTransform

from idle_quarry.app.appearance.theme import theme


def draw_link(painter: QPainter, points: list[QPointF], grade: str, width: float = 1.5) -> None:
    """Draw a link: exact two lines, clean one, lossy dashed, broken a gap with a cross."""
    colour = theme.grade(grade)
    pen = QPen(colour, width)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    if grade == "lossy":
        pen.setDashPattern([4.5, 3])
    if grade == "exact":
        for shift in (-2.0, 2.0):
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF(_parallel(points, shift)))
    elif grade == "broken":
        _draw_broken(painter, points, pen)
    else:
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(points))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _parallel(points: list[QPointF], shift: float) -> list[QPointF]:
    """Return an orthogonal polyline moved sideways: lines keep their distance around corners."""
    moved = [QPointF(p.x(), p.y() + shift) for p in points]
    for index in range(1, len(points) - 1):
        before, here, after = points[index - 1], points[index], points[index + 1]
        turns_down = (after.y() > here.y()) or (here.y() > before.y())
        if before.x() != here.x() or after.x() != here.x():
            moved[index] = QPointF(here.x() + (-shift if turns_down else shift), moved[index].y())
    return moved


def _draw_broken(painter: QPainter, points: list[QPointF], pen: QPen) -> None:
    painter.setPen(pen)
    start, end = points[0], points[1]
    middle = (start + end) / 2
    gap = 9.0 if abs(end.x() - start.x()) + abs(end.y() - start.y()) > 40 else 5.0
    across = abs(end.x() - start.x()) >= abs(end.y() - start.y())
    step = (
        QPointF(gap if end.x() > start.x() else -gap, 0) if across else QPointF(0, gap if end.y() > start.y() else -gap)
    )
    painter.drawLine(start, middle - step)
    painter.drawPolyline(QPolygonF([middle + step, *points[1:]]))
    painter.setPen(QPen(pen.color(), pen.widthF() + 0.7))
    reach = gap * 0.5
    painter.drawLine(middle + QPointF(-reach, -reach), middle + QPointF(reach, reach))
    painter.drawLine(middle + QPointF(-reach, reach), middle + QPointF(reach, -reach))


def draw_severity(painter: QPainter, centre: QPointF, severity: str, size: float) -> None:
    """Draw a mark: square stop, diamond caution, dot note."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.severity(severity))
    half = size / 2
    if severity == "stop":
        painter.drawRect(QRectF(centre.x() - half, centre.y() - half, size, size))
    elif severity == "caution":
        reach = half * 1.2
        painter.drawPolygon(
            QPolygonF(
                [
                    centre + QPointF(0, -reach),
                    centre + QPointF(reach, 0),
                    centre + QPointF(0, reach),
                    centre + QPointF(-reach, 0),
                ]
            )
        )
    else:
        painter.drawEllipse(centre, half * 0.7, half * 0.7)
    painter.restore()


def draw_frame(painter: QPainter, rect: QRectF, scan: str, *, chosen: bool = False) -> None:
    """Draw a station's frame: fields ruled (the upper heavier), PsF ruled and doubled at the edge."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.fillRect(rect, theme.colour("ledge"))
    if scan in ("interlaced", "psf"):
        heavy, light = theme.colour("dust"), theme.colour("dust")
        heavy.setAlphaF(0.62)
        light.setAlphaF(0.26)
        step = 3 if rect.height() > 24 else 2
        y, upper = rect.top() + step, True
        while y < rect.bottom() - 1:
            painter.setPen(QPen(heavy if upper else light, 1))
            painter.drawLine(QPointF(rect.left() + 1, y), QPointF(rect.right() - 1, y))
            y, upper = y + step, not upper
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("lichen" if chosen else "dust"), 2 if chosen else 1))
    painter.drawRect(rect)
    if scan == "psf":
        painter.setPen(QPen(theme.colour("lichen" if chosen else "dust"), 1))
        painter.drawRect(rect.adjusted(3, 3, -3, -3))


@lru_cache(maxsize=1024)
def _glyphs(text: str, size: float, bold: bool, _percent: int) -> QStaticText:
    static = QStaticText(text)
    static.setTextFormat(Qt.TextFormat.PlainText)
    static.prepare(QTransform(), theme.font(size, bold=bold))
    return static


def draw_line(
    painter: QPainter, rect: QRectF, align: Qt.AlignmentFlag, text: str, size: float = 12, *, bold: bool = False
) -> None:
    """Draw a line of text in the pen in use, in the middle of a rectangle's height; texts drawn before cost a fifth."""
    painter.setFont(theme.font(size, bold=bold))
    glyphs = _glyphs(text, size, bold, theme.percent)
    room = glyphs.size()
    x = rect.left()
    if align & Qt.AlignmentFlag.AlignHCenter:
        x += (rect.width() - room.width()) / 2
    elif align & Qt.AlignmentFlag.AlignRight:
        x = rect.right() - room.width()
    painter.drawStaticText(QPointF(x, rect.top() + (rect.height() - room.height()) / 2), glyphs)


@lru_cache(maxsize=4096)
def _cut(name: str, width: int, size: float, bold: bool, _percent: int) -> str:
    return fitted(name, QFontMetricsF(theme.font(size, bold=bold)), width)


def draw_fitted(
    painter: QPainter, rect: QRectF, align: Qt.AlignmentFlag, text: str, size: float = 12, *, bold: bool = False
) -> None:
    """Draw a line of text as `draw_line` does, cut as `fitted` does where it is longer than the rectangle."""
    draw_line(painter, rect, align, _cut(text, int(rect.width()), size, bold, theme.percent), size, bold=bold)


def fitted(name: str, metrics: QFontMetrics | QFontMetricsF, width: float) -> str:
    """Return a name for a given room: first what it is also called falls, in brackets at its end, then it ends in dots.

    A codec's own name stands before the brackets and tells it apart.
    """
    if metrics.horizontalAdvance(name) > width:
        name = name.split(" (", 1)[0]
    if isinstance(metrics, QFontMetrics):
        return metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(width))
    return metrics.elidedText(name, Qt.TextElideMode.ElideRight, width)


#: Steps of a count, seconds, of which the first that has room is taken.
_STEPS = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 3600)


def step_of(second: float, room: float) -> int:
    """Return every how manieth second of a count is marked, where a second is so wide and a mark takes so much room
    (px).
    """
    return next((step for step in _STEPS if step * second >= room), _STEPS[-1])
