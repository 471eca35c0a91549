"""The starter set: what a house makes and where it keeps its work, and the standard templates that follow from that."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.widgets.tinted import tint, tinted
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.files import is_folder
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.path.starter import lines_of, needed_mb_s, offered, starter_set
from idle_quarry.path.template import Place, Template
from idle_quarry.proof.disks import DiskError, Speed, keep, measure, measured, volume_of
from idle_quarry.proof.work_place import Verdict, judged
from idle_quarry.signal.words import format_words

_RASTERS = {
    480: "480 lines (SD, 525 systems)", 576: "576 lines (SD, 625 systems)", 858: "858 lines (2K scope)",
    1080: "1080 lines (HD)", 1920: "1920 lines (upright)", 2160: "2160 lines (UHD)",
}  # fmt: skip
_DISKS = {"system": "system", "network": "network", "local": "external", "memory": "not known"}
_MARK = {"stop": "refusal", "caution": "caution", "note": "dust"}


class StarterPage(QWidget):
    """One plain panel; nothing is put on a shelf before the button, and what is there is never touched."""

    closed = Signal()
    made = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._templates: list[Template] = []
        self._ticket: Ticket | None = None
        self.territories = {each.id: QCheckBox(each.title) for each in territories().values()}
        present = sorted({lines_of(each) for each in deliveries().values()})
        self.rasters = {lines: QCheckBox(_RASTERS.get(lines, f"{lines} lines")) for lines in present}
        self.deliveries: dict[str, QCheckBox] = {}
        self.folder = QLineEdit(desk.preferences.work_folder)
        self.folder.setAccessibleName("Folder where work is kept")
        self.folder.setPlaceholderText("a folder on a fast disk of its own, such as /media/work")
        self.measure_button = button("Measure the disk", self._measure)
        self.progress = ProgressBar()
        self._verdicts = QVBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName("Templates that will be made")
        self.list.setProperty("told", "true")
        tinted(self.list)
        self._sum = label(role="dust", wrap=True)
        self.make_button = button("Put them on the house shelf", self.make, main=True)
        self._soon = QTimer(self, singleShot=True, interval=250)
        self._soon.timeout.connect(self._judge)
        self._build()
        self.first_focus = next(iter(self.territories.values()))
        for box in (*self.territories.values(), *self.rasters.values()):
            box.toggled.connect(self._offer)
        self.folder.textChanged.connect(lambda _text: self._soon.start())
        self._offer()

    def _build(self) -> None:
        head = QHBoxLayout()
        sized(head).setContentsMargins(24, 12, 16, 4)
        names = QVBoxLayout()
        names.addWidget(label("What does this house make?", "title"))
        names.addWidget(label("The standard templates that fit are put on the house shelf as drafts, to be looked at and approved. What is there stays as it is.", "dust", wrap=True))  # fmt: skip
        head.addLayout(names, 1)
        head.addWidget(button("Back to the shelf", self.closed.emit, tip="Esc"))
        head.addWidget(self.make_button)
        columns = QHBoxLayout()
        sized(columns).setContentsMargins(24, 8, 24, 0)
        sized(columns).setSpacing(28)
        for title, boxes in (
            ("Who watches it", self.territories.values()),
            ("In which rasters", self.rasters.values()),
        ):
            column = QVBoxLayout()
            sized(column).setSpacing(6)
            column.addWidget(label(title, "head"))
            for box in boxes:
                column.addWidget(box)
            column.addStretch(1)
            columns.addLayout(column)
        outs = QVBoxLayout()
        sized(outs).setSpacing(6)
        outs.addWidget(label("What is delivered", "head"))
        self._none = label("Choose who watches it, and in which rasters.", "dust")
        outs.addWidget(self._none)
        holder = QWidget()
        self._outs = QVBoxLayout(holder)
        self._outs.setContentsMargins(0, 0, 0, 0)
        sized(self._outs).setSpacing(6)
        for each in deliveries().values():
            box = QCheckBox(f"{each.name}  ·  {format_words(each.signal)}")
            box.setChecked(True)
            box.toggled.connect(self._list)
            self.deliveries[each.id] = box
            self._outs.addWidget(box)
        self._outs.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(holder)
        outs.addWidget(scroll, 1)
        columns.addLayout(outs, 1)
        where = QVBoxLayout()
        sized(where).setContentsMargins(24, 10, 24, 0)
        sized(where).setSpacing(4)
        where.addWidget(label("Where work is kept", "head"))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(button("Choose", self._choose))
        row.addWidget(self.measure_button)
        where.addLayout(row)
        where.addWidget(self.progress)
        where.addLayout(self._verdicts)
        below = QVBoxLayout()
        sized(below).setContentsMargins(24, 8, 24, 12)
        below.addWidget(label("What will be put on the house shelf", "head"))
        below.addWidget(self._sum)
        below.addWidget(self.list, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(head)
        outer.addLayout(columns, 3)
        outer.addLayout(where)
        outer.addLayout(below, 3)

    # -- choosing --------------------------------------------------------------------------------------

    def _offer(self) -> None:
        """Show the deliveries of the chosen territories and rasters."""
        wanted = [ident for ident, box in self.territories.items() if box.isChecked()]
        lines = [each for each, box in self.rasters.items() if box.isChecked()]
        fit = {each.id for each in offered(wanted, lines)}
        for ident, box in self.deliveries.items():
            box.setVisible(ident in fit)
        self._none.setVisible(not fit)
        self._none.setText(
            "Nothing is delivered to them in these rasters: choose others." if wanted and lines
            else "Choose who watches it, and in which rasters."
        )  # fmt: skip
        self._list()

    def chosen(self) -> list[str]:
        """Return the ids of the deliveries chosen."""
        return [ident for ident, box in self.deliveries.items() if not box.isHidden() and box.isChecked()]

    def _places(self) -> tuple[Place, ...]:
        folder = self.folder.text().strip()
        try:
            disk = _DISKS[volume_of(Path(folder)).kind] if folder else "not known"
        except DiskError:
            disk = "not known"
        inside = str(Path(folder) / "cache") if folder else ""
        speed = measured().get(folder)
        plays = round(speed.read_mb_s) if speed and speed.read_mb_s >= 1 else None
        return (
            Place(id="work", name="Material disk", purpose="work", path=folder, disk=disk, plays_mb_s=plays),  # type: ignore[arg-type]
            Place(id="cache", name="Render disk", purpose="cache", path=inside, disk=disk, plays_mb_s=plays),  # type: ignore[arg-type]
        )

    def _list(self) -> None:
        """List what would be made, and what is there already."""
        try:
            self._templates = starter_set(self.chosen(), self._places())
            there = {each.name for each in self._templates if self.desk.library.named(each.name, "house")}
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.list.clear()
        for each in self._templates:
            outs = ", ".join(out.name for out in each.deliveries)
            item = QListWidgetItem(f"{each.name}\n{format_words(each.working.format, fields=True)} · delivers {outs}")
            if each.name in there:
                item.setText(f"{each.name}\non the house shelf already: left as it is")
                tint(item, "dust")
            self.list.addItem(item)
        self._templates = [each for each in self._templates if each.name not in there]
        count = len(self._templates)
        self._sum.setText("Nothing yet." if not count and not there else "" if count else "All of it is there already.")
        self._sum.setVisible(not count)
        self._judge()

    # -- the place of work -------------------------------------------------------------------------------

    def _verdict_list(self) -> list[Verdict]:
        folder = self.folder.text().strip()
        return judged(Path(folder).expanduser(), measured().get(folder), needed_mb_s(self._templates))

    def _judge(self) -> None:
        """Say what is to be said of the folder; a place that will not do keeps the button shut."""
        found = self._verdict_list()
        while self._verdicts.count():
            item = self._verdicts.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for each in found:
            begun = bool(self.folder.text().strip() or self.chosen())  # nothing is wrong before anything is said
            line = label(each.text, _MARK[each.severity] if begun else "dust", wrap=True)
            self._verdicts.addWidget(line)
        stops = any(each.severity == "stop" for each in found)
        count = len(self._templates)
        text = f"Put {count} on the house shelf" if count else "Put them on the house shelf"
        folder = Path(self.folder.text().strip() or "/nowhere").expanduser()
        there = folder.is_absolute() and is_folder(folder)
        self.make_button.setText(f"{text} all the same" if count and stops and there else text)
        self.make_button.setAccessibleName(self.make_button.text())
        self.make_button.setEnabled(bool(count) and there)
        self.measure_button.setEnabled(
            is_folder(Path(self.folder.text().strip() or "/nowhere")) and self._ticket is None
        )

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Where work is kept", self.folder.text())
        if name:
            self.folder.setText(name)

    def _measure(self) -> None:
        folder = Path(self.folder.text().strip())

        def done(speed: Speed) -> None:
            self._ticket = None
            self.progress.hide()
            keep(speed)
            self.desk.disks_measured()
            self._list()

        def failed(error: QuarryError) -> None:
            self._ticket = None
            self.progress.hide()
            self.desk.refuse(error)
            self._judge()

        self._ticket = self.desk.workers.start(
            lambda ticket: measure(folder, ticket.progress, most_seconds=2.0), done, failed, self.progress.step
        )
        self.progress.begin("measuring", self._ticket.cancel)
        self.measure_button.setEnabled(False)

    # -- doing -----------------------------------------------------------------------------------------

    def make(self) -> None:
        """Put the templates on the house shelf as drafts; names that came there meanwhile are left alone."""
        made, folder = 0, self.folder.text().strip()
        for each in starter_set(self.chosen(), self._places()):
            try:
                if self.desk.library.named(each.name, "house") is None:
                    self.desk.library.save_new(each, "house", "from the standard set")
                    made += 1
            except QuarryError as error:
                self.desk.refuse(error)
                break
        self.desk.preferences.work_folder = folder
        self.desk.shelves_changed.emit()
        if made:
            self.desk.say(f"{made} templates are on the house shelf as drafts. Look at each, and send it to review.")
            self.made.emit()
        self._list()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)
