"""Frames to convert: a clip's, or a chart's, in the format of a source, any of them, by number."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Protocol

import numpy as np

from idle_quarry.errors import MediaError
from idle_quarry.media.clip import Clip
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.measurement.pulldown import cadence_runs
from idle_quarry.media.pictures import Picture
from idle_quarry.media.stills import FrameSource
from idle_quarry.path.steps.pulldown import CADENCES, pictures_of
from idle_quarry.picture.fields import fields_of_pictures, first_shown
from idle_quarry.picture.patterns.charts import CHARTS, chart_frame
from idle_quarry.picture.planes import Planes, from_rgb, planes_of_codes, to_rgb
from idle_quarry.signal.formats import Encoding, SignalFormat

#: Bytes of source frames kept: what is stepped over once is there at once.
_KEPT_BYTES = 300_000_000
#: Frames kept for who goes on from one to the next: as many as a conversion looks at around one, for two at a time; and
#: bytes of decoded ones.
_ONWARD, _ONWARD_BYTES = 8, 48 << 20


class Material(Protocol):
    """Frames in one format. `key` names them by content.

    `frames` is their number; `chart` is set where truth is known.
    """

    key: str
    name: str
    format: SignalFormat
    frames: int
    chart: str | None

    def frame(self, index: int) -> Planes:
        """Return frame `index`, or the nearest there is. Raises `MediaError` where it cannot be read."""

    def close(self) -> None:
        """Let go of the file, where there is one; it is opened again when it is needed."""


class _FrameCache:
    """Frames that were made lately, up to a number of bytes and, where `most` is given, of frames; for any thread."""

    def __init__(self, most: int | None = None) -> None:
        self._most = most
        self._frames: OrderedDict[int, Planes] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, index: int) -> Planes | None:
        with self._lock:
            results = self._frames.get(index)
            if results is not None:
                self._frames.move_to_end(index)
            return results

    def put(self, index: int, planes: Planes) -> Planes:
        with self._lock:
            if index not in self._frames:
                self._frames[index] = planes
                self._bytes += sum(plane.nbytes for plane in planes)
            while len(self._frames) > 1 and (
                self._bytes > _KEPT_BYTES or (self._most is not None and len(self._frames) > self._most)
            ):
                _, old = self._frames.popitem(last=False)
                self._bytes -= sum(plane.nbytes for plane in old)
        return planes

    def clear(self) -> None:
        """Let go of all of them."""
        with self._lock:
            self._frames.clear()
            self._bytes = 0


class ChartMaterial:
    """A moving chart as a camera of a format gives it; it begins again after ten seconds."""

    def __init__(self, chart: str, fmt: SignalFormat) -> None:
        self.key = f"chart:{chart}"
        self.name = CHARTS[chart].name
        self.format = fmt
        self.frames = int(10 * fmt.rate)
        self.chart: str | None = chart
        self._cache = _FrameCache()

    def frame(self, index: int) -> Planes:
        index = min(max(index, 0), self.frames - 1)
        return self._cache.get(index) or self._cache.put(index, chart_frame(self.chart or "", self.format, index))

    def close(self) -> None:
        """Let go of the frames that were drawn; they are drawn again when they are asked for."""
        self._cache.clear()


class ClipMaterial:
    """A clip's frames. What its file holds in another raster, sampling or matrix than its format says is taken as
    it is.
    """

    def __init__(self, clip: Clip, *, onward: bool = False) -> None:
        if clip.format is None or not clip.declared.has_picture:
            raise MediaError("has no pictures in a format that is known", subject=clip.path.name)
        try:
            self.key = f"clip:{identity(clip.path)}"
        except OSError as error:
            raise MediaError(f"cannot be read ({error.strerror})", subject=str(clip.path)) from error
        self.name = clip.path.name
        self.clip = clip
        self.format = clip.format
        self.frames = max(1, clip.declared.frames or 1)
        self.chart: str | None = None
        self._source = FrameSource(clip, kept_bytes=_ONWARD_BYTES) if onward else FrameSource(clip)
        self._cache = _FrameCache(_ONWARD if onward else None)

    def frame(self, index: int) -> Planes:
        index = min(max(index, 0), self.frames - 1)
        results = self._cache.get(index)
        if results is not None:
            return results
        picture = self._source.frame(index)
        if picture is None:
            raise MediaError("no picture could be decoded", subject=self.name)
        return self._cache.put(index, planes_of_picture(picture, self.format))

    def close(self) -> None:
        """Let go of the file and of what was read of it; the next frame opens it again."""
        self._source.close()
        self._cache.clear()


class PulledMaterial:
    """The whole pictures of a clip over which a pulldown spread them.

    Where the cadence begins is found in its first frames.
    """

    def __init__(self, material: ClipMaterial, cadence: str) -> None:
        fmt = pictures_of(material.format, cadence)
        if fmt is None:
            raise MediaError(f"no pulldown of {cadence} runs in it", subject=material.name)
        self.clip, self.name, self.format = material.clip, material.name, fmt
        self.key = f"{material.key}:{cadence}"
        self.chart: str | None = None
        self._of = material
        order = material.format.field_order or "top"
        looked = min(material.frames, _LOOKED_AT)
        luma = [np.asarray(material.frame(index)[0], np.float32) for index in range(looked)]
        if CADENCES[cadence].fields:
            phase = cadence_runs(luma, cadence, order)[0].phase if looked >= _LEAST else 0
            self._from = fields_of_pictures(material.frames, cadence, order, phase)
        else:
            firsts = first_shown(luma, cadence, material.frames)
            self._from = [(frame, frame) for frame in firsts]
        self.frames = max(1, len(self._from))

    def frame(self, index: int) -> Planes:
        if not self._from:
            return self._of.frame(index)
        upper, lower = self._from[min(max(index, 0), len(self._from) - 1)]
        if upper == lower:
            return self._of.frame(upper)
        results = []
        for above, below in zip(self._of.frame(upper), self._of.frame(lower), strict=True):
            plane = above.copy()
            plane[1::2] = below[1::2]
            results.append(plane)
        return results[0], results[1], results[2]

    def close(self) -> None:
        """Let go of the file; the next frame opens it again."""
        self._of.close()


#: Frames in which a cadence is looked for, and the fewest that show one.
_LOOKED_AT, _LEAST = 40, 10


def clip_material(clip: Clip, cadence: str = "", *, onward: bool = False) -> ClipMaterial | PulledMaterial:
    """Return a clip as material, without the pulldown that its source has where one runs in it. Raises `MediaError`.

    `onward`: it is gone through from frame to frame, and little of it is kept.
    """
    material = ClipMaterial(clip, onward=onward)
    if cadence and pictures_of(material.format, cadence) is not None:
        return PulledMaterial(material, cadence)
    return material


def planes_of_picture(picture: Picture, fmt: SignalFormat) -> Planes:
    """Return a decoded picture as planes in the encoding of `fmt`, whose bits and chroma it may hold otherwise."""
    if picture.rgb is not None:
        rgb = tuple(picture.rgb[..., n].astype(np.float32) / ((1 << picture.bits) - 1) for n in range(3))
        return from_rgb(rgb, fmt.encoding, fields=fmt.scan == "interlaced")
    encoding = held_encoding(picture, fmt)
    planes = planes_of_codes((picture.luma, *(picture.chroma or _grey(picture))), encoding)
    return planes if encoding.sampling == fmt.encoding.sampling else from_rgb(to_rgb(planes, encoding), fmt.encoding)


def held_encoding(picture: Picture, fmt: SignalFormat) -> Encoding:
    """Return the encoding a decoder gives a format's pictures in: its own bits and chroma sampling."""
    e = fmt.encoding
    matrix = "bt709" if e.matrix == "rgb" else e.matrix
    sampling = "4:4:4"
    if picture.chroma is not None:
        across = round(picture.luma.shape[1] / picture.chroma[0].shape[1])
        down = round(picture.luma.shape[0] / picture.chroma[0].shape[0])
        sampling = {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}.get((across, down), "4:4:4")
    return Encoding(e.primaries, e.transfer, matrix, e.range, picture.bits, sampling)


def _grey(picture: Picture) -> Planes:
    middle = np.full(picture.luma.shape, 1 << (picture.bits - 1), picture.luma.dtype)
    return middle, middle
