"""The clips of a job beside its trial: looked at when they are chosen, laid when they are pressed twice, dragged
onto lanes.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QMimeData, QSize, Qt, QUrl
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.jobs.material.material_rows import used_words
from idle_quarry.app.models.jobs.trial.sides import CLIPS
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tinted import tint, tinted

_PATH = Qt.ItemDataRole.UserRole


class _List(QListWidget):
    """Rows that are dragged as files."""

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(item.data(_PATH)) for item in items])
        return data


class TrialClips(QWidget):
    """Shows the clips of the model, and forwards."""

    def __init__(self, model: Trial) -> None:
        super().__init__()
        on(self, "ground")
        self._model = model
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter clips")
        self.filter.setAccessibleName("Filter clips")
        self.list = _List()
        self.list.setAccessibleName("Clips of the job")
        self.list.setDragEnabled(True)
        self.list.setIconSize(QSize(theme.px(64), theme.px(36)))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        tinted(self.list)
        self.empty = label("No clip yet. Drop clips here or on the lanes, or add them in Material.", "dust", wrap=True)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 6, 6, 4)
        sized(column).setSpacing(5)
        column.addWidget(self.filter)
        column.addWidget(self.empty)
        column.addWidget(self.list, 1)
        self.filter.textChanged.connect(self.show_clips)
        self.list.currentItemChanged.connect(self._chosen)
        self.list.itemDoubleClicked.connect(lambda _item: model.laying.lay("add"))

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._model.show_clip(Path(item.data(_PATH)))

    def show_clips(self) -> None:
        sought, model = self.filter.text().strip().casefold(), self._model
        self.list.blockSignals(True)
        self.list.clear()
        for row in model.material.rows:
            name = row.entry.path.name
            source = row.source.name if row.source is not None else "no class" if row.convertible else row.words
            if sought not in f"{name} {source}".casefold():
                continue
            link = model.clips.costs.link_of(row.source)
            grade = f" · {link.grade}" if link is not None else ""
            state = "" if row.row.state == "linked" else f" · {row.row.state}"
            used = f" · {used_words(row.row)}" if row.row.used else ""
            item = QListWidgetItem(f"{name}\n{source}{grade}{used}{state}")
            item.setData(_PATH, str(row.entry.path))
            item.setToolTip(f"{row.entry.path}\n{row.words}")
            item.setSizeHint(QSize(0, theme.px(44)))
            if row.picture is not None:
                small = QPixmap()
                small.loadFromData(row.picture)
                item.setIcon(QIcon(small))
            role = "oxide" if row.clip is None else "ochre" if row.source is None and row.convertible else ""
            tint(item, role)
            self.list.addItem(item)
            if row.entry.path == model.clip and model.side == CLIPS:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self.empty.setVisible(not model.material.rows and not model.material.doing)
