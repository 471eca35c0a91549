"""Pictures of noise that have every code that may travel."""

from __future__ import annotations

import numpy as np

from idle_quarry.line.writing.mapping import Planes
from idle_quarry.signal.formats import CHROMA_STEPS, SignalFormat


def noise(fmt: SignalFormat, seed: int = 1) -> Planes:
    """Return planes of random codes, none of them a code that timing references keep."""
    rng = np.random.default_rng(seed)
    bits = fmt.encoding.bit_depth
    low, high = (1, 255) if bits == 8 else (4 << (bits - 10), 1020 << (bits - 10)) if bits == 10 else (0, 1 << bits)
    across, down = CHROMA_STEPS[fmt.encoding.sampling]
    size = fmt.raster.height, fmt.raster.width
    small = size[0] // down, size[1] // across
    first, second, third = (rng.integers(low, high, item).astype(np.uint16) for item in (size, small, small))
    return first, second, third
