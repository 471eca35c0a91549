"""Renders: what the machinery adds to converting and coding, what a second worker gives, real time, and kills at
random moments.

Beside it, in the same run: the bare loop of conversion and encoder, and FFmpeg's program doing the same for one clip.
Killed, and its files cut off at random, as often as is asked for (1 000 by default), no half piece may count as whole.

`PYTHONPATH=src:. .venv/bin/python benchmarks/renders.py [MOMENTS]`
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from time import perf_counter, sleep

from common import machine
from tests.jobs.test_renders import killed_while_rendering

from idle_quarry.demo import make_clips
from idle_quarry.jobs.lending.queue_choice import file_crew
from idle_quarry.jobs.renders.making import RecipePictures
from idle_quarry.jobs.renders.pieces import Canvas
from idle_quarry.jobs.renders.queue import FileQueue
from idle_quarry.jobs.renders.recipe import ClipFrames, Recipe
from idle_quarry.jobs.renders.render_folder import QUEUE_FILE
from idle_quarry.jobs.renders.rendering import JobRenderer
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.looking import look
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words

CLIPS = Path(make_clips.__file__).parent / "clips"
FRAMES, PIECES = 50, 5


def recipes_of(clip: Path, canvas: Canvas) -> list[Recipe]:
    """Pieces that show a clip from other frames each."""
    known, content = look(clip), identity(clip)
    assert known.format is not None
    taken = [ClipFrames(str(clip), content, known.format, Policy(), Fraction(n)) for n in range(PIECES)]
    return [Recipe(canvas.format, canvas.codec, FRAMES - PIECES, item) for item in taken]


def bare(recipes: list[Recipe], folder: Path) -> float:
    """Return the seconds that converting and coding take by themselves."""
    begun = perf_counter()
    for number, recipe in enumerate(recipes):
        with (
            RecipePictures(recipe) as pictures,
            ClipWriter(folder / f"{number}{suffix(recipe)}", recipe.codec, recipe.format) as writer,
        ):
            for frame in range(recipe.frames):
                writer.write(pictures.codes(frame))
            writer.finish()
    return perf_counter() - begun


def suffix(recipe: Recipe) -> str:
    return f".{recipe.codec.containers[0]}"


def through(recipes: list[Recipe], folder: Path, workers: int) -> float:
    """Return the seconds that so many workers take with queue and store, from the first frame that is done."""
    folder.mkdir()
    queue, store = FileQueue(folder / QUEUE_FILE), RenderStore(folder / "renders")
    rendering = JobRenderer(queue, store, file_crew(queue, store), folder.name)
    rendering.queue.put(recipes)
    # each worker has rendered something before anything is measured: what it reads once is no part of it
    rendering.queue.put([replace(recipes[0], frames=n + 1) for n in range(3 * workers)])
    rendering.start(workers)
    while rendering.queue.open > len(recipes):
        sleep(0.01)
    begun = perf_counter()
    while rendering.queue.open:
        sleep(0.02)
    taken = perf_counter() - begun
    rendering.close()
    assert all(RenderStore(folder / "renders").find(recipe) is not None for recipe in recipes)
    return taken


def ffmpeg(clip: Path, filters: str, options: list[str], folder: Path, name: str) -> float:
    """Return the seconds that FFmpeg's program takes for all pieces of a clip."""
    begun = perf_counter()
    for number in range(PIECES):
        chain = f"{filters},trim=start_frame={number}:end_frame={number + FRAMES - PIECES}".lstrip(",")
        subprocess.run(
            [
                "ffmpeg",
                "-v",
                "error",
                "-y",
                "-i",
                str(clip),
                "-an",
                "-vf",
                chain,
                *options,
                str(folder / f"ff {number}{name}"),
            ],
            check=True,
        )
    return perf_counter() - begun


CASES = (
    (
        "576i25 to 1080i25, AVC-Intra 100",
        "lamp tape 014.mpg",
        "1080i25",
        "avci-100",
        "bwdif=mode=send_field,scale=1440:1080:flags=lanczos,pad=1920:1080:240:0,interlace=scan=tff:lowpass=off,format=yuv422p10le",
        ["-c:v", "libx264", "-x264-params", "avcintra-class=100:tff=1", "-flags", "+ildct+ilme"],
        ".mxf",
    ),
    ("1080p25 to 1080p25, v210", "lamp scan 3.mov", "1080p25", "v210", "format=yuv422p10le", ["-c:v", "v210"], ".mov"),
    (
        "1080p25 to 1080i25, MPEG-2 4:2:2",
        "lamp scan 3.mov",
        "1080i25",
        "mpeg2-422-50",
        "setfield=tff,format=yuv422p",
        ["-c:v", "mpeg2video", "-b:v", "50M", "-flags", "+ildct+ilme", "-intra_vlc", "1"],
        ".mxf",
    ),
)


def speeds(folder: Path) -> None:
    frames = PIECES * (FRAMES - PIECES)
    print(
        f"{'':36}{'bare loop':>11}{'one worker':>12}{'adds':>8}{'two':>9}{'gain':>7}"
        f"{'real time':>11}{'FFmpeg':>9}{'ratio':>7}"
    )
    for number, (name, clip, words, codec, filters, options, ending) in enumerate(CASES):
        canvas = Canvas(format_from_words(words), codecs()[codec])
        recipes = recipes_of(CLIPS / clip, canvas)
        here = folder / str(number)
        here.mkdir()
        bare(recipes[:1], here)  # what is read once is read before
        (here / "b").mkdir()
        alone = bare(recipes, here / "b")
        cores = os.sched_getaffinity(0)
        one = through(recipes, here / "one", 1)
        two = through(recipes, here / "two", 2) if len(cores) > 1 else one
        theirs = ffmpeg(CLIPS / clip, filters, options, here, ending)
        print(
            f"{name:36}{1000 * alone / frames:8.0f} ms{1000 * one / frames:9.0f} ms{100 * (one / alone - 1):7.1f}"
            f" %{1000 * two / frames:6.0f} ms{one / two:7.2f}{frames / 25 / min(one, two):9.2f}"
            f" ×{1000 * theirs / frames:6.0f} ms{min(one, two) / theirs:7.2f}"
        )


def main() -> int:
    moments = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    print(f"{PIECES} pieces of {FRAMES - PIECES} frames; {machine()}")
    with tempfile.TemporaryDirectory() as place:
        speeds(Path(place))
    with tempfile.TemporaryDirectory() as place:
        wrong, whole = killed_while_rendering(Path(place), moments)
    print(
        f"killed and cut off {moments} times: {whole} times a piece was whole, {wrong} times it was not what it was"
        " taken for"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
