"""The keys of a trial: what each does, in words and as an act."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import Protocol

from idle_quarry.app.models.trial import CLIPS, Trial

Keys = dict[str, tuple[str, Callable[[], object]]]
KEYS_HELP = "J K L · I O · ← → · ↑ ↓ cuts · A add · P put in · V lay over · X take out · G lift · S split"
#: Keys that lists, boxes and lines have for themselves: they act where the player or the lanes have the keyboard.
OWN = (
    "Space",
    "Left",
    "Right",
    "Shift+Left",
    "Shift+Right",
    "Up",
    "Down",
    "Shift+Up",
    "Shift+Down",
    "Home",
    "End",
    "Del",
)


class Hands(Protocol):
    """What of the page itself keys need."""

    def begin_number(self, sign: str) -> None: ...
    def other_side(self) -> None: ...
    def zoom(self, by: float) -> None: ...
    def show_all(self) -> None: ...


def keys_of(model: Trial, hands: Hands) -> Keys:
    """Return every key of this page: what it does in words, and the act."""
    player, acts = model.player, model.acts

    def second() -> int:
        return round(float(player.source.rate)) if player.source is not None else 25

    return {
        "L": ("play, and faster with each press", player.faster),
        "J": ("play backwards, and faster", partial(player.faster, back=True)),
        "K": ("hold", player.stop),
        "Space": ("play or hold", player.toggle),
        "Shift+L": ("play slowly", player.slower),
        "Shift+J": ("play slowly backwards", partial(player.slower, back=True)),
        "Left": ("back by a frame", lambda: model.step(-1)),
        "Right": ("on by a frame", lambda: model.step(1)),
        "Shift+Left": ("back by a second", lambda: model.go(model.frame - second())),
        "Shift+Right": ("on by a second", lambda: model.go(model.frame + second())),
        "Up": ("to the cut before", partial(model.to_cut, back=True)),
        "Down": ("to the next cut", model.to_cut),
        "Home": ("to the start", lambda: model.go(0)),
        "End": ("to the end", lambda: model.go(10**9)),
        "I": ("in is here", lambda: model.mark("in")),
        "O": ("out is here", lambda: model.mark("out")),
        "Shift+I": ("no in and out", model.unmark),
        "R": ("play round and round, or no longer", lambda: model.loop(player.loop is None)),
        "F": ("field by field, or whole", lambda: player.look_by_field(not player.by_field)),
        "A": ("add at the end of the other timeline", partial(acts.lay, "add")),
        "P": ("put in at the other's playhead", partial(acts.lay, "in")),
        "V": ("lay over from the other's playhead", partial(acts.lay, "over")),
        "N": ("the next clip", model.next_clip),
        "B": ("the clip before", partial(model.next_clip, back=True)),
        "X": ("take out, and close up", acts.take_out),
        "G": ("lift, and leave the room", acts.lift),
        "Del": ("lift what is chosen", acts.lift),
        "S": ("split at the playhead", acts.split),
        "[": ("trim its start to the playhead", partial(acts.trim_here, "start")),
        "]": ("trim its end to the playhead", partial(acts.trim_here, "end")),
        "D": ("switch off, or on", acts.switch),
        "U": ("belong together, or no longer", acts.link),
        "M": ("set a mark, or take it away", acts.mark),
        "Shift+M": ("set a mark that says something", acts.ask_mark),
        "F2": ("its name", partial(acts.ask_words, "name")),
        "Shift+F2": ("its note", partial(acts.ask_words, "note")),
        "C": ("its colour", acts.ask_colour),
        "Shift+Up": ("to the mark before", partial(acts.to_mark, back=True)),
        "Shift+Down": ("to the next mark", acts.to_mark),
        "F3": ("find the next", model.find),
        "Shift+F3": ("find the one before", partial(model.find, back=True)),
        "+": ("move by a number", partial(hands.begin_number, "+")),
        "-": ("move by a number, back", partial(hands.begin_number, "−")),
        "W": ("look at the other timeline", hands.other_side),
        "Q": ("look at the clip", lambda: model.look_at(CLIPS)),
        **{
            f"Alt+{key}": (
                f"shift the picture {way} in its canvas",
                partial(acts.shift, Fraction(x, 100), Fraction(y, 100)),
            )
            for key, way, x, y in (
                ("Left", "left", -1, 0),
                ("Right", "right", 1, 0),
                ("Up", "up", 0, -1),
                ("Down", "down", 0, 1),
            )
        },
        "Alt+0": ("where the template's fit puts it", partial(acts.shift, Fraction(0), Fraction(0))),
        "Ctrl+Z": ("undo", acts.undo),
        "Ctrl+Shift+Z": ("do again", acts.redo),
        "Ctrl++": ("closer", lambda: hands.zoom(1.6)),
        "Ctrl+-": ("wider", lambda: hands.zoom(1 / 1.6)),
        "Ctrl+0": ("all of it", hands.show_all),
    }
