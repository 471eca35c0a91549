"""What can be typed: the commands, their arguments and options."""

from __future__ import annotations

import argparse
from typing import Any, NoReturn

from idle_quarry import __version__
from idle_quarry.errors import NotUnderstood

_POLICIES = (
    "fit",
    "position",
    "kernel",
    "light",
    "scan",
    "order",
    "retime",
    "mix",
    "colour",
    "tone",
    "precision",
    "rounding",
)
_PLACE = "a library file, a server's address (postgresql://person@host/database), or 'demo'"


#: What is decided of a revision, by the command's name.
_DECISIONS = {
    "review": "send a draft to review", "approve": "approve what is in review", "send-back": "send it back to its author",
    "withdraw": "withdraw a revision", "bring-back": "bring a withdrawn revision back, as a draft",
}  # fmt: skip
_WHO = "who does it; the profile's name where none is named"


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise NotUnderstood(message.replace("\n", " "), remedy=f"see '{self.prog} --help'")


def parser() -> argparse.ArgumentParser:
    """Return the parser of the whole command line; it raises `NotUnderstood` for wrong usage."""
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
    commands = whole.add_subparsers(dest="command", parser_class=_Parser, metavar="COMMAND")

    def add(group: Any, name: str, text: str) -> argparse.ArgumentParser:
        made: argparse.ArgumentParser = group.add_parser(name, help=text, description=text, parents=[shared])
        return made

    add(commands, "demo", "open the application on the demo library and clips")
    each = add(commands, "inspect", "what each clip declares and what is measured in it")
    each.add_argument("media", nargs="+", metavar="MEDIA")
    each.add_argument("--report", metavar="FILE", help="also write the intake report: .pdf, .html, .csv or .json")
    each = add(commands, "plan", "the steps and the cost from one signal format to another")
    each.add_argument("source", metavar="FROM")
    each.add_argument("target", metavar="TO")
    for name in _POLICIES:
        each.add_argument(f"--{name}", metavar="POLICY")
    template = add(commands, "template", "the library").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    add(template, "list", "the templates of both shelves")
    each = add(
        template,
        "find",
        "templates by their settings, as in working.bit_depth=8, 'monitor is bay two', 'delivers 1080i25'",
    )
    each.add_argument("words", metavar="WORDS", nargs="+")
    add(template, "show", "one template's settings").add_argument("name", metavar="NAME")
    add(template, "validate", "whether a template file is one").add_argument("file", metavar="FILE")
    each = add(template, "export", "write a template file; several as a bundle (.zip) or as a table (.csv)")
    each.add_argument("name", metavar="NAME", nargs="+")
    each.add_argument("file", metavar="FILE")
    add(template, "book", "print the house book: every approved template, as a PDF").add_argument(
        "file", metavar="FILE"
    )
    each = add(template, "import", "put the templates of a file or a bundle on the own shelf")
    each.add_argument("file", metavar="FILE")
    each.add_argument("--shelf", choices=("own", "house"), default="own")
    each.add_argument(
        "--if-taken",
        choices=("keep-both", "revision", "replace-draft", "leave"),
        help="what to do where the shelf has the name",
    )
    each = add(template, "set", "type settings into a template and save it as a draft")
    each.add_argument("name", metavar="NAME")
    each.add_argument("setting", metavar="PLACE=VALUE", nargs="+")
    each.add_argument("--note", default="", help="what has changed")
    each = add(template, "save", "save a template file as a draft of a template")
    each.add_argument("name", metavar="NAME")
    each.add_argument("file", metavar="FILE")
    each.add_argument("--note", default="", help="what has changed")
    for act, text in _DECISIONS.items():
        each = add(template, act, text)
        each.add_argument("name", metavar="NAME[@REVISION]")
        each.add_argument("--note", default="")
        if act == "approve":
            each.add_argument(
                "--answer", action="append", default=[], help="why a stop is right all the same, in their order"
            )
    each = add(template, "merge", "put two drafts of a template together as a third")
    each.add_argument("name", metavar="NAME")
    each.add_argument("a", metavar="A", type=int, help="the number of one draft")
    each.add_argument("b", metavar="B", type=int, help="the number of the other")
    each.add_argument(
        "--take-a", action="append", default=[], metavar="PLACE", help="where both changed it: as A has it"
    )
    each.add_argument(
        "--take-b", action="append", default=[], metavar="PLACE", help="where both changed it: as B has it"
    )
    each.add_argument("--note", default="")
    each = add(template, "diff", "the settings in which two templates differ")
    each.add_argument("a", metavar="A")
    each.add_argument("b", metavar="B")
    library = add(commands, "library", "the library's file: whole, copied, put back").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    add(library, "check", "whether the library is whole, every revision against its hash")
    add(library, "backup", "copy the library while others work in it").add_argument("file", metavar="FILE")
    add(library, "restore", "put a copy in the library's place").add_argument("file", metavar="FILE")
    add(library, "rescue", "make a library of what is sound in a damaged one").add_argument("file", metavar="FILE")
    each = add(library, "carry", "copy the whole library into an empty one: from a file to a server, or back")
    each.add_argument("to", metavar="PLACE", help="a new file, or the address of a server that was set up")
    line = add(commands, "line", "the serial digital signal as words").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    each = add(line, "write", "words of the serial signal with a test picture and tone")
    each.add_argument("format", metavar="FORMAT")
    each.add_argument("file", metavar="FILE")
    each.add_argument(
        "--interface", metavar="I", help="SD, HD, 3G-A, 3G-B, 6G, 12G, quad 3G; else the smallest that carries it"
    )
    each.add_argument(
        "--test", metavar="T", default="bars", help="the picture: bars, pluge, ramp, zone, flash, white, black ..."
    )
    each.add_argument("--frames", metavar="N", type=int, default=2)
    each.add_argument("--start", metavar="TC", default="10:00:00:00", help="timecode of the first frame")
    add(line, "read", "what a receiver makes of such words").add_argument("file", metavar="FILE")
    house = add(commands, "house", "the house's own monitors, specs, codecs, formats and layouts").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    each = add(house, "list", "every entry, what ships and the house's own")
    each.add_argument(
        "kind", metavar="KIND", nargs="?", help="monitor, delivery, codec, format, sound, programme, naming"
    )
    add(house, "show", "one entry").add_argument("id", metavar="ID", help="its id, or its name")
    add(house, "validate", "whether a file is an entry's").add_argument("file", metavar="FILE")
    each = add(house, "import", "put the entry of a file on a shelf: new, or a revision of the one that is there")
    each.add_argument("file", metavar="FILE")
    each.add_argument("--shelf", choices=("own", "house"), default="own")
    each.add_argument("--changed", action="store_true", help="also where it was changed since it was exported")
    each = add(house, "export", "write an entry's file; of what ships, a copy to be changed")
    each.add_argument("id", metavar="ID", help="its id, or its name")
    each.add_argument("file", metavar="FILE")
    each = add(house, "begin", "put the standard templates of some deliveries on the house shelf, as drafts")
    each.add_argument("--delivery", action="append", required=True, metavar="D", help="a standard delivery's id")
    each.add_argument("--work", metavar="FOLDER", help="where work is kept")
    server = add(commands, "server", "the facility's server").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    each = add(server, "setup", "make a database a library: tables, rights, audit, people; can be run again")
    each.add_argument("url", metavar="URL", help="as somebody who may make tables and roles there")
    for right in ("reader", "editor", "approver"):
        each.add_argument(f"--{right}", action="append", default=[], metavar="NAME", help=f"a person who is a {right}")
    add(commands, "explain", "a template's evaluated path and findings").add_argument("name", metavar="NAME")
    each = add(commands, "suggest", "working formats between two ends, ranked by what they cost")
    each.add_argument(
        "--source", action="append", default=[], metavar="S[=SHARE]", help="a signal format or a clip, with its share"
    )
    each.add_argument(
        "--delivery", action="append", default=[], metavar="D", help="a standard delivery or a signal format"
    )
    each = add(commands, "check", "clips against a template's source stations")
    each.add_argument("media", nargs="+", metavar="MEDIA")
    each.add_argument("--template", required=True, metavar="NAME")
    each = add(commands, "convert", "a clip as a template has it: its working format, its intermediate codec")
    each.add_argument("clip", metavar="CLIP")
    each.add_argument("file", metavar="FILE")
    each.add_argument("--template", required=True, metavar="NAME")
    each.add_argument("--source", required=True, metavar="ID", help="whose conversion it is: a source's id or name")
    each = add(commands, "render", "render what is not rendered yet of a job's timelines")
    each.add_argument("job", metavar="JOB", help="the job's folder")
    each.add_argument("--timeline", action="append", default=[], metavar="T", help="only this one; may be said again")
    each.add_argument("--at", metavar="FOLDER", help="where renders go on this machine, from now on")
    each.add_argument("--system-disk", action="store_true", help="that may be the disk of the system")
    each.add_argument("--workers", metavar="N", type=int, help="as many as there are processors by default")
    each = add(commands, "lend", "do what other machines of the house want rendered, made or verified")
    each.add_argument(
        "--mark", action="append", default=[], metavar="FOLDER", help="only mark it as a place that machines share"
    )
    each.add_argument(
        "--place", action="append", default=[], metavar="FOLDER", help="a marked place, as it lies on this machine"
    )
    each.add_argument("--hours", metavar="H-H", help="only between these hours of the day, as 19-7")
    each.add_argument("--when-idle", action="store_true", help="only while nobody works on this machine")
    each.add_argument("--cores", type=int, metavar="N", help="on so many processors; all by default")
    each.add_argument("--once", action="store_true", help="end when nothing is left to do")
    each = add(commands, "deliver", "make a delivery of a job's timeline, and verify it")
    each.add_argument("job", metavar="JOB", help="the job's folder")
    each.add_argument("--delivery", required=True, metavar="D", help="the delivery's id or name in the job's template")
    each.add_argument("--timeline", metavar="T", help="the first where none is named")
    each.add_argument("--to", required=True, metavar="FOLDER")
    each = add(commands, "verify", "a whole file against what a delivery asks for")
    each.add_argument("file", metavar="FILE")
    each.add_argument("--template", required=True, metavar="NAME")
    each.add_argument("--delivery", required=True, metavar="D", help="the delivery's id or name in the template")
    each.add_argument("--report", metavar="FILE", help="also write the report: .pdf, .html, .csv or .json")
    cuts = add(commands, "cuts", "lists of cuts from elsewhere").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    each = add(cuts, "read", "a list against a template, its events matched with the clips there are")
    each.add_argument("file", metavar="FILE", help="OpenTimelineIO, CMX 3600, AAF, or a table of clips (CSV)")
    each.add_argument("--template", required=True, metavar="NAME")
    each.add_argument("--media", action="append", default=[], metavar="FOLDER", help="where clips are looked for")
    each.add_argument("--report", metavar="FILE", help="also write the report: .pdf, .html, .csv or .json")
    job = add(commands, "job", "jobs").add_subparsers(
        dest="action", parser_class=_Parser, metavar="ACTION", required=True
    )
    each = add(job, "new", "start a job from a template")
    each.add_argument("name", metavar="NAME", nargs="?", help="the default template where none is named")
    each.add_argument("--title", required=True)
    each.add_argument("--at", required=True, metavar="FOLDER")
    each.add_argument("--unapproved", action="store_true", help="also from a house revision that nobody approved")
    each = add(job, "left", "what killed programs left half made or unlisted")
    each.add_argument("--clear", action="store_true", help="remove what is half made")
    each.add_argument("--take-up", action="store_true", help="list jobs that are whole")
    add(job, "check", "what in a job has drifted from its revision").add_argument("folder", metavar="FOLDER")
    each = add(commands, "completion", "what a shell needs to complete these commands; see the guide")
    each.add_argument("shell", choices=("bash", "zsh", "fish"))
    each = add(commands, "codecs", "the codecs that can hold a format, with data rates")
    each.add_argument("--format", required=True, metavar="F", dest="format_words")
    return whole
