"""The Proof view: the strip with the link on the bench, and the bench itself."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.proof.proof import PAGES
from idle_quarry.app.views.proof.codecs import CodecsPage
from idle_quarry.app.views.proof.disks import DisksPage
from idle_quarry.app.views.proof.pictures import PicturesPage
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.templates.strip import Strip


class ProofView(QWidget):
    """One link of the open template on real pictures. Everything shown follows the model."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.proof
        self.empty = label(
            "Nothing is open. Choose a template in the Library; then its conversions are proved here.", "dust"
        )
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.strip = Strip(editable=False, low=True)
        self.strip.chosen.connect(self.model.choose)
        self.title, self.about = label(role="head"), OneLine("dust")
        self.tabs = Tabs(PAGES, "Proof: {}")
        self.tabs.chosen.connect(self.model.show_page)
        model = self.model
        self.pictures, self.codecs, self.disks = (
            PicturesPage(model.pictures),
            CodecsPage(model.codecs),
            DisksPage(model.disks),
        )
        self._pages = QStackedWidget()
        for page in (self.pictures, self.codecs, self.disks):
            self._pages.addWidget(page)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 5, 16, 0)
        sized(head).setSpacing(12)
        head.addWidget(self.tabs)
        head.addWidget(self.title)
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
        outer.addWidget(self.empty)
        outer.addWidget(self._full)
        self.first_focus = self.pictures.panes
        model.changed.connect(self._show)
        model.page_changed.connect(self._show)
        model.pictures.laid.connect(self._show_about)
        model.pictures.methods_changed.connect(self._show_about)
        self._show()

    def _show(self) -> None:
        model, document = self.model, self.desk.document
        self.empty.setVisible(document is None)
        self._full.setVisible(document is not None)
        pictures = model.page == PAGES[0]
        self.tabs.show_on(model.page)
        self._pages.setCurrentIndex(PAGES.index(model.page))
        self.title.setVisible(pictures)
        self.about.setVisible(pictures)
        if document is not None:
            self.strip.show_evaluation(document.seen, model.station)
            self.title.setText(model.title_words())

    def _show_about(self) -> None:
        self.about.setText(self.model.pictures.words.about_words())

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.model.look(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.model.look(False)
