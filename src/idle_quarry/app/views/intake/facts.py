"""The facts of a clip: what it declares, what was measured, what the template's source expects, a row each."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QGridLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_severity
from idle_quarry.app.models.intake.facts import SILENT, facts_of
from idle_quarry.app.models.intake.rows import ClipRow
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.media.words import fields_text, sureness


def facts_widget(row: ClipRow) -> QWidget:
    """Return the facts of a row as a grid: untruths and findings first, in sentences."""
    body = QWidget()
    grid = QGridLayout(body)
    sized(grid).setContentsMargins(14, 4, 10, 6)
    sized(grid).setHorizontalSpacing(16)
    sized(grid).setVerticalSpacing(2)
    grid.setColumnStretch(2, 1)
    grid.setColumnStretch(3, 1)
    grid.setColumnStretch(4, 1)
    clip = row.clip
    if clip is None:
        grid.addWidget(label(f"{row.path.name}: {row.refusal}.", "refusal", wrap=True), 0, 1, 1, 4)
        grid.setRowStretch(1, 1)
        return body
    line = 0
    source = row.match.source if row.match else None
    texts = (
        [(f.severity, f.text) for f in row.match.findings]
        if row.match
        else [("caution" if disagreement.grave else "note", disagreement.text) for disagreement in clip.disagreements]
    )
    if clip.trouble:
        texts.insert(0, ("caution", f"It could not be measured: {clip.trouble}."))
    for severity, text in texts:
        grid.addWidget(Mark(severity), line, 0)
        grid.addWidget(label(text, wrap=True), line, 1, 1, 4)
        line += 1
    if clip.measured and clip.measured.fields:
        fields = clip.measured.fields
        text = f"{fields_text(fields)}: {sureness(fields)}, from {clip.measured.frames_examined} frames examined"
        grid.addWidget(label(text[0].upper() + text[1:] + ".", "dust", wrap=True), line, 1, 1, 4)
        line += 1
    for column, text in ((2, "declared"), (3, "measured"), (4, f"expected of {source.name}" if source else "")):
        grid.addWidget(label(text, "dust"), line, column)
    line += 1
    for fact in facts_of(clip, source):
        grid.addWidget(label(fact.name, "dust"), line, 1)
        grid.addWidget(
            label(fact.declared, "refusal" if fact.untrue else "dust" if fact.declared == SILENT else "", wrap=True),
            line,
            2,
        )
        grid.addWidget(label(fact.measured, "good" if fact.untrue else "", wrap=True), line, 3)
        if fact.expected is not None:
            verdict = "agrees" if fact.agrees else fact.expected
            grid.addWidget(label(verdict, "good" if fact.agrees else "refusal"), line, 4)
        line += 1
    grid.setRowStretch(line, 1)
    return body


class Mark(QWidget):
    """A severity's mark as a widget."""

    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        sized(self).setFixedSize(16, 18)
        self.setAccessibleName(severity)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        draw_severity(painter, QRectF(self.rect()).center(), self._severity, theme.px(9))
