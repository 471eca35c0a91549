"""What a command is: its words, its arguments, and the function that carries it out."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from idle_quarry.cli.output import Output

Run = Callable[[argparse.Namespace, Output], int]


@dataclass(frozen=True)
class Argument:
    """An argument as `argparse` takes it: its names, and its options."""

    names: tuple[str, ...]
    options: dict[str, Any]


@dataclass(frozen=True)
class Command:
    """A command with its arguments; `run` returns the exit status."""

    arguments: tuple[Argument, ...]
    run: Run


#: The commands of the modules that were read, by their words.
COMMANDS: dict[str, Command] = {}


def argument(*names: str, **options: Any) -> Argument:
    """Return an argument, said as `ArgumentParser.add_argument` wants it."""
    return Argument(names, options)


def command(words: str, *arguments: Argument) -> Callable[[Run], Run]:
    """Register a function as the command of these words, which `table.TABLE` has too."""

    def register(run: Run) -> Run:
        COMMANDS[words] = Command(arguments, run)
        return run

    return register
