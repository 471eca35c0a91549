"""Inspecting files: what clips declare, read through PyAV without decoding more than a picture."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.container import InputContainer
from av.error import FFmpegError
from av.video.format import VideoFormat
from av.video.stream import VideoStream

from idle_quarry.errors import MediaError
from idle_quarry.media.clip import Clip
from idle_quarry.media.code_points import MATRICES, PRIMARIES, RANGES, TRANSFERS
from idle_quarry.media.declared import Audio, DeclaredProperties, signal_format
from idle_quarry.media.names import STILL_SUFFIXES, shown_name
from idle_quarry.media.pacing import fixed_rate, is_paced_unevenly
from idle_quarry.media.sequences import run_of, still_header
from idle_quarry.media.streams import streams_of_sound
from idle_quarry.signal.rates import nearest_named_rate

#: BT.2020 with constant luminance is no matrix of R′G′B′: it is named, and no format of this program has it.
#: FFmpeg's AVFieldOrder: progressive 1, tt 2, bb 3, tb 4, bt 5. By the wording of its documentation the second
#: letter is the field shown first; but files (QuickTime 'fiel' 9 and 14, TN2162) and its own decoders mean the first.
_ORDERS = {2: "top", 3: "bottom", 4: "top", 5: "bottom"}


#: Its MXF reader does as documented: tb is a top field first in the file and shown second (ST 377-1, F.5.2,
#: FieldDominance 2).
_ORDERS_MXF = {2: "top", 3: "bottom", 4: "bottom", 5: "top"}


#: D-10 codes lines of blanking above the picture: how many, and the picture's lines (SMPTE ST 356). Of 525 lines it has
#: 7 to 262 and 270 to 525: line 283, the first of 486, is the 28th, and line 263, the last, is not there.
_CODED_BLANKING = {(720, 608): (32, 576), (720, 512): (27, 486)}
_OTHER_ORDER = {"top": "bottom", "bottom": "top"}


_FULL_RANGE_PIXELS = ("yuvj",)


def inspect(path: Path) -> Clip:
    """Return what the clip at `path` declares; a still of a numbered run stands for the whole run.

    Raises `MediaError` with what is wrong: missing, a folder, empty, cut short, or no media at all.
    """
    if not path.exists():
        raise MediaError("no such file", subject=str(path), remedy="check the path")
    if path.is_dir():
        raise MediaError("a folder, not a clip", subject=str(path), remedy="give the clips in it")
    if not path.is_file():
        raise MediaError("not an ordinary file", subject=str(path))
    try:
        if path.stat().st_size == 0:
            raise MediaError("the file is empty", subject=str(path), remedy="copy it again from where it came")
        clip = _inspected(path)
    except (FFmpegError, OSError, ValueError, OverflowError, MemoryError, AssertionError) as error:
        if isinstance(error, PermissionError):
            raise MediaError("this user may not read it", subject=str(path)) from error
        raise MediaError(
            "not readable as media, or cut short", subject=str(path), remedy="play it elsewhere or copy it again"
        ) from error
    return clip


def _inspected(path: Path) -> Clip:
    run = run_of(path) if path.suffix.lower() in STILL_SUFFIXES else None
    options = {"strict": "-2"}
    # an open file is named as such: a name like "concat:..." or "pattern%d" is never interpreted
    with av.open(f"file:{path.absolute()}", mode="r", options=options, metadata_errors="replace") as container:
        heard = streams_of_sound(container)
        if not container.streams.video and not heard:
            raise MediaError("it has neither pictures nor sound", subject=str(path))
        audio = tuple(
            Audio(s.codec_context.channels, _layout(s), s.codec_context.sample_rate, _sound_bits(s)) for s in heard
        )
        if not container.streams.video:
            declared = _sound_only(container, audio)
        else:
            declared = _with_picture(container, container.streams.video[0], audio, path)
    name = shown_name(path)
    if run is not None:
        head = still_header(path)
        several = len(run.numbers) > 1
        name = run.label if several else name
        declared = replace(
            declared,
            rate=head.rate,
            timecode=head.timecode or declared.timecode,
            frames=len(run.numbers),
            duration_s=float(len(run.numbers) / head.rate) if head.rate else None,
            gaps=run.gaps,
        )
    elif path.suffix.lower() in STILL_SUFFIXES:
        declared = replace(declared, rate=still_header(path).rate, frames=1, duration_s=None)
    return Clip(path, name, declared, signal_format(declared))


def _sound_only(container: InputContainer, audio: tuple[Audio, ...]) -> DeclaredProperties:
    stream = streams_of_sound(container)[0]
    return DeclaredProperties(
        width=0,
        height=0,
        sample_aspect=Fraction(1),
        rate=None,
        scan="unknown",
        field_order=None,
        pixel_format="",
        bit_depth=0,
        sampling="",
        primaries=None,
        transfer=None,
        matrix=None,
        range=None,
        codec=stream.codec_context.name,
        profile=None,
        container=container.format.name,
        timecode=None,
        drop_frame=None,
        frames=None,
        duration_s=_duration(container),
        audio=audio,
    )


def _with_picture(
    container: InputContainer, stream: VideoStream, audio: tuple[Audio, ...], path: Path
) -> DeclaredProperties:
    context = stream.codec_context
    pixel = context.format if context is not None else None
    if pixel is None or not context.width or not context.height:
        raise MediaError("its pictures cannot be understood", subject=str(path))
    uneven = path.suffix.lower() not in STILL_SUFFIXES and is_paced_unevenly(stream)
    scan, order = _scan(container, stream)
    rate = _rate(stream, scan)
    if uneven and stream.average_rate:
        rate = fixed_rate(float(stream.average_rate))
    timecode = _timecode(container, stream)
    drop = None
    if timecode is not None:
        drop = ";" in timecode
    aspect = stream.sample_aspect_ratio or context.sample_aspect_ratio
    if path.suffix.lower() in STILL_SUFFIXES or not aspect or aspect <= 0:
        aspect = Fraction(1)
    blanking, height = 0, context.height
    if context.name == "mpeg2video":
        blanking, height = _CODED_BLANKING.get((context.width, context.height), (0, context.height))
    if blanking % 2 and order is not None:
        order = _OTHER_ORDER[order]  # the picture begins in the other field
    aspect = Fraction(aspect) * height / context.height
    rotation = _rotation(container, stream, scan)
    width = context.width
    if rotation in (90, 270):
        width, height, aspect = height, width, 1 / aspect
    duration = _duration(container)
    frames = stream.frames or None
    shown_s = _shown_seconds(container, stream, duration)
    if rate and shown_s and (uneven or frames is None or round(shown_s * rate) < frames):  # an edit list hides some
        frames = max(1, round(shown_s * rate))
    return DeclaredProperties(
        width=width,
        height=height,
        sample_aspect=aspect,
        rate=rate,
        scan=scan,
        field_order=order,
        pixel_format=pixel.name,
        bit_depth=_picture_bits(stream, pixel),
        sampling=_sampling(pixel),
        primaries=PRIMARIES.get(int(context.color_primaries or 0)),
        transfer=TRANSFERS.get(int(context.color_trc or 0)),
        matrix="rgb" if pixel.is_rgb else MATRICES.get(int(context.colorspace or 0)) if context.colorspace else None,
        range="full" if pixel.name.startswith(_FULL_RANGE_PIXELS) else RANGES.get(int(context.color_range or 0)),
        codec=context.name,
        profile=context.profile,
        container=container.format.name,
        timecode=timecode,
        drop_frame=drop,
        frames=frames,
        duration_s=duration,
        audio=audio,
        blanking=blanking,
        uneven=stream.frames if uneven else 0,
        rotation=rotation,
        alpha=_ALPHA.get(context.name, "unknown") if any(part.is_alpha for part in pixel.components) else None,
    )


def _shown_seconds(container: InputContainer, stream: VideoStream, duration: float | None) -> float | None:
    """Return how long the pictures of a stream are: what it says itself, else its container less what lies before
    the first.
    """
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    ends = re.fullmatch(r"(\d+):(\d\d):(\d\d(?:\.\d+)?)", stream.metadata.get("DURATION", ""))  # of Matroska: its end
    if ends:
        duration = int(ends[1]) * 3600 + int(ends[2]) * 60 + float(ends[3])
    if duration is None or stream.start_time is None or not stream.time_base:
        return duration
    before = float(stream.start_time * stream.time_base) - (container.start_time or 0) / 1e6
    return max(0.0, duration - max(0.0, before))


#: How codecs and still formats keep pictures beside their alpha: RDD 36, PNG (straight); OpenEXR (premultiplied).
_ALPHA = {"prores": "straight", "png": "straight", "exr": "premultiplied", "ffv1": "unknown", "qtrle": "unknown"}


def _rotation(container: InputContainer, stream: VideoStream, scan: str) -> int:
    """Return by how many degrees clockwise pictures are turned to be shown: a display matrix of QuickTime and its like.

    Fields are never turned: lines would become columns.
    """
    if "mp4" not in container.format.name or scan == "interlaced":
        return 0
    try:
        container.seek(0)
        frame = next(iter(container.decode(stream)), None)
    except (FFmpegError, OSError):
        return 0
    turned = round(-frame.rotation) % 360 if frame is not None else 0
    return turned if turned in (90, 180, 270) else 0


def _duration(container: InputContainer) -> float | None:
    return container.duration / 1e6 if container.duration and container.duration > 0 else None


def _rate(stream: VideoStream, scan: str) -> Fraction | None:
    """Return frames a second; field counts that some headers give for interlaced pictures are halved."""
    rate = stream.base_rate or stream.average_rate or stream.guessed_rate
    average = stream.average_rate
    if rate and average and rate / average > Fraction(3, 2):
        rate = average  # a clock of fields, or of the finest interval, is not the rate of pictures
    if not rate or rate <= 0 or rate > 1000:
        return None
    exact = Fraction(rate)
    return nearest_named_rate(exact) or exact


def _scan(container: InputContainer, stream: VideoStream) -> tuple[str, str | None]:
    """Return scan and field order from the stream's header, or from its first picture's flags."""
    order = int(stream.codec_context.field_order or 0)
    if order == 1:
        return "progressive", None
    if order in _ORDERS:
        return "interlaced", (_ORDERS_MXF if container.format.name == "mxf" else _ORDERS)[order]
    if stream.codec_context.name in ("dvvideo",):
        return _first_picture(container, stream, "bottom")
    if stream.codec_context.name in ("mpeg2video", "mpeg1video", "h264", "hevc", "vc1", "dnxhd", "prores", "jpeg2000"):
        return _first_picture(container, stream, None)
    return "unknown", None


def _first_picture(container: InputContainer, stream: VideoStream, default_order: str | None) -> tuple[str, str | None]:
    try:
        frame = next(iter(container.decode(stream)), None)
    except FFmpegError:
        return "unknown", None
    if frame is None:
        return "unknown", None
    return ("interlaced", default_order) if frame.interlaced_frame else ("progressive", None)


def _timecode(container: InputContainer, stream: VideoStream) -> str | None:
    # an MPEG-2 picture stream brings the timecode of its GOP headers, which often forgets the count
    beside = [other.metadata for other in container.streams if other.type == "data"]
    tagged = (
        text
        for metadata in (container.metadata, *beside, stream.metadata)
        for key, text in metadata.items()
        if key.casefold() == "timecode"  # Matroska's keys are in capitals
    )
    result = next((text for text in tagged if text), None)
    if not result or len(result) > 20:
        return None
    text = result.strip()
    # the mark before the frames says the count; dots and commas are other hands' semicolons
    return text[:-3] + (";" if text[-3] in ";,." else ":") + text[-2:] if len(text) >= 11 else text


def _picture_bits(stream: VideoStream, pixel: VideoFormat) -> int:
    raw = stream.codec_context.bits_per_coded_sample
    bits = max((component.bits for component in pixel.components), default=8)
    if stream.codec_context.name in ("dpx",) and raw in (8, 10, 12, 16):
        return int(raw)
    return bits


def _sampling(pixel: VideoFormat) -> str:
    if pixel.is_rgb or len(pixel.components) < 3:
        return "4:4:4" if pixel.is_rgb else "4:0:0"
    chroma = pixel.components[1]
    across = chroma.width < pixel.width if pixel.width else pixel.chroma_width(64) < 64
    down = chroma.height < pixel.height if pixel.height else pixel.chroma_height(64) < 64
    if across and not down and pixel.chroma_width(64) == 16:
        return "4:1:1"
    return "4:2:0" if across and down else "4:2:2" if across else "4:4:0" if down else "4:4:4"


def _layout(stream: Any) -> str:
    """Return the layout's name; files that only count channels get the name people give that count."""
    context = stream.codec_context
    name = str(context.layout.name)
    return {1: "mono", 2: "stereo", 6: "5.1"}.get(context.channels, name) if name.endswith("channels") else name


def _sound_bits(stream: Any) -> int | None:
    context = stream.codec_context
    if context.name.startswith("pcm_") and context.format is not None:
        raw = context.name.removeprefix("pcm_").lstrip("sfu")[:2]
        return int(raw) if raw.isdecimal() else 8 if raw[:1] == "8" else int(context.format.bits)
    if context.name in ("flac", "alac", "wavpack", "truehd"):
        return int(context.format.bits) if context.format is not None else None
    return None
