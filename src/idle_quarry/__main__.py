"""The one entry: the application where nothing or `demo` is asked for, else the command line."""

from __future__ import annotations

import os
import sys

# pydantic would read the metadata of every installed package in search of plugins, at each start
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")


def main(arguments: list[str] | None = None) -> int:
    """Run with `arguments` (without the program's name) and return the exit status."""
    given = sys.argv[1:] if arguments is None else arguments
    from idle_quarry.cli.main import run

    return run(given, _window)


def _window(place: str | None) -> int:
    import gc

    # what a start loads stays: collecting meanwhile walks it again and again; `app.collecting` takes it up from there
    gc.disable()
    from idle_quarry.app.run import run_window

    return run_window(place)


if __name__ == "__main__":
    sys.exit(main())
