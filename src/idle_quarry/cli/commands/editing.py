"""The commands that change a library: a house begun, settings typed, revisions sent to review, decided, merged."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options, opened, stored_of
from idle_quarry.cli.output import Output
from idle_quarry.errors import LibraryError, NotUnderstood

if TYPE_CHECKING:
    from idle_quarry.library import Library, Revision, StoredTemplate
    from idle_quarry.path.template import Template


@command(
    "house begin",
    argument("--delivery", action="append", required=True, metavar="D", help="a standard delivery's id"),
    argument("--work", metavar="FOLDER", help="where work is kept"),
)
def house_begin(options: Options, out: Output) -> int:
    """Put the standard templates of some deliveries on the house shelf, as drafts; what is there already is left."""
    from idle_quarry.path.beginning.beginnings import work_places
    from idle_quarry.path.beginning.standard_set import starter_set
    from idle_quarry.path.registry import deliveries

    unknown = [ident for ident in options.delivery if ident not in deliveries()]
    if unknown:
        raise NotUnderstood("no standard delivery", subject=unknown[0], remedy="use " + ", ".join(deliveries()))
    work = str(Path(options.work).expanduser()) if options.work else ""
    places = work_places(work)
    document: list[dict[str, Any]] = []
    with opened(options) as library:
        for template in starter_set(options.delivery, places):
            there = library.named(template.name, "house") is not None
            saved = None if there else library.save_new(template, "house", "from the standard set")
            document.append({"name": template.name, "made": not there, "revision": saved.number if saved else None})
    out.show(document, [f"{d['name']}: {'a draft' if d['made'] else 'there already, left as it is'}" for d in document])
    return 0


@command(
    "template set",
    argument("name", metavar="NAME"),
    argument("setting", metavar="PLACE=VALUE", nargs="+"),
    argument("--note", default="", help="what has changed"),
)
def template_set(options: Options, out: Output) -> int:
    """Type settings into a template and save it as a draft."""

    def typed(stored: StoredTemplate) -> Template:
        from idle_quarry.path.changes.conditions import place_named
        from idle_quarry.path.settings import settings_of, with_setting

        template = stored.template
        for pair in options.setting:
            place, sign, text = pair.partition("=")
            known = {setting.place: setting for setting in settings_of(template)}
            if place not in known:  # by the name that finding takes, which may be shorter
                with contextlib.suppress(NotUnderstood):
                    place = place_named(place.strip())
            if not sign or place not in known:
                near = [name for name in known if place and place in name][:6] or list(known)[:6]
                raise NotUnderstood(
                    "no such setting", subject=pair, remedy="write PLACE=VALUE, such as " + ", ".join(near)
                )
            template = with_setting(template, known[place], text)
        return template

    return _saved(options, out, typed)


@command(
    "template save",
    argument("name", metavar="NAME"),
    argument("file", metavar="FILE"),
    argument("--note", default="", help="what has changed"),
)
def template_save(options: Options, out: Output) -> int:
    """Save a template file as a draft of a template that is there."""
    from idle_quarry.library.files.exchange import import_file

    return _saved(options, out, lambda _stored: import_file(Path(options.file)).template)


def _saved(options: Options, out: Output, make: Callable[[StoredTemplate], Template]) -> int:
    from idle_quarry.path.changes.effects import compared

    with opened(options) as library:
        before = stored_of(library, options.name)
        template = make(before)
        if template == before.template:
            raise LibraryError("nothing would change", subject=before.name)
        revision = library.save_revision(
            before.revision.template_id, template, options.note, parent=before.revision.number
        )
    rows = compared(before.template, template)
    document = {
        "name": before.name,
        "revision": revision.number,
        "state": revision.state,
        "changed": [{"setting": row.change.place, "a": row.a, "b": row.b} for row in rows],
    }
    lines = [f"{before.name}: saved as revision {revision.number}, a draft"]
    out.show(document, [*lines, *(f"  {row.label}: {row.a} → {row.b}" for row in rows)])
    return 0


def _decided(options: Options, out: Output, act: str) -> int:
    """Do something with the revision that is named, else with the newest that this can be done with."""
    from idle_quarry.library.reviewing import ACTS

    with opened(options) as library:
        revision = _meant(library, options.name, ACTS[act].states)
        answers = getattr(options, "answer", [])
        remark = library.review(revision.template_id, revision.number, act, options.note, answers=answers)
        name = library.summary(revision.template_id).name
    document = {"name": name, "revision": revision.number, "state": remark.state, "note": remark.note}
    out.show(document, [f"{name}, revision {revision.number}: {ACTS[act].participle}"])
    return 0


def _meant(library: Library, name: str, states: tuple[str, ...]) -> Revision:
    base, at, number = name.rpartition("@")
    if at and number.isascii() and number.isdigit():
        return stored_of(library, name).revision
    summary = library.find(base or name)
    every = library.revisions(summary.id)
    return next((revision for revision in every if revision.state in states), every[0])


_DECIDED = (argument("name", metavar="NAME[@REVISION]"), argument("--note", default=""))


@command("template review", *_DECIDED)
def template_review(options: Options, out: Output) -> int:
    """Send a draft to review."""
    return _decided(options, out, "propose")


@command(
    "template approve",
    *_DECIDED,
    argument("--answer", action="append", default=[], help="why a stop is right all the same, in their order"),
)
def template_approve(options: Options, out: Output) -> int:
    """Approve what is in review; each stop takes an answer."""
    return _decided(options, out, "approve")


@command("template send-back", *_DECIDED)
def template_send_back(options: Options, out: Output) -> int:
    """Send what is in review back to its author."""
    if not options.note.strip():
        raise LibraryError("whoever sends something back says why", subject=options.name, remedy="add --note")
    return _decided(options, out, "send back")


@command("template withdraw", *_DECIDED)
def template_withdraw(options: Options, out: Output) -> int:
    """Withdraw a revision."""
    return _decided(options, out, "withdraw")


@command("template bring-back", *_DECIDED)
def template_bring_back(options: Options, out: Output) -> int:
    """Bring a withdrawn revision back, as a draft."""
    return _decided(options, out, "bring back")


@command(
    "template merge",
    argument("name", metavar="NAME"),
    argument("a", metavar="A", type=int, help="the number of one draft"),
    argument("b", metavar="B", type=int, help="the number of the other"),
    argument("--take-a", action="append", default=[], metavar="PLACE", help="where both changed it: as A has it"),
    argument("--take-b", action="append", default=[], metavar="PLACE", help="where both changed it: as B has it"),
    argument("--note", default=""),
)
def template_merge(options: Options, out: Output) -> int:
    """Put two drafts of a template together as a third; what both changed differently is decided by name."""
    from idle_quarry.path.changes.merging import Side, merge
    from idle_quarry.path.settings import label_of

    with opened(options) as library:
        summary = library.find(options.name)
        a, b = (library.stored(summary.id, number) for number in (options.a, options.b))
        base = library.stored(summary.id, library.common_base(summary.id, options.a, options.b))
        choices: dict[str, Side] = dict.fromkeys(options.take_a, "mine") | dict.fromkeys(options.take_b, "theirs")
        result = merge(base.template, a.template, b.template, choices)
        open_ = [conflict for conflict in result.conflicts if conflict.place not in choices]
        if open_:
            text = "; ".join(f"{label_of(base.template, conflict.place)} ({conflict.place})" for conflict in open_)
            raise LibraryError(
                f"changed differently in both drafts: {text}",
                subject=summary.name,
                remedy="say --take-a PLACE or --take-b PLACE for each",
            )
        note = options.note or f"revisions {options.a} and {options.b} together"
        revision = library.save_revision(summary.id, result.template, note, parent=options.b, merged=options.a)
    document = {
        "name": summary.name,
        "revision": revision.number,
        "state": revision.state,
        "from_a": list(result.from_mine),
        "from_b": list(result.from_theirs),
    }
    out.show(
        document,
        [f"{summary.name}: revisions {options.a} and {options.b} together are revision {revision.number}, a draft"],
    )
    return 0
