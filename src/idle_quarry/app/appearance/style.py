"""How controls look: Qt's own Fusion with our edges, fields and rows, painted from the theme at each painting.

Nothing is computed when the looks change: a style sheet for a thousand widgets takes Qt most of a second to take up
again. Edges of what can be used have a contrast of 3 : 1; what has the keyboard shows it by a line in the accent.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPalette, QPen, QPolygonF
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractScrollArea,
    QApplication,
    QComboBox,
    QFrame,
    QListWidget,
    QPlainTextEdit,
    QProxyStyle,
    QScrollArea,
    QStyle,
    QStyleOption,
    QStyleOptionButton,
    QStyleOptionComboBox,
    QStyleOptionComplex,
    QStyleOptionHeader,
    QStyleOptionProgressBar,
    QStyleOptionSlider,
    QStyleOptionViewItem,
    QWidget,
)

from idle_quarry.app.appearance.theme import theme
from idle_quarry.printing import load_fonts

_Control, _Primitive, _Metric, _State = (
    QStyle.ControlElement,
    QStyle.PrimitiveElement,
    QStyle.PixelMetric,
    QStyle.StateFlag,
)
_ROUND = 3.0
#: The least height of what is pressed, in pixels at 100 % (WCAG 2.2, 2.5.8).
TARGET = 24


class QuarryStyle(QProxyStyle):
    """Fusion, with what is ours."""

    def __init__(self) -> None:
        super().__init__("Fusion")

    # -- taking a widget up ------------------------------------------------------------------------------

    def polish(self, target: object) -> object:  # type: ignore[override]
        answer: object = super().polish(target)  # type: ignore[call-overload]
        if isinstance(target, QWidget):
            _see_through(target)
        return answer

    def pixelMetric(
        self, metric: QStyle.PixelMetric, option: QStyleOption | None = None, widget: QWidget | None = None
    ) -> int:
        found = _METRICS.get(metric)
        if found is not None:
            return theme.px(found)
        if metric == _Metric.PM_FocusFrameHMargin and isinstance(widget, QAbstractItemView):
            return theme.px(2 if widget.property("told") else 9 if isinstance(widget, QListWidget) else 5)
        return super().pixelMetric(metric, option, widget)

    def styleHint(
        self,
        hint: QStyle.StyleHint,
        option: QStyleOption | None = None,
        widget: QWidget | None = None,
        data: object = None,
    ) -> int:
        if hint == QStyle.StyleHint.SH_ItemView_ShowDecorationSelected:
            return 1
        if hint == QStyle.StyleHint.SH_ComboBox_Popup:
            return 0
        return super().styleHint(hint, option, widget, data)  # type: ignore[arg-type]

    def sizeFromContents(
        self, kind: QStyle.ContentsType, option: QStyleOption | None, size: QSize, widget: QWidget | None = None
    ) -> QSize:
        if kind == QStyle.ContentsType.CT_PushButton and isinstance(option, QStyleOptionButton):
            text = option.fontMetrics.size(Qt.TextFlag.TextShowMnemonic, option.text)
            quiet = bool(widget is not None and widget.property("quiet"))
            return QSize(
                text.width() + 2 * theme.px(8 if quiet else 14), max(theme.px(TARGET), text.height() + theme.px(9))
            )
        made = super().sizeFromContents(kind, option, size, widget)  # type: ignore[arg-type]
        if kind in (QStyle.ContentsType.CT_LineEdit, QStyle.ContentsType.CT_ComboBox):
            return QSize(made.width() + theme.px(4), max(theme.px(TARGET), made.height() - 1))
        if kind == QStyle.ContentsType.CT_ItemViewItem:
            told = bool(widget is not None and widget.property("told"))
            return QSize(made.width(), made.height() + 2 * theme.px(4 if told else 3))
        if kind in (QStyle.ContentsType.CT_CheckBox, QStyle.ContentsType.CT_RadioButton):
            return QSize(made.width(), max(theme.px(TARGET) - 2, made.height()))
        if kind == QStyle.ContentsType.CT_HeaderSection:
            return QSize(made.width(), max(theme.px(TARGET), made.height()))
        return made

    # -- painting ----------------------------------------------------------------------------------------

    def drawControl(
        self, element: QStyle.ControlElement, option: QStyleOption, painter: QPainter, widget: QWidget | None = None
    ) -> None:
        if element == _Control.CE_PushButton and isinstance(option, QStyleOptionButton):
            _push_button(painter, option, widget)
        elif element == _Control.CE_HeaderSection:
            painter.fillRect(option.rect, theme.colour("bench"))
            painter.setPen(theme.colour("seam"))
            painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
        elif element == _Control.CE_HeaderLabel and isinstance(option, QStyleOptionHeader):
            option.palette.setColor(QPalette.ColorRole.ButtonText, theme.colour("dust"))
            super().drawControl(element, option, painter, widget)
        elif element == _Control.CE_ItemViewItem and isinstance(option, QStyleOptionViewItem):
            text = option.palette.color(QPalette.ColorRole.Text)
            option.palette.setColor(QPalette.ColorRole.HighlightedText, text)
            super().drawControl(element, option, painter, widget)
        elif element == _Control.CE_Splitter:
            return
        elif element == _Control.CE_ProgressBar and isinstance(option, QStyleOptionProgressBar):
            _progress(painter, option)
        else:
            super().drawControl(element, option, painter, widget)

    def drawPrimitive(
        self, element: QStyle.PrimitiveElement, option: QStyleOption, painter: QPainter, widget: QWidget | None = None
    ) -> None:
        state, rect = option.state, option.rect
        if element == _Primitive.PE_PanelLineEdit:
            if not (widget is not None and isinstance(widget.parent(), QComboBox)):
                _field(painter, rect, state, widget)
        elif element == _Primitive.PE_FrameLineEdit:
            return
        elif element == _Primitive.PE_Frame and isinstance(widget, QPlainTextEdit):
            _field(
                painter,
                rect,
                state | (_State.State_HasFocus if widget.hasFocus() else _State.State_None),
                widget,
                fill=False,
            )
        elif element in (_Primitive.PE_PanelItemViewItem, _Primitive.PE_PanelItemViewRow):
            _row(painter, option, first=element == _Primitive.PE_PanelItemViewItem)
        elif element == _Primitive.PE_IndicatorCheckBox or element == _Primitive.PE_IndicatorItemViewItemCheck:
            _check(painter, rect, state, round_=False)
        elif element == _Primitive.PE_IndicatorRadioButton:
            _check(painter, rect, state, round_=True)
        elif element == _Primitive.PE_FrameFocusRect:
            painter.setPen(QPen(theme.colour("lichen"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(0, 0, -1, -1))
        else:
            super().drawPrimitive(element, option, painter, widget)

    def drawComplexControl(
        self,
        control: QStyle.ComplexControl,
        option: QStyleOptionComplex,
        painter: QPainter,
        widget: QWidget | None = None,
    ) -> None:
        if control == QStyle.ComplexControl.CC_ComboBox and isinstance(option, QStyleOptionComboBox):
            rect = option.rect
            focus = _State.State_HasFocus if widget is not None and widget.hasFocus() else _State.State_None
            _field(painter, rect, option.state | focus, widget)
            _arrow(painter, QPointF(rect.right() - theme.px(11), rect.center().y()))
        elif control == QStyle.ComplexControl.CC_ScrollBar and isinstance(option, QStyleOptionSlider):
            handle = self.subControlRect(control, option, QStyle.SubControl.SC_ScrollBarSlider, widget)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("edge"))
            inset = theme.px(3)
            painter.drawRoundedRect(QRectF(handle).adjusted(inset, inset, -inset, -inset), 2, 2)
        else:
            super().drawComplexControl(control, option, painter, widget)

    def subControlRect(
        self,
        control: QStyle.ComplexControl,
        option: QStyleOptionComplex,
        part: QStyle.SubControl,
        widget: QWidget | None = None,
    ) -> QRect:
        found = super().subControlRect(control, option, part, widget)  # type: ignore[arg-type]
        if control == QStyle.ComplexControl.CC_ScrollBar and isinstance(option, QStyleOptionSlider):
            return _scroll_part(option, part, found)
        if control == QStyle.ComplexControl.CC_ComboBox and part == QStyle.SubControl.SC_ComboBoxEditField:
            rect = option.rect
            return QRect(rect.left() + theme.px(6), rect.top() + 1, rect.width() - theme.px(26), rect.height() - 2)
        return found

    def subElementRect(self, element: QStyle.SubElement, option: QStyleOption, widget: QWidget | None = None) -> QRect:
        rect = super().subElementRect(element, option, widget)  # type: ignore[arg-type]
        if element == QStyle.SubElement.SE_LineEditContents:
            inset = 0 if widget is not None and isinstance(widget.parent(), QComboBox) else theme.px(5)
            return rect.adjusted(inset, 0, -inset, 0)
        return rect


_METRICS = {
    _Metric.PM_ScrollBarExtent: 12, _Metric.PM_ScrollBarSliderMin: 28, _Metric.PM_IndicatorWidth: 15,
    _Metric.PM_IndicatorHeight: 15, _Metric.PM_ExclusiveIndicatorWidth: 15, _Metric.PM_ExclusiveIndicatorHeight: 15,
    _Metric.PM_SplitterWidth: 5, _Metric.PM_ButtonShiftHorizontal: 0, _Metric.PM_ButtonShiftVertical: 0,
    _Metric.PM_HeaderMargin: 5, _Metric.PM_LayoutHorizontalSpacing: 6, _Metric.PM_LayoutVerticalSpacing: 6,
    _Metric.PM_LayoutLeftMargin: 9, _Metric.PM_LayoutRightMargin: 9, _Metric.PM_LayoutTopMargin: 9,
    _Metric.PM_LayoutBottomMargin: 9, _Metric.PM_CheckBoxLabelSpacing: 7, _Metric.PM_RadioButtonLabelSpacing: 7,
}  # fmt: skip


def _see_through(widget: QWidget) -> None:
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


def _edge(painter: QPainter, rect: QRect, colour: str, width: float = 1.0) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour(colour), width))
    half = width / 2
    painter.drawRoundedRect(QRectF(rect).adjusted(half, half, -half, -half), _ROUND, _ROUND)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _push_button(painter: QPainter, option: QStyleOptionButton, widget: QWidget | None) -> None:
    state, rect = option.state, option.rect
    able, focus = bool(state & _State.State_Enabled), bool(state & _State.State_HasFocus)
    over, on = bool(state & _State.State_MouseOver) and able, bool(state & _State.State_On)
    kind = _kind(widget)
    text = "chalk"
    painter.save()
    if kind == "main" and able:
        painter.setBrush(theme.colour("lichen"))
        _edge(painter, rect, "lichen")
        text = "on_lichen"
        if focus:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            _edge(painter, rect, "chalk", 2)
            _edge(painter, rect.adjusted(2, 2, -2, -2), "ground", 1)
    elif kind == "quiet":
        text = "chalk" if over or on else "dust"
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if on:
            painter.fillRect(
                QRect(rect.left() + theme.px(6), rect.bottom() - 1, rect.width() - 2 * theme.px(6), 2),
                theme.colour("lichen"),
            )
        if focus or over:
            _edge(painter, rect, "lichen" if focus else "edge")
    else:
        painter.setBrush(theme.colour("ledge"))
        _edge(painter, rect, "lichen" if focus else "dust" if over else "edge" if able else "seam")
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


def _kind(widget: QWidget | None) -> str:
    if widget is not None:
        for kind in ("main", "quiet", "field"):
            if widget.property(kind) == "true":
                return kind
    return ""


def _field(
    painter: QPainter, rect: QRect, state: QStyle.StateFlag, widget: QWidget | None, *, fill: bool = True
) -> None:
    able = bool(state & _State.State_Enabled)
    refused = widget is not None and widget.property("refused") == "true"
    painter.save()
    painter.setBrush(theme.colour("ledge") if fill else Qt.BrushStyle.NoBrush)
    role = "oxide" if refused else "lichen" if state & _State.State_HasFocus else "edge" if able else "seam"
    _edge(painter, rect, role)
    painter.restore()


def _row(painter: QPainter, option: QStyleOption, *, first: bool) -> None:
    """A chosen row: its ground, and a bar at its left that is seen without the ground."""
    state, rect = option.state, option.rect
    view = option if isinstance(option, QStyleOptionViewItem) else None
    if view is not None and view.features & QStyleOptionViewItem.ViewItemFeature.Alternate and not first:
        painter.fillRect(rect, theme.colour("bench"))
    if state & _State.State_Selected:
        painter.fillRect(rect, theme.colour("ledge"))
        if first and view is not None and view.index.column() == 0:
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))


def _check(painter: QPainter, rect: QRect, state: QStyle.StateFlag, *, round_: bool) -> None:
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


def _arrow(painter: QPainter, middle: QPointF) -> None:
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


def _progress(painter: QPainter, option: QStyleOptionProgressBar) -> None:
    rect = option.rect
    bar = QRect(rect.left(), rect.center().y() - theme.px(3), rect.width(), theme.px(6))
    painter.fillRect(bar, theme.colour("ledge"))
    whole = max(1, option.maximum - option.minimum)
    share = (option.progress - option.minimum) / whole
    painter.fillRect(
        QRect(bar.left(), bar.top(), round(bar.width() * min(1.0, max(0.0, share))), bar.height()),
        theme.colour("lichen"),
    )


def _scroll_part(option: QStyleOptionSlider, part: QStyle.SubControl, found: QRect) -> QRect:
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
        return found
    start, extent = parts[part]
    return QRect(start, 0, extent, rect.height()) if lying else QRect(0, start, rect.width(), extent)


def prepare(app: QApplication) -> None:
    """Give the application its type and this style; `theme.apply` then gives it its colours."""
    load_fonts()
    app.setStyle(QuarryStyle())
