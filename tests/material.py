"""Material with known truth: moving pictures sampled into fields by every structure that tapes and files have.

Pictures are functions of time, so that what each field shows is known exactly. Chance decides texture, motion,
noise, contrast, static parts, fades, cuts and coding, from the seed alone.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.stream import VideoStream
from numpy.typing import NDArray

Frames = NDArray[np.uint8]
KINDS = (
    "progressive",
    "top",
    "bottom",
    "2:3 top",
    "2:3 bottom",
    "2:3:3:2 top",
    "2:2 top",
    "2:2 bottom",
    "repeats 2:2",
    "repeats 3:2",
    "still",
    "mixed",
)


@dataclass(frozen=True)
class Truth:
    """What a run of frames is: `scan` and `cadence` as the command line names them."""

    kind: str
    scan: str
    order: str | None = None
    cadence: str | None = None
    change: int | None = None


@dataclass
class Chance:
    """How a picture moves and how it is spoilt."""

    rng: np.random.Generator
    height: int = 144
    width: int = 160
    count: int = 24
    speed: float = 3.0
    noise: float = 1.5
    contrast: float = 1.0
    stripes: bool = False
    still_share: float = 0.3
    fade: bool = False
    cut: int | None = None
    panning: bool = False
    vertical_filter: bool = True


def drawn(rng: np.random.Generator, height: int = 144, width: int = 160, count: int = 24) -> Chance:
    """Return chances drawn from what footage is like: slow to fast, clean to noisy, flat to contrasty."""
    chance = Chance(rng, height, width, count)
    chance.speed = float(np.exp(rng.uniform(np.log(0.25), np.log(12))))
    chance.noise = float(rng.choice([0.0, 0.7, 1.5, 3.0, 6.0], p=[0.25, 0.25, 0.25, 0.15, 0.1]))
    chance.contrast = float(np.exp(rng.uniform(np.log(0.15), 0)))
    chance.stripes = bool(rng.random() < 0.2)
    chance.still_share = float(rng.choice([0.0, 0.3, 0.6, 0.9]))
    chance.fade = bool(rng.random() < 0.15)
    chance.cut = int(rng.integers(4, count - 4)) if rng.random() < 0.2 else None
    chance.panning = bool(rng.random() < 0.3)
    chance.vertical_filter = bool(rng.random() < 0.5)
    return chance


def scene(chance: Chance) -> Callable[[float], NDArray[np.float32]]:
    """Return a picture as a function of time in frames: luma (h, w) as float32, 8-bit codes."""
    rng, h, w = chance.rng, chance.height, chance.width

    def texture(rows: int, columns: int, grain: float) -> NDArray[np.float32]:
        small = rng.standard_normal((max(3, int(rows / grain) + 3), max(3, int(columns / grain) + 3)))
        y, x = np.linspace(0, small.shape[0] - 1.001, rows), np.linspace(0, small.shape[1] - 1.001, columns)
        return _sampled(small.astype(np.float32), y, x)

    angle = rng.uniform(0, 2 * np.pi) if rng.random() < 0.5 else rng.choice([0.0, np.pi])
    v = (chance.speed * float(np.sin(angle)), chance.speed * float(np.cos(angle)))
    pad = int(chance.speed * (chance.count + 2)) + 4
    ground = 110 + 45 * texture(h + 2 * pad, w + 2 * pad, rng.uniform(3, 30))
    if chance.stripes:  # level lines of one to three lines: as a comb is
        period = int(rng.integers(1, 4))
        ground += (25.0 * ((np.arange(h + 2 * pad) // period) % 2 * 2 - 1))[:, None]
    things = []
    for _ in range(int(rng.integers(1, 4))):
        rows, columns = int(rng.uniform(0.2, 0.7) * h), int(rng.uniform(0.2, 0.7) * w)
        turn = angle + rng.uniform(-0.6, 0.6)
        own = chance.speed * rng.uniform(0.5, 1.2)
        things.append(
            (
                120 + 60 * texture(rows, columns, rng.uniform(2, 16)),
                (rng.uniform(0, h - rows), rng.uniform(-0.2 * w, w - 0.6 * columns)),
                (own * float(np.sin(turn)) * 0.6, own * float(np.cos(turn))),
            )
        )
    keep = int(chance.still_share * h)
    other = 128 + 50 * texture(h, w, 6.0)

    def at(t: float) -> NDArray[np.float32]:
        if chance.cut is not None and t >= chance.cut:
            t = 1.7 * t + 5  # another moment of it, moving otherwise
        dy, dx = (v[0] * t, v[1] * t) if chance.panning else (0.0, 0.0)
        picture = _window(ground, pad + _folded(dy, pad - 2), pad + _folded(dx, pad - 2), h, w)
        for patch, (y0, x0), (vy, vx) in things:
            rows, columns = patch.shape  # what leaves at one side comes back at the other
            y, x = (y0 + vy * t + rows) % (h + rows) - rows, (x0 + vx * t + columns) % (w + columns) - columns
            _paste(picture, patch, y, x)
        if keep:
            picture[:keep] = other[:keep]
        if chance.cut is not None and t >= chance.cut:
            picture = 255 - picture
        picture = 128 + (picture - 128) * chance.contrast
        if chance.fade:
            picture = 16 + (picture - 16) * min(1.0, 0.15 + 0.85 * max(0.0, t) / chance.count)
        if chance.vertical_filter:
            picture[1:-1] = (picture[:-2] + 2 * picture[1:-1] + picture[2:]) / 4
        return picture

    return at


def _folded(x: float, limit: float) -> float:
    return (x + limit) % (2 * limit) - limit if limit > 0 else 0.0


def _sampled(source: NDArray[np.float32], y: NDArray[np.float64], x: NDArray[np.float64]) -> NDArray[np.float32]:
    y0, x0 = y.astype(int), x.astype(int)
    fy, fx = (y - y0)[:, None].astype(np.float32), (x - x0)[None, :].astype(np.float32)
    rows0, rows1 = source[y0], source[np.minimum(y0 + 1, source.shape[0] - 1)]
    x1 = np.minimum(x0 + 1, source.shape[1] - 1)
    top = rows0[:, x0] * (1 - fx) + rows0[:, x1] * fx
    low = rows1[:, x0] * (1 - fx) + rows1[:, x1] * fx
    return np.asarray(top * (1 - fy) + low * fy, np.float32)


def _window(ground: NDArray[np.float32], y: float, x: float, h: int, w: int) -> NDArray[np.float32]:
    y0, x0 = int(np.floor(y)), int(np.floor(x))
    fy, fx = np.float32(y - y0), np.float32(x - x0)
    part = ground[y0 : y0 + h + 1, x0 : x0 + w + 1]
    across = part[:, :-1] * (1 - fx) + part[:, 1:] * fx
    return np.asarray(across[:-1] * (1 - fy) + across[1:] * fy, np.float32)


def _paste(picture: NDArray[np.float32], patch: NDArray[np.float32], y: float, x: float) -> None:
    """Lay a patch on a picture at any place between samples, its edge as soft as a lens makes it."""
    h, w = picture.shape
    y0, x0 = int(np.floor(y)), int(np.floor(x))
    rows = np.arange(max(0, y0), min(h, y0 + patch.shape[0] + 1))
    columns = np.arange(max(0, x0), min(w, x0 + patch.shape[1] + 1))
    if not len(rows) or not len(columns):
        return
    from_y, from_x = rows - y, columns - x
    inside_y = np.clip(np.minimum(from_y, patch.shape[0] - 1 - from_y) / 2, 0, 1)
    inside_x = np.clip(np.minimum(from_x, patch.shape[1] - 1 - from_x) / 2, 0, 1)
    alpha = (inside_y[:, None] * inside_x[None, :]).astype(np.float32)
    laid = _sampled(patch, np.clip(from_y, 0, patch.shape[0] - 1.001), np.clip(from_x, 0, patch.shape[1] - 1.001))
    part = picture[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    part += alpha * (laid - part)


def moments(kind: str, count: int, phase: int = 0) -> tuple[list[tuple[float, float]], Truth]:
    """Return for each frame the times (in frames of the carrying rate) that its upper and lower field show."""
    if kind == "progressive":
        return [(float(n), float(n)) for n in range(count)], Truth(kind, "progressive")
    if kind in ("top", "bottom"):
        second = 0.5
        result = [(n, n + second) if kind == "top" else (n + second, float(n)) for n in range(count)]
        return [(float(a), float(b)) for a, b in result], Truth(kind, "interlaced", kind)
    if kind.startswith(("2:3", "2:2 ")):
        cadence, order = kind.split()
        lengths = {"2:3": (2, 3), "2:3:3:2": (2, 3, 3, 2), "2:2": (2,)}[cadence]
        shown: list[int] = (
            [0] if cadence == "2:2" else []
        )  # 2:2 across frames: the first field is of the picture before
        picture = 1 if shown else 0
        while len(shown) < 2 * (count + 8):
            shown += [picture] * lengths[picture % len(lengths)] if cadence != "2:2" else [picture] * 2
            picture += 1
        step = 1.0 if cadence == "2:2" else 1.25  # frames of the carrying rate for each picture
        fields = [shown[2 * phase + i] * step for i in range(2 * count)]
        pairs = [(fields[2 * n], fields[2 * n + 1]) for n in range(count)]
        if order == "bottom":
            pairs = [(b, a) for a, b in pairs]
        return pairs, Truth(kind, "pulldown", order, cadence)
    if kind == "repeats 2:2":
        return [(float((n + phase) // 2 * 2),) * 2 for n in range(count)], Truth(kind, "progressive", None, "2:2")
    if kind == "repeats 3:2":
        shown = [p for p in range(count) for _ in range(3 if p % 2 == 0 else 2)]
        return [(shown[n + phase] * 2.5,) * 2 for n in range(count)], Truth(kind, "progressive", None, "3:2")
    if kind == "still":
        return [(0.0, 0.0)] * count, Truth(kind, "undetermined")
    if kind == "mixed":
        half = count // 2
        first, _ = moments("top", half)
        later, _ = moments("progressive", count - half)
        return [*first, *((a + half, b + half) for a, b in later)], Truth(kind, "mixed", change=half)
    raise ValueError(kind)


def frames(kind: str, chance: Chance) -> tuple[Frames, Truth]:
    """Return a run of frames (count, h, w) of luma, 8-bit codes, and its truth."""
    phase = int(chance.rng.integers(0, 5))
    times, truth = moments(kind, chance.count, phase)
    at = scene(chance)
    output: dict[float, NDArray[np.float32]] = {}
    result = np.empty((chance.count, chance.height, chance.width), np.uint8)
    for n, (top, bottom) in enumerate(times):
        for t in (top, bottom):
            if t not in output:
                picture = at(t)
                if chance.noise:
                    picture = picture + chance.noise * chance.rng.standard_normal(picture.shape).astype(np.float32)
                output[t] = picture
        woven = output[bottom].copy()
        woven[0::2] = output[top][0::2]
        if kind == "still" and chance.noise:
            woven = at(0.0) + chance.noise * chance.rng.standard_normal(woven.shape).astype(np.float32)
        result[n] = np.clip(np.rint(woven), 0, 255)
    return result, truth


def written(path: Path, run: Frames, *, interlaced: bool = False, rate: int = 25, codec: str = "ffv1") -> Path:
    """Write a run as a clip, by default lossless and with an index, flagged as said; return its path."""
    count, h, w = run.shape
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=Fraction(rate))
        assert isinstance(stream, VideoStream)
        stream.width, stream.height, stream.pix_fmt = w, h, "yuv420p"
        stream.codec_context.options = {
            "g": "12",
            "field_order": "tb" if interlaced else "progressive",
            **({"flags": "+ildct+ilme"} if interlaced else {}),
        }
        for n in range(count):
            container.mux(stream.encode(_grey(run[n], n, rate)))
        container.mux(stream.encode(None))
    return path


def _grey(luma: NDArray[np.uint8], index: int, rate: int) -> av.VideoFrame:
    """Return a frame of no colour."""
    height, width = luma.shape
    frame = av.VideoFrame(width, height, "yuv420p")
    for plane, data in zip(frame.planes, (luma, None, None), strict=True):
        rows = np.full((plane.height, plane.line_size), 128, np.uint8)
        if data is not None:
            rows[:, :width] = data
        plane.update(rows.tobytes())
    frame.pts, frame.time_base = index, Fraction(1, rate)
    return frame


#: How strongly each coder is driven: MPEG-2 by its quantiser (1 to 31), H.264 by its constant rate factor (0 to 51).
CODERS = {"mpeg2video": (2, 4, 8, 16), "libx264": (14, 20, 26, 32)}


def coded(run: Frames, quality: int, *, interlaced: bool, codec: str = "mpeg2video") -> Frames:
    """Return a run after coding and decoding, by pictures that follow from others, at a `quality` of `CODERS`."""
    count, h, w = run.shape
    memory = io.BytesIO()
    with av.open(memory, "w", format="mpegts") as container:
        stream = container.add_stream(codec, rate=Fraction(25))
        assert isinstance(stream, VideoStream)
        stream.width, stream.height, stream.pix_fmt = w, h, "yuv420p"
        context = stream.codec_context
        driven = {"crf": str(quality), "preset": "fast"} if codec == "libx264" else {}
        if codec == "mpeg2video":
            context.qmin = context.qmax = quality
        context.options = {"g": "12", "bf": "2", **driven, **({"flags": "+ildct+ilme"} if interlaced else {})}
        for n in range(count):
            container.mux(stream.encode(_grey(run[n], n, 25)))
        container.mux(stream.encode(None))
    memory.seek(0)
    result = []
    with av.open(memory, "r") as read:
        for frame in read.decode(video=0):
            plane = frame.planes[0]
            result.append(np.frombuffer(bytes(plane), np.uint8).reshape(plane.height, -1)[:h, :w].copy())
    return np.stack(result)
