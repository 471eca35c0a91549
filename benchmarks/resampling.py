"""Resampling against libswscale and OpenCV at the same kernel: time, and error against a float64 reference."""

from __future__ import annotations

import statistics
import sys
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from time import perf_counter
from typing import Any

import av
import cv2
import numpy as np
from av.video.frame import VideoFrame
from common import machine
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.resampling import PictureFit, resampled

Picture = NDArray[Any]
ROUNDS = 15


def reference(picture: Picture, height: int, width: int, weigh: Callable[[Picture], Picture], reach: float) -> Picture:
    """Return a picture resampled in float64 by plain dense matrices, from the kernel's own formula."""

    def matrix(source: int, target: int) -> Picture:
        scale = target / source
        widened = max(1.0, 1 / scale)
        centres = (np.arange(target) + 0.5) / scale - 0.5
        places = np.arange(-int(reach * widened) - 2, source + int(reach * widened) + 2)
        weights = weigh((places[None, :] - centres[:, None]) / widened)
        weights /= weights.sum(axis=1, keepdims=True)
        folded = np.zeros((target, source))
        for column, place in enumerate(np.clip(places, 0, source - 1)):  # the edge goes on
            folded[:, place] += weights[:, column]
        return folded

    down, across = matrix(picture.shape[0], height), matrix(picture.shape[1], width)
    return np.asarray(down @ picture.astype(np.float64) @ across.T)


def _lanczos(x: Picture) -> Picture:
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0.0)


def _bilinear(x: Picture) -> Picture:
    return np.asarray(np.maximum(0, 1 - np.abs(x)))


def _catmull_rom(x: Picture) -> Picture:
    x = np.abs(x)
    near, far = 1.5 * x**3 - 2.5 * x**2 + 1, -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2
    return np.where(x < 1, near, np.where(x < 2, far, 0.0))


KERNELS: dict[str, tuple[Callable[[Picture], Picture], float, str]] = {
    "bilinear": (_bilinear, 1, "bilinear"),
    "bicubic": (_catmull_rom, 2, "bicubic:param0=0:param1=0.5"),
    "lanczos3": (_lanczos, 3, "lanczos:param0=3"),
}


def swscale(picture: NDArray[np.uint16], height: int, width: int, flags: str) -> Callable[[], VideoFrame]:
    """Return what scales a 16-bit picture by libswscale, through FFmpeg's filter."""
    name, *params = flags.split(":")
    text = f"{width}:{height}:flags={name}+accurate_rnd+full_chroma_int" + "".join(f":{param}" for param in params)
    graph = av.filter.Graph()
    source = graph.add(
        "buffer",
        f"video_size={picture.shape[1]}x{picture.shape[0]}:pix_fmt=gray16le:time_base=1/25:frame_rate=25/1:pixel_aspect=1/1",
    )
    result, sink = graph.add("scale", text), graph.add("buffersink")
    source.link_to(result)
    result.link_to(sink)
    graph.configure()
    frame = VideoFrame.from_ndarray(picture, format="gray16le")
    frame.time_base, frame.pts = Fraction(1, 25), -1

    def scaled() -> VideoFrame:
        frame.pts = (frame.pts or 0) + 1
        graph.push(frame)  # the graph is to live as long as this
        pulled = graph.pull()
        assert isinstance(pulled, VideoFrame)
        return pulled

    return scaled


def against(ours: Callable[[], Any], theirs: Callable[[], Any]) -> tuple[Any, Any, float, float, float]:
    """Return what both make, the median seconds of each, and the median ratio: they take turns, so a slow machine
    is so for both.
    """
    result, other = ours(), theirs()
    taken: list[tuple[float, float]] = []
    for _ in range(ROUNDS):
        start = perf_counter()
        result = ours()
        between = perf_counter()
        other = theirs()
        taken.append((between - start, perf_counter() - between))
    own, their = zip(*taken, strict=True)
    return result, other, *(statistics.median(item) for item in (own, their, [a / b for a, b in taken]))


def main() -> int:
    """Print times, ratios and errors; exit 1 where ours is under 90 dB."""
    rng = np.random.default_rng(1)
    poor = 0
    print(
        f"resampling one plane of 16 bits; medians of {ROUNDS} turns; {machine()}; OpenCV on {cv2.getNumThreads()}"
        " threads"
    )
    print(f"{'':34}{'ours':>9}{'swscale':>9}{'ratio':>7}   error: {'ours':>6}{'swscale':>9}")
    for (h, w), (height, width) in (
        ((1080, 1920), (2160, 3840)),
        ((2160, 3840), (1080, 1920)),
        ((1080, 1920), (720, 1280)),
        ((576, 720), (1080, 1440)),
    ):
        fine = gaussian_filter(rng.standard_normal((h, w)), 0.7)
        codes = (32768 + 9000 * fine / fine.std()).clip(0, 65535).astype(np.uint16)
        single = codes.astype(np.float32)
        fit = PictureFit(width / w, height / h)
        for kernel, (weigh, reach, flags) in KERNELS.items():
            truth = reference(codes, height, width, weigh, reach)
            ours, frame, own_time, their_time, ratio = against(
                partial(resampled, single, height, width, fit, kernel), swscale(codes, height, width, flags)
            )
            theirs = frame.to_ndarray()
            inner = (slice(16, -16), slice(16, -16))  # edges are treated otherwise there
            errors = [psnr_db(item.astype(float)[inner], truth[inner], 65535) for item in (ours, theirs)]
            poor += errors[0] < 90
            name = f"{kernel} {w}×{h} to {width}×{height}"
            print(
                f"{name:34}{1000 * own_time:7.1f} ms{1000 * their_time:6.1f} ms{ratio:7.2f}"
                f"          {errors[0]:6.1f}{errors[1]:9.1f} dB"
            )
        ways = {"bilinear": cv2.INTER_LINEAR} if height > h else {"area": cv2.INTER_AREA}
        for kernel, flag in ways.items():  # OpenCV has no low-pass but area's when it reduces, and another bicubic
            ours, theirs, own_time, their_time, ratio = against(
                partial(resampled, single, height, width, fit, kernel),
                partial(cv2.resize, single, (width, height), None, 0, 0, flag),
            )
            apart = psnr_db(ours[16:-16, 16:-16], theirs[16:-16, 16:-16], 65535)
            name = f"{kernel} {w}×{h} to {width}×{height}"
            print(
                f"{name:34}{1000 * own_time:7.1f} ms{1000 * their_time:6.1f} ms{ratio:7.2f}"
                f"   OpenCV, single precision; they agree to {apart:.0f} dB"
            )
    return 1 if poor else 0


if __name__ == "__main__":
    sys.exit(main())
