"""What the template does to the clip under the playhead: its link, step by step, and what is found there."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import as_role, on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_frame, draw_link, draw_severity, fitted
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.trial.costs import NO_CLIP
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.counting import counted
from idle_quarry.jobs.folder_plan import FOR_CLIPS
from idle_quarry.path.evaluation import Evaluation, Link
from idle_quarry.path.strip_words import display_size
from idle_quarry.signal.words import format_words

_GRADE_ROLE = {"exact": "sage", "clean": "sage", "lossy": "ochre", "broken": "oxide"}
#: Lines of the larger of the two frames as they are drawn, px.
_TALL = 44


class LinkPicture(QWidget):
    """The two frames of a link to one scale, and its line by form."""

    def __init__(self) -> None:
        super().__init__()
        self._link: Link | None = None
        self._evaluation: Evaluation | None = None
        sized(self).setFixedHeight(_TALL + 34)

    def show_link(self, evaluation: Evaluation | None, link: Link | None) -> None:
        self._evaluation, self._link = evaluation, link
        self.setVisible(link is not None)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(_TALL + 34))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._link is None or self._evaluation is None:
            return
        painter = QPainter(self)
        ends = [self._evaluation.station(name) for name in (self._link.source, self._link.target)]
        sizes = [display_size(end) for end in ends]
        scale = theme.px(_TALL) / max(height for _, height in sizes)
        middle = theme.px(_TALL) / 2 + 2
        rects = []
        for number, (width, height) in enumerate(sizes):
            rect = QRectF(0, 0, max(4, width * scale), max(3, height * scale))
            rect.moveCenter(QPointF(0, middle))
            rect.moveLeft(1 if number == 0 else theme.px(168))
            rects.append(rect)
            draw_frame(painter, rect, ends[number].format.scan)
        a, b = QPointF(rects[0].right() + 5, middle), QPointF(rects[1].left() - 5, middle)
        draw_link(painter, [a, b], self._link.grade)
        painter.setFont(theme.font(11))
        painter.setPen(theme.colour(_GRADE_ROLE[self._link.grade]))
        count = len(self._link.steps)
        text = f"{self._link.grade} · {counted(count, 'step')}"
        painter.drawText(QRectF(a.x(), 0, b.x() - a.x(), middle - 4), Qt.AlignmentFlag.AlignCenter, text)
        painter.setPen(theme.colour("dust"))
        metrics = QFontMetricsF(painter.font())
        for rect, station in zip(rects, ends, strict=True):
            wide = theme.px(156) if rect is rects[0] else self.width() - rect.left()
            words = fitted(format_words(station.format, fields=True), metrics, wide)
            painter.drawText(QPointF(rect.left(), theme.px(_TALL) + theme.px(18)), words)


class _Mark(QWidget):
    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        sized(self).setFixedWidth(16)

    def paintEvent(self, event: QPaintEvent) -> None:
        draw_severity(QPainter(self), QPointF(theme.px(7), theme.px(9)), self._severity, theme.px(9))


class UnderPlayhead(QWidget):
    """Shows what is under the playhead of the model, and forwards."""

    def __init__(self, model: Trial) -> None:
        super().__init__()
        on(self, "bench")
        self.model = model
        self.title, self.what = label("Under the playhead", "head"), OneLine("dust")
        self.link = LinkPicture()
        self.prove_button = button(
            "Test on pictures", model.at_playhead.prove, tip="see this conversion on this clip, method beside method"
        )
        self.other = choice_box("Convert this clip as", {}, model.at_playhead.convert_otherwise)
        self.link_button = button(
            "Find its file", self._ask_file, tip="every item of this file shows the one you choose"
        )
        self.notes = label(role="dust", wrap=True)
        self._rows = QGridLayout()
        sized(self._rows).setHorizontalSpacing(10)
        sized(self._rows).setVerticalSpacing(3)
        self._rows.setColumnStretch(1, 1)
        inside = QWidget()
        on(inside, "bench")
        column = QVBoxLayout(inside)
        sized(column).setContentsMargins(14, 8, 12, 8)
        sized(column).setSpacing(5)
        for item in (self.title, self.what, self.link, self.notes):
            column.addWidget(item)
        hands = QHBoxLayout()
        hands.addWidget(self.prove_button)
        hands.addWidget(self.other)
        hands.addWidget(self.link_button)
        hands.addStretch(1)
        column.addLayout(hands)
        column.addLayout(self._rows)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll)
        self._shown: object = None
        model.under_changed.connect(self.show_under)
        self.show_under()

    def show_under(self) -> None:
        """Show what is under the playhead now; the same again is left as it is."""
        model = self.model
        track, item, row = model.at_playhead.under()
        key = (track.ident if track is not None else None, item, row, id(model.clips.costs))
        if key == self._shown:
            return
        self._shown = key
        while self._rows.count():
            layout_item = self._rows.takeAt(0)
            widget = layout_item.widget() if layout_item is not None else None
            if widget is not None:
                widget.deleteLater()
        source = row.source if row is not None else None
        link = model.clips.costs.link_of(source)
        brought = (
            item is not None and item.media is not None and row is not None and item.media.path != str(row.entry.path)
        )
        self.what.setText(
            self._what(
                track.name if track is not None else "",
                item.name if item is not None else row.entry.path.name if row is not None else "",
            )
        )
        text = ""
        if row is None and item is None:
            text = "Nothing is here."
        elif row is None:
            text = (
                "Its clip is not among the job's. Add it in Material."
                if item is not None and item.media is not None
                else "It needs no clip."
            )
        elif brought:
            link, text = None, "It was brought in: it is the intermediate already, and plays as it is."
        elif source is None:
            text = f"{row.words[:1].upper()}{row.words[1:]}: it fits no class of the template."
        else:
            text = f"Class {source.name}; {row.row.state}."
        self.notes.setText("\n".join(name for name in (text, model.at_playhead.canvas_words()) if name))
        self.link.show_link(model.clips.costs.evaluation, link)
        self.prove_button.setVisible(link is not None)
        self.link_button.setVisible(item is not None and model.clips.costs.cost_of(item) == NO_CLIP)
        self._offer_classes(row if row is not None and row.convertible and not brought else None)
        number = 0
        for step in link.steps if link is not None else ():
            number = self._add(number, step.kind, step.text, step.grade)
        if link is not None and link.coding is not None:
            number = self._add(number, "codec", link.coding.text, link.coding.grade)
        for finding in model.clips.costs.findings_of(source) if link is not None else []:
            self._rows.addWidget(_Mark(finding.severity), number, 0, Qt.AlignmentFlag.AlignTop)
            self._rows.addWidget(label(finding.text, wrap=True), number, 1, 1, 2)
            number += 1

    def _offer_classes(self, row: MaterialRow | None) -> None:
        job = self.model.job
        self.other.setVisible(row is not None and job is not None)
        if row is None or job is None:
            return
        self.other.clear()
        self.other.addItem("Converted as it matches", "")
        for source in job.template.sources:
            self.other.addItem(f"Converted as {source.name}", source.id)
        self.other.setCurrentIndex(max(0, self.other.findData(row.entry.source)))

    def _ask_file(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "Find its file", self.model.folder_for(FOR_CLIPS))
        if name:
            self.model.item_words.relink(Path(name))

    def _what(self, track: str, name: str) -> str:
        return f"{name} on {track}" if track else name

    def _add(self, number: int, kind: str, text: str, grade: str) -> int:
        name, words, mark = QLabel(kind), label(text, wrap=True), QLabel(grade)
        name.setFont(theme.font(12, bold=True))
        as_role(mark, {"sage": "good", "ochre": "caution", "oxide": "refusal"}[_GRADE_ROLE[grade]])
        self._rows.addWidget(name, number, 0, Qt.AlignmentFlag.AlignTop)
        self._rows.addWidget(words, number, 1)
        self._rows.addWidget(mark, number, 2, Qt.AlignmentFlag.AlignTop)
        return number + 1
