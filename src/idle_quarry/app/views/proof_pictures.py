"""Proof, pictures: one link's conversion under several methods, on a clip or a chart, looked at and measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.views.proof_player import SPEEDS, Player
from idle_quarry.app.widgets.basics import button, label
from idle_quarry.app.widgets.origin_map import BEFORE, COUNT, OriginMap, Origins
from idle_quarry.app.widgets.pane_card import PaneCard
from idle_quarry.app.widgets.panes import GAINS, LAYOUTS, ZOOMS, Pane, Panes
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.media import MEDIA_SUFFIXES
from idle_quarry.media.looking import look
from idle_quarry.path.comparing import methods_for, questions, with_part
from idle_quarry.path.edits import Edit
from idle_quarry.path.evaluation import Link
from idle_quarry.path.policies import Policy, parts
from idle_quarry.path.settings.formats import zoom_setting
from idle_quarry.path.template import ClipException, slug
from idle_quarry.picture.charts import CHARTS
from idle_quarry.proof.bench import Bench, Figure, Place, Still, greatest_difference
from idle_quarry.proof.material import ChartMaterial, ClipMaterial, Material
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import format_words

MOST_PANES = 4


@dataclass(frozen=True)
class Subject:
    """The link on the bench: its formats and policy, and where in the template the policy is (None where there is none)."""

    name: str
    source: SignalFormat
    target: SignalFormat
    policy: Policy
    place: str | None
    source_id: str | None = None


class PicturesPage(QWidget):
    """Everything about pictures. `show_subject` puts a link on the bench."""

    place_found = Signal(object)
    laid = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.subject: Subject | None = None
        self.bench: Bench | None = None
        self.part = ""
        self.methods: list[str] = []
        self.index = 0
        self._cards: list[PaneCard] = []
        self._figures: dict[tuple[Policy, int], list[Figure]] = {}
        self._coarse: dict[tuple[Policy, int], Still | None] = {}
        self._ticket: Ticket | None = None
        self._figure_ticket: Ticket | None = None
        self._player = Player(self)
        self._clips: list[Path] = []
        self._chosen_material = "crawl"
        self._build()

    # -- building --------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.panes = Panes()
        self.panes.stepped.connect(self.step)
        self.panes.played.connect(self.play)
        self.panes.zoomed.connect(self._zoomed)
        self.panes.pointed.connect(self._pointed)
        self.nothing = label("", "dust", wrap=True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._card_row = QHBoxLayout()
        sized(self._card_row).setSpacing(4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(self._tools())
        column.addWidget(self.panes, 1)
        column.addWidget(self.nothing, 1)
        self.map = OriginMap()
        self.map.hide()
        column.addLayout(self._transport())
        column.addWidget(self.map)
        column.addLayout(self._card_row)
        self.shared = label(role="dust", wrap=True)
        sized(self.shared).setContentsMargins(8, 0, 8, 5)
        self.shared.hide()
        column.addWidget(self.shared)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        sized(row).setContentsMargins(12, 4, 12, 0)
        sized(row).setSpacing(5)
        self.material_box = QComboBox()
        self.material_box.setAccessibleName("Clip or chart on the bench")
        sized(self.material_box).setMinimumWidth(190)
        self.material_box.activated.connect(self._material_chosen)
        self.part_box = QComboBox()
        self.part_box.setAccessibleName("What is compared")
        self.part_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.part_box.activated.connect(lambda index: self.compare(self.part_box.itemData(index)))
        row.addWidget(label("Seen on", "dust"))
        row.addWidget(self.material_box)
        self._compare_label = label("Compare", "dust")
        row.addWidget(self._compare_label)
        row.addWidget(self.part_box)
        self.add_button = button(
            "+ method", self.add_method, quiet=True, tip="one more picture on the bench, up to four"
        )
        row.addWidget(self.add_button)
        row.addStretch(1)
        group = QButtonGroup(self)
        self.layouts: dict[str, QPushButton] = {}
        for name, what in LAYOUTS.items():
            made = QPushButton(name)
            made.setCheckable(True)
            made.setProperty("quiet", "true")
            made.setToolTip(what)
            made.setAccessibleName(name)
            made.clicked.connect(lambda _on, name=name: self.lay(name))
            group.addButton(made)
            row.addWidget(made)
            self.layouts[name] = made
        self.layouts["Side by side"].setChecked(True)
        self.gain_box = _box("Amplified", {f"× {gain}": gain for gain in GAINS}, self.panes_gain)
        self.gain_box.setCurrentText("× 8")
        self.gain_box.hide()
        row.addWidget(self.gain_box)
        self.zoom_box = _box(
            "Size", {("fit" if not z else f"{z}:1"): z for z in ZOOMS}, lambda z: self.panes.set_zoom(z)
        )
        row.addWidget(self.zoom_box)
        return row

    def _transport(self) -> QHBoxLayout:
        row = QHBoxLayout()
        sized(row).setContentsMargins(12, 0, 12, 0)
        sized(row).setSpacing(4)
        self.play_button = button("Play", self.play, tip="Space")
        self.back = button("‹", lambda: self.step(-1), quiet=True, tip="one picture back (Left)")
        self.on = button("›", lambda: self.step(1), quiet=True, tip="one picture on (Right)")
        self.back.setAccessibleName("Step back")
        self.on.setAccessibleName("Step on")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Picture")
        sized(self.slider).setMinimumWidth(160)
        self.slider.valueChanged.connect(self._slid)
        self.field_box = _box("Fields", {"whole frames": None, "field by field": 0}, self._fields_chosen)
        self.speed_box = _box("Speed", SPEEDS, lambda _speed: self._player.again())
        self.where = label(role="dust")
        self.differ_button = button("Where they differ most", self.find_difference, tip="D")
        self.except_button = button(
            "Except this clip", self._except, quiet=True, tip="keep the first picture's methods for this clip alone"
        )
        self.zoom_line = QLineEdit()
        self.zoom_line.setAccessibleName("Zoom of this clip in per cent of the size that fit gives")
        self.zoom_line.setToolTip("zoom of this clip, % of the size that fit gives")
        sized(self.zoom_line).setMaximumWidth(64)
        self.zoom_line.editingFinished.connect(self._zoom_typed)
        self.values = label(role="dust")
        for widget in (self.play_button, self.back, self.on):
            row.addWidget(widget)
        row.addWidget(self.slider)
        row.addWidget(self.field_box)
        row.addWidget(self.speed_box)
        row.addWidget(self.where)
        row.addStretch(1)
        row.addWidget(self.values)
        row.addWidget(self.zoom_line)
        row.addWidget(self.except_button)
        row.addWidget(self.differ_button)
        return row

    # -- what is on the bench --------------------------------------------------------------------------

    def show_subject(self, subject: Subject, clips: list[Path]) -> None:
        """Put a link on the bench; `clips` are those one may want to see it on."""
        same = self.subject is not None and (subject.source, subject.target, subject.name) == (
            self.subject.source, self.subject.target, self.subject.name,
        )  # fmt: skip
        self.subject, self._clips = subject, clips
        self._fill_materials()
        if same and self.bench is not None:
            self._policy_changed()
            return
        self._player.stop()
        if self._chosen_material in CHARTS:
            self._lay_material(ChartMaterial(self._chosen_material, subject.source))
        elif isinstance(self.bench and self.bench.material, ClipMaterial):
            assert self.bench is not None
            self._lay_material(self.bench.material)
        else:
            self._look_at(Path(self._chosen_material))

    def _fill_materials(self) -> None:
        self.material_box.clear()
        for chart in CHARTS.values():
            self.material_box.addItem(f"Chart: {chart.name}", chart.id)
            self.material_box.setItemData(self.material_box.count() - 1, chart.text, Qt.ItemDataRole.ToolTipRole)
        for path in self._clips:
            self.material_box.addItem(path.name, str(path))
        self.material_box.addItem("Open a clip …", "")
        index = self.material_box.findData(self._chosen_material)
        self.material_box.setCurrentIndex(max(0, index))

    def _material_chosen(self, index: int) -> None:
        wanted = self.material_box.itemData(index)
        if not wanted:
            names = " ".join(f"*{suffix}" for suffix in sorted(MEDIA_SUFFIXES))
            path, _ = QFileDialog.getOpenFileName(self, "A clip for the bench", str(Path.home()), f"Clips ({names})")
            if path:
                self.use_clip(Path(path))
            else:
                self._fill_materials()
            return
        self._chosen_material = wanted
        if wanted in CHARTS:
            assert self.subject is not None
            self._lay_material(ChartMaterial(wanted, self.subject.source))
        else:
            self._look_at(Path(wanted))

    def use_clip(self, path: Path) -> None:
        """Lay a clip on the bench."""
        if path not in self._clips:
            self._clips.append(path)
        self._chosen_material = str(path)
        self._fill_materials()
        self._look_at(path)

    def _look_at(self, path: Path) -> None:
        self.where.setText(f"measuring {path.name} …")
        self.desk.workers.start(partial(_material, path), self._lay_material, self._not_looked)

    def _not_looked(self, error: QuarryError) -> None:
        self.desk.refuse(error)
        self._chosen_material = "crawl"
        self._fill_materials()
        if self.subject is not None:
            self._lay_material(ChartMaterial("crawl", self.subject.source))

    def _lay_material(self, material: Material) -> None:
        assert self.subject is not None
        self._player.stop()
        old = self.bench.material if self.bench is not None else None
        if isinstance(old, ClipMaterial) and old is not material:
            self.desk.workers.start(lambda _ticket: old.close(), lambda _none: None, lambda _error: None)
        self.bench = Bench(material, self.subject.target)
        self._figures.clear()
        self._coarse.clear()
        self.panes.mark = None
        self.index = min(12, self.bench.frames(self._own_policy()) // 2)
        self._policy_changed()
        self.laid.emit()

    def _own_policy(self) -> Policy:
        """The policy by which the template converts what is on the bench."""
        assert self.subject is not None
        document, material = self.desk.document, self.bench.material if self.bench else None
        if document is not None and self.subject.source_id and isinstance(material, ClipMaterial):
            for source in document.template.sources:
                if source.id == self.subject.source_id:
                    return source.policy_for(material.clip.path.name)
        return self.subject.policy

    def _policy_changed(self) -> None:
        """Offer what there is to compare; keep what was compared where that still matters."""
        assert self.bench is not None
        own = self._own_policy()
        asked = questions(self.bench.source, self.bench.target, own)
        self.part_box.clear()
        for name in asked:
            self.part_box.addItem(parts()[name].name, name)
        if not asked:
            self._nothing_to_compare()
            return
        self.compare(self.part if self.part in asked else asked[0])

    def _nothing_to_compare(self) -> None:
        self.part, self.methods = "", []
        self._show_cards()
        words = format_words(self.bench.source, fields=True) if self.bench else ""
        self.nothing.setText(
            f"Nothing is converted here: {words} goes through as it is. Choose another link on the strip."
        )
        self._show_state()

    def compare(self, part: str) -> None:
        """Compare the methods of one part of the policy: the template's own and the next."""
        assert self.bench is not None
        if self.part_box.findData(part) < 0:
            return  # this link does not ask that
        self.part_box.setCurrentIndex(self.part_box.findData(part))
        own = str(getattr(self._own_policy(), part))
        offered = self._offered(part)
        if part != self.part or own not in self.methods:
            self.part = part
            self.methods = list(offered[:2])
        self.methods = [method for method in self.methods if method in offered]
        self._show_cards()
        self._show_state()
        self.request()

    def _offered(self, part: str) -> tuple[str, ...]:
        assert self.bench is not None
        return methods_for(part, self.bench.source, self.bench.target, self._own_policy())

    def add_method(self) -> None:
        """Put one more method on the bench: the next that is not there yet."""
        rest = [method for method in self._offered(self.part) if method not in self.methods]
        if rest and len(self.methods) < MOST_PANES:
            self.set_methods([*self.methods, rest[0]])

    def set_methods(self, methods: list[str]) -> None:
        """Put these methods on the bench, in this order."""
        self.methods = methods
        self._show_cards()
        self._show_state()
        self.request()

    def policies(self) -> list[Policy]:
        """Return the policy of each picture."""
        return [with_part(self._own_policy(), self.part, method) for method in self.methods]

    # -- cards -----------------------------------------------------------------------------------------

    def _show_cards(self) -> None:
        while len(self._cards) < len(self.methods):
            card, number = PaneCard(), len(self._cards)
            card.method_chosen.connect(partial(self._method_chosen, number))
            card.taken.connect(partial(self._take, number))
            card.removed.connect(partial(self._remove, number))
            self._cards.append(card)
            self._card_row.addWidget(card, 1)
        own = str(getattr(self._own_policy(), self.part)) if self.part else ""
        offered = self._offered(self.part) if self.part else ()
        may = self.subject is not None and self.subject.place is not None
        for number, card in enumerate(self._cards):
            card.setVisible(number < len(self.methods))
            if number < len(self.methods):
                method = self.methods[number]
                card.show_method(parts()[self.part], offered, method, own, removable=len(self.methods) > 1, may=may)
                card.figures.show_figures([], "measuring …")
        self.add_button.setEnabled(bool(self.part) and len(self.methods) < min(MOST_PANES, len(offered)))

    def _method_chosen(self, number: int, method: str) -> None:
        methods = list(self.methods)
        if method in methods:  # already on the bench: the two change places
            methods[methods.index(method)] = methods[number]
        methods[number] = method
        self.set_methods(methods)

    def _remove(self, number: int) -> None:
        self.set_methods(self.methods[:number] + self.methods[number + 1 :])

    def _take(self, number: int) -> None:
        """Make a method the template's, as one step that can be undone."""
        document, subject = self.desk.document, self.subject
        if document is None or subject is None or subject.place is None:
            return
        method = self.methods[number]
        name = parts()[self.part]
        excepted = self._exception()
        place = f"sources.{subject.source_id}.exceptions.{excepted.id}.policy" if excepted else subject.place
        try:
            document.apply(
                f"{name.name}: {name[method].label} for {subject.name}", Edit(f"{place}.{self.part}", method)
            )
        except QuarryError as error:
            self.desk.refuse(error)
            return
        whose = f"{excepted.clip} alone" if excepted else subject.name
        late = self._late(number)
        self.desk.say(
            f"{name.name} of {whose} is now {name[method].label}.{late}", action=("Undo", document.undo_stack.undo)
        )

    def _late(self, number: int) -> str:
        still = self.bench.kept(self.policies()[number], self.index) if self.bench is not None else None
        if self.bench is None or still is None:
            return ""
        times = self.bench.cost(still).value
        return "" if times >= 1 else f" It cannot keep up on this machine: {times:.2g} × real time."

    def _exception(self) -> ClipException | None:
        document, material = self.desk.document, self.bench.material if self.bench else None
        if document is None or self.subject is None or not isinstance(material, ClipMaterial):
            return None
        name = material.clip.path.name.casefold()
        for source in document.template.sources:
            if source.id == self.subject.source_id:
                return next((each for each in source.exceptions if each.clip.casefold() == name), None)
        return None

    def _except(self) -> None:
        """Keep the first picture's policy for this clip alone, or take the exception back."""
        document, subject = self.desk.document, self.subject
        material = self.bench.material if self.bench else None
        if document is None or subject is None or subject.source_id is None or not isinstance(material, ClipMaterial):
            return
        place = f"sources.{subject.source_id}.exceptions"
        found, name = self._exception(), material.clip.path.name
        try:
            if found is not None:
                document.apply(f"No exception for {name}", Edit(f"{place}.{found.id}", None))
                self.desk.say(
                    f"{name} is converted like the rest of {subject.name}.", action=("Undo", document.undo_stack.undo)
                )
                return
            source = next(s for s in document.template.sources if s.id == subject.source_id)
            ident = slug(Path(name).stem, {each.id for each in source.exceptions})
            policy = self.policies()[0] if self.methods else self._own_policy()
            document.apply(
                f"Exception for {name}", Edit(f"{place}.{ident}", ClipException(id=ident, clip=name, policy=policy))
            )
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.say(
            f"{name} keeps its own methods from now on: choose them here; the rest of {subject.name} is as before.",
            action=("Undo", document.undo_stack.undo),
        )

    def _zoom_typed(self) -> None:
        """Enlarge or reduce this clip alone, as its exception says."""
        document, found = self.desk.document, self._exception()
        if document is None or found is None or self.subject is None:
            return
        setting = zoom_setting(f"sources.{self.subject.source_id}.exceptions.{found.id}.policy", "", found.policy)
        try:
            edit = setting.edit(self.zoom_line.text())
            if edit.value != found.policy.zoom:
                document.apply(f"Zoom of {found.clip}", edit)
        except QuarryError as error:
            self.desk.refuse(error)
            self.zoom_line.setText(f"{found.policy.zoom:g} %")

    # -- pictures --------------------------------------------------------------------------------------

    def request(self) -> None:
        """Have the pictures made that are not there; the newest request wins."""
        if self.bench is None or not self.methods:
            return
        self._show_pictures()
        if self._ticket is not None:
            return  # what is wanted by the time this one is done is asked for then
        missing = [policy for policy in self.policies() if self.bench.kept(policy, self.index) is None]
        rough = [policy for policy in missing if (policy, self.index) not in self._coarse]
        if rough:
            self._ticket = self.desk.workers.start(
                partial(_coarse, self.bench, rough[0], self.index), self._coarse_arrived, self._failed
            )
        elif missing:
            self._ticket = self.desk.workers.start(
                partial(_made, self.bench, missing[0], self.index), self._arrived, self._failed
            )
        else:
            self._measure()

    def _coarse_arrived(self, found: tuple[Bench, Policy, int, Still | None]) -> None:
        bench, policy, index, still = found
        if bench is self.bench:
            if len(self._coarse) > 2 * MOST_PANES:
                self._coarse.clear()
            self._coarse[policy, index] = still
        self._arrived(None)

    def _arrived(self, _still: object) -> None:
        self._ticket = None
        self.request()

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.desk.refuse(error)
        self._show_pictures(str(error))

    def _show_pictures(self, trouble: str = "") -> None:
        if self.bench is None:
            return
        panes = []
        part = parts()[self.part] if self.part else None
        for method, policy in zip(self.methods, self.policies(), strict=True):
            still = self.bench.kept(policy, self.index)
            note = "" if still else trouble or "converting …"
            still = still or self._coarse.get((policy, self.index))
            assert part is not None
            panes.append(Pane(part[method].label, still, note))
        self.panes.show_panes(panes, float(self.bench.target.raster.pixel_aspect))
        self._show_where()

    def _measure(self) -> None:
        """Have the figures computed that are not there, one picture after another."""
        if self.bench is None or self._player.playing:
            return
        stills = [self.bench.kept(policy, self.index) for policy in self.policies()]
        self._show_figures()
        if self._figure_ticket is not None:
            return
        for still in stills:
            if still is not None and (still.policy, still.index) not in self._figures:
                self._figure_ticket = self.desk.workers.start(
                    partial(_figured, self.bench, still, stills[0]), self._figured, self._not_figured
                )
                return

    def _figured(self, found: tuple[Bench, Still, list[Figure]]) -> None:
        self._figure_ticket = None
        bench, still, figures = found
        if bench is self.bench:
            self._figures[still.policy, still.index] = figures
        self._measure()

    def _not_figured(self, error: QuarryError) -> None:
        self._figure_ticket = None
        self.desk.refuse(error)

    def _show_figures(self) -> None:
        found = [self._figures.get((policy, self.index)) for policy in self.policies()]
        complete = [figures for figures in found if figures is not None]
        alike = _alike(complete) if len(complete) == len(found) else []
        shared = {figure.name for figure in alike}
        for card, figures in zip(self._cards, found, strict=False):
            if figures is None:
                card.figures.show_figures([], "measuring …")
            else:
                own = [(figure, _is_best(figure, found)) for figure in figures if figure.name not in shared]
                card.figures.show_figures(own)
        self.shared.setText("The same for all: " + " · ".join(f"{f.name} {f.text}" for f in alike) if alike else "")
        self.shared.setVisible(bool(alike))

    def find_difference(self) -> None:
        """Find where the pictures differ most, and go there."""
        if self.bench is None:
            return
        stills = [self.bench.kept(policy, self.index) for policy in self.policies()]
        ready = [still.shown for still in stills if still is not None]
        if len(ready) < 2:
            waits = len(self.methods) > 1
            self.desk.say(
                "The pictures are still being made." if waits else "Put another method beside this one first."
            )
            return
        self.desk.workers.start(lambda _ticket: greatest_difference(ready), self._differ, self.desk.refuse)

    def _differ(self, place: Place) -> None:
        if place.amount == 0:
            self.desk.say("These pictures are the same in every sample.")
            return
        self.panes.go_to(place)
        self.desk.say(
            f"They differ most around sample {place.x + place.width // 2}, line {place.y + place.height // 2}: "
            f"{place.amount:.1f} of 255 on the average of {place.width} × {place.height}."
        )
        self.place_found.emit(place)

    # -- time ------------------------------------------------------------------------------------------

    @property
    def last(self) -> int:
        """The number of the last output frame."""
        return max(0, self.bench.frames(self._own_policy()) - 1) if self.bench is not None else 0

    def go(self, index: int) -> None:
        """Look at another output frame."""
        self.index = min(max(0, index), self.last)
        self.request()

    def step(self, by: int) -> None:
        """Go on by pictures, or by fields where they are looked at one by one."""
        self._player.stop()
        field = self.panes.field
        if field is None or self.bench is None:
            self.go(self.index + by)
            return
        first = 0 if self.bench.target.field_order == "top" else 1
        second = field != first
        self.panes.set_field(1 - field)
        if (by > 0) == second:
            self.go(self.index + by)
        self._show_where()

    def _slid(self, value: int) -> None:
        if value != self.index:
            self._player.stop()
            self.go(value)

    def _fields_chosen(self, field: int | None) -> None:
        if field is not None and self.bench is not None:
            field = 0 if self.bench.target.field_order == "top" else 1
        self.panes.set_field(field)
        self._show_where()

    def play(self) -> None:
        """Play a loop from here, or stop."""
        self._player.toggle()

    def _show_where(self) -> None:
        if self.bench is None:
            return
        self.slider.blockSignals(True)
        self.slider.setRange(0, self.last)
        self.slider.setValue(self.index)
        self.slider.blockSignals(False)
        self._show_map()
        if self._player.playing:
            self.where.setText(self._player.text)
            return
        text = f"picture {self.index} of {self.last + 1}"
        if self.panes.field is not None:
            text += f", {'upper' if self.panes.field == 0 else 'lower'} field"
        if self.policies():
            text += f" · {shown_text(self.bench, self.policies()[0], self.index)}"
        self.where.setText(text)

    def _show_map(self) -> None:
        """Show what came from where, where the rate or the number of moments changes."""
        bench = self.bench
        if bench is None or not self.methods or bench.source.moments == bench.target.moments:
            self.map.show_rows([], 0)
            return
        first = max(0, self.index - BEFORE)
        part = parts()[self.part]
        rows: dict[tuple[tuple[int, float], ...], Origins] = {}
        for method, policy in zip(self.methods, self.policies(), strict=True):
            cells = bench.shown_moments(policy, first, COUNT)
            # methods that show the same pictures at the same times share a row
            name = f"{rows[cells].name}, {part[method].label}" if cells in rows else part[method].label
            rows[cells] = Origins(name, cells)
        made = list(rows.values())
        if len(made) == 1:
            made = [Origins("Shows source", made[0].cells)]
        per = len(bench.conversion(self.policies()[0]).origins(first))
        self.map.show_rows(made, (self.index - first) * per)

    # -- odds and ends ---------------------------------------------------------------------------------

    def _show_state(self) -> None:
        there = bool(self.methods)
        self.panes.setVisible(there)
        self.nothing.setVisible(not there)
        interlaced = self.bench is not None and self.bench.target.scan == "interlaced"
        self.field_box.setVisible(there and interlaced)
        if not interlaced:
            self.panes.field = None
            self.field_box.setCurrentIndex(0)
        for widget in (
            self.play_button, self.back, self.on, self.slider, self.speed_box, self.differ_button, self._compare_label,
            self.part_box, self.add_button, self.zoom_box, *self.layouts.values(),
        ):  # fmt: skip
            widget.setVisible(there)
        self.differ_button.setEnabled(len(self.methods) > 1)
        for name in ("Wipe", "Split", "Blink", "Difference"):
            self.layouts[name].setEnabled(len(self.methods) > 1)
        if len(self.methods) < 2:
            self.lay("Side by side")
        material = self.bench.material if self.bench else None
        clip = isinstance(material, ClipMaterial) and self.subject is not None and self.subject.source_id is not None
        self.except_button.setVisible(there and clip)
        excepted = self._exception()
        self.except_button.setText("Like the rest" if excepted else "Except this clip")
        self.zoom_line.setVisible(there and clip and excepted is not None)
        self.zoom_line.setText(f"{excepted.policy.zoom:g} %" if excepted else "")

    def lay(self, name: str) -> None:
        """Lay the pictures otherwise."""
        self.layouts[name].setChecked(True)
        self.gain_box.setVisible(name == "Difference")
        self.panes.set_layout(name)

    def panes_gain(self, gain: int) -> None:
        """Amplify the difference otherwise."""
        self.panes.set_gain(gain)

    def _zoomed(self, zoom: int) -> None:
        self.zoom_box.setCurrentIndex(ZOOMS.index(zoom))

    def _pointed(self, text: str) -> None:
        self.values.setText(text)

    def keyPressEvent(self, event: Any) -> None:
        if event.key() == Qt.Key.Key_D and self.methods:
            self.find_difference()
        else:
            super().keyPressEvent(event)


def shown_text(bench: Bench, policy: Policy, index: int) -> str:
    """Return which source pictures an output frame shows, in words."""
    conversion = bench.conversion(policy)
    fields = bench.source.scan == "interlaced"
    shown = []
    for origin in conversion.origins(index):
        if fields:
            name = f"field {origin.first % 2 + 1} of {origin.first // 2}"
        else:
            name = f"{origin.first}"
        shown.append(
            name
            + (
                f" and {1 + origin.first if not fields else 'the next'}, {origin.phase:.0%} on".replace("%", " %")
                if origin.phase
                else ""
            )
        )
    if len(set(shown)) == 1:
        shown = shown[:1]
    return f"shows source {'picture ' if not fields else ''}{'; '.join(shown)}, at {rate_text(bench.target.rate)}"


def _alike(found: list[list[Figure]]) -> list[Figure]:
    """Return the figures that say the same of every picture; none where there is only one picture."""
    if len(found) < 2:
        return []
    texts = [{figure.name: figure.text for figure in figures} for figures in found]
    return [figure for figure in found[0] if all(each.get(figure.name) == figure.text for each in texts)]


def _is_best(figure: Figure, found: list[list[Figure] | None]) -> bool:
    """Return whether a figure is better than another picture's, and none is better."""
    same = [other for figures in found if figures for other in figures if other.name == figure.name]
    values = [other.value for other in same]
    if not figure.better or len({other.text for other in same}) < 2:
        return False
    return figure.value == (max(values) if figure.better == "more" else min(values))


def _box(name: str, choices: dict[str, Any], chosen: Callable[[Any], object]) -> QComboBox:
    made = QComboBox()
    made.setAccessibleName(name)
    made.setToolTip(name)
    for text, value in choices.items():
        made.addItem(text, value)
    made.activated.connect(lambda index: chosen(made.itemData(index)))
    return made


def _coarse(bench: Bench, policy: Policy, index: int, _ticket: Ticket) -> tuple[Bench, Policy, int, Still | None]:
    return bench, policy, index, bench.coarse(policy, index)


def _made(bench: Bench, policy: Policy, index: int, _ticket: Ticket) -> Still:
    return bench.still(policy, index)


def _figured(bench: Bench, still: Still, first: Still | None, _ticket: Ticket) -> tuple[Bench, Still, list[Figure]]:
    return bench, still, bench.figures(still, first)


def _material(path: Path, _ticket: Ticket) -> ClipMaterial:
    return ClipMaterial(look(path))


def subject_of(link: Link, name: str, source: SignalFormat, target: SignalFormat) -> Subject:
    """Return a link as a subject: where its policy stands in the template follows from its two ends."""
    kind, _, ident = link.source.partition(":")
    if kind == "source":
        return Subject(name, source, target, link.policy, f"sources.{ident}.policy", ident)
    end, _, ident = link.target.partition(":")
    places = {
        "intermediate": "intermediate.policy",
        "monitor": "monitor.policy",
        "delivery": f"deliveries.{ident}.policy",
    }
    return Subject(name, source, target, link.policy, places.get(end))
