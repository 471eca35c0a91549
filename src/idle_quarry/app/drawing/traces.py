"""Counts of codes as pictures of light."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QImage

from idle_quarry.app.appearance.theme import theme
from idle_quarry.picture.scopes import Counts


def trace(counts: Counts, role: str) -> QImage:
    """Return counts as a picture of light: few samples faint, many bright, row 0 at the bottom."""
    strength = np.sqrt(
        np.clip(counts / max(1.0, float(np.percentile(counts[counts > 0], 96)) if counts.any() else 1.0), 0, 1)
    )
    colour = theme.colour(role)
    image = np.zeros((*counts.shape, 4), np.uint8)
    image[..., 0], image[..., 1], image[..., 2] = colour.red(), colour.green(), colour.blue()
    image[..., 3] = (strength * 255).astype(np.uint8)
    flipped = np.ascontiguousarray(image[::-1])
    height, width = counts.shape
    return QImage(flipped.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBA8888)


def signed(value: float, digits: int = 1) -> str:
    """Return a number with a minus sign as long as a plus."""
    return f"{value:.{digits}f}".replace("-", "−")
