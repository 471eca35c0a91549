"""The Line-up view: the wire, the screens, what was received; setting by eye; full screen on another display."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QHideEvent, QScreen, QShowEvent
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.line_up.line_up import PAGES
from idle_quarry.app.views.line_up.full_screen import FullScreen
from idle_quarry.app.views.line_up.output import OutputColumn
from idle_quarry.app.views.line_up.received import ReceivedColumn
from idle_quarry.app.views.line_up.record import RecordPage
from idle_quarry.app.views.line_up.screens import ScreensColumn
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.menus import menu_under
from idle_quarry.app.widgets.basic.tabs import Tabs


class LineUpView(QWidget):
    """Everything shown follows the model; while nobody looks nothing is sent."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.line_up
        self.title, self.state = label(role="title"), OneLine("dust")
        self.eye_button = button("Black and white by eye", self._by_eye)
        self.out_button = button("Play out", self._play_out, tip="write what is sent as words of the line into a file")
        self.full_button = button("Full screen", self._full)
        self.empty = label("", "dust", wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.add_button = button("Add a monitor", self.model.options.add_monitor, main=True)
        self.output, self.screens, self.received = (
            OutputColumn(self.model),
            ScreensColumn(self.model),
            ReceivedColumn(self.model),
        )
        self.full: FullScreen | None = None
        self._build()
        self.first_focus = self.output.output.box
        self.model.changed.connect(self._show)
        self.model.arrived.connect(self._show_state)
        self.model.deck.changed.connect(self._show_state)
        self.model.by_eye.changed.connect(self._show_eye)
        self._show()

    def _build(self) -> None:
        self.columns = _three(self.output, self.screens, self.received)
        self.record = RecordPage(self.model.deck)
        self.tabs = Tabs(PAGES, "Line-up: {}")
        self.tabs.chosen.connect(self.model.show_page)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 8, 16, 4)
        sized(head).setSpacing(12)
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.title)
        words.addWidget(self.state)
        head.addWidget(self.tabs)
        head.addLayout(words, 1)
        head.addWidget(self.out_button)
        head.addWidget(self.eye_button)
        head.addWidget(self.full_button)
        self.eye_bar = QFrame()
        on(self.eye_bar, "ledge")
        bar = QHBoxLayout(self.eye_bar)
        sized(bar).setContentsMargins(16, 8, 16, 8)
        sized(bar).setSpacing(12)
        self.eye_title, self.eye_text = label(role="head"), label(wrap=True)
        eye = self.model.by_eye
        self.eye_next = button("Next", lambda: eye.go(1), main=True)
        bar.addWidget(self.eye_title)
        bar.addWidget(self.eye_text, 1)
        bar.addWidget(button("Back", lambda: eye.go(-1)))
        bar.addWidget(self.eye_next)
        bar.addWidget(button("End", eye.end, quiet=True))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.eye_bar)
        outer.addWidget(self.empty, 1)
        outer.addWidget(self.add_button, 0, Qt.AlignmentFlag.AlignHCenter)
        outer.addWidget(self.columns, 1)
        outer.addWidget(self.record, 1)

    def _show(self) -> None:
        model = self.model
        document, fmt = self.desk.document, model.format
        output = model.page == PAGES[0]
        self.tabs.show_on(model.page)
        self.empty.setText(
            "Nothing is open. Choose a template in the Library; then its monitoring output is lined up here."
            if document is None
            else "This template has no monitor: nothing is sent."
        )
        self.empty.setVisible(output and fmt is None)
        self.add_button.setVisible(output and fmt is None and document is not None)
        for widget in (self.columns, self.out_button, self.eye_button, self.full_button):
            widget.setVisible(output and fmt is not None)
        self.record.setVisible(not output)
        self.title.setText(model.words.title() if output else "Recording from a deck")
        self._show_state()
        self._show_eye()

    def _show_state(self) -> None:
        output = self.model.page == PAGES[0]
        self.state.setText(self.model.words.state() if output else self.model.deck.tape_words())

    def _show_eye(self) -> None:
        eye = self.model.by_eye
        self.eye_bar.setVisible(eye.on and self.model.format is not None and self.model.page == PAGES[0])
        if eye.on:
            self.eye_title.setText(eye.words())
            self.eye_text.setText(eye.step.text)
            self.eye_next.setText("Next" if eye.number + 1 < len(eye.steps()) else "Done")

    def _by_eye(self) -> None:
        self.model.by_eye.begin()
        self.eye_next.setFocus()

    def _full(self) -> None:
        screens = QGuiApplication.screens()
        if len(screens) == 1:
            self._full_on(screens[0])
            return
        menu_under(
            self.full_button,
            [
                (
                    (
                        f"{screen.name()}, {screen.size().width()} × {screen.size().height()},"
                        f" {screen.refreshRate():.2f} Hz"
                    ),
                    partial(self._full_on, screen),
                )
                for screen in screens
            ],
        )

    def _play_out(self) -> None:
        name, _kind = QFileDialog.getSaveFileName(
            self, "Words of the line", str(Path.home() / "line.words"), "Words (*.words)"
        )
        if name:
            self.model.playing_out.play_out(Path(name))

    def _full_on(self, screen: QScreen) -> None:
        if self.full is not None:
            self.full.destroyed.disconnect(self._full_gone)  # it goes when this one takes its place
            self.full.close()
        self.full = FullScreen(self.model, screen)
        self.full.destroyed.connect(self._full_gone)
        self.full.show_on()

    def _full_gone(self) -> None:
        self.full = None

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.model.look(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.full is not None:
            self.full.close()
        self.model.look(False)


def _three(*columns: QWidget) -> QWidget:
    widget = QWidget()
    row = QHBoxLayout(widget)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(0)
    for column, ground, share in zip(columns, ("ground", "surround", "bench"), (34, 37, 29), strict=True):
        on(column, ground)
        row.addWidget(column, share)
    return widget
