"""The rows of Intake: clips looked at, what each declares in a line, and how it fits a template."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    Qt,
)
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from idle_quarry.app.drawing import draw_link, draw_severity
from idle_quarry.app.theme import theme
from idle_quarry.media import Clip, Declared
from idle_quarry.media.against import against
from idle_quarry.path.matching import Match
from idle_quarry.path.template import Template
from idle_quarry.signal.words import format_words

Index = QModelIndex | QPersistentModelIndex
ROW = Qt.ItemDataRole.UserRole
COLUMNS = ("Clip", "Format", "Codec", "Depth", "Colour", "Timecode", "Sound", "Against the template")


@dataclass(frozen=True)
class Looked:
    """One row: a clip, or why it could not be read."""

    path: Path
    clip: Clip | None
    refusal: str = ""
    match: Match | None = None


def _colour(d: Declared) -> str:
    parts = [d.primaries, d.transfer if d.transfer != d.primaries else None, d.range]
    return " · ".join(part for part in parts if part) or "not said"


def _cells(row: Looked) -> tuple[str, ...]:
    if row.clip is None:
        return (row.path.name, row.refusal, "", "", "", "", "", "cannot be read")
    d, clip = row.clip.declared, row.clip
    if clip.format is not None:
        what = format_words(clip.format, fields=True).replace(f" {d.bit_depth}bit", "").replace(f" {d.sampling}", "")
    else:
        what = f"{d.width} × {d.height}, no rate" if d.has_picture else "sound only"
    depth = f"{d.bit_depth} bit {d.sampling}" if d.has_picture else ""
    sound = ", ".join(f"{a.layout} {a.sample_rate / 1000:g}k" for a in d.audio[:2]) or "none"
    if row.match is None:
        verdict = ""
    elif row.match.source is not None:
        verdict = f"{row.match.source.name}: {row.match.grade}"
    else:
        verdict = "no source of it" if clip.format else "not to be told"
    profile = f" {d.profile}" if d.profile and d.profile.lower() != d.codec else ""
    return (
        clip.name,
        what,
        f"{d.codec}{profile}",
        depth,
        _colour(d) if d.has_picture else "",
        d.timecode or "none",
        sound,
        verdict,
    )


class IntakeModel(QAbstractTableModel):
    """The clips that were looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Looked] = []
        self._texts: list[tuple[str, ...]] = []

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if role == ROW:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return self._texts[index.row()][index.column()]
        if role == Qt.ItemDataRole.ForegroundRole and row.clip is None:
            return theme.colour("oxide")
        return None

    def add(self, row: Looked) -> None:
        """Add a clip, or replace it where it was looked at before."""
        at = next((i for i, each in enumerate(self.rows) if each.path == row.path), None)
        if at is None:
            self.beginInsertRows(QModelIndex(), len(self.rows), len(self.rows))
            self.rows.append(row)
            self._texts.append(_cells(row))
            self.endInsertRows()
        else:
            self.rows[at], self._texts[at] = row, _cells(row)
            self.dataChanged.emit(self.index(at, 0), self.index(at, len(COLUMNS) - 1))

    def judge(self, template: Template | None) -> None:
        """Hold every clip against a template."""
        for i, row in enumerate(self.rows):
            match = against(template, row.clip) if template is not None and row.clip is not None else None
            self.rows[i] = Looked(row.path, row.clip, row.refusal, match)
            self._texts[i] = _cells(self.rows[i])
        if self.rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.rows) - 1, len(COLUMNS) - 1))

    def clear(self) -> None:
        self.beginResetModel()
        self.rows, self._texts = [], []
        self.endResetModel()


class VerdictDelegate(QStyledItemDelegate):
    """Draws the last column: the grade by its form, then the words."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row: Looked = index.data(ROW)
        rect = option.rect
        if row.match is None:
            super().paint(painter, option, index)
            return
        worst = next((f.severity for s in ("stop", "caution") for f in row.match.findings if f.severity == s), None)
        y = rect.center().y()
        draw_link(painter, [QPointF(rect.left() + 6, y), QPointF(rect.left() + theme.px(40), y)], row.match.grade)
        if worst:
            draw_severity(painter, QPointF(rect.left() + theme.px(50), y), worst, theme.px(8))
        painter.setFont(theme.font(13))
        painter.setPen(theme.colour("chalk" if row.match.source else "ochre"))
        painter.drawText(rect.adjusted(theme.px(62), 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, str(index.data()))
