"""Holds told from their noise: by hand-made rows of changes whose cadence is known."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest

from idle_quarry.media.measurement.holds import changes, hold_of, stretches

CYCLES = {"2:2": (1, 0), "3:2": (1, 0, 0, 1, 0), "3:3": (1, 0, 0), "4:4": (1, 0, 0, 0)}


def rows(
    pattern: tuple[int, ...], pairs: int, ratio: float, seed: int = 0
) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    """Changes that are `ratio` times as large where a picture is new, each spread by a fifth."""
    rng = np.random.default_rng(seed)
    new = np.resize(np.array(pattern), pairs)
    return np.asarray(np.log(np.where(new == 1, 40.0, 40.0 / ratio)) + 0.2 * rng.standard_normal(pairs))


@pytest.mark.parametrize("cadence", CYCLES)
@pytest.mark.parametrize("ratio", [4.0, 50.0, 1e5])
def test_a_cadence_is_named_and_its_repeats_are_marked(cadence: str, ratio: float) -> None:
    for phase in range(len(CYCLES[cadence])):
        pattern = tuple(np.roll(CYCLES[cadence], phase))
        result = hold_of([rows(pattern, 60, ratio, phase)])
        assert result.certain and result.cadence == cadence
        assert result.share == Fraction(sum(pattern), len(pattern))
        assert (result.repeats == (np.resize(pattern, 60) == 0)).all()


def test_what_has_no_repeats_or_drowns_them_is_not_told() -> None:
    for seed in range(60):
        assert not hold_of([rows((1,), 45, 1.0, seed)]).certain, "moving pictures hold none at any cadence"
    assert not hold_of([rows((1, 0), 45, 1.1)]).certain, "nor where repeats err as much as movement"
    assert not hold_of([]).certain and not hold_of([np.zeros(2)]).certain


def test_an_edit_spoils_one_stretch_and_not_the_others() -> None:
    cut = np.concatenate([rows((1, 0), 33, 30.0), rows((0, 1), 32, 30.0, 1)])  # the cadence begins anew
    assert hold_of([cut]).cadence == "2:2" and hold_of([cut]).certain
    edges = stretches(65)
    assert edges[0][0] == 0 and edges[-1][1] == 65 and all(a[1] == b[0] for a, b in pairwise(edges))
    assert max(b - a for a, b in edges) <= 15
    assert [hold_of([part]).cadence for part in (cut[:30], cut[34:])] == ["2:2", "2:2"]


def test_where_most_moves_is_looked_at_and_a_cut_does_not_choose() -> None:
    blocks = np.full((14, 100), 1.0)
    blocks[:, 7] = 50.0  # one block moves all the time
    blocks[5] = 900.0  # and at a cut all do
    result = np.exp(changes(blocks))
    assert result[5] == pytest.approx(900, rel=0.01)
    assert result[4] > 10, "the block that moves is among those looked at"
