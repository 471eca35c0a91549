"""Motion on pictures whose movement is known, pictures made along it, and splines against SciPy's."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates, median_filter, uniform_filter

from idle_quarry.errors import NotPossible
from idle_quarry.picture.loops import motion as loops
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.motion import along, averaged, between, motion, resized, spans_of, spline, splined

Picture = NDArray[np.float32]
_INNER = (slice(24, -24), slice(24, -24))


def ground(seed: int = 3, blur: float = 2.0) -> Picture:
    drawn = gaussian_filter(np.random.default_rng(seed).standard_normal((420, 620)), blur)
    return np.asarray(0.5 + 0.15 * drawn / drawn.std(), np.float32).clip(0, 1)


def seen(picture: Picture, down: float, across: float, height: int = 240, width: int = 400) -> Picture:
    """The part of a picture that a camera sees that stands at a place between its samples."""
    places = np.mgrid[0:height, 0:width].astype(float)
    made = map_coordinates(picture, [places[0] + 60 + down, places[1] + 80 + across], order=3)
    return np.asarray(made, np.float32)


@pytest.mark.parametrize(("down", "across"), [(0, 0), (3, 0), (0, -7), (5, 11), (-2.5, 4.25)])
@pytest.mark.parametrize("phase", [0.5, 0.25, 0.8])
def test_a_pan_is_found_and_gone_along(down: float, across: float, phase: float) -> None:
    """Vectors to a fifth of a sample, no doubt; and the picture in between is what the camera saw there, better than 45 dB."""
    wide = ground()
    earlier, later = seen(wide, 0, 0), seen(wide, -down, -across)
    found = motion(earlier, later, phase)
    assert np.abs(np.median(found.down[_INNER]) - down) < 0.2 and np.abs(np.median(found.across[_INNER]) - across) < 0.2
    right = (np.abs(found.down - down) < 0.5) & (np.abs(found.across - across) < 0.5)
    assert right[_INNER].mean() > 0.93
    truth = seen(wide, -phase * down, -phase * across)
    made = along(earlier, later, found)
    assert psnr_db(made[_INNER].astype(float), truth[_INNER].astype(float)) > 45
    assert found.doubt[_INNER].mean() < 0.02


def test_what_both_do_not_show_is_doubted_and_mixed() -> None:
    """A thing that only the later picture has is not dragged about: there `between` mixes both where they are."""
    wide = ground()
    earlier, later = seen(wide, 0, 0), seen(wide, 0, 0)
    later[80:160, 150:250] = 1 - ground(9)[80:160, 150:250]
    found = motion(earlier, later)
    assert found.doubt[95:145, 165:235].mean() > 0.4 > found.doubt[:60].mean() + 0.35
    made, mixed = between(earlier, later, found), (earlier + later) / 2
    doubted = found.doubt == 1
    np.testing.assert_allclose(made[doubted], mixed[doubted], atol=1e-6)
    np.testing.assert_allclose(made[:60, :], earlier[:60, :], atol=2e-3)


def test_fields_of_half_the_width_go_the_same_way() -> None:
    wide = ground()
    found = motion(seen(wide, 0, 0), seen(wide, -2, -8))
    half = resized(found, (240, 200))
    assert half.down.shape == half.doubt.shape == (240, 200)
    assert np.median(half.across) == pytest.approx(np.median(found.across) / 2, abs=1e-3)
    assert np.median(half.down) == pytest.approx(np.median(found.down), abs=1e-3)
    assert resized(found, found.down.shape) is found


def test_splines_are_scipys() -> None:
    """Cubic B-splines through samples: inside, where edges have no say, the same values to single precision."""
    picture = ground()[:150, :210].copy()
    rng = np.random.default_rng(5)
    down, across = (np.asarray(rng.uniform(-3, 3, picture.shape), np.float32) for _ in range(2))
    for share in (1.0, -0.4):
        ours = splined(picture, down, across, share)
        y, x = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]]
        theirs = map_coordinates(
            picture.astype(np.float64), [y + share * down, x + share * across], order=3, mode="nearest"
        )
        np.testing.assert_allclose(ours[12:-12, 12:-12], theirs[12:-12, 12:-12], atol=2e-5)
        assert np.abs(ours - theirs).max() < 0.05, "at edges a line goes on as it ends"
    still = np.zeros_like(picture)
    np.testing.assert_allclose(splined(picture, still, still, 0.5), picture, atol=2e-6)
    assert splined(picture, down, across, 0) is picture
    flat = spline(np.full((40, 50), 0.7, np.float32))
    assert flat.shape == (44, 54) and np.abs(flat - 0.7).max() < 2e-6, "what is constant stays so, to its edges"


def test_means_and_costs_are_scipys() -> None:
    rng = np.random.default_rng(2)
    values = rng.random((37, 53), np.float32)
    np.testing.assert_allclose(averaged(values), uniform_filter(values, 5), atol=1e-6)
    a, b = rng.random((60, 90), np.float32), rng.random((60, 90), np.float32)
    down = median_filter(rng.integers(-4, 5, a.shape), 3).astype(np.int32)
    across = median_filter(rng.integers(-4, 5, a.shape), 3).astype(np.int32)
    spans = np.repeat(np.array([[0, 90]], np.int32), 60, axis=0)
    spans[30:33], spans[40:52] = (20, 41), (60, 60)  # some columns of a few rows, and none of others
    made = np.zeros(a.shape, np.float32)
    steps = np.array([1, -2, 0, 0], np.int32)
    for first, last in ((0, 25), (25, 60)):  # two strips are one picture
        loops.costs(first, last, a, b, down, across, steps, 0.5, False, spans, made, first)
    v, u = down + 1, across - 2
    y, x = np.mgrid[0:60, 0:90]
    half_v, half_u = np.rint(v / 2).astype(int), np.rint(u / 2).astype(int)

    def at(picture: Picture, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Picture:
        return np.asarray(picture[rows.clip(0, 59), columns.clip(0, 89)])

    apart = np.abs(at(a, y - half_v, x - half_u) - at(b, y + v - half_v, x + u - half_u))
    asked = (np.arange(90) >= spans[:, :1]) & (np.arange(90) < spans[:, 1:])
    np.testing.assert_allclose(made, np.where(asked, uniform_filter(apart, 5), 0), atol=1e-6)


def test_only_what_is_asked_for_is_seen_along_vectors() -> None:
    rng = np.random.default_rng(6)
    picture, down, across = (rng.random((50, 80), np.float32) for _ in range(3))
    where = np.zeros((50, 80), bool)
    where[20, 30], where[40, 70:] = True, True
    spans = spans_of(where.shape, where, 2)
    assert spans[17, 0] >= spans[17, 1] and spans[18].tolist() == [28, 33] and spans[42].tolist() == [68, 80]
    some, whole = splined(picture, down, across, 0.5, spans), splined(picture, down, across, 0.5)
    asked = (np.arange(80) >= spans[:, :1]) & (np.arange(80) < spans[:, 1:])
    np.testing.assert_array_equal(some, np.where(asked, whole, 0))


def test_what_cannot_be_is_refused() -> None:
    picture = np.zeros((200, 300), np.float32)
    with pytest.raises(NotPossible, match="of one size"):
        motion(picture, picture[:-1])
    with pytest.raises(NotPossible, match="lies at 0 to 1"):
        motion(picture, picture, 1.5)
    found = motion(picture, picture)
    assert not found.down.any() and not found.across.any() and not found.doubt.any(), "nothing moves where nothing is"
