"""Single pictures of a clip to look at: a small one to know it by, and any frame at full size."""

from __future__ import annotations

import contextlib
import io
import threading
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

import numpy as np
from av.error import FFmpegError
from numpy.typing import NDArray
from PIL import Image

from idle_quarry.errors import MediaError
from idle_quarry.files import written_whole
from idle_quarry.media.clip import Clip
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.pacing import Times, picture_times, shown_at
from idle_quarry.media.pictures import Picture, Reader
from idle_quarry.places import memory_folder
from idle_quarry.signal.formats import Encoding

#: Width and height that a small picture lies in.
SMALL = (128, 72)
#: Frames that are decoded over rather than sought, and how much of what was decoded is kept.
_DECODED_OVER, _KEPT_BYTES = 24, 192 << 20


def small_picture(clip: Clip) -> bytes | None:
    """Return a PNG of a picture from the middle of a clip, in its shape; None where it has none. Kept once made."""
    if not clip.declared.has_picture:
        return None
    try:
        place = memory_folder() / "pictures" / f"{identity(clip.path)}.png"
    except OSError:
        return None
    if place.is_file():
        with contextlib.suppress(OSError):
            return place.read_bytes()
    with FrameSource(clip, threads=1) as source:
        picture = source.frame((clip.declared.frames or 2) // 2) or source.frame(0)
    if picture is None:
        return None
    # thinned before it is converted: a small picture needs no more
    step = max(1, picture.luma.shape[0] // (4 * SMALL[1]))
    small = shown(picture, clip, step)
    aspect = float(clip.declared.display_aspect) or small.shape[1] / small.shape[0]
    width = min(SMALL[0], round(SMALL[1] * aspect))
    image = Image.fromarray(small).resize((max(8, width), max(8, round(width / aspect))), Image.Resampling.BOX)
    data = io.BytesIO()
    image.save(data, "PNG")
    with contextlib.suppress(OSError):
        place.parent.mkdir(parents=True, exist_ok=True)
        written_whole(place, data.getvalue())
    return data.getvalue()


class FrameSource:
    """Any frame of one clip, one at a time; threads that share it wait for one another.

    What was decoded on the way to a frame is kept, so that a step back costs nothing; a step on decodes one frame more.
    """

    def __init__(self, clip: Clip, *, threads: int = 0, kept_bytes: int = _KEPT_BYTES) -> None:
        self.clip = clip
        self._most = kept_bytes
        self._lock = threading.Lock()
        self._reader: Reader | None = None
        self._threads = threads
        self._onward: Iterator[Picture] = iter(())
        self._next: int | None = None  #: the frame that is decoded next
        self._cache: OrderedDict[int, Picture] = OrderedDict()
        self._bytes = 0
        self._times: Times | None = None  #: of pictures that come at no even pace

    def __enter__(self) -> FrameSource:
        return self

    def __exit__(self, *_what: object) -> None:
        self.close()

    def close(self) -> None:
        with self._lock:
            if self._reader is not None:
                self._reader.close()
            self._reader, self._onward, self._next, self._bytes = None, iter(()), None, 0
            self._cache.clear()

    def frame(self, index: int) -> Picture | None:
        """Return the frame at `index`, or the nearest after it that can be decoded; None where there is none.

        Of pictures that come at no even pace it is the one that is on show then. Raises `MediaError` where the clip
        cannot be opened.
        """
        with self._lock:
            if not self.clip.declared.uneven:
                return self._picture(index, index)
            rate = self.clip.declared.rate or Fraction(25)
            times = self._paced()
            number = shown_at(times, index, rate)
            # a place by its time: what is sought is sought by time stamps
            picture = self._picture(number, int(times[number] * float(rate)) if len(times) else index)
            return None if picture is None else replace(picture, index=index)

    def _picture(self, number: int, place: int) -> Picture | None:
        """Return a coded picture by its number; `place` is where a reader looks for it."""
        still = self._cache.get(number)
        if still is not None:
            self._cache.move_to_end(number)
            return still
        if self._reader is None:
            self._reader = Reader(self.clip.path, self.clip.declared, threads=self._threads).__enter__()
        if self._next is None or not self._next <= number <= self._next + _DECODED_OVER:
            self._onward = self._reader.onward(place)
        for picture in self._onward:
            here = picture.index if self._times is None else int(np.argmin(np.abs(self._times - picture.seconds)))
            self._next = here + 1
            self._keep(here, picture)
            if here >= number:
                return picture
        self._next = None
        return None

    def _paced(self) -> Times:
        """Return when each picture is shown. Raises `MediaError`."""
        if self._times is None:
            try:
                self._times = picture_times(self.clip.path)
            except (FFmpegError, OSError, ValueError) as error:
                raise MediaError("not readable as media, or cut short", subject=str(self.clip.path)) from error
        return self._times

    def _keep(self, number: int, picture: Picture) -> None:
        self._cache[number] = picture
        self._bytes += _bytes_of(picture)
        while self._bytes > self._most and len(self._cache) > 1:
            self._bytes -= _bytes_of(self._cache.popitem(last=False)[1])


def _bytes_of(picture: Picture) -> int:
    planes = [picture.luma, *(picture.chroma or ()), *([] if picture.rgb is None else [picture.rgb])]
    return sum(int(plane.nbytes) for plane in planes)


def shown(picture: Picture, clip: Clip, step: int = 1) -> NDArray[np.uint8]:
    """Return a picture, or every `step`th sample and line of it, as R′G′B′ (h, w, 3) uint8 by the clip's encoding.

    It is grey where it has no colour differences.
    """
    from idle_quarry.picture.seen import seen  # with Numba, which no window that shows no picture waits for

    thin = (slice(None, None, step),) * 2
    if picture.rgb is not None:
        return np.ascontiguousarray((picture.rgb[thin] >> (picture.bits - 8)).astype(np.uint8))
    encoding = replace(clip.format.encoding if clip.format else Encoding(), bit_depth=picture.bits)
    if encoding.matrix == "rgb":  # declared, though the planes are luma and colour differences
        encoding = replace(encoding, matrix="bt709")
    luma = picture.luma[thin]
    grey = np.full((1, 1), encoding.levels.chroma_zero, luma.dtype)
    chroma = tuple(plane[thin] for plane in picture.chroma) if picture.chroma else (grey, grey)
    return seen((luma, *chroma), encoding)
