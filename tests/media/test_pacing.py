"""Pictures at no even pace, of a clip that shows its own clock: each frame is the picture that is on show then, and
sound stays in step.
"""

from __future__ import annotations

import random
import tracemalloc
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest

from idle_quarry.media.coding.converting import ConversionTarget, convert
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.looking import look
from idle_quarry.media.pacing import held_and_dropped
from idle_quarry.media.stills import FrameSource
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import codecs
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.signal.words import Sixty, format_from_words

_BASE = 90_000


def phone(path: Path, count: int, seconds: float) -> list[float]:
    """Write a clip of a telephone: pictures stay for two to six hundredths, and their grey says when they are
    shown, in steps of 1/30 s.
    """
    chance, at, times = random.Random(3), 0.0, list[float]()
    while len(times) < count:
        times.append(at)
        at += chance.choice([1 / 30, 1 / 30, 1 / 30, 1 / 24, 1 / 20, 1 / 15])
    times = [round(time * seconds / at * _BASE) / _BASE for time in times]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=30, options={"crf": "1", "bf": "2"})
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        stream.codec_context.time_base = stream.time_base = Fraction(1, _BASE)
        voice = container.add_stream("aac", rate=48000, layout="mono")
        for time in times:
            planes = np.full((270, 320), 128, np.uint8)
            planes[:180] = grey_at(time)
            frame = av.VideoFrame.from_ndarray(planes, format="yuv420p")
            frame.pts, frame.time_base = round(time * _BASE), Fraction(1, _BASE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        for block in range(round(seconds * 48000 / 1024)):
            heard = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
            heard.sample_rate, heard.pts = 48000, 1024 * block
            container.mux(voice.encode(heard))
        container.mux(voice.encode(None))
    return times


def grey_at(time: float) -> int:
    return 20 + int(time * 30)


@pytest.mark.parametrize(("suffix", "rate", "count"), [(".mp4", "25", 154), (".mkv", "25", 154), (".mov", "30", 184)])
def test_each_frame_is_the_picture_that_is_on_show(tmp_path: Path, suffix: str, rate: str, count: int) -> None:
    path = tmp_path / f"phone{suffix}"
    times = phone(path, count, 6.0)
    seen = [round(time, 3) for time in times] if suffix == ".mkv" else times  # whose clock has milliseconds
    clip = look(path)
    fixed = NAMED_RATES[rate]
    # of .mkv, whose index has key pictures alone, it is known once it was measured
    assert (inspect(path).declared.uneven > 0) == (suffix != ".mkv") and look(path).declared == clip.declared
    assert (clip.declared.uneven, clip.declared.rate) == (count, fixed)
    assert clip.declared.frames == pytest.approx(float(6 * fixed), abs=1)
    frames = list(range(clip.declared.frames or 0))
    shuffled = frames[:]
    random.Random(1).shuffle(shuffled)
    with FrameSource(clip) as source:
        for number in (*frames, *shuffled):
            picture = source.frame(number)
            assert picture is not None and picture.index == number
            on_show = sum(time <= float(number / fixed) + 1e-6 for time in seen) - 1
            assert abs(float(picture.luma.mean()) - grey_at(times[on_show])) < 0.5, number
    shown = [sum(time <= float(number / fixed) + 1e-6 for time in seen) for number in frames]
    repeated = sum(one == other for one, other in pairwise(shown))
    varies = clip.measured.variable if clip.measured is not None else None
    assert varies is not None and varies.fixed == fixed
    assert varies.repeated_a_minute == pytest.approx(10 * repeated, abs=11)
    assert varies.dropped_a_minute == pytest.approx(10 * (count - len(set(shown))), abs=11)

    result = convert(
        clip,
        ConversionTarget(format_from_words(f"320x180p{rate}", Sixty.EXACT), codecs()["rdd36-proxy"], DEFAULT_POLICY),
        tmp_path / "made.mov",
    )
    assert result.frames == clip.declared.frames
    with av.open(str(result.path)) as container:
        sound = container.streams.audio[0]
        assert sound.duration is not None and sound.time_base is not None
        assert float(sound.duration * sound.time_base) == pytest.approx(result.frames / float(fixed), abs=0.05)
    assert inspect(result.path).declared.uneven == 0


def test_time_stamps_that_jump_by_days_take_no_memory() -> None:
    tracemalloc.start()
    times = [day * 86400.0 + picture / 25 for day in range(400) for picture in range(3)]
    repeated, dropped = held_and_dropped(times, Fraction(25))
    assert dropped == 0 and repeated == (399 * 86400 + 2 / 25) * 25 - len(times) + 1
    assert tracemalloc.get_traced_memory()[1] < 1_000_000
    tracemalloc.stop()
