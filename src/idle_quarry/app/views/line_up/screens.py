"""Line-up, the middle column: what the template's monitor shows, two others beside it, and feeds against monitors."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import as_role
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.drawing.wire import SAFE
from idle_quarry.app.models.line_up.line_up import LineUp
from idle_quarry.app.models.line_up.options import BESIDE
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.pictures.monitor_face import MonitorFace
from idle_quarry.app.widgets.templates.feeds_matrix import FeedsMatrix
from idle_quarry.signal.words import format_words

_ROLES = {"shown": "good", "not as meant": "caution", "black": "refusal"}


class ScreensColumn(QWidget):
    """Shows the model, and forwards."""

    def __init__(self, model: LineUp) -> None:
        super().__init__()
        self.model = model
        self.name, self.about = label(role="head"), OneLine("dust")
        self.face = MonitorFace("What the template's monitor shows")
        self.says, self.clock = OneLine(), label(role="dust")
        self.boxes: list[QComboBox] = []
        self.others: list[MonitorFace] = []
        self.other_says: list[OneLine] = []
        beside = QHBoxLayout()
        sized(beside).setSpacing(12)
        for place in range(BESIDE):
            box = QComboBox()
            box.setAccessibleName(f"Monitor {place + 1} beside the template's own")
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.activated.connect(partial(self._compare, place))
            face, says = MonitorFace(f"What monitor {place + 1} beside it shows"), OneLine("dust")
            self.boxes.append(box)
            self.others.append(face)
            self.other_says.append(says)
            column = QVBoxLayout()
            sized(column).setSpacing(4)
            column.addWidget(box)
            column.addWidget(face, 1)
            column.addWidget(says)
            beside.addLayout(column, 1)
        self.matrix = FeedsMatrix()
        self.matrix.chosen.connect(self._say_cell)
        self.matrix.opened.connect(self._open)
        self.cell_words = OneLine("dust")
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.matrix)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        head = QHBoxLayout()
        head.addWidget(self.name)
        head.addWidget(self.about, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.says, 1)
        foot.addWidget(self.clock)
        outer = QVBoxLayout(self)
        sized(outer).setContentsMargins(14, 8, 14, 8)
        sized(outer).setSpacing(6)
        outer.addLayout(head)
        outer.addWidget(self.face, 7)
        outer.addLayout(foot)
        outer.addLayout(beside, 4)
        outer.addWidget(label("Can it be seen?", "head"))
        outer.addWidget(scroll, 5)
        outer.addWidget(self.cell_words)
        model.changed.connect(self._show_choices)
        model.arrived.connect(self._show_faces)
        model.feeds.changed.connect(self._show_feeds)
        self._show_choices()
        self._show_feeds()

    def _compare(self, place: int, index: int) -> None:
        self.model.options.compare(place, str(self.boxes[place].itemData(index)))

    def _say_cell(self, row: int, column: int) -> None:
        feeds = self.model.feeds
        self.cell_words.setText(feeds.words(feeds.feeds[row], feeds.monitors()[column]))

    def _open(self, row: int) -> None:
        self.model.feeds.open(self.model.feeds.feeds[row])

    def _show_choices(self) -> None:
        model = self.model
        self.name.setText(f"What {model.monitor.name} shows" if model.monitor is not None else "No monitor")
        known, beside = model.options.known(), model.options.beside()
        own = model.monitor.id if model.monitor is not None else ""
        for place, box in enumerate(self.boxes):
            box.clear()
            for ident, monitor in known.items():
                if ident != own:
                    box.addItem(monitor.name, ident)
            if place < len(beside):
                box.setCurrentIndex(box.findData(beside[place].id))
        self._show_faces()
        self._show_feeds()

    def _show_faces(self) -> None:
        model, looked = self.model, self.model.looked
        self.about.setText("from the received words" if looked is not None else "")
        for place, (face, says) in enumerate(
            zip((self.face, *self.others), (self.says, *self.other_says), strict=True)
        ):
            state, words = model.words.face_state(place), model.words.face(place)
            result = looked.faces[place] if looked is not None and place < len(looked.faces) else None
            aspect = (
                float(result.response.seen.raster.display_aspect)
                if result is not None and result.response.seen is not None
                else 16 / 9
            )
            face.show_face(
                result.picture if result is not None else None, aspect, state, words, SAFE if place == 0 else ()
            )
            says.setText(words)
            as_role(says, _ROLES.get(state, "dust"))
        moment = looked.frame.timecode if looked is not None else None
        self.clock.setText("" if looked is None else str(moment) if moment is not None else "no timecode")

    def _show_feeds(self) -> None:
        feeds = self.model.feeds
        monitors = feeds.monitors()
        self.matrix.show_rows(
            [monitor.name for monitor in monitors],
            [
                (
                    feed.template,
                    format_words(feed.format),
                    tuple(feeds.cell(feed, monitor).state for monitor in monitors),
                )
                for feed in feeds.feeds
            ],
        )
