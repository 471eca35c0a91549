"""Lengths stated at 100 % of text size: taken at once, and taken again in place when the text size changes.

`sized(layout).setContentsMargins(16, 5, 16, 0)` sets the margins for the text size in use and leaves the statement on
the object; `dress` goes over everything below a widget and takes what was stated for the size there is now. Nothing is
made anew.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QApplication, QComboBox, QWidget

from idle_quarry.app.appearance.theme import theme

#: The property under which a statement lies on its object: the setter's name, and its values.
_STATED = "lengths at 100 %"
_TYPE = "type at 100 %"
#: Setters whose first value is a number of a column or row, and no length.
_NUMBERED = ("setColumnWidth", "setColumnMinimumWidth")


class _Sized:
    """Takes any setter of lengths of an object."""

    def __init__(self, target: QObject) -> None:
        self._target = target

    def __getattr__(self, setter: str) -> Callable[..., None]:
        def take(*values: float) -> None:
            stated: dict[str, Any] = dict(self._target.property(_STATED) or {})
            key = f"{setter} {values[0]}" if setter in _NUMBERED else setter
            stated[key] = list(values)
            self._target.setProperty(_STATED, stated)
            _apply(self._target, key, values)

        return take


def sized(target: QObject) -> _Sized:
    """Return an object's setters of lengths: their values are stated at 100 %."""
    return _Sized(target)


def typeset(widget: QWidget, size: float, *, bold: bool = False) -> None:
    """State the size of a widget's type, in pixels at 100 %."""
    widget.setProperty(_TYPE, [size, bold])
    widget.setFont(theme.font(size, bold=bold))


def dress(root: QWidget) -> None:
    """Take every stated length below a widget for the text size in use."""
    for item in (root, *root.findChildren(QObject)):
        stated = item.property(_STATED)
        if stated:
            for key, values in stated.items():
                _apply(item, key, values)
        if isinstance(item, QWidget) and (kind := item.property(_TYPE)):
            item.setFont(theme.font(kind[0], bold=kind[1]))
    QTimer.singleShot(0, root, lambda: _boxes_again(root))


def _boxes_again(root: QWidget) -> None:
    """Qt keeps a choice box's least size over a change of type.

    It forgets it with its style, once the type has come.
    """
    for box in root.findChildren(QComboBox):
        QApplication.sendEvent(box, QEvent(QEvent.Type.StyleChange))
        box.updateGeometry()


def _apply(target: QObject, key: str, values: Any) -> None:
    setter = key.partition(" ")[0]
    if setter in _NUMBERED:
        getattr(target, setter)(int(values[0]), theme.px(values[1]))
        return
    getattr(target, setter)(*(theme.px(value) for value in values))
