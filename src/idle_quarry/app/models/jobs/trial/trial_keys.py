"""The keys of a trial: what each does, in words and as an act.

Read by the list of all commands, so that it reads nothing heavy itself.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.trial.sides import CLIPS

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial

Act = Callable[["Trial"], object]
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
    "Return",
    "PgUp",
    "PgDown",
    "Shift+PgUp",
    "Shift+PgDown",
)


def _seconds(trial: Trial, by: int) -> None:
    source = trial.player.source
    trial.playhead.go(trial.playhead.frame + by * (round(float(source.rate)) if source is not None else 25))


def _shift(across: int, down: int, trial: Trial) -> None:
    trial.acts.shift(Fraction(across, 100), Fraction(down, 100))


#: Key → what it does in words, and the act.
KEYS: dict[str, tuple[str, Act]] = {
    "L": ("play, and faster with each press", lambda trial: trial.player.faster()),
    "J": ("play backwards, and faster", lambda trial: trial.player.faster(back=True)),
    "K": ("hold", lambda trial: trial.player.stop()),
    "Space": ("play or hold", lambda trial: trial.player.toggle()),
    "Shift+L": ("play slowly", lambda trial: trial.player.slower()),
    "Shift+J": ("play slowly backwards", lambda trial: trial.player.slower(back=True)),
    "Left": ("back by a frame", lambda trial: trial.playhead.step(-1)),
    "Right": ("on by a frame", lambda trial: trial.playhead.step(1)),
    "Shift+Left": ("back by a second", lambda trial: _seconds(trial, -1)),
    "Shift+Right": ("on by a second", lambda trial: _seconds(trial, 1)),
    "Up": ("to the cut before", lambda trial: trial.playhead.to_cut(back=True)),
    "Down": ("to the next cut", lambda trial: trial.playhead.to_cut()),
    "Home": ("to the start", lambda trial: trial.playhead.go(0)),
    "End": ("to the end", lambda trial: trial.playhead.go(10**9)),
    "I": ("in is here", lambda trial: trial.playhead.mark("in")),
    "O": ("out is here", lambda trial: trial.playhead.mark("out")),
    "Shift+I": ("no in and out", lambda trial: trial.playhead.unmark()),
    "R": ("play round and round, or no longer", lambda trial: trial.playhead.loop(trial.player.loop is None)),
    "Shift+R": ("render from the playhead on", lambda trial: trial.at_playhead.render_from_here()),
    "F": ("field by field, or whole", lambda trial: trial.player.look_by_field(not trial.player.by_field)),
    "A": ("add at the end of the other timeline", lambda trial: trial.laying.lay("add")),
    "P": ("put in at the other's playhead", lambda trial: trial.laying.lay("in")),
    "V": ("lay over from the other's playhead", lambda trial: trial.laying.lay("over")),
    "N": ("the next clip", lambda trial: trial.next_clip()),
    "B": ("the clip before", lambda trial: trial.next_clip(back=True)),
    "Q": ("look at the clip", lambda trial: trial.look_at(CLIPS)),
    "X": ("take out, and close up", lambda trial: trial.acts.take_out()),
    "G": ("lift, and leave the room", lambda trial: trial.acts.lift()),
    "Del": ("lift what is chosen", lambda trial: trial.acts.lift()),
    "Return": ("choose what is at the playhead, then what is below it", lambda trial: trial.acts.choose_here()),
    "PgUp": ("move it to the track above", lambda trial: trial.acts.to_track(1)),
    "PgDown": ("move it to the track below", lambda trial: trial.acts.to_track(-1)),
    "Shift+PgUp": ("lay pictures on the track above from now on", lambda trial: trial.acts.aim(1)),
    "Shift+PgDown": ("lay pictures on the track below from now on", lambda trial: trial.acts.aim(-1)),
    "S": ("split at the playhead", lambda trial: trial.acts.split()),
    "[": ("trim its start to the playhead", lambda trial: trial.acts.trim_here("start")),
    "]": ("trim its end to the playhead", lambda trial: trial.acts.trim_here("end")),
    "D": ("switch off, or on", lambda trial: trial.acts.switch()),
    "U": ("belong together, or no longer", lambda trial: trial.acts.link()),
    "M": ("set a mark, or take it away", lambda trial: trial.item_words.mark()),
    "Shift+M": ("set a mark that says something", lambda trial: trial.item_words.ask_mark()),
    "F2": ("its name", lambda trial: trial.item_words.ask_words("name")),
    "Shift+F2": ("its note", lambda trial: trial.item_words.ask_words("note")),
    "C": ("its colour", lambda trial: trial.item_words.ask_colour()),
    "Shift+Up": ("to the mark before", lambda trial: trial.item_words.to_mark(back=True)),
    "Shift+Down": ("to the next mark", lambda trial: trial.item_words.to_mark()),
    "F3": ("find the next", lambda trial: trial.find()),
    "Shift+F3": ("find the one before", lambda trial: trial.find(back=True)),
    "Alt+Left": ("shift the picture left in its canvas", partial(_shift, -1, 0)),
    "Alt+Right": ("shift the picture right in its canvas", partial(_shift, 1, 0)),
    "Alt+Up": ("shift the picture up in its canvas", partial(_shift, 0, -1)),
    "Alt+Down": ("shift the picture down in its canvas", partial(_shift, 0, 1)),
    "Alt+0": ("put the picture back where the template's fit has it", partial(_shift, 0, 0)),
}


def keys_of(trial: Trial) -> Keys:
    """Return the keys bound to a trial."""
    return {key: (words, partial(act, trial)) for key, (words, act) in KEYS.items()}
