"""A clip converted and coded, frame by frame: pictures by a link, sound with them, timecode; whole or not at all."""

from __future__ import annotations

import contextlib
import math
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import MediaError, NotPossible, QuarryError
from idle_quarry.media.clip import Clip
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.material import Material, clip_material
from idle_quarry.media.sounds import SoundReader
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import Codec
from idle_quarry.path.steps.pacing import speed_of
from idle_quarry.picture.link import Conversion
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode, can_drop, start_timecode
from idle_quarry.signal.words import format_words

#: Hears how many frames are written, of how many, and the speed in multiples of real time; it may raise to stop.
OnProgress = Callable[[int, int, float], None]


@dataclass(frozen=True)
class ConversionTarget:
    """What a clip is to become: format, codec, how it is converted, the pulldown taken out of it, and how its sound
    is kept.
    """

    format: SignalFormat
    codec: Codec
    policy: Policy
    cadence: str = ""
    sample_rate: int = 48000
    sound_bits: int = 24
    drop: bool = False


@dataclass(frozen=True)
class ConvertedClip:
    """What became of it: the file, the format that it holds, frames, first timecode, channels of sound, seconds it
    took.
    """

    path: Path
    format: SignalFormat
    frames: int
    start: Timecode | None
    channels: int
    seconds: float


def convert(
    clip: Clip,
    wanted: ConversionTarget,
    path: Path,
    on_progress: OnProgress | None = None,
    span: tuple[Fraction, Fraction] | None = None,
) -> ConvertedClip:
    """Convert a clip into `path`, which appears when it is whole; where it is stopped or fails, nothing is left.

    `span` are the seconds of the clip from which to which it is converted, all of it where there is none: the frames
    are those that the whole has there, with its sound and timecode.

    Raises `NotPossible` where the codec cannot hold the format, its containers have another suffix, or something is
    there, and `MediaError` where the clip cannot be read or the disk refuses.
    """
    why = cannot_hold(wanted.codec, wanted.format)
    if why:
        raise NotPossible(f"{wanted.codec.name} cannot hold it: {why[0]}", subject=format_words(wanted.format))
    suffixes = tuple(f".{container}" for container in wanted.codec.containers)
    if path.suffix not in suffixes:
        raise NotPossible(
            f"{wanted.codec.name} is not kept in such a file",
            subject=path.name,
            remedy=f"name it {' or '.join(suffixes)}",
        )
    if wanted.codec.one_picture_a_file:
        path = (
            path if path.stem.rpartition(".")[2].isdigit() else path.with_suffix("") / f"{path.stem}.0001{path.suffix}"
        )
    final = path.parent if wanted.codec.one_picture_a_file else path
    if final.exists():
        raise NotPossible("is there already", subject=str(final), remedy="give another name, or remove it")
    begun = time.monotonic()
    material = clip_material(clip, wanted.cadence, onward=True)
    with contextlib.closing(material), contextlib.ExitStack() as stack:
        fmt = encoder_pixels(wanted.codec, wanted.format).format
        conversion = Conversion(material.format, fmt, wanted.policy)
        frames, faster = frames_and_speed(material, fmt, wanted.policy)
        sound = _sound_of(clip, wanted, faster)
        if sound is not None:
            stack.enter_context(sound)
        channels = 0 if sound is None or wanted.codec.one_picture_a_file else sound.channels
        begin, end = 0, frames
        if span is not None:
            begin = max(0, min(frames - 1, math.floor(span[0] / faster * fmt.rate)))
            end = max(begin + 1, min(frames, math.ceil(span[1] / faster * fmt.rate)))
        start = start_of(clip, fmt, wanted.drop)
        start = start + begin if start is not None else None
        writer = stack.enter_context(
            ClipWriter(
                path,
                wanted.codec,
                wanted.format,
                start=start,
                sound=WrittenSound(channels, wanted.sample_rate, wanted.sound_bits),
                noted="clip",
            )
        )
        # one picture is coded while the next is converted: an encoder has threads of its own
        coder = stack.enter_context(ThreadPoolExecutor(1, thread_name_prefix="quarry coder"))
        ahead: Future[None] | None = None
        for index in range(begin, end):
            codes = conversion.codes(index, material.frame)
            first, last = (int(n * wanted.sample_rate / fmt.rate) for n in (index, index + 1))
            samples: NDArray[np.int32] | None = (
                sound.samples(first, last - first) if channels and sound is not None else None
            )
            if ahead is not None:
                ahead.result()
            ahead = coder.submit(writer.write, codes, samples)
            if on_progress is not None:
                done = index + 1 - begin
                on_progress(done, end - begin, float(done) / float(fmt.rate) / max(1e-6, time.monotonic() - begun))
        if ahead is not None:
            ahead.result()
        writer.finish()
    return ConvertedClip(path, fmt, end - begin, start, channels, time.monotonic() - begun)


def frames_and_speed(material: Material, target: SignalFormat, policy: Policy) -> tuple[int, Fraction]:
    """Return how many frames of `target` a material gives, and how much faster it runs: 1 but where its speed is
    changed.
    """
    seconds, faster = material.frames / material.format.rate, speed_of(material.format, target, policy)
    return max(1, int(seconds / faster * target.rate)), faster


def _sound_of(clip: Clip, wanted: ConversionTarget, faster: Fraction) -> SoundReader | None:
    """Return the clip's sound, read at such a rate that at the wanted one it runs as fast as the pictures.

    Its pitch goes along.
    """
    if not clip.declared.audio:
        return None
    with contextlib.suppress(MediaError):
        return SoundReader(clip.path, round(wanted.sample_rate / faster))
    return None


def start_of(clip: Clip, fmt: SignalFormat, drop: bool = False) -> Timecode | None:
    """Return the clip's first timecode as `fmt` counts: the same number where rates agree, else the same time of
    day; None without one.
    """
    declared = clip.declared
    if not declared.timecode:
        return None
    was = declared.rate or fmt.rate
    try:
        own = start_timecode(declared.timecode, bool(declared.drop_frame) and can_drop(was), was)
    except QuarryError:
        return None
    return own if own.rate == fmt.rate else own.converted(fmt.rate, drop and can_drop(fmt.rate))


def words_of(converted: ConvertedClip) -> dict[str, Any]:
    """Return what was made under the keys of the command line."""
    return {
        "file": str(converted.path),
        "format": format_words(converted.format),
        "frames": converted.frames,
        "start": None if converted.start is None else str(converted.start),
        "channels": converted.channels,
        "seconds": round(converted.seconds, 2),
    }
