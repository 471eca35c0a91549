"""A whole file as one value: what its pictures and its sound are, found in one go and kept by the file's content."""

from __future__ import annotations

import contextlib
import hashlib
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

from pydantic import TypeAdapter
from pydantic.dataclasses import dataclass

from idle_quarry.errors import MediaError
from idle_quarry.files import sha256_of, written_whole
from idle_quarry.media.captions.coded import coded_captions
from idle_quarry.media.clip import Clip
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.measurement.sync import Parting, flash_and_pip
from idle_quarry.media.whole.layout import PROGRAMME, LayoutItem, items_of
from idle_quarry.media.whole.picture_measurement import PictureMeasurement
from idle_quarry.media.whole.pictures import pictures_of
from idle_quarry.media.whole.sound import SoundMeasurement, SoundSpan, sound_of, tone_spans
from idle_quarry.places import memory_folder

#: Counts up whenever measurement answers differently: what an earlier one found is measured again.
MEASUREMENT = 6
#: A test of sync flashes at least so often in a second.
_FLASHES = 0.5
#: Hears what is under way and the share that is done; it may raise to stop.
OnProgress = Callable[[str, float], None]


@dataclass(frozen=True)
class FileMeasurement:
    """What a file is as a whole. `sha256` is of its bytes.

    `items` what lies in it; sound is of the programme alone, tones of the whole file.
    """

    measurement: int
    sha256: str
    size: int
    pictures: PictureMeasurement
    items: tuple[LayoutItem, ...]
    sound: SoundMeasurement | None
    tones: tuple[SoundSpan, ...]
    sync: Parting | None = None  #: how far flashes and pips part; None where it has none
    coded_captions: tuple[str, ...] = ()  #: the kinds of captions that its pictures carry

    @property
    def programme(self) -> tuple[int, int]:
        """The frames from the programme's first to the one after its last; all of them where none was found."""
        items = [item for item in self.items if item.what == PROGRAMME]
        return (items[0].first, items[-1].last) if items else (0, self.pictures.frames)


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[FileMeasurement]:
    return TypeAdapter(FileMeasurement)


@dataclass(frozen=True)
class MeasureOptions:
    """How a file is measured: the channels (from 0) of its full mix, whether black divides the programme into
    parts, and the share of a picture that may lie outside R 103's limits before its place is told.
    """

    mix: tuple[int, ...] | None = None
    breaks: bool = False
    area: float = 0.01


def remembered(path: Path, options: MeasureOptions) -> FileMeasurement | None:
    """Return what a file is where this content was measured so before, else None."""
    try:
        measurement = _adapter().validate_json(_kept_at(path, options).read_bytes())
        return (
            measurement if measurement.measurement == MEASUREMENT and measurement.size == path.stat().st_size else None
        )
    except (OSError, ValueError):
        return None


def _sync(clip: Clip) -> Parting | None:
    """Return how far flashes and pips of a clip part, None where it has none."""
    try:
        return flash_and_pip(clip.path, clip.declared)
    except MediaError:
        return None


@contextlib.contextmanager
def _meanwhile(path: Path, channels: int, seconds: float) -> Iterator[Callable[[], tuple[str, tuple[SoundSpan, ...]]]]:
    """Have a file hashed and its tones looked for while something else is done with it; yield what waits for both.

    It ends with whoever asked.
    """
    stop = threading.Event()

    def on(_done: object = None) -> None:
        if stop.is_set():
            raise InterruptedError

    def work() -> tuple[str, tuple[SoundSpan, ...]]:
        return sha256_of(path, on), tone_spans(path, channels, seconds, on) if channels else ()

    with ThreadPoolExecutor(1, thread_name_prefix="quarry hash") as pool:
        future = pool.submit(work)
        try:
            yield future.result
        finally:
            stop.set()


def _kept_at(path: Path, options: MeasureOptions) -> Path:
    """Return where what is known of a file is kept. Raises `OSError`."""
    # by time too: what was written over in its middle has the same size, beginning and end
    text = f"{options.mix} {options.breaks} {options.area} {path.stat().st_mtime_ns}"
    return memory_folder() / "whole" / f"{identity(path)} {hashlib.sha256(text.encode()).hexdigest()[:12]}.json"


def measure_file(
    path: Path, options: MeasureOptions, on_progress: OnProgress | None = None
) -> tuple[Clip, FileMeasurement]:
    """Return a file as it declares itself and as it is, from memory where this content was measured so before.

    Raises `MediaError` where the file cannot be read or has no pictures, and what `on_progress` raises.
    """
    clip = inspect(path)
    if not clip.declared.has_picture:
        raise MediaError("has no pictures", subject=path.name)
    known = remembered(path, options)
    if known is not None:
        return clip, known
    say = on_progress or (lambda _what, _share: None)
    size = max(1, path.stat().st_size)
    frames = max(1, clip.declared.frames or 1)
    rate = clip.declared.rate or 25
    channels = sum(track.channels for track in clip.declared.audio)
    with _meanwhile(path, channels, float(frames / rate)) as found_meanwhile:
        pictures = pictures_of(
            clip, lambda done: say("looking at every picture", 0.85 * min(1.0, done / frames)), area=options.area
        )
        digest, tones = found_meanwhile()
    items = items_of(pictures.parts, float(rate), breaks=options.breaks)
    measurement = FileMeasurement(
        MEASUREMENT, digest, size, pictures, items, None, (), coded_captions=coded_captions(path)
    )
    if clip.declared.audio:
        first, last = (float(frame / rate) for frame in measurement.programme)
        sound = sound_of(
            path,
            options.mix,
            (first, last),
            lambda s: say("listening to all sound", 0.85 + 0.13 * min(1.0, s / max(1.0, last))),
        )
        sync = _sync(clip) if pictures.most_flashes >= _FLASHES else None
        measurement = replace(measurement, sound=sound, tones=tones if sound is not None else (), sync=sync)
    with contextlib.suppress(OSError):
        record = _kept_at(path, options)
        record.parent.mkdir(parents=True, exist_ok=True)
        written_whole(record, _adapter().dump_json(measurement))
    return clip, measurement
