"""The line that says that unsaved work is not kept, for as long as that is so; and the question before it is lost."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QMessageBox, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label

if TYPE_CHECKING:  # the window stands before anything heavy is loaded
    from idle_quarry.app.documents.draft_writer import DraftWriter


class UnkeptBar(QWidget):
    """Follows who writes drafts."""

    def __init__(self, keeping: DraftWriter) -> None:
        super().__init__()
        self._keeping = keeping
        self._text = label(role="refusal", wrap=True)
        on(self, "bench")
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(16, 4, 10, 4)
        row.addWidget(self._text, 1)
        row.addWidget(button("Try again", keeping.try_again, quiet=True))
        keeping.changed.connect(self._show)
        self.hide()

    def text(self) -> str:
        return self._text.text()

    def _show(self) -> None:
        self._text.setText(self._keeping.trouble)
        self.setVisible(bool(self.text()))


def may_lose(unkept: str, parent: QWidget) -> bool:
    """Ask whether work that could not be kept may be lost."""
    question = QMessageBox(QMessageBox.Icon.Warning, "Idle Quarry", unkept, parent=parent)
    question.setInformativeText("It is lost when the window closes.")
    lose = question.addButton("Close and lose it", QMessageBox.ButtonRole.DestructiveRole)
    question.setDefaultButton(question.addButton("Stay", QMessageBox.ButtonRole.RejectRole))
    question.exec()
    return question.clickedButton() is lose
