"""A virtual screen for one process of the tests, so that windows of several processes never take the keyboard from
each other.
"""

from __future__ import annotations

import os
import shutil
import subprocess


def own_screen() -> subprocess.Popen[bytes] | None:
    """Start a virtual screen, name it in the environment, and return its process.

    None where Debian's Xvfb is missing.
    """
    if shutil.which("Xvfb") is None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        return None
    read, write = os.pipe()
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1600x1000x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as number:
        os.environ |= {"DISPLAY": f":{number.readline().strip()}", "QT_QPA_PLATFORM": "xcb"}
    return screen
