"""Pictures as images that can be painted: one field or the whole, the difference of two, fitted to a room.

Each made once.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage

from idle_quarry.proof.bench import Still
from idle_quarry.proof.figures import difference

_MOST = 24


class PaneImages:
    """What was made of the pictures in sight. `field` is the one looked at, None for whole frames."""

    def __init__(self) -> None:
        self.field: int | None = None
        self._images: dict[tuple[int, int | None], tuple[Any, QImage]] = {}
        self._scaled: dict[tuple[Any, ...], QImage] = {}

    def keep(self, stills: list[Still | None]) -> None:
        """Forget what was made of other pictures."""
        shown = {id(still) for still in stills}
        self._images = {key: value for key, value in self._images.items() if key[0] in shown}
        self._scaled = {key: value for key, value in self._scaled.items() if set(key[0]) <= shown}

    def of(self, still: Still) -> QImage:
        """Return a picture."""
        key = id(still), self.field
        result = self._images.get(key)
        if result is None:
            pixels = still.shown if self.field is None else one_field(still.shown, self.field)
            pixels = np.ascontiguousarray(pixels)
            height, width = pixels.shape[:2]
            result = pixels, QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888)
            self._images[key] = result
        return result[1]

    def difference(self, first: Still, second: Still, gain: int) -> QImage:
        """Return how the second parts from the first, around grey, amplified."""
        key = (id(first), id(second)), "difference", gain, self.field
        image = self._scaled.get(key)
        if image is None:
            pixels = difference(first.shown, second.shown, gain)
            pixels = np.ascontiguousarray(pixels if self.field is None else one_field(pixels, self.field))
            height, width = pixels.shape[:2]
            image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
            self._scaled[key] = image
        return image

    def fitted(self, image: QImage, size: QSize) -> QImage:
        """Return an image at another size."""
        key = (), image.cacheKey(), size.width(), size.height()
        result = self._scaled.get(key)
        if result is None:
            if len(self._scaled) > _MOST:
                self._scaled.clear()
            result = image.scaled(
                size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self._scaled[key] = result
        return result


def one_field(pixels: NDArray[np.uint8], field: int) -> NDArray[np.uint8]:
    """Return one field of a picture at full height, each of its lines twice."""
    lines = pixels[field::2].repeat(2, axis=0)
    return lines[: pixels.shape[0]]


def codes_at(still: Still, x: int, y: int) -> tuple[int, ...]:
    """Return the three code values at a sample; chroma is that of the block it lies in."""
    if still.coarse:
        return ()
    height, width = still.codes[0].shape
    return tuple(int(plane[y * plane.shape[0] // height, x * plane.shape[1] // width]) for plane in still.codes)
