"""How the shelf looked when the window was closed, shown at the next start while the library is being opened.

It is shown only where the library's file is the very one it was a picture of, in the same size and dress: it is never
out of date, and nothing in it can be acted on.
"""

from __future__ import annotations

import json

from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QWidget

from idle_quarry import __version__
from idle_quarry.app.background.file_follower import stamps
from idle_quarry.app.preferences import Preferences
from idle_quarry.places import memory_folder

_FILE = "last look.png"
_KEY = "of"


def _key(place: str, preferences: Preferences, window: QWidget) -> dict[str, object]:
    """Return what a look depends on but for the library's file."""
    size, ratio = window.size(), window.devicePixelRatioF()
    dress = [preferences.brightness, preferences.text_percent, preferences.view, preferences.template]
    return {"version": __version__, "library": place, "dress": dress, "size": [size.width(), size.height(), ratio]}


def keep(look: QImage, file: str, place: str, preferences: Preferences, window: QWidget) -> None:
    """Keep a look of the shelf of a library.

    `file` is the library's file on this machine, `place` what was asked for.
    """
    results = stamps(file)
    look.setText(_KEY, json.dumps({**_key(place, preferences, window), "file": file, "stamps": results}))
    look.save(str(memory_folder() / _FILE), "PNG", 70)  # type: ignore[call-overload]


def last_look(place: str, preferences: Preferences, window: QWidget) -> QPixmap | None:
    """Return how the window looks where it is shown now; None where that is not known."""
    image = QImage(str(memory_folder() / _FILE))
    try:
        data = json.loads(image.text(_KEY))
        file, seen = data.pop("file"), data.pop("stamps")
        true = data == _key(place, preferences, window) and seen == [list(stamp) for stamp in stamps(file)]
    except (ValueError, KeyError, TypeError, AttributeError):
        return None
    if not true:
        return None
    image.setDevicePixelRatio(window.devicePixelRatioF())
    return QPixmap.fromImage(image)
