"""What a person does to the library: each act in one place, carried out, refused in a sentence, undone where it can be.

A file is written at once. A server is written off the interface thread, and the window says so meanwhile
(`AppContext.write`); whoever asks is told by `answered` when it is done, or why it is not.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, TypeVar

from idle_quarry.app.acts.house_acts import HouseActs
from idle_quarry.app.acts.job_acts import JobActs
from idle_quarry.app.documents.document import Document
from idle_quarry.app.questions import Answered
from idle_quarry.errors import QuarryError
from idle_quarry.library import FileLibrary, Revision, StoredTemplate, Summary
from idle_quarry.library.reviewing import ACTS
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import Template

if TYPE_CHECKING:
    from idle_quarry.app.context import AppContext
    from idle_quarry.app.documents.documents import Documents
    from idle_quarry.library.files.bundles import BundledTemplate
    from idle_quarry.library.files.importing import ImportedTemplate

T = TypeVar("T")


class LibraryActs:
    """Every change of a shelf, a revision's state, a rule or the list of jobs goes through here."""

    def __init__(self, context: AppContext, documents: Documents) -> None:
        self._context, self._documents = context, documents
        self.house = HouseActs(self.do, self._say_done)
        self.jobs = JobActs(context)

    def _say_done(self, text: str, action: tuple[str, Callable[[], object]]) -> None:
        """Say what was done, with a word that takes it back."""
        self._context.say(text, action=action)

    def do(
        self, work: Callable[[FileLibrary], T], done: Callable[[T], object], answered: Answered | None = None
    ) -> None:
        """Write to the library, and see to it that what is shown follows.

        A refusal goes to whoever asked, else it is said.
        """
        context = self._context

        def finished(value: T) -> None:
            context.shelves_changed.emit()  # what is done next finds the shelves as they are now
            done(value)
            if answered is not None:
                answered(None)

        def refused(error: QuarryError) -> None:
            if answered is not None:
                answered(str(error))
            else:
                context.refuse(error)

        context.write(work, finished, refused)

    # -- what is open ----------------------------------------------------------------------------------

    def save(
        self, document: Document, note: str, shelf: str, done: Callable[[Revision], object], answered: Answered
    ) -> None:
        """Save an open template: as a draft made of the revision it began from, or as a new template on a shelf.

        What somebody else saved meanwhile stays beside it.
        """
        template, base = document.template, document.base

        def work(library: FileLibrary) -> StoredTemplate:
            if base is None:
                saved = library.save_new(template, shelf, note)
            else:
                began = base.revision
                saved = library.save_revision(began.template_id, template, note, parent=began.number)
            return library.stored(saved.template_id, saved.number)

        def became(stored: StoredTemplate) -> None:
            self._documents.became(document, stored)
            done(stored.revision)

        self.do(work, became, answered)

    # -- a shelf ---------------------------------------------------------------------------------------

    def copy(self, summary: Summary, number: int | None, shelf: str, done: Callable[[Revision], object]) -> None:
        """Put a copy of a revision on a shelf; on the house's it is a draft."""

        def work(library: FileLibrary) -> Revision:
            stored = library.stored(summary.id, number)
            wanted = f"{summary.name} copy"[:110] if shelf == summary.shelf else stored.template.name
            name = library.free_name(wanted, shelf)
            note = f"copied from {summary.name}, revision {stored.revision.number}"
            return library.save_new(edited(stored.template, Edit("name", name)), shelf, note)

        self.do(work, done)

    def rename(self, summary: Summary, name: str, answered: Answered) -> None:
        """Give a template another name: a revision, since a revision never changes."""

        def work(library: FileLibrary) -> bool:
            stored = library.stored(summary.id)
            if name == stored.template.name:
                return False
            renamed = edited(stored.template, Edit("name", name))
            note = f"renamed from {stored.name}"
            library.save_revision(summary.id, renamed, note, parent=stored.revision.number)
            return True

        def done(changed: bool) -> None:
            if changed:
                self._documents.let_go(summary.id)
                if summary.approved is not None:
                    self._context.say(f"It is called {name} when this draft is approved.")

        self.do(work, done, answered)

    def put_aside(self, summary: Summary) -> None:
        """Take a template off its shelf; it can be put back."""
        back = ("Undo", lambda: self.bring_back(summary.id))
        self.do(
            lambda library: library.put_aside(summary.id),
            lambda _none: self._context.say(f"{summary.name} was put aside.", action=back),
        )

    def bring_back(self, template_id: str, done: Callable[[], object] = lambda: None) -> None:
        """Put a template that was put aside on its shelf again."""
        self.do(lambda library: library.bring_back(template_id), lambda _none: done())

    def toggle_default(self, template_id: str, *, own: bool) -> None:
        """Make a template the one new jobs start from, in the house or for this person, or no longer."""

        def work(library: FileLibrary) -> None:
            default = library.defaults()[1 if own else 0]
            library.set_default(None if default == template_id else template_id, own=own)

        self.do(work, lambda _none: None)

    def set_rule(self, *, alone: bool) -> None:
        """Say how many people an approval takes in this house."""
        text = "One person may approve alone." if alone else "Another person than the author approves."
        self.do(lambda library: library.set_one_person(alone), lambda _none: self._context.say(text))

    def set_names(self, *, by_login: bool) -> None:
        """Say whether people are called as their accounts on the system are, or as they choose."""
        text = (
            "People are called as their accounts on this system." if by_login else "People choose what they are called."
        )
        self.do(lambda library: library.set_names_by_login(by_login), lambda _none: self._named(text))

    def _named(self, text: str) -> None:
        self._context.shelves_changed.emit()
        self._context.say(f"{text} You are {self._context.library.person}.")

    def put_on_house_shelf(self, templates: Sequence[Template], note: str, done: Callable[[int], object]) -> None:
        """Put templates on the house shelf as drafts; names that are there are left alone.

        `done` is told how many went.
        """

        def work(library: FileLibrary) -> int:
            number = 0
            for template in templates:
                if library.named(template.name, "house") is None:
                    library.save_new(template, "house", note)
                    number += 1
            return number

        self.do(work, done)

    # -- reviews ---------------------------------------------------------------------------------------

    def review(
        self,
        name: str,
        revision: Revision,
        act: str,
        note: str,
        answers: tuple[str, ...] = (),
        done: Callable[[], object] = lambda: None,
        answered: Answered | None = None,
        words: str = "",
    ) -> None:
        """Send to review, approve, send back, withdraw or bring back a revision."""

        def succeeded(_remark: object) -> None:
            self._context.say(words or f"{name}, revision {revision.number}: {ACTS[act].participle}.")
            done()

        self.do(
            lambda library: library.review(revision.template_id, revision.number, act, note, answers=answers),
            succeeded,
            answered,
        )

    def comment(self, revision: Revision, place: str, text: str, done: Callable[[], object]) -> None:
        """Say something of a revision."""
        self.do(
            lambda library: library.comment(revision.template_id, revision.number, place, text), lambda _remark: done()
        )

    def merge(
        self,
        left: StoredTemplate,
        right: StoredTemplate,
        template: Template,
        note: str,
        done: Callable[[str], object],
        answered: Answered,
    ) -> None:
        """Save what was made of two drafts."""
        ident = left.revision.template_id
        numbers = left.revision.number, right.revision.number

        def succeeded(revision: Revision) -> None:
            self._context.say(f"{template.name}: revision {revision.number} holds both drafts.")
            self._documents.let_go(ident)
            done(ident)

        self.do(
            lambda library: library.save_revision(ident, template, note, parent=numbers[0], merged=numbers[1]),
            succeeded,
            answered,
        )

    # -- files -----------------------------------------------------------------------------------------

    def take(
        self, offers: Sequence[tuple[BundledTemplate, str]], shelf: str, name: str, done: Callable[[str], object]
    ) -> None:
        """Take templates from a file as was decided.

        What is refused is said, the rest is taken, all of it can be undone.
        """
        from idle_quarry.library.files.importing import take

        def work(library: FileLibrary) -> tuple[list[ImportedTemplate], list[str]]:
            templates: list[ImportedTemplate] = []
            refused: list[str] = []
            for bundled, decision in offers:
                try:
                    template = take(library, bundled, shelf, decision, name)
                except QuarryError as error:
                    refused.append(str(error))
                    continue
                if template is not None:
                    templates.append(template)
            return templates, refused

        def succeeded(results: tuple[list[ImportedTemplate], list[str]]) -> None:
            templates, refused = results
            for template in templates:
                self._documents.let_go(template.template_id)
            if templates:
                done(templates[0].template_id)
                text = (
                    f"{templates[0].name} imported" if len(templates) == 1 else f"{len(templates)} templates imported"
                )
                more = f" {len(refused)} refused: {refused[0]}" if refused else ""
                self._context.say(f"{text} from {name}.{more}", action=("Undo", lambda: self.take_back(templates)))
            elif refused:
                self._context.say(refused[0], refusal=True)

        self.do(work, succeeded)

    def take_back(self, templates: Sequence[ImportedTemplate]) -> None:
        """Undo an import."""
        from idle_quarry.library.files.importing import take_back

        def succeeded(_none: None) -> None:
            for template in templates:
                self._documents.let_go(template.template_id)

        self.do(lambda library: take_back(library, list(templates)), succeeded)
