"""Looking at clips: declared, measured or remembered, corrected where somebody knew better; many at once."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from dataclasses import replace
from pathlib import Path

from av.error import FFmpegError

from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media import kept_measurements
from idle_quarry.media.clip import Clip
from idle_quarry.media.declared import signal_format
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.measurement.disagreements import disagreements, measured_format
from idle_quarry.media.measurement.measure import Progress, measure, variable_rate
from idle_quarry.media.measurement.results import Measurement
from idle_quarry.media.measurement.sound import heard_whole
from idle_quarry.media.names import shown_name
from idle_quarry.media.pacing import picture_times
from idle_quarry.reports import unforeseen
from idle_quarry.signal.formats import SignalFormat

#: What an odd clip may raise where nobody thought of it; whoever cancels raises something else.
_UNFORESEEN = (
    ValueError,
    TypeError,
    ArithmeticError,
    LookupError,
    AttributeError,
    OSError,
    MemoryError,
)


def look(path: Path, progress: Progress | None = None, *, threads: int = 0) -> Clip:
    """Return what the clip at `path` declares and is; from memory where its content was measured before.

    A clip whose pictures cannot be measured is returned with `trouble`. Raises `MediaError` where it cannot be read
    at all, and whatever `progress` raises.
    """
    if not path.is_file():
        return inspect(path)  # says what is wrong
    try:
        ident = kept_measurements.identity(path)
    except OSError as error:
        raise MediaError("this user may not read it", subject=str(path)) from error
    known = kept_measurements.remembered(ident)
    if known is not None:
        # the file may have been renamed since, a run of stills keeps its label
        name = shown_name(path) if path.suffix == Path(known.name).suffix and "[" not in known.name else known.name
        clip = Clip(path, name, known.declared, signal_format(known.declared))
        return _with(clip, known.measured, kept_measurements.correction(ident))
    clip = inspect(path)
    try:
        measured = measure(path, clip.declared, clip.format, progress, threads=threads)
    except MediaError as error:
        return replace(clip, trouble=error.what)
    except _UNFORESEEN as error:
        return replace(clip, trouble=unforeseen(error))
    clip, measured = _at_its_pace(clip, measured)
    kept_measurements.remember(ident, clip.name, clip.declared, measured)
    return _with(clip, measured, kept_measurements.correction(ident))


def _at_its_pace(clip: Clip, measured: Measurement) -> tuple[Clip, Measurement]:
    """Return what is declared and measured of a clip whose pictures show that its pace is uneven, where its file
    did not say so.
    """
    if measured.variable is None or clip.declared.uneven:
        return clip, measured
    try:
        times = picture_times(clip.path)
    except (FFmpegError, OSError, ValueError):
        return clip, measured
    varies = variable_rate([list(times)])
    if varies is None:
        return clip, measured
    frames = max(1, round((times[-1] + 1 / varies.mean) * varies.fixed))
    declared = replace(clip.declared, uneven=len(times), rate=varies.fixed, frames=frames)
    return replace(clip, declared=declared, format=signal_format(declared)), replace(measured, variable=varies)


def _with(clip: Clip, measured: Measurement, corrected: SignalFormat | None) -> Clip:
    """Return the clip with what was measured; `clip.format` is the declared format."""
    return replace(
        clip,
        measured=measured,
        format=corrected or measured_format(clip.format, measured),
        disagreements=disagreements(clip.declared, clip.format, measured),
        corrected=corrected is not None,
    )


def whole_sound_heard(clip: Clip, progress: Progress) -> Clip:
    """Return a clip whose loudness and true peak are of the whole of its sound, which is kept.

    Raises what `progress` raises.
    """
    if clip.measured is None:
        return clip
    seconds = clip.declared.duration_s or 1.0

    def progressed(done: float) -> None:
        progress(f"listening to all of {clip.name}", min(1.0, done / seconds))

    sound = tuple(
        (
            measurement
            if measurement is None or measurement.windows == 1
            else heard_whole(measurement, clip.path, index, progressed)
        )
        for index, measurement in enumerate(clip.measured.sound)
    )
    measured = replace(clip.measured, sound=sound)
    with contextlib.suppress(OSError):
        kept_measurements.remember(kept_measurements.identity(clip.path), clip.name, clip.declared, measured)
    return replace(clip, measured=measured)


def corrected_clip(clip: Clip, fmt: SignalFormat | None) -> Clip:
    """Keep what somebody knows better of a clip (None takes it back) and return the clip as it is then taken.

    Raises `MediaError` where it cannot be kept.
    """
    try:
        kept_measurements.correct(kept_measurements.identity(clip.path), fmt)
    except OSError as error:
        raise MediaError("the correction could not be kept", subject=clip.name, remedy=str(error.strerror)) from error
    declared = replace(clip, format=signal_format(clip.declared), corrected=False)
    if clip.measured is None:
        return replace(declared, format=fmt or declared.format, corrected=fmt is not None)
    return _with(declared, clip.measured, fmt)


def look_at_all(
    paths: Sequence[Path], progress: Callable[[str, float], None] | None = None, *, workers: int | None = None
) -> Iterator[tuple[Path, Clip | MediaError]]:
    """Yield each clip as it is known, in the order of their readiness, on all cores; a bad clip stops nobody.

    `progress` is called with what is done and the share from 0 to 1; what it raises cancels the rest.
    """
    count = workers or os.cpu_count() or 1
    shares: dict[Path, float] = {}
    stop = threading.Event()
    threads = 0 if len(paths) < count else 1

    def one(path: Path) -> Clip:
        def step(_what: str, share: float) -> None:
            if stop.is_set():
                raise _MeasuringStopped
            shares[path] = share

        return look(path, step, threads=threads)

    pool = ThreadPoolExecutor(max_workers=count, thread_name_prefix="measure")
    try:
        waiting: dict[Future[Clip], Path] = {pool.submit(one, path): path for path in paths}
        pending = set(waiting)
        done = 0
        while pending:
            try:
                for future in as_completed(list(pending), timeout=0.2):
                    pending.discard(future)
                    done += 1
                    path = waiting[future]
                    shares.pop(path, None)
                    _tell(progress, done, len(paths), shares)
                    error = future.exception()
                    if error is None:
                        yield path, future.result()
                    elif isinstance(error, MediaError):
                        yield path, error
                    elif isinstance(error, QuarryError):
                        yield path, MediaError(error.what, subject=str(path), remedy=error.remedy)
                    elif isinstance(error, Exception):
                        yield path, MediaError(unforeseen(error), subject=str(path))
                    else:
                        raise error
            except TimeoutError:
                _tell(progress, done, len(paths), shares)
    finally:
        stop.set()
        pool.shutdown(wait=True, cancel_futures=True)


def _tell(progress: Callable[[str, float], None] | None, done: int, count: int, shares: dict[Path, float]) -> None:
    if progress is not None:
        progress(f"{done} of {count} clips", (done + sum(list(shares.values()))) / max(1, count))


class _MeasuringStopped(Exception):
    """Raised inside the measurement of a clip that nobody waits for any more."""
