"""The Proof view: the strip with the link on the bench, and the bench itself."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from idle_quarry.app.desk import Desk
from idle_quarry.app.document import Document
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.proof_codecs import CodecsPage
from idle_quarry.app.views.proof_disks import DisksPage
from idle_quarry.app.views.proof_pictures import PicturesPage, subject_of
from idle_quarry.app.widgets.basics import OneLine, label
from idle_quarry.app.widgets.strip import Strip
from idle_quarry.media import MEDIA_SUFFIXES
from idle_quarry.path.comparing import questions
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.grades import GRADES
from idle_quarry.path.steps import plan
from idle_quarry.signal.words import format_words

PAGES = ("Pictures", "Codecs", "Disks")


def _most_to_prove(evaluation: Evaluation) -> str:
    """Return the station of the worst link that has anything to compare; of the first where none has."""
    worst, found = -1, evaluation.links[0]
    for link in evaluation.links:
        ends = evaluation.station(link.source).format, evaluation.station(link.target).format
        if questions(*ends, link.policy) and GRADES.index(link.grade) > worst:
            worst, found = GRADES.index(link.grade), link
    return found.source if found.source.startswith("source:") else found.target


class ProofView(QWidget):
    """One link of the open template on real pictures. Everything shown follows the document."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._watched: Document | None = None
        self._empty = label(
            "Nothing is open. Choose a template in the Library; then its conversions are proved here.", "dust"
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.strip = Strip(editable=False, low=True)
        self.strip.chosen.connect(self.choose)
        self.title, self.about = label(role="head"), OneLine("dust")
        self.pictures, self.codecs, self.disks = PicturesPage(desk), CodecsPage(desk), DisksPage(desk)
        self.pictures.laid.connect(self._say_what)
        self._pages = QStackedWidget()
        for page in (self.pictures, self.codecs, self.disks):
            self._pages.addWidget(page)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 5, 16, 0)
        self.tabs: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name in PAGES:
            tab = QPushButton(name)
            tab.setCheckable(True)
            tab.setProperty("quiet", "true")
            tab.setAccessibleName(f"Proof: {name}")
            tab.clicked.connect(lambda _on, name=name: self.show_page(name))
            group.addButton(tab)
            head.addWidget(tab)
            self.tabs[name] = tab
        self.tabs[PAGES[0]].setChecked(True)
        head.addSpacing(theme.px(14))
        head.addWidget(self.title)
        head.addSpacing(theme.px(10))
        head.addWidget(self.about, 100)
        head.addStretch(1)  # keeps the tabs together where nothing is said beside them
        self._full = QWidget()
        column = QVBoxLayout(self._full)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addLayout(head)
        column.addWidget(self._pages, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._empty)
        outer.addWidget(self._full)
        self.first_focus = self.pictures.panes
        desk.opened.connect(self._opened)
        self._opened()

    def _opened(self) -> None:
        if self._watched is not None:
            self._watched.changed.disconnect(self.refresh)
        document = self._watched = self.desk.document
        self._empty.setVisible(document is None)
        self._full.setVisible(document is not None)
        if document is not None:
            document.changed.connect(self.refresh)
            self.strip.show_evaluation(document.evaluation, _most_to_prove(document.evaluation))
            self.refresh()

    def refresh(self) -> None:
        """Show the document as it is now."""
        document = self.desk.document
        if document is None:
            return
        ids = [station.id for station in document.evaluation.stations]
        chosen = self.strip.selected if self.strip.selected in ids else ids[0]
        self.strip.show_evaluation(document.evaluation, chosen)
        self._show()

    def show_page(self, name: str) -> None:
        """Show pictures, codecs or disks."""
        self.tabs[name].setChecked(True)
        self._pages.setCurrentIndex(PAGES.index(name))
        self._show()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show()

    def _show(self) -> None:
        """Bring the page in sight up to date; the others wait until they are looked at."""
        if self.desk.document is None or not self.isVisible():
            return
        page = self._pages.currentWidget()
        self.title.setVisible(page is self.pictures)
        self.about.setVisible(page is self.pictures)
        if page is self.pictures:
            self.choose(self.strip.selected)
        elif page is self.codecs:
            self.codecs.show_template(self._clips())
        else:
            self.disks.show_template()

    def prove(self, ident: str, clip: Path | None) -> None:
        """Put a station's link on the bench, and a clip, or leave there what is there."""
        if self.desk.document is not None:
            self.show_page("Pictures")
            self.strip.show_evaluation(self.desk.document.evaluation, ident)
            self.choose(ident)
            if clip is not None:
                self.pictures.use_clip(clip)

    def choose(self, ident: str) -> None:
        """Put the link of a station on the bench: out of a source, into any other; the working picture has none."""
        document = self.desk.document
        if document is None:
            return
        if self._pages.currentWidget() is not self.pictures:
            self.show_page("Pictures")
            return
        evaluation = document.evaluation
        link = evaluation.link_of(ident)
        if link is None:  # the working picture: what comes into it first
            link = next(iter(evaluation.links))
        source, target = evaluation.station(link.source), evaluation.station(link.target)
        self.title.setText(f"{source.name} → {target.name}")
        own = source if link.source.startswith("source:") else target
        subject = subject_of(link, own.name, source.format, target.format)
        self.pictures.show_subject(subject, self._clips())

    def _say_what(self) -> None:
        """Say what is converted into what: the clip's own format, which need not be the source's."""
        bench, subject = self.pictures.bench, self.pictures.subject
        if bench is None or subject is None:
            return
        steps = "; ".join(step.text for step in plan(bench.source, bench.target, subject.policy).steps)
        ends = f"{format_words(bench.source, fields=True)} to {format_words(bench.target, fields=True)}"
        other = "" if bench.source == subject.source else f"This clip is not what {subject.name} should be. "
        self.about.setText(f"{other}{ends}: {steps or 'nothing changes'}")

    def _clips(self) -> list[Path]:
        """Return clips that lie beside this library: the demo's."""
        folder = self.desk.library.place.parent / "clips"
        if not folder.is_dir():
            return []
        return sorted(path for path in folder.iterdir() if path.suffix.lower() in MEDIA_SUFFIXES and path.is_file())
