"""What is checked of captions: those that lie beside a file under its name, and those that its pictures carry."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from itertools import pairwise
from typing import Any

from idle_quarry.errors import MediaError
from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, CheckedFile, Outcome
from idle_quarry.media.captions.caption_file import EBU_STL, SCC, CaptionFile, Cue, beside
from idle_quarry.media.captions.moving import shown_timecode
from idle_quarry.media.captions.reading import read_captions
from idle_quarry.signal.rates import counting_base, rate_text

#: So many signs a second can be read (some houses ask for 15, few allow more than 20).
_READABLE = 20
#: Kinds that no check here can find: lines of blanking.
_UNSEEN = ("OP-47",)
_MOST_TOLD = 4


def captions(file: CheckedFile) -> Outcome:
    """Hold captions against the file they belong to, and against those that are wanted."""
    wanted = file.delivery.captions
    wrong: list[str] = []
    doubts: list[str] = []
    spans: list[tuple[int, int]] = []
    kinds = set(file.measurement.coded_captions)
    names = []
    for path in beside(file.path):
        try:
            side = read_captions(path)
        except MediaError as error:
            wrong.append(str(error))
            continue
        names.append(path.name)
        kinds.add(side.kind)
        faults = _Faults(file, side)
        wrong += faults.wrong
        doubts += faults.doubts
        spans += faults.spans
    missing = [kind for kind in wanted if kind not in kinds and kind not in _UNSEEN]
    wrong += [f"{kind} is wanted; there is none beside it or in its pictures" for kind in missing]
    unseen = [kind for kind in wanted if kind in _UNSEEN]
    present: dict[str, Any] = {"beside": names, "in_pictures": list(file.measurement.coded_captions)}
    if not wanted and not kinds and not wrong:
        return Outcome(None, present, NOT_CHECKED, "none are wanted, and there are none")
    texts = [*wrong, *doubts, *(f"{kind} lies in lines of blanking, which is not checked" for kind in unseen)]
    good = f"{', '.join(sorted(kinds))}: within the programme, counted as the pictures are"
    verdict = FAILS if wrong else LOOK if doubts else NOT_CHECKED if unseen and not kinds else PASSES
    return Outcome(list(wanted) or None, present, verdict, "; ".join(texts) or good, spans)


class _Faults:
    """What is wrong with one file of captions, and what a person must look at, with the frames it is about."""

    def __init__(self, file: CheckedFile, side: CaptionFile) -> None:
        self._file, self._side = file, side
        self.wrong: list[str] = []
        self.doubts: list[str] = []
        self.spans: list[tuple[int, int]] = []
        self._count()
        self._place()
        self._times()
        self._text()

    def _tell(self, texts: list[str], what: str, cues: list[tuple[Cue, str]]) -> None:
        """Tell of captions that share a fault: how many, and where the first ones are."""
        if not cues:
            return
        places = ", ".join(f"{self._where(cue)}{text}" for cue, text in cues[:_MOST_TOLD])
        more = f" and {len(cues) - _MOST_TOLD} more" if len(cues) > _MOST_TOLD else ""
        texts.append(f"{self._side.path.name}: {what} at {places}{more}")
        for cue, _ in cues:
            first, last = self._frames(cue)
            self.spans.append((max(0, first), max(1, last)))

    def _seconds(self, moment: Fraction) -> Fraction:
        """Return seconds of the captions' own time as seconds after the file's first picture."""
        side, start = self._side, self._file.start
        if not side.form.by_timecode:
            return moment
        if side.form is SCC:  # the reader gives real time since midnight of its count
            return moment - Fraction(start.frames) / start.rate
        whole, part = divmod(moment, 1)
        code = shown_timecode(int(whole), round(part * counting_base(start.rate)), start)
        return Fraction(code.frames - start.frames) / start.rate

    def _frames(self, cue: Cue) -> tuple[int, int]:
        first, last = (round(self._seconds(moment) * self._file.rate) for moment in (cue.begin, cue.end))
        return first, max(first + 1, last)

    def _where(self, cue: Cue) -> str:
        return str(self._file.start + round(self._seconds(cue.begin) * self._file.rate))

    def _count(self) -> None:
        """Hold rate and count against the file's."""
        side, rate = self._side, self._file.rate
        if side.form is EBU_STL and side.rate is not None and side.rate != counting_base(rate):
            self.wrong.append(
                f"{side.path.name} counts {side.rate} frames a second, the file {counting_base(rate)}: captions drift"
            )
        elif side.form is SCC and rate_text(rate) not in ("29.97", "59.94"):
            self.wrong.append(f"{side.path.name} counts at 29.97, the file at {rate_text(rate)}")
        elif side.form is SCC and side.drop != self._file.start.drop:
            counts = {True: "drop-frame", False: "non-drop"}
            self.wrong.append(f"{side.path.name} is {counts[side.drop]}, the file {counts[self._file.start.drop]}")
        start = side.programme_start
        if start is None:
            return
        first, begin = round(self._seconds(start) * rate), self._file.measurement.programme[0]
        if first != begin:  # zero is written where nobody said anything
            text = f"has the programme begin at {self._file.start + first}, it begins at {self._file.start + begin}"
            (self.wrong if start else self.doubts).append(f"{side.path.name} {text}")

    def _place(self) -> None:
        begin, end = self._file.measurement.programme
        outside = [
            (cue, "") for cue in self._side.cues if self._frames(cue)[0] < begin or self._frames(cue)[1] > end + 1
        ]
        self._tell(self.wrong, "captions outside the programme", outside)

    def _times(self) -> None:
        cues = self._side.cues
        empty = [(cue, "") for cue in cues if cue.end <= cue.begin]
        self._tell(self.wrong, "captions that end before they begin", empty)
        over = [(later, "") for earlier, later in pairwise(cues) if later.begin < earlier.end]
        self._tell(self.doubts, "captions over one another", over)
        self._tell(self.doubts, f"more than {_READABLE} signs a second", list(self._fast(cues)))

    def _fast(self, cues: tuple[Cue, ...]) -> Iterator[tuple[Cue, str]]:
        for cue in cues:
            lasts = cue.end - cue.begin
            if lasts > 0 and cue.letters > _READABLE * lasts:
                yield cue, f" ({round(cue.letters / lasts)})"

    def _text(self) -> None:
        side, form = self._side, self._side.form
        columns, rows = side.most_columns or form.columns, side.most_rows or form.rows
        counted = form is EBU_STL or form is SCC
        texts = self.wrong if counted else self.doubts  # what a decoder cuts off, or what only fills the screen
        wide = [(cue, "") for cue in side.cues if any(len(line) > columns for line in cue.lines)]
        self._tell(texts, f"lines of more than {columns} signs", wide)
        high = [(cue, "") for cue in side.cues if len(cue.lines) > rows or (cue.row or 0) + len(cue.lines) - 1 > rows]
        self._tell(texts, f"more than {rows} rows", high)
        self._tell(self.doubts, "outside the safe area", [(cue, "") for cue in side.cues if cue.inside is False])
