"""How controls look: Qt's own Fusion with our edges, fields and rows, painted from the theme at each painting.

Nothing is computed when the looks change: a style sheet for a thousand widgets takes Qt most of a second to take up
again. Edges of what can be used have a contrast of 3 : 1; what has the keyboard shows it by a line in the accent.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPalette, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QListWidget,
    QPlainTextEdit,
    QProxyStyle,
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

from idle_quarry.app.appearance.control_painting import (
    METRICS,
    _Control,
    _Metric,
    _Primitive,
    _State,
    arrow,
    check,
    field,
    progress,
    push_button,
    row,
    scroll_part,
    see_through,
)
from idle_quarry.app.appearance.theme import theme
from idle_quarry.printing import load_fonts

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
            see_through(target)
        return answer

    def pixelMetric(
        self, metric: QStyle.PixelMetric, option: QStyleOption | None = None, widget: QWidget | None = None
    ) -> int:
        count = METRICS.get(metric)
        if count is not None:
            return theme.px(count)
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
        result = super().sizeFromContents(kind, option, size, widget)  # type: ignore[arg-type]
        if kind in (QStyle.ContentsType.CT_LineEdit, QStyle.ContentsType.CT_ComboBox):
            return QSize(result.width() + theme.px(4), max(theme.px(TARGET), result.height() - 1))
        if kind == QStyle.ContentsType.CT_ItemViewItem:
            value = bool(widget is not None and widget.property("told"))
            return QSize(result.width(), result.height() + 2 * theme.px(4 if value else 3))
        if kind in (QStyle.ContentsType.CT_CheckBox, QStyle.ContentsType.CT_RadioButton):
            return QSize(result.width(), max(theme.px(TARGET) - 2, result.height()))
        if kind == QStyle.ContentsType.CT_HeaderSection:
            return QSize(result.width(), max(theme.px(TARGET), result.height()))
        return result

    # -- painting ----------------------------------------------------------------------------------------

    def drawControl(
        self, element: QStyle.ControlElement, option: QStyleOption, painter: QPainter, widget: QWidget | None = None
    ) -> None:
        if element == _Control.CE_PushButton and isinstance(option, QStyleOptionButton):
            push_button(painter, option, widget)
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
            progress(painter, option)
        else:
            super().drawControl(element, option, painter, widget)

    def drawPrimitive(
        self, element: QStyle.PrimitiveElement, option: QStyleOption, painter: QPainter, widget: QWidget | None = None
    ) -> None:
        state, rect = option.state, option.rect
        if element == _Primitive.PE_PanelLineEdit:
            if not (widget is not None and isinstance(widget.parent(), QComboBox)):
                field(painter, rect, state, widget)
        elif element == _Primitive.PE_FrameLineEdit:
            return
        elif element == _Primitive.PE_Frame and isinstance(widget, QPlainTextEdit):
            field(
                painter,
                rect,
                state | (_State.State_HasFocus if widget.hasFocus() else _State.State_None),
                widget,
                fill=False,
            )
        elif element in (_Primitive.PE_PanelItemViewItem, _Primitive.PE_PanelItemViewRow):
            row(painter, option, first=element == _Primitive.PE_PanelItemViewItem)
        elif element == _Primitive.PE_IndicatorCheckBox or element == _Primitive.PE_IndicatorItemViewItemCheck:
            check(painter, rect, state, round_=False)
        elif element == _Primitive.PE_IndicatorRadioButton:
            check(painter, rect, state, round_=True)
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
            field(painter, rect, option.state | focus, widget)
            arrow(painter, QPointF(rect.right() - theme.px(11), rect.center().y()))
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
        result = super().subControlRect(control, option, part, widget)  # type: ignore[arg-type]
        if control == QStyle.ComplexControl.CC_ScrollBar and isinstance(option, QStyleOptionSlider):
            return scroll_part(option, part, result)
        if control == QStyle.ComplexControl.CC_ComboBox and part == QStyle.SubControl.SC_ComboBoxEditField:
            rect = option.rect
            return QRect(rect.left() + theme.px(6), rect.top() + 1, rect.width() - theme.px(26), rect.height() - 2)
        return result

    def subElementRect(self, element: QStyle.SubElement, option: QStyleOption, widget: QWidget | None = None) -> QRect:
        rect = super().subElementRect(element, option, widget)  # type: ignore[arg-type]
        if element == QStyle.SubElement.SE_LineEditContents:
            inset = 0 if widget is not None and isinstance(widget.parent(), QComboBox) else theme.px(5)
            return rect.adjusted(inset, 0, -inset, 0)
        return rect


def prepare(app: QApplication) -> None:
    """Give the application its type and this style; `theme.apply` then gives it its colours."""
    load_fonts()
    app.setStyle(QuarryStyle())
