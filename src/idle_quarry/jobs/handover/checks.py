"""What a check is: a row of a table with its function, the file and what is wanted of it, and what came of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.errors import QuarryError
from idle_quarry.media.clip import Clip
from idle_quarry.path.entries.delivery import DeliverySpec, Limit, Tolerances, limit_of
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.timecode import Timecode, can_drop, start_timecode

if TYPE_CHECKING:
    from idle_quarry.media.whole.measure import FileMeasurement

PASSES, FAILS, LOOK, NOT_CHECKED = "passes", "fails", "look", "not checked"
#: Places that are told of one check at the most.
_MOST_PLACES = 100


@dataclass(frozen=True)
class FrameRange:
    """Frames of a file, half open, and their timecodes."""

    first: int
    last: int
    start: str
    end: str


@dataclass(frozen=True)
class Check:
    """One check: its id, what is wanted and was found, the verdict, where (what a click goes to), whose clause it
    is, and a sentence.
    """

    id: str
    wanted: Any
    found: Any
    verdict: str
    text: str
    where: tuple[FrameRange, ...] = ()
    clause: str | None = None

    def to_json(self) -> dict[str, Any]:
        return {
            "id": self.id,
            "wanted": self.wanted,
            "found": self.found,
            "verdict": self.verdict,
            "where": [
                {"from": place.start, "to": place.end, "first_frame": place.first, "last_frame": place.last}
                for place in self.where
            ],
            "clause": self.clause,
            "text": self.text,
        }


@dataclass(frozen=True)
class Outcome:
    """What a check's function returns: what is wanted and was found, the verdict, a sentence, and the frames it is
    about (half open).
    """

    wanted: Any
    found: Any
    verdict: str
    text: str
    spans: Sequence[tuple[int, int]] = ()


@dataclass(frozen=True)
class CheckRow:
    """One check: its id, and the function that judges a file.

    `setting` is the setting of a delivery that it is about ("" for none), below the delivery; `limit` the spec's limit
    (a name of `Limits`) that the function is given as well; `clause` whose clause it is where the spec has none of its
    own, by territory where territories differ ("" for the others).
    """

    id: str
    judge: Callable[..., Outcome]
    setting: str = ""
    limit: str = ""
    clause: str | Mapping[str, str] = ""

    @property
    def words(self) -> str:
        """What it is called."""
        return self.id.replace("_", " ")

    def check(self, checked_file: CheckedFile) -> Check:
        """Return the check of a file."""
        limits = (checked_file.limit(self.limit),) if self.limit else ()
        outcome = self.judge(checked_file, *limits)
        return Check(
            self.id,
            outcome.wanted,
            outcome.found,
            outcome.verdict,
            outcome.text,
            checked_file.places(outcome.spans),
            self._clause(checked_file),
        )

    def _clause(self, checked_file: CheckedFile) -> str | None:
        """Return the spec's own clause for it, else the standard's."""
        spec = checked_file.spec
        own = next((clause for clause in spec.clauses if clause.check == self.id), None) if spec is not None else None
        if spec is not None and own is not None:
            return f"{spec.name}, {own.number}"
        if isinstance(self.clause, str):
            return self.clause or None
        return self.clause.get(checked_file.template.territory, self.clause[""])


@dataclass(frozen=True)
class CheckedFile:
    """The file as it was measured, and what is wanted of it."""

    path: Path
    clip: Clip
    measurement: FileMeasurement
    template: Template
    delivery: Delivery
    spec: DeliverySpec | None
    layout: ProgrammeLayout | None

    @property
    def rate(self) -> Fraction:
        return self.clip.declared.rate or self.delivery.format.rate

    @property
    def tolerances(self) -> Tolerances:
        return self.spec.tolerances if self.spec is not None else Tolerances()

    @property
    def layout_tolerance(self) -> int:
        """How many pictures an item's border may be off."""
        return self.layout.tolerance_pictures if self.layout is not None else 0

    def limit(self, name: str) -> Limit:
        """Return one of the spec's limits (a name of `Limits`), the usual one where there is no spec."""
        return limit_of(self.spec, name)

    @property
    def start(self) -> Timecode:
        """The timecode of the file's first picture: its own, else as many as wanted, else zero."""
        declared = self.clip.declared
        for text in (declared.timecode, "00:00:00:00"):
            try:
                if text:
                    return start_timecode(text, bool(declared.drop_frame) and can_drop(self.rate), self.rate)
            except QuarryError:
                continue
        return Timecode(0, self.rate)

    def place(self, first: int, last: int) -> FrameRange:
        """Return frames as a place."""
        start = self.start
        return FrameRange(first, last, str(start + first), str(start + max(first, last - 1)))

    def places(self, spans: Iterable[tuple[int, int]]) -> tuple[FrameRange, ...]:
        return tuple(self.place(*span) for span in list(spans)[:_MOST_PLACES])

    def seconds(self, first_s: float, last_s: float) -> tuple[int, int]:
        """Return seconds as frames, half open."""
        return int(first_s * self.rate), max(int(first_s * self.rate) + 1, int(last_s * self.rate))

    def in_programme(self, first: int, last: int) -> bool:
        """Return whether some of the frames `first` to `last` (half open) are the programme's."""
        begin, end = self.measurement.programme
        return last > begin and first < end


def worst(verdicts: Iterable[str]) -> str:
    """Return the gravest verdict; what was not checked counts for nothing."""
    given = set(verdicts)
    return FAILS if FAILS in given else LOOK if LOOK in given else PASSES


def by_limit(figure: float, limit: Limit) -> str:
    """Return the verdict on a figure: it fails beyond one limit, and a person must look beyond the other."""
    if limit.fails is not None and figure > limit.fails:
        return FAILS
    return LOOK if limit.is_beyond(figure) else PASSES


def limit_words(limit: Limit, unit: str) -> str:
    """Return a limit in words: "looked at beyond 1 s, fails beyond 2 s"."""
    texts = [
        f"{verb} beyond {figure:g}{unit}"
        for verb, figure in (("looked at", limit.look), ("fails", limit.fails))
        if figure is not None and not (verb == "looked at" and figure == limit.fails)
    ]
    return ", ".join(texts) or "none"


def agrees(matches: bool) -> str:
    """Return the verdict of a check that only agrees or does not."""
    return PASSES if matches else FAILS


def times(count: int) -> str:
    """Return how often something is, in words."""
    return {1: "once", 2: "twice"}.get(count, f"{count} times")
