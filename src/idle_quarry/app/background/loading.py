"""Loading what the other views need, in a moment of rest after the first picture: opening one then takes no second."""

from __future__ import annotations

import gc
import threading
from collections.abc import Sequence
from importlib import import_module


class Loading(threading.Thread):
    """Imports modules one after the other; `close` ends it after the one under way.

    What cannot be loaded is told where it is used.
    """

    def __init__(self, modules: Sequence[str]) -> None:
        super().__init__(name="quarry loading", daemon=True)
        self._modules = modules
        self._ending = threading.Event()

    def run(self) -> None:
        for module in self._modules:
            if self._ending.wait(0.02):  # the window goes first
                return
            try:
                import_module(module)
            except Exception:  # whoever opens the view hears of it there, in a sentence
                continue
        gc.freeze()  # modules stay: nothing is gained by walking through them again

    def close(self) -> None:
        """End it."""
        self._ending.set()
        if self.is_alive():
            self.join()
