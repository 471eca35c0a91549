"""The loop of a meter's needle, which NumPy cannot do. Compiled by Numba and kept on disk."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop


@loop()
def needle(
    samples: NDArray[Any], attack: float, fall: float, state: NDArray[Any], peaks: NDArray[Any]
) -> None:  # pragma: no cover
    """Follow rectified samples (n, channels) with a quick charge and a slow fall.

    `state` (channels) is where it stands.

    `attack` is the share of the way up that is gone in a sample, `fall` the factor of a sample without signal; `peaks`
    gets the highest that each channel's needle stood.
    """
    for channel in range(samples.shape[1]):
        at, highest = state[channel], 0.0
        for n in range(samples.shape[0]):
            value = abs(samples[n, channel])
            at *= fall
            if value > at:
                at += (value - at) * attack
            highest = max(highest, at)
        state[channel], peaks[channel] = at, highest


def compiled() -> None:
    """Compile it for the arrays it is given, once."""
    needle(np.zeros((2, 2)), 0.5, 0.5, np.zeros(2), np.zeros(2))
