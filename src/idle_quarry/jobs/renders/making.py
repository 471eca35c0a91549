"""A piece rendered: its pictures converted and coded into a file that appears when it is whole."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.renders.recipe import ClipFrames, Recipe
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.looking import look
from idle_quarry.media.material import clip_material
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.planes import Planes, codes_of_planes
from idle_quarry.signal.formats import CHROMA_STEPS, SignalFormat

#: Hears how many frames are written, of how many; it may raise to stop.
OnProgress = Callable[[int, int], None]


class RecipePictures:
    """The pictures of a recipe, by number; use it as a context.

    Raises `NotPossible` where a clip is another now, or `MediaError`.
    """

    def __init__(self, recipe: Recipe) -> None:
        self._recipe = recipe
        self.format: SignalFormat = encoder_pixels(recipe.codec, recipe.format).format
        self._open = contextlib.ExitStack()
        self._shown: Callable[[int], Planes] | None = None
        self._over: Callable[[int], Planes] | None = None

    def __enter__(self) -> RecipePictures:
        try:
            self._shown = self._of(self._recipe.shown)
            self._over = self._of(self._recipe.over)
        except BaseException:
            self._open.close()
            raise
        return self

    def __exit__(self, *_what: object) -> None:
        self._open.close()

    def _of(self, frames: ClipFrames | None) -> Callable[[int], Planes] | None:
        """Return what makes the planes of a frame of the piece."""
        if frames is None:
            return None
        path = Path(frames.path)
        try:
            same = identity(path) == frames.content
        except OSError as error:
            raise NotPossible(f"cannot be read ({error.strerror})", subject=path.name) from error
        if not same:
            raise NotPossible("is another file now", subject=path.name, remedy="look at it in Material")
        material = clip_material(replace(look(path), format=frames.taken_as), frames.cadence, onward=True)
        self._open.callback(material.close)
        target = replace(self.format, scan="progressive", field_order=None) if frames.whole else self.format
        raster = target.raster
        across, down = float(frames.shift[0] * raster.width), float(frames.shift[1] * raster.height)
        if target.scan == "interlaced":
            down = 2.0 * round(down / 2)  # fields stay the fields they are
        conversion = Conversion(material.format, target, frames.policy, (across, down))
        return lambda number: conversion.frame(frames.index(number), material.frame)

    def planes(self, number: int) -> Planes:
        """Return picture `number` as planes of `format`, exact values, float32."""
        shown = self._shown(number) if self._shown is not None else self._black()
        if not self._recipe.rise:
            return shown
        over = self._over(number) if self._over is not None else self._black()
        share = np.float32(self._recipe.share + number * self._recipe.rise)
        return tuple(one + share * (other - one) for one, other in zip(shown, over, strict=True))

    def codes(self, number: int) -> Planes:
        """Return picture `number` as code values, uint16, rounded as the policy of what is shown says."""
        shown = self._recipe.shown or self._recipe.over
        rounding = shown.policy.rounding if shown is not None else "round"
        return codes_of_planes(self.planes(number), self.format.encoding, rounding)

    def _black(self) -> Planes:
        encoding, raster = self.format.encoding, self.format.raster
        across, down = (1, 1) if encoding.matrix == "rgb" else CHROMA_STEPS[encoding.sampling]
        luma = np.zeros((raster.height, raster.width), np.float32)
        other = np.zeros((-(-raster.height // down), -(-raster.width // across)), np.float32)
        return luma, other, other


def render(recipe: Recipe, path: Path, on_progress: OnProgress | None = None) -> None:
    """Render a piece into `path`; where it is stopped or fails nothing is left.

    Raises `NotPossible` where a clip is another now or its class refuses, `MediaError` where it cannot be read or the
    disk refuses.
    """
    with (
        RecipePictures(recipe) as pictures,
        ClipWriter(path, recipe.codec, recipe.format) as writer,
        ThreadPoolExecutor(1, thread_name_prefix="quarry coder") as coder,
    ):
        # one picture is coded while the next is converted: an encoder has threads of its own
        ahead: Future[None] | None = None
        for number in range(recipe.frames):
            codes = pictures.codes(number)
            if ahead is not None:
                ahead.result()
            ahead = coder.submit(writer.write, codes)
            if on_progress is not None:
                on_progress(number + 1, recipe.frames)
        if ahead is not None:
            ahead.result()
        writer.finish()
