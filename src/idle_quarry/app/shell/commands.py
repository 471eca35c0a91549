"""All commands of the window, in the order in which they are offered."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Protocol

from idle_quarry.app.appearance.theme import BRIGHTNESSES, TEXT_SIZES, theme
from idle_quarry.app.command import Command
from idle_quarry.app.models.jobs.trial.trial_keys import KEYS

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk
    from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
    from idle_quarry.app.models.jobs.trial.trial import Trial


class Stage(Protocol):
    """What of the window itself commands need."""

    def show_view(self, name: str) -> None: ...
    def open_find(self) -> None: ...
    def open_guide(self) -> None: ...
    def open_about(self) -> None: ...
    def all_commands(self) -> None: ...
    def ask_print(self) -> None: ...
    def close(self) -> bool: ...


def commands_of(desk: Desk, stage: Stage, views: list[str]) -> list[Command]:
    """Return every command, in the order in which they are offered."""
    shown = [
        Command(f"Show {name}", partial(stage.show_view, name), f"Ctrl+{number}")
        for number, name in enumerate(views, 1)
    ]
    go = [
        Command("Find a template, station, clip or setting", stage.open_find, "Ctrl+F"),
        Command("All commands and settings", stage.all_commands, "Ctrl+K"),
        Command("Print what is shown (PDF)", stage.ask_print, "Ctrl+P"),
        Command("Profile: name, looks, keys, places", partial(stage.show_view, "Profile")),
        Command("Close the window", stage.close, "Ctrl+Q"),
    ]
    lines = [
        Command("Guide to what is shown", stage.open_guide, "F1"),
        Command("About Idle Quarry: version, licences, where files lie", stage.open_about),
    ]
    menus = {
        "&Window": shown + go,
        "&Template": _of_open(desk, stage),
        "&Library": _of_shelf(desk, stage),
        "&Proof": _of_proof(desk),
        "&Jobs": _of_trial(desk),
        "L&ine-up": _of_line_up(desk),
        "L&ooks": _of_looks(desk),
        "&Guide": lines,
    }
    return [replace(command, menu=menu) for menu, commands in menus.items() for command in commands]


def _of_open(desk: Desk, stage: Stage) -> list[Command]:
    path = desk.path

    def nothing_open() -> str:
        return "" if desk.document is not None else "Nothing is open."

    def cut() -> OpenTimeline | None:
        """Return the timeline that is cut where the trial of a job is in sight: undo is its own there."""
        return desk.jobs.trial.acts.edited if _trial_in_sight(desk) else None

    def undo() -> None:
        opened = cut()
        opened.undo() if opened is not None else desk.undo()

    def redo() -> None:
        opened = cut()
        opened.redo() if opened is not None else desk.redo()

    def nothing_to_undo() -> str:
        if _trial_in_sight(desk):
            opened = cut()
            return "" if opened is not None and opened.undoable else "Nothing was changed."
        can = desk.document is not None and desk.document.undo_stack.canUndo()
        return "" if can else nothing_open() or "Nothing was changed."

    def nothing_to_redo() -> str:
        if _trial_in_sight(desk):
            opened = cut()
            return "" if opened is not None and opened.redoable else "Nothing was undone."
        can = desk.document is not None and desk.document.undo_stack.canRedo()
        return "" if can else nothing_open() or "Nothing was undone."

    def nothing_to_save() -> str:
        dirty = desk.document is not None and desk.document.dirty
        return "" if dirty else nothing_open() or "Nothing has changed since the last revision."

    def on_path(act: Callable[[], object]) -> Callable[[], None]:
        def shown() -> None:
            stage.show_view("Path")
            act()

        return shown

    return [
        Command("Undo", undo, "Ctrl+Z", nothing_to_undo),
        Command("Redo", redo, "Ctrl+Shift+Z", nothing_to_redo),
        Command("Save revision", on_path(path.ask_save), "Ctrl+S", nothing_to_save),
        Command("Start a job from the open template", path.start_job, "Ctrl+J", nothing_open),
        Command("Add a source", on_path(path.stations.add_source), "", nothing_open),
        Command("Add a delivery", on_path(path.stations.ask_delivery), "", nothing_open),
    ]


def _of_shelf(desk: Desk, stage: Stage) -> list[Command]:
    shelf = desk.shelf

    def nothing_chosen() -> str:
        return "" if shelf.chosen.summary is not None else "No template is chosen in the Library."

    def nothing_shown() -> str:
        return "" if shelf.rows.shown else "No template is shown in the Library."

    def not_on_a_shelf() -> str:
        aside = shelf.chosen.summary is not None and bool(shelf.chosen.summary.aside)
        return nothing_chosen() or ("It was put aside already." if aside else "")

    def on_a_server() -> str:
        return "On a server names are the logins'." if desk.library.at_hand else ""

    def in_library(act: Callable[[], object]) -> Callable[[], None]:
        def shown() -> None:
            stage.show_view("Library")
            act()

        return shown

    return [
        Command("Open the chosen template", shelf.open_chosen, "", nothing_chosen),
        Command("Duplicate the chosen template", in_library(shelf.duplicate), "", nothing_chosen),
        Command("Rename the chosen template", in_library(shelf.rename), "", nothing_chosen),
        Command("Export the chosen template", in_library(shelf.files.ask_export), "", nothing_chosen),
        Command("Import templates, a bundle or a carried shelf", in_library(shelf.import_asked.emit)),
        Command("Export the templates shown", in_library(shelf.files.ask_export_shown), "", nothing_shown),
        Command(
            "Table of the templates shown, and changes in many", in_library(shelf.show_table), "Ctrl+T", nothing_shown
        ),
        Command("Equipment and specs of the house", in_library(shelf.show_equipment), "Ctrl+E"),
        Command("The standard set of a house", in_library(shelf.show_standard_set)),
        Command("Print the house book", in_library(shelf.files.ask_book)),
        Command("Compare the chosen template with another", in_library(shelf.compare_with), "", nothing_chosen),
        Command("Put the chosen template aside", in_library(shelf.put_aside), "", not_on_a_shelf),
        Command("House rule: how many people an approval takes", in_library(shelf.rules.ask_rule)),
        Command("House rule: whose name counts in this file", in_library(shelf.rules.ask_names), "", on_a_server),
    ]


def _of_proof(desk: Desk) -> list[Command]:
    def nothing_open() -> str:
        return "" if desk.document is not None else "Nothing is open: conversions are proved on an open template."

    def page(name: str) -> Callable[[], None]:
        def shown() -> None:
            desk.view_wanted.emit("Proof")
            desk.proof.show_page(name)

        return shown

    return [
        Command("Proof: pictures of the worst link", page("Pictures"), "", nothing_open),
        Command("Proof: codecs on this machine", page("Codecs"), "", nothing_open),
        Command("Proof: disks of the places", page("Disks"), "", nothing_open),
    ]


def _trial_in_sight(desk: Desk) -> bool:
    return "jobs" in vars(desk) and desk.jobs.trial.in_sight  # a model that nobody asked for is not made here


def _of_trial(desk: Desk) -> list[Command]:
    """Return what the keys of a job's trial do; they act there alone, so that letters stay free elsewhere."""

    def not_there() -> str:
        return "" if _trial_in_sight(desk) else "The trial of a job is not in sight: Jobs, a job, Trial."

    def on_trial(act: Callable[[Trial], object]) -> Callable[[], object]:
        return lambda: act(desk.jobs.trial)

    return [Command(f"Trial: {words} ({key})", on_trial(act), "", not_there) for key, (words, act) in KEYS.items()]


def _of_line_up(desk: Desk) -> list[Command]:
    def no_monitor() -> str:
        if desk.document is None:
            return "Nothing is open: a template's monitor is lined up."
        return "" if desk.document.template.monitor is not None else "The open template has no monitor."

    def page(name: str, act: Callable[[], object] = lambda: None) -> Callable[[], None]:
        def shown() -> None:
            desk.line_up.show_page(name)
            desk.view_wanted.emit("Line-up")
            act()

        return shown

    return [
        Command("Line up the monitor", page("Output"), "", no_monitor),
        Command("Set black and white by eye", page("Output", lambda: desk.line_up.by_eye.begin()), "", no_monitor),
        Command("Record from a deck", page("Record")),
    ]


def _of_looks(desk: Desk) -> list[Command]:
    def brightness(name: str) -> None:
        desk.profile.dress(name, theme.percent)

    def next_brightness() -> None:
        index = BRIGHTNESSES.index(theme.scheme.name)
        brightness(BRIGHTNESSES[(index + 1) % len(BRIGHTNESSES)])

    def text_size(step: int) -> None:
        index = max(0, min(len(TEXT_SIZES) - 1, TEXT_SIZES.index(theme.percent) + step))
        desk.profile.dress(theme.scheme.name, TEXT_SIZES[index])

    def largest() -> str:
        return "" if theme.percent < TEXT_SIZES[-1] else "Text is as large as it gets."

    def smallest() -> str:
        return "" if theme.percent > TEXT_SIZES[0] else "Text is as small as it gets."

    def worn(name: str) -> str:
        return "The window is as bright as that now." if theme.scheme.name == name else ""

    return [
        Command("Brighter or darker window", next_brightness, "Ctrl+B"),
        Command("Larger text", partial(text_size, 1), "Ctrl++", largest),
        Command("Smaller text", partial(text_size, -1), "Ctrl+-", smallest),
        *(Command(f"Brightness: {name}", partial(brightness, name), "", partial(worn, name)) for name in BRIGHTNESSES),
    ]
