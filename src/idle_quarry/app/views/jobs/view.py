"""The Jobs view: the list of jobs, and beside it the chosen one's page or the page that starts another.

A page is made when it is first shown: all seven together would keep whoever opens the view waiting.
"""

from __future__ import annotations

from functools import cached_property
from typing import TypeVar

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.jobs.job_list import PAGES, STATES
from idle_quarry.app.models.jobs.trial.trial import PAGE as TRIAL
from idle_quarry.app.views.jobs.cuts_page import CutsPage
from idle_quarry.app.views.jobs.handover_page import HandoverPage
from idle_quarry.app.views.jobs.job_page import JobPage
from idle_quarry.app.views.jobs.material_page import MaterialPage
from idle_quarry.app.views.jobs.renders_page import RendersPage
from idle_quarry.app.views.jobs.start_page import StartPage
from idle_quarry.app.views.jobs.trial_page import TrialPage
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.basic.tinted import tint, tinted

_JOB = Qt.ItemDataRole.UserRole
_Page = TypeVar("_Page", bound=QWidget)
#: What has each page.
_PAGES = dict(zip(PAGES, ("page", "material", "trial", "cuts", "renders", "handover"), strict=True))


class JobsView(QWidget):
    """Shows the jobs of the model, and forwards."""

    page_made = Signal(QWidget)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.jobs
        self.new_button = button("New job", lambda: self.model.prepare(None), main=True)
        self.check_button = button("Check all again", self.model.reload)
        self.find_line = QLineEdit()
        self.find_line.setPlaceholderText("Find a job: title, template, state")
        self.find_line.setAccessibleName("Find a job")
        self.find_line.textChanged.connect(lambda _words: self._show_list())
        self.of_template = choice_box("Jobs of a template", {"every template": ""}, lambda _name: self._show_list())
        self.in_state = choice_box(
            "Jobs in a state",
            {"every state": "", **{state: state for state in STATES}},
            lambda _state: self._show_list(),
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Jobs")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        tinted(self.list)
        self.list.currentItemChanged.connect(self._row_chosen)
        self.none = label(
            "No job yet. A job takes folders, timelines, line-up and papers from a template. Press New job.",
            "dust",
            wrap=True,
        )
        sized(self.none).setContentsMargins(16, 6, 16, 0)
        self.tabs = Tabs(PAGES, "Job: {}")
        self.title = label(role="head")
        self.tabs.chosen.connect(self.model.show_page)
        self.pages = QStackedWidget()
        on(self.pages, "bench")
        self._build()
        self.first_focus = self.list
        self.model.listed.connect(self._show_list)
        self.model.checked.connect(self._show_checked)
        self.model.chosen_changed.connect(self._show_chosen)
        self.model.page_changed.connect(self._show_chosen)
        self.model.start.begun.connect(self._begun)
        self._show_list()
        self._show_chosen()

    # -- the pages -----------------------------------------------------------------------------------------------

    @cached_property
    def start(self) -> StartPage:
        return self._with_page(StartPage(self.model.start))

    @cached_property
    def page(self) -> JobPage:
        return self._with_page(JobPage(self.model))

    @cached_property
    def material(self) -> MaterialPage:
        return self._with_page(MaterialPage(self.model.material))

    @cached_property
    def trial(self) -> TrialPage:
        return self._with_page(TrialPage(self.model.trial))

    @cached_property
    def cuts(self) -> CutsPage:
        return self._with_page(CutsPage(self.model.cuts))

    @cached_property
    def renders(self) -> RendersPage:
        return self._with_page(RendersPage(self.model.renders))

    @cached_property
    def handover(self) -> HandoverPage:
        return self._with_page(HandoverPage(self.model.handover))

    def _with_page(self, page: _Page) -> _Page:
        self.pages.addWidget(page)
        self.page_made.emit(page)
        return page

    def _begun(self) -> None:
        self.start.title.setFocus()

    def _build(self) -> None:
        tools = QHBoxLayout()
        sized(tools).setSpacing(7)
        sized(tools).setContentsMargins(12, 10, 12, 8)
        tools.addWidget(label("Jobs started here", "head"))
        tools.addStretch(1)
        tools.addWidget(self.check_button)
        tools.addWidget(self.new_button)
        left = self._left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(tools)
        sought = QVBoxLayout()
        sized(sought).setContentsMargins(12, 0, 12, 6)
        sized(sought).setSpacing(5)
        sought.addWidget(self.find_line)
        boxes = QHBoxLayout()
        sized(boxes).setSpacing(5)
        boxes.addWidget(self.of_template, 1)
        boxes.addWidget(self.in_state, 1)
        sought.addLayout(boxes)
        column.addLayout(sought)
        column.addWidget(self.none)
        column.addWidget(self.list, 1)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setObjectName("jobs")
        split.addWidget(left)
        right = QWidget()
        on(right, "bench")
        beside = QVBoxLayout(right)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        head = QHBoxLayout()
        sized(head).setContentsMargins(13, 6, 16, 0)
        head.addWidget(self.title)
        head.addWidget(self.tabs)
        head.addStretch(1)
        beside.addLayout(head)
        beside.addWidget(self.pages, 1)
        split.addWidget(right)
        split.setSizes([theme.px(330), theme.px(950)])
        split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(split)

    def _show_list(self) -> None:
        self._show_templates()
        self.list.blockSignals(True)
        self.list.clear()
        for record in self.model.sought(
            self.find_line.text(), self.of_template.currentData(), self.in_state.currentData()
        ):
            item = QListWidgetItem()
            item.setData(_JOB, record.id)
            self.list.addItem(item)
            self._describe(item)
        self.list.blockSignals(False)
        self.none.setVisible(not self.model.records)
        self._show_chosen()

    def _show_templates(self) -> None:
        """Offer the templates that jobs were started from."""
        names = sorted({record.template_name for record in self.model.records})
        if [self.of_template.itemData(n) for n in range(1, self.of_template.count())] == names:
            return
        before = self.of_template.currentData()
        self.of_template.clear()
        self.of_template.addItem("every template", "")
        for name in names:
            self.of_template.addItem(name, name)
        self.of_template.setCurrentIndex(max(0, self.of_template.findData(before)))

    def _describe(self, item: QListWidgetItem) -> None:
        record = next(record for record in self.model.records if record.id == item.data(_JOB))
        text, role = self.model.row_words(record)
        item.setText(text)
        tint(item, role)

    def _items(self) -> list[QListWidgetItem]:
        return [self.list.item(row) for row in range(self.list.count())]

    def _show_checked(self, job_id: str) -> None:
        for item in self._items():
            if item.data(_JOB) == job_id:
                self._describe(item)

    def _row_chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.model.choose(item.data(_JOB))

    def _show_chosen(self) -> None:
        chosen = self.model.chosen
        self.list.blockSignals(True)
        self.list.setCurrentItem(next((i for i in self._items() if i.data(_JOB) == chosen), None))  # type: ignore[arg-type]
        self.list.blockSignals(False)
        alone = chosen is not None and self.model.page == TRIAL  # lanes and a player take the whole window
        self._left.setVisible(not alone)
        self.title.setVisible(alone)
        self.title.setText(self.model.record.title if self.model.record is not None else "")
        self.tabs.setVisible(chosen is not None)
        self.tabs.show_on(self.model.page)
        self.pages.setCurrentWidget(getattr(self, _PAGES[self.model.page]) if chosen is not None else self.start)
