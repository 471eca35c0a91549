"""Playing by a clock that the test holds: which picture stands when, what was late, and that the sound leads."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import numpy as np
import pytest
from numpy.typing import NDArray
from pytestqt.qtbot import QtBot

from idle_quarry.app.models.jobs.trial.playback import Playback
from idle_quarry.app.models.jobs.trial.playback_parts import PlayedPicture
from idle_quarry.sound.playing import RATE, SpeakerStandIn


class Numbers:
    """A hundred pictures; the sound has a pip where picture 30 begins."""

    rate, length, aspect = Fraction(25), 100, 16 / 9

    def __init__(self, *, heard: bool) -> None:
        self.heard = heard
        self.closed = False
        self.slow: set[int] = set()
        self.asked: list[int] = []

    def seen(self, frame: int, lines: int) -> PlayedPicture:
        self.asked.append(frame)
        return PlayedPicture(frame, np.full((2, 2, 3), frame, np.uint8), words="slow" if frame in self.slow else "")

    def sound(self, first: int, count: int) -> NDArray[np.float32]:
        result = np.zeros((count, 2), np.float32)
        at = 30 * RATE // 25 - first
        if 0 <= at < count:
            result[at] = 1
        return result

    def close(self) -> None:
        self.closed = True


class Clock:
    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def player(qtbot: QtBot, clock: Clock) -> Iterator[Playback]:
    result = Playback()
    result.now = clock
    result._timer.stop()
    yield result
    result.close()


def ahead(qtbot: QtBot, player: Playback, count: int = 10) -> None:
    """Wait until pictures are made ahead, and tick no more than the test does."""
    player._timer.stop()
    qtbot.waitUntil(lambda: len(player._ready) >= count, timeout=5000)


def tick(player: Playback, clock: Clock, seconds: float) -> int:
    clock.now = 100.0 + seconds
    player._tick()
    return player.frame


def test_pictures_stand_when_their_time_has_come(qtbot: QtBot, player: Playback, clock: Clock) -> None:
    source = Numbers(heard=False)
    player.show(source, 10)
    qtbot.waitUntil(lambda: player.seen is not None and player.seen.frame == 10, timeout=5000)
    player.play(Fraction(1))
    ahead(qtbot, player)
    assert [tick(player, clock, item) for item in (0.001, 0.039, 0.041, 0.081, 0.119)] == [10, 10, 11, 12, 12]
    assert player.late == 0 and player.shown == 3
    ahead(qtbot, player)
    assert tick(player, clock, 0.241) == 16, "three were passed over"
    assert player.late == 3 and "3 of 7 late" in player.words()
    player.stop()
    assert player.speed == 0 and player.frame == 16
    qtbot.waitUntil(lambda: player.seen is not None and player.seen.frame == 16, timeout=5000)


def test_what_is_held_lets_go_of_its_clips_and_goes_on(qtbot: QtBot, player: Playback, clock: Clock) -> None:
    source = Numbers(heard=False)
    player.show(source, 10)
    qtbot.waitUntil(lambda: player.seen is not None and player.seen.frame == 10, timeout=5000)
    player.play(Fraction(1))
    ahead(qtbot, player)
    player.let_go()
    assert not source.closed, "it plays"
    player.stop()
    player.let_go()
    qtbot.waitUntil(lambda: source.closed, timeout=5000)
    assert player.seen is not None, "the picture stays"
    player.go(20)
    qtbot.waitUntil(lambda: player.seen is not None and player.seen.frame == 20, timeout=5000)


def test_both_ways_faster_slower_and_round(qtbot: QtBot, player: Playback, clock: Clock) -> None:
    source = Numbers(heard=False)
    player.show(source, 50)
    player.faster(back=True)
    player.faster(back=True)
    assert player.speed == -2
    ahead(qtbot, player)
    assert [tick(player, clock, item) for item in (0.001, 0.041, 0.081)] == [50, 48, 46], (
        "every second picture, in time"
    )
    player.faster()
    assert player.speed == 1, "the other way begins anew"
    player.slower()
    assert player.speed == Fraction(1, 4)
    clock.now = 100.0
    player.play(Fraction(1, 4))
    ahead(qtbot, player)
    begin = player.frame
    assert [tick(player, clock, item) - begin for item in (0.001, 0.159, 0.161)] == [0, 0, 1]
    player.go(40)
    player.stop()
    player.loop = (40, 43)
    clock.now = 100.0
    player.play(Fraction(1))
    ahead(qtbot, player, 3)
    assert [tick(player, clock, item) for item in (0.001, 0.041, 0.081)] == [40, 41, 42]
    player._tick()
    clock.now += 0.05
    player._tick()
    ahead(qtbot, player, 3)
    player._tick()
    assert player.frame in (40, 41) and player.speed == 1, "it went round"
    player.loop = None
    player.go(98)
    player.stop()
    clock.now = 100.0
    player.play(Fraction(1))
    ahead(qtbot, player, 2)
    tick(player, clock, 0.041)
    tick(player, clock, 0.2)
    assert player.speed == 0 and player.frame == 99, "at its end it holds"


def test_the_sound_leads_and_its_pip_stands_with_its_picture(qtbot: QtBot, player: Playback, clock: Clock) -> None:
    """The picture of the pip is shown within 10 ms of the pip, by what the output says it has played."""
    source, speakers = Numbers(heard=True), list[SpeakerStandIn]()

    def speaker(channels: int) -> SpeakerStandIn:
        speakers.append(SpeakerStandIn(channels, clock))
        return speakers[-1]

    player.speaker = speaker
    player.show(source, 25)
    player.play(Fraction(1))
    ahead(qtbot, player)
    shown_at = None
    for millisecond in range(0, 400, 4):
        clock.now = 100 + millisecond / 1000
        qtbot.waitUntil(
            lambda: player._sounding is not None and player._sounding.given - speakers[0].played() > RATE // 10,
            timeout=5000,
        )
        if player.frame < 34:
            qtbot.waitUntil(lambda: player._planned + player._from in player._ready, timeout=5000)
        player._tick()
        if player.frame == 30 and shown_at is None:
            shown_at = millisecond / 1000
            lit = player.levels()
    assert shown_at is not None
    pip = int(np.flatnonzero(speakers[0].samples[:, 0])[0]) / RATE
    assert pip == pytest.approx(5 / 25, abs=1e-4)
    assert abs(shown_at - pip) <= 0.010
    assert lit == (1.0, 1.0) or lit == (0.0, 0.0)
    player.play(Fraction(2))
    qtbot.waitUntil(lambda: not speakers[0].open, timeout=5000)
    assert len(speakers) == 1, "at another speed nothing is heard"
    player.show(None)
    qtbot.waitUntil(lambda: source.closed, timeout=5000)
