"""A process that has loaded what it needs and forks: what is killed a thousand times is imported once."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time

_SERVE = """
import os, sys
for _line in sys.stdin:
    child = os.fork()
    if child == 0:
        print(f"begun {os.getpid()}", flush=True)
        act()
        os._exit(0)
    os.waitpid(child, 0)
    print("\\nended", flush=True)
"""


class Forking:
    """A process of `code`, which defines `act()`, what a forked child does; `arguments` are its `sys.argv[1:]`.

    The code may start no threads before: they would be missing in its children.
    """

    def __init__(self, code: str, *arguments: object) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-c", code + _SERVE, *map(str, arguments)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def __enter__(self) -> Forking:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def close(self) -> None:
        """End the process; it does not wait for what has begun."""
        assert self._process.stdin is not None
        self._process.stdin.close()
        self._process.wait()

    def killed_after(self, seconds: float) -> list[str]:
        """Begin a child, kill it after so many seconds, and return the lines that it printed whole."""
        assert self._process.stdin is not None and self._process.stdout is not None
        self._process.stdin.write("go\n")
        self._process.stdin.flush()
        child = int(self._process.stdout.readline().removeprefix("begun "))
        time.sleep(seconds)
        with contextlib.suppress(ProcessLookupError):  # it was done before
            os.kill(child, signal.SIGKILL)
        text = ""
        while not text.endswith("\nended\n"):
            line = self._process.stdout.readline()
            assert line, "it ended by itself"
            text += line
        return text.removesuffix("\nended\n").split("\n")[:-1]
