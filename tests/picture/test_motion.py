"""Motion on pictures whose movement is known, pictures made along it, and splines against SciPy's."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import convolve1d, gaussian_filter, map_coordinates, median_filter

from idle_quarry.compiling.loop import loop
from idle_quarry.errors import NotPossible
from idle_quarry.picture import strips
from idle_quarry.picture.loops import cells as cell_loops
from idle_quarry.picture.loops import motion as loops
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.motion import (
    Motion,
    MotionCache,
    along,
    between,
    cells_of,
    cells_with,
    differing,
    motion,
    resized,
    spline,
    splined,
    spread,
)

Picture = NDArray[np.float32]
_INNER = (slice(24, -24), slice(24, -24))
_CELLS = (slice(6, -6), slice(6, -6))


def ground(seed: int = 3, blur: float = 2.0) -> Picture:
    drawn = gaussian_filter(np.random.default_rng(seed).standard_normal((420, 620)), blur)
    return np.asarray(0.5 + 0.15 * drawn / drawn.std(), np.float32).clip(0, 1)


def seen(picture: Picture, down: float, across: float, height: int = 240, width: int = 400) -> Picture:
    """The part of a picture that a camera sees that stands at a place between its samples."""
    places = np.mgrid[0:height, 0:width].astype(float)
    result = map_coordinates(picture, [places[0] + 60 + down, places[1] + 80 + across], order=3)
    return np.asarray(result, np.float32)


@pytest.mark.parametrize(("down", "across"), [(0, 0), (3, 0), (0, -7), (5, 11), (-2.5, 4.25)])
@pytest.mark.parametrize("phase", [0.5, 0.25, 0.8])
def test_a_pan_is_found_and_gone_along(down: float, across: float, phase: float) -> None:
    """Vectors to a fifth of a sample, no doubt.

    And the picture in between is what the camera saw there, better than 45 dB.
    """
    wide = ground()
    earlier, later = seen(wide, 0, 0), seen(wide, -down, -across)
    result = motion(earlier, later, phase)
    assert result.down.shape == (60, 100) and result.shape == earlier.shape
    assert (
        np.abs(np.median(result.down[_CELLS]) - down) < 0.2 and np.abs(np.median(result.across[_CELLS]) - across) < 0.2
    )
    right = (np.abs(result.down - down) < 0.5) & (np.abs(result.across - across) < 0.5)
    assert right[_CELLS].mean() > 0.97
    truth = seen(wide, -phase * down, -phase * across)
    output = along(earlier, later, result)
    assert psnr_db(output[_INNER].astype(float), truth[_INNER].astype(float)) > 45
    assert result.doubt[_CELLS].mean() < 0.01


def test_what_both_do_not_show_is_doubted_and_mixed() -> None:
    """A thing that only the later picture has is not dragged about: there `between` mixes both where they are."""
    wide = ground()
    earlier, later = seen(wide, 0, 0), seen(wide, 0, 0)
    later[80:160, 150:250] = 1 - ground(9)[80:160, 150:250]
    result = motion(earlier, later)
    assert result.doubt[24:36, 42:58].mean() > 0.4 > result.doubt[:15].mean() + 0.35
    output, mixed = between(earlier, later, result), (earlier + later) / 2
    sure = (
        gaussian_filter((result.doubt < 1).astype(float), 1, truncate=1) == 0
    )  # neighbours too: it goes from cell to cell
    doubted = np.kron(sure, np.ones((4, 4))) > 0
    assert doubted.any()
    np.testing.assert_allclose(output[doubted], mixed[doubted], atol=1e-6)
    np.testing.assert_allclose(output[:60, :], earlier[:60, :], atol=2e-3)


def test_fields_of_half_the_width_go_the_same_way() -> None:
    wide = ground()
    result = motion(seen(wide, 0, 0), seen(wide, -2, -8))
    half = resized(result, (240, 200))
    assert half.down.shape == half.doubt.shape == (60, 50) and half.shape == (240, 200)
    assert np.median(half.across) == pytest.approx(np.median(result.across) / 2, abs=1e-3)
    assert np.median(half.down) == pytest.approx(np.median(result.down), abs=1e-3)
    assert resized(result, result.shape) is result


def test_splines_are_scipys() -> None:
    """Cubic B-splines through samples: inside, where edges have no say, the same values to single precision."""
    picture = ground()[:150, :210].copy()  # neither side is a whole number of cells
    rng = np.random.default_rng(5)
    down, across = (np.asarray(rng.uniform(-3, 3, cells_of(picture.shape)), np.float32) for _ in range(2))
    result = Motion(0.5, picture.shape, down, across, np.zeros_like(down))
    by_place = [np.kron(item, np.ones((4, 4)))[:150, :210] for item in (down, across)]
    y, x = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]]

    def theirs(share: float) -> Picture:
        places = [y + share * by_place[0], x + share * by_place[1]]
        return np.asarray(map_coordinates(picture.astype(np.float64), places, order=3, mode="nearest"))

    for share in (1.0, -0.4):
        ours = splined(picture, result, share)
        np.testing.assert_allclose(ours[12:-12, 12:-12], theirs(share)[12:-12, 12:-12], atol=2e-5)
        assert np.abs(ours - theirs(share)).max() < 0.05, "at edges a line goes on as it ends"
    asked = np.zeros(down.shape, bool)
    asked[5:9, 7:30], asked[-1, -1] = True, True
    some, places = splined(picture, result, 1.0, asked), np.kron(asked, np.ones((4, 4)))[:150, :210] > 0
    np.testing.assert_array_equal(some, np.where(places, splined(picture, result, 1.0), 0))
    np.testing.assert_allclose(
        along(picture, picture, result)[12:-12, 12:-12], (theirs(-0.5) + theirs(0.5))[12:-12, 12:-12] / 2, atol=2e-5
    )
    flat = spline(np.full((40, 50), 0.7, np.float32))
    assert flat.shape == (44, 54) and np.abs(flat - 0.7).max() < 2e-6, "what is constant stays so, to its edges"


def block(picture: Picture, row: int, column: int) -> Picture:
    """The block of 8 × 8 that begins at a place, beyond whose picture its edges go on."""
    rows, columns = (
        (at + np.arange(8)).clip(0, side - 1) for at, side in zip((row, column), picture.shape, strict=True)
    )
    return np.asarray(picture[np.ix_(rows, columns)])


@loop(error_model="numpy", fastmath=True)
def costs(
    first: int, last: int, a: Picture, b: Picture, down: Any, across: Any, phase: float, squared: bool, out: Picture
) -> None:  # pragma: no cover
    """Put the mean difference, absolute or squared, of each cell's block along its vector into `out`."""
    height, width = np.int32(a.shape[0] - 2 * loops.AROUND), np.int32(a.shape[1] - 2 * loops.AROUND)
    flat_a, flat_b, share = a.ravel(), b.ravel(), np.float32(phase)
    for r in range(first, last):
        for c in range(out.shape[1]):
            y, x, v, u = 4 * r - 2, 4 * c - 2, down[r, c], across[r, c]
            cost = (
                loops._squares(flat_a, flat_b, height, width, y, x, v, u, share)
                if squared
                else loops._apart(flat_a, flat_b, height, width, y, x, v, u, share, np.float32(np.inf))
            )
            out[r, c] = cost / np.float32(64)


@pytest.mark.parametrize("squared", [False, True])
def test_blocks_cost_what_their_samples_differ(squared: bool) -> None:
    """Along vectors that go far out of the picture too; and however the rows of cells are shared out."""
    rng = np.random.default_rng(2)
    a, b = rng.random((61, 90), np.float32), rng.random((61, 90), np.float32)
    cells = cells_of(a.shape)
    down, across = (rng.integers(-40, 41, cells).astype(np.int32) for _ in range(2))
    result, wide = np.zeros(cells, np.float32), [np.pad(item, loops.AROUND, mode="edge") for item in (a, b)]
    for first, last in ((0, 5), (5, cells[0])):
        costs(first, last, *wide, down, across, 0.3, squared, result)
    for (row, column), cost in np.ndenumerate(result):
        v, u = int(down[row, column]), int(across[row, column])
        half_v, half_u = round(0.3 * v), round(0.3 * u)
        y, x = 4 * row - 2, 4 * column - 2
        apart = block(a, y - half_v, x - half_u) - block(b, y + v - half_v, x + u - half_u)
        assert cost == pytest.approx((apart**2 if squared else np.abs(apart)).mean(), abs=1e-5)


def test_means_and_medians_of_cells_are_scipys() -> None:
    rng = np.random.default_rng(2)
    a, b = rng.random((60, 92), np.float32), rng.random((60, 92), np.float32)
    by_cell = (a - b).reshape(15, 4, 23, 4)
    np.testing.assert_allclose(differing(a, b), np.abs(by_cell).mean(axis=(1, 3)), atol=1e-6)
    np.testing.assert_allclose(differing(a, b, signed=True), by_cell.mean(axis=(1, 3)), atol=1e-6)
    assert differing(a[:58, :91], b[:58, :91])[-1, -1] == pytest.approx(np.abs((a - b)[56:58, 88:91]).mean())
    cells, weights = rng.random((15, 23), np.float32), np.array([1, 4, 1]) / 6
    theirs = convolve1d(convolve1d(cells, weights, axis=0, mode="nearest"), weights, axis=1, mode="nearest")
    np.testing.assert_allclose(spread(cells), theirs, atol=1e-6)
    calm = np.empty_like(cells)
    cell_loops.calmed(0, 15, cells, calm)
    np.testing.assert_array_equal(calm, median_filter(cells, 3, mode="nearest"))
    moving = np.zeros((60, 90), np.float32)
    moving[21, 50] = 0.1
    rows, columns = np.nonzero(cells_with(moving))
    assert set(rows) == {4, 5, 6} and set(columns) == {11, 12, 13} and len(rows) == 9


def test_what_was_made_of_a_picture_is_kept_for_that_picture_only() -> None:
    kept, picture = MotionCache(most=2), ground()[:80, :90].copy()
    first = kept.spline(picture)
    assert kept.spline(picture) is first and kept.spline(picture.copy()) is not first
    kept.levels(picture)
    kept.levels(picture.copy())
    assert kept.spline(picture) is not first, "only the last ones are kept"


@pytest.mark.parametrize("cores", [1, 3, 8])
def test_how_many_cores_there_are_changes_nothing(cores: int, monkeypatch: pytest.MonkeyPatch) -> None:
    wide = ground()
    earlier, later = seen(wide, 0, 0), seen(wide, -2, -7)
    here = motion(earlier, later, 0.4)
    result = between(earlier, later, here)
    monkeypatch.setattr(strips, "cores", lambda: cores)
    there = motion(earlier, later, 0.4)
    for one, other in ((here.down, there.down), (here.across, there.across), (here.doubt, there.doubt)):
        np.testing.assert_array_equal(one, other)
    np.testing.assert_array_equal(result, between(earlier, later, there))


def test_what_cannot_be_is_refused() -> None:
    picture = np.zeros((200, 300), np.float32)
    with pytest.raises(NotPossible, match="of one size"):
        motion(picture, picture[:-1])
    with pytest.raises(NotPossible, match="lies at 0 to 1"):
        motion(picture, picture, 1.5)
    result = motion(picture, picture)
    assert not result.down.any() and not result.across.any() and not result.doubt.any(), (
        "nothing moves where nothing is"
    )
