"""The page of a job's trial: its clips, a player, what the template does under the playhead, and two timelines one above the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtCore import QMimeData, QSize, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QIcon, QKeySequence, QPixmap, QShortcut
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.drawing.trial_lanes import Look
from idle_quarry.app.models.job_material import used_words
from idle_quarry.app.models.opened import Opened
from idle_quarry.app.models.trial import CLIPS, LOWER, UPPER, Trial
from idle_quarry.app.models.trial_acts import MOVED
from idle_quarry.app.models.trial_costs import LACKING, LOSSY, OFF_SPEED
from idle_quarry.app.questions import Question
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.jobs.trial_under import UnderPlayhead
from idle_quarry.app.widgets.ask_bar import AskBar
from idle_quarry.app.widgets.boxes import choice_box
from idle_quarry.app.widgets.buttons import button
from idle_quarry.app.widgets.labels import OneLine, label
from idle_quarry.app.widgets.player_picture import PlayerPicture
from idle_quarry.app.widgets.tinted import tint, tinted
from idle_quarry.app.widgets.trial_lanes import TrialLanes
from idle_quarry.jobs.cutting.timeline import Item
from idle_quarry.media.names import clips_among

_PATH = Qt.ItemDataRole.UserRole
_KEYS_HELP = "J K L · I O · ← → · ↑ ↓ cuts · A add · P put in · V lay over · X take out · G lift · S split"


class _Clips(QListWidget):
    """The job's clips, to be dragged onto lanes."""

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(item.data(_PATH)) for item in items])
        return data


class _Side(QWidget):
    """One of the two timelines: which it is, how it stands, its lanes."""

    def __init__(self, page: TrialPage, side: str) -> None:
        super().__init__()
        on(self, "bench")
        self._page, self._side = page, side
        self.names = QComboBox()
        self.names.setAccessibleName(f"Timeline {'above' if side == UPPER else 'below'}")
        self.names.activated.connect(self._named)
        self.words = OneLine("dust")
        self.lanes = TrialLanes(f"Lanes {'above' if side == UPPER else 'below'}")
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(self.lanes)
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
        trial = page.model
        lanes = self.lanes
        lanes.look = page.look
        lanes.entered.connect(lambda: trial.look_at(side) if trial.side != side else None)
        lanes.gone.connect(trial.go)
        lanes.moved.connect(lambda ident, to, track, follow: trial.acts.move(side, ident, to, track, follow=follow))
        lanes.trimmed.connect(self._trimmed)
        lanes.handed.connect(self._handed)
        lanes.dropped.connect(self._dropped)

    def _named(self, index: int) -> None:
        self._page.model.open(self.names.itemText(index), self._side)

    def _trimmed(self, ident: int, edge: str, by: int, follow: bool) -> None:
        self._page.model.acts.trim(self._side, ident, edge, by, follow=follow)

    def _handed(self, lanes: TrialLanes, at: int, follow: bool) -> None:
        origin, target = self.lanes.opened, lanes.opened
        if origin is not None and target is not None:
            self._page.model.acts.bring(origin, target, "in" if follow else "over", at)

    def _dropped(self, paths: list[Path], at: int, track: str, follow: bool) -> None:
        opened = self.lanes.opened
        if opened is not None:
            aim = next((each for each in opened.timeline.tracks if each.ident == track), None)
            for path in clips_among(paths):
                self._page.model.acts.lay_clip(path, opened, "in" if follow else "over", at, aim)

    def show_side(self) -> None:
        trial, opened = self._page.model, self._page.model.opened[self._side]
        names = trial.names()
        if [self.names.itemText(n) for n in range(self.names.count())] != names:
            self.names.clear()
            self.names.addItems(names)
        self.names.setCurrentText(opened.path.stem if opened is not None else "")
        if opened is None:
            self.names.setCurrentIndex(-1)
        self.words.setText(self._said(opened))
        if self.lanes.opened is not opened:
            self.lanes.show_opened(opened)
        self.lanes.on = trial.side == self._side
        self.lanes.updateGeometry()
        self.lanes.update()

    def _said(self, opened: Opened | None) -> str:
        if opened is None:
            return "No timeline is open here. Choose one."
        timeline = opened.timeline
        count = sum(len(track.items) for track in timeline.tracks)
        seconds = timeline.end / timeline.rate
        long = f"{int(seconds // 60)} min {int(seconds % 60)} s" if seconds >= 60 else f"{float(seconds):.1f} s"
        said = [opened.canvas.size_text, long, f"{count} item{'' if count == 1 else 's'}"]
        if opened.undoable:
            said.append(f"undo: {opened.undoable} ({opened.count})")
        if opened.kept:
            said.append(opened.kept)
        return " · ".join(said)


class TrialPage(QWidget):
    """Shows the trial of the model, and forwards."""

    def __init__(self, model: Trial) -> None:
        super().__init__()
        self.model = model
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter clips")
        self.filter.setAccessibleName("Filter clips")
        self.clips = _Clips()
        self.clips.setAccessibleName("Clips of the job")
        self.clips.setDragEnabled(True)
        self.clips.setIconSize(QSize(theme.px(64), theme.px(36)))
        self.clips.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        tinted(self.clips)
        self.picture = PlayerPicture(model.player)
        self.under = UnderPlayhead(model)
        self.clock, self.media = label("", "title"), OneLine("dust")
        self.marks, self.state = OneLine(), OneLine("dust")
        self.find_line = QLineEdit()
        self.find_line.setAccessibleName("Find in the timeline")
        self.find_line.setPlaceholderText("Find: name, class, note")
        self.found = choice_box(
            "Findings to look for", {"by words": "", LOSSY: LOSSY, OFF_SPEED: OFF_SPEED, LACKING: LACKING}, self._sought
        )
        self.number = QLineEdit()
        self.number.setAccessibleName("Frames to move by")
        self.number.setPlaceholderText("+12")
        sized(self.number).setFixedWidth(70)
        self.moved = choice_box("What the number moves", {each: each for each in MOVED}, lambda _what: None)
        self.follow = choice_box(
            "What follows", {"what follows stays": False, "what follows moves": True}, lambda _follow: None
        )
        self.new_button = button(
            "New timeline", self._ask_name, quiet=True, tip="with the tracks of the template's first one, opened above"
        )
        self.earlier_button = button(
            "Earlier states", self._show_earlier, quiet=True, tip="the last 20 states that were kept"
        )
        self.ask = AskBar()
        self.empty = label("No clip yet. Drop clips here or on the lanes, or add them in Material.", "dust", wrap=True)
        self.setAcceptDrops(True)
        self.sides = {side: _Side(self, side) for side in (UPPER, LOWER)}
        self._build()
        self._bind()
        model.changed.connect(self._show)
        model.side_changed.connect(self._show)
        model.under_changed.connect(self._show_places)
        model.asked.connect(self.ask.put)
        model.material.asked.connect(self._asked)
        model.material.doing_changed.connect(self._show_state)
        model.player.seen_changed.connect(self._show_clock)
        model.player.state_changed.connect(self._show_state)
        self._show()

    # -- building ----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        left = QWidget()
        on(left, "ground")
        column = QVBoxLayout(left)
        sized(column).setContentsMargins(12, 6, 6, 4)
        sized(column).setSpacing(5)
        column.addWidget(self.filter)
        column.addWidget(self.empty)
        column.addWidget(self.clips, 1)
        middle = QWidget()
        on(middle, "bench")
        player = QVBoxLayout(middle)
        player.setContentsMargins(0, 0, 0, 0)
        sized(player).setSpacing(2)
        player.addWidget(self.picture, 1)
        times = QHBoxLayout()
        sized(times).setContentsMargins(12, 0, 12, 0)
        sized(times).setSpacing(14)
        self.clock.setFont(theme.font(19, mono=True))
        times.addWidget(self.clock)
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.media)
        words.addWidget(self.marks)
        times.addLayout(words, 1)
        player.addLayout(times)
        told = QHBoxLayout()
        sized(told).setContentsMargins(12, 0, 12, 4)
        told.addWidget(self.state)
        player.addLayout(told)
        top = QSplitter(Qt.Orientation.Horizontal)
        for each in (left, middle, self.under):
            top.addWidget(each)
        top.setSizes([theme.px(290), theme.px(590), theme.px(400)])
        top.setChildrenCollapsible(False)
        tools = QHBoxLayout()
        sized(tools).setContentsMargins(14, 3, 12, 3)
        sized(tools).setSpacing(7)
        for each in (self.find_line, self.found):
            tools.addWidget(each)
        tools.addStretch(1)
        for each in (label("Move", "dust"), self.moved, self.number, self.follow, self.new_button, self.earlier_button):
            tools.addWidget(each)
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

    def keys(self) -> dict[str, tuple[str, Callable[[], object]]]:
        """Return every key of this page: what it does in words, and the act."""
        model, player, acts = self.model, self.model.player, self.model.acts

        def second() -> int:
            return round(float(player.source.rate)) if player.source is not None else 25

        return {
            "L": ("play, and faster with each press", player.faster),
            "J": ("play backwards, and faster", partial(player.faster, back=True)),
            "K": ("hold", player.stop),
            "Space": ("play or hold", self._toggle),
            "Shift+L": ("play slowly", player.slower),
            "Shift+J": ("play slowly backwards", partial(player.slower, back=True)),
            "Left": ("back by a frame", lambda: model.step(-1)),
            "Right": ("on by a frame", lambda: model.step(1)),
            "Shift+Left": ("back by a second", lambda: model.go(model.frame - second())),
            "Shift+Right": ("on by a second", lambda: model.go(model.frame + second())),
            "Up": ("to the cut before", partial(model.to_cut, back=True)),
            "Down": ("to the next cut", model.to_cut),
            "Home": ("to the start", lambda: model.go(0)),
            "End": ("to the end", lambda: model.go(10**9)),
            "I": ("in is here", lambda: model.mark("in")),
            "O": ("out is here", lambda: model.mark("out")),
            "Shift+I": ("no in and out", model.unmark),
            "R": ("play round and round, or no longer", lambda: model.loop(player.loop is None)),
            "F": ("field by field, or whole", lambda: player.look_by_field(not player.by_field)),
            "A": ("add at the end of the other timeline", partial(acts.lay, "add")),
            "P": ("put in at the other's playhead", partial(acts.lay, "in")),
            "V": ("lay over from the other's playhead", partial(acts.lay, "over")),
            "N": ("the next clip", model.next_clip),
            "B": ("the clip before", partial(model.next_clip, back=True)),
            "X": ("take out, and close up", acts.take_out),
            "G": ("lift, and leave the room", acts.lift),
            "Del": ("lift what is chosen", acts.lift),
            "S": ("split at the playhead", acts.split),
            "[": ("trim its start to the playhead", partial(acts.trim_here, "start")),
            "]": ("trim its end to the playhead", partial(acts.trim_here, "end")),
            "D": ("switch off, or on", acts.switch),
            "U": ("belong together, or no longer", acts.link),
            "M": ("set a mark, or take it away", acts.mark),
            "Shift+Up": ("to the mark before", partial(acts.to_mark, back=True)),
            "Shift+Down": ("to the next mark", acts.to_mark),
            "F3": ("find the next", model.find),
            "Shift+F3": ("find the one before", partial(model.find, back=True)),
            "+": ("move by a number", partial(self._number_begun, "+")),
            "-": ("move by a number, back", partial(self._number_begun, "−")),
            "Tab": ("look at the other timeline", self._other_side),
            "Q": ("look at the clip", lambda: model.look_at(CLIPS)),
            "Ctrl+Z": ("undo", acts.undo),
            "Ctrl+Shift+Z": ("do again", acts.redo),
            "Ctrl++": ("closer", lambda: self._zoom(1.6)),
            "Ctrl+-": ("wider", lambda: self._zoom(1 / 1.6)),
            "Ctrl+0": ("all of it", self._show_all),
        }

    def _bind(self) -> None:
        self.shortcuts: dict[str, QShortcut] = {}
        for key, (_words, act) in self.keys().items():
            made = QShortcut(QKeySequence(key), self)
            made.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            made.activated.connect(act)
            self.shortcuts[key] = made
        self.picture.setToolTip("\n".join(f"{key}  {words}" for key, (words, _act) in self.keys().items()))
        self.filter.textChanged.connect(self._show_clips)
        self.clips.currentItemChanged.connect(self._clip_chosen)
        self.clips.itemDoubleClicked.connect(lambda _item: self.model.acts.lay("add"))
        self.picture.jogged.connect(self.model.step)
        self.picture.toggled.connect(self._toggle)
        self.picture.dragged.connect(self._shifted)
        self.find_line.textChanged.connect(self._sought)
        self.find_line.returnPressed.connect(self.model.find)
        self.number.returnPressed.connect(self._number_typed)

    # -- showing -----------------------------------------------------------------------------------------------------

    def look(self, item: Item) -> Look:
        """Return what an item is drawn by."""
        costs = self.model.costs
        row = costs.row_of(item)
        measured = row.clip.measured if row is not None and row.clip is not None else None
        return Look(costs.cost_of(item), measured.fields if measured is not None else None)

    def _show(self) -> None:
        model = self.model
        for side in self.sides.values():
            side.show_side()
        opened = model.here
        self.picture.raster = opened.canvas if opened is not None else None
        self.picture.shiftable = opened is not None and opened.fit is not None
        self._show_clips()
        self._show_places()
        self._show_state()

    def _show_clips(self) -> None:
        sought, model = self.filter.text().strip().casefold(), self.model
        self.clips.blockSignals(True)
        self.clips.clear()
        for row in model.material.rows:
            name = row.entry.path.name
            source = row.source.name if row.source is not None else "no class" if row.convertible else row.words
            if sought not in f"{name} {source}".casefold():
                continue
            link = model.costs.link_of(row.source)
            grade = f" · {link.grade}" if link is not None else ""
            state = "" if row.row.state == "linked" else f" · {row.row.state}"
            used = f" · {used_words(row.row)}" if row.row.used else ""
            item = QListWidgetItem(f"{name}\n{source}{grade}{used}{state}")
            item.setData(_PATH, str(row.entry.path))
            item.setToolTip(f"{row.entry.path}\n{row.words}")
            item.setSizeHint(QSize(0, theme.px(44)))
            if row.picture is not None:
                small = QPixmap()
                small.loadFromData(row.picture)
                item.setIcon(QIcon(small))
            role = "oxide" if row.clip is None else "ochre" if row.source is None and row.convertible else ""
            tint(item, role)
            self.clips.addItem(item)
            if row.entry.path == model.clip and model.side == CLIPS:
                self.clips.setCurrentItem(item)
        self.clips.blockSignals(False)
        self.empty.setVisible(not model.material.rows and not model.material.doing)

    def _show_places(self) -> None:
        for side in self.sides.values():
            side.lanes.follow()
        self._show_clock()

    def _show_clock(self) -> None:
        model, player = self.model, self.model.player
        opened, source = model.here, player.source
        timeline = opened.timeline if opened is not None else getattr(source, "timeline", None)
        self.clock.setText(str(timeline.timecode(model.frame)) if timeline is not None else "")
        seen = player.seen
        self.media.setText(f"{seen.words} · {seen.media}" if seen is not None and seen.media else "")
        first, last = (
            (opened.mark_in, opened.mark_out)
            if opened is not None
            else model.marks.get(model.clip or Path(), (None, None))
        )
        said = []
        if timeline is not None:
            said += [f"in {timeline.timecode(first)}"] if first is not None else []
            said += [f"out {timeline.timecode(last - 1)}"] if last is not None else []
            if first is not None and last is not None:
                said.append(f"{float((last - first) / timeline.rate):.2f} s")
        self.marks.setText(" · ".join(said))
        if player.speed:
            self.state.setText(player.words())
            for side in self.sides.values():
                side.lanes.follow()

    def _show_state(self) -> None:
        player = self.model.player
        said = player.words() or self.model.material.doing or _KEYS_HELP
        if not player.speed and player.by_field:
            said = f"field by field: the {'second' if player.second_field else 'first'} · {said}"
        if player.loop is not None:
            said = f"round and round · {said}"
        self.state.setText(said)

    # -- hands -------------------------------------------------------------------------------------------------------

    def _asked(self, choice: object) -> None:
        if self.isVisible():
            self.ask.put(choice)  # type: ignore[arg-type]

    def _toggle(self) -> None:
        player = self.model.player
        if player.speed:
            player.stop()
        else:
            player.play(Fraction(1))

    def _clip_chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.model.show_clip(Path(item.data(_PATH)))

    def _sought(self, words: str) -> None:
        self.model.sought = words

    def _number_begun(self, sign: str) -> None:
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

    def _shifted(self, across: float, down: float) -> None:
        self.model.acts.shift(Fraction(across).limit_denominator(10000), Fraction(down).limit_denominator(10000))

    def _ask_name(self) -> None:
        self.ask.put(
            Question("What is the new timeline called?", "Make it", self.model.acts.new_timeline, "Selections")
        )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.model.job is not None and event.mimeData().hasUrls() and event.source() is None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = clips_among([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])
        if paths:
            self.model.material.add(paths)
            event.acceptProposedAction()

    def _show_earlier(self) -> None:
        menu = QMenu(self)
        for state in self.model.acts.earlier():
            when = state.stat().st_mtime
            menu.addAction(_when(when), partial(self.model.acts.go_back_to, state))
        if menu.isEmpty():
            menu.addAction("No earlier state is kept yet").setEnabled(False)
        menu.popup(self.earlier_button.mapToGlobal(self.earlier_button.rect().bottomLeft()))


def _when(seconds: float) -> str:
    from datetime import datetime

    return f"{datetime.fromtimestamp(seconds):%Y-%m-%d %H:%M:%S}"
