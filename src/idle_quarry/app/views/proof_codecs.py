"""Proof, codecs: every codec that can hold a format, run on this machine and shown with its generations."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from time import monotonic

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.widgets.tinted import tint, tinted
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.media.looking import look
from idle_quarry.path.codecs import gb_per_hour, holding, mbps
from idle_quarry.path.edits import Edit
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.path.template import Template
from idle_quarry.picture.charts import CHARTS
from idle_quarry.picture.metrics import IDENTICAL_DB
from idle_quarry.proof.codecs import CodecResult, Loss, machine, pictures_for, results_for, run
from idle_quarry.proof.material import ChartMaterial, ClipMaterial, Material
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

_COLUMNS = (
    "Codec", "Mb/s published", "here", "GB/h", "Encode", "Decode", "PSNR 1st", "3rd", "5th", "SSIM 5th", "Worst",
)  # fmt: skip
_TIPS = (
    "as its standard calls it", "published, for this format", "as this material made it", "as measured, else as published",
    "multiples of real time on this machine", "multiples of real time on this machine", "dB of luma, after once",
    "dB of luma, after three times", "dB of luma, after five times", "likeness of structure after five times",
    "the least like of all pictures, after five times",
)  # fmt: skip
_GAIN = 16


class LossPicture(QWidget):
    """What one codec took from its worst picture: the difference, amplified around grey."""

    def __init__(self) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.text = ""
        sized(self).setMinimumWidth(260)
        self.setAccessibleName("What the codec took away")

    def show_loss(self, loss: Loss | None, text: str) -> None:
        """Show a loss, or only a text."""
        self.text = text
        self._image = None
        if loss is not None:
            pixels = loss.shown(_GAIN)
            height, width = pixels.shape[:2]
            self._image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        painter.setFont(theme.font(12))
        line = theme.px(38)
        room = QRectF(self.rect()).adjusted(0, 0, 0, -line)
        if self._image is not None:
            scale = min(room.width() / self._image.width(), room.height() / self._image.height())
            box = QRectF(0, 0, self._image.width() * scale, self._image.height() * scale)
            box.moveCenter(room.center())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(box, self._image)
        painter.setPen(theme.colour("chalk"))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        below = QRectF(theme.px(8), room.bottom(), self.width() - theme.px(16), line)
        painter.drawText(below if self._image is not None else QRectF(self.rect()), int(flags), self.text)


class CodecsPage(QWidget):
    """Runs codecs. `material_wanted` follows what is chosen here, so that other pages may show the same."""

    running = Signal(bool)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._results: dict[str, CodecResult] = {}
        self._losses: dict[str, Loss] = {}
        self._refusals: dict[str, str] = {}
        self._material: Material | None = None
        self._ticket: Ticket | None = None
        self._began = 0.0
        self._clips: list[Path] = []
        self._wanted = "wedge"
        self._build()

    def _build(self) -> None:
        self.use_box, self.material_box = QComboBox(), QComboBox()
        self.use_box.setAccessibleName("What the codec is for")
        self.use_box.activated.connect(lambda _index: self._show_kept())
        self.material_box.setAccessibleName("Clip or chart to code")
        self.material_box.activated.connect(self._material_chosen)
        self.run_button = button("Run all codecs", self.run, main=True)
        self.one_button = button("Run the chosen one", lambda: self.run(only=self.chosen()), quiet=True)
        self.take_button = button("Use this codec", self._take)
        tools = QHBoxLayout()
        sized(tools).setContentsMargins(12, 4, 12, 0)
        for widget in (label("Codecs for", "dust"), self.use_box, label("seen on", "dust"), self.material_box):
            tools.addWidget(widget)
        tools.addStretch(1)
        tools.addWidget(self.one_button)
        tools.addWidget(self.run_button)
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(12, 0, 12, 0)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        for index, tip in enumerate(_TIPS):
            self.table.horizontalHeaderItem(index).setToolTip(tip)  # type: ignore[union-attr]
            edge = Qt.AlignmentFlag.AlignLeft if index == 0 else Qt.AlignmentFlag.AlignRight
            self.table.horizontalHeaderItem(index).setTextAlignment(edge | Qt.AlignmentFlag.AlignVCenter)  # type: ignore[union-attr]
        self.table.verticalHeader().hide()
        sized(self.table.verticalHeader()).setDefaultSectionSize(23)
        tinted(self.table)
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName("Codecs, lowest data rate first")
        self.table.itemSelectionChanged.connect(self._selected)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(False)
        self.loss = LossPicture()
        side = QWidget()
        column_box = QVBoxLayout(side)
        sized(column_box).setContentsMargins(4, 0, 12, 6)
        column_box.addWidget(self.loss, 1)
        column_box.addWidget(self.take_button)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self.table)
        split.addWidget(side)
        split.setSizes([theme.px(912), theme.px(348)])
        split.setStretchFactor(1, 1)
        split.setChildrenCollapsible(False)
        self.foot = label(role="dust", wrap=True)
        sized(self.foot).setContentsMargins(12, 0, 12, 6)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(tools)
        column.addWidget(self.progress)
        column.addWidget(split, 1)
        column.addWidget(self.foot)

    # -- what is shown ---------------------------------------------------------------------------------

    def show_template(self, clips: list[Path]) -> None:
        """Show the open template's codecs; `clips` are those one may want to code."""
        document = self.desk.document
        if document is None:
            return
        self._clips = clips
        chosen = self.use_box.currentData()
        self.use_box.clear()
        for name, fmt in _uses(document.template).items():
            self.use_box.addItem(f"{name}: {format_words(fmt, fields=True)}", name)
        self.use_box.setCurrentIndex(max(0, self.use_box.findData(chosen)))
        self.material_box.clear()
        for chart in CHARTS.values():
            self.material_box.addItem(f"Chart: {chart.name}", chart.id)
        for path in clips:
            self.material_box.addItem(path.name, str(path))
        self.material_box.setCurrentIndex(max(0, self.material_box.findData(self._wanted)))
        if self._material is None or (self._material.chart and self._material.format != self._format()):
            self._take_material()
        else:
            self._show_kept()

    def _format(self) -> SignalFormat:
        assert self.desk.document is not None
        return _uses(self.desk.document.template)[self.use_box.currentData()]

    def _material_chosen(self, index: int) -> None:
        self._wanted = self.material_box.itemData(index)
        self._take_material()

    def _take_material(self) -> None:
        self._losses.clear()
        if self._wanted in CHARTS:
            self._material = ChartMaterial(self._wanted, self._format())
            self._show_kept()
        else:
            self.desk.workers.start(partial(_material_of, Path(self._wanted)), self._has_material, self.desk.refuse)

    def _has_material(self, material: Material) -> None:
        self._material = material
        self._show_kept()

    def _show_kept(self) -> None:
        """Show what this machine measured before for this format and material."""
        if self._material is None:
            return
        if self._material.chart and self._material.format != self._format():
            self._take_material()
            return
        kept = results_for(self._format(), self._material.key)
        self._results = {each.codec: each for each in kept}
        self._refusals = {}
        self._fill()

    def _own_codec(self) -> str:
        assert self.desk.document is not None
        template = self.desk.document.template
        return (
            template.proxy.codec
            if self.use_box.currentData() == "Proxy" and template.proxy
            else template.intermediate.codec
        )

    def _fill(self) -> None:
        fmt, own, before = self._format(), self._own_codec(), self.chosen()
        able = holding(fmt)
        self.table.setRowCount(len(able))
        for row, codec in enumerate(able):
            for column, (text, role) in enumerate(self._row(codec, fmt, own)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, codec.id)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                tint(item, role, bold=not column and codec.id == own, size=12 if column else 13)
                self.table.setItem(row, column, item)
        ids = [codec.id for codec in able]
        wanted = before if before in ids else own if own in ids else None
        if wanted is not None:
            self.table.selectRow(ids.index(wanted))
        self._say_state(len(able))
        self._selected()

    def _row(self, codec: Codec, fmt: SignalFormat, own: str) -> list[tuple[str, str]]:
        result = self._results.get(codec.id)
        said = mbps(codec, fmt)
        name = codec.name + (" ●" if codec.id == own else "")
        if result is None:
            rest = [("refused" if codec.id in self._refusals else "", "oxide"), (f"{gb_per_hour(said):.0f}", "dust")]
            return [(name, "chalk"), (f"{said:.0f}", "dust"), *rest, *[("", "dust")] * 7]
        cells = [(name, "chalk"), (f"{said:.0f}", "dust"), (f"{result.measured_mbps:.0f}", "chalk")]
        cells.append((f"{result.gb_per_hour:.0f}", "chalk"))
        for speed in (result.encode_speed, result.decode_speed):
            cells.append((f"{speed:.2g} ×" if speed < 10 else f"{speed:.0f} ×", "chalk" if speed >= 1 else "ochre"))
        cells += [(_db(result.after(generation).psnr_db), "chalk") for generation in (1, 3, 5)]
        last = result.after(5)
        return [*cells, (f"{last.ssim:.4f}", "chalk"), (f"{last.worst}: {_db(last.worst_db)}", "chalk")]

    def _say_state(self, able: int) -> None:
        fmt = self._format()
        done = len(self._results)
        material = self._material.name if self._material else ""
        count = pictures_for(fmt)
        if done:
            newest = max(result.when for result in self._results.values())
            machines = " and ".join(sorted({result.machine for result in self._results.values()}))
            text = f"{material}, {count} pictures; measured on {machines}; newest {newest[:16].replace('T', ' ')} UTC."
        else:
            text = (
                f"{able} codecs can hold this format. A run codes {count} pictures of {material} five times over with "
                f"each real encoder on this machine ({machine()})."
            )
        self.foot.setText(
            text + " ● is the template's codec; ochre is slower than real time. PSNR in dB, after so many generations."
        )

    def chosen(self) -> str | None:
        """Return the id of the chosen codec, or None."""
        items = self.table.selectedItems()
        return str(items[0].data(Qt.ItemDataRole.UserRole)) if items else None

    def _selected(self) -> None:
        chosen = self.chosen()
        self.one_button.setEnabled(chosen is not None and self._ticket is None)
        self.take_button.setVisible(chosen is not None and chosen != self._own_codec())
        if chosen is None:
            self.loss.show_loss(None, "")
            return
        name, loss = codecs()[chosen].name, self._losses.get(chosen)
        result = self._results.get(chosen)
        if chosen in self._refusals:
            text = self._refusals[chosen]
        elif loss is not None and result is not None:
            exact = result.after(5).psnr_db >= IDENTICAL_DB
            text = (
                f"{name}: nothing lost after five generations"
                if exact
                else f"{name}, five generations: picture {loss.index}, what was lost × {_GAIN}"
            )
        elif result is not None:
            text = f"{name} was measured in an earlier session. Run it again to see what it takes away."
        else:
            text = f"{name} has not been run on this yet."
        self.loss.show_loss(loss, text)

    # -- running ---------------------------------------------------------------------------------------

    def run(self, only: str | None = None) -> None:
        """Run all codecs that can hold the format, or one."""
        if self._ticket is not None or self._material is None or self.desk.document is None:
            return
        fmt = self._format()
        wanted = holding(fmt) if only is None else [codecs()[only]]
        policy = DEFAULT_POLICY
        for source in self.desk.document.template.sources:
            if isinstance(self._material, ClipMaterial) and source.format == self._material.format:
                policy = source.policy_for(self._material.clip.path.name)
        self._began = monotonic()
        self._refusals = {}
        self.run_button.setEnabled(False)
        self.one_button.setEnabled(False)
        self.use_box.setEnabled(False)
        self.material_box.setEnabled(False)
        work = partial(_run, self._material, fmt, policy, wanted, self._result_relay())
        self._ticket = self.desk.workers.start(work, self._finished, self._stopped, self._progressed)
        self.progress.begin("coding", self._ticket.cancel)
        self.running.emit(True)

    def _result_relay(self) -> _Relay:
        relay = _Relay(self)
        relay.found.connect(self._found, Qt.ConnectionType.QueuedConnection)
        relay.refused.connect(self._refused, Qt.ConnectionType.QueuedConnection)
        return relay

    def _found(self, result: CodecResult, loss: Loss | None) -> None:
        self._results[result.codec] = result
        if loss is not None:
            self._losses[result.codec] = loss
        self._fill()

    def _refused(self, codec: str, text: str) -> None:
        self._refusals[codec] = text
        self._fill()

    def _progressed(self, what: str, share: float) -> None:
        gone = monotonic() - self._began
        self.progress.step(what, share, gone / share * (1 - share) if share > 0.03 else None)

    def _finished(self, _nothing: object) -> None:
        self._ended()

    def _stopped(self, error: QuarryError) -> None:
        self._ended()
        self.desk.say(f"The run was stopped: {error}. What was measured by then is kept.")

    def _ended(self) -> None:
        self._ticket = None
        self.progress.hide()
        for widget in (self.run_button, self.one_button, self.use_box, self.material_box):
            widget.setEnabled(True)
        self._fill()
        self.running.emit(False)

    def _take(self) -> None:
        document, chosen = self.desk.document, self.chosen()
        if document is None or chosen is None:
            return
        place = "proxy.codec" if self.use_box.currentData() == "Proxy" else "intermediate.codec"
        try:
            document.apply(f"Codec: {codecs()[chosen].name}", Edit(place, chosen))
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.say(f"The template now uses {codecs()[chosen].name}.", action=("Undo", document.undo_stack.undo))


class _Relay(QWidget):
    """Brings results to the interface thread while the run goes on."""

    found = Signal(object, object)
    refused = Signal(str, str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.hide()


def _run(
    material: Material, fmt: SignalFormat, policy: Policy, wanted: list[Codec], relay: _Relay, ticket: Ticket
) -> None:
    run(
        material, fmt, policy, wanted, ticket.progress, relay.found.emit,
        lambda codec, error: relay.refused.emit(codec.id, str(error)),
    )  # fmt: skip


def _material_of(path: Path, _ticket: Ticket) -> Material:
    return ClipMaterial(look(path))


def _uses(template: Template) -> dict[str, SignalFormat]:
    found = {"Intermediate": template.working.format}
    if template.proxy_format is not None:
        found["Proxy"] = template.proxy_format
    return found


def _db(value: float) -> str:
    return "exact" if value >= IDENTICAL_DB else f"{value:.1f}"
