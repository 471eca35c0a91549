"""Any frame of a clip, whatever its groups of pictures are: always the right one, told by the number that each
picture carries.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame

from idle_quarry.media import inspect
from idle_quarry.media.pictures import Picture, Reader
from idle_quarry.media.stills import FrameSource

FRAMES, BITS = 90, 7
#: How clips are coded: container, codec, options.
CODINGS = {
    "long groups, MPEG-2 in a programme stream": (".mpg", "mpeg2video", {"g": "15", "bf": "2"}),
    "closed groups, MPEG-2 in MXF": (
        ".mxf",
        "mpeg2video",
        {"g": "12", "bf": "2", "flags": "+cgop", "sc_threshold": "1000000000"},
    ),
    "one group, H.264 in MP4": (".mp4", "libx264", {"g": "250", "bf": "3", "preset": "ultrafast"}),
    "groups of pictures alone, MJPEG in MOV": (".mov", "mjpeg", {}),
}


def numbered(path: Path, codec: str, options: dict[str, str]) -> Path:
    """A clip whose pictures carry their number as a row of dark and light squares."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options)
        stream.width, stream.height = 16 * BITS, 64  # type: ignore[union-attr]
        stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"  # type: ignore[union-attr]
        for number in range(FRAMES):
            luma = np.repeat([[235 if number >> bit & 1 else 16 for bit in range(BITS)]], 16, axis=1).repeat(64, axis=0)
            planes = np.concatenate([luma.astype(np.uint8).ravel(), np.full(16 * BITS * 32, 128, np.uint8)])
            frame = VideoFrame.from_ndarray(planes.reshape(96, 16 * BITS), format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))  # type: ignore[union-attr,arg-type]
        container.mux(stream.encode(None))  # type: ignore[union-attr]
    return path


def number_in(picture: Picture) -> int:
    squares = picture.luma[16:48].reshape(32, BITS, 16)[:, :, 4:12].mean(axis=(0, 2))
    return sum(1 << bit for bit, value in enumerate(squares) if value > 125)


@pytest.mark.parametrize("coding", CODINGS)
def test_every_step_is_to_the_right_picture(coding: str, tmp_path: Path) -> None:
    suffix, codec, options = CODINGS[coding]
    clip = inspect(numbered(tmp_path / f"numbers{suffix}", codec, options))
    rng = random.Random(3)
    with FrameSource(clip, threads=1) as source:
        wanted = [*range(6), *range(70, 60, -1), *(rng.randrange(FRAMES) for _ in range(25)), FRAMES - 1]
        for index in wanted:
            picture = source.frame(index)
            assert picture is not None and (picture.index, number_in(picture)) == (index, index)


def test_a_step_back_decodes_nothing_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    suffix, codec, options = CODINGS["one group, H.264 in MP4"]
    clip = inspect(numbered(tmp_path / f"numbers{suffix}", codec, options))
    sought = []
    onward = Reader.onward

    def counted(reader: Reader, first: int) -> Iterator[Picture]:
        sought.append(first)
        return onward(reader, first)

    monkeypatch.setattr(Reader, "onward", counted)
    with FrameSource(clip, threads=1) as source:
        for index in (60, *range(59, 30, -1), 61, 62):
            picture = source.frame(index)
            assert picture is not None and number_in(picture) == index
    assert sought == [60]
