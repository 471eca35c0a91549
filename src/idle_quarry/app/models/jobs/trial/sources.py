"""What the player plays: a clip, or a timeline of which each frame is a quick look at a clip where the template
puts it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.app.models.jobs.trial.playback_parts import PlayedPicture
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.conform.material import count_of
from idle_quarry.jobs.cutting.at_frame import SAMPLE_RATE, ClipSound, ShownItem, mixed, shown_at
from idle_quarry.jobs.cutting.timeline import CLIP, NO_MEDIA, PICTURE, SOUND, Media, Timeline, TimelineItem, Track
from idle_quarry.media.clip import Clip
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.sounds import SoundReader
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.path.grades import percent
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.fit import placement
from idle_quarry.signal.rasters import Raster

#: Clips that are open at once, of pictures and of sound, and what each keeps of its decoded pictures: a group of them.
_OPEN, _KEPT_BYTES = 6, 64 << 20
Place = tuple[float, float, float, float]
_WHOLE: Place = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True)
class KnownClip:
    """What is known of a file that may be played: the clip (None where it is looked at then), how it is fitted,
    whether it is exact.

    `proxy` is what was made of it at the timeline's rate, to be played in its place. What a timeline names and nobody
    knows is not opened.
    """

    clip: Clip | None
    policy: Policy
    exact: bool
    proxy: str | None = None


def media_of(clip: Clip) -> Media:
    """Return a clip as the media of items."""
    rate, first, frames, drop = count_of(clip.declared)
    return Media(clip.path.stem, rate, str(clip.path), None, first, frames, drop)


def place_of(clip: Clip, canvas: Raster, policy: Policy, shift: tuple[Fraction, Fraction] | None = None) -> Place:
    """Return where a clip's picture lies on a canvas, shares of it: left, top, width, height; may reach beyond."""
    left, top, width, height = _WHOLE
    result = placement(clip.format.raster, canvas, policy) if clip.format is not None else None
    if result is not None and clip.format is not None:
        raster = clip.format.raster
        left, top = float(result.edge_x) / canvas.width, float(result.offset_y) / canvas.height
        width = float(raster.width * result.scale_x) / canvas.width
        height = float(raster.height * result.scale_y) / canvas.height
    if shift is not None:
        left, top = left + float(shift[0]), top + float(shift[1])
    return left, top, width, height


def canvas_words(clip: Clip, canvas: Raster, policy: Policy, shift: tuple[Fraction, Fraction] | None) -> str:
    """Return what becomes of a clip's picture on a canvas of another shape: how much is lost, how much stays black,
    how it is shifted.
    """
    result = placement(clip.format.raster, canvas, policy) if clip.format is not None else None
    if result is None:
        return "fills it as it is"
    texts = [
        f"{percent(float(result.cropped))} of the picture is cropped"
        if result.cropped
        else "all of the picture is seen"
    ]
    if result.unused:
        texts.append(f"{percent(float(result.unused))} of the canvas stays black")
    if shift is not None:
        texts.append(f"shifted by {percent(float(shift[0]))} across and {percent(float(shift[1]))} down")
    return ", ".join(texts)


class _Readers:
    """The last few clips, open: their pictures for one thread and their sound for another."""

    def __init__(self, known: Mapping[str, KnownClip]) -> None:
        self._known = known
        self._pictures: OrderedDict[str, FrameSource] = OrderedDict()
        self._sounds: OrderedDict[str, SoundReader | None] = OrderedDict()
        self._lock = threading.Lock()

    def pictures(self, path: str) -> FrameSource:
        """Return a clip's pictures. Raises `MediaError`."""
        source = self._pictures.pop(path, None)
        if source is None:
            known = self._known.get(path)
            clip = known.clip if known is not None and known.clip is not None else inspect(Path(path))
            source = FrameSource(clip, kept_bytes=_KEPT_BYTES)
        self._pictures[path] = source
        if len(self._pictures) > _OPEN:
            self._pictures.popitem(last=False)[1].close()
        return source

    def sound(self, media: Media) -> ClipSound | None:
        """Return a clip's sound, None where it has none that can be read."""
        path = media.path
        if path is None or path not in self._known:
            return None
        if path not in self._sounds:
            try:
                self._sounds[path] = SoundReader(Path(path), SAMPLE_RATE)
            except QuarryError:
                self._sounds[path] = None
        self._sounds.move_to_end(path)
        if len(self._sounds) > _OPEN:
            old = self._sounds.popitem(last=False)[1]
            if old is not None:
                old.close()
        return self._sounds[path]

    def mixed(self, timeline: Timeline, first: int, count: int) -> NDArray[np.float32]:
        with self._lock:  # one that was told to stop may still be at its last block
            return mixed(timeline, first, count, self.sound)

    def close(self) -> None:
        with self._lock:
            for source in self._pictures.values():
                source.close()
            for sound in self._sounds.values():
                if sound is not None:
                    sound.close()
            self._pictures.clear()
            self._sounds.clear()


def _step(lines: int, height: int) -> int:
    """Return every how manieth line is taken where so many are shown: an even number keeps to one field."""
    return 1 if lines <= 0 or height < 2 * lines else min(4, height // lines // 2 * 2)


class TimelineSource:
    """A timeline as it is now. What is `rendered` (the file and its picture, of a frame) plays as it will be.

    Else each picture is the clip's own where the template's fit puts it on the canvas: a quick look.
    """

    def __init__(
        self,
        timeline: Timeline,
        canvas: Raster,
        fit: str | None,
        known: Mapping[str, KnownClip],
        rendered: Callable[[int], tuple[Path, int] | None] = lambda _frame: None,
    ) -> None:
        self.timeline, self.rate, self.length = timeline, timeline.rate, max(1, timeline.end)
        self.aspect = float(canvas.display_aspect)
        self.heard = any(track.kind == SOUND and track.items for track in timeline.tracks)
        self._canvas, self._fit, self._known, self._rendered = canvas, fit, known, rendered
        self._readers = _Readers(known)

    def seen(self, frame: int, lines: int) -> PlayedPicture:
        result = shown_at(self.timeline, frame)
        results = self._from_render(frame, result, lines)
        if results is not None:
            return results
        if result is None:
            return PlayedPicture(frame, None)
        item, media = result.item, result.item.media
        if item.kind != CLIP or media is None or media.path is None:
            what = NO_MEDIA.get(item.kind, "its clip is not known")
            return PlayedPicture(frame, None, words=f"{item.name}: {what}")
        at, known = str(media.timecode(result.place)), self._known.get(media.path)
        if known is None:
            return PlayedPicture(frame, None, words=f"{item.name}: its clip is not among the job's", media=at)
        stands_in = self._from_proxy(frame, item, known, max(0, result.file_frame), at) if lines else None
        if stands_in is not None:
            return stands_in
        try:
            source = self._readers.pictures(media.path)
            picture = source.frame(max(0, result.file_frame))
        except QuarryError as error:
            return PlayedPicture(frame, None, words=f"{item.name}: {error.what}", media=at)
        if picture is None:
            return PlayedPicture(frame, None, words=f"{item.name}: its file has no such frame", media=at)
        clip = source.clip
        rgb = shown(picture, clip, _step(lines, len(picture.luma)))
        order = (clip.format.field_order or "") if clip.format is not None else ""
        quick = not known.exact or self._fit is not None
        return PlayedPicture(frame, rgb, self._place(clip, known, item), item.name, at, quick, order)

    def _from_render(self, frame: int, result: ShownItem | None, lines: int) -> PlayedPicture | None:
        """Return a frame as it is rendered, None where it is not, or what was rendered is gone."""
        there = self._rendered(frame)
        if there is None:
            return None
        try:
            source = self._readers.pictures(str(there[0]))
            picture = source.frame(there[1])
        except QuarryError:
            return None
        if picture is None:
            return None
        media, fmt = result.item.media if result is not None else None, source.clip.format
        return PlayedPicture(
            frame,
            shown(picture, source.clip, _step(lines, len(picture.luma))),
            words=result.item.name if result is not None else "",
            media=str(media.timecode(result.place)) if media is not None and result is not None else "",
            order=(fmt.field_order or "") if fmt is not None else "",
        )

    def _from_proxy(
        self, frame: int, item: TimelineItem, known: KnownClip, index: int, at: str
    ) -> PlayedPicture | None:
        """Return a frame as its proxy has it: already converted, on the whole canvas."""
        if known.proxy is None or known.clip is None or known.exact or item.speed != 1 or self._fit is not None:
            return None
        source = self._readers.pictures(known.proxy)
        picture = source.frame(int(index / (known.clip.declared.rate or self.rate) * self.rate))
        if picture is None:
            return None
        return PlayedPicture(frame, shown(picture, source.clip), words=f"{item.name}, its proxy", media=at)

    def _place(self, clip: Clip, known: KnownClip, item: TimelineItem) -> Place:
        policy = known.policy
        if self._fit is not None:
            policy = policy.with_parts(fit=self._fit)
        return place_of(clip, self._canvas, policy, item.place)

    def sound(self, first: int, count: int) -> NDArray[np.float32]:
        return self._readers.mixed(self.timeline, first, count)

    def close(self) -> None:
        self._readers.close()


class ClipSource(TimelineSource):
    """A clip by itself, at its own rate and shape."""

    def __init__(self, clip: Clip) -> None:
        media = media_of(clip)
        raster = clip.format.raster if clip.format is not None else Raster(1920, 1080)
        item = TimelineItem(1, clip.path.name, 0, media.frames or 1, CLIP, media, Fraction(media.first))
        super().__init__(_alone(item, media, clip), raster, None, {str(clip.path): KnownClip(clip, Policy(), True)})
        if clip.format is None and clip.declared.display_aspect:
            self.aspect = float(clip.declared.display_aspect)


def _alone(item: TimelineItem, media: Media, clip: Clip) -> Timeline:
    tracks = [Track("picture", "Picture", PICTURE, (item,))] if clip.declared.has_picture else []
    if clip.declared.audio:
        tracks.append(Track("sound", "Sound", SOUND, (item,)))
    return Timeline(media.name, media.rate, media.timecode(media.first), tuple(tracks))
