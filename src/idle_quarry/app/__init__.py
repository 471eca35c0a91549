"""The Qt application."""

import sys

import PySide6.QtCore  # noqa: F401  (its hook into every import must be there before it is quietened)

# PySide reads the source of each module that is imported after it, in search of its own switches of syntax, which this
# program never uses; that is a third of a start. `tests/app/test_start.py` holds that the hook is still so called.
if (_switches := sys.modules.get("shibokensupport.feature")) is not None:
    vars(_switches)["_mod_uses_pyside"] = lambda _module: False
