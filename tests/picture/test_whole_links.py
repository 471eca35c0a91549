"""Whole links against float64 by plain NumPy (`tests/reference_link.py`): every plane within 90 dB, on coloured
noise that moves.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.planes import Planes, codes_of_planes, planes_of_codes
from idle_quarry.picture.strips import at_once
from idle_quarry.signal.formats import CHROMA_STEPS, SignalFormat
from idle_quarry.signal.words import format_from_words
from tests.reference_link import reference_frame

LINKS: list[tuple[str, str, dict[str, Any]]] = [
    ("576i25 4:3 bff 8bit 4:2:0", "1080i25", {}),
    ("576i25 16:9", "720p50", {"kernel": "spline36"}),
    ("1080i25", "576i25 16:9", {"kernel": "bicubic"}),
    ("1080i25", "1080p25", {}),
    ("720p50 hlg", "576i25 16:9", {"tone": "soft"}),
    ("720p50 hlg", "720p50", {"colour": "soften"}),
    ("720p50 pq", "720p50 hlg 4:2:0", {}),
    ("1080p25", "1080p25 8bit 4:2:0", {}),
    ("720p50", "1080i25 8bit 4:2:0", {}),
]


@lru_cache(maxsize=4)
def _noise(fmt: SignalFormat) -> tuple[Planes, ...]:
    """Frames of codes: coloured noise, half of it still, half moving by a sample and a half a moment."""
    rng = np.random.default_rng(7)
    height, width = fmt.raster.height, fmt.raster.width
    ground = [gaussian_filter(rng.standard_normal((height, width + 60)), 1.2) for _ in range(3)]
    ground = [item / item.std() for item in ground]
    across, down = CHROMA_STEPS[fmt.encoding.sampling]
    frames = []
    for n in range(4):
        moved = [
            np.where(np.arange(height)[:, None] < height // 2, item[:, :width], item[:, 3 * n : 3 * n + width])
            for item in ground
        ]
        luma, cb, cr = 0.5 + 0.22 * moved[0], 0.16 * moved[1][::down, ::across], 0.16 * moved[2][::down, ::across]
        frames.append(codes_of_planes((luma, cb, cr), fmt.encoding, "round"))
    return tuple(frames)


@pytest.mark.parametrize(("source", "target", "policy"), LINKS, ids=lambda each: each if isinstance(each, str) else "")
def test_a_link_is_as_exact_as_its_formulas(source: str, target: str, policy: dict[str, Any]) -> None:
    before, after = format_from_words(source), format_from_words(target)
    how = DEFAULT_POLICY.with_parts(**policy)
    frames = [planes_of_codes(each, before.encoding) for each in _noise(before)]

    def frame(index: int) -> Planes:
        return frames[index % len(frames)]

    truth = reference_frame(before, after, how, 1, frame)
    assert truth is not None
    result = Conversion(before, after, how).frame(1, frame)
    for name, ours, theirs in zip(("luma", "C′B", "C′R"), result, truth, strict=True):
        assert ours.shape == theirs.shape
        assert psnr_db(np.asarray(ours, np.float64), theirs) > 90, name


def test_strips_are_finished_also_where_one_fails() -> None:
    """Nobody goes on writing into a picture that its maker has left; and what failed is told."""
    done = []

    def work(part: int) -> int:
        if part == 0:
            raise ValueError("the first")
        done.append(part)
        return part

    with pytest.raises(ValueError, match="the first"):
        at_once(work, range(4))
    assert sorted(done) == [1, 2, 3]
    assert at_once(lambda outer: at_once(lambda inner: outer * inner, range(3)), range(4))[3] == [0, 3, 6]
