"""The page that starts a job: from which template, its title and folder, and beforehand what it will be made of."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QTreeWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.jobs.start import JobStart
from idle_quarry.app.views.jobs.job_tree import fill_tree
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.basic.tinted import tinted


class StartPage(QWidget):
    """Shows what the model says of a start, and forwards what is typed."""

    def __init__(self, model: JobStart) -> None:
        super().__init__()
        self.model = model
        self.template = QComboBox()
        self.template.setAccessibleName("Template")
        self.template.activated.connect(lambda _i: model.choose(self.template.currentData()))
        self.title = QLineEdit()
        self.title.setAccessibleName("Title")
        self.title.setPlaceholderText("what the job is called; its folder takes the name")
        self.title.textChanged.connect(model.call)
        self.folder = QLineEdit(model.folder)
        self.folder.setAccessibleName("Folder")
        self.folder.setPlaceholderText("a folder on a fast disk of its own, such as /media/work")
        self.folder.textChanged.connect(model.put_in)
        self.make_button = button("Make it", model.make_folder, tip="make this folder")
        self.place_note, self.refusal = label(role="caution", wrap=True), label(role="refusal", wrap=True)
        self.preview = QTreeWidget()
        self.preview.setHeaderHidden(True)
        self.preview.setAccessibleName("Folders and files to be made")
        tinted(self.preview)
        self.size_note = label(role="dust", wrap=True)
        self.progress = ProgressBar()
        self.start_button = button("Start the job", model.start, main=True)
        self._build()
        model.offers_changed.connect(self._show_offers)
        model.changed.connect(self._show)
        model.running_changed.connect(self._show_running)
        model.progressed.connect(self.progress.step)
        self._show_offers()
        self._show()

    def _build(self) -> None:
        where = QHBoxLayout()
        sized(where).setSpacing(7)
        where.addWidget(self.folder, 1)
        where.addWidget(self.make_button)
        where.addWidget(button("Choose", self._choose_folder))
        form = QFormLayout()
        sized(form).setHorizontalSpacing(12)
        form.addRow(label("Template", "dust"), self.template)
        form.addRow(label("Title", "dust"), self.title)
        form.addRow(label("Folder", "dust"), where)
        row = QHBoxLayout()
        row.addWidget(self.progress, 1)
        row.addStretch(0)
        row.addWidget(self.start_button)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(20, 12, 20, 12)
        sized(column).setSpacing(8)
        column.addWidget(label("Start a job", "title"))
        column.addLayout(form)
        column.addWidget(self.place_note)
        column.addWidget(self.refusal)
        column.addWidget(label("What will be made", "head"))
        column.addWidget(self.preview, 1)
        column.addWidget(self.size_note)
        column.addLayout(row)

    def _show_offers(self) -> None:
        self.template.clear()
        for offer in self.model.offers:
            self.template.addItem(offer.text, offer.key)
        keys = [offer.key for offer in self.model.offers]
        self.template.setCurrentIndex(keys.index(self.model.key) if self.model.key in keys else -1)

    def _show(self) -> None:
        """Show what would be made, or why nothing can be."""
        model = self.model
        for line, text in ((self.title, model.title), (self.folder, model.folder)):
            if line.text().strip() != text:
                line.setText(text)
        plan, why = model.plan(), model.why_not()
        fill_tree(self.preview, (*plan.folders, *plan.files) if plan is not None else (), {})
        self.size_note.setText(model.size_words())
        self.place_note.setText(model.place_words())
        self.place_note.setVisible(bool(model.place_words()))
        self.refusal.setText(why or "")
        self.refusal.setVisible(bool(why))
        self.make_button.setVisible(model.missing_folder is not None)
        self.start_button.setEnabled(why is None and not model.running)

    def _show_running(self) -> None:
        if self.model.running:
            self.progress.begin("starting", self.model.cancel)
        else:
            self.progress.hide()
        self._show()

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Where the job's folder is put", self.folder.text())
        if name:
            self.folder.setText(name)
