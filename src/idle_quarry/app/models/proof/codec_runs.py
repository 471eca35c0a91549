"""Proof, codecs: every codec that can hold a format, run on this machine, with its generations."""

from __future__ import annotations

from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.models.proof.codec_rows import CodecRow, decibels
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.media.looking import look
from idle_quarry.media.material import ChartMaterial, ClipMaterial, Material
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.codecs import gb_per_hour, holding, mbps
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.path.template import Template
from idle_quarry.picture.metrics import IDENTICAL_DB
from idle_quarry.picture.patterns.charts import CHARTS
from idle_quarry.proof.codecs import CodecResult, Loss, machine, pictures_for, results_for, run
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: How much what is lost is amplified to be seen.
GAIN = 16
_PROXY = "Proxy"


class CodecRuns(QObject):
    """`offered_changed`: other uses or material.

    `rows_changed`: something was measured, or another format is looked at; `running_changed`; `progressed`: how far a
    run is, with the seconds left; `chosen_changed`.
    """

    offered_changed = Signal()
    rows_changed = Signal()
    chosen_changed = Signal()
    running_changed = Signal()
    progressed = Signal(str, float, object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.use = ""
        self.material = "wedge"  #: a chart's id, or a clip's path
        self.clips: list[Path] = []
        self.chosen: str | None = None
        self.results: dict[str, CodecResult] = {}
        self._losses: dict[str, Loss] = {}
        self._refusals: dict[str, str] = {}
        self._on: Material | None = None
        self._seen: Template | None = None
        self._ticket: Ticket | None = None
        door.workers.at_rest.append(self._let_go)

    # -- what is looked at ---------------------------------------------------------------------------------------

    def show_template(self, clips: list[Path]) -> None:
        """Look at the open template's codecs; `clips` are those one may want to code."""
        self.clips = clips
        uses = self._uses()
        self.use = self.use if self.use in uses else next(iter(uses))
        self.offered_changed.emit()
        if self._on is None or (self._on.chart and self._on.format != self.format()):
            self._take_material()
        else:
            self._show_kept()

    @property
    def _template(self) -> Template:
        if self.door.document is not None:  # nothing is open any more when another person has sat down
            self._seen = self.door.document.template
        assert self._seen is not None
        return self._seen

    def _uses(self) -> dict[str, SignalFormat]:
        results = {"Intermediate": self._template.working.format}
        if self._template.proxy_format is not None:
            results[_PROXY] = self._template.proxy_format
        return results

    def uses(self) -> list[tuple[str, str]]:
        """Return what a codec is for, in words, with its name."""
        return [(f"{name}: {format_words(fmt, fields=True)}", name) for name, fmt in self._uses().items()]

    def materials(self) -> list[tuple[str, str]]:
        """Return what can be coded: name and id."""
        charts = [(f"Chart: {chart.name}", chart.id) for chart in CHARTS.values()]
        return [*charts, *((path.name, str(path)) for path in self.clips)]

    def format(self) -> SignalFormat:
        """Return the format that is coded."""
        return self._uses()[self.use]

    def look_at(self, use: str) -> None:
        """Look at the codecs for another use."""
        self.use = use
        self._show_kept()

    def code(self, material: str) -> None:
        """Take another chart (by its id) or clip (by its path) to be coded."""
        self.material = material
        self._take_material()

    def _take_material(self) -> None:
        self._losses.clear()
        if self.material in CHARTS:
            self._has_material(ChartMaterial(self.material, self.format()))
        else:
            path = Path(self.material)
            self.door.workers.start(lambda _ticket: ClipMaterial(look(path)), self._has_material, self.door.refuse)

    def _has_material(self, material: Material) -> None:
        self._on = material
        self._show_kept()

    def _let_go(self) -> None:
        """Close the clip that is coded, where none is: the next run opens it again."""
        if self._on is not None and not self.running:
            self._on.close()

    def _show_kept(self) -> None:
        """Show what this machine measured before for this format and material."""
        if self._on is None:
            return
        if self._on.chart and self._on.format != self.format():
            self._take_material()
            return
        self.results = {result.codec: result for result in results_for(self.format(), self._on.key)}
        self._refusals = {}
        able = [codec.id for codec in holding(self.format())]
        if self.chosen not in able:
            self.chosen = self.own_codec() if self.own_codec() in able else None
        self.rows_changed.emit()
        self.chosen_changed.emit()

    def own_codec(self) -> str:
        """Return the codec the template has for this use."""
        template = self._template
        return template.proxy.codec if self.use == _PROXY and template.proxy else template.intermediate.codec

    def choose(self, codec: str | None) -> None:
        """Look at one codec's losses."""
        if codec != self.chosen:
            self.chosen = codec
            self.chosen_changed.emit()

    # -- in words and rows ------------------------------------------------------------------------------------------

    def rows(self) -> list[CodecRow]:
        """Return every codec that can hold the format, lowest data rate first."""
        fmt, own = self.format(), self.own_codec()
        return [CodecRow(codec.id, codec.id == own, self._cells(codec, fmt, own)) for codec in holding(fmt)]

    def _cells(self, codec: Codec, fmt: SignalFormat, own: str) -> tuple[tuple[str, str], ...]:
        result = self.results.get(codec.id)
        value = mbps(codec, fmt)
        name = codec.name + (" ●" if codec.id == own else "")
        if result is None:
            rest = [("refused" if codec.id in self._refusals else "", "oxide"), (f"{gb_per_hour(value):.0f}", "dust")]
            return ((name, "chalk"), (f"{value:.0f}", "dust"), *rest, *[("", "dust")] * 7)
        cells = [(name, "chalk"), (f"{value:.0f}", "dust"), (f"{result.measured_mbps:.0f}", "chalk")]
        cells.append((f"{result.gb_per_hour:.0f}", "chalk"))
        for speed in (result.encode_speed, result.decode_speed):
            late = "" if speed >= 1 else "slow "  # said by a word, and by colour
            cells.append((late + (f"{speed:.2g} ×" if speed < 10 else f"{speed:.0f} ×"), "ochre" if late else "chalk"))
        cells += [(decibels(result.after(generation).psnr_db), "chalk") for generation in (1, 3, 5)]
        last = result.after(5)
        return (*cells, (f"{last.ssim:.4f}", "chalk"), (f"{last.worst}: {decibels(last.worst_db)}", "chalk"))

    def state_words(self) -> str:
        """Return what was measured when and where; or what a run would do."""
        fmt = self.format()
        material, count = self._on.name if self._on else "", pictures_for(fmt)
        if self.results:
            newest = max(result.when for result in self.results.values())[:16].replace("T", " ")
            machines = " and ".join(sorted({result.machine for result in self.results.values()}))
            text = f"{material}, {counted(count, 'picture')}; measured on {machines}; newest {newest} UTC."
        else:
            text = (
                f"{counted(len(holding(fmt)), 'codec')} can hold this format. A run codes {counted(count, 'picture')}"
                f" of {material} five times over with each real encoder on this machine ({machine()})."
            )
        return (
            f"{text} ● is the template's codec; slow is slower than real time. PSNR in dB, after so many generations."
        )

    def loss(self) -> tuple[Loss | None, str]:
        """Return what the chosen codec took away, and that in words."""
        if self.chosen is None:
            return None, ""
        name, loss, result = codecs()[self.chosen].name, self._losses.get(self.chosen), self.results.get(self.chosen)
        if self.chosen in self._refusals:
            return loss, self._refusals[self.chosen]
        if result is None:
            return None, f"{name} has not been run on this yet."
        if loss is None:
            return None, f"{name} was measured in an earlier session. Run it again to see what it takes away."
        if result.after(5).psnr_db >= IDENTICAL_DB:
            return loss, f"{name}: nothing lost after five generations"
        return loss, f"{name}, five generations: picture {loss.index}, what was lost × {GAIN}"

    @property
    def can_be_taken(self) -> bool:
        return self.chosen is not None and self.chosen != self.own_codec()

    # -- running ------------------------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        return self._ticket is not None

    def run(self, only: str | None = None) -> None:
        """Run all codecs that can hold the format, or one."""
        material = self._on
        if self.running or material is None or self.door.document is None:
            return
        fmt = self.format()
        wanted = holding(fmt) if only is None else [codecs()[only]]
        policy = DEFAULT_POLICY
        for source in self._template.sources:
            if isinstance(material, ClipMaterial) and source.format == material.format:
                policy = source.policy_for(material.clip.path.name)
        began = monotonic()
        self._refusals = {}

        def work(ticket: Ticket) -> None:
            run(
                material,
                fmt,
                policy,
                wanted,
                ticket.progress,
                lambda result, loss: ticket.give((result, loss)),
                lambda codec, error: ticket.give((codec.id, str(error))),
            )

        def progressed(what: str, share: float) -> None:
            spent = monotonic() - began
            self.progressed.emit(what, share, spent / share * (1 - share) if share > 0.03 else None)

        self._ticket = self.door.workers.start(work, lambda _none: self._ended(), self._stopped, progressed, self._gave)
        self.running_changed.emit()

    def cancel(self) -> None:
        """Stop the run; what was measured by then is kept."""
        if self._ticket is not None:
            self._ticket.cancel()

    def _gave(self, part: tuple[CodecResult | str, Loss | str | None]) -> None:
        first, second = part
        if isinstance(first, CodecResult):
            self.results[first.codec] = first
            if isinstance(second, Loss):
                self._losses[first.codec] = second
        else:
            self._refusals[first] = str(second)
        self.rows_changed.emit()
        self.chosen_changed.emit()

    def _stopped(self, error: QuarryError) -> None:
        self._ended()
        self.door.say(f"The run was stopped: {error}. What was measured by then is kept.")

    def _ended(self) -> None:
        self._ticket = None
        self.running_changed.emit()
        self.rows_changed.emit()
        self.chosen_changed.emit()

    def take(self) -> None:
        """Have the template use the chosen codec."""
        if self.chosen is not None:
            name = codecs()[self.chosen].name
            place = "proxy.codec" if self.use == _PROXY else "intermediate.codec"
            self.door.edit(f"Codec: {name}", Edit(place, self.chosen), words=f"The template now uses {name}.")
