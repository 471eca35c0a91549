"""Clips whose sound begins earlier or later than their pictures, or of which a container hides a beginning: what is
seen is heard then.
"""

from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pytest

from idle_quarry.media.inspecting import inspect
from idle_quarry.media.sounds import SoundReader
from idle_quarry.media.stills import FrameSource

RATE, FPS = 48000, 25
#: A white picture and a tone at one second, of three.
FLASH = "color=black:s=320x240:r=25:d=3,drawbox=c=white:t=fill:enable='between(t,0.99,1.03)'"
TONE = r"aevalsrc=0.8*sin(2*PI*1000*t)*between(t\,1.0\,1.04):s=48000:d=3"


def made(path: Path, *arguments: str) -> Path:
    subprocess.run(["ffmpeg", "-v", "error", "-y", *arguments, str(path)], check=True)
    return path


@pytest.fixture(scope="module")
def base(tmp_path_factory: pytest.TempPathFactory) -> Path:
    coded = ("-c:v", "libx264", "-bf", "2", "-g", "12", "-c:a", "pcm_s16le")
    return made(
        tmp_path_factory.mktemp("offsets") / "base.mov", "-f", "lavfi", "-i", FLASH, "-f", "lavfi", "-i", TONE, *coded
    )


def flash(path: Path) -> float | None:
    clip = inspect(path)
    with FrameSource(clip) as source:
        for number in range(clip.declared.frames or 0):
            picture = source.frame(number)
            if picture is not None and picture.luma.mean() > 150:
                return number / FPS
    return None


def tone(path: Path, first_s: float = 0.0) -> float:
    """Return when the tone begins, of what is read from a moment on."""
    with SoundReader(path, RATE) as reader:
        samples = reader.samples(round(first_s * RATE), 3 * RATE)[:, 0]
    return first_s + int(np.flatnonzero(np.abs(samples.astype(np.int64)) > 0.2 * 2**31)[0]) / RATE


@pytest.mark.parametrize("offset", [0.4, -0.4])
@pytest.mark.parametrize(
    ("suffix", "codec"), [("mov", "pcm_s16le"), ("mp4", "aac"), ("mkv", "pcm_s16le"), ("ts", "mp2")]
)
def test_sound_keeps_its_distance_from_the_pictures(
    suffix: str, codec: str, offset: float, base: Path, tmp_path: Path
) -> None:
    path = made(
        tmp_path / f"offset.{suffix}",
        "-i",
        str(base),
        "-itsoffset",
        str(offset),
        "-i",
        str(base),
        "-map",
        "0:v",
        "-map",
        "1:a",
        "-c:v",
        "copy",
        "-c:a",
        codec,
    )
    assert flash(path) == 1.0 and inspect(path).declared.frames == 75
    assert tone(path) == pytest.approx(1 + offset, abs=0.012), "from its beginning"
    assert tone(path, 0.5) == pytest.approx(1 + offset, abs=0.012), "after a jump"


@pytest.mark.parametrize("suffix", ["mov", "mp4"])
def test_what_an_edit_list_hides_is_not_counted(suffix: str, base: Path, tmp_path: Path) -> None:
    path = made(tmp_path / f"cut.{suffix}", "-ss", "0.7", "-i", str(base), "-c:v", "copy", "-c:a", "aac")
    declared = inspect(path).declared
    assert declared.frames in (57, 58), "of 63 that lie in the file"
    assert flash(path) == pytest.approx(0.3, abs=0.5 / FPS + 1e-6) and tone(path) == pytest.approx(0.3, abs=0.012)
