"""Taking templates from a file: what each would collide with, what can be done with it, and taking that back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from idle_quarry.errors import ExchangeError, LibraryError
from idle_quarry.library.files.bundles import BundledTemplate
from idle_quarry.library.records import Summary
from idle_quarry.library.store import Library
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import content_hash

#: What can be done with a template from a file, and how that is said.
DECISIONS = {
    "take": "Import it",
    "keep both": "Keep both",
    "revision": "Add as a revision",
    "replace draft": "Replace my draft",
    "leave": "Leave it",
}


@dataclass(frozen=True)
class Collision:
    """What a shelf has of a template that is offered.

    `same` is the template of its name, `known` the number of the revision that is the very same, and `decisions` what
    can be done, the safest first.
    """

    same: Summary | None
    known: int | None
    decisions: tuple[str, ...]

    @property
    def words(self) -> str:
        if self.same is None:
            return "none of this name there"
        if self.known is not None:
            return f"already there, as revision {self.known}"
        latest = self.same.latest
        return f"the shelf has {self.same.name}, revision {latest.number} ({latest.state}, {latest.author})"


@dataclass(frozen=True)
class ImportedTemplate:
    """What was done with one template, so that it can be taken back."""

    template_id: str
    name: str
    number: int
    new: bool
    replaced: int | None = None


def collision(library: Library, bundled: BundledTemplate, shelf: str) -> Collision:
    """Return what a shelf has of an offered template."""
    if bundled.exchanged is None:
        return Collision(None, None, ("leave",))
    if bundled.exchanged.genuine is False:
        return Collision(library.named(bundled.exchanged.template.name, shelf), None, ("leave",))
    same = library.named(bundled.exchanged.template.name, shelf)
    if same is None:
        return Collision(None, None, ("take", "leave"))
    digest = content_hash(bundled.exchanged.template)
    known = next((r.number for r in library.revisions(same.id) if r.hash == digest and r.state != "withdrawn"), None)
    mine = same.latest.state == "draft" and same.latest.author == library.person
    able = ("keep both", "revision", *(("replace draft",) if mine else ()))
    return Collision(same, known, ("leave", *able) if known is not None else (*able, "leave"))


def take(
    library: Library, bundled: BundledTemplate, shelf: str, decision: str, file_name: str
) -> ImportedTemplate | None:
    """Carry out a decision; return what was done, None where it was left. Raises `QuarryError`."""
    if decision == "leave" or bundled.exchanged is None:
        return None
    if bundled.exchanged.genuine is False:
        raise ExchangeError("changed since export", subject=bundled.member)
    template, note = bundled.exchanged.template, _note(bundled, file_name)
    same = library.named(template.name, shelf)
    if decision in ("take", "keep both"):
        if same is not None:
            if decision == "take":
                raise LibraryError("the shelf has a template of this name by now", subject=template.name)
            template = edited(template, Edit("name", library.free_name(template.name, shelf)))
        revision = library.save_new(template, shelf, note)
        return ImportedTemplate(revision.template_id, template.name, revision.number, True)
    if same is None:
        raise LibraryError("the shelf no longer has a template of this name", subject=template.name)
    if decision == "replace draft":
        old = same.latest
        revision = library.save_revision(same.id, template, note, parent=old.parent or old.number)
        library.review(same.id, old.number, "withdraw", f"replaced by revision {revision.number}, {note}")
        return ImportedTemplate(same.id, template.name, revision.number, False, old.number)
    revision = library.save_revision(same.id, template, note)
    return ImportedTemplate(same.id, template.name, revision.number, False)


def take_back(library: Library, done: Sequence[ImportedTemplate]) -> None:
    """Undo what was taken: new templates are put aside, revisions withdrawn, a replaced draft stands again."""
    for template in reversed(done):
        if template.new:
            library.put_aside(template.template_id)
            continue
        library.review(template.template_id, template.number, "withdraw", "taken back")
        if template.replaced is not None:
            library.review(template.template_id, template.replaced, "bring back", "taken back")


def _note(bundled: BundledTemplate, file_name: str) -> str:
    origin = bundled.exchanged.origin if bundled.exchanged else {}
    number, author = origin.get("revision"), origin.get("author")
    known = f": revision {number} by {author}" if isinstance(number, int) and isinstance(author, str) else ""
    return f"taken from {file_name}{known}"[:400]
