"""Fields and codes: exact round trips, FFmpeg's own pulldown, dithers that keep the mean, figures known beforehand."""

from __future__ import annotations

import contextlib
from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from idle_quarry.errors import NotPossible
from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import evidence
from idle_quarry.media.measurement.fields import ExaminedRun, fields_of
from idle_quarry.picture.fields import (
    CADENCES,
    DEINTERLACERS,
    interlaced,
    low_passed,
    order_retimed,
    order_shifted,
    pulled_up,
    separated,
    woven,
)
from idle_quarry.picture.metrics import IDENTICAL_DB, psnr_db, ssim
from idle_quarry.picture.rounding import (
    ROUNDINGS,
    blue_noise_tile,
    chroma_to_values,
    diffused,
    luma_to_values,
    values_to_chroma,
    values_to_luma,
)
from idle_quarry.signal.levels import Levels
from tests.by_frames import deinterlaced, moments_of, pulled_down
from tests.material import Chance, frames, scene


def pictures(count: int, seed: int = 1, **more: object) -> list[np.ndarray]:
    chance = Chance(np.random.default_rng(seed), 96, 120, count, noise=0.0, **more)  # type: ignore[arg-type]
    at = scene(chance)
    return [(at(float(n)) / 255).astype(np.float32) for n in range(count)]


@given(st.integers(1, 20), st.integers(1, 9), st.integers(0, 2**32 - 1))
@settings(max_examples=40, deadline=None)
def test_separating_and_weaving_is_exact(pairs: int, width: int, seed: int) -> None:
    frame = np.random.default_rng(seed).random((2 * pairs, width)).astype(np.float32)
    np.testing.assert_array_equal(woven(*separated(frame)), frame)


@pytest.mark.parametrize("order", ["top", "bottom"])
def test_a_still_picture_comes_back_exactly(order: str) -> None:
    still = pictures(1)[0]
    whole = deinterlaced(interlaced([still] * 8, order, filtered=False), order, "adaptive")
    assert len(whole) == 8
    for item in whole[1:-1]:
        np.testing.assert_allclose(item, still, atol=1e-6)


@pytest.mark.parametrize("order", ["top", "bottom"])
@pytest.mark.parametrize("method", DEINTERLACERS)
def test_every_method_keeps_the_lines_it_has_and_the_number_of_moments(method: str, order: str) -> None:
    taken = pictures(8)
    frames_of = interlaced(taken, order, filtered=False)
    whole = deinterlaced(frames_of, order, method)
    assert len(whole) == 8 and whole[0].shape == taken[0].shape
    assert len(deinterlaced(frames_of, order, method, every=False)) == 4
    if method in ("interpolate", "adaptive"):
        for n, item in enumerate(whole):
            parity = n % 2 if order == "top" else 1 - n % 2
            np.testing.assert_array_equal(item[parity::2], taken[n][parity::2])
    colour = [np.repeat(f[..., None], 3, axis=2) for f in frames_of]
    np.testing.assert_allclose(deinterlaced(colour, order, method)[3][..., 1], whole[3], atol=1e-6)


@pytest.mark.parametrize("still_share", [0.0, 0.5])
def test_methods_rank_as_they_should(still_share: float) -> None:
    """Against the true pictures: adaptive keeps what stands still, all beat dropping a field, mixing moments is
    worst.
    """
    taken = pictures(12, seed=6, still_share=still_share, speed=4.0, panning=not still_share)
    frames_of = interlaced(taken, "top", filtered=False)
    quality = {}
    for method in DEINTERLACERS:
        result = deinterlaced(frames_of, "top", method)
        quality[method] = np.mean([psnr_db(one, truth) for one, truth in zip(result, taken, strict=True)][2:-2])
    assert quality["interpolate"] > quality["drop"] + 3
    assert quality["adaptive"] > quality["interpolate"] + (1 if still_share else -4)
    if not still_share:
        assert quality["blend"] < quality["interpolate"] - 3


@pytest.mark.parametrize("order", ["top", "bottom"])
@pytest.mark.parametrize("cadence", ["2:3", "2:3:3:2"])
@pytest.mark.parametrize("cut", range(5))
def test_a_pulldown_is_taken_out_exactly_from_any_phase(order: str, cadence: str, cut: int) -> None:
    taken = pictures(16)
    spread = pulled_down(taken, cadence, order)
    assert len(spread) == 20
    back = pulled_up(spread[cut:], cadence, order, cut)
    numbers = [next(n for n, item in enumerate(taken) if np.array_equal(item, result)) for result in back]
    assert numbers == list(range(numbers[0], 16)) and numbers[0] <= cut


def test_a_pulldown_is_ffmpegs() -> None:
    """The same pictures through FFmpeg's telecine filter give the same frames."""
    rng = np.random.default_rng(2)
    taken = [rng.integers(16, 236, (32, 48)).astype(np.uint8) for _ in range(8)]
    graph = av.filter.Graph()
    source = graph.add("buffer", "video_size=48x32:pix_fmt=gray:time_base=1/24:frame_rate=24:pixel_aspect=1/1")
    filtered, sink = graph.add("telecine", "pattern=23:first_field=top"), graph.add("buffersink")
    source.link_to(filtered)
    filtered.link_to(sink)
    graph.configure()
    theirs = []
    for n, picture in enumerate(taken):
        frame = av.VideoFrame.from_ndarray(picture, "gray")
        frame.pts, frame.time_base = n, Fraction(1, 24)
        source.push(frame)
        with contextlib.suppress(BlockingIOError, EOFError):
            while True:
                result = sink.pull()
                assert isinstance(result, av.VideoFrame)
                theirs.append(result.to_ndarray())
    ours = pulled_down(taken, "2:3", "top")
    assert len(theirs) >= 9
    for mine, other in zip(ours, theirs, strict=False):
        np.testing.assert_array_equal(mine.astype(np.uint8), other)


def order_of(run: list[np.ndarray]) -> str | None:
    meter = PairMeter()
    for frame in run:
        meter.take(frame)
    return fields_of([ExaminedRun(0, evidence(meter.pairs))], Fraction(25), False).field_order


def test_a_change_of_order_is_measured_as_one() -> None:
    run, truth = frames("top", Chance(np.random.default_rng(3), speed=2.0, noise=0.5))
    as_float = [frame.astype(np.float32) for frame in run]
    assert truth.order == order_of(list(run)) == "top"
    assert order_of([order_shifted(frame) for frame in as_float]) == "bottom"
    assert order_of(order_retimed(as_float, "top")) == "bottom"
    # by time no line moves: the moments are the same, one later
    np.testing.assert_array_equal(
        np.stack(moments_of(order_retimed(as_float, "top"), "bottom")[:6]), np.stack(moments_of(as_float, "top")[1:7])
    )


def test_low_pass_takes_the_finest_lines_and_leaves_flat_ones() -> None:
    lines = np.tile(np.array([0.0, 1.0], np.float32), 8)[:, None].repeat(3, axis=1)
    assert np.abs(low_passed(lines)[1:-1] - 0.5).max() < 1e-6
    np.testing.assert_array_equal(low_passed(np.full((6, 2), 0.3, np.float32)), np.full((6, 2), 0.3, np.float32))


def test_what_has_no_fields_is_refused() -> None:
    with pytest.raises(NotPossible):
        separated(np.zeros((5, 4)))
    with pytest.raises(NotPossible):
        woven(np.zeros((2, 4)), np.zeros((3, 4)))
    assert set(CADENCES) >= {"2:3", "2:3:3:2"}


@pytest.mark.parametrize("bits", [8, 10, 12, 16])
@pytest.mark.parametrize("narrow", [True, False])
def test_codes_go_to_values_and_back(bits: int, narrow: bool) -> None:
    levels = Levels(bits, narrow)
    top = (1 << bits) - 1
    low, high = (levels.reserved, top - levels.reserved) if narrow else (0, top)
    codes = np.unique(np.linspace(low, high, 4001).astype(np.uint16))[None]
    np.testing.assert_array_equal(values_to_luma(luma_to_values(codes, levels), levels, "round"), codes)
    np.testing.assert_array_equal(values_to_chroma(chroma_to_values(codes, levels), levels, "round"), codes)
    assert values_to_luma(np.array([[0.0, 1.0]]), levels, "round").tolist() == [[levels.black, levels.white]]
    assert values_to_luma(np.array([[-9.0, 9.0]]), levels, "round").tolist() == [[low, high]]


@pytest.mark.parametrize("rounding", ROUNDINGS)
def test_dither_keeps_the_mean_that_rounding_loses(rounding: str) -> None:
    levels = Levels(8, True)
    exact = 100.3
    flat = np.full((96, 128), (exact - levels.black) / (levels.white - levels.black))
    codes = values_to_luma(flat, levels, rounding).astype(float)
    assert set(np.unique(codes)) <= {100.0, 101.0}
    error = abs(codes.mean() - exact)
    if rounding in ("truncate", "round"):
        assert error == pytest.approx(0.3, abs=1e-9)
    else:
        assert error < 0.02
        ramp = np.linspace(0.2, 0.24, 512)[None].repeat(64, axis=0)
        smooth = values_to_luma(ramp, levels, rounding).astype(float).mean(axis=0)
        wanted = levels.black + ramp[0] * (levels.white - levels.black)
        mean = np.convolve(smooth - wanted, np.ones(32) / 32, "valid")
        assert np.abs(mean).max() < 0.1


def test_error_diffusion_is_floyd_and_steinbergs() -> None:
    """The plain double loop of 1976 gives the same codes as the slanted one."""
    exact = np.random.default_rng(8).random((13, 21)) * 9
    work, wanted = np.pad(exact, ((0, 1), (1, 1))), np.empty_like(exact)
    for y in range(13):
        for x in range(21):
            old = work[y, x + 1]
            new = np.floor(old + 0.5)
            wanted[y, x] = new
            for dy, dx, share in ((0, 1, 7), (1, -1, 3), (1, 0, 5), (1, 1, 1)):
                if 0 <= x + dx < 21:
                    work[y + dy, x + 1 + dx] += (old - new) * share / 16
    np.testing.assert_array_equal(diffused(exact), wanted)


def test_blue_noise_has_every_level_once_and_little_low_frequency() -> None:
    tile = blue_noise_tile()
    assert len(np.unique(tile)) == tile.size and 0 < tile.min() < tile.max() < 1
    spectrum = np.abs(np.fft.fft2(tile - tile.mean())) ** 2
    fy, fx = np.meshgrid(np.fft.fftfreq(32), np.fft.fftfreq(32), indexing="ij")
    radius = np.hypot(fy, fx)
    assert spectrum[(radius > 0) & (radius < 0.12)].mean() < 0.1 * spectrum[radius > 0.3].mean()


def test_figures_known_beforehand() -> None:
    a = np.full((64, 64), 0.5)
    assert psnr_db(a, a) == IDENTICAL_DB and ssim(a, a) == pytest.approx(1)
    assert psnr_db(a, a + 0.1) == pytest.approx(20)  # 10 lg (1 / 0.01)
    assert psnr_db(a * 255, (a + 0.1) * 255, peak=255) == pytest.approx(20)
    # for flat pictures only the first factor is left: (2ab + C1) / (a² + b² + C1)
    assert ssim(a, a + 0.2) == pytest.approx((2 * 0.5 * 0.7 + 1e-4) / (0.25 + 0.49 + 1e-4), abs=1e-9)
    noise = np.random.default_rng(1).random((64, 64))
    assert ssim(noise, 1 - noise) < 0 < ssim(noise, noise * 0.9 + 0.05) < 1
    with pytest.raises(NotPossible):
        psnr_db(a, a[:-1])
    with pytest.raises(NotPossible):
        ssim(np.zeros((4, 4, 3)), np.zeros((4, 4, 3)))
