"""A recorder: takes a line, and writes takes of it with a real encoder.

What breaks on the way is told with its timecode.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line.devices.devices import CableSignal, Receiver
from idle_quarry.line.reading.faults import KINDS
from idle_quarry.line.reading.received import ReceivedFrame
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.names import clip_suffix, free_path
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.planes import planes_of_codes
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_words

OnBreak = Literal["new clip", "go on", "stop"]
#: Faults by which a frame counts as harmed; others are told by the receiver, and do no harm to what is kept.
HARM = ("crc", "edh", "reserved code", "sound gap", "sound code", "line count", "line length", "timing reference")
assert set(HARM) <= set(KINDS)
_EXACT = DEFAULT_POLICY


@dataclass(frozen=True)
class TakeEvent:
    """What happened in a take: at which of its frames, at what timecode, what kind, and in words."""

    frame: int
    timecode: str
    kind: Literal["timecode break", "drop-out", "no signal"]
    text: str


@dataclass(frozen=True)
class Take:
    """One recording: its name and file, what it is, its first and last timecode, and what happened in it."""

    name: str
    path: Path
    format: SignalFormat
    codec: str
    first: Timecode | None
    last: Timecode | None
    frames: int
    events: tuple[TakeEvent, ...] = ()

    @property
    def drop_outs(self) -> int:
        return sum(1 for event in self.events if event.kind == "drop-out")


@dataclass(frozen=True)
class RecordingRequest:
    """What is recorded: into which folder and codec, under what name, from and to which timecode (None: by hand)."""

    folder: Path
    name: str
    codec: str
    on_break: OnBreak = "new clip"
    mark_in: Timecode | None = None
    mark_out: Timecode | None = None


def able(fmt: SignalFormat) -> list[Codec]:
    """Return the codecs that can hold a line's format as it is: none of its bits, chroma or fields lost."""
    results = []
    for codec in codecs().values():
        if codec.one_picture_a_file or codec.quality not in ("intermediate", "lossless") or cannot_hold(codec, fmt):
            continue
        encoding = encoder_pixels(codec, fmt).format.encoding
        if encoding.bit_depth >= fmt.encoding.bit_depth and (encoding.matrix == "rgb") == (
            fmt.encoding.matrix == "rgb"
        ):
            results.append(codec)
    return results


class Recorder:
    """Hangs on a line. `arm` says what is wanted; takes are handed to `done` as they become whole. For one thread.

    From the mark in to the mark out, both recorded, or by hand from `arm` to `finish`. Raises `MediaError` where an
    encoder or the disk refuses, `NotPossible` where the codec cannot hold what comes.
    """

    def __init__(self, done: Callable[[Take], None]) -> None:
        self._done = done
        self.receiver = Receiver()
        self._wanted: RecordingRequest | None = None
        self._writer: ClipWriter | None = None
        self._take: Take | None = None
        self._exact: Conversion | None = None
        self._number = 0
        self._before: Timecode | None = None

    @property
    def armed(self) -> bool:
        return self._wanted is not None

    @property
    def take(self) -> Take | None:
        """The take that is being written."""
        return self._take

    def arm(self, wanted: RecordingRequest) -> None:
        """Want a recording; one that is under way is finished first."""
        self.finish()
        self._wanted, self._number, self._before = wanted, 0, None

    def receive(self, cabled: CableSignal) -> None:
        self.receiver.receive(cabled)
        request, frame = self._wanted, self.receiver.frame
        if request is None:
            return
        if frame is None or frame.lock.format is None:
            if self._take is not None:
                self._note(
                    "no signal", self._before, "the line held nothing that could be read: its picture before was held"
                )
                self._hold()
            return
        moment = frame.timecode
        if self._take is None and not self._begins(request, moment):
            return
        if self._take is not None and moment is not None and self._before is not None:
            due = self._before + (2 if frame.lock.interface == "3G-B" and len(frame.pictures()) == 2 else 1)
            if moment != due and not self._goes_on(request, due, moment):
                return
        if self._take is None:
            self._open(request, frame.lock.format, moment, _channels(frame))
        self._write(frame)
        self._before = moment
        if request.mark_out is not None and moment is not None and _reached(request.mark_out, moment):
            self.finish()

    def finish(self) -> None:
        """End the recording: what was written becomes a take."""
        self._close(keep=True)
        self._wanted = None

    def cancel(self, *, keep: bool) -> None:
        """End the recording before its mark out; what was written becomes a take, or nothing is left of it."""
        self._close(keep=keep)
        self._wanted = None

    # -- one take ----------------------------------------------------------------------------------------------

    def _begins(self, wanted: RecordingRequest, moment: Timecode | None) -> bool:
        if wanted.mark_in is None or self._number:
            return True
        return (
            moment is not None
            and _reached(wanted.mark_in, moment)
            and not (wanted.mark_out is not None and wanted.mark_out != moment and _reached(wanted.mark_out, moment))
        )

    def _goes_on(self, wanted: RecordingRequest, due: Timecode, moment: Timecode) -> bool:
        """Tell of a break; return whether the frame is still wanted."""
        text = f"timecode went from {due - 1} to {moment}"
        self._note("timecode break", moment, text)
        if wanted.on_break == "go on":
            return True
        self._close(keep=True)
        if wanted.on_break == "stop":
            self._wanted = None
            return False
        return self._begins(wanted, moment)

    def _open(self, wanted: RecordingRequest, fmt: SignalFormat, moment: Timecode | None, channels: int) -> None:
        codec = codecs()[wanted.codec]
        why = cannot_hold(codec, fmt)
        if why:
            self._wanted = None
            raise NotPossible(f"{codec.name} cannot hold it: {why[0]}", subject=format_words(fmt))
        self._number += 1
        name = wanted.name if self._number == 1 else f"{wanted.name} {self._number}"
        path = free_path(wanted.folder / f"{name}{clip_suffix(codec)}")
        self._writer = ClipWriter(path, codec, fmt, start=moment, sound=WrittenSound(channels), noted="recording")
        self._exact = None if self._writer.format == fmt else Conversion(fmt, self._writer.format, _EXACT)
        self._take = Take(path.stem, path, fmt, codec.id, moment, moment, 0)
        self._channels = channels
        self._held: tuple[tuple[NDArray[Any], ...], NDArray[np.int32]] | None = None

    def _write(self, frame: ReceivedFrame) -> None:
        take, writer = self._take, self._writer
        assert take is not None and writer is not None
        sound = (frame.samples.astype(np.int32) << 8)[:, : self._channels]
        if sound.shape[1] < self._channels:
            sound = np.pad(sound, ((0, 0), (0, self._channels - sound.shape[1])))
        harmed = [fault for fault in frame.faults if fault.kind in HARM]
        if harmed:
            kinds = sorted({fault.kind for fault in harmed})
            lines = sorted({fault.line for fault in harmed if fault.line})
            where = f", lines {lines[0]} to {lines[-1]}" if len(lines) > 1 else f", line {lines[0]}" if lines else ""
            self._note("drop-out", frame.timecode, f"{' and '.join(kinds)}{where}")
        pictures = frame.pictures()
        for number, planes in enumerate(pictures):
            codes: tuple[NDArray[Any], ...] = _written_order(planes, take.format)
            if self._exact is not None:
                exact = planes_of_codes(codes, take.format.encoding)
                codes = self._exact.codes(0, partial(_always, exact))
            share = len(sound) * np.array([number, number + 1]) // len(pictures)
            part = sound[share[0] : share[1]]
            writer.write(codes, part if self._channels else None)
            self._held = codes, part
        moment = frame.timecode
        assert self._take is not None
        self._take = replace(self._take, frames=self._take.frames + len(pictures), last=moment or self._take.last)

    def _hold(self) -> None:
        if self._held is not None and self._writer is not None and self._take is not None:
            codes, sound = self._held
            self._writer.write(codes, np.zeros_like(sound) if self._channels else None)
            self._take = replace(self._take, frames=self._take.frames + 1)
            self._before = self._before + 1 if self._before is not None else None

    def _note(
        self, kind: Literal["timecode break", "drop-out", "no signal"], moment: Timecode | None, text: str
    ) -> None:
        assert self._take is not None
        event = TakeEvent(self._take.frames, str(moment) if moment is not None else "", kind, text)
        self._take = replace(self._take, events=(*self._take.events, event))

    def _close(self, *, keep: bool) -> None:
        writer, take = self._writer, self._take
        self._writer = self._take = None
        if writer is None or take is None:
            return
        with writer:
            if keep and take.frames:
                writer.finish()
                self._done(take)


def _reached(mark: Timecode, moment: Timecode) -> bool:
    """Return whether a count has come to a mark; never where the two count otherwise."""
    return (mark.rate, mark.drop) == (moment.rate, moment.drop) and moment.frames >= mark.frames


def _always(planes: tuple[NDArray[Any], ...], _index: int) -> tuple[NDArray[Any], ...]:
    return planes


def _channels(frame: ReceivedFrame) -> int:
    """Return how many channels a line brings: what its control packets call active, else what came."""
    active = sum(frame.active_channels.values())
    came = int(frame.samples.shape[1])
    return min(active, came) if active else came


def _written_order(planes: Planes, fmt: SignalFormat) -> Planes:
    """Return planes of a line as codes are kept: R, G, B where the line has G, B, R."""
    first, second, third = planes
    return (third, first, second) if fmt.encoding.matrix == "rgb" else (first, second, third)
