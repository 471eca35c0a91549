"""A job's timeline as what a delivery is made of: its pictures in the working format, and its sound by the
delivery's layout.
"""

from __future__ import annotations

import contextlib
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import av
import numpy as np
from av.error import FFmpegError
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible, QuarryError
from idle_quarry.jobs.cutting.at_frame import SAMPLE_RATE, ClipSound, mixed
from idle_quarry.jobs.cutting.timeline import SOUND, Media, Timeline, Track
from idle_quarry.jobs.renders.making import RecipePictures
from idle_quarry.jobs.renders.pieces import PieceState
from idle_quarry.jobs.renders.status import PieceStatus, Programme, TimelineStatus, stood
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.material import ClipMaterial
from idle_quarry.media.sounds import SoundReader
from idle_quarry.path.entries.sound import SoundLayout
from idle_quarry.path.template import Template
from idle_quarry.path.voice import ffmpeg_filters
from idle_quarry.picture.planes import Planes
from idle_quarry.picture.strips import give_back

#: Pieces that are open at once: where one ends and the next begins both are asked for.
_OPEN = 2
#: Roles of tracks that are music and effects, and that are dialogue.
_EFFECTS, _DIALOGUE = ("effects", "ambience", "music"), ("dialogue",)
#: The order of a mix's channels.
_POSITIONS = ("left", "right", "centre", "LFE", "left surround", "right surround")
#: Samples that a voice chain may hold back at the most before it counts as silent.
_HELD_BACK = SAMPLE_RATE
Samples = NDArray[np.float32]


class TimelineMaterial:
    """The pictures of a timeline, any of them, as they are rendered, or made as they would be. Use `close`.

    Raises `NotPossible` where a piece cannot be made.
    """

    def __init__(self, programme: Programme, store: RenderStore | None) -> None:
        if programme.timeline is None or not programme.timeline.end:
            raise NotPossible(
                programme.why or "shows nothing yet", subject=programme.name, remedy="lay clips onto it in Trial"
            )
        failed = [piece for piece in programme.pieces if piece.state == PieceState.FAILED]
        if failed:
            first = programme.timeline.timecode(failed[0].first)
            more = f", and {len(failed) - 1} more" if len(failed) > 1 else ""
            raise NotPossible(f"cannot be made at {first}: {failed[0].text}{more}", subject=programme.name)
        self.name, self.frames = programme.name, programme.timeline.end
        self.format = encoder_pixels(programme.canvas.codec, programme.canvas.format).format
        self.key = ""
        self.chart: str | None = None
        self._pieces = TimelineStatus([stood(piece, store, {}) for piece in programme.pieces])
        self._open: OrderedDict[int, ClipMaterial | RecipePictures] = OrderedDict()

    def frame(self, index: int) -> Planes:
        """Return picture `index`, or the nearest there is, as planes of `format`.

        Raises `QuarryError` where it cannot be made.
        """
        index = min(max(index, 0), self.frames - 1)
        there = self._pieces.at(index)
        if there is None:
            raise NotPossible("has no picture there", subject=f"{self.name}, frame {index}")
        source, number = self._source(there), index - there.piece.first
        planes: Planes = source.frame(number) if isinstance(source, ClipMaterial) else source.planes(number)
        return planes

    def _source(self, there: PieceStatus) -> ClipMaterial | RecipePictures:
        first = there.piece.first
        source: ClipMaterial | RecipePictures | None = self._open.pop(first, None)
        if source is None:
            if there.state == PieceState.RENDERED and there.rendered is not None:
                source = ClipMaterial(replace(inspect(there.rendered.path), format=self.format), onward=True)
            else:
                assert there.piece.recipe is not None
                source = RecipePictures(there.piece.recipe).__enter__()
        self._open[first] = source
        if len(self._open) > _OPEN:
            _close(self._open.popitem(last=False)[1])
        return source

    def close(self) -> None:
        for source in self._open.values():
            _close(source)
        self._open.clear()


def _close(source: ClipMaterial | RecipePictures) -> None:
    if isinstance(source, ClipMaterial):
        source.close()
    else:
        source.__exit__()
    give_back()


# -- sound -------------------------------------------------------------------------------------------------------------


class _Voice:
    """A track's sound through its voice chain, from its beginning on; `source` gives the track's own from a sample on.

    A chain that looks ahead (a limiter does) is fed as much more as it holds back: nothing is late, and nothing lacks.
    """

    def __init__(self, filters: str, channels: int, source: Callable[[int, int], Samples]) -> None:
        self._source, self._channels = source, channels
        self._layout = {2: "stereo", 6: "5.1"}[channels]
        self._at, self._out = 0, np.zeros((0, channels), np.float32)
        self._graph = av.filter.Graph()
        self._graph.threads = 1
        last = self._graph.add_abuffer(
            sample_rate=SAMPLE_RATE, format="flt", layout=self._layout, time_base=Fraction(1, SAMPLE_RATE)
        )
        for part in filters.split(","):
            name, _, arguments = part.partition("=")
            node = self._graph.add(name, arguments)
            last.link_to(node)
            last = node
        form = f"sample_fmts=flt:sample_rates={SAMPLE_RATE}:channel_layouts={self._layout}"
        formatted = self._graph.add("aformat", form)
        last.link_to(formatted)
        sink = self._graph.add("abuffersink")
        formatted.link_to(sink)
        self._graph.configure()

    def take(self, count: int) -> Samples:
        """Return the next samples; silence where the chain gives none."""
        fed = 0
        while len(self._out) < count and fed < count + _HELD_BACK:
            more = count if not fed else _HELD_BACK // 10
            self._push(self._source(self._at, more))
            fed += more
        result = np.zeros((count, self._channels), np.float32)
        samples = self._out[:count]
        result[: len(samples)] = samples
        self._out = self._out[len(samples) :]
        return result

    def _push(self, samples: Samples) -> None:
        flat = np.ascontiguousarray(samples, np.float32).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(flat, format="flt", layout=self._layout)
        frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, self._at, Fraction(1, SAMPLE_RATE)
        self._at += len(samples)
        self._graph.push(frame)
        parts = [self._out]
        with contextlib.suppress(FFmpegError, BlockingIOError, EOFError):
            while True:
                pulled = self._graph.pull()
                parts.append(np.asarray(pulled.to_ndarray(), np.float32).reshape(-1, self._channels))
        self._out = np.concatenate(parts)


class Mix:
    """The sound of a timeline by a layout's channels, at 48 kHz, taken from its beginning on.

    Each track through its voice chain.

    What carries music and effects has the tracks of those roles, what carries dialogue that of dialogue; what no track
    has is silent.
    """

    def __init__(self, timeline: Timeline, template: Template, layout: SoundLayout) -> None:
        self._timeline, self._layout = timeline, layout
        self.width = 6 if len(layout.positions()) >= 6 else 2
        wanted = next((item for item in template.timelines if item.name == timeline.name), None)
        planned = {track.name: track for track in (wanted.tracks if wanted is not None else ())}
        self._tracks = [track for track in timeline.tracks if track.kind == SOUND and track.enabled and track.items]
        self._roles = {
            track.ident: planned[track.name].role if track.name in planned else "mix" for track in self._tracks
        }
        self._voices = {
            track.ident: _Voice(ffmpeg_filters(planned[track.name].voice), self.width, partial(self._heard, track))
            for track in self._tracks
            if track.name in planned and planned[track.name].voice
        }
        self._sounds: dict[str, SoundReader | None] = {}
        self.length = round(timeline.end / timeline.rate * SAMPLE_RATE)

    def __enter__(self) -> Mix:
        return self

    def __exit__(self, *_what: object) -> None:
        for reader in self._sounds.values():
            if reader is not None:
                reader.close()

    def _sound(self, media: Media) -> ClipSound | None:
        path = media.path or ""
        if path not in self._sounds:
            try:
                self._sounds[path] = SoundReader(Path(path), SAMPLE_RATE)
            except QuarryError:
                self._sounds[path] = None
        return self._sounds[path]

    def _heard(self, track: Track, first: int, count: int) -> Samples:
        """Return a track's own sound."""
        return mixed(replace(self._timeline, tracks=(track,)), first, count, self._sound, self.width)

    def blocks(self, size: int = SAMPLE_RATE) -> Iterator[Samples]:
        """Yield the sound, (count, channels of the layout), block by block."""
        for first in range(0, self.length, size):
            count = min(size, self.length - first)
            contents: dict[str, Samples] = {}
            for track in self._tracks:
                voice = self._voices.get(track.ident)
                heard = voice.take(count) if voice is not None else self._heard(track, first, count)
                for content in self._contents(self._roles[track.ident]):
                    contents[content] = contents[content] + heard if content in contents else heard
            yield self._laid_out(contents, count)

    def _contents(self, role: str) -> list[str]:
        return [
            "full mix",
            *(["music and effects"] if role in _EFFECTS else []),
            *(["dialogue"] if role in _DIALOGUE else []),
        ]

    def _laid_out(self, contents: dict[str, Samples], count: int) -> Samples:
        result = np.zeros((count, len(self._layout.channels)), np.float32)
        for number, channel in enumerate(self._layout.channels):
            heard = contents.get(channel.carries)
            if heard is None:
                continue
            if channel.at == "mono":  # BS.775: both at −3 dB
                result[:, number] = (heard[:, 0] + heard[:, 1]) * np.float32(np.sqrt(0.5))
            else:
                place = _POSITIONS.index(channel.at)
                result[:, number] = heard[:, place] if place < heard.shape[1] else 0
        return result
