"""Proof: which link of the open template is on the bench, and which of its three pages is looked at."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.documents.document import Document
from idle_quarry.app.models.proof.bench import BenchPictures
from idle_quarry.app.models.proof.codec_runs import CodecRuns
from idle_quarry.app.models.proof.disks import Disks
from idle_quarry.app.models.proof.subject import subject_of
from idle_quarry.media import MEDIA_SUFFIXES
from idle_quarry.path.comparing import questions
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.grades import GRADES

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

PAGES = ("Pictures", "Codecs", "Disks")


class Proof(QObject):
    """`changed`: another document or link; `page_changed`: another page."""

    changed = Signal()
    page_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.pictures, self.codecs, self.disks = BenchPictures(door), CodecRuns(door), Disks(door)
        self.page = PAGES[0]
        self.station = ""
        self.looked_at = False  #: whether the view is in sight: nothing is converted for nobody
        self._followed: Document | None = None
        self._wanted: Path | None = None
        door.documents.opened.connect(self._opened)
        door.documents.edited.connect(self._edited)
        self._opened()

    def _opened(self) -> None:
        document = self.door.document
        if document is not self._followed:
            self._followed = document
            if document is not None:
                self.station = most_to_prove(document.seen)
        self._edited()

    def _edited(self) -> None:
        document = self.door.document
        if document is not None:
            ids = [station.id for station in document.seen.stations]
            self.station = self.station if self.station in ids else ids[0]
        self.changed.emit()
        self._bring_up_to_date()

    def look(self, on: bool) -> None:
        """Somebody looks at the view, or no longer."""
        self.looked_at = on
        self.pictures.look(on and self.page == PAGES[0])
        if on:
            self._bring_up_to_date()

    def show_page(self, page: str) -> None:
        """Show pictures, codecs or disks."""
        self.page = page
        self.page_changed.emit()
        self.pictures.look(self.looked_at and page == PAGES[0])
        self._bring_up_to_date()

    def choose(self, ident: str) -> None:
        """Put the link of a station on the bench: out of a source, into any other; the working picture has none."""
        self.station = ident
        self.changed.emit()
        if self.page != PAGES[0]:
            self.show_page(PAGES[0])
        else:
            self._bring_up_to_date()

    def prove(self, ident: str, clip: Path | None) -> None:
        """Put a station's link on the bench, and a clip, or leave there what is there; and show the view."""
        if self.door.document is None:
            return
        self._wanted = clip
        self.page, self.station = PAGES[0], ident
        self.pictures.look(self.looked_at)
        self.page_changed.emit()
        self.changed.emit()
        self.door.view_wanted.emit("Proof")
        self._bring_up_to_date()

    def _bring_up_to_date(self) -> None:
        """Bring the page in sight up to date; the others wait until they are looked at."""
        document = self.door.document
        if document is None or not self.looked_at:
            return
        if self.page == "Codecs":
            self.codecs.show_template(self.clips())
        elif self.page == "Disks":
            self.disks.show_template()
        else:
            path = document.seen
            link = path.link_of(self.station) or path.links[0]  # the working picture: what comes into it first
            source, target = path.station(link.source), path.station(link.target)
            own = source if link.source.startswith("source:") else target
            self.pictures.show_subject(subject_of(link, own, *link.ends(source.format, target.format)), self.clips())
            if self._wanted is not None:
                wanted, self._wanted = self._wanted, None
                self.pictures.use(str(wanted))

    def title_words(self) -> str:
        """Return the two ends of the link on the bench."""
        document = self.door.document
        if document is None:
            return ""
        path = document.seen
        link = path.link_of(self.station) or path.links[0]
        return f"{path.station(link.source).name} → {path.station(link.target).name}"

    def clips(self) -> list[Path]:
        """Return clips that lie beside this library: the demo's."""
        folder = self.door.library.place.parent / "clips"
        if not folder.is_dir():
            return []
        return sorted(path for path in folder.iterdir() if path.suffix.lower() in MEDIA_SUFFIXES and path.is_file())


def most_to_prove(evaluation: Evaluation) -> str:
    """Return the station of the worst link that has anything to compare; of the first where none has."""
    worst, chosen = -1, evaluation.links[0]
    for link in evaluation.links:
        ends = evaluation.station(link.source).format, evaluation.station(link.target).format
        if questions(*ends, link.policy) and GRADES.index(link.grade) > worst:
            worst, chosen = GRADES.index(link.grade), link
    return chosen.source if chosen.source.startswith("source:") else chosen.target
