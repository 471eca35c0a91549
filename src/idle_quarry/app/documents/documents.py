"""The templates that are open: one in front, the others held as they were left."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.documents.document import Document
from idle_quarry.app.documents.draft_writer import DraftWriter
from idle_quarry.app.documents.drafts import Draft, Drafts
from idle_quarry.errors import LibraryError
from idle_quarry.library import Revision, StoredTemplate, Summary
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.template import Template
from idle_quarry.proof.disks import disk_speeds

if TYPE_CHECKING:
    from idle_quarry.app.context import AppContext
    from idle_quarry.app.house_model import HouseModel


class Documents(QObject):
    """`opened` says that another one is in front, or none; `edited` that the one in front is another template now."""

    opened = Signal()
    edited = Signal()
    #: It is known which remedies help the one in front.
    weighed = Signal()

    def __init__(self, context: AppContext, house: HouseModel) -> None:
        super().__init__()
        self._context, self._house_model = context, house
        self.keeping = DraftWriter(Drafts(context.library.place, context.library.person))
        self.disk_speeds = disk_speeds()
        self.front: Document | None = None
        self.held: dict[str, Document] = {}
        house.changed.connect(self.look_again)

    @property
    def drafts(self) -> Drafts:
        """The drafts of whoever works here."""
        return self.keeping.drafts

    def open_stored(self, template_id: str, number: int | None = None) -> None:
        """Open a template; unsaved work on it is taken up where it was left."""
        context = self._context
        try:
            stored = context.library.stored(template_id, number or self.worked_on(context.library.summary(template_id)))
        except LibraryError as error:
            context.refuse(error)
            return
        held = self.held.get(template_id)
        if held is not None and (number is None or (held.base and held.base.revision.number == number)):
            self._bring(held)
            return
        draft = next((d for d in self.drafts.all() if d.key == template_id), None) if number is None else None
        if draft is not None and draft.revision is not None:
            try:
                base = context.library.stored(template_id, draft.revision)
            except LibraryError:
                base = stored
            document = self._document(draft.template, base)
            self._bring(document)
            context.say(
                f"Unsaved work on {base.name} was kept and is back.", action=("Drop it", partial(self._drop, document))
            )
            return
        self._bring(self._document(stored.template, stored))

    def worked_on(self, summary: Summary) -> int:
        """Return the revision that opening a template opens: one's own open draft, else what is approved, else the
        newest.
        """
        library = self._context.library
        own = [open_draft for open_draft in library.open_drafts(summary.id) if open_draft.author == library.person]
        return own[0].number if own else summary.for_jobs

    def open_new(self, template: Template, key: str | None = None) -> None:
        """Open a template that no shelf has yet."""
        document = self._document(template, None, key)
        document.keep_soon()
        self._bring(document)

    def _document(self, template: Template, base: StoredTemplate | None, key: str | None = None) -> Document:
        return Document(template, base, self.keeping, key, lambda: self.disk_speeds, self._house)

    def disks_measured(self) -> None:
        """Take up what disks were measured to play, and have every open template judged by it."""
        self.disk_speeds = disk_speeds()
        self.look_again()

    def look_again(self) -> None:
        """Judge every open template anew: the disks, or what the house has, are known otherwise."""
        for document in self.held.values():
            document.look_again()

    def _house(self) -> HouseEntries:
        return self._house_model.value

    def unfinished(self) -> list[Draft]:
        """Return every draft an earlier run left."""
        return self.drafts.all()

    def _drop(self, document: Document) -> None:
        if document.base is not None:
            document.replace(document.base.template, "Drop unsaved work")

    def _bring(self, document: Document) -> None:
        self.held[document.key] = document
        self._take(document)
        self._context.view_wanted.emit("Path")

    def _take(self, document: Document | None) -> None:
        if self.front is not document:
            if self.front is not None:
                self.front.changed.disconnect(self.edited)
                self.front.weighed.disconnect(self.weighed)
            if document is not None:
                document.changed.connect(self.edited)
                document.weighed.connect(self.weighed)
        self.front = document
        self.opened.emit()

    def became(self, document: Document, stored: StoredTemplate) -> None:
        """What was open is a revision now."""
        self.held.pop(document.key, None)
        document.became(stored)
        self.held[document.key] = document

    def let_go(self, template_id: str) -> None:
        """Let go of a document whose template was changed on its shelf, unless there is unsaved work on it."""
        document = self.held.get(template_id)
        if document is not None and not document.dirty:
            del self.held[template_id]
            if self.front is document:
                library = self._context.library
                stored = library.stored(template_id, self.worked_on(library.summary(template_id)))
                self.held[template_id] = self._document(stored.template, stored)
                self._take(self.held[template_id])

    def follow_numbers(self) -> None:
        """A revision saved while the server was away has the server's number now: what is open stands on that one."""
        library = self._context.library
        for document in self.held.values():
            if document.base is None:
                continue
            revision = document.base.revision
            try:
                here = next(filter(_same(revision), library.revisions(revision.template_id)), None)
                if here is not None and here != revision:
                    document.base = library.stored(revision.template_id, here.number)
                    document.changed.emit()
            except LibraryError:
                continue

    def change_person(self, name: str) -> None:
        """Another person sits down: unsaved work is kept as its owner's, and nothing stays open."""
        self.keep_all()
        self.held.clear()
        self.keeping.drafts = Drafts(self._context.library.place, name)
        self._take(None)

    def keep_all(self) -> str:
        """Keep unsaved work at once; return what could not be kept, in a sentence."""
        for document in self.held.values():
            document.keep_now()
        return self.keeping.finish()


def _same(revision: Revision) -> Callable[[Revision], bool]:
    return lambda item: item.hash == revision.hash and item.author == revision.author
