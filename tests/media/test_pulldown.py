"""Pulldown taken out across breaks: every picture that both fields are left of comes back exactly, and no other."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from tests.by_frames import pulled_down, without_pulldown

from idle_quarry.media.measurement.pulldown import cadence_runs


def shot(seed: int, count: int) -> list[NDArray[np.float32]]:
    rng = np.random.default_rng(seed)
    ground = gaussian_filter(rng.standard_normal((80, 400)), 2.0)
    ground = (0.5 + 0.15 * ground / ground.std()).clip(0, 1).astype(np.float32)
    return [ground[:, 3 * n : 3 * n + 128] for n in range(count)]


@pytest.mark.parametrize("cadence", ["2:3", "2:3:3:2"])
@pytest.mark.parametrize("order", ["top", "bottom"])
def test_pictures_come_back_across_a_break(cadence: str, order: str) -> None:
    first, second = shot(1, 16), shot(2, 16)
    frames = pulled_down(first, cadence, order)[:13] + pulled_down(second, cadence, order)[6:19]
    runs = cadence_runs(frames, cadence, order)
    assert [(run.start, run.stop) for run in runs] == [(0, 13), (13, 26)]
    assert [run.phase for run in runs] == [0, 1]  # six frames are a cycle of five and one more
    result = without_pulldown(frames, cadence, order)
    source = [np.asarray(p) for p in first + second]
    for picture in result:
        assert any(np.array_equal(picture, item) for item in source)
    assert len(result) == len({picture.tobytes() for picture in result}) >= 19
