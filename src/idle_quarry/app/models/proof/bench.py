"""Proof, pictures: one link's conversion under several methods, on a clip or a chart, looked at and measured."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.models.proof.comparison import MOST_PANES, ComparedMethods
from idle_quarry.app.models.proof.figures import BenchFigures
from idle_quarry.app.models.proof.method_acts import MethodActs
from idle_quarry.app.models.proof.player import Player
from idle_quarry.app.models.proof.subject import Subject
from idle_quarry.app.models.proof.words import BenchWords
from idle_quarry.errors import QuarryError
from idle_quarry.media.looking import look
from idle_quarry.media.material import ChartMaterial, ClipMaterial, Material, PulledMaterial, clip_material
from idle_quarry.path.policies import Policy, parts
from idle_quarry.picture.patterns.charts import CHARTS
from idle_quarry.proof.bench import Bench, Still

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: A first picture that takes longer is one whose loops are being compiled.
_LONG_MS = 2500
_FIRST_CHART = "crawl"


@dataclass(frozen=True)
class Pane:
    """One picture: its method's name, the picture as soon as there is one, and what it waits for or why there is
    none.
    """

    label: str
    still: Still | None
    note: str = ""


class BenchPictures(QObject):
    """`laid`: other material; `methods_changed`: other methods are compared, or one is the template's now.

    `pictures_changed`: a picture was made, or another is looked at.
    """

    laid = Signal()
    methods_changed = Signal()
    pictures_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.subject: Subject | None = None
        self.bench: Bench | None = None
        self.compared = ComparedMethods(self)
        self.words = BenchWords(self)
        self.index = 0
        self.field: int | None = None  #: the field that is looked at (0 the upper), None for whole frames
        self.clips: list[Path] = []
        self.material = _FIRST_CHART  #: a chart's id, or a clip's path
        self.waiting_for = ""  #: the clip that is being measured
        self.trouble = ""
        self.player = Player(self)
        self.taking = MethodActs(self)
        self.measured = BenchFigures(self)
        self._converted = False  #: whether this run of the program has converted a picture
        self._coarse: dict[tuple[Policy, int], Still | None] = {}
        self._ticket: Ticket | None = None
        self._asked: float | None = None  #: when the first picture was asked for; none once there is one
        self.seen = False  #: whether somebody looks: nothing is made or measured for nobody
        door.workers.before_rest.append(self._forget_unseen)
        door.workers.at_rest.append(self._let_go)

    def look(self, on: bool) -> None:
        """Somebody looks at the pictures, or no longer: then they go, and are made again when they are asked for."""
        self.seen = on
        if not on:
            self.player.stop()
            self.door.workers.rest_soon()

    def _forget_unseen(self) -> None:
        if self.seen or self.bench is None or self.player.playing:
            return
        self.bench.forget_stills()
        self._coarse.clear()
        self.pictures_changed.emit()

    def _let_go(self) -> None:
        bench = self.bench
        if bench is not None:
            bench.rest()

    # -- what is on the bench ----------------------------------------------------------------------------------

    def show_subject(self, subject: Subject, clips: list[Path]) -> None:
        """Put a link on the bench; `clips` are those one may want to see it on."""
        before = self.subject
        same = before is not None and (subject.source, subject.target, subject.name, subject.cadence) == (
            before.source,
            before.target,
            before.name,
            before.cadence,
        )
        chosen = [path for path in self.clips if str(path) == self.material and path not in clips]
        self.subject, self.clips = subject, [*clips, *chosen]
        if same and self.bench is not None:
            self.compared.keep_or_begin()
            return
        self.player.stop()
        if self.material in CHARTS:
            self._lay(ChartMaterial(self.material, subject.source))
        elif self.bench is not None and isinstance(self.bench.material, ClipMaterial) and not subject.cadence:
            self._lay(self.bench.material)
        else:
            self._look_at(Path(self.material))

    def materials(self) -> list[tuple[str, str, str]]:
        """Return what can be looked at: name, id, what it shows."""
        charts = [(f"Chart: {chart.name}", chart.id, chart.text) for chart in CHARTS.values()]
        return [*charts, *((path.name, str(path), "") for path in self.clips)]

    def use(self, material: str) -> None:
        """Lay a chart (by its id) or a clip (by its path) on the bench."""
        if material not in CHARTS and Path(material) not in self.clips:
            self.clips.append(Path(material))
        self.material = material
        if material not in CHARTS:
            self._look_at(Path(material))
        elif self.subject is not None:
            self._lay(ChartMaterial(material, self.subject.source))

    def _look_at(self, path: Path) -> None:
        self.waiting_for = path.name
        self.pictures_changed.emit()
        cadence = self.subject.cadence if self.subject is not None else ""
        self.door.workers.start(lambda _ticket: clip_material(look(path), cadence), self._lay, self._not_looked)

    def _not_looked(self, error: QuarryError) -> None:
        self.door.refuse(error)
        self.use(_FIRST_CHART)

    def _lay(self, material: Material) -> None:
        assert self.subject is not None
        self.player.stop()
        self.waiting_for = self.trouble = ""
        old = self.bench.material if self.bench is not None else None
        if isinstance(old, ClipMaterial | PulledMaterial) and old is not material:
            self.door.workers.start(lambda _ticket: old.close(), lambda _none: None, lambda _error: None)
        self.bench = Bench(material, self.subject.target)
        self.measured.forget()
        self._coarse.clear()
        self.index = min(12, self.bench.frames(self.own_policy()) // 2)
        if self.bench.target.scan != "interlaced":
            self.field = None
        self.laid.emit()
        self.compared.keep_or_begin()

    def clip_name(self) -> str:
        """Return the name of the clip on the bench, "" where a chart lies there."""
        material = self.bench.material if self.bench is not None else None
        return material.clip.path.name if isinstance(material, ClipMaterial | PulledMaterial) else ""

    def own_policy(self) -> Policy:
        """Return the policy by which the template converts what is on the bench."""
        assert self.subject is not None
        document, clip = self.door.document, self.clip_name()
        if document is not None and self.subject.source_id and clip:
            for source in document.template.sources:
                if source.id == self.subject.source_id:
                    return source.policy_for(clip)
        return self.subject.policy

    # -- what is compared --------------------------------------------------------------------------------------

    # -- pictures ----------------------------------------------------------------------------------------------

    @property
    def busy(self) -> bool:
        """Whether a picture is being made."""
        return self._ticket is not None

    def request(self) -> None:
        """Have the pictures made that are not there, a rough one first; the newest request wins."""
        if self.bench is None or not self.compared.methods:
            return
        self.pictures_changed.emit()
        if self._ticket is not None or not self.seen:
            return  # what is wanted by the time this one is done is asked for then
        bench, index = self.bench, self.index
        missing = [policy for policy in self.compared.policies() if bench.still_of(policy, index) is None]
        rough = [policy for policy in missing if (policy, index) not in self._coarse]
        if missing and self._asked is None and not self._converted:
            self._asked = monotonic()
            QTimer.singleShot(_LONG_MS, self, self.pictures_changed.emit)
        if rough:
            policy = rough[0]
            self._ticket = self.door.workers.start(
                lambda _ticket: bench.coarse(policy, index),
                lambda still: self._rough(bench, policy, index, still),
                self._failed,
            )
        elif missing:
            policy = missing[0]
            self._ticket = self.door.workers.start(
                lambda _ticket: bench.still(policy, index), self._take_still, self._failed
            )
        else:
            self.measured.measure()

    def _rough(self, bench: Bench, policy: Policy, index: int, still: Still | None) -> None:
        if bench is self.bench:
            if len(self._coarse) > 2 * MOST_PANES:
                self._coarse.clear()
            self._coarse[policy, index] = still
        self._arrived(None)

    def _take_still(self, still: Still) -> None:
        self._coarse[still.policy, still.index] = None  # its place is taken
        self._arrived(still)

    def _arrived(self, _still: object) -> None:
        self._ticket, self.trouble, self._asked = None, "", None
        self._converted = True
        self.request()

    def _failed(self, error: QuarryError) -> None:
        self._ticket, self.trouble = None, str(error)
        self.door.refuse(error)
        self.pictures_changed.emit()

    def panes(self) -> list[Pane]:
        """Return the pictures that are looked at, as far as they are there."""
        if self.bench is None:
            return []
        panes = []
        for method, policy in zip(self.compared.methods, self.compared.policies(), strict=True):
            still = self.bench.still_of(policy, self.index)
            note = "" if still else self.trouble or self._converting()
            panes.append(
                Pane(parts()[self.compared.part][method].label, still or self._coarse.get((policy, self.index)), note)
            )
        return panes

    def _converting(self) -> str:
        if self._asked is None or monotonic() - self._asked < _LONG_MS / 1000:
            return "converting …"
        return "converting … the first time its loops are compiled, which takes longer"

    # -- time --------------------------------------------------------------------------------------------------

    @property
    def last(self) -> int:
        """The number of the last output frame."""
        return max(0, self.bench.frames(self.own_policy()) - 1) if self.bench is not None else 0

    def go(self, index: int) -> None:
        """Look at another output frame."""
        self.index = min(max(0, index), self.last)
        self.request()

    @property
    def _first_field(self) -> int:
        return 0 if self.bench is not None and self.bench.target.field_order == "top" else 1

    def by_field(self, on: bool) -> None:
        """Look at one field after the other, or at whole frames."""
        self.field = self._first_field if on and self.bench is not None else None
        self.pictures_changed.emit()

    def step(self, by: int) -> None:
        """Go on by pictures, or by fields where they are looked at one by one."""
        self.player.stop()
        if self.field is None or self.bench is None:
            self.go(self.index + by)
            return
        second = self.field != self._first_field
        self.field = 1 - self.field
        if (by > 0) == second:
            self.go(self.index + by)
        else:
            self.pictures_changed.emit()

    # -- in words ------------------------------------------------------------------------------------------------
