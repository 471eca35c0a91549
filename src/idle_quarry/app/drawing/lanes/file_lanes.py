"""A file along its time: what lies in it, its levels, its light, its loudness, and where checks found something."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import fitted

if TYPE_CHECKING:
    from idle_quarry.media.whole.measure import FileMeasurement

#: Heights at 100 % of text size: each lane, and the names at the left.
LANES = {"holds": 26, "luma": 40, "light": 32, "loudness": 40, "places": 30}
HEAD = 86
#: Loudness that is shown, LUFS.
_LOUD = (-50.0, -5.0)
#: How each item of a file is filled.
_FILLS = {"programme": "sage", "bars": "ochre", "clock": "lichen", "slate": "lichen", "break": "seam"}


@dataclass(frozen=True)
class CheckMark:
    """A place of a check: frames, its verdict, and whether that check is looked at."""

    first: int
    last: int
    verdict: str
    chosen: bool


def x_of(frame: float, frames: int, width: float) -> float:
    """Return where a frame lies."""
    head = theme.px(HEAD)
    return head + (width - head - theme.px(16)) * frame / max(1, frames)


def frame_at(x: float, frames: int, width: float) -> int:
    """Return the frame that lies at a place."""
    head = theme.px(HEAD)
    return max(0, min(frames - 1, int((x - head) / max(1.0, width - head - theme.px(16)) * frames)))


def height() -> int:
    """Return the height of all lanes, px."""
    return sum(theme.px(lane) for lane in LANES.values()) + theme.px(8)


def draw_file(
    painter: QPainter,
    measurement: FileMeasurement,
    rate: Fraction,
    width: float,
    marked: Sequence[CheckMark],
    wanted: dict[str, Any],
    frame: int,
) -> None:
    """Draw a file's lanes; `wanted` has "loudness" and "bits" as lines to be held against."""
    frames, top = max(1, measurement.pictures.frames), float(theme.px(4))
    for name, tall in LANES.items():
        room = QRectF(0, top, width, theme.px(tall))
        _head(painter, name, room)
        if name == "holds":
            _items(painter, measurement, room, frames)
        elif name == "luma":
            _luma(painter, measurement, rate, room, frames)
        elif name == "light":
            _curve(
                painter,
                [(n * float(rate), value) for n, value in enumerate(measurement.pictures.light)],
                (0.0, 200.0),
                room,
                frames,
                "dust",
                steps=True,
            )
        elif name == "loudness":
            _loudness(painter, measurement, rate, room, frames, wanted.get("loudness"))
        else:
            _places(painter, marked, room, frames)
        top += theme.px(tall)
    painter.setPen(QPen(theme.colour("chalk"), 1))
    x = x_of(frame + 0.5, frames, width)
    painter.drawLine(QPointF(x, theme.px(4)), QPointF(x, top))


def _head(painter: QPainter, name: str, room: QRectF) -> None:
    painter.setFont(theme.font(11))
    painter.setPen(theme.colour("dust"))
    painter.drawText(
        QRectF(theme.px(16), room.top(), theme.px(HEAD - 18), room.height()), Qt.AlignmentFlag.AlignVCenter, name
    )
    painter.setPen(QPen(theme.colour("seam"), 1))
    painter.drawLine(QPointF(theme.px(HEAD), room.bottom()), QPointF(room.width() - theme.px(16), room.bottom()))


def _items(painter: QPainter, measurement: FileMeasurement, room: QRectF, frames: int) -> None:
    painter.setFont(theme.font(11))
    metrics = QFontMetricsF(painter.font())
    for item in measurement.items:
        left, right = (x_of(number, frames, room.width()) for number in (item.first, item.last))
        rect = QRectF(left, room.top() + 4, max(2.0, right - left - 1), room.height() - 8)
        role = _FILLS.get(item.what)
        painter.setPen(QPen(theme.colour(role or "dust"), 1))
        painter.setBrush(
            QBrush(theme.colour("ledge"))
            if item.what == "programme"
            else QBrush(theme.colour(role or "dust"), Qt.BrushStyle.BDiagPattern)
            if role
            else Qt.BrushStyle.NoBrush
        )
        painter.drawRect(rect)
        name = fitted(item.what, metrics, rect.width() - 8)
        if rect.width() > 34 and name:
            wide = metrics.horizontalAdvance(name) + 6
            painter.fillRect(QRectF(rect.left() + 3, rect.top() + 3, wide, rect.height() - 6), theme.colour("bench"))
            painter.setPen(theme.colour("chalk"))
            painter.drawText(rect.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, name)


def _luma(painter: QPainter, measurement: FileMeasurement, rate: Fraction, room: QRectF, frames: int) -> None:
    """Draw lowest and highest code of each second, between black and white."""
    pictures, top = measurement.pictures, 1 << measurement.pictures.bits
    unit = 1 << (pictures.bits - 8)

    def y(code: float) -> float:
        return room.bottom() - 3 - (room.height() - 6) * code / top

    painter.setPen(QPen(theme.colour("seam"), 1, Qt.PenStyle.DashLine))
    for code in (16 * unit, 235 * unit):
        painter.drawLine(QPointF(theme.px(HEAD), y(code)), QPointF(room.width() - theme.px(16), y(code)))
    for second, (low, high) in enumerate(pictures.luma):
        left, right = (
            x_of(float(n * rate), frames, room.width()) for n in (second, min(second + 1, frames / float(rate)))
        )
        beyond = low < 16 * unit or high > 235 * unit
        painter.fillRect(
            QRectF(left, y(high), max(1.0, right - left - 0.5), max(1.0, y(low) - y(high))),
            theme.colour("ochre" if beyond else "dust"),
        )


def _curve(
    painter: QPainter,
    points: Sequence[tuple[float, float]],
    ends: tuple[float, float],
    room: QRectF,
    frames: int,
    role: str,
    *,
    steps: bool = False,
) -> None:
    result = QPolygonF()
    for frame, value in points:
        share = (min(max(value, ends[0]), ends[1]) - ends[0]) / (ends[1] - ends[0])
        result.append(QPointF(x_of(frame, frames, room.width()), room.bottom() - 3 - (room.height() - 6) * share))
    if steps and result:
        result.append(QPointF(x_of(frames, frames, room.width()), result.last().y()))
    painter.setPen(QPen(theme.colour(role), 1.5))
    painter.drawPolyline(result)


def _loudness(
    painter: QPainter, measurement: FileMeasurement, rate: Fraction, room: QRectF, frames: int, wanted: float | None
) -> None:
    if measurement.sound is None:
        return
    begin = measurement.programme[0]
    points = [
        (begin + n / 10 * float(rate), value) for n, value in enumerate(measurement.sound.short_term) if n % 2 == 0
    ]
    if wanted is not None:
        share = (wanted - _LOUD[0]) / (_LOUD[1] - _LOUD[0])
        y = room.bottom() - 3 - (room.height() - 6) * share
        painter.setPen(QPen(theme.colour("seam"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(theme.px(HEAD), y), QPointF(room.width() - theme.px(16), y))
    _curve(painter, points, _LOUD, room, frames, "sage")


def colour_of(verdict: str) -> QColor:
    """Return the colour of a verdict."""
    return theme.colour({"fails": "oxide", "look": "ochre", "passes": "sage"}.get(verdict, "dust"))


def _places(painter: QPainter, marked: Sequence[CheckMark], room: QRectF, frames: int) -> None:
    for check_mark in sorted(marked, key=lambda check_mark: check_mark.chosen):
        left, right = (x_of(n, frames, room.width()) for n in (check_mark.first, check_mark.last))
        rect = QRectF(left, room.top() + 6, max(3.0, right - left), room.height() - 12)
        painter.fillRect(rect, colour_of(check_mark.verdict))
        if check_mark.chosen:
            painter.setPen(QPen(theme.colour("chalk"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(-2, -3, 2, 3))
