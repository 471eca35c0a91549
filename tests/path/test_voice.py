"""Voice chains: typed and said the same, refused in a sentence, and doing in FFmpeg what they say."""

from __future__ import annotations

from fractions import Fraction

import av
import numpy as np
import pytest
from av.filter import Graph

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.entries.downmix import coefficients, downmix_words
from idle_quarry.path.registry import sound_layouts
from idle_quarry.path.voice import KINDS, ffmpeg_filters, voice_from, voice_words

RATE = 48000


def through(chain: str, hz: float, level_db: float) -> float:
    """Return the level in dB that a sine leaves a chain with, when it has settled."""
    time = np.arange(2 * RATE) / RATE
    sine = (10 ** (level_db / 20) * np.sin(2 * np.pi * hz * time)).astype(np.float32)
    graph = Graph()
    source = graph.add_abuffer(sample_rate=RATE, format="flt", layout="mono", time_base=Fraction(1, RATE))
    last = source
    for part in ffmpeg_filters(voice_from(chain)).split(","):
        name, _, options = part.partition("=")
        output = graph.add(name, options)
        last.link_to(output)
        last = output
    sink = graph.add("abuffersink")
    last.link_to(sink)
    graph.configure()
    heard = []
    for at in range(0, len(sine), 1024):
        frame = av.AudioFrame.from_ndarray(sine[None, at : at + 1024], "flt", "mono")
        frame.sample_rate, frame.pts = RATE, at
        source.push(frame)
        try:
            while True:
                out = sink.pull()
                assert isinstance(out, av.AudioFrame)
                heard.append(out.to_ndarray().ravel().astype(np.float64))
        except (av.BlockingIOError, av.EOFError):
            pass
    result = np.concatenate(heard)[RATE : RATE + RATE // 2]
    return float(20 * np.log10(np.sqrt(2 * np.mean((result - result.mean()) ** 2))))


def test_chains_are_said_as_they_are_typed() -> None:
    whole = "; ".join(kind.example for kind in KINDS.values())
    chain = voice_from(whole)
    assert [p.does for p in chain] == list(KINDS) and voice_from(voice_words(chain)) == chain
    assert voice_from("") == voice_from("none") == () and ffmpeg_filters(()) == "anull"
    for wrong in (
        "sparkle 3 dB",
        "high-pass loud",
        "equaliser 3000 Hz +2 dB",
        "gain 90 dB",
        "compressor -18 dB 3:1 10 ms",
    ):
        with pytest.raises(NotUnderstood) as refusal:
            voice_from(wrong)
        assert "\n" not in str(refusal.value)


def test_chains_do_what_they_say() -> None:
    assert through("gain +3 dB", 1000, -20) == pytest.approx(-17, abs=0.05)
    assert through("high-pass 80 Hz", 1000, -20) == pytest.approx(-20, abs=0.1)
    assert through("high-pass 80 Hz", 40, -20) == pytest.approx(-20 - 12.3, abs=0.3)  # two poles: 10 lg(1 + 2⁴)
    assert through("equaliser 3000 Hz +6 dB Q 1", 3000, -20) == pytest.approx(-14, abs=0.1)
    assert through("limiter -6 dB", 1000, 0) == pytest.approx(-6, abs=0.3)
    loud = through("compressor -20 dB 4:1 5 ms 50 ms", 1000, -8)
    assert -18.5 < loud < -13  # 12 dB over its threshold leave as some 3
    assert through("compressor -20 dB 4:1 5 ms 50 ms", 1000, -40) == pytest.approx(-40, abs=0.2)


def test_channels_are_folded_as_another_program_folds_them() -> None:
    """FFmpeg's resampler uses BS.775's factors too, all of them lowered so that nothing clips."""
    surround = sound_layouts()["5.1"].positions()
    for wanted, layout in ((("left", "right"), "stereo"), (("mono",), "mono")):
        ours = np.array(coefficients(surround, wanted))
        theirs = np.zeros_like(ours)
        for n in range(6):
            samples = np.zeros((6, 4096), np.float32)
            samples[n] = 0.5
            frame = av.AudioFrame.from_ndarray(samples, "fltp", "5.1(side)")
            frame.sample_rate = RATE
            result = np.concatenate(
                [item.to_ndarray() for item in av.AudioResampler("fltp", layout, RATE).resample(frame)], axis=1
            )
            theirs[:, n] = result[:, -1] / 0.5
        assert ours / np.abs(ours).max() == pytest.approx(theirs / np.abs(theirs).max(), abs=0.01)
    assert "L + 0.71 C + 0.71 Ls" in downmix_words(sound_layouts()["5.1"], sound_layouts()["stereo"])
    assert coefficients(("left", "right"), ("left", "right")) == [[1, 0], [0, 1]]
