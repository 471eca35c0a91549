"""Weights as bands, phases, blocks and fields: each the same as the sparse matrix it was made of, at any scale and
offset.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from idle_quarry.picture.fields import low_passed
from idle_quarry.picture.kernels import KERNELS, covered, field_band, line_band, line_blocks, line_phases, line_weights
from idle_quarry.picture.resampling import PictureFit, ends_of, resampled, resampled_field
from idle_quarry.picture.rounding import THRESHOLDS, diffused, plane_values, values_to_chroma, values_to_luma
from idle_quarry.signal.levels import Levels


def dense(at: NDArray[np.int32], weights: NDArray[np.float32], source: int) -> NDArray[np.float64]:
    """The matrix (target, source) that a band says."""
    result = np.zeros((len(at), source))
    for row, first in enumerate(at):
        result[row, first : first + weights.shape[1]] = weights[row]
    return result


SCALES = st.sampled_from([0.25, 1 / 3, 0.5, 2 / 3, 0.75, 1.0, 1.5, 1.875, 2.0, 80 / 39, 3.0, 3.75, 4.0])


@given(st.integers(64, 300), SCALES, st.floats(-9, 9), st.sampled_from(sorted(KERNELS)))
@settings(max_examples=120, deadline=None)
def test_a_band_its_phases_and_its_blocks_are_one_matrix(source: int, scale: float, offset: float, kernel: str) -> None:
    target = max(64, int(source * scale))
    truth = line_weights(source, target, scale, offset, kernel).toarray()
    band = line_band(source, target, scale, offset, kernel)
    assert band.at.min() >= 0 and band.at.max() + band.weights.shape[1] <= source, "nothing beyond the line is read"
    np.testing.assert_allclose(dense(band.at, band.weights, source), truth, atol=1e-7)
    phases = line_phases(source, target, scale, offset, kernel)
    if phases is not None:
        np.testing.assert_allclose(dense(phases.at, phases.weights, source), truth, atol=1e-7)
        for number in range(phases.begin, phases.end):
            for p in range(phases.makes):
                row, head = number * phases.makes + p, phases.begin * phases.makes + p
                assert phases.at[row] - phases.at[head] == (number - phases.begin) * phases.takes
                np.testing.assert_allclose(phases.weights[row], phases.weights[head], atol=2e-7)
    ends = ends_of(covered(source, target, scale, offset))
    result = np.zeros((target, source))
    for block in line_blocks(source, target, scale, offset, kernel, ends):
        result[block.first : block.last, block.low : block.high] = block.weights.T
    np.testing.assert_allclose(result[ends[0] : ends[1]], truth[ends[0] : ends[1]], atol=1e-7)
    assert not result[: ends[0]].any() and not result[ends[1] :].any()


@pytest.mark.parametrize("parity", [0, 1])
@pytest.mark.parametrize("softened", [False, True])
@pytest.mark.parametrize(("scale", "offset"), [(1.0, 0.0), (1.875, 0.0), (0.5, 0.0), (0.9, 6.0)])
def test_a_field_is_every_second_line_of_the_whole(parity: int, softened: bool, scale: float, offset: float) -> None:
    """Made at once, without the lines that would be thrown away: the same as fitted whole, softened, and taken
    apart.
    """
    rng = np.random.default_rng(4)
    picture = rng.random((120, 90), np.float32)
    height = 2 * int(60 * scale + offset)
    fit = PictureFit(1.5, scale, 3.0, offset)
    whole = resampled(picture, height, 141, fit, "lanczos3")
    whole = low_passed(whole) if softened else whole
    field = resampled_field(picture, height, 141, fit, "lanczos3", parity, softened=softened)
    np.testing.assert_allclose(field, whole[parity::2], atol=2e-6)
    frame = np.full((height, 141), 7, np.float32)
    resampled_field(picture, height, 141, fit, "lanczos3", parity, softened=softened, out=frame[parity::2])
    np.testing.assert_array_equal(frame[parity::2], field)
    assert (frame[1 - parity :: 2] == 7).all(), "the other field is not touched"
    ends = ends_of(covered(120, height, scale, offset))
    band = field_band(120, height, scale, offset, "lanczos3", parity, softened, ends)
    assert len(band.at) == height // 2


@pytest.mark.parametrize("rounding", [*THRESHOLDS, "diffuse"])
@pytest.mark.parametrize("levels", [Levels(8, True), Levels(10, True), Levels(12, False)], ids=str)
def test_codes_are_what_the_formula_says(rounding: str, levels: Levels) -> None:
    """In float64, sample by sample: value · span + zero, and what lies on a code is that code under every rounding."""
    codes = (
        np.random.default_rng(6)
        .integers(levels.reserved, (1 << levels.bits) - levels.reserved, (37, 51))
        .astype(np.uint16)
    )
    luma, chroma = plane_values(codes, levels, chroma=False), plane_values(codes, levels, chroma=True)
    np.testing.assert_array_equal(values_to_luma(luma, levels, rounding), codes)
    np.testing.assert_array_equal(values_to_chroma(chroma, levels, rounding), codes)
    values = np.random.default_rng(7).uniform(0.1, 0.9, (64, 96)).astype(np.float32)
    result = values_to_luma(values, levels, rounding)
    exact = values.astype(np.float64) * (levels.white - levels.black) + levels.black
    if rounding == "diffuse":
        np.testing.assert_array_equal(result, diffused(exact))
    else:
        tile = THRESHOLDS[rounding]()
        thresholds = np.tile(tile, (-(-64 // len(tile)), -(-96 // tile.shape[1])))[:64, :96]
        wrong = result != np.floor(exact + thresholds)
        near = np.abs(exact + thresholds - np.rint(exact + thresholds)) < 1e-2
        assert not (wrong & ~near).any() and wrong.mean() < 0.01
    assert abs(float(result.mean()) - exact.mean()) < (0.6 if rounding == "truncate" else 0.05)
