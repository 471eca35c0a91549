"""This machine lent to its house from the command line, and folders marked as places that machines share."""

from __future__ import annotations

import time
from argparse import Namespace as Options
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.output import Output
from idle_quarry.cli.progress import ended, progress
from idle_quarry.errors import Away, NotPossible
from idle_quarry.places import is_server

if TYPE_CHECKING:
    from idle_quarry.jobs.lending.task_server import TaskServer

#: Seconds between two looks at what is done.
_EVERY_S = 1.0


@command(
    "lend",
    argument(
        "--mark", action="append", default=[], metavar="FOLDER", help="only mark it as a place that machines share"
    ),
    argument(
        "--place", action="append", default=[], metavar="FOLDER", help="a marked place, as it lies on this machine"
    ),
    argument("--hours", metavar="H-H", help="only between these hours of the day, as 19-7"),
    argument("--when-idle", action="store_true", help="only while nobody works on this machine"),
    argument("--cores", type=int, metavar="N", help="on so many processors; all by default"),
    argument("--once", action="store_true", help="end when nothing is left to do"),
)
def lend(options: Options, out: Output) -> int:
    """Mark folders, or do what other machines of the house want done, until it is stopped.

    With `--once` until nothing is left.
    """
    from idle_quarry.jobs.lending.shared_folders import mark

    if options.mark:
        marked = [mark(Path(item).expanduser()) for item in options.mark]
        places = [{"place": shared_folder.id, "folder": str(shared_folder.root)} for shared_folder in marked]
        out.show(
            {"places": places},
            [f"{shared_folder.root}: a place that machines share, {shared_folder.id}" for shared_folder in marked],
        )
        return 0
    done = _lent(options, None if out.as_json else progress())
    out.show({"done": done}, [f"{done} tasks done"])
    return 0


def _lent(options: Options, say: Callable[[str], None] | None) -> int:
    """Lend this machine; return how many tasks ended meanwhile."""
    from idle_quarry.jobs.lending.lender import LendingOffer, MachineLending, hours_of
    from idle_quarry.jobs.lending.shared_folders import proof_in
    from idle_quarry.jobs.lending.task_server import TaskServer

    if not is_server(options.library):
        raise NotPossible(
            "a machine is lent to a house whose library is on a server",
            subject=options.library or "this library",
            remedy="say --library postgresql://person@host/database",
        )
    places = [Path(item).expanduser() for item in options.place]
    for place in places:
        if proof_in(place) is None:
            raise NotPossible(
                "is no place that machines share", subject=str(place), remedy="mark it: lend --mark FOLDER"
            )
    house = TaskServer(options.library)
    lending = MachineLending(
        options.library, LendingOffer(hours_of(options.hours or ""), options.when_idle, options.cores or 0), places
    )
    before, text = house.ended_here(), ""
    try:
        while True:
            why = lending.look()
            try:
                text = _words(house, why)
                if options.once and not house.left:
                    break
            except Away as error:
                text = f"{error}: it is tried again"
            if say is not None:
                say(text)
            time.sleep(_EVERY_S)
    except KeyboardInterrupt:
        pass
    finally:
        ended()
        lending.close()
    done = house.ended_here() - before
    house.close()
    return done


def _words(house: TaskServer, why: str) -> str:
    from idle_quarry.jobs.lending.task_server import lent_words

    if why:
        return f"not lent just now: {why}"
    here = house.here()
    return (
        "; ".join(lent_words(machine) for machine in here) or f"waiting; {house.left} tasks wait or are done elsewhere"
    )
