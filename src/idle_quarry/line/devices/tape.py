"""A clip as a line plays it: its pictures in the line's format, its sound in samples of 24 bits, and its timecode."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import MediaError, NotPossible
from idle_quarry.line.transport import transports
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.line.writing.sending import in_line_order
from idle_quarry.line.writing.sound import RATE
from idle_quarry.media.clip import Clip
from idle_quarry.media.coding.converting import frames_and_speed, start_of
from idle_quarry.media.material import clip_material
from idle_quarry.media.sounds import SoundReader
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.picture.link import Conversion
from idle_quarry.signal.formats import SignalFormat, standard_field_order
from idle_quarry.signal.timecode import Timecode


def line_format(fmt: SignalFormat) -> SignalFormat:
    """Return what a deck plays a format as: 4:2:2 of ten bits in narrow range, fields in the order of their line
    system.

    Raises `NotPossible` where no line carries it.
    """
    result = fmt.with_encoding(
        sampling="4:2:2",
        bit_depth=10,
        range="narrow",
        matrix="bt709" if fmt.encoding.matrix == "rgb" else fmt.encoding.matrix,
    )
    if result.scan == "interlaced":
        result = SignalFormat(
            result.raster, result.rate, result.scan, standard_field_order(result.raster), result.encoding
        )
    if not any(transports(result)):
        raise NotPossible(
            "no line carries pictures of this size and rate",
            subject=f"{fmt.raster.width} × {fmt.raster.height}",
            remedy="choose a clip in a broadcast format, or send it through the template's monitor link",
        )
    return result


@dataclass(frozen=True)
class ClipFeed:
    """A clip to be sent, and the policy by which it becomes the line's format."""

    clip: Clip
    policy: Policy = DEFAULT_POLICY
    cadence: str = ""


class Tape:
    """A clip, open. Not to be shared between threads.

    Raises `MediaError` for a clip without pictures, `NotPossible` by the policy.
    """

    def __init__(self, feed: ClipFeed, fmt: SignalFormat) -> None:
        self.clip, self.format = feed.clip, fmt
        self._material = clip_material(feed.clip, feed.cadence)
        before = self._material.format
        self._conversion = Conversion(before, fmt, feed.policy)
        self.frames, faster = frames_and_speed(self._material, fmt, feed.policy)
        self._sound: SoundReader | None = None
        if feed.clip.declared.audio:
            with contextlib.suppress(MediaError):  # where its speed changes, its pitch does
                self._sound = SoundReader(feed.clip.path, round(RATE / faster))
        self.channels = self._sound.channels if self._sound is not None else 0
        self.start = start_of(feed.clip, fmt) or Timecode(0, fmt.rate)

    def close(self) -> None:
        self._material.close()
        if self._sound is not None:
            self._sound.close()

    def rest(self) -> None:
        """Let go of the decoder, which holds hundreds of megabytes of 2160 lines; the next frame opens it again."""
        self._material.close()

    def picture(self, index: int) -> Planes:
        """Return frame `index` as planes of codes in the order of lines.

        Raises `MediaError` where it cannot be read.
        """
        index = min(max(index, 0), self.frames - 1)
        return in_line_order(self._conversion.codes(index, self._material.frame), self.format)

    def sound(self, first: int, count: int) -> NDArray[np.int32]:
        """Return `count` samples of 24 bits from `first` on, (count, channels)."""
        if self._sound is None:
            return np.zeros((count, 0), np.int32)
        return self._sound.samples(first, count) >> 8
