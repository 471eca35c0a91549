"""The rows of Intake: clips looked at, declared and measured together where they part, and how each fits a template."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QModelIndex, QSortFilterProxyModel, Qt

from idle_quarry.app.models.table_rows import Index, TableRows
from idle_quarry.media import Clip
from idle_quarry.media.against import against
from idle_quarry.media.measurement.results import Disagreement
from idle_quarry.media.words import fields_text, sureness
from idle_quarry.path.matching import Match
from idle_quarry.path.strip_words import format_head
from idle_quarry.path.template import Template
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import ORDER_WORDS
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import format_words

ROW = Qt.ItemDataRole.UserRole
COLUMNS = ("Clip", "Motion", "Format", "Colour and levels", "Timecode and sound", "Against the template")
CLIP, MOTION, VERDICT = 0, 1, len(COLUMNS) - 1


@dataclass(frozen=True)
class ClipRow:
    """One row: a clip, or why it could not be read; `picture` is a small PNG of it."""

    path: Path
    clip: Clip | None
    refusal: str = ""
    match: Match | None = None
    picture: bytes | None = None

    @property
    def format_words(self) -> str:
        """The format the clip is taken as, "" where it has none."""
        return format_words(self.clip.format, fields=True) if self.clip and self.clip.format else ""

    @property
    def name(self) -> str:
        return self.clip.name if self.clip is not None else self.path.name

    @property
    def usable(self) -> bool:
        """Whether it has a format to work with."""
        return self.clip is not None and self.clip.format is not None


@dataclass(frozen=True)
class ClipCell:
    """Two lines of a cell; `wrong` marks the second as what the file says untruly."""

    first: str
    second: str = ""
    wrong: bool = False


def cells(row: ClipRow) -> tuple[ClipCell, ...]:
    """Return what stands in a row."""
    if row.clip is None:
        return (
            ClipCell(row.path.name, row.refusal, True),
            *(ClipCell("") for _ in range(4)),
            ClipCell("cannot be read"),
        )
    clip, d = row.clip, row.clip.declared
    untrue = {disagreement.field for disagreement in clip.disagreements}
    profile = f" {d.profile}" if d.profile and d.profile.lower() != d.codec else ""
    fields = clip.measured.fields if clip.measured else None
    motion = (
        ClipCell(fields_text(fields), sureness(fields)) if fields else ClipCell("", clip.trouble, bool(clip.trouble))
    )
    return (
        ClipCell(clip.name, f"{d.codec}{profile}"),
        motion,
        _format(row),
        _colour(clip),
        ClipCell(d.timecode or "no timecode", _sound(clip), "timecode" in untrue or "drop_frame" in untrue),
        _verdict(row),
    )


def _format(row: ClipRow) -> ClipCell:
    clip = row.clip
    assert clip is not None
    d = clip.declared
    if clip.format is None:
        return ClipCell(f"{d.width} × {d.height}, no rate" if d.has_picture else "sound only")
    bits = f"{d.bit_depth} bit {d.sampling}"
    if clip.format.scan == "interlaced":
        bits = f"{rate_text(clip.format.rate * 2)} fields/s · {bits}"
    what = format_head(clip.format)
    if clip.corrected:
        return ClipCell(what, "corrected by hand")
    wrong = [
        disagreement
        for disagreement in clip.disagreements
        if disagreement.field in ("scan", "field_order", "rate", "sample_aspect")
    ]
    if wrong:
        names = {"scan": "", "field_order": "", "rate": " frames/s", "sample_aspect": " samples"}
        words = {**ORDER_WORDS, "1/1": "square"}

        def declared(disagreement: Disagreement) -> str:
            value = disagreement.declared
            text = _rate(value) if disagreement.field == "rate" else words.get(str(value), str(value))
            return f"{text}{names[disagreement.field]}"

        line = ", ".join(declared(disagreement) for disagreement in wrong)
        return ClipCell(what, f"declared {line}", True)
    return ClipCell(what, bits)


def _rate(text: str) -> str:
    """Return a rate given as n/d by its name."""
    return rate_text(Fraction(text))


def _colour(clip: Clip) -> ClipCell:
    d = clip.declared
    if not d.has_picture:
        return ClipCell("")
    label = PRIMARIES[d.primaries].label if d.primaries else "primaries not declared"
    transfer = TRANSFERS[d.transfer][0] if d.transfer and d.transfer not in ("bt709",) else ""
    first = " · ".join(part for part in (label, transfer) if part)
    wrong = next(
        (disagreement for disagreement in clip.disagreements if disagreement.field in ("range", "matrix", "bit_depth")),
        None,
    )
    if wrong is not None and not clip.corrected:
        return ClipCell(first, f"{wrong.measured} {wrong.field}, declared {wrong.declared or 'not at all'}", True)
    levels = clip.measured.levels if clip.measured else None
    spread = f", luma {levels.luma.minimum} to {levels.luma.maximum}" if levels else ""
    return ClipCell(first, f"{d.range or 'narrow by default'}{spread}")


def _sound(clip: Clip) -> str:
    audio = clip.declared.audio
    if not audio:
        return "no sound"
    text = ", ".join(f"{a.layout} {a.sample_rate / 1000:g} kHz" for a in audio[:2])
    heard = clip.measured.sound[0] if clip.measured and clip.measured.sound else None
    if heard is None:
        return text
    if all(channel.silent for channel in heard.channels):
        return f"{text}, silent"
    if heard.loudness_lufs is None:
        return text
    about = "about " if heard.windows > 1 else ""
    return f"{text}, {about}{heard.loudness_lufs:.0f} LUFS".replace("-", "−")


def _verdict(row: ClipRow) -> ClipCell:
    if row.match is None:
        return ClipCell("")
    if row.match.source is not None:
        return ClipCell(row.match.source.name, row.match.grade)
    if row.clip is not None and row.clip.format is None:
        return ClipCell("cannot be judged")
    return ClipCell("matches no source", f"would be {row.match.grade}")


class ClipRows(TableRows):
    """The clips that were looked at."""

    heads = COLUMNS

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[ClipRow] = []
        self._cells: list[tuple[ClipCell, ...]] = []

    def count(self) -> int:
        return len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if role == ROW:
            return row
        cell = self._cells[index.row()][index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return cell.first if index.column() == CLIP else f"{cell.first} {cell.second}".strip()
        if role == Qt.ItemDataRole.ToolTipRole:
            untrue = [disagreement.text for disagreement in row.clip.disagreements] if row.clip else []
            return "\n".join([f"{cell.first}\n{cell.second}".strip(), *untrue])
        return None

    def cell(self, index: Index) -> ClipCell:
        """Return a cell's two lines."""
        return self._cells[index.row()][index.column()]

    def add(self, row: ClipRow) -> None:
        """Add a clip, or replace it where it was looked at before."""
        at = next((i for i, item in enumerate(self.rows) if item.path == row.path), None)
        if at is None:
            self.beginInsertRows(QModelIndex(), len(self.rows), len(self.rows))
            self.rows.append(row)
            self._cells.append(cells(row))
            self.endInsertRows()
        else:
            self.rows[at], self._cells[at] = row, cells(row)
            self.dataChanged.emit(self.index(at, 0), self.index(at, len(COLUMNS) - 1))

    def judge(self, template: Template | None) -> None:
        """Hold every clip against a template."""
        for i, row in enumerate(self.rows):
            match = against(template, row.clip) if template is not None and row.clip is not None else None
            self.rows[i] = replace(row, match=match)
            self._cells[i] = cells(self.rows[i])
        if self.rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.rows) - 1, len(COLUMNS) - 1))

    def clear(self) -> None:
        self.beginResetModel()
        self.rows, self._cells = [], []
        self.endResetModel()


class RowFilter(QSortFilterProxyModel):
    """Rows whose text has what was typed, and whose format is the one chosen at the left edge."""

    def __init__(self, model: ClipRows) -> None:
        super().__init__()
        self._model = model
        self._text, self._format = "", ""
        self.setSourceModel(model)
        self.setSortCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)

    def take(self, *, text: str | None = None, format_words: str | None = None) -> None:
        self.beginFilterChange()
        self._text = self._text if text is None else text.lower()
        self._format = self._format if format_words is None else format_words
        self.endFilterChange(QSortFilterProxyModel.Direction.Rows)

    def filterAcceptsRow(self, row: int, parent: Index) -> bool:
        result = self._model.rows[row]
        if self._format and (result.format_words or "no signal format") != self._format:
            return False
        texts = (str(self._model.index(row, column).data()) for column in range(len(COLUMNS)))
        return not self._text or any(self._text in text.lower() for text in texts)
