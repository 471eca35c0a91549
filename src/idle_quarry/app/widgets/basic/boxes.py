"""Boxes of a few choices."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtWidgets import QComboBox


def choice_box(name: str, choices: Mapping[str, Any], chosen: Callable[[Any], object]) -> QComboBox:
    """Return a box that offers choices by their words, and hands the chosen one on."""
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(name)
    for text, value in choices.items():
        box.addItem(text, value)
    box.activated.connect(lambda index: chosen(box.itemData(index)))
    return box


def offered(box: QComboBox, offers: dict[str, str]) -> None:
    """Offer other things in a box, keeping what is chosen where it is still there."""
    if [box.itemText(n) for n in range(box.count())] == list(offers):
        return
    before = box.currentData()
    box.clear()
    for name, value in offers.items():
        box.addItem(name, value)
    box.setCurrentIndex(max(0, box.findData(before)))
