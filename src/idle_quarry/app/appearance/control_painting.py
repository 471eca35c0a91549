"""How controls are painted: their edges, grounds, marks and arrows."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QFrame,
    QPlainTextEdit,
    QScrollArea,
    QStyle,
    QStyleOption,
    QStyleOptionButton,
    QStyleOptionProgressBar,
    QStyleOptionSlider,
    QStyleOptionViewItem,
    QWidget,
)

from idle_quarry.app.appearance.theme import theme

_Control, _Primitive, _Metric, _State = (
    QStyle.ControlElement,
    QStyle.PrimitiveElement,
    QStyle.PixelMetric,
    QStyle.StateFlag,
)


ROUND = 3.0


METRICS = {
    _Metric.PM_ScrollBarExtent: 12, _Metric.PM_ScrollBarSliderMin: 28, _Metric.PM_IndicatorWidth: 15,
    _Metric.PM_IndicatorHeight: 15, _Metric.PM_ExclusiveIndicatorWidth: 15, _Metric.PM_ExclusiveIndicatorHeight: 15,
    _Metric.PM_SplitterWidth: 5, _Metric.PM_ButtonShiftHorizontal: 0, _Metric.PM_ButtonShiftVertical: 0,
    _Metric.PM_HeaderMargin: 5, _Metric.PM_LayoutHorizontalSpacing: 6, _Metric.PM_LayoutVerticalSpacing: 6,
    _Metric.PM_LayoutLeftMargin: 9, _Metric.PM_LayoutRightMargin: 9, _Metric.PM_LayoutTopMargin: 9,
    _Metric.PM_LayoutBottomMargin: 9, _Metric.PM_CheckBoxLabelSpacing: 7, _Metric.PM_RadioButtonLabelSpacing: 7,
}  # fmt: skip


def see_through(widget: QWidget) -> None:
    """Lists and scrolled pages show the ground they lie on; only what pops up has one of its own."""
    if isinstance(widget, QAbstractScrollArea):
        holder = widget.parent()
        if holder is not None and holder.inherits("QComboBoxPrivateContainer"):
            return
        if not isinstance(widget, QPlainTextEdit):
            widget.setFrameShape(QFrame.Shape.NoFrame)
            widget.viewport().setAutoFillBackground(False)
    around = widget.parent()
    if around is not None and isinstance(around.parent(), QScrollArea) and not widget.property("ground"):
        widget.setAutoFillBackground(False)


def edge_of(painter: QPainter, rect: QRect, colour: str, width: float = 1.0) -> None:
    """Draw the edge of a control."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour(colour), width))
    half = width / 2
    painter.drawRoundedRect(QRectF(rect).adjusted(half, half, -half, -half), ROUND, ROUND)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def push_button(painter: QPainter, option: QStyleOptionButton, widget: QWidget | None) -> None:
    """Paint a push button."""
    state, rect = option.state, option.rect
    able, focus = bool(state & _State.State_Enabled), bool(state & _State.State_HasFocus)
    over, on = bool(state & _State.State_MouseOver) and able, bool(state & _State.State_On)
    kind = kind_of(widget)
    text = "chalk"
    painter.save()
    if kind == "main" and able:
        painter.setBrush(theme.colour("lichen"))
        edge_of(painter, rect, "lichen")
        text = "on_lichen"
        if focus:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            edge_of(painter, rect, "chalk", 2)
            edge_of(painter, rect.adjusted(2, 2, -2, -2), "ground", 1)
    elif kind == "quiet":
        text = "chalk" if over or on else "dust"
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if on:
            painter.fillRect(
                QRect(rect.left() + theme.px(6), rect.bottom() - 1, rect.width() - 2 * theme.px(6), 2),
                theme.colour("lichen"),
            )
        if focus or over:
            edge_of(painter, rect, "lichen" if focus else "edge")
    else:
        painter.setBrush(theme.colour("ledge"))
        edge_of(painter, rect, "lichen" if focus else "dust" if over else "edge" if able else "seam")
        text = "dust" if kind == "field" else "chalk"
    if widget is not None and widget.property("warning") == "true":
        text = "oxide"
    elif widget is not None and widget.property("role") == "changed":
        text = "lichen"
    if not able:
        text = "dust"
    painter.setFont(widget.font() if widget is not None else painter.font())
    if kind == "main" or (kind == "quiet" and on):
        font = painter.font()
        font.setBold(True)
        painter.setFont(font)
    painter.setPen(theme.colour(text))
    flags = (
        Qt.AlignmentFlag.AlignCenter if kind != "field" else Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
    )
    room = rect.adjusted(theme.px(10), 0, -theme.px(10), 0) if kind == "field" else rect
    painter.drawText(room, int(flags | Qt.TextFlag.TextShowMnemonic), option.text)
    painter.restore()


def kind_of(widget: QWidget | None) -> str:
    """Return how a button is meant: "primary", "quiet", "stop" or ""."""
    if widget is not None:
        for kind in ("main", "quiet", "field"):
            if widget.property(kind) == "true":
                return kind
    return ""


def field(
    painter: QPainter, rect: QRect, state: QStyle.StateFlag, widget: QWidget | None, *, fill: bool = True
) -> None:
    """Paint the ground of an editor."""
    able = bool(state & _State.State_Enabled)
    refused = widget is not None and widget.property("refused") == "true"
    painter.save()
    painter.setBrush(theme.colour("ledge") if fill else Qt.BrushStyle.NoBrush)
    role = "oxide" if refused else "lichen" if state & _State.State_HasFocus else "edge" if able else "seam"
    edge_of(painter, rect, role)
    painter.restore()


def row(painter: QPainter, option: QStyleOption, *, first: bool) -> None:
    """A chosen row: its ground, and a bar at its left that is seen without the ground."""
    state, rect = option.state, option.rect
    view = option if isinstance(option, QStyleOptionViewItem) else None
    if view is not None and view.features & QStyleOptionViewItem.ViewItemFeature.Alternate and not first:
        painter.fillRect(rect, theme.colour("bench"))
    if state & _State.State_Selected:
        painter.fillRect(rect, theme.colour("ledge"))
        if first and view is not None and view.index.column() == 0:
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))


def check(painter: QPainter, rect: QRect, state: QStyle.StateFlag, *, round_: bool) -> None:
    """Paint a check box, or a radio button where `round_`."""
    able, on = bool(state & _State.State_Enabled), bool(state & _State.State_On)
    side = min(rect.width(), rect.height()) - 2
    box = QRectF(rect.left() + 1, rect.top() + (rect.height() - side) / 2, side, side)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("lichen" if state & _State.State_HasFocus else "edge" if able else "seam"), 1.2))
    painter.setBrush(theme.colour("ground"))
    painter.drawEllipse(box) if round_ else painter.drawRoundedRect(box, 2, 2)
    if on:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("lichen" if able else "dust"))
        inner = box.adjusted(side * 0.22, side * 0.22, -side * 0.22, -side * 0.22)
        if round_:
            painter.drawEllipse(inner)
        else:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("lichen" if able else "dust"), 2.2))
            x, y, s = inner.left(), inner.top(), inner.width()
            painter.drawPolyline(
                QPolygonF([QPointF(x, y + s * 0.55), QPointF(x + s * 0.4, y + s * 0.95), QPointF(x + s, y)])
            )
    painter.restore()


def arrow(painter: QPainter, middle: QPointF) -> None:
    """Paint the arrow of a choice box, its middle at a point."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("dust"), 1.3))
    half = theme.px(3.5)
    painter.drawPolyline(
        QPolygonF(
            [middle + QPointF(-half, -half / 2), middle + QPointF(0, half / 2), middle + QPointF(half, -half / 2)]
        )
    )
    painter.restore()


def progress(painter: QPainter, option: QStyleOptionProgressBar) -> None:
    """Paint how far something is."""
    rect = option.rect
    bar = QRect(rect.left(), rect.center().y() - theme.px(3), rect.width(), theme.px(6))
    painter.fillRect(bar, theme.colour("ledge"))
    whole = max(1, option.maximum - option.minimum)
    share = (option.progress - option.minimum) / whole
    painter.fillRect(
        QRect(bar.left(), bar.top(), round(bar.width() * min(1.0, max(0.0, share))), bar.height()),
        theme.colour("lichen"),
    )


def scroll_part(option: QStyleOptionSlider, part: QStyle.SubControl, result: QRect) -> QRect:
    """The parts of a scroll bar without buttons at its ends."""
    rect = option.rect
    lying = option.orientation == Qt.Orientation.Horizontal
    length = rect.width() if lying else rect.height()
    span = option.maximum - option.minimum
    handle = length if span <= 0 else max(theme.px(28), int(option.pageStep * length / (span + option.pageStep)))
    handle = min(handle, length)
    at = QStyle.sliderPositionFromValue(
        option.minimum, option.maximum, option.sliderPosition, length - handle, option.upsideDown
    )
    parts = {
        QStyle.SubControl.SC_ScrollBarSlider: (at, handle),
        QStyle.SubControl.SC_ScrollBarGroove: (0, length),
        QStyle.SubControl.SC_ScrollBarSubPage: (0, at),
        QStyle.SubControl.SC_ScrollBarAddPage: (at + handle, length - at - handle),
        QStyle.SubControl.SC_ScrollBarAddLine: (0, 0),
        QStyle.SubControl.SC_ScrollBarSubLine: (0, 0),
    }
    if part not in parts:
        return result
    start, extent = parts[part]
    return QRect(start, 0, extent, rect.height()) if lying else QRect(0, start, rect.width(), extent)
