"""A link's whole conversion: what passes untouched, what is exact, where things land, and that the right order is
better.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.path.steps.pacing import speed_of
from idle_quarry.picture.fields import pulled_up
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.planes import Planes, codes_of_planes, from_rgb, planes_of_codes, to_rgb
from idle_quarry.signal import Raster, format_from_words
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat

RNG = np.random.default_rng(12)


def policy(**parts: Any) -> Policy:
    return Policy(**parts)


def small(words: str, width: int = 96, height: int = 64, **encoding: Any) -> SignalFormat:
    fmt = format_from_words(words)
    return replace(fmt, raster=Raster(width, height)).with_encoding(**encoding)


def random_planes(fmt: SignalFormat, rng: np.random.Generator = RNG) -> Planes:
    """Return a frame of code values within the legal range, as planes."""
    e, (across, down) = fmt.encoding, CHROMA_STEPS[fmt.encoding.sampling]
    h, w = fmt.raster.height, fmt.raster.width
    luma = rng.integers(e.levels.black, e.levels.white + 1, (h, w))
    low, high = e.levels.chroma_low, e.levels.chroma_high
    chroma = [rng.integers(low, high + 1, (-(-h // down), -(-w // across))) for _ in range(2)]
    return planes_of_codes((luma, *chroma), e)


def given_frames(*frames: Planes) -> Any:
    return lambda index: frames[min(max(index, 0), len(frames) - 1)]


def test_a_link_without_steps_passes_the_very_codes() -> None:
    fmt = small("1080i25")
    frame = random_planes(fmt)
    result = Conversion(fmt, fmt, Policy()).codes(0, given_frames(frame))
    for plane, wanted in zip(result, codes_of_planes(frame, fmt.encoding, "round"), strict=True):
        np.testing.assert_array_equal(plane, wanted)


@pytest.mark.parametrize("rounding", ["dither", "ordered", "diffuse", "round", "truncate"])
def test_more_bits_are_the_same_codes_times_four(rounding: str) -> None:
    """BT.709 and BT.2020: narrow-range codes of 10 bits are those of 8 times four, whatever the rounding."""
    eight, ten = small("1080p25", bit_depth=8), small("1080p25", bit_depth=10)
    frame = random_planes(eight)
    result = Conversion(eight, ten, policy(rounding=rounding)).codes(0, given_frames(frame))
    for plane, before in zip(result, codes_of_planes(frame, eight.encoding, "round"), strict=True):
        np.testing.assert_array_equal(plane, before.astype(int) * 4)


@given(st.integers(0, 2**31), st.sampled_from(["bt601", "bt709", "bt2020"]), st.sampled_from([8, 10, 12]))
@settings(max_examples=25, deadline=None)
def test_matrix_and_inverse_come_back_to_the_code(seed: int, matrix: str, bits: int) -> None:
    fmt = small("1080p25", matrix=matrix, bit_depth=bits, sampling="4:4:4")
    frame = random_planes(fmt, np.random.default_rng(seed))
    back = from_rgb(to_rgb(frame, fmt.encoding), fmt.encoding)
    before, after = (codes_of_planes(item, fmt.encoding, "round") for item in (frame, back))
    for a, b in zip(before, after, strict=True):
        np.testing.assert_array_equal(a, b)


@given(st.integers(0, 2**31), st.sampled_from(["adaptive", "compensated"]), st.sampled_from(["4:2:2", "4:4:4"]))
@settings(max_examples=10, deadline=None)
def test_a_still_comes_whole_out_of_its_fields(seed: int, method: str, sampling: str) -> None:
    fields, whole = small("1080i25", sampling=sampling), small("1080p50", sampling=sampling)
    frame = random_planes(fields, np.random.default_rng(seed))
    result = Conversion(fields, whole, policy(scan=method))
    for index in (2, 3):
        codes = result.codes(index, given_frames(frame))
        for plane, wanted in zip(codes, codes_of_planes(frame, fields.encoding, "round"), strict=True):
            np.testing.assert_array_equal(plane, wanted)


def test_pulldown_of_a_link_comes_out_again() -> None:
    film, fields = small("1080p23.976"), small("1080i29.97")
    pictures = [random_planes(film) for _ in range(8)]
    output = Conversion(film, fields, Policy())
    frames = [output.frame(index, given_frames(*pictures)) for index in range(10)]
    result = pulled_up([frame[0] for frame in frames], "2:3", "top")
    for got, wanted in zip(result, pictures, strict=False):
        np.testing.assert_allclose(got, wanted[0], atol=1e-6)
    assert len(result) == 8


def blob(fmt: SignalFormat, x: float, y: float, size: float = 3.0) -> Planes:
    """Return a soft bright spot at (x, y), in samples and lines from the upper left corner."""
    h, w = fmt.raster.height, fmt.raster.width
    down, across = np.arange(h)[:, None] + 0.5 - y, np.arange(w)[None, :] + 0.5 - x
    luma = np.exp(-(down**2 + across**2) / (2 * size**2)).astype(np.float32)
    steps = CHROMA_STEPS[fmt.encoding.sampling]
    return luma, *(np.zeros((-(-h // steps[1]), -(-w // steps[0])), np.float32) for _ in range(2))


def centre(plane: NDArray[Any]) -> tuple[float, float]:
    weights = np.asarray(plane, float)
    down, across = np.arange(weights.shape[0]) + 0.5, np.arange(weights.shape[1]) + 0.5
    return float((weights.sum(0) * across).sum() / weights.sum()), float((weights.sum(1) * down).sum() / weights.sum())


@pytest.mark.parametrize("kernel", ["area", "bilinear", "gaussian", "mitchell", "bicubic", "lanczos3", "spline36"])
@pytest.mark.parametrize(
    ("parts", "x", "y"),
    [
        ({}, 960.0, 540.0),
        ({"position": "left"}, 720.0, 540.0),
        ({"fit": "stretch"}, 960.0, 540.0),
        ({"fit": "fill"}, 960.0, 540.0),
        ({"zoom": 50}, 960.0, 540.0),
    ],
)
def test_the_middle_of_a_tape_lands_where_the_fit_says(kernel: str, parts: dict[str, Any], x: float, y: float) -> None:
    """4:3 of 702 samples into 1920 × 1080: 1440 samples wide, its middle at 960, or at 720 where it sits at the
    left.
    """
    tape, hd = format_from_words("576i25 4:3"), format_from_words("1080i25")
    result = Conversion(tape, hd, policy(kernel=kernel, scan="fields", **parts))
    luma = result.frame(1, given_frames(blob(tape, 360.0, 288.0)))[0]
    assert centre(luma) == pytest.approx((x, y), abs=0.06)
    if kernel == "bilinear" and parts == {}:
        assert result.plan.placement is not None
        assert float(result.plan.placement.scale_x) == pytest.approx(1440 / 702)
        assert (result.frame(1, given_frames(tuple(p + 0.5 for p in blob(tape, 0, 0))))[0][:, :200] == 0).all()


@pytest.mark.parametrize("light", ["coded", "linear"])
def test_fine_detail_keeps_its_light_only_when_scaled_in_light(light: str) -> None:
    """Lines of black and white, halved, shine at half of white: 0.5^(1/2.4) = 74.9 % by BT.1886, not at 50 %."""
    big, less = small("1080p25", 96, 64, sampling="4:4:4"), small("1080p25", 48, 32, sampling="4:4:4")
    luma = np.zeros((64, 96), np.float32)
    luma[::2] = 1
    zero = np.zeros_like(luma)
    result = Conversion(big, less, policy(light=light, kernel="area"))
    value = float(result.frame(0, given_frames((luma, zero, zero)))[0].mean())
    assert value == pytest.approx(0.5 if light == "coded" else 0.5 ** (1 / 2.4), abs=1e-4)


def test_fields_change_order_by_a_line_or_by_time() -> None:
    upper, lower = small("1080i25"), replace(small("1080i25"), field_order="bottom")
    frames = [random_planes(upper) for _ in range(3)]
    by_line = Conversion(upper, lower, Policy()).frame(1, given_frames(*frames))[0]
    np.testing.assert_array_equal(by_line[1:], frames[1][0][:-1])
    by_time = Conversion(upper, lower, policy(order="time")).frame(0, given_frames(*frames))[0]
    np.testing.assert_array_equal(by_time[1::2], frames[0][0][1::2])  # the lower field, now first, stays
    np.testing.assert_array_equal(by_time[0::2], frames[1][0][0::2])


def moving(fmt: SignalFormat, moment: float) -> NDArray[np.float32]:
    """Return luma of a slanted texture that moves steadily, sampled without aliasing at any size used here."""
    h, w = fmt.raster.height, fmt.raster.width
    y, x = (np.arange(h) + 0.5)[:, None] / h, (np.arange(w) + 0.5)[None, :] / w
    turned = 14 * x + 5 * y - 0.45 * moment
    return np.asarray(0.5 + 0.25 * np.sin(2 * np.pi * turned) + 0.15 * np.sin(2 * np.pi * (9 * y - 3 * x)), np.float32)


def test_scaling_woven_fields_is_worse_than_the_right_order() -> None:
    """Wrong order first: a link told to leave fields woven mixes two moments, and no filter mends that."""
    tape, hd = small("1080i25", 192, 144), small("1080i25", 256, 216)
    frames = []
    for index in range(4):
        luma = moving(tape, 2 * index)
        luma[1::2] = moving(tape, 2 * index + 1)[1::2]
        zero = np.zeros((144, 96), np.float32)
        frames.append((luma, zero, zero))
    truth = moving(hd, 2)
    truth[1::2] = moving(hd, 3)[1::2]
    result = {}
    for method in ("leave", "drop", "interpolate", "fields", "adaptive", "compensated"):
        output = Conversion(tape, hd, policy(scan=method, fit="stretch")).frame(1, given_frames(*frames))[0]
        result[method] = psnr_db(output[8:-8, 8:-8], truth[8:-8, 8:-8])
    assert result["leave"] + 8 < min(result[m] for m in ("interpolate", "fields", "adaptive", "compensated")), result
    assert result["drop"] < result["interpolate"], result


def test_pictures_between_two_follow_the_motion() -> None:
    source, target = small("1080p25", 192, 144), replace(small("1080p50", 192, 144), rate=Fraction(50))
    frames = []
    for index in range(3):
        zero = np.zeros((144, 96), np.float32)
        frames.append((moving(source, 0.6 * index), zero, zero))
    truth = moving(source, 0.6 * 0.5)
    result = {
        method: psnr_db(
            Conversion(source, target, policy(retime=method)).frame(1, given_frames(*frames))[0][8:-8, 8:-8],
            truth[8:-8, 8:-8],
        )
        for method in ("nearest", "blend", "compensated")
    }
    assert result["compensated"] > 35 and result["compensated"] > max(result["nearest"], result["blend"]) + 8, result
    with pytest.raises(NotPossible, match="this rate"):
        Conversion(source, target, policy(retime="refuse"))


@pytest.mark.parametrize("words", ["1080i25", "1080p25", "1080psf25"])
@pytest.mark.parametrize("sampling", ["4:2:0", "4:1:1", "4:2:2"])
def test_a_coloured_edge_stays_where_it_is_whatever_the_sampling(words: str, sampling: str) -> None:
    """The middle of a coloured spot is the same in chroma as in luma, by where each sampling puts its samples."""
    source, target = small(words, sampling="4:4:4"), small(words, sampling=sampling)
    luma = blob(source, 50.3, 30.6, 6)[0]
    result = Conversion(source, target, Policy()).frame(0, given_frames((luma, luma / 3, luma / 3)))
    back = to_rgb(result, target.encoding)
    if words == "1080i25" and sampling == "4:2:0":
        back = Conversion(target, source, Policy()).frame(0, given_frames(result))  # fields share no chroma line
        assert centre(back[1]) == pytest.approx((50.3, 30.6), abs=0.08)
        return
    assert centre(back[0]) == pytest.approx((50.3, 30.6), abs=0.08)


def test_every_standard_pair_converts() -> None:
    """Every pair of scans, samplings, ranges and colours gives planes of the target's size, within its codes."""
    sources = [
        small("1080i25"),
        small("1080p25", sampling="4:2:0", bit_depth=8),
        small("1080psf25"),
        small("1080i29.97", sampling="4:2:0"),
        small("1080p50", matrix="rgb", range="full", sampling="4:4:4", bit_depth=12),
        small("2160p50 hlg"),
        small("480i29.97", sampling="4:1:1"),
    ]
    targets = [replace(fmt, raster=Raster(80, 48)) for fmt in sources]
    for source in sources:
        frames = [random_source(source) for _ in range(4)]
        for target in targets:
            result = Conversion(source, target, Policy()).codes(1, given_frames(*frames))
            steps = CHROMA_STEPS[target.encoding.sampling] if target.encoding.matrix != "rgb" else (1, 1)
            assert result[0].shape == (48, 80) and result[1].shape == (-(-48 // steps[1]), -(-80 // steps[0]))
            assert max(int(plane.max()) for plane in result) < 1 << target.encoding.bit_depth


def random_source(fmt: SignalFormat) -> Planes:
    if fmt.encoding.matrix != "rgb":
        return random_planes(fmt)
    return tuple(RNG.random((fmt.raster.height, fmt.raster.width)).astype(np.float32) for _ in range(3))


def test_an_encoding_without_a_matrix_has_no_luma() -> None:
    with pytest.raises(NotPossible):
        from idle_quarry.picture.planes import ycbcr_of

        ycbcr_of((np.zeros((2, 2)),) * 3, Encoding(matrix="rgb").matrix)


@pytest.mark.parametrize(
    ("source", "target", "retime", "shown"),
    [
        ("1080p24", "1080i25", "auto", [100]),  # both fields of frame n show picture n
        ("1080p30.00", "1080i29.97", "speed", [100]),
        ("1080p60.00", "1080i29.97", "speed", [200, 201]),
        ("1080i25", "1080p24", "auto", [200]),  # the first field's moment of frame n
        ("1080i25", "1080p25", "blend", [200]),
    ],
)
def test_pictures_and_fields_by_speed_show_each_its_own(
    source: str, target: str, retime: str, shown: list[int]
) -> None:
    conversion = Conversion(format_from_words(source), format_from_words(target), policy(retime=retime))
    origins = conversion.origins(100)
    assert [origin.first for origin in origins] == shown and not any(origin.phase for origin in origins)


def test_off_speed_24_goes_into_fields_as_23_976_does() -> None:
    fields = format_from_words("1080i29.97")
    slowed = Conversion(format_from_words("1080p24"), fields, policy(retime="slowed"))
    pulled = Conversion(format_from_words("1080p23.976"), fields, policy(retime="nearest"))
    held = Conversion(format_from_words("1080p24"), fields, policy(retime="nearest"))
    assert all(slowed.origins(n) == pulled.origins(n) for n in range(5000))
    assert any(slowed.origins(n) != held.origins(n) for n in range(5000))
    # the moment at which field 60 000 ought to be is 1001 s of the target, 1000 s of film
    assert slowed.shown_seconds(60_000) == 1000 and held.shown_seconds(60_000) == 1001
    assert speed_of(slowed.source, fields, slowed.policy) == Fraction(1000, 1001)


@pytest.mark.parametrize(
    ("source", "target"), [("1080p25", "1080p25 4:4:4 12bit"), ("576i25", "576p50"), ("1080p25", "1080p50")]
)
def test_one_conversion_takes_another_source(source: str, target: str) -> None:
    """What is kept for neighbouring frames is of one source of frames: the same number of another is another
    picture.
    """
    before, after = format_from_words(source), format_from_words(target)
    conversion = Conversion(before, after, DEFAULT_POLICY)
    height, width = before.raster.height, before.raster.width
    for level in (0.2, 0.7):
        frame = np.full((height, width), level, np.float32), *[np.zeros((height, width // 2), np.float32)] * 2
        result = conversion.frame(1, lambda _index, frame=frame: frame)  # type: ignore[misc]
        np.testing.assert_allclose(result[0], level, atol=1e-6)
