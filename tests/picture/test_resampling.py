"""Resampling against other libraries, known integrals and exact ramps; siting and fields by where edges come to lie."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy.integrate import quad

from idle_quarry.errors import NotPossible
from idle_quarry.picture.kernels import KERNELS, line_weights
from idle_quarry.picture.resampling import SITINGS, PictureFit, chroma_fit, resampled, resampled_fields


@pytest.mark.parametrize("kernel", KERNELS.values(), ids=lambda kernel: kernel.id)
def test_kernels_are_even_end_where_they_say_and_explain_themselves(kernel: object) -> None:
    x = np.linspace(0.01, kernel.reach - 0.01, 41)  # type: ignore[attr-defined]
    weigh = kernel.weigh  # type: ignore[attr-defined]
    np.testing.assert_allclose(weigh(x), weigh(-x), atol=1e-12)
    assert not weigh(np.array([kernel.reach + 0.01, -kernel.reach - 0.01])).any()  # type: ignore[attr-defined]
    assert kernel.text.count(".") >= 2  # type: ignore[attr-defined]


@pytest.mark.parametrize("name", ["bilinear", "bicubic", "mitchell"])
def test_cubics_and_the_tent_integrate_to_one(name: str) -> None:
    kernel = KERNELS[name]
    area, _ = quad(lambda x: float(kernel.weigh(np.array([x]))[0]), -kernel.reach, kernel.reach, points=[-1, 0, 1])
    assert area == pytest.approx(1, abs=1e-9)


@pytest.mark.parametrize("name", ["bicubic", "lanczos2", "lanczos3", "lanczos4", "spline36"])
def test_interpolating_kernels_pass_through_every_sample(name: str) -> None:
    whole = np.arange(1, 5, dtype=float)
    assert KERNELS[name].weigh(np.array([0.0]))[0] == pytest.approx(1, abs=1e-12)
    np.testing.assert_allclose(KERNELS[name].weigh(whole), 0, atol=1e-12)


@given(
    st.integers(2, 400),
    st.integers(2, 400),
    st.sampled_from(sorted(KERNELS)),
)
@settings(max_examples=150, deadline=None)
def test_every_target_sample_weighs_its_sources_to_one(source: int, target: int, kernel: str) -> None:
    weights = line_weights(source, target, target / source, 0.0, kernel)
    assert weights.shape == (target, source)
    np.testing.assert_allclose(np.asarray(weights.sum(axis=1)).ravel(), 1, atol=1e-5)


_PIL = {
    "bilinear": Image.Resampling.BILINEAR,
    "bicubic": Image.Resampling.BICUBIC,
    "lanczos3": Image.Resampling.LANCZOS,
}


@pytest.mark.parametrize("kernel", _PIL)
@pytest.mark.parametrize("size", [(90, 160), (37, 51), (30, 200)])
def test_pictures_agree_with_another_library(kernel: str, size: tuple[int, int]) -> None:
    """Pillow renormalises at edges, where this program repeats the last sample: compared inside."""
    rng = np.random.default_rng(3)
    picture = rng.random((72, 128)).astype(np.float32)
    height, width = size
    ours = resampled(picture, height, width, PictureFit(width / 128, height / 72), kernel)
    theirs = np.asarray(Image.fromarray(picture).resize((width, height), _PIL[kernel]))
    edge = 9
    inner = (slice(edge, -edge), slice(edge, -edge))
    assert np.abs(ours[inner] - theirs[inner]).max() < 2e-3


@pytest.mark.parametrize("target", [17, 40, 64, 99])
def test_area_is_the_exact_share_of_what_is_covered(target: int) -> None:
    """Means of covered parts from differences of the running sum, which is how area is defined."""
    line = np.random.default_rng(5).random(100)
    edges = np.linspace(0, 100, target + 1)
    running = np.interp(edges, np.arange(101), np.concatenate([[0], np.cumsum(line)]))
    wanted = np.diff(running) * target / 100
    result = resampled(line[None].astype(np.float32), 1, target, PictureFit(target / 100, 1.0), "area")[0]
    np.testing.assert_allclose(result, wanted, atol=1e-5)


@pytest.mark.parametrize("kernel", sorted(set(KERNELS) - {"nearest"}))
@pytest.mark.parametrize("scale", [0.37, 0.5, 1.0, 2.0, 3.3])
def test_a_ramp_stays_where_it_is(kernel: str, scale: float) -> None:
    """A linear ramp resampled is the same ramp: every kernel is symmetric and none shifts the picture."""
    if kernel == "area" and scale > 1:
        return  # enlarged, it is nearest
    ramp = (np.arange(300, dtype=np.float32) + 0.5)[None, :].repeat(4, axis=0)
    width = round(300 * scale)
    result = resampled(ramp, 4, width, PictureFit(scale, 1.0), kernel)[0]
    wanted = (np.arange(width) + 0.5) / scale
    inside = slice(round(16 * max(1, scale)), -round(16 * max(1, scale)))
    np.testing.assert_allclose(result[inside], wanted[inside], atol=0.12 if kernel == "gaussian" else 0.06)


def test_channels_bars_and_same_size() -> None:
    rng = np.random.default_rng(4)
    picture = rng.random((20, 30, 3)).astype(np.float32)
    together = resampled(picture, 40, 45, PictureFit(1.5, 2.0), "spline36")
    for n in range(3):
        np.testing.assert_allclose(
            together[..., n], resampled(picture[..., n], 40, 45, PictureFit(1.5, 2.0), "spline36"), atol=1e-6
        )
    np.testing.assert_array_equal(resampled(picture, 20, 30, PictureFit(1, 1), "lanczos3"), picture)
    pillared = resampled(picture, 20, 50, PictureFit(1, 1, 10, 0), "bicubic", empty=0.25)
    np.testing.assert_allclose(pillared[:, 10:40], picture, atol=1e-6)
    assert (pillared[:, :10] == 0.25).all() and (pillared[:, 40:] == 0.25).all()
    trimmed = resampled(picture, 20, 10, PictureFit(1, 1, -10, 0), "bicubic")
    np.testing.assert_allclose(trimmed, picture[:, 10:20], atol=1e-6)


@pytest.mark.parametrize("lines", [288, 540, 1080, 2160])
def test_fields_keep_their_moments_and_their_place(lines: int) -> None:
    """Two flat moments stay apart; a still vertical ramp is the same ramp, without a step between fields."""
    source = np.zeros((576, 16), np.float32)
    source[1::2] = 1.0
    result = resampled_fields(source, lines, 16, PictureFit(1.0, lines / 576), "lanczos3")
    np.testing.assert_allclose(result[0::2], 0, atol=1e-5)
    np.testing.assert_allclose(result[1::2], 1, atol=1e-5)
    ramp = ((np.arange(576, dtype=np.float32) + 0.5) / 576)[:, None].repeat(16, axis=1)
    still = resampled_fields(ramp, lines, 16, PictureFit(1.0, lines / 576), "bicubic")[:, 8]
    wanted = (np.arange(lines) + 0.5) / lines
    edge = lines // 12
    np.testing.assert_allclose(still[edge:-edge], wanted[edge:-edge], atol=2e-4)
    # scaled as a whole, the two moments are mixed: the wrong order is worse, and this shows it
    mixed = resampled(source, lines, 16, PictureFit(1.0, lines / 576), "lanczos3")
    if lines != 576:
        assert np.abs(mixed[0::2]).max() > 0.2


@pytest.mark.parametrize(
    ("siting", "to"), [("left", "left"), ("left", "centre"), ("centre", "left"), ("top-left", "left")]
)
@pytest.mark.parametrize(
    ("steps", "to_steps"), [((2, 2), (2, 1)), ((2, 1), (1, 1)), ((1, 1), (2, 2)), ((2, 2), (2, 2))]
)
@pytest.mark.parametrize("scale", [0.5, 1.0, 1.5])
def test_chroma_lies_where_luma_lies(
    siting: str, to: str, steps: tuple[int, int], to_steps: tuple[int, int], scale: float
) -> None:
    """A ramp over the luma grid, sampled where chroma is sited, comes out as the ramp at the target's chroma sites."""
    width, height = 96, 64
    across = np.arange(width // steps[0]) * steps[0] + steps[0] / 2 + (SITINGS[siting][0] if steps[0] > 1 else 0)
    down = np.arange(height // steps[1]) * steps[1] + steps[1] / 2 + (SITINGS[siting][1] if steps[1] > 1 else 0)
    plane = (across[None, :] + 2 * down[:, None]).astype(np.float32)
    fit = chroma_fit(PictureFit(scale, scale), steps, to_steps, siting, to)
    out_w, out_h = int(width * scale) // to_steps[0], int(height * scale) // to_steps[1]
    result = resampled(plane, out_h, out_w, fit, "bilinear")
    x = np.arange(out_w) * to_steps[0] + to_steps[0] / 2 + (SITINGS[to][0] if to_steps[0] > 1 else 0)
    y = np.arange(out_h) * to_steps[1] + to_steps[1] / 2 + (SITINGS[to][1] if to_steps[1] > 1 else 0)
    wanted = (x[None, :] + 2 * y[:, None]) / scale
    np.testing.assert_allclose(result[6:-6, 6:-6], wanted[6:-6, 6:-6], atol=0.06)


def test_what_cannot_be_scaled_is_refused() -> None:
    with pytest.raises(NotPossible):
        line_weights(10, 10, 0.0, 0.0, "bicubic")
    with pytest.raises(NotPossible):
        resampled(np.zeros(5, np.float32), 2, 2, PictureFit(1, 1), "bicubic")
    with pytest.raises(NotPossible):
        resampled_fields(np.zeros((5, 4), np.float32), 4, 4, PictureFit(1, 0.8), "bicubic")
