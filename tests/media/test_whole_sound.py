"""The whole of a long clip's sound: loudness by EBU Tech 3341, and that of windows told as such until it is heard."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot
from tests.app.test_models import desk  # noqa: F401  (a fixture)

from idle_quarry.app.background.workers import Cancelled
from idle_quarry.app.desk import Desk
from idle_quarry.media.looking import look, whole_sound_heard
from idle_quarry.media.whole.sound import BLOCK, _Blocks

#: Tech 3341, case 5: tones of these levels (dBFS of a stereo sine at 1 kHz) and lengths are −23 LUFS together.
CASE_5 = ((-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0))
RATE = 48000


@pytest.fixture
def long_sound(tmp_path: Path) -> Path:
    parts = []
    for level, seconds in (*CASE_5, *CASE_5):
        t = np.arange(int(seconds * RATE)) / RATE
        parts.append(np.sin(2 * np.pi * 1000 * t) * 10 ** (level / 20))
    tone = (np.concatenate(parts) * 32767).astype(np.int16)
    path = tmp_path / "long.wav"
    with wave.open(str(path), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(np.repeat(tone[:, None], 2, axis=1).tobytes())
    return path


def test_all_of_it_is_heard_as_the_standard_integrates(long_sound: Path) -> None:
    clip = look(long_sound)
    assert clip.measured is not None
    (windows,) = clip.measured.sound
    assert windows is not None and windows.windows > 1 and "not of the whole" in windows.loudness_words()
    lines: list[float] = []
    heard = whole_sound_heard(clip, lambda _what, share: lines.append(share))
    assert heard.measured is not None
    (whole,) = heard.measured.sound
    assert whole is not None and whole.windows == 1 and "not of the whole" not in whole.loudness_words()
    assert whole.loudness_lufs == pytest.approx(-23.0, abs=0.1)
    assert whole.true_peak_dbtp == pytest.approx(-20.0, abs=0.1)
    assert whole.seconds == pytest.approx(120.2, abs=0.01) and lines[-1] == pytest.approx(1.0, abs=0.01)
    assert whole.channels == windows.channels
    again = look(long_sound)
    assert again.measured is not None and again.measured.sound == heard.measured.sound, "it is kept"
    assert whole_sound_heard(heard, lambda *_: pytest.fail("heard twice")).measured == heard.measured


def test_stopping_keeps_what_was_known(long_sound: Path) -> None:
    long_sound.write_bytes(long_sound.read_bytes() + b"\0\0\0\0")  # another content: nothing is kept of it
    clip = look(long_sound)

    def stop(_what: str, share: float) -> None:
        if share > 0.2:
            raise Cancelled

    with pytest.raises(Cancelled):
        whole_sound_heard(clip, stop)
    assert look(long_sound).measured == clip.measured


def test_intake_offers_it_where_it_is_of_windows(desk: Desk, long_sound: Path, qtbot: QtBot) -> None:  # noqa: F811
    long_sound.write_bytes(long_sound.read_bytes() + b"\0\0\0\0\0\0\0\0")
    intake = desk.intake
    intake.look_at([long_sound])
    qtbot.waitUntil(lambda: not intake.running and intake.row is not None, timeout=20000)
    assert intake.sound_is_of_windows()
    intake.hear_whole_sound()
    qtbot.waitUntil(lambda: not intake.running, timeout=20000)
    assert not intake.sound_is_of_windows()
    row = intake.row
    assert row is not None and row.clip is not None and row.clip.measured is not None
    result = row.clip.measured.sound[0]
    assert result is not None and result.loudness_lufs == pytest.approx(-23.0, abs=0.1)


def test_sixteen_channels_are_heard(tmp_path: Path) -> None:
    """As a broadcast recording has them: a stereo tone at −23 dBFS on two of them is −23 LUFS (Tech 3341), the rest
    is silent.
    """
    path = tmp_path / "many.wav"
    tone = np.sin(2 * np.pi * 1000 * np.arange(40 * RATE) / RATE) * 10 ** (-23 / 20) * 32767
    samples = np.zeros((len(tone), 16), np.int16)
    samples[:, 4] = samples[:, 5] = tone.astype(np.int16)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(16)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(samples.tobytes())
    clip = look(path)
    assert clip.measured is not None and not clip.trouble
    (result,) = clip.measured.sound
    assert result is not None and [n + 1 for n, channel in enumerate(result.channels) if not channel.silent] == [5, 6]
    (whole,) = whole_sound_heard(clip, lambda _what, _share: None).measured.sound  # type: ignore[union-attr]
    assert whole is not None and whole.windows == 1 and whole.loudness_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("before", [0, 1, 2, 3])
def test_clipping_is_found_across_the_borders_of_blocks(before: int) -> None:
    """Three samples at full scale, some of them the last of a block; two of them are none."""
    for count, found in ((3, 1), (2, 0)):
        sound, blocks = np.zeros((2 * BLOCK, 2), np.float32), _Blocks(2)
        sound[BLOCK - before : BLOCK - before + count, 1] = 1.0
        for at in (0, BLOCK):
            blocks.take(sound[at : at + BLOCK])
        assert sum(blocks.clipped) == found
