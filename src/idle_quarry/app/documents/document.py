"""The open template: one immutable value, an undo stack of such values, and what follows from the newest."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from idle_quarry.app.documents.draft_writer import DraftWriter
from idle_quarry.app.documents.drafts import Draft
from idle_quarry.library.records import StoredTemplate
from idle_quarry.path.changes.edits import Change, Edit, changes, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.template import Template

_KEEP_MS = 300
#: How long after an edit remedies are weighed: who types on does not wait for it.
_WEIGH_MS = 80


def known(finding: Finding) -> tuple[str, str, str]:
    """Return what makes a finding the same after an edit."""
    return finding.code, finding.where, finding.text


class _Replace(QUndoCommand):
    """One edit: the whole template before and after."""

    def __init__(self, document: Document, before: Template, after: Template, text: str) -> None:
        super().__init__(text)
        self._document, self._before, self._after = document, before, after

    def undo(self) -> None:
        self._document._take(self._before)

    def redo(self) -> None:
        self._document._take(self._after)


class Document(QObject):
    """What is open. `changed` follows every real change, after it was checked and evaluated.

    Which remedies help costs several evaluations: that is known when `weighed` follows, or as soon as somebody asks for
    one.
    """

    changed = Signal()
    #: Remedies were weighed: a moment after the last edit.
    weighed = Signal()
    saved = Signal()

    def __init__(
        self,
        template: Template,
        base: StoredTemplate | None,
        drafts: DraftWriter,
        key: str | None = None,
        measured: Callable[[], Mapping[str, float]] = dict,
        house: Callable[[], HouseEntries] = lambda: NO_HOUSE,
    ) -> None:
        super().__init__()
        self._measured, self._house = measured, house
        self.base = base
        self.undo_stack = QUndoStack(self)
        self._template = template
        self._evaluation, self._is_weighed = evaluate(template, measured(), house()), True
        self._drafts = drafts
        self.key = key or (base.revision.template_id if base else f"new-{uuid.uuid4()}")
        self._later = QTimer(self, singleShot=True, interval=_KEEP_MS)
        self._later.timeout.connect(self._keep)
        self._weigh_soon = QTimer(self, singleShot=True, interval=_WEIGH_MS)
        self._weigh_soon.timeout.connect(self.weigh)

    @property
    def template(self) -> Template:
        return self._template

    @property
    def evaluation(self) -> Evaluation:
        """What follows from the template, with the remedies that help."""
        self.weigh()
        return self._evaluation

    @property
    def seen(self) -> Evaluation:
        """What follows from the template.

        Until remedies are weighed, findings that stand as before have theirs of then.
        """
        return self._evaluation

    def weigh(self) -> None:
        """Find out which remedies help, where that is not known."""
        if self._is_weighed:
            return
        self._weigh_soon.stop()
        self._is_weighed = True
        self._evaluation = evaluate(self._template, self._measured(), self._house())
        self.weighed.emit()

    @property
    def dirty(self) -> bool:
        """Whether there is something no revision holds."""
        return self.base is None or self._template != self.base.template

    def changes(self) -> list[Change]:
        """Return what differs from the revision it began from; nothing for a template that has none."""
        return changes(self.base.template, self._template) if self.base is not None else []

    def apply(self, text: str, *edits: Edit) -> None:
        """Make edits as one step that can be undone. Raises `QuarryError`; then nothing has changed."""
        self.replace(edited(self._template, *edits), text)

    def replace(self, template: Template, text: str) -> None:
        """Put another template in place as one step that can be undone; the same one is no step."""
        if template != self._template:
            self.undo_stack.push(_Replace(self, self._template, template, text))

    def _take(self, template: Template) -> None:
        self._template = template
        self.keep_soon()
        self.look_again()

    def look_again(self) -> None:
        """Evaluate anew: the template, or what is known of this machine's disks, has changed."""
        before = {known(finding): finding.remedy for finding in self._evaluation.findings}
        quick = evaluate(self._template, self._measured(), self._house(), remedies=False)
        findings = (replace(finding, remedy=before.get(known(finding)), others=()) for finding in quick.findings)
        self._evaluation, self._is_weighed = replace(quick, findings=tuple(findings)), False
        self._weigh_soon.start()
        self.changed.emit()

    def became(self, stored: StoredTemplate) -> None:
        """Say that the present template is now that revision."""
        if self.key != stored.revision.template_id:
            self._drafts.drop(self.key)
            self.key = stored.revision.template_id
        self.base = stored
        self._later.stop()
        self._drafts.drop(self.key)
        if self.dirty:  # edited while it was being saved
            self.keep_soon()
        self.saved.emit()
        self.changed.emit()

    def keep_soon(self) -> None:
        """Keep what is unsaved as a draft, a moment after this edit: who edits on and on does not put it off."""
        if not self._later.isActive():
            self._later.start()

    def _keep(self) -> None:
        if not self.dirty:
            self._drafts.drop(self.key)
            return
        base = self.base.revision if self.base else None
        self._drafts.keep(
            Draft(self.key, self._template, base.template_id if base else None, base.number if base else None)
        )

    def keep_now(self) -> None:
        """Have the draft kept at once: the window is closing."""
        if self._later.isActive():
            self._later.stop()
            self._keep()
