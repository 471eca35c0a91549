"""The page of a job's material: its clips, what they really are, their class, and whether they are brought in."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QAbstractItemView, QFileDialog, QTableWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.jobs.material.material import JobMaterial
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow, brought_words, used_words
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.page_rows import tools_row, words_column
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.jobs.folder_plan import FOR_CLIPS
from idle_quarry.media.sequences import clips_among
from idle_quarry.media.words import fields_text

_STATE_ROLE = {"brought in": "sage", "what is used brought in": "sage", "missing": "oxide", "changed since": "ochre"}


class MaterialPage(QWidget):
    """Shows the clips of the model, and forwards."""

    guide_section = "The clips of a job"

    def __init__(self, model: JobMaterial) -> None:
        super().__init__()
        self.model = model
        FileDrop(self, self._clips_among, lambda paths, _event: model.add(paths))
        self.add_button = button(
            "Add clips", self._ask_clips, main=True, tip="linked where they lie; nothing is copied"
        )
        self.bring_button = button(
            "Bring in", self._bring_in, tip="convert what is chosen to the intermediate, into the job"
        )
        self.used_button = button(
            "Bring in what is used",
            lambda: model.bring_in(self.chosen() or model.can_bring_in(used=True), used=True),
            tip="of what is chosen, or of every clip: what the job's timelines show, with a second on each side",
        )
        self.all_button = button("Bring in all", lambda: model.bring_in(model.can_bring_in()), tip="every clip, whole")
        self.proxy_button = button(
            "Make proxies",
            lambda: model.make_proxies(self.chosen() or model.can_make_proxies()),
            tip=(
                "of what is chosen, or of every clip of a class: small stand-ins that play as the template converts"
                " them"
            ),
        )
        self.look_button = button(
            "See in Intake", lambda: model.see(self.chosen()), tip="all that is measured of what is chosen"
        )
        self.forget_button = button("Forget", self._forget, tip="know what is chosen no longer; no file is touched")
        self.cancel_button = button("Cancel", model.bringing.cancel, quiet=True)
        self._paths: list[Path] = []  #: of the rows, in their order
        self.summary = OneLine()
        self.ask = AskBar()
        self.table = wrapped_table(
            "Clips of the job", {"Clip": 190, "Measured": 0, "Class": 120, "State": 190, "Used": 80}
        )
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.empty = label(
            "No clip yet. Drop clips here, add them, or put them into the job's folders. They stay where they lie until"
            " they are brought in: converted to the intermediate by the link of their class.",
            "dust",
            wrap=True,
        )
        self._build()
        self.table.itemSelectionChanged.connect(self._show_buttons)
        model.changed.connect(self._show)
        model.doing_changed.connect(self._show_doing)
        model.asked.connect(self.ask.put)
        self._show()

    def _build(self) -> None:
        tools = tools_row(
            self.add_button,
            self.bring_button,
            self.used_button,
            self.all_button,
            self.proxy_button,
            self.look_button,
            self.forget_button,
            self.cancel_button,
        )
        words = words_column(self.summary, self.empty)
        rows = QVBoxLayout()
        sized(rows).setContentsMargins(14, 0, 0, 0)
        rows.addWidget(self.table)
        outer = QVBoxLayout(self)
        sized(outer).setContentsMargins(0, 8, 0, 0)
        outer.addLayout(tools)
        outer.addWidget(self.ask)
        outer.addLayout(words)
        outer.addLayout(rows, 1)

    # -- showing -----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        model = self.model
        self.summary.setText(model.summary())
        self.empty.setVisible(not model.rows and not model.summary())
        self.table.setVisible(bool(model.rows))
        chosen, paths, self._paths = set(self.chosen()), self._paths, [row.entry.path for row in model.rows]
        self.table.blockSignals(True)
        self.table.setRowCount(len(model.rows))
        for number, row in enumerate(model.rows):
            self._fill(number, row)
        if paths != self._paths:
            self.table.clearSelection()
            for number, path in enumerate(self._paths):
                if path in chosen:
                    self.table.selectRow(number)
            fit_rows(self.table)
        self.table.blockSignals(False)
        self._show_buttons()

    def _show_doing(self) -> None:
        self.summary.setText(self.model.summary())

    def _fill(self, number: int, row: MaterialRow) -> None:
        clip = row.clip
        fields = clip.measured.fields if clip is not None and clip.measured is not None else None
        measured = f"{row.words}\n{fields_text(fields)}" if fields is not None else row.words
        class_words = row.source.name if row.source is not None else "fits none" if row.convertible else ""
        if row.source is not None and not row.fits:
            class_words += "\nchosen by hand"
        untrue = clip is not None and bool(clip.disagreements)
        if untrue:
            measured += "\nnot what its file says"
        cells = (row.entry.path.name, measured, class_words, brought_words(row.row), used_words(row.row))
        roles = (
            "",
            "ochre" if untrue else "oxide" if clip is None else "",
            "ochre" if row.source is None and row.convertible else "",
            _STATE_ROLE.get(row.row.state, ""),
            "dust",
        )
        for column, (text, role) in enumerate(zip(cells, roles, strict=True)):
            item = QTableWidgetItem(text)
            item.setToolTip(str(row.entry.path))
            tint(item, role, bold=column == 0)
            self.table.setItem(number, column, item)

    def chosen(self) -> list[Path]:
        """Return the clips whose rows are chosen."""
        return [self._paths[row] for row in sorted({index.row() for index in self.table.selectedIndexes()})]

    def _show_buttons(self) -> None:
        model, chosen = self.model, self.chosen()
        can = set(model.can_bring_in())
        self.add_button.setEnabled(model.job is not None)
        self.bring_button.setEnabled(any(path in can for path in chosen))
        self.all_button.setEnabled(bool(can))
        used = set(model.can_bring_in(used=True))
        self.used_button.setEnabled(any(path in used for path in chosen) if chosen else bool(used))
        proxies = set(model.can_make_proxies())
        self.proxy_button.setVisible(model.job is not None and model.job.template.proxy is not None)
        self.proxy_button.setEnabled(any(path in proxies for path in chosen) if chosen else bool(proxies))
        self.look_button.setEnabled(bool(chosen))
        self.forget_button.setEnabled(bool(chosen) and all(model.can_forget(path) for path in chosen))
        self.cancel_button.setVisible(bool(model.bringing.words))

    # -- asking ------------------------------------------------------------------------------------------------------

    def _ask_clips(self) -> None:
        names, _kind = QFileDialog.getOpenFileNames(self, "Add clips", self.model.folder_for(FOR_CLIPS))
        if names:
            self.model.add([Path(name) for name in names])

    def _bring_in(self) -> None:
        self.model.bring_in(self.chosen())

    def _forget(self) -> None:
        self.model.forget(self.chosen())

    def _clips_among(self, paths: list[Path]) -> list[Path]:
        """Return the clips among what is dropped, those in folders too."""
        return clips_among(paths) if self.model.job is not None else []
