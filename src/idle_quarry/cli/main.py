"""The command line: arguments in, one document or one line out, and the exit status."""

from __future__ import annotations

import io
import os
import sys
from collections.abc import Callable

from idle_quarry.cli.output import Output, complain
from idle_quarry.cli.parser import parser, read_command, typed_command
from idle_quarry.errors import QuarryError
from idle_quarry.places import DEMO, chosen

#: Opens the window on a library (None for the user's own); returns the exit status.
OpenWindow = Callable[[str | None], int]


def run(arguments: list[str], open_window: OpenWindow) -> int:
    """Carry out `arguments`; return 0, 1 where a check found something, or 2 for an error."""
    out = Output(as_json="--json" in arguments)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # names of files need not be text
    try:
        words = typed_command(arguments)
        options = parser(words).parse_args(arguments)
        if options.command in (None, "demo"):
            if options.person:
                os.environ["IDLE_QUARRY_PERSON"] = options.person  # the window is all that this process is
            return open_window(DEMO if options.command == "demo" else options.library)
        options.library = options.library or chosen("house") or None  # one library for window and command line
        command = read_command(words)
        assert command is not None  # the parser refuses words that are no command
        return command.run(options, out)
    except QuarryError as error:
        complain(str(error))
        return 2
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # whoever read the output has gone: nothing is left to say
        return 2
    except KeyboardInterrupt:
        return 130
    except SystemExit as left:  # --help and --version
        return int(left.code or 0)
    except Exception as error:
        from idle_quarry.reports import unforeseen

        complain(unforeseen(error))
        return 2
