"""Fields read from pictures, against FFmpeg's idet filter on the same synthesised clips, side by side by kind.

idet's verdict is taken by its majority over all frames (its "multiple" detection): upper or lower field first,
progressive or undetermined. It knows no cadence; for a pulldown, saying the right field order counts as right for it.
"""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from multiprocessing import Pool
from pathlib import Path

import av
import numpy as np
from av.video.frame import VideoFrame

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import machine
from tests.material import KINDS, drawn, frames, written

from idle_quarry.media.inspecting import inspect
from idle_quarry.media.measurement.measure import measure

EACH = 24


def idet(path: Path) -> str:
    """Return FFmpeg's majority verdict on a clip: top, bottom, progressive or undetermined."""
    counts: Counter[str] = Counter()
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        graph = av.filter.Graph()
        source = graph.add_buffer(template=stream)
        meter, sink = graph.add("idet"), graph.add("buffersink")
        source.link_to(meter)
        meter.link_to(sink)
        graph.configure()
        for frame in container.decode(stream):
            source.push(frame)
            _drain(sink, counts)
        source.push(None)
        _drain(sink, counts)
    verdicts = {"tff": "top", "bff": "bottom", "progressive": "progressive", "undetermined": "undetermined"}
    return verdicts[counts.most_common(1)[0][0]] if counts else "undetermined"


def _drain(sink: av.filter.FilterContext, counts: Counter[str]) -> None:
    while True:
        try:
            frame = sink.pull()
        except (BlockingIOError, EOFError, av.error.FFmpegError):
            return
        if isinstance(frame, VideoFrame):
            counts[str(frame.metadata.get("lavfi.idet.multiple.current_frame", "undetermined"))] += 1


def one(task: tuple[str, int]) -> tuple[str, bool, bool]:
    """Return the kind of one clip, and whether this program and idet were right about it."""
    name, seed = task
    rng = np.random.default_rng(4_000_000 + seed)
    kind = {"psf": "progressive", "stripes": "top", "stripes, whole": "progressive"}.get(name, name)
    chance = drawn(rng, 288, 352, 30)
    # what can be seen at all: enough of it moves, by enough
    chance.still_share, chance.contrast = min(chance.still_share, 0.3), max(chance.contrast, 0.4)
    chance.speed = max(chance.speed, 0.7)
    if name.startswith("stripes"):
        chance.stripes = True
    run, truth = frames(kind, chance)
    flagged = truth.scan in ("interlaced", "pulldown", "mixed") or name == "psf"
    with tempfile.TemporaryDirectory() as folder:
        path = written(Path(folder) / "clip.mkv", run, interlaced=flagged, rate=30)
        clip = inspect(path)
        result = measure(path, clip.declared, clip.format, threads=1).fields
        theirs = idet(path)
    assert result is not None
    wanted = "psf" if name == "psf" else truth.scan
    cadence = truth.cadence == result.cadence
    ours_right = (result.scan, result.field_order) == (wanted, truth.order) and cadence
    simple = {"interlaced": truth.order, "pulldown": truth.order, "progressive": "progressive"}.get(
        truth.scan, "undetermined"
    )
    return name, ours_right, theirs == simple


def main() -> None:
    names = [*KINDS, "psf", "stripes", "stripes, whole"]
    tasks = [(name, seed) for name in names for seed in range(EACH)]
    with Pool() as pool:
        results = pool.map(one, tasks, chunksize=4)
    ours, theirs = defaultdict(list), defaultdict(list)
    for name, mine, other in results:
        ours[name].append(mine)
        theirs[name].append(other)
    print(f"fields of {len(tasks)} clips, right by this program and by FFmpeg's idet ({machine()})")
    for name in names:
        print(f"  {name:<15} {np.mean(ours[name]):6.0%} {np.mean(theirs[name]):6.0%}")
    print(f"  {'all':<15} {np.mean([r for _, r, _ in results]):6.0%} {np.mean([r for _, _, r in results]):6.0%}")


if __name__ == "__main__":
    main()
