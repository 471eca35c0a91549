"""Clips of every container, mutated, and a process that looks at them: for a minute in the tests, an hour in
benchmarks.
"""

from __future__ import annotations

import contextlib
import json
import os
import resource
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

#: Container, codec, pixel format of the picture, and whether there is sound.
SEEDS = (
    ("mov.mov", "prores_ks", "yuv422p10le", True),
    ("mp4.mp4", "libx264", "yuv420p", True),
    ("mkv.mkv", "ffv1", "yuv422p10le", True),
    ("mxf.mxf", "mpeg2video", "yuv422p", False),
    ("mpg.mpg", "mpeg2video", "yuv420p", True),
    ("avi.avi", "mjpeg", "yuvj420p", True),
    ("ts.ts", "mpeg2video", "yuv420p", False),
    ("png.png", "png", "rgb24", False),
    ("dpx.dpx", "dpx", "gbrp10le", False),
    ("tif.tif", "tiff", "rgb24", False),
    ("exr.exr", "exr", "gbrpf32le", False),
    ("wav.wav", "", "", True),
)
MOST_SECONDS, MOST_BYTES = 30.0, 1 << 30


def seeds(folder: Path) -> list[Path]:
    """Write a small clip of each container and return them."""
    result = []
    for name, codec, pixels, sound in SEEDS:
        path = folder / name
        with av.open(str(path), "w") as container:
            picture: Any = None
            tone: Any = None
            if codec:
                picture = container.add_stream(codec, rate=Fraction(25))
                picture.width, picture.height, picture.pix_fmt = 96, 64, pixels
            if sound:
                kind = {"mpg.mpg": "mp2", "mp4.mp4": "aac"}.get(name, "pcm_s16le")
                tone = container.add_stream(kind, rate=48000)
                tone.layout = "stereo"
            still = path.suffix in (".png", ".dpx", ".tif", ".exr")
            for number in range((1 if still else 8) if picture is not None else 0):
                luma = np.roll(np.add.outer(np.arange(64), np.arange(96)) % 256, number * 3, 1).astype(np.uint8)
                frame = av.VideoFrame.from_ndarray(luma, "gray").reformat(format=pixels)
                frame.pts, frame.time_base = number, Fraction(1, 25)
                container.mux(picture.encode(frame))
            if picture is not None:
                container.mux(picture.encode(None))
            if tone is not None:
                wave = np.zeros((1, 2 * 1152), np.int16)
                for number in range(10):
                    heard = av.AudioFrame.from_ndarray(wave, "s16", "stereo")
                    heard.sample_rate, heard.pts, heard.time_base = 48000, number * 1152, Fraction(1, 48000)
                    container.mux(tone.encode(heard))
                container.mux(tone.encode(None))
        result.append(path)
    return result


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """Return bytes with a few faults: bits turned, numbers at their ends, pieces cut, doubled, moved or zeroed."""
    raw = bytearray(data)
    for _ in range(int(rng.integers(1, 9))):
        at, length = int(rng.integers(0, len(raw))), int(rng.integers(1, max(2, len(raw) // 8)))
        match int(rng.integers(0, 7)):
            case 0:
                raw[at] ^= 1 << int(rng.integers(0, 8))
            case 1:
                ends = (
                    b"\x00",
                    b"\xff",
                    b"\x7f\xff",
                    b"\xff\xff\xff\xff",
                    b"\x80\x00\x00\x00",
                    b"\x00\x00\x00\x00\x00\x00\x00\x01",
                )
                value = ends[int(rng.integers(0, len(ends)))]
                raw[at : at + len(value)] = value
            case 2:
                del raw[at : at + length]
            case 3:
                raw[at:at] = raw[at : at + length]
            case 4:
                raw[at : at + length] = bytes(len(raw[at : at + length]))
            case 5:
                raw[at : at + 16] = rng.bytes(16)
            case _:
                del raw[at:]
        if not raw:
            raw = bytearray(b"\x00")
    return bytes(raw)


@dataclass
class Looker:
    """A process that looks at clips, one after the other; started again where one takes it along."""

    failures: list[str] = field(default_factory=list)
    looked: int = 0
    _process: subprocess.Popen[str] | None = None

    def look(self, path: Path) -> None:
        """Look at a clip, and note a traceback, a hang, a crash, or more memory than one gigabyte."""
        if self._process is None or self._process.poll() is not None:
            command = [sys.executable, "-m", "tests.media.mutated"]
            # wherever this was begun, and as this process finds its modules
            there = {"cwd": Path(__file__).parents[2], "env": {**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)}}
            self._process = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, **there
            )  # type: ignore[call-overload]
        process = self._process
        assert process.stdin is not None and process.stdout is not None
        timer = threading.Timer(MOST_SECONDS, process.kill)
        timer.start()
        began = time.monotonic()
        with contextlib.suppress(BrokenPipeError):
            process.stdin.write(f"{path}\n")
            process.stdin.flush()
        text = process.stdout.readline()
        timer.cancel()
        self.looked += 1
        if not text:
            why = (
                "hangs"
                if time.monotonic() - began >= MOST_SECONDS - 1
                else f"takes the process along ({process.wait()})"
            )
            self.failures.append(f"{path.name}: {why}")
        elif (answer := json.loads(text)) != "ok":
            self.failures.append(f"{path.name}: {answer}")

    def close(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()


def attacked(folder: Path, seconds: float, seed: int = 1) -> Looker:
    """Mutate the seeds in turn for so long; clips that fail are left in `folder`."""
    looker, rng = Looker(), np.random.default_rng(seed)
    whole = [(path.suffix, path.read_bytes()) for path in seeds(folder)]
    end = time.monotonic() + seconds
    for number, (suffix, data) in enumerate(_for_ever(whole)):
        if time.monotonic() > end:
            break
        path = folder / f"mutated {number}{suffix}"
        path.write_bytes(mutated(data, rng))
        before = len(looker.failures)
        looker.look(path)
        if len(looker.failures) == before:
            path.unlink()
    looker.close()
    return looker


def _for_ever(items: list[tuple[str, bytes]]) -> Iterator[tuple[str, bytes]]:
    while True:
        yield from items


def _answers() -> None:
    """Look at what is named on standard input, one path a line, and answer each with a line of JSON."""
    from idle_quarry.errors import QuarryError
    from idle_quarry.media import looking
    from idle_quarry.media.stills import small_picture

    looking._UNFORESEEN = ()  # type: ignore[assignment]  # what is caught for the user's sake is what is looked for here
    resource.setrlimit(resource.RLIMIT_AS, (8 << 30, 8 << 30))
    for line in sys.stdin:
        answer = "ok"
        try:
            clip = looking.look(Path(line.rstrip("\n")))
            clip.to_json()
            small_picture(clip)
        except QuarryError:
            pass
        except BaseException as error:
            import traceback

            place = traceback.extract_tb(error.__traceback__)[-1]
            answer = f"{type(error).__name__}: {error} ({Path(place.filename).name}:{place.lineno})"
        if answer == "ok" and _most_memory() > MOST_BYTES:
            answer = f"takes {_most_memory() / 1e9:.1f} GB"
        print(json.dumps(answer), flush=True)


def _most_memory() -> int:
    """Return the most bytes this process ever held; what getrusage says is that of who began it, too."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("VmHWM:"))


if __name__ == "__main__":
    _answers()
