"""The page of a job's trial: its clips, a player, what the template does under the playhead, and two timelines one
above the other.
"""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QSplitter, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import ItemLook
from idle_quarry.app.models.jobs.trial.acts import MOVED
from idle_quarry.app.models.jobs.trial.costs import LACKING, LOSSY, OFF_SPEED, Costs
from idle_quarry.app.models.jobs.trial.renders import NOT_RENDERED
from idle_quarry.app.models.jobs.trial.sides import CLIPS, LOWER, UPPER
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.models.jobs.trial.trial_keys import OWN, Keys, keys_of
from idle_quarry.app.questions import Question
from idle_quarry.app.views.jobs.trial_clips import TrialClips
from idle_quarry.app.views.jobs.trial_player import TrialPlayer
from idle_quarry.app.views.jobs.trial_side import TimelineSide
from idle_quarry.app.views.jobs.trial_under import UnderPlayhead
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.lanes.trial_lanes import TrialLanes
from idle_quarry.jobs.cutting.timeline import TimelineItem
from idle_quarry.media.sequences import clips_among


class TrialPage(QWidget):
    """Shows the trial of the model, and forwards."""

    guide_section = "Try a template"

    def __init__(self, model: Trial) -> None:
        super().__init__()
        self.model = model
        self._looks_of: Costs | None = None
        self._looks: dict[tuple[str, str | None], ItemLook] = {}
        FileDrop(self, self._clips_among, lambda paths, _event: self.model.material.add(paths))
        self.clips, self.player, self.under = TrialClips(model), TrialPlayer(model), UnderPlayhead(model)
        self.find_line = QLineEdit()
        self.find_line.setAccessibleName("Find in the timeline")
        self.find_line.setPlaceholderText("Find: name, class, note")
        findings = {"by words": "", LOSSY: LOSSY, OFF_SPEED: OFF_SPEED, LACKING: LACKING, NOT_RENDERED: NOT_RENDERED}
        self.kinds = choice_box("Findings to look for", findings, self._sought)
        self.number = QLineEdit()
        self.number.setAccessibleName("Frames to move by")
        self.number.setPlaceholderText("+12")
        sized(self.number).setFixedWidth(70)
        self.moved = choice_box("What the number moves", {name: name for name in MOVED}, lambda _what: None)
        follows = {"what follows stays": False, "what follows moves": True}
        self.follow = choice_box("What follows", follows, lambda _follow: None)
        self.new_button = button(
            "New timeline", self._ask_name, quiet=True, tip="with the tracks of the template's first one, opened above"
        )
        self.earlier_button = button(
            "Earlier states", self._show_earlier, quiet=True, tip="the last 20 states that were kept"
        )
        self.ask = AskBar()
        self.sides = {side: TimelineSide(model, side, self.look) for side in (UPPER, LOWER)}
        self._build()
        self._bind()
        model.changed.connect(self._show)
        model.side_changed.connect(self._show)
        model.under_changed.connect(self._show_places)
        model.pieces.changed.connect(self._show_pieces)
        model.asked.connect(self.ask.put)
        model.material.asked.connect(self._asked)
        model.renders.asked.connect(self._asked)
        self._show()

    # -- building ----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        top = QSplitter(Qt.Orientation.Horizontal)
        for part in (self.clips, self.player, self.under):
            top.addWidget(part)
        top.setSizes([theme.px(290), theme.px(590), theme.px(400)])
        top.setChildrenCollapsible(False)
        tools = QHBoxLayout()
        sized(tools).setContentsMargins(14, 3, 12, 3)
        sized(tools).setSpacing(7)
        tools.addWidget(self.find_line)
        tools.addWidget(self.kinds)
        tools.addStretch(1)
        for item in (label("Move", "dust"), self.moved, self.number, self.follow, self.new_button, self.earlier_button):
            tools.addWidget(item)
        bottom = QWidget()
        on(bottom, "bench")
        lower = QVBoxLayout(bottom)
        lower.setContentsMargins(0, 0, 0, 0)
        lower.setSpacing(0)
        lower.addLayout(tools)
        lanes = QSplitter(Qt.Orientation.Vertical)
        for side in (UPPER, LOWER):
            lanes.addWidget(self.sides[side])
        lanes.setSizes([theme.px(130), theme.px(210)])
        lanes.setChildrenCollapsible(False)
        lower.addWidget(lanes, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(top)
        split.addWidget(bottom)
        split.setSizes([theme.px(370), theme.px(370)])
        split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addWidget(split, 1)

    def _own_keys(self) -> Keys:
        return {
            "W": ("look at the other timeline", self._other_side),
            "+": ("move by a number", partial(self._begin_number, "+")),
            "-": ("move by a number, back", partial(self._begin_number, "−")),
            "H": ("safe areas, or none", self.player.picture.toggle_safe),
            "E": ("closer", partial(self._zoom, 1.6)),
            "Shift+E": ("wider", partial(self._zoom, 1 / 1.6)),
            "T": ("all of it", self._show_all),
        }

    def _bind(self) -> None:
        self.shortcuts: dict[str, QShortcut] = {}
        keys = keys_of(self.model) | self._own_keys()
        places = [self.player.picture, *(side.lanes for side in self.sides.values())]
        for key, (_words, act) in keys.items():
            for widget in places if key in OWN else [self]:
                result = QShortcut(QKeySequence(key), widget)
                within = (
                    Qt.ShortcutContext.WidgetShortcut if key in OWN else Qt.ShortcutContext.WidgetWithChildrenShortcut
                )
                result.setContext(within)
                result.activated.connect(act)
                self.shortcuts[key] = result
        self.player.picture.setToolTip("\n".join(f"{key}  {words}" for key, (words, _act) in keys.items()))
        self.find_line.textChanged.connect(self._sought)
        self.find_line.returnPressed.connect(self.model.find)
        self.number.returnPressed.connect(self._number_typed)

    # -- showing -----------------------------------------------------------------------------------------------------

    def look(self, item: TimelineItem) -> ItemLook:
        """Return what an item is drawn by; kept by its file, since thousands are drawn at once."""
        costs = self.model.clips.costs
        if costs is not self._looks_of:
            self._looks_of, self._looks = costs, {}
        key = (item.kind, item.media.path if item.media is not None else None)
        if key not in self._looks:
            row = costs.row_of(item)
            measured = row.clip.measured if row is not None and row.clip is not None else None
            self._looks[key] = ItemLook(costs.cost_of(item), measured.fields if measured is not None else None)
        return self._looks[key]

    def _show(self) -> None:
        for side in self.sides.values():
            side.show_side()
        self.clips.show_clips()
        self.player.show_here()
        self._show_places()

    def _show_pieces(self) -> None:
        for side in self.sides.values():
            side.show_pieces()

    def _show_places(self) -> None:
        for side in self.sides.values():
            side.lanes.follow()
        self.player.show_clock()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.model.look(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.model.look(False)

    # -- hands -------------------------------------------------------------------------------------------------------

    def _asked(self, choice: object) -> None:
        if self.isVisible():
            self.ask.put(choice)  # type: ignore[arg-type]

    def _sought(self, words: str) -> None:
        self.model.sought = words

    def _begin_number(self, sign: str) -> None:
        self.number.setText(sign)
        self.number.setFocus()

    def _number_typed(self) -> None:
        self.model.acts.by_number(self.number.text(), self.moved.currentData(), follow=self.follow.currentData())
        self.number.clear()
        self._lanes().setFocus()

    def _lanes(self) -> TrialLanes:
        return self.sides[self.model.side if self.model.side != CLIPS else self.model.aim].lanes

    def _other_side(self) -> None:
        side = LOWER if self.model.side == UPPER else UPPER
        if self.model.opened[side] is not None:
            self.model.look_at(side)
            self.sides[side].lanes.setFocus()

    def _zoom(self, by: float) -> None:
        self._lanes().zoom(by)

    def _show_all(self) -> None:
        self._lanes().show_all()

    def _ask_name(self) -> None:
        self.ask.put(
            Question("What is the new timeline called?", "Make it", self.model.laying.new_timeline, "Selections")
        )

    def _clips_among(self, paths: list[Path]) -> list[Path]:
        return clips_among(paths) if self.model.job is not None else []

    def _show_earlier(self) -> None:
        menu = QMenu(self)
        for state in self.model.acts.earlier():
            when = datetime.fromtimestamp(state.stat().st_mtime)
            menu.addAction(f"{when:%Y-%m-%d %H:%M:%S}", partial(self.model.acts.go_back_to, state))
        if menu.isEmpty():
            menu.addAction("No earlier state is kept yet").setEnabled(False)
        menu.popup(self.earlier_button.mapToGlobal(self.earlier_button.rect().bottomLeft()))
