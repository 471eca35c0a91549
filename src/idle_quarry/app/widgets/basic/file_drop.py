"""Files dropped on a widget: which of them it takes, and what is done with them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QWidget


class FileDrop(QObject):
    """Has a widget take files that are dropped on it.

    `among` returns those of the files that are wanted here, `take` is given them with the event; what is dragged from
    inside the program is no file, and is left to the widget.
    """

    def __init__(
        self,
        widget: QWidget,
        among: Callable[[list[Path]], Sequence[Path]],
        take: Callable[[Sequence[Path], QDropEvent], object],
    ) -> None:
        super().__init__(widget)
        self._among, self._take = among, take
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() not in (QEvent.Type.DragEnter, QEvent.Type.Drop) or not isinstance(event, QDropEvent):
            return super().eventFilter(watched, event)
        if not event.mimeData().hasUrls() or event.source() is not None:
            return super().eventFilter(watched, event)
        paths = self._among([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])
        if not paths:
            event.ignore()
            return True
        if event.type() is QEvent.Type.Drop:
            self._take(paths, event)
        event.acceptProposedAction()
        return True
