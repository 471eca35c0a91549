"""Sound given to an output: in order, without gaps, never far behind; and no output said in a sentence."""

from __future__ import annotations

import sys
from types import ModuleType, SimpleNamespace

import numpy as np
import pytest

from idle_quarry.errors import NotPossible
from idle_quarry.sound.playing import RATE, Speaker, SpeakerStandIn


class Device:
    """What miniaudio gives: it asks for so many frames when it likes."""

    def __init__(self, **how: object) -> None:
        self.how = how
        self.closed = False

    def start(self, pulled: object) -> None:
        self.pulled = pulled

    def pull(self, frames: int) -> np.ndarray:
        return np.frombuffer(self.pulled.send(frames), np.float32).reshape(frames, -1)  # type: ignore[attr-defined]

    def close(self) -> None:
        self.closed = True


@pytest.fixture
def device(monkeypatch: pytest.MonkeyPatch) -> list[Device]:
    result: list[Device] = []

    def opened(**how: object) -> Device:
        result.append(Device(**how))
        return result[-1]

    module = ModuleType("miniaudio")
    module.PlaybackDevice = opened  # type: ignore[attr-defined]
    module.SampleFormat = SimpleNamespace(FLOAT32=1)  # type: ignore[attr-defined]
    module.MiniaudioError = OSError  # type: ignore[attr-defined]
    monkeypatch.setitem(sys.modules, "miniaudio", module)
    return result


def test_blocks_are_joined_and_what_is_missing_is_silence(device: list[Device]) -> None:
    speaker = Speaker(2)
    sound = np.random.default_rng(1).uniform(-1, 1, (5000, 2)).astype(np.float32)
    assert not device[0].pull(64).any(), "nothing was given yet"
    for first in range(0, 5000, 1920):
        speaker.give(sound[first : first + 1920])
    heard = np.concatenate([device[0].pull(count) for count in (700, 1, 2299, 1500)])
    np.testing.assert_array_equal(heard, sound[:4500])
    rest = device[0].pull(1000)
    np.testing.assert_array_equal(rest[:500], sound[4500:])
    assert not rest[500:].any()
    assert device[0].how["sample_rate"] == RATE and device[0].how["nchannels"] == 2
    speaker.close()
    assert device[0].closed


def test_sound_does_not_trail_behind(device: list[Device]) -> None:
    """What comes faster than it is played is cut from the front: the newest quarter of a second is kept."""
    speaker = Speaker(1)
    for second in range(8):
        speaker.give(np.full((RATE // 8, 1), second, np.float32))
    heard = device[0].pull(RATE)
    assert list(np.unique(heard[: RATE // 4])) == [6, 7] and not heard[RATE // 4 :].any()


def test_no_output_is_one_sentence(monkeypatch: pytest.MonkeyPatch, device: list[Device]) -> None:
    def refused(**_how: object) -> None:
        raise OSError("no device")

    monkeypatch.setattr(sys.modules["miniaudio"], "PlaybackDevice", refused)
    with pytest.raises(NotPossible, match="nothing here plays sound"):
        Speaker()
    stand_in = SpeakerStandIn(2)
    assert stand_in.samples.shape == (0, 2) and stand_in.open
