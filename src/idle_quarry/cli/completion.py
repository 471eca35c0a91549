"""`completion`: the lines by which a shell completes the command line, made from its parser."""

from __future__ import annotations

import shtab

from idle_quarry.cli.opening import Options
from idle_quarry.cli.output import Output
from idle_quarry.cli.parser import parser


def completion(options: Options, out: Output) -> int:
    """What a shell needs to complete these commands."""
    script = shtab.complete(parser(), shell=options.shell)
    out.show({"shell": options.shell, "script": script}, [])
    if not out.as_json:
        print(script)
    return 0
