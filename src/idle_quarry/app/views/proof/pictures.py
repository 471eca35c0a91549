"""Proof, pictures: the panes, above them what is compared, below them the transport, the methods and their figures."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.drawing.panes import GAINS, LAYOUTS, ZOOMS
from idle_quarry.app.models.proof.bench import BenchPictures
from idle_quarry.app.models.proof.comparison import MOST_PANES
from idle_quarry.app.models.proof.figures import alike, is_best
from idle_quarry.app.views.proof.origins import OriginRows
from idle_quarry.app.views.proof.transport import Transport
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.pictures.pane_card import PaneCard
from idle_quarry.app.widgets.pictures.panes import Panes
from idle_quarry.media import MEDIA_SUFFIXES
from idle_quarry.path.policies import parts
from idle_quarry.proof.figures import PictureArea

_DIFFERENCE, _SIDE = "Difference", "Side by side"


class PicturesPage(QWidget):
    """Everything about pictures. How they are laid and enlarged is the page's own; what they are is the model's."""

    def __init__(self, model: BenchPictures) -> None:
        super().__init__()
        self.model = model
        self.panes = Panes()
        self.panes.stepped.connect(model.step)
        self.panes.played.connect(model.player.toggle)
        self.panes.zoomed.connect(lambda zoom: self.zoom_box.setCurrentIndex(ZOOMS.index(zoom)))
        self.nothing = label("", "dust", wrap=True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.transport = Transport(model)
        self.panes.pointed.connect(self.transport.values.setText)
        self.origins = OriginRows(model)
        self.cards = [self._card(number) for number in range(MOST_PANES)]
        self.shared = label(role="dust", wrap=True)
        sized(self.shared).setContentsMargins(8, 0, 8, 5)
        self.shared.hide()
        self._build()
        model.laid.connect(self._laid)
        model.methods_changed.connect(self._show_methods)
        model.pictures_changed.connect(self._show_pictures)
        model.measured.changed.connect(self._show_figures)
        model.measured.worst_place.connect(self._go_to)
        if model.bench is not None:
            self._laid()
        self._show_methods()

    def _build(self) -> None:
        cards = QHBoxLayout()
        sized(cards).setSpacing(4)
        for card in self.cards:
            cards.addWidget(card, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(self._tools())
        column.addWidget(self.panes, 1)
        column.addWidget(self.nothing, 1)
        column.addWidget(self.transport)
        column.addWidget(self.origins)
        column.addLayout(cards)
        column.addWidget(self.shared)

    def _card(self, number: int) -> PaneCard:
        card = PaneCard()
        card.method_chosen.connect(partial(self.model.compared.choose_method, number))
        card.taken.connect(partial(self.model.taking.take, number))
        card.removed.connect(partial(self.model.compared.remove_method, number))
        return card

    def _tools(self) -> QHBoxLayout:
        self.material_box = QComboBox()
        self.material_box.setAccessibleName("Clip or chart on the bench")
        sized(self.material_box).setMinimumWidth(190)
        self.material_box.activated.connect(self._material_chosen)
        self.part_box = QComboBox()
        self.part_box.setAccessibleName("What is compared")
        self.part_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.part_box.activated.connect(lambda index: self.model.compared.compare(self.part_box.itemData(index)))
        self.compare_label = label("Compare", "dust")
        self.add_button = button(
            "+ method", self.model.compared.add_method, quiet=True, tip="one more picture on the bench, up to four"
        )
        self.layouts = Tabs(list(LAYOUTS), tips=dict(LAYOUTS))
        self.layouts.chosen.connect(self.lay)
        self.gain_box = choice_box("Amplified", {f"× {gain}": gain for gain in GAINS}, self.panes.set_gain)
        self.gain_box.setCurrentText("× 8")
        self.gain_box.hide()
        zooms = {("fit" if not zoom else f"{zoom}:1"): zoom for zoom in ZOOMS}
        self.zoom_box = choice_box("Size", zooms, self.panes.set_zoom)
        row = QHBoxLayout()
        sized(row).setContentsMargins(12, 4, 12, 0)
        sized(row).setSpacing(5)
        for widget in (label("Seen on", "dust"), self.material_box, self.compare_label, self.part_box, self.add_button):
            row.addWidget(widget)
        row.addStretch(1)
        for end in (self.layouts, self.gain_box, self.zoom_box):
            row.addWidget(end)
        return row

    # -- what is on the bench ------------------------------------------------------------------------------------

    def _material_chosen(self, index: int) -> None:
        wanted = self.material_box.itemData(index)
        if not wanted:
            names = " ".join(f"*{suffix}" for suffix in sorted(MEDIA_SUFFIXES))
            wanted, _ = QFileDialog.getOpenFileName(self, "A clip for the bench", str(Path.home()), f"Clips ({names})")
        if wanted:
            self.model.use(wanted)
        else:
            self._fill_materials()

    def _fill_materials(self) -> None:
        self.material_box.clear()
        for name, ident, text in self.model.materials():
            self.material_box.addItem(name, ident)
            self.material_box.setItemData(self.material_box.count() - 1, text, Qt.ItemDataRole.ToolTipRole)
        self.material_box.addItem("Open a clip …", "")
        self.material_box.setCurrentIndex(max(0, self.material_box.findData(self.model.material)))

    def _laid(self) -> None:
        self.panes.mark = None
        self.panes.set_field(self.model.field)

    # -- methods -------------------------------------------------------------------------------------------------

    def _show_methods(self) -> None:
        """Show what is compared and by which methods; without any, why there is nothing."""
        model = self.model
        there = bool(model.compared.methods)
        self._fill_materials()
        self.part_box.clear()
        for name in model.compared.asked() if model.bench is not None else ():
            self.part_box.addItem(parts()[name].name, name)
        self.part_box.setCurrentIndex(self.part_box.findData(model.compared.part))
        self.panes.setVisible(there)
        self.nothing.setVisible(not there)
        self.nothing.setText(model.words.nothing_words() if model.bench is not None else "")
        for widget in (self.compare_label, self.part_box, self.add_button, self.zoom_box, self.layouts):
            widget.setVisible(there)
        several = len(model.compared.methods) > 1
        for name, result in self.layouts.buttons.items():
            result.setEnabled(several or name == _SIDE)
        if not several:
            self.lay(_SIDE)
        self.add_button.setEnabled(model.compared.can_add)
        self._show_cards()

    def _show_cards(self) -> None:
        model = self.model
        own = str(getattr(model.own_policy(), model.compared.part)) if model.compared.part else ""
        offered = model.compared.offered(model.compared.part) if model.compared.part else ()
        for number, card in enumerate(self.cards):
            card.setVisible(number < len(model.compared.methods))
            if number < len(model.compared.methods):
                method, several = model.compared.methods[number], len(model.compared.methods) > 1
                card.show_method(
                    parts()[model.compared.part], offered, method, own, removable=several, may=model.taking.may_take
                )
        self._show_figures()

    def _show_pictures(self) -> None:
        model = self.model
        if model.bench is not None:
            self.panes.set_field(model.field)
            self.panes.show_panes(model.panes(), float(model.bench.target.raster.pixel_aspect))

    def _show_figures(self) -> None:
        figures = self.model.measured.figures() if self.model.compared.methods else []
        same = alike(figures)
        shared = {figure.name for figure in same}
        for card, results in zip(self.cards, figures, strict=False):
            if results is None:
                card.figures.show_figures([], "measuring …")
            else:
                card.figures.show_figures([(f, is_best(f, figures)) for f in results if f.name not in shared])
        self.shared.setText("The same for all: " + " · ".join(f"{f.name} {f.text}" for f in same) if same else "")
        self.shared.setVisible(bool(same))

    # -- how they lie --------------------------------------------------------------------------------------------

    def lay(self, name: str) -> None:
        """Lay the pictures otherwise."""
        self.layouts.show_on(name)
        self.gain_box.setVisible(name == _DIFFERENCE)
        self.panes.set_layout(name)

    def _go_to(self, place: PictureArea) -> None:
        self.panes.go_to(place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_D and self.model.compared.methods:
            self.model.measured.find_difference()
        else:
            super().keyPressEvent(event)
