"""Two eyes: what becomes of stereoscopic pictures from one station to the next.

A station has one eye unless it says otherwise.
"""

from __future__ import annotations

from typing import Literal

Eyes = Literal["one", "two files", "side by side"]
#: What people call each.
NAMES: dict[str, Eyes] = {"One": "one", "Two, a file each": "two files", "Two, side by side": "side by side"}


def files_of(eyes: Eyes) -> int:
    """Return how many files, and so how many times the data, a station's pictures are."""
    return 2 if eyes == "two files" else 1


def cost_of(source: Eyes, target: Eyes) -> tuple[str, str]:
    """Return the grade of going from one to the other, and what it does in words ("" where nothing)."""
    if source == target:
        return "exact", ""
    if source == "one":
        return "broken", "one eye cannot become two"
    if target == "one":
        half = " and enlarged from half its width" if source == "side by side" else ""
        return "lossy", f"the left eye is kept{half}, the right is left out"
    if target == "side by side":
        return "lossy", "each eye is squeezed to half its width"
    return "lossy", "each eye is enlarged from half its width"
