"""The parser of the command line, made of the table of commands and the arguments of those that are read."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from importlib import import_module
from typing import Any, NoReturn

from idle_quarry import __version__
from idle_quarry.cli.command import COMMANDS, Command
from idle_quarry.cli.table import TABLE
from idle_quarry.errors import NotUnderstood

_PLACE = "a library file, a server's address (postgresql://person@host/database), or 'demo'"
_WHO = "who does it; the profile's name where none is named"
#: Options of every command that are followed by a value.
_WITH_VALUE = ("--library", "--person")


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise NotUnderstood(message.replace("\n", " "), remedy=f"see '{self.prog} --help'")


def read_command(words: str) -> Command | None:
    """Return a command, its module read; None for words that are no command by themselves."""
    module, _ = TABLE.get(words, ("", ""))
    if module:
        import_module(f"idle_quarry.cli.commands.{module}")
    return COMMANDS.get(words)


def typed_command(arguments: Sequence[str]) -> str:
    """Return the words of the command that was typed, as far as they are one of the table."""
    words, skip = "", False
    for argument in arguments:
        if skip or argument.startswith("-"):
            skip = len(argument) > 2 and any(option.startswith(argument) for option in _WITH_VALUE)
            continue
        longer = f"{words} {argument}".strip()
        if longer not in TABLE:
            break
        words = longer
    return words


def parser(*typed: str) -> argparse.ArgumentParser:
    """Return the parser of the whole command line, with the arguments of the `typed` commands.

    It raises `NotUnderstood` for wrong usage.
    """
    whole = _Parser(prog="idle-quarry", description="Project templates for finishing, seen as signal paths.")
    whole.add_argument("--version", action="version", version=f"Idle Quarry {__version__}")
    whole.add_argument("--library", metavar="PLACE", help=_PLACE)
    whole.add_argument("--person", metavar="NAME", help=_WHO)
    whole.add_argument("--json", action="store_true", help="one JSON document on standard output")
    shared = _Parser(add_help=False)
    shared.add_argument(
        "--json", action="store_true", default=argparse.SUPPRESS, help="one JSON document on standard output"
    )
    shared.add_argument("--library", metavar="PLACE", default=argparse.SUPPRESS, help=_PLACE)
    shared.add_argument("--person", metavar="NAME", default=argparse.SUPPRESS, help=_WHO)
    parsers: dict[str, Any] = {}
    groups: dict[str, Any] = {
        "": whole.add_subparsers(dest="command", parser_class=_Parser, metavar="COMMAND"),
    }
    for words, (_module, text) in TABLE.items():
        group, _, name = words.rpartition(" ")
        if group and group not in groups:
            groups[group] = parsers[group].add_subparsers(
                dest="action", parser_class=_Parser, metavar="ACTION", required=True
            )
        parsers[words] = groups[group].add_parser(name, help=text, description=text, parents=[shared])
        chosen = read_command(words) if words in typed else None
        for argument in chosen.arguments if chosen is not None else ():
            parsers[words].add_argument(*argument.names, **argument.options)
    return whole
