"""Fields of whole runs of frames at once: how material of known truth is made, and what conversions are held
against.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.pulldown import _NOT_ONE, _excess, cadence_runs
from idle_quarry.picture.fields import CADENCES, made_whole, pulled_up, separated

Picture = NDArray[np.float32]


def moments_of(frames: Sequence[NDArray[Any]], order: str) -> list[Picture]:
    """Return the fields of frames in the order of time, by the field that comes first ("top" or "bottom")."""
    result: list[Picture] = []
    for frame in frames:
        upper, lower = separated(frame)
        result += [upper, lower] if order == "top" else [lower, upper]
    return result


def deinterlaced(frames: Sequence[NDArray[Any]], order: str, method: str, *, every: bool = True) -> list[Picture]:
    """Return whole pictures of interlaced frames: one for every field, or only of the earlier field of each frame."""
    fields = moments_of(frames, order)
    if fields and fields[0].ndim == 3:  # channels have no luma of their own: motion is found in their mean
        moments = [(field.mean(axis=2), *(field[..., n] for n in range(field.shape[2]))) for field in fields]
    else:
        moments = [(item,) for item in fields]
    wanted = range(0, len(moments), 1 if every else 2)
    result = (made_whole(moments, at, order, method) for at in wanted)
    return [planes[0] if len(planes) == 1 else np.stack(planes[1:], axis=-1) for planes in result]


def pulled_down(pictures: Sequence[NDArray[Any]], cadence: str, order: str) -> list[Picture]:
    """Return interlaced frames over whose fields whole pictures are spread by a cadence, the field `order` first."""
    lengths = CADENCES[cadence]
    shown: list[NDArray[Any]] = []
    for number, picture in enumerate(pictures):
        shown += [picture] * lengths[number % len(lengths)]
    first = 0 if order == "top" else 1
    frames = []
    for earlier, later in zip(shown[0::2], shown[1::2], strict=False):
        frame = np.asarray(later, np.float32).copy()
        frame[first::2] = earlier[first::2]
        frames.append(frame)
    return frames


def without_pulldown(frames: Sequence[NDArray[Any]], cadence: str, order: str) -> list[NDArray[Any]]:
    """Return the whole pictures of frames (h, w), 0…1, each once; a picture that a break left half of is left out."""
    result: list[NDArray[Any]] = []
    for run in cadence_runs(frames, cadence, order):
        output = pulled_up(frames[run.start : run.stop], cadence, order, run.phase)
        # a cut in the midst of a cadence that goes on leaves a picture woven of two shots
        result += [
            item for item, more in zip(output, _excess(output) if output else (), strict=True) if more < _NOT_ONE
        ]
    return result
