"""One setting changed in many templates: what it would do to each, and then a draft of each."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

from idle_quarry.errors import LibraryError, QuarryError
from idle_quarry.library.files.importing import ImportedTemplate
from idle_quarry.library.reading import LibraryReader
from idle_quarry.library.records import StoredTemplate
from idle_quarry.library.store import Library
from idle_quarry.path.changes.effects import effect
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.settings import setting_at, with_setting
from idle_quarry.path.template import Template


@dataclass(frozen=True)
class PlannedRevision:
    """What the change makes of one template, made of its revision `number`.

    `template` is None where nothing is to be saved.
    """

    template_id: str
    name: str
    number: int
    before: str
    after: str
    template: Template | None
    effects: tuple[str, ...] = ()
    refused: str = ""


def planned(
    library: LibraryReader, wanted: Sequence[tuple[str, int]], place: str, text: str
) -> Iterator[PlannedRevision]:
    """Yield what typing `text` into the setting at `place` makes of each template, by id and revision.

    A refusal is told.
    """
    numbers = dict(wanted)
    for ident, stored in library.stored_each(wanted):
        if isinstance(stored, LibraryError):
            yield PlannedRevision(ident, "a template", numbers[ident], "", "", None, refused=str(stored))
        else:
            yield _planned(stored, place, text)


def _planned(stored: StoredTemplate, place: str, text: str) -> PlannedRevision:
    template_id, number, name = stored.revision.template_id, stored.revision.number, stored.template.name
    try:
        setting = setting_at(stored.template, place)
        if setting is None:
            return PlannedRevision(template_id, name, number, "", "", None, refused="it has no such setting")
        template = with_setting(stored.template, setting, text)
        after = setting_at(template, place)
    except QuarryError as error:
        return PlannedRevision(template_id, name, number, "", "", None, refused=str(error))
    shown = after.text if after is not None else text
    if template == stored.template:
        return PlannedRevision(template_id, name, number, setting.text, shown, None)
    follows = effect(evaluate(stored.template, remedies=False), evaluate(template, remedies=False))
    texts = [*follows.sentences(), *([follows.data_words] if follows.data_words else [])]
    return PlannedRevision(template_id, name, number, setting.text, shown, template, tuple(texts))


def saved(
    library: Library, changes: Iterable[PlannedRevision], note: str, go_on: Callable[[int], bool]
) -> tuple[list[ImportedTemplate], list[str]]:
    """Save a draft of each change; return what was saved and what was refused.

    `go_on` is told how many were, and may stop.
    """
    templates: list[ImportedTemplate] = []
    refused: list[str] = []
    for change in changes:
        if change.template is None:
            continue
        if not go_on(len(templates)):
            break
        try:
            revision = library.save_revision(change.template_id, change.template, note, parent=change.number)
        except QuarryError as error:
            refused.append(f"{change.name}: {error}")
            continue
        templates.append(ImportedTemplate(change.template_id, change.name, revision.number, False))
    return templates, refused
