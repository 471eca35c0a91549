"""What can be done on the shelves, as menus: how a template can begin, and what else can be done with one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from idle_quarry.library import Summary
from idle_quarry.path.registry import deliveries
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.models.library.shelf import Shelf

#: What can be done, by name; None stands for a line between.
Menu = list[tuple[str, Callable[[], object] | None]]


def beginnings(shelf: Shelf) -> Menu:
    """Return the ways to begin a template."""

    def begin(ident: str) -> Callable[[], None]:
        return lambda: shelf.begin_from(ident)

    results: Menu = [
        (f"From delivery: {spec.name}  ·  {format_words(spec.signal)}", begin(spec.id))
        for spec in (*shelf.door.house.value.specs(), *deliveries().values())
    ]
    results.append(("", None))
    if shelf.chosen.summary is not None:
        results.append(("From the chosen template", shelf.duplicate))
    return [
        *results,
        ("From clips…", shelf.begin_from_clips),
        ("The standard set of a house…", shelf.show_standard_set),
    ]


def more(shelf: Shelf, summary: Summary) -> Menu:
    """Return what else can be done with a template."""
    if summary.aside:
        return [("Put it back on its shelf", shelf.bring_back), ("Export…", shelf.files.ask_export)]
    house, own = shelf.door.read(lambda library: library.defaults()) or (None, None)
    results: Menu = [("Compare with another template…", shelf.compare_with), ("Copy to own shelf", shelf.duplicate)]
    if summary.shelf == "own":
        results.append(("Copy to the house shelf as a draft", shelf.hand_over))
    results += [
        ("Rename", shelf.rename),
        ("", None),
        ("Export…", shelf.files.ask_export),
        ("Add to a carried shelf…", shelf.files.ask_carry),
        ("", None),
        (
            "No longer my default for new jobs" if own == summary.id else "My default for new jobs",
            lambda: shelf.toggle_default(own=True),
        ),
    ]
    if summary.shelf == "house":
        is_default = house == summary.id
        text = "No longer the house's default for new jobs" if is_default else "The house's default for new jobs"
        results.append((text, shelf.toggle_default))
    return [*results, ("", None), ("Put aside", shelf.put_aside)]
