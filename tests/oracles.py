"""Libraries that figures are held against and that take seconds to load: each is loaded when a test first asks it
something.
"""

from __future__ import annotations

import warnings
from importlib import import_module
from typing import Any


class _Later:
    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # it says at import that it could also plot
            return getattr(import_module(self._name), name)


#: colour-science.
colour = _Later("colour")
