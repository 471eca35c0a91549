"""What a widget is on the screen: the role of its text, the ground it lies on. Roles are the palette's, so that another
brightness changes the palette and nothing else.
"""

from __future__ import annotations

from PySide6.QtGui import QPalette
from PySide6.QtWidgets import (
    QWidget,
)

from idle_quarry.app.appearance.sizes import typeset

_Role = QPalette.ColorRole
#: Roles of text, by the palette's roles that carry their colours (`theme.palette`).
TEXTS = {
    "": _Role.WindowText,
    "title": _Role.WindowText,
    "clock": _Role.WindowText,
    "head": _Role.WindowText,
    "dust": _Role.PlaceholderText,
    "refusal": _Role.BrightText,
    "caution": _Role.Midlight,
    "good": _Role.LinkVisited,
    "changed": _Role.Link,
}
_TYPE = {"title": 19, "clock": 26, "head": 15}
GROUNDS = {"ground": _Role.Window, "bench": _Role.AlternateBase, "ledge": _Role.Base, "surround": _Role.Dark}


def as_role(widget: QWidget, name: str) -> None:
    """Give a widget's text its role."""
    if widget.property("role") == name:
        return
    widget.setProperty("role", name)
    widget.setForegroundRole(TEXTS[name])
    if name in _TYPE:
        typeset(widget, _TYPE[name], bold=True)


def on(widget: QWidget, ground: str) -> None:
    """Lay a widget on one of the grounds."""
    widget.setBackgroundRole(GROUNDS[ground])
    widget.setAutoFillBackground(True)


def restyle(widget: QWidget) -> None:
    """Have a widget painted by what its properties say now."""
    widget.updateGeometry()
    widget.update()
