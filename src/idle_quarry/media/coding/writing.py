"""Clips written with the real encoders: frame by frame with sound and timecode, or a still picture held.

Correctly flagged.
"""

from __future__ import annotations

import contextlib
import secrets
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any

import av
import numpy as np
from av.error import FFmpegError
from av.video.codeccontext import VideoCodecContext
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.files import put_exclusively, synced
from idle_quarry.media.coding.encode import (
    LINEAR,
    Pixels,
    encoder_pixels,
    filled,
    flagged,
    frame_of_codes,
)
from idle_quarry.media.coding.muxing import Muxed
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.path.registry import Codec
from idle_quarry.picture.patterns.bars import ycbcr_codes
from idle_quarry.picture.recolouring import linear_light
from idle_quarry.recovery import RecoveryNote
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode

Progress = Callable[[int, int], None]
Codes = Sequence[NDArray[Any]]

NO_SOUND = WrittenSound()
#: Reference white of HDR signals (BT.2408-7, table 1): written as 1.0 where light is linear.
_WHITE_SIGNAL = {"hlg": 0.75, "pq": 0.5807}


class ClipWriter:
    """A clip written frame by frame into a file of its own beside `path`, which takes its name when the clip is whole.

    For codecs of one picture a file, `path` names the first, `name.0001.dpx`, in a folder that is not there yet: the
    folder appears when all are written; they carry no sound. `format` is what codes are taken in; an `active_format` is
    said in each picture of the codecs that can. Where `noted` says what is made, it replaces nothing, and a process
    that is killed over it leaves what is found again (`recovery`). Use it as a context: `finish` makes the clip,
    leaving without it, or by an error, leaves nothing. Raises `MediaError` where an encoder or the disk refuses.
    """

    def __init__(
        self,
        path: Path,
        codec: Codec,
        fmt: SignalFormat,
        *,
        start: Timecode | None = None,
        sound: WrittenSound = NO_SOUND,
        active_format: str | None = None,
        noted: str = "",
    ) -> None:
        self.path, self.codec, self.pixels = path, codec, encoder_pixels(codec, fmt)
        self.frames = 0
        self._many = codec.one_picture_a_file
        self._final = path.parent if self._many else path
        self._part = self._final.with_name(f".{secrets.token_hex(6)}.part{'' if self._many else path.suffix}")
        self._muxed: Muxed | None = None
        self._note = (
            RecoveryNote(noted, self._final, dirs=(self._final.name,), files=(self._final.name,)) if noted else None
        )
        try:
            if self._note is not None:
                self._note.part.mkdir()
                self._part = self._note.part / self._final.name
            if self._many:
                self._part.mkdir()
                self._context = _picture_context(codec, self.pixels)
            else:
                self._muxed = Muxed(self._part, codec, self.pixels, start, sound, active_format)
        except BaseException as error:
            self._clear()
            if isinstance(error, FFmpegError | OSError | ValueError):
                raise self._refused(error) from error
            raise  # also what stops it here leaves nothing

    @property
    def format(self) -> SignalFormat:
        return self.pixels.format

    def __enter__(self) -> ClipWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.abandon()

    def write(self, codes: Codes, sound: NDArray[np.int32] | None = None) -> None:
        """Write one frame, and the sound beside it.

        Parameters
        ----------
        codes
            Planes of code values in `format`.
        sound
            (samples, channels) int32, full scale at 32 bits; None for none.
        """
        try:
            frame = frame_of_codes(self.pixels, codes)
            if self._muxed is not None:
                self._muxed.picture(frame)
                if sound is not None:
                    self._muxed.sound.write(sound)
            else:
                data = b"".join(bytes(packet) for packet in self._context.encode(frame))
                (self._part / numbered(self.path, self.frames)).write_bytes(data)
        except (FFmpegError, OSError, ValueError) as error:
            raise self._refused(error) from error
        self.frames += 1

    def finish(self) -> None:
        """Make the clip whole, under its name."""
        try:
            if self._muxed is not None:
                self._muxed.finish(pictures_wait=True)
                self._muxed.close()
                self._muxed = None
                synced(self._part)  # a name never stands for what a power cut could still take
            if self._note is not None:
                put_exclusively(self._part, self._final)
            else:
                self._part.replace(self._final)
        except FileExistsError as error:
            raise MediaError(
                "is there already", subject=str(self._final), remedy="give another name, or remove it"
            ) from error
        except (FFmpegError, OSError, ValueError) as error:
            raise self._refused(error) from error

    def abandon(self) -> None:
        """Leave nothing of what was not finished."""
        if self._muxed is not None:
            with contextlib.suppress(FFmpegError, OSError, ValueError):
                self._muxed.close()
            self._muxed = None
        self._clear()

    def _clear(self) -> None:
        if self._note is not None:
            shutil.rmtree(self._note.part, ignore_errors=True)
            self._note.forget()
        elif self._many:
            shutil.rmtree(self._part, ignore_errors=True)
        else:
            with contextlib.suppress(OSError):
                self._part.unlink(missing_ok=True)

    def _refused(self, error: Exception) -> MediaError:
        if isinstance(error, OSError):
            why = error.strerror or str(error)
            return MediaError(
                f"could not be written: {why}", subject=str(self._final), remedy="choose a folder with room"
            )
        return MediaError(f"the {self.codec.name} encoder refused ({error})", subject=self._final.name)


def numbered(path: Path, index: int) -> str:
    """Return the name of file `index` of a run whose first is `path`: `name.0001.dpx` counts on from 1."""
    stem, number = path.stem.rsplit(".", 1)
    return f"{stem}.{int(number) + index:0{len(number)}d}{path.suffix}"


# -- stills --------------------------------------------------------------------------------------------------------


def encode_still(
    path: Path,
    codec: Codec,
    fmt: SignalFormat,
    rgb: NDArray[np.float64],
    frames: int,
    start: Timecode | None = None,
    sound: NDArray[np.int32] | None = None,
    sample_rate: int = 48000,
    sound_bits: int = 24,
    progress: Progress | None = None,
) -> SignalFormat:
    """Write a clip of one picture, with its field order, pixel aspect, colour and start flagged.

    Parameters
    ----------
    path
        The file; for codecs of one picture a file the first of them, whose number is counted on.
    codec, fmt
        What codes it, and its format.
    rgb
        (h, w, 3) R′G′B′, 0 is black and 1 is white.
    frames
        How many there are.
    start
        The first frame's timecode.
    sound
        (samples, channels) int32, full scale at 32 bits; None for none.
    sample_rate, sound_bits
        Hz, and bits a sample in the file.
    progress
        Hears how many frames are written, and of how many; it may raise to stop.

    Returns
    -------
    SignalFormat
        What the file carries.

    Raises
    ------
    MediaError
        Where it cannot be written; what was written by then is left for the caller to remove.
    """
    pixels = encoder_pixels(codec, fmt)
    value = progress if progress is not None else _silent
    try:
        if codec.one_picture_a_file:
            _write_files(path, codec, pixels, rgb, frames, value)
        else:
            tracks = WrittenSound(sound.shape[1], sample_rate, sound_bits) if sound is not None else NO_SOUND
            muxed = Muxed(path, codec, pixels, start, tracks)
            with contextlib.closing(muxed):
                _hold(muxed, flagged(_picture(pixels, rgb), pixels), _coded_once(codec), frames, sound, value)
    except (FFmpegError, OSError, ValueError) as error:
        raise MediaError(f"the {codec.name} encoder refused ({error})", subject=path.name) from error
    if pixels.name == LINEAR:
        return pixels.format.with_encoding(transfer="linear")
    return pixels.format


def _silent(_done: int, _of: int) -> None:
    return None


def _coded_once(codec: Codec) -> int:
    """Return how many pictures must be coded for a still of any length; 0 where each must be.

    Two for intra-only H.264: neighbouring IDR pictures must differ in their idr_pic_id (H.264, 7.4.3).
    """
    if codec.coded.standalone:
        return 1
    return 2 if "avcintra" in codec.encode.options.get("x264-params", "") else 0


def _hold(
    muxed: Muxed, frame: av.VideoFrame, once: int, frames: int, sound: NDArray[np.int32] | None, value: Progress
) -> None:
    coded = muxed.coded_packets(frame, once)
    at = 0  # samples of sound written so far
    for index in range(frames):
        value(index, frames)
        if coded:
            muxed.coded(coded[index % len(coded)])
        else:
            muxed.picture(frame)
        if sound is not None:
            upto = min(len(sound), int((index + 1) * muxed.sound.rate / muxed.pixels.format.rate))
            muxed.sound.write(sound[at:upto])
            at = upto
    muxed.finish(pictures_wait=not coded)


def _picture(pixels: Pixels, rgb: NDArray[np.float64]) -> av.VideoFrame:
    return filled(pixels, still_codes(pixels, rgb))


def still_codes(pixels: Pixels, rgb: NDArray[np.float64]) -> list[NDArray[Any]]:
    """Return R′G′B′ (h, w, 3) as the code values, or the linear light, of an encoder's planes."""
    fmt = pixels.format
    if pixels.name == LINEAR:
        white = _WHITE_SIGNAL.get(fmt.encoding.transfer, 1.0)
        one = linear_light(np.full((1, 1), white), fmt.encoding.transfer)[0, 0]
        return [linear_light(rgb[..., i], fmt.encoding.transfer) / one for i in range(3)]
    if fmt.encoding.matrix == "rgb":
        top = (1 << fmt.encoding.bit_depth) - 1
        return [np.rint(np.clip(rgb[..., i], 0, 1) * top) for i in range(3)]
    return list(ycbcr_codes(rgb, fmt.encoding))


def _picture_context(codec: Codec, pixels: Pixels) -> VideoCodecContext:
    context = av.CodecContext.create(codec.encode.encoder, "w")
    assert isinstance(context, VideoCodecContext)
    fmt = pixels.format
    context.width, context.height, context.pix_fmt = fmt.raster.width, fmt.raster.height, pixels.name
    context.time_base = 1 / fmt.rate
    context.options = dict(codec.encode.options)
    return context


def _write_files(
    path: Path, codec: Codec, pixels: Pixels, rgb: NDArray[np.float64], frames: int, value: Progress
) -> None:
    """Write one file a picture: the first coded, the rest the same bytes under the next numbers."""
    context = _picture_context(codec, pixels)
    packets = [*context.encode(flagged(_picture(pixels, rgb), pixels)), *context.encode(None)]
    data = b"".join(bytes(packet) for packet in packets)
    for index in range(frames):
        value(index, frames)
        (path.parent / numbered(path, index)).write_bytes(data)
