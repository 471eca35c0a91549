"""One of the two timelines of a trial: which it is, how it stands, its lanes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import COUNT, ItemLook
from idle_quarry.app.models.jobs.trial.costs import Costs
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.sides import UPPER
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.widgets.basic.labels import OneLine
from idle_quarry.app.widgets.lanes.trial_lanes import TrialLanes
from idle_quarry.counting import counted
from idle_quarry.jobs.cutting.timeline import TimelineItem
from idle_quarry.media.sequences import clips_among


class TimelineSide(QWidget):
    """One of the two timelines: which it is, how it stands, its lanes."""

    def __init__(self, model: Trial, side: str, look: Callable[[TimelineItem], ItemLook]) -> None:
        super().__init__()
        on(self, "bench")
        self._model, self._side = model, side
        self._costs: Costs | None = None  #: by which the lanes were drawn last
        self.names = QComboBox()
        self.names.setAccessibleName(f"Timeline {'above' if side == UPPER else 'below'}")
        sized(self.names).setMinimumWidth(170)
        self.names.activated.connect(self._named)
        self.words = OneLine("dust")
        self.lanes = TrialLanes(f"Lanes {'above' if side == UPPER else 'below'}")
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(self.lanes)
        self.area.verticalScrollBar().valueChanged.connect(self.lanes.update)
        head = QHBoxLayout()
        sized(head).setContentsMargins(14, 4, 12, 2)
        sized(head).setSpacing(10)
        head.addWidget(self.names)
        head.addWidget(self.words, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.area, 1)
        lanes = self.lanes
        lanes.look = look
        lanes.entered.connect(lambda: model.look_at(side) if model.side != side else None)
        lanes.gone.connect(model.playhead.go)
        lanes.moved.connect(lambda ident, to, track, follow: model.acts.move(side, ident, to, track, follow=follow))
        lanes.trimmed.connect(self._trimmed)
        lanes.handed.connect(self._handed)
        lanes.dropped.connect(self._dropped)

    def _named(self, index: int) -> None:
        self._model.open(self.names.itemText(index), self._side)

    def _trimmed(self, ident: int, edge: str, by: int, follow: bool) -> None:
        self._model.acts.trim(self._side, ident, edge, by, follow=follow)

    def _handed(self, lanes: TrialLanes, at: int, follow: bool) -> None:
        origin, target = self.lanes.opened, lanes.opened
        if origin is not None and target is not None:
            self._model.laying.bring(origin, target, "in" if follow else "over", at)

    def _dropped(self, paths: list[Path], at: int, track: str, follow: bool) -> None:
        opened = self.lanes.opened
        if opened is not None:
            aim = next((item for item in opened.timeline.tracks if item.ident == track), None)
            for path in clips_among(paths):
                self._model.laying.lay_clip(path, opened, "in" if follow else "over", at, aim)

    def show_side(self) -> None:
        model, opened = self._model, self._model.opened[self._side]
        names = model.names()
        if [self.names.itemText(n) for n in range(self.names.count())] != names:
            self.names.clear()
            self.names.addItems(names)
        self.names.setCurrentText(opened.path.stem if opened is not None else "")
        if opened is None:
            self.names.setCurrentIndex(-1)
        self.words.setText(self._facts_of(opened))
        if self.lanes.opened is not opened:
            self.lanes.show_opened(opened)
            QTimer.singleShot(0, self, self._show_aims)
        self.lanes.on = model.side == self._side
        self.show_pieces()
        self.lanes.updateGeometry()
        if model.clips.costs is not self._costs:
            self._costs = model.clips.costs
            self.lanes.look_again()
        self.lanes.update()

    def show_pieces(self) -> None:
        """Show how the timeline's pieces stand, over its lanes."""
        self.lanes.show_pieces(self._model.pieces.of(self._model.opened[self._side]))

    def _show_aims(self) -> None:
        """Have the tracks in sight onto which is laid."""
        aims = [
            row
            for row in self.lanes.rows()
            if self.lanes.opened is not None and row.track.ident in self.lanes.opened.aims.values()
        ]
        for row in reversed(aims):
            self.area.ensureVisible(0, int(row.top - theme.px(COUNT)), 0, 0)
            self.area.ensureVisible(0, int(row.foot), 0, 6)

    def _facts_of(self, opened: OpenTimeline | None) -> str:
        if opened is None:
            return "No timeline is open here. Choose one."
        timeline = opened.timeline
        count = sum(len(track.items) for track in timeline.tracks)
        seconds = timeline.end / timeline.rate
        long = f"{int(seconds // 60)} min {int(seconds % 60)} s" if seconds >= 60 else f"{float(seconds):.1f} s"
        texts = [opened.canvas.size_text, long, counted(count, "item")]
        if opened.undoable:
            texts.append(f"undo: {opened.undoable} ({opened.count})")
        if opened.kept_words:
            texts.append(opened.kept_words)
        return " · ".join(texts)
