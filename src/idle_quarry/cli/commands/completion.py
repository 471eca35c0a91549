"""`completion`: the lines by which a shell completes the command line, made from its parser."""

from __future__ import annotations

import shtab

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options
from idle_quarry.cli.output import Output
from idle_quarry.cli.parser import parser
from idle_quarry.cli.table import TABLE


@command("completion", argument("shell", choices=("bash", "zsh", "fish")))
def completion(options: Options, out: Output) -> int:
    """What a shell needs to complete these commands."""
    script = shtab.complete(parser(*TABLE), shell=options.shell)
    out.show({"shell": options.shell, "script": script}, [])
    if not out.as_json:
        print(script)
    return 0
