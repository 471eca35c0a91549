"""Pictures that come at no even pace (telephones, screens): whether they do, and which one is shown at a time.

Such a clip is taken at the standard rate nearest to its mean: frame n is the picture that is on show n periods after
the first, by its time stamps. Everything that asks for frames by number (`stills.FrameSource`) then keeps its time, and
its sound stays in step.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.error import FFmpegError
from av.video.stream import VideoStream
from numpy.typing import NDArray

from idle_quarry.signal.rates import NAMED_RATES

Times = NDArray[np.float64]
#: Pictures come at no even pace where so many of them stay so much longer or shorter than most; a clock of whole
#: milliseconds, or two and three fields in turn, is even.
_UNEVEN, _MANY = 1.6, 0.03
#: Or where their lengths spread so much about their mean: two and three fields in turn spread by a fifth of it.
_SPREAD = 0.24
#: Fewer pictures show no pace; and a count that is so far from what the rate makes of the duration is another pace.
_LEAST, _OFF = 8, 0.005
#: Entries of an index that are gone through at a time.
_STRETCH = 2000
#: What doubles lose of a time stamp, seconds.
_NEAR_S = 1e-6


def is_uneven(lengths: Times) -> bool:
    """Return whether pictures that stay for so long (seconds, above 0) come at no even pace."""
    if len(lengths) < _LEAST:
        return False
    usual = float(np.median(lengths))
    odd = (lengths > _UNEVEN * usual) | (lengths < usual / _UNEVEN)
    return bool(odd.mean() >= _MANY or lengths.std() > _SPREAD * lengths.mean())


def fixed_rate(mean: float) -> Fraction:
    """Return the standard rate that is nearest to a mean one."""
    return min(NAMED_RATES.values(), key=lambda rate: abs(float(rate) / mean - 1))


def is_paced_unevenly(stream: VideoStream) -> bool:
    """Return whether a stream's pictures come at no even pace: by the index of its file where that has all of them,
    else by their count.
    """
    entries = stream.index_entries
    base = float(stream.time_base or 0)
    if stream.frames and len(entries) == stream.frames:
        # of a long file three stretches tell: a hundred thousand entries are slow to go through one by one
        starts = (0,) if len(entries) <= 3 * _STRETCH else (0, len(entries) // 2, len(entries) - _STRETCH)
        stretches = [
            [
                entries[n].timestamp
                for n in range(start, min(len(entries), start + (_STRETCH if len(starts) > 1 else len(entries))))
            ]
            for start in starts
        ]
        lengths = np.concatenate([np.diff(np.array(stamps, np.float64)) for stamps in stretches]) * base
        return is_uneven(lengths[lengths > 0])
    rate = stream.average_rate or stream.base_rate
    if not (stream.frames and stream.duration and rate):
        return False
    wanted = stream.duration * base * float(rate)
    return stream.frames > _LEAST and abs(stream.frames - wanted) > max(1.0, _OFF * wanted)


def picture_times(path: Path) -> Times:
    """Return when each picture of a file is shown, seconds from the first, in order; nothing is decoded.

    Raises `FFmpegError`, `OSError`.
    """
    stamps: list[int] = []
    with av.open(f"file:{path.absolute()}", options={"strict": "-2"}, metadata_errors="replace") as container:
        stream = container.streams.video[0]
        base = float(stream.time_base or 0)
        with contextlib.suppress(FFmpegError, IndexError):  # what lies before the damage is known
            for packet in container.demux(stream):
                if packet.pts is not None:
                    stamps.append(packet.pts)
    result = np.sort(np.array(stamps, np.float64)) * base
    return result - result[0] if len(result) else result


def shown_at(times: Times, number: int, rate: Fraction) -> int:
    """Return which picture is on show when frame `number` of a fixed rate begins."""
    return max(0, int(np.searchsorted(times, float(number / rate) + _NEAR_S, side="right")) - 1)


def held_and_dropped(times: Sequence[float] | Times, rate: Fraction) -> tuple[int, int]:
    """Return how many frames of a fixed rate repeat the picture before, and how many pictures are never shown.

    Nothing here grows with time: stamps may jump by days.
    """
    ticks = np.ceil((np.asarray(times, np.float64) - times[0] - _NEAR_S) * float(rate))
    shown = np.diff(ticks)
    return int(np.maximum(shown - 1, 0).sum()), int((shown < 1).sum())
