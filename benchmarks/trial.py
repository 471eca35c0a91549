"""The trial in the real window: 2 000 items edited, zoomed and searched.

Long groups of pictures stepped through and played; pip and flash.

Figures beside a bare baseline of the same run: a repaint beside an empty one, a step beside FFmpeg decoding a frame of
the same clip. Killed at as many random moments of editing as are asked for (500 by default), the timeline of the last
finished edit is to be there; at a fifth as many of bringing a clip in, no half file is to be taken for whole.

`PYTHONPATH=src:. xvfb-run -a .venv/bin/python benchmarks/trial.py [MOMENTS]`
"""

from __future__ import annotations

import random
import sys
import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from time import perf_counter

import av
import numpy as np
from av.video.frame import VideoFrame
from common import machine, milliseconds, timed
from cutting import large
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication, QWidget
from tests.jobs.test_material import killed_while_bringing_in
from tests.jobs.test_trial import killed_while_editing

from idle_quarry.app.appearance.style import prepare
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import ItemLook, Scale
from idle_quarry.app.models.jobs.trial.playback import Playback
from idle_quarry.app.models.jobs.trial.sources import ClipSource
from idle_quarry.app.widgets.lanes.trial_lanes import TrialLanes
from idle_quarry.app.widgets.pictures.player_picture import PlayerPicture
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.at_frame import next_item
from idle_quarry.media import inspect
from idle_quarry.media.stills import FrameSource
from idle_quarry.signal.rasters import Raster
from idle_quarry.sound.playing import RATE as SOUND_RATE
from idle_quarry.sound.playing import SpeakerStandIn

#: Squares that carry a picture's number, and seconds of the clip.
BITS, SECONDS = 12, 62


def numbered(path: Path) -> Path:
    """Make a 1080i25 MPEG-2 clip, 4:2:2, groups of 12, whose pictures carry their number.

    Every second one flashes and pips.
    """
    rng = np.random.default_rng(1)
    noise = rng.integers(60, 190, (1080, 1920 + 256)).astype(np.uint8)
    with av.open(str(path), "w") as container:
        picture = container.add_stream(
            "mpeg2video", rate=25, options={"g": "12", "bf": "2", "flags": "+ildct+ilme", "b": "50000000"}
        )
        picture.width, picture.height, picture.pix_fmt = 1920, 1080, "yuv422p"
        sound = container.add_stream("pcm_s16le", rate=SOUND_RATE, layout="stereo")
        chroma = np.full((1080, 1920), 128, np.uint8)
        for number in range(25 * SECONDS):
            luma = noise[:, number % 256 : number % 256 + 1920].copy()
            for bit in range(BITS):
                luma[32:160, 100 + 128 * bit : 228 + 128 * bit] = 235 if number >> bit & 1 else 16
            luma[400:700, 600:1300] = 235 if number % 25 == 0 else 16
            frame = VideoFrame.from_ndarray(np.concatenate([luma, chroma]), format="yuv422p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(picture.encode(frame))
            samples = np.zeros((1, 2 * SOUND_RATE // 25), np.int16)
            if number % 25 == 0:
                samples[0, :96] = 20000
            block = av.AudioFrame.from_ndarray(samples, format="s16", layout="stereo")
            block.sample_rate, block.pts, block.time_base = (
                SOUND_RATE,
                number * SOUND_RATE // 25,
                Fraction(1, SOUND_RATE),
            )
            container.mux(sound.encode(block))
        for stream in (picture, sound):
            container.mux(stream.encode(None))
    return path


def number_in(luma: np.ndarray) -> int:
    squares = [luma[64:128, 132 + 128 * bit : 196 + 128 * bit].mean() for bit in range(BITS)]
    return sum(1 << bit for bit, value in enumerate(squares) if value > 125)


class _Held:
    """What of an open timeline the lanes need."""

    def __init__(self) -> None:
        self.timeline = large()
        self.frame, self.mark_in, self.mark_out = 2500, None, None
        self.chosen: frozenset[int] = frozenset()
        self.aims = {"picture": "t0", "sound": "t19"}
        self.canvas = Raster(1920, 1080)


def lanes_figures() -> None:
    held = _Held()
    lanes = TrialLanes("lanes")
    lanes.look = lambda item: ItemLook("lossy" if item.ident % 2 else "clean")
    lanes.resize(1280, 620)
    lanes.show()
    lanes.show_opened(held)  # type: ignore[arg-type]
    empty = QWidget()
    empty.resize(1280, 620)
    empty.show()
    rng, piece = random.Random(1), large().tracks[0].items[3]

    def edit() -> None:
        at = rng.randrange(5000)
        held.timeline = edits.put_in(held.timeline, at, [("t0", replace(piece, at=0, ident=0, link=None))])
        lanes.grab()

    print(
        f"an edit of {sum(1 for _ in held.timeline.items)} items on 20 tracks, and the repaint:"
        f" {milliseconds(timed(edit, 60))}; aim 30 ms at 95 %"
    )
    print(f"an empty repaint: {milliseconds(timed(empty.grab, 60))}")

    def zoom() -> None:
        lanes.scale = Scale(rng.random() * 4000, 0.1 + rng.random() * 4)
        lanes.grab()

    print(f"zoomed and scrolled: {milliseconds(timed(zoom, 120))}; aim 16.7 ms")
    wanted = lambda _track, item: item.name == "clip 99"  # noqa: E731
    print(f"find: {milliseconds(timed(lambda: next_item(held.timeline, 0, wanted), 60))}; aim 20 ms")
    lanes.hide()
    empty.hide()


def stepping_figures(path: Path) -> None:
    clip = inspect(path)
    rng, wrong, taken = random.Random(2), 0, []
    with FrameSource(clip) as source:
        source.frame(0)
        for _ in range(120):
            index = rng.randrange(25 * SECONDS)
            start = perf_counter()
            picture = source.frame(index)
            taken.append(perf_counter() - start)
            wrong += picture is None or number_in(picture.luma) != index
        back = []
        for index in range(700, 640, -1):
            start = perf_counter()
            picture = source.frame(index)
            back.append(perf_counter() - start)
            wrong += picture is None or number_in(picture.luma) != index
    with av.open(str(path)) as container:
        container.streams.video[0].thread_type = "AUTO"
        start = perf_counter()
        for count, _frame in enumerate(container.decode(video=0)):
            if count >= 250:
                break
        item = (perf_counter() - start) / 250
    print(
        f"a step to any frame: {milliseconds(taken)}; back one by one: {milliseconds(back)}; {wrong} wrong of 180; aim"
        " 80 ms at 95 %"
    )
    print(f"FFmpeg decodes a frame in {1000 * item:.1f} ms: a group's middle is {6 * 1000 * item:.0f} ms away")


def playing_figures(path: Path) -> None:
    player = Playback()
    speakers: list[SpeakerStandIn] = []

    def speaker(channels: int) -> SpeakerStandIn:
        speakers.append(SpeakerStandIn(channels))
        return speakers[-1]

    player.speaker = speaker
    widget = PlayerPicture(player)
    widget.resize(620, 340)
    widget.show()
    player.show(ClipSource(inspect(path)), 0)
    apart: list[float] = []

    def shown() -> None:
        seen = player.seen
        if player.speed and seen is not None and seen.frame % 25 == 0 and speakers:
            apart.append(abs(speakers[-1].played() / SOUND_RATE - seen.frame / 25))

    player.seen_changed.connect(shown)
    loop = QEventLoop()
    QTimer.singleShot(1500, loop.quit)
    loop.exec()
    player.play(Fraction(1))
    QTimer.singleShot(60_000, loop.quit)
    loop.exec()
    print(
        f"played for 60 s: {player.words()}; {100 * player.late / max(1, player.shown + player.late):.2f} % late;"
        " aim 1 %"
    )
    print(f"from a pip to its flash: {milliseconds(apart)} over {len(apart)}; aim 10 ms")
    player.close()
    widget.hide()


def main() -> int:
    moments = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    print(f"trial; {machine()}")
    app = QApplication(["trial"])
    prepare(app)
    theme.apply(app, "dim room", 100)
    lanes_figures()
    with tempfile.TemporaryDirectory() as folder:
        path = numbered(Path(folder) / "numbers.mxf")
        stepping_figures(path)
        playing_figures(path)
    with tempfile.TemporaryDirectory() as folder:
        wrong = killed_while_editing(Path(folder), moments)
        print(
            f"killed at {moments} random moments of editing: {wrong} times neither the last finished edit nor the next"
        )
    with tempfile.TemporaryDirectory() as folder:
        half = killed_while_bringing_in(Path(folder) / "job", moments // 5)
        print(f"killed at {moments // 5} random moments of bringing in: {half} times half a file was taken for whole")
    return 1 if wrong or half else 0


if __name__ == "__main__":
    sys.exit(main())
