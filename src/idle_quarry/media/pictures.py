"""Pictures of a clip as arrays: windows of neighbouring frames, read from anywhere in it, damage counted."""

from __future__ import annotations

import contextlib
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.container import InputContainer
from av.error import FFmpegError
from av.packet import Packet
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from idle_quarry.errors import MediaError
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.gop import FrameTimecode, gop_timecode, timecode_text
from idle_quarry.media.names import STILL_SUFFIXES
from idle_quarry.media.planes import Plane, planes_of, square_pixels
from idle_quarry.media.sequences import run_of

#: A file of which this many packets in a row cannot be decoded is given up at that place.
_MOST_DAMAGE = 200
#: Headers of a coded MPEG-2 picture lie in so many bytes.
_HEADERS = 512
#: Containers whose time stamps stand at packs, not at pictures: after a jump, small pictures that share a pack are
#: counted wrongly.
_PACKED = ("mpeg", "mpegts", "mpegvideo", "h264", "hevc")
#: Files of those up to so many bytes are read through once, so that their pictures are known again; in larger ones each
#: has its pack.
_READ_THROUGH = 256 << 20
#: After so many key pictures without a timecode of their own a clip is taken to have none.
_UNTIMED = 12
#: Frames before the one asked for that are given rather than decoded for nothing.
_NEAR = 12


@dataclass(frozen=True)
class Picture:
    """One decoded frame. `index` counts frames from the clip's first; planes are code values of `bits` bits.

    `luma` is (h, w); `chroma` (C′B, C′R), each (h', w') by the sampling, None for monochrome; `rgb` is (h, w, 3)
    where the file holds R′G′B′, whose luma is computed. `timecode` is the frame's own.
    """

    index: int
    seconds: float
    luma: Plane
    chroma: tuple[Plane, Plane] | None
    rgb: Plane | None
    bits: int
    interlaced: bool
    timecode: FrameTimecode | None = None
    colour: str = ""  #: what the frame itself says of its matrix, range, primaries and transfer, by H.273's numbers

    @property
    def kind(self) -> tuple[str, str, str]:
        """Raster, bits and colour in words: a clip whose frames differ in them becomes another on its way."""
        height, width = self.luma.shape
        return f"{width} × {height}", f"{self.bits} bits", self.colour


class Reader:
    """An open clip. Use it as a context; not to be shared between threads.

    Raises `MediaError` where the clip cannot be opened or has no pictures.
    """

    def __init__(self, path: Path, declared: DeclaredProperties, *, threads: int = 0) -> None:
        if not declared.has_picture:
            raise MediaError("it has no pictures", subject=str(path))
        self.path = path
        self.rate = declared.rate or Fraction(25)
        self.damaged = 0
        self._laid_out = (declared.blanking, declared.rotation)
        self._threads = threads
        self._container: InputContainer | None = None
        self._stills: list[Path] = []
        if path.suffix.lower() in STILL_SUFFIXES:
            run = run_of(path)
            self._stills = [run.folder / run.file_name(n) for n in run.numbers] if run else [path]
            self.frames: int | None = len(self._stills)
        else:
            self.frames = declared.frames
        self._at_start = False
        self._untimed = 0  #: key pictures without a timecode of their own, in a row
        self._numbers: dict[int, int] | None = None  #: of coded key pictures, by their content

    def __enter__(self) -> Reader:
        if not self._stills:
            self._open()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        if self._container is not None:
            self._container.close()
            self._container = None

    def _open(self) -> None:
        self.close()
        try:
            self._container = av.open(
                f"file:{self.path.absolute()}", options={"strict": "-2"}, metadata_errors="replace"
            )
        except (FFmpegError, OSError, ValueError) as error:
            raise MediaError("not readable as media, or cut short", subject=str(self.path)) from error
        self._stream: VideoStream = self._container.streams.video[0]
        self._stream.thread_type = "AUTO"
        if self._threads:
            self._stream.codec_context.thread_count = self._threads
        self._origin = self._stream.start_time  # None for streams without a container: the first picture says it
        self._at_start = True

    def window(self, first: int, count: int) -> Iterator[Picture]:
        """Yield up to `count` neighbouring frames from at or a few before frame `first`.

        Decoding begins where the codec lets it; what lies more than `_NEAR` frames before `first` is not yielded.
        Damaged pictures are counted in `damaged` and passed over: indices then jump.
        """
        given = 0
        for picture in self.onward(first):
            if picture.index < first - _NEAR:
                continue
            yield picture
            given += 1
            if given >= count:
                return

    def onward(self, first: int) -> Iterator[Picture]:
        """Yield pictures from at or before frame `first` to the end.

        Files without an index may have to be read from earlier.

        Whoever asks again has no use of what was yielded before.
        """
        if self._stills:
            yield from self._stills_window(first, len(self._stills))
            return
        for back in (0, 20, 100):
            if first - back <= 0:
                break
            self._seek(first - back)
            pictures = self._decoded(jumped=not self._at_start)
            head = next(pictures, None)
            if head is not None and head.index <= first:
                yield head
                yield from pictures
                return
        if not self._at_start:
            self._open()
        yield from self._decoded(jumped=False)

    def _seek(self, first: int) -> None:
        assert self._container is not None
        base = self._stream.time_base or Fraction(1, 90000)
        target = (self._origin or 0) + int(first / self.rate / base)
        try:
            self._container.seek(target, stream=self._stream, backward=True)
        except (FFmpegError, OSError):
            self._open()  # no index: from the beginning
            return
        self._at_start = False

    def _decoded(self, *, jumped: bool) -> Iterator[Picture]:
        """Yield pictures as they are shown; frames are counted on from the time stamp of the first."""
        assert self._container is not None
        self._at_start = False
        whole = not jumped  # after a jump, pictures before the first whole one lean on what was not read
        known = self._known_keys() if jumped else None
        shown: dict[int, int] = {}  # time stamp of a coded key picture → its number
        index: int | None = None
        bad = 0
        groups: dict[int, FrameTimecode | None] = {}  # time stamp of a coded picture → its group's timecode
        try:
            for packet in self._packets():
                if self._stream.codec_context.name == "mpeg2video" and packet.pts is not None:
                    groups[packet.pts] = gop_timecode(bytes(packet)[:_HEADERS])
                if known is not None and index is None and packet.is_keyframe and packet.pts is not None:
                    shown[packet.pts] = known.get(zlib.crc32(bytes(packet)), -1)
                try:
                    decoded = packet.decode()
                except FFmpegError:
                    self.damaged += 1
                    bad += 1
                    if bad >= _MOST_DAMAGE:
                        return
                    continue
                for frame in decoded:
                    whole = whole or bool(frame.key_frame)
                    if not whole:
                        continue
                    if index is not None:
                        index += 1
                    elif known is None:
                        index = self._index(frame)
                    else:
                        index = shown.get(frame.pts if frame.pts is not None else -1, -1)
                        if index < 0:
                            return  # one like others: it must be reached from the start
                    if frame.is_corrupt:
                        self.damaged += 1
                        continue
                    bad = 0
                    timecode = self._own_timecode(frame, groups)
                    yield _picture(frame, index, self._seconds(frame, index), timecode, *self._laid_out)
        except FFmpegError:
            self.damaged += 1

    def _known_keys(self) -> dict[int, int] | None:
        """Return the numbers of key pictures by their content, those of which there is one.

        None where time stamps are right.
        """
        assert self._container is not None
        packed = self._container.format.name in _PACKED
        if self._numbers is None and packed and self.path.stat().st_size <= _READ_THROUGH:
            self._numbers = _key_numbers(self.path)
        return self._numbers if packed else None

    def _packets(self) -> Iterator[Packet[VideoStream]]:
        assert self._container is not None
        try:
            yield from self._container.demux(self._stream)
        except IndexError:  # a stream that turns up on the way in a damaged file: PyAV does not find it among its own
            self.damaged += 1

    def _own_timecode(self, frame: VideoFrame, groups: dict[int, FrameTimecode | None]) -> FrameTimecode | None:
        if not frame.key_frame or frame.pts is None:
            return None
        if self._stream.codec_context.name == "h264":
            # PyAV ties a frame whose side data was read into a cycle with its pixels: only key frames of this codec,
            # and no more where the first of them have none
            if self._untimed >= _UNTIMED:
                return None
            timecode = timecode_text(frame)
            self._untimed = self._untimed + 1 if timecode is None else 0
            return timecode
        return groups.get(frame.pts)

    def _seconds(self, frame: VideoFrame, index: int) -> float:
        if frame.pts is None:
            return index / float(self.rate)
        if self._origin is None:
            self._origin = frame.pts
        return float((frame.pts - self._origin) * (self._stream.time_base or Fraction(1, 90000)))

    def _index(self, frame: VideoFrame) -> int:
        return max(0, round(self._seconds(frame, 0) * float(self.rate)))

    def _stills_window(self, first: int, count: int) -> Iterator[Picture]:
        for index in range(max(0, first), min(len(self._stills), first + count)):
            try:
                with av.open(f"file:{self._stills[index].absolute()}", options={"strict": "-2"}) as container:
                    frame = next(iter(container.decode(video=0)))
            except (FFmpegError, OSError, ValueError, StopIteration):
                self.damaged += 1
                continue
            yield _picture(frame, index, index / float(self.rate))


def _key_numbers(path: Path) -> dict[int, int]:
    """Return the number, as shown, of each key picture of a file that no other is like, by the CRC-32 of what is
    coded.
    """
    keys: list[tuple[int, int]] = []
    stamps: list[int] = []
    with av.open(f"file:{path.absolute()}", options={"strict": "-2"}, metadata_errors="replace") as container:
        stream = container.streams.video[0]
        with contextlib.suppress(FFmpegError, IndexError):
            for packet in container.demux(stream):
                if packet.pts is None:
                    continue
                stamps.append(packet.pts)
                if packet.is_keyframe:
                    keys.append((zlib.crc32(bytes(packet)), packet.pts))
    order = {stamp: number for number, stamp in enumerate(sorted(stamps))}
    often = Counter(content for content, _ in keys)
    return {content: order[stamp] for content, stamp in keys if often[content] == 1}


def _picture(
    frame: VideoFrame,
    index: int,
    seconds: float,
    timecode: FrameTimecode | None = None,
    blanking: int = 0,
    rotation: int = 0,
) -> Picture:
    luma, chroma, rgb, bits = planes_of(frame, blanking)
    if rotation:
        quarters = -rotation // 90
        luma, rgb = np.rot90(luma, quarters), None if rgb is None else np.rot90(rgb, quarters)
        if chroma is not None:
            chroma = tuple(square_pixels(np.rot90(plane, quarters), luma.shape) for plane in chroma)  # type: ignore[assignment]
    return Picture(
        index=index,
        seconds=seconds,
        luma=luma,
        chroma=chroma,
        rgb=rgb,
        bits=bits,
        interlaced=bool(frame.interlaced_frame),
        timecode=timecode,
        colour=_colour(frame),
    )


def _colour(frame: VideoFrame) -> str:
    """Return what a frame says of its colour; names where FFmpeg has them."""
    data = [getattr(frame, name, None) for name in ("color_primaries", "color_trc", "colorspace", "color_range")]
    return "/".join(str(int(item)) for item in data if item is not None)
