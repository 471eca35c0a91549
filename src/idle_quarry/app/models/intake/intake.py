"""Intake: clips that were looked at, held against a template; what is being measured, which folder is watched."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.folder_watch import FolderWatch
from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.app.models.intake.files import media_in, picture_of
from idle_quarry.app.models.intake.rows import ClipRow, ClipRows, RowFilter
from idle_quarry.app.models.intake.scrubber import Scrubber
from idle_quarry.app.models.intake.two_ends import TwoEnds
from idle_quarry.app.models.intake.uses import ClipUses
from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media import Clip, grouped
from idle_quarry.media.against import against
from idle_quarry.media.looking import corrected_clip, look_at_all, whole_sound_heard
from idle_quarry.media.report import FormatTotal, totals, write_report
from idle_quarry.path.template import Template
from idle_quarry.printing import write_pdf
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: Stand for the template that is open, and for none, where a template's id could stand.
OPEN, NONE = "open", "none"


class Intake(QObject):
    """`rows_changed`: clips came or went or are judged anew.

    `chosen_changed`: another clip is looked at, or what is known of it; `progressed`: how far measuring is, with the
    seconds left; `running_changed`; `watch_changed`; `templates_changed`.
    """

    rows_changed = Signal()
    chosen_changed = Signal()
    running_changed = Signal()
    progressed = Signal(str, float, object)
    watch_changed = Signal()
    templates_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.rows = ClipRows()
        self.filtered = RowFilter(self.rows)
        self.two_ends = TwoEnds(door)
        self.uses = ClipUses(self)
        self.scrubber = Scrubber(door)
        self.chosen: Path | None = None
        self.held_against = OPEN
        self.watch: FolderWatch | None = None
        self._against: Template | None = None  # read once, not for every clip that arrives
        self._ticket: Ticket | None = None
        self._announce = False
        door.documents.opened.connect(self._opened)
        door.documents.edited.connect(self._judge)
        door.shelves_changed.connect(self._opened)
        self.rows_changed.connect(self._tell_clips)
        self._opened()

    def _tell_clips(self) -> None:
        self.door.intake_clips = tuple(row.path for row in self.rows.rows)

    # -- the template clips are held against -----------------------------------------------------------------

    def _opened(self) -> None:
        self.templates_changed.emit()
        self._judge()

    def templates(self) -> list[tuple[str, str]]:
        """Return what clips can be held against: names with ids; the open template and none come first."""
        document = self.door.document
        results = [
            (f"{document.template.name} (open)" if document else "the open template", OPEN),
            ("no template", NONE),
        ]
        page = self.door.read(lambda library: library.page(limit=400)) or []
        return [*results, *((summary.name, summary.id) for summary in page)]

    def hold_against(self, ident: str) -> None:
        """Hold clips against another template, the open one, or none."""
        self.held_against = ident
        self._judge()

    def template(self) -> Template | None:
        """Return the template that clips are held against, or None for none."""
        if self.held_against == NONE:
            return None
        if self.held_against == OPEN:
            return self.door.document.template if self.door.document is not None else None
        stored = self.door.read(lambda library: library.stored(self.held_against))
        return stored.template if stored is not None else None

    def _judge(self) -> None:
        self._against = self.template()
        if self.rows.rows:
            self.rows.judge(self._against)
            self.rows_changed.emit()
        self.chosen_changed.emit()

    # -- clips come in ----------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        return self._ticket is not None

    def look_at(self, paths: list[Path]) -> None:
        """Measure clips and the media in folders on all cores, off the interface thread.

        Rows come as they are known.
        """
        self.cancel()
        began = monotonic()

        def work(ticket: Ticket) -> int:
            clips = grouped(media_in(paths))
            for path, answer in look_at_all(clips, ticket.progress):
                if isinstance(answer, MediaError):
                    ticket.give(ClipRow(path, None, answer.what))
                else:
                    ticket.give(ClipRow(path, answer, picture=picture_of(answer)))
            return len(clips)

        def progressed(what: str, share: float) -> None:
            spent = monotonic() - began
            left = spent * (1 - share) / share if share > 0.02 else None
            self.progressed.emit(f"measuring: {what}", share, left)

        self._ticket = self.door.workers.start(work, self._done, self._failed, progressed, self._arrived)
        self.running_changed.emit()
        self.progressed.emit("measuring clips", 0.0, None)

    def cancel(self) -> None:
        """Stop measuring; what was measured stays."""
        if self._ticket is not None:
            self._ticket.cancel()

    def _arrived(self, looked: ClipRow) -> None:
        template = self._against
        match = against(template, looked.clip) if template is not None and looked.clip is not None else None
        self.rows.add(replace(looked, match=match))
        if self.chosen is None:
            self.chosen = looked.path
        self.rows_changed.emit()
        if self.chosen == looked.path:
            self.chosen_changed.emit()
        if self._announce and match is not None and (match.source is None or match.grade in ("lossy", "broken")):
            why = match.findings[0].text if match.findings else f"it is {match.grade} into the programme"
            name = template.name if template is not None else ""
            self.door.say(f"{looked.path.name} arrived and does not fit {name}: {why}", refusal=True)

    def _done(self, count: int) -> None:
        if count == 0:
            self.door.say("No clips there: no file has the name of a media file.", refusal=True)
        self._ended()

    def _failed(self, error: QuarryError) -> None:
        stopped = isinstance(error, Cancelled)
        self.door.say("Stopped; the clips looked at so far are shown." if stopped else str(error), refusal=True)
        self._ended()

    def _ended(self) -> None:
        self._ticket = None
        self.running_changed.emit()
        self.rows_changed.emit()

    def clear(self) -> None:
        """Forget all clips."""
        self.cancel()
        self.rows.clear()
        self.chosen = None
        self.rows_changed.emit()
        self.chosen_changed.emit()

    def clips(self) -> list[Clip]:
        return [row.clip for row in self.rows.rows if row.clip is not None]

    def totals(self) -> list[FormatTotal]:
        """Return how much of the material is what, by share of duration."""
        return totals(self.clips())

    # -- a watched folder ---------------------------------------------------------------------------------------

    def watch_folder(self, folder: Path) -> None:
        """Look at clips of a folder as they arrive, and say which do not fit the template."""
        self.watch = FolderWatch(folder, self.door.workers, self)
        self.watch.arrived.connect(self._came_in)
        self.watch.lost.connect(self._watch_lost)
        self.watch_changed.emit()
        self.door.say(f"Watching {folder}: clips are measured once they have stopped growing.")

    def stop_watching(self) -> None:
        """Watch no longer."""
        if self.watch is not None:
            self.watch.stop()
            self.watch.deleteLater()
            self.watch = None
            self.watch_changed.emit()

    def _watch_lost(self, error: QuarryError) -> None:
        self.stop_watching()
        self.door.refuse(error)

    def _came_in(self, paths: list[Path]) -> None:
        self._announce = True
        self.look_at(paths)

    # -- the chosen clip -------------------------------------------------------------------------------------------

    def choose(self, path: Path | None) -> None:
        """Look at another clip."""
        if path != self.chosen:
            self.chosen = path
            self.chosen_changed.emit()

    @property
    def row(self) -> ClipRow | None:
        """The row of the chosen clip."""
        return next((row for row in self.rows.rows if row.path == self.chosen), None)

    def correct(self, fmt: SignalFormat | None) -> None:
        """Take the chosen clip as another format, where somebody knows better, or as it was measured (None)."""
        row = self.row
        if row is None or row.clip is None:
            return
        try:
            clip = corrected_clip(row.clip, fmt)
        except MediaError as error:
            self.door.refuse(error)
            return
        template = self._against
        match = against(template, clip) if template is not None else None
        self.rows.add(replace(row, clip=clip, match=match))
        self.rows_changed.emit()
        self.chosen_changed.emit()
        words = format_words(clip.format, fields=True) if clip.format else "no format"
        text = f"{clip.name} is read as {words} from now on." if fmt else f"{clip.name} is read as measured: {words}."
        self.door.say(text)

    def sound_is_of_windows(self) -> bool:
        """Return whether the chosen clip's loudness is of windows, and the whole could be heard."""
        row = self.row
        measured = row.clip.measured if row is not None and row.clip is not None else None
        return measured is not None and any(
            measurement is not None and measurement.windows > 1 for measurement in measured.sound
        )

    def hear_whole_sound(self) -> None:
        """Measure loudness and true peak of the whole of the chosen clip's sound, as R 128 integrates a programme."""
        row = self.row
        if row is None or row.clip is None or self.running:
            return
        clip = row.clip

        def progressed(what: str, share: float) -> None:
            self.progressed.emit(what, share, None)

        self._ticket = self.door.workers.start(
            lambda ticket: whole_sound_heard(clip, ticket.progress), self._heard, self._failed, progressed
        )
        self.running_changed.emit()

    def _heard(self, clip: Clip) -> None:
        self._ticket = None
        row = next((row for row in self.rows.rows if row.path == clip.path), None)
        if row is not None:
            self.rows.add(replace(row, clip=clip))
        self.running_changed.emit()
        self.rows_changed.emit()
        self.chosen_changed.emit()

    def set_ends(self, rows: list[ClipRow]) -> None:
        """Take clips, by the shares of their formats, as what comes in of the two ends."""
        usable = [row.clip for row in rows if row.clip is not None and row.clip.format is not None]
        words = {format_words(clip.format, fields=True): format_words(clip.format) for clip in usable if clip.format}
        self.two_ends.set_sources([(words[total.format], total.share * 100) for total in totals(usable)])

    # -- the report -----------------------------------------------------------------------------------------

    def report(self, path: Path) -> None:
        """Write the report of all clips, off the interface thread."""
        clips, name = self.clips(), self._against.name if self._against is not None else ""

        def work(_ticket: Ticket) -> Path:
            write_report(path, clips, write_pdf, name)
            return path

        self.door.workers.start(work, lambda done: self.door.say(f"The report is in {done}."), self.door.refuse)
