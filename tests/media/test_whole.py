"""Whole files: flashes at, below and above every limit, patterns, levels of known share, what lies in a file, EBU's
own loudness cases.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from idle_quarry.media.clip import Clip
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.gop import FrameTimecode
from idle_quarry.media.pictures import Picture
from idle_quarry.media.whole.flashes import FlashMeter, striped
from idle_quarry.media.whole.layout import items_of
from idle_quarry.media.whole.picture_measurement import BARS, BLACK, MOVING, STILL, PicturePart
from idle_quarry.media.whole.pictures import PicturesMeter
from idle_quarry.media.whole.sound import sound_of
from idle_quarry.picture.patterns.bars import rgb_picture, ycbcr_codes
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_from_words
from idle_quarry.sound.meters import LoudnessMeter

RATES = (25.0, 30000 / 1001, 50.0, 60000 / 1001)


def flashed(
    rate: float,
    every_s: float,
    low: float,
    high: float,
    area: float,
    seconds: float = 4.0,
    colour: tuple[float, float, float] = (1, 1, 1),
) -> FlashMeter:
    """Light of a share of the cells that goes up and down, each change so many seconds after the last."""
    meter = FlashMeter(rate)
    cells = np.full((20, 40, 3), 60.0, np.float32)
    lit = round(area * 800)
    for moment in range(round(seconds * rate)):
        level = high if int(moment / rate / every_s + 1e-6) % 2 else low
        cells.reshape(-1, 3)[:lit] = np.array(colour, np.float32) * level
        meter.take(cells.copy())
    return meter


@pytest.mark.parametrize("rate", RATES)
def test_flashes_are_told_at_every_limit_and_not_below(rate: float) -> None:
    def fault(every_s: float = 0.14, low: float = 40.0, high: float = 100.0, area: float = 0.6) -> bool:
        return bool(flashed(rate, every_s, low, high, area).flashes.spells)

    assert fault() and not fault(every_s=0.19), "a change every 0.19 s is 2.6 flashes a second"
    assert fault(every_s=4 / rate) is (rate / 8 > 3.5 or rate / 8 * 2 > 6)
    assert not fault(high=59.0) and fault(high=60.5), "20 cd/m² or more"
    assert not fault(area=0.24) and fault(area=0.27), "more than a quarter of the picture"
    assert fault(low=159.0, high=181.0) and not fault(low=190.0, high=211.0), "at 160 and above by contrast"
    assert fault(low=190.0, high=220.0)


def sequence(rate: float, seconds: float, lights: Callable[[float], Sequence[tuple[float, float]]]) -> FlashMeter:
    """Areas of a picture (share, light) side by side, as they are at each time."""
    meter = FlashMeter(rate)
    for moment in range(round(seconds * rate)):
        cells, at = np.full((20 * 50, 3), 30.0, np.float32), 0
        for share, light in lights(moment / rate + 1e-6):
            cells[at : at + round(share * 1000)] = light
            at += round(share * 1000)
        meter.take(cells.reshape(20, 50, 3))
    return meter


def square(time: float, hertz: float, phase: float = 0.0, low: float = 40.0, high: float = 100.0) -> float:
    return high if (time * hertz + phase) % 1 < 0.5 else low


@pytest.mark.parametrize("rate", RATES)
def test_places_count_together_whatever_their_phase_and_each_pairs_with_itself(rate: float) -> None:
    """BT.1702-3: areas that flash at once are one area; a change at one place and one at another are no pair."""
    for phase in (0.0, 0.5, 0.25):
        both = sequence(rate, 3, lambda t, p=phase: [(0.229, square(t, 5)), (0.229, square(t, 5, p))])  # type: ignore[misc]
        assert both.flashes.spells and both.flashes.spells[0].area == pytest.approx(0.458, abs=0.002), phase
    alone = sequence(rate, 3, lambda t: [(0.229, square(t, 5))])
    assert not alone.flashes.spells, "of one such area there is less than a quarter"
    thirds = sequence(rate, 4, lambda t: [(1 / 3, 100.0 if int(5 * t) % 3 == n else 40.0) for n in range(3)])
    assert not thirds.flashes.spells and thirds.flashes.most <= 2, "each third flashes at 1.67 Hz"
    apart = sequence(
        rate, 4, lambda t: [(0.2, square(t, 5) if t < 1.5 else 40.0), (0.2, square(t, 5) if t > 2.6 else 40.0)]
    )
    assert not apart.flashes.spells, "one after the other is not at once"
    stairs = sequence(rate, 3, lambda t: [(0.6, 40.0 + 25.0 * int(4 * t))])
    assert not stairs.flashes.spells, "changes in one way are none of a pair"


@pytest.mark.parametrize(("rate", "hertz"), [(50.0, 25 / 9), (50.0, 25 / 8.5), (59.94, 2.99), (25.0, 1.0)])
def test_what_flashes_for_long_is_to_be_looked_at_unless_edges_lie_apart(rate: float, hertz: float) -> None:
    """More than five seconds of it; leading edges 360 ms apart (50 Hz) or 334 ms (60 Hz) are spared."""
    long = sequence(rate, 8, lambda t: [(0.6, square(t, hertz))])
    short = sequence(rate, 4.9, lambda t: [(0.6, square(t, hertz))])
    close = 1 / hertz < (0.3599 if rate in (25.0, 50.0) else 0.3336)
    assert [spell.lasting for spell in long.flashes.spells] == ([True] if close else [])
    assert not short.flashes.spells and long.flashes.most <= 3


def test_pairs_of_flashes_once_a_second_last_as_well() -> None:
    """Two edges 200 ms apart once a second, for eight seconds: none is more than three, and none is spared."""
    twice = sequence(50.0, 8, lambda t: [(0.6, 100.0 if t % 1 < 0.1 or 0.2 <= t % 1 < 0.3 else 40.0)])
    assert [spell.lasting for spell in twice.flashes.spells] == [True] and twice.flashes.most == 2


def test_luminance_and_colour_are_of_the_files_own_primaries() -> None:
    """Light of BT.2020's green has 0.678 of its luminance, of BT.709's 0.715; red counts by u′, v′ of its own."""

    def flashes(primaries: str, light: float) -> bool:
        meter = FlashMeter(25.0, primaries)
        for moment in range(100):
            cells = np.zeros((20, 40, 3), np.float32)
            cells[..., 1] = 10.0 + (light if moment // 3 % 2 else 0.0)
            meter.take(cells)
        return bool(meter.flashes.spells)

    assert flashes("bt709", 28.5) and not flashes("bt2020", 28.5) and flashes("bt2020", 30.0)


def test_red_is_told_by_its_chromaticity() -> None:
    def reds(one: tuple[float, float, float], other: tuple[float, float, float]) -> bool:
        meter = FlashMeter(25.0)
        for moment in range(100):
            meter.take(np.broadcast_to(np.array(one if moment // 3 % 2 else other, np.float32), (20, 40, 3)).copy())
        return bool(meter.reds.spells)

    red, black, grey = (60.0, 2.0, 2.0), (0.0, 0.0, 0.0), (20.0, 20.0, 20.0)
    assert reds(red, black) and reds(red, grey)
    assert not reds((40.0, 8.0, 4.0), grey), "0.77 of it is red"
    assert not reds((60.0, 2.0, 2.0), (50.0, 5.0, 2.0)), "two reds lie near one another"
    assert not reds((2.0, 60.0, 2.0), grey), "green is no red"


def test_patterns_are_stripes_in_any_direction() -> None:
    rows, columns = np.mgrid[0:270, 0:480]

    def covered(
        angle: float, pairs: float, low: float = 10, high: float = 150, share: float = 1.0
    ) -> tuple[float, float]:
        along = np.cos(angle) * columns / 480 + np.sin(angle) * rows / 480
        light = np.where(np.sin(2 * np.pi * pairs * along) > 0, high, low).astype(np.float32)
        light[:, round(480 * share) :] = 80
        return striped(light)

    for angle in (0.0, 0.6, 1.2, np.pi / 2):
        share, pairs = covered(angle, 24)
        assert share > 0.8 and pairs > 5
    assert covered(0.0, 24, share=0.5)[0] == pytest.approx(0.5, abs=0.1)
    assert covered(0.0, 24, high=28)[0] == 0, "stripes of less than 20 cd/m² apart"
    noise = np.random.default_rng(1).uniform(0, 200, (270, 480)).astype(np.float32)
    shading = (100 + 80 * np.sin(columns / 480 * np.pi)).astype(np.float32)
    assert striped(noise)[0] < 0.1 and striped(shading)[0] == 0


def clip_of(fmt: SignalFormat) -> Clip:
    declared = DeclaredProperties(
        width=fmt.raster.width,
        height=fmt.raster.height,
        sample_aspect=Fraction(1),
        rate=fmt.rate,
        scan=fmt.scan,
        field_order=fmt.field_order,
        pixel_format="yuv422p10le",
        bit_depth=10,
        sampling="4:2:2",
        primaries=None,
        transfer=None,
        matrix=None,
        range="narrow",
        codec="v210",
        profile=None,
        container="mov",
        timecode=None,
        drop_frame=None,
        frames=None,
        duration_s=None,
    )
    return Clip(Path("x.mov"), "x", declared, fmt)


def picture(
    index: int,
    luma: np.ndarray,
    cb: np.ndarray | None = None,
    cr: np.ndarray | None = None,
    timecode: FrameTimecode | None = None,
) -> Picture:
    height, width = luma.shape
    grey = np.full((height, width // 2), 512, np.uint16)
    return Picture(
        index=index,
        seconds=index / 25,
        luma=luma.astype(np.uint16),
        chroma=(grey if cb is None else cb.astype(np.uint16), grey if cr is None else cr.astype(np.uint16)),
        rgb=None,
        bits=10,
        interlaced=False,
        timecode=timecode,
    )


def test_what_lies_outside_at_both_ends_is_counted_once() -> None:
    """Luma × 1.15 with chroma × 1.3 of a saturated picture: red above 105 % where blue is below −5 % is one place
    of the picture.
    """
    fmt = replace(format_from_words("1080p25"), raster=format_from_words("576p25").raster)
    meter = PicturesMeter(clip_of(fmt))
    luma, cb, cr = np.full((576, 720), 64), np.full((576, 360), 512), np.full((576, 360), 512)
    luma[:300], cb[:300], cr[:300] = 600, 300, 860  # of BT.709: R′ 1.22, G′ 0.31, B′ 0.17
    luma[:150], cb[:150] = 500, 100  # R′ 1.11 and B′ −0.36: beyond both ends
    for number in range(3):
        meter.take(picture(number, luma, cb, cr))
    result = meter.measurement()
    y, blue = (luma[0, 0] - 64) / 876, (luma[0, 0] - 64) / 876 + 1.8556 * (cb[0, 0] - 512) / 896
    assert blue < -0.05 and y + 1.5748 * (cr[0, 0] - 512) / 896 > 1.05
    assert result.gamut_most == pytest.approx(300 / 576, abs=0.01) and result.gamut_most <= 1


def test_levels_gamut_and_what_stands_still_are_those_that_were_drawn() -> None:
    fmt = replace(format_from_words("1080p25"), raster=format_from_words("576p25").raster)
    meter, rng = PicturesMeter(clip_of(fmt)), np.random.default_rng(2)
    number = 0

    def take(
        luma: np.ndarray,
        cb: np.ndarray | None = None,
        cr: np.ndarray | None = None,
        *,
        times: int = 1,
        timecode: FrameTimecode | None = None,
    ) -> None:
        nonlocal number
        for _ in range(times):
            meter.take(picture(number, luma, cb, cr, timecode))
            number += 1

    def noise() -> np.ndarray:
        return rng.integers(300, 700, (576, 720))

    bars = ycbcr_codes(rgb_picture(fmt), fmt.encoding)
    take(*bars, times=30)
    take(np.full((576, 720), 64), times=25)
    for _ in range(20):
        take(noise())
    out = noise()
    out[:60] = 1010  # super-white: above 105 %
    take(out)
    still = noise()
    take(still, times=40)
    for n in range(20):
        take(noise(), timecode=(False, 10, 0, 0, n if n < 10 else n + 1))
    take(np.full((576, 720), 64), times=15)
    result = meter.measurement()
    assert [(part.what, part.first, part.last) for part in result.parts] == [
        (BARS, 0, 30), (BLACK, 30, 55), (MOVING, 55, 76), (STILL, 76, 116), (MOVING, 116, 136), (BLACK, 136, 151),
    ]  # fmt: skip
    assert [(stay.first, stay.last) for stay in result.frozen] == [(0, 30), (76, 116)] and result.frames == 151
    assert [(stay.first, stay.last) for stay in result.gamut] == [(75, 76)]
    assert result.gamut_most == pytest.approx(60 / 576, abs=1e-3) and result.highest == 1010 and result.lowest == 64
    assert result.above == pytest.approx(60 * 720 / (151 * 576 * 720), rel=0.01)
    assert [text for _, text in result.timecodes] == ["10:00:00:00", "10:00:00:11"], "one is left out"
    items = items_of(result.parts, 25.0, breaks=False)
    assert [(item.what, item.first, item.last) for item in items] == [
        ("bars", 0, 30),
        ("black", 30, 55),
        ("programme", 55, 136),
        ("end black", 136, 151),
    ]


#: A clock: its hand moves once a second.
TICKS = [
    part
    for n in range(30)
    for part in (
        PicturePart(STILL, 1600 + 25 * n, 1624 + 25 * n, 0.0),
        PicturePart(MOVING, 1624 + 25 * n, 1625 + 25 * n, 0.05),
    )
]


def test_what_lies_in_a_file_is_told_by_what_it_shows() -> None:
    parts = [
        PicturePart(BARS, 0, 1500),
        PicturePart(BLACK, 1500, 1600),
        *TICKS,
        PicturePart(BLACK, 2350, 2425),
        PicturePart(MOVING, 2425, 5000, 0.6),
    ]
    parts += [
        PicturePart(BLACK, 5000, 5125),
        PicturePart(MOVING, 5125, 8000, 0.5),
        PicturePart(STILL, 8000, 8100),
        PicturePart(MOVING, 8100, 9000, 0.4),
        PicturePart(BLACK, 9000, 9250),
    ]
    assert [(item.what, item.first) for item in items_of(parts, 25.0, breaks=True)] == [
        ("bars", 0),
        ("black", 1500),
        ("clock", 1600),
        ("black", 2350),
        ("programme", 2425),
        ("break", 5000),
        ("programme", 5125),
        ("end black", 9000),
    ]
    assert [item.what for item in items_of(parts, 25.0, breaks=False)][4:] == ["programme", "end black"]
    slate = [
        PicturePart(BARS, 0, 100),
        PicturePart(STILL, 100, 350),
        PicturePart(BLACK, 350, 400),
        PicturePart(MOVING, 400, 900, 0.7),
    ]
    assert [item.what for item in items_of(slate, 25.0, breaks=False)] == ["bars", "slate", "black", "programme"]
    short = [PicturePart(BLACK, 0, 50), PicturePart(MOVING, 50, 300, 0.05), PicturePart(BLACK, 300, 350)]
    assert [item.what for item in items_of(short, 25.0, breaks=False)] == [
        "black",
        "programme",
        "end black",
    ], "no clock"
    assert [item.what for item in items_of([PicturePart(MOVING, 0, 50, 0.5)], 25.0, breaks=False)] == ["programme"]
    stills = [PicturePart(BARS, 0, 100), *(PicturePart(STILL, n, n + 25, 0.0) for n in range(100, 350, 25)), *slate[2:]]
    assert items_of(stills, 25.0, breaks=False)[1].what == "clock", "what stands still and is another each second"
    paused = [
        PicturePart(MOVING, 0, 400, 0.5),
        PicturePart(BLACK, 400, 420),
        PicturePart(MOVING, 420, 900, 0.5),
        PicturePart(BLACK, 900, 960),
        PicturePart(MOVING, 960, 999, 0.5),
    ]
    assert [(item.what, item.first, item.last) for item in items_of(paused, 25.0, breaks=True)] == [
        ("programme", 0, 900),
        ("break", 900, 960),
        ("programme", 960, 999),
    ]


def sound_file(path: Path, samples: np.ndarray) -> Path:
    layout = {1: "mono", 2: "stereo", 6: "5.1"}[samples.shape[1]]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_f32le", rate=48000, layout=layout)
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(samples, np.float32).reshape(1, -1), format="flt", layout=layout
        )
        frame.sample_rate, frame.pts, frame.time_base = 48000, 0, Fraction(1, 48000)
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def sine(*steps: tuple[float, float], channels: int = 2, hz: float = 1000.0) -> np.ndarray:
    """A sine at levels (dBFS) for so many seconds each, on every channel."""
    result = [10 ** (level / 20) * np.sin(2 * np.pi * hz * np.arange(round(48000 * s)) / 48000) for level, s in steps]
    return np.repeat(np.concatenate(result)[:, None], channels, axis=1)


#: EBU Tech 3341, table 1: what a meter is to read of signals 1, 2, 4 and 5, LUFS ± 0.1 (4 holds 3); Tech 3342's signals
#: 1, 3 and 4, LU ± 1.
EBU_3341 = (
    (((-23, 20),), -23.0), (((-33, 20),), -33.0),
    (((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0), (((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
)  # fmt: skip
EBU_3342 = (
    (((-20, 20), (-30, 20)), 10.0),
    (((-40, 20), (-20, 20)), 20.0),
    (((-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)), 15.0),
)


def test_loudness_is_what_the_ebus_cases_say(tmp_path: Path) -> None:
    for number, (steps, wanted) in enumerate(EBU_3341):
        path = sound_file(tmp_path / f"{number}.wav", sine(*steps))
        result = sound_of(path, (0, 1), (0.0, sum(s for _, s in steps)))
        assert result is not None and result.integrated == pytest.approx(wanted, abs=0.1), number
        if len(steps) == 1:
            assert result.most_momentary == pytest.approx(wanted, abs=0.1) and result.most_short_term == pytest.approx(
                wanted, abs=0.1
            )
    for number, (steps, wanted) in enumerate(EBU_3342):
        meter, samples = LoudnessMeter(2), sine(*steps)  # the meter alone: the files above prove the way to it
        for at in range(0, len(samples), 48000):
            meter.take(samples[at : at + 48000])
        assert meter.latest.range == pytest.approx(wanted, abs=1.0), number
    # true peak: a sine at a quarter of the sampling rate, 45° on, has peaks 3 dB over its samples (Tech 3341, signal 15
    # and on)
    time = np.arange(48000 * 4)
    between = 0.5 * np.sin(2 * np.pi * time / 4 + np.pi / 4) * np.minimum(1, np.minimum(time, time[::-1]) / 24000)
    result = sound_of(sound_file(tmp_path / "tp.wav", np.repeat(between[:, None], 2, axis=1)), (0, 1), (0.0, 4.0))
    assert (
        result is not None
        and result.true_peak == pytest.approx(-6.0, abs=0.4)
        and result.channels[0].peak_dbfs == pytest.approx(-9.03, abs=0.02)
    )
    surround = np.zeros((48000 * 10, 6))
    surround[:, :] = sine((-28, 10), channels=6)
    surround[:, 3] = 0
    result = sound_of(sound_file(tmp_path / "51.wav", surround), (0, 1, 2, 3, 4, 5), (0.0, 10.0))
    weights = 10 * np.log10(3 + 2 * 1.41)  # BS.1770-5: three at one, the surrounds at 1.41
    assert result is not None and result.integrated == pytest.approx(-28 - 3.01 + weights - 0.691 + 0.691, abs=0.2)


def test_channels_silence_clipping_and_phase_are_told_with_their_places(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    output = 0.1 * rng.standard_normal((48000 * 12, 6))
    output[:, 3] = sine((-20, 12), channels=1, hz=50)[:, 0]
    output[48000 * 3 : 48000 * 5] = 0
    output[48000 * 6 : 48000 * 8, 1] = -output[48000 * 6 : 48000 * 8, 0]
    output[48000 * 9 + 100 : 48000 * 9 + 110, 2] = 1.0
    output[:, 5] = output[:, 4]
    result = sound_of(sound_file(tmp_path / "a.wav", output), None, (0.0, 12.0))
    assert result is not None
    assert [(span.first_s, span.last_s) for span in result.silence] == [(3.0, 5.0)]
    assert [(round(span.first_s, 1), round(span.last_s, 1)) for span in result.against] == [(6.0, 8.0)]
    assert [span.first_s for span in result.clipping] == [9.0] and result.alike == ((5, 6),)
    assert result.channels[3].high_share < 0.1 < 0.5 < result.channels[2].high_share
    later = sound_of(tmp_path / "a.wav", (0, 1), (4.0, 12.0))
    assert later is not None and [(span.first_s, span.last_s) for span in later.silence] == [(4.0, 5.0)], (
        "places are the file's"
    )


def pq_code(light: float) -> int:
    """The 10-bit code of a luminance by SMPTE ST 2084's own formula."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
    power = (light / 10000) ** m1
    return 64 + int(0.5 + 876 * ((c1 + c2 * power) / (1 + c3 * power)) ** m2)


@pytest.mark.parametrize("rows", [14, 1])
def test_the_brightest_pixel_is_found_wherever_it_is(rows: int) -> None:
    """MaxCLL looks at every pixel and MaxFALL at the mean of every frame (CTA-861.3, annex P)."""
    meter = PicturesMeter(clip_of(format_from_words("2160p50 pq")))
    dim, bright = np.full((720, 1280), pq_code(50)), np.full((720, 1280), pq_code(50))
    bright[301 : 301 + rows] = pq_code(4015)
    for n in range(4):
        meter.take(picture(n, bright if n == 2 else dim))
    result = meter.measurement()
    assert result.max_cll == pytest.approx(4015, rel=0.01)
    assert result.max_fall == pytest.approx((50 * (720 - rows) + 4015 * rows) / 720, rel=0.01)


def test_a_colour_counts_by_its_brightest_part() -> None:
    """Of saturated red at 1 000 cd/m² MaxCLL is 1 000 though its luminance is 263."""
    encoding = format_from_words("2160p50 pq").encoding
    meter = PicturesMeter(clip_of(format_from_words("2160p50 pq")))
    rgb = np.zeros((180, 320, 3))
    rgb[..., 0] = (pq_code(1000) - 64) / 876
    luma, cb, cr = ycbcr_codes(rgb, replace(encoding, sampling="4:2:2", bit_depth=10))
    for n in range(2):
        meter.take(picture(n, luma, cb, cr))
    assert meter.measurement().max_cll == pytest.approx(1000, rel=0.02)


def test_pictures_coded_as_rgb_have_their_light_too() -> None:
    """Full range, 12 bits: one pixel of 4 015 cd/m² in black."""
    fmt = format_from_words("1080p25 pq")
    meter = PicturesMeter(
        clip_of(replace(fmt, encoding=replace(fmt.encoding, matrix="rgb", range="full", bit_depth=12)))
    )
    rgb = np.zeros((72, 128, 3), np.uint16)
    rgb[40, 17, 2] = round(4095 * (pq_code(4015) - 64) / 876)
    for n in range(2):
        meter.take(replace(picture(n, rgb[..., 1]), chroma=None, rgb=rgb, bits=12))
    result = meter.measurement()
    assert result.max_cll == pytest.approx(4015, rel=0.01)
    assert result.max_fall == pytest.approx(4015 / (72 * 128), rel=0.02)


@pytest.mark.parametrize(
    ("luma", "share", "luma_out", "gamut_out"),
    [
        (1.029, 0.2, False, False),
        (1.045, 0.2, True, False),
        (1.045, 0.009, False, False),
        (1.06, 0.2, True, True),
        (-0.009, 0.2, False, False),
        (-0.02, 0.2, True, False),
        (-0.06, 0.2, True, True),
    ],
)
def test_r103_has_a_limit_for_luma_and_one_for_colour(
    luma: float, share: float, luma_out: bool, gamut_out: bool
) -> None:
    meter = PicturesMeter(clip_of(format_from_words("1080p25")))
    grey = np.full((500, 640), 500)
    grey.reshape(-1)[: round(share * grey.size)] = round(64 + 876 * luma)
    meter.take(picture(0, grey))
    result = meter.measurement()
    assert (bool(result.luma_out), bool(result.gamut)) == (luma_out, gamut_out)
    assert result.luma_most == pytest.approx(share if luma > 1.03 or luma < -0.01 else 0, abs=1e-4)


def test_one_thin_line_beyond_is_counted_on_every_pixel() -> None:
    """A column a sample wide with chroma beside it: 1.5 % of the picture is outside, wherever it lies."""
    for column in range(4):
        meter = PicturesMeter(clip_of(format_from_words("1080p25")))
        grey = np.full((200, 640), 500)
        grey[:, column::64] = 64 + round(876 * 1.07)
        meter.take(picture(0, grey))
        assert meter.measurement().gamut_most == pytest.approx(10 / 640, abs=1e-5), column
