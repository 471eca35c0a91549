"""The player of a trial: the picture, the timecode of the timeline and of the media, in and out, how it plays."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.models.jobs.trial.trial_keys import KEYS_HELP
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.pictures.player_picture import PlayerPicture


class TrialPlayer(QWidget):
    """Shows the player of the model, and forwards."""

    def __init__(self, model: Trial) -> None:
        super().__init__()
        on(self, "bench")
        self._model = model
        self.picture = PlayerPicture(model.player)
        self.clock, self.media = label("", "title"), OneLine("dust")
        self.marks, self.state = OneLine(), OneLine("dust")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(2)
        column.addWidget(self.picture, 1)
        times = QHBoxLayout()
        sized(times).setContentsMargins(12, 0, 12, 0)
        sized(times).setSpacing(14)
        times.addWidget(self.clock)
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.media)
        words.addWidget(self.marks)
        times.addLayout(words, 1)
        column.addLayout(times)
        layout = QHBoxLayout()
        sized(layout).setContentsMargins(12, 0, 12, 4)
        layout.addWidget(self.state)
        column.addLayout(layout)
        self.picture.jogged.connect(model.playhead.step)
        self.picture.toggled.connect(model.player.toggle)
        self.picture.dragged.connect(self._shifted)
        model.material.doing_changed.connect(self.show_state)
        model.player.seen_changed.connect(self.show_clock)
        model.player.state_changed.connect(self.show_state)

    def show_here(self) -> None:
        """Show what is looked at now."""
        opened = self._model.here
        self.picture.raster = opened.canvas if opened is not None else None
        self.picture.shiftable = opened is not None and opened.fit is not None
        self.show_clock()
        self.show_state()

    def show_clock(self) -> None:
        model, player = self._model, self._model.player
        opened, source = model.here, player.source
        timeline = opened.timeline if opened is not None else getattr(source, "timeline", None)
        self.clock.setFont(theme.font(19, mono=True))  # another text size gives labels their fonts anew
        self.clock.setText(str(timeline.timecode(model.playhead.frame)) if timeline is not None else "")
        picture = player.seen
        self.media.setText(f"{picture.words} · {picture.media}" if picture is not None and picture.media else "")
        first, last = (
            (opened.mark_in, opened.mark_out)
            if opened is not None
            else model.marks.get(model.clip or Path(), (None, None))
        )
        texts = []
        if timeline is not None:
            texts += [f"in {timeline.timecode(first)}"] if first is not None else []
            texts += [f"out {timeline.timecode(last - 1)}"] if last is not None else []
            if first is not None and last is not None:
                texts.append(f"{float((last - first) / timeline.rate):.2f} s")
        self.marks.setText(" · ".join(texts))
        if player.speed:
            self.state.setText(player.words())

    def show_state(self) -> None:
        player = self._model.player
        text = player.words() or self._model.material.doing or KEYS_HELP
        if not player.speed and player.by_field:
            text = f"field by field: the {'second' if player.second_field else 'first'} · {text}"
        if player.loop is not None:
            text = f"round and round · {text}"
        self.state.setText(text)

    def _shifted(self, across: float, down: float) -> None:
        self._model.acts.shift(Fraction(across).limit_denominator(10000), Fraction(down).limit_denominator(10000))
