"""The structure of the open template, edited: timelines with their tracks, folders as a tree."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.template import Template, all_folders, numbered, slug
from idle_quarry.path.template_parts import Folder, TimelinePlan, TrackPlan
from idle_quarry.path.voice import voice_from

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

TRACK_COLOURS = {
    "Sage": "#8fb59b",
    "Ochre": "#dba445",
    "Slate": "#7f9fbf",
    "Heather": "#a58fb5",
    "Clay": "#c0836b",
    "Grey": "#8a8a8a",
}
Kind = Literal["video", "audio"]
ROLES: dict[str, tuple[str, ...]] = {
    "video": ("picture", "graphics", "subtitles"),
    "audio": ("dialogue", "effects", "ambience", "music", "mix"),
}
_MOST_NAMES = 200
#: A folder and those in it, by their ids.
Tree = Sequence[tuple[str, "Tree"]]


class Structure(QObject):
    """`timelines_changed`, `tracks_changed`, `folders_changed`: the list is another, or what was typed was not
    taken.
    """

    timelines_changed = Signal()
    tracks_changed = Signal()
    folders_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.timeline = ""  #: the id of the one whose tracks are shown
        self._shown: Template | None = None

    @property
    def template(self) -> Template | None:
        return self.door.document.template if self.door.document is not None else None

    def show_template(self) -> None:
        """Show the open template as it is now; only what differs is filled anew."""
        old, new = self._shown, self.template
        self._shown = new
        if new is None:
            return
        ids = [timeline.id for timeline in new.timelines]
        if self.timeline not in ids:
            self.timeline = ids[0] if ids else ""
        timelines = old is None or old.timelines != new.timelines
        if timelines or (old is not None and old.working.format.raster != new.working.format.raster):
            self.timelines_changed.emit()
        if timelines:
            self.tracks_changed.emit()
        if old is None or old.folders != new.folders or old.numbered_folders != new.numbered_folders:
            self.folders_changed.emit()

    def _edit(self, text: str, *edits: Edit) -> None:
        """Edit the template; what is refused is shown as it was."""
        if not self.door.edit(text, *edits):
            for changed in (self.timelines_changed, self.tracks_changed, self.folders_changed):
                changed.emit()

    # -- timelines -----------------------------------------------------------------------------------------------

    def timelines(self) -> list[tuple[str, str, str]]:
        """Return each timeline's id, name and canvas in words."""
        template = self.template
        if template is None:
            return []
        return [(t.id, t.name, template.canvas(t).size_text if t.width else "as working") for t in template.timelines]

    @property
    def current(self) -> TimelinePlan | None:
        """The timeline whose tracks are shown."""
        template = self.template
        return next((t for t in template.timelines if t.id == self.timeline), None) if template is not None else None

    def choose_timeline(self, ident: str) -> None:
        """Show another timeline's tracks."""
        if ident != self.timeline:
            self.timeline = ident
            self.tracks_changed.emit()

    def rename_timeline(self, ident: str, name: str) -> None:
        self._edit("Rename timeline", Edit(f"timelines.{ident}.name", name.strip()))

    def set_canvas(self, ident: str, text: str) -> None:
        """Give a timeline a canvas of its own: width × height; or the working picture's."""
        timeline = next((t for t in self.template.timelines if t.id == ident), None) if self.template else None
        if timeline is None:
            return
        parts = [part.strip() for part in text.lower().replace("x", "×").split("×")]
        if len(parts) == 2 and all(part.isascii() and part.isdigit() for part in parts):
            sides: dict[str, int | None] = {"width": int(parts[0]), "height": int(parts[1])}
        elif text.strip().lower() in ("", "as working"):
            sides = {"width": None, "height": None}
        else:
            self.door.say("Not a canvas: type width × height, or as working.", refusal=True)
            self.timelines_changed.emit()
            return
        self._edit("Change canvas", Edit(f"timelines.{ident}", {**timeline.model_dump(), **sides}))

    def order_timelines(self, order: Sequence[str]) -> None:
        if self.template is not None:
            by_id = {t.id: t for t in self.template.timelines}
            self._edit("Reorder timelines", Edit("timelines", tuple(by_id[i] for i in order if i in by_id)))

    def add_timeline(self) -> None:
        """Add a timeline with the tracks of the first."""
        template = self.template
        if template is None:
            return
        ident = slug("timeline", {t.id for t in template.timelines})
        tracks = template.timelines[0].tracks if template.timelines else ()
        names = {t.name for t in template.timelines}
        name = _free("Programme", "Timeline", names)
        self.timeline = ident
        self._edit("Add timeline", Edit(f"timelines.{ident}", TimelinePlan(id=ident, name=name, tracks=tracks)))

    def remove_timeline(self) -> None:
        if self.timeline:
            self._edit("Remove timeline", Edit(f"timelines.{self.timeline}", None))

    # -- tracks --------------------------------------------------------------------------------------------------

    def tracks(self) -> tuple[TrackPlan, ...]:
        """Return the tracks of the timeline that is shown."""
        return self.current.tracks if self.current is not None else ()

    def set_track(self, ident: str, name: str, value: object) -> None:
        """Change one thing of a track: its name, role, colour or channels."""
        self._edit(f"Change track's {name}", Edit(f"timelines.{self.timeline}.tracks.{ident}.{name}", value))

    def set_channels(self, ident: str, text: str) -> None:
        """Give a sound track its channels; what is no number is not taken."""
        if text.strip().isascii() and text.strip().isdigit():
            self.set_track(ident, "channels", int(text))
        else:
            self.tracks_changed.emit()

    def set_voice(self, ident: str, text: str) -> None:
        """Give a sound track its voice chain as it is typed; what is none is said and not taken."""
        try:
            self.set_track(ident, "voice", voice_from(text))
        except NotUnderstood as error:
            self.door.refuse(error)
            self.tracks_changed.emit()

    def order_tracks(self, order: Sequence[str]) -> None:
        timeline = self.current
        if timeline is not None:
            by_id = {t.id: t for t in timeline.tracks}
            tracks = tuple(by_id[i] for i in order if i in by_id)
            self._edit("Reorder tracks", Edit(f"timelines.{timeline.id}.tracks", tracks))

    def add_track(self, kind: Kind) -> None:
        """Add a picture or a sound track."""
        timeline = self.current
        if timeline is None:
            self.door.say("There is no timeline to add a track to.", refusal=True)
            return
        ident = slug("v1" if kind == "video" else "a1", {t.id for t in timeline.tracks})
        role = ROLES[kind][0]
        name = _free(role.capitalize(), role.capitalize(), {t.name for t in timeline.tracks})
        colour = TRACK_COLOURS["Sage" if kind == "audio" else "Grey"]
        new = TrackPlan(id=ident, name=name, kind=kind, role=role, colour=colour)  # type: ignore[arg-type]
        self._edit("Add track", Edit(f"timelines.{timeline.id}.tracks.{ident}", new))

    def remove_track(self, ident: str) -> None:
        self._edit("Remove track", Edit(f"timelines.{self.timeline}.tracks.{ident}", None))

    # -- folders -------------------------------------------------------------------------------------------------

    def folder_name(self, folder: Folder, index: int) -> str:
        """Return a folder's name as it is shown, with its number where folders are numbered."""
        return numbered(folder.name, index, self.template is not None and self.template.numbered_folders)

    def number_folders(self, on: bool) -> None:
        if self.template is not None and on != self.template.numbered_folders:
            self._edit("Number folders", Edit("numbered_folders", on))

    def order_folders(self, tree: Tree) -> None:
        """Put folders in the order and below one another as a tree of their ids says."""
        if self.template is None:
            return
        names = {f.id: f.name for f in all_folders(self.template.folders)}

        def folders_of(level: Tree) -> tuple[Folder, ...]:
            return tuple(Folder(id=ident, name=names[ident], children=folders_of(below)) for ident, below in level)

        self._edit("Move folder", Edit("folders", folders_of(tree)))

    def rename_folder(self, path: Sequence[str], text: str, index: int) -> None:
        """Rename the folder that lies at a path of ids, the `index`-th of its level."""
        text, number = text.strip(), f"{index + 1:02d} "
        if self.template is not None and self.template.numbered_folders and text.startswith(number):
            text = text[len(number) :]
        self._edit("Rename folder", Edit(f"{_place(path)}.name", text))
        self.folders_changed.emit()

    def add_folder(self, path: Sequence[str]) -> None:
        """Add a folder in the one at a path of ids, or at the top."""
        if self.template is None:
            return
        ident = slug("folder", {f.id for f in all_folders(self.template.folders)})
        place = f"{_place(path)}.children.{ident}" if path else f"folders.{ident}"
        self._edit("Add folder", Edit(place, Folder(id=ident, name=f"New {ident}")))

    def remove_folder(self, path: Sequence[str]) -> None:
        if path:
            self._edit("Remove folder", Edit(_place(path), None))


def _place(path: Sequence[str]) -> str:
    return "folders." + ".children.".join(path)


def _free(first: str, rest: str, names: set[str]) -> str:
    return next(name for name in (first, *(f"{rest} {n}" for n in range(2, _MOST_NAMES))) if name not in names)
