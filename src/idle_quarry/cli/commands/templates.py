"""The templates of a library: listed, found, shown, validated, compared, explained."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.findings import finding_lines, step_lines
from idle_quarry.cli.opening import Options, opened, stored_of
from idle_quarry.cli.output import Output, table
from idle_quarry.path.changes.edits import differences
from idle_quarry.path.evaluate import evaluate
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.library import StoredTemplate
    from idle_quarry.path.evaluation import Evaluation


@command("template list")
def template_list(options: Options, out: Output) -> int:
    """The templates of both shelves."""
    document: list[dict[str, Any]] = []
    with opened(options) as library:
        for summary in library.summaries():
            grade = evaluate(library.stored(summary.id).template, remedies=False).worst_grade
            document.append(
                {
                    "name": summary.name,
                    "shelf": summary.shelf,
                    "revision": summary.latest.number,
                    "state": summary.latest.state,
                    "approved": summary.approved,
                    "default": summary.default,
                    "worst_grade": grade,
                    "working": summary.working,
                }
            )
    rows = [
        (
            d["name"],
            d["shelf"],
            f"revision {d['revision']}",
            d["state"],
            d["working"],
            d["worst_grade"],
            "default" if d["default"] else "",
        )
        for d in document
    ]
    out.show(document, table(rows))
    return 0


@command("template find", argument("words", metavar="WORDS", nargs="+"))
def template_find(options: Options, out: Output) -> int:
    """The templates of which every condition holds, with what they have there; 1 where there are none."""
    from idle_quarry.library import Search, typed_words
    from idle_quarry.library.setting_index import SettingIndex
    from idle_quarry.path.changes.conditions import conditions

    wanted, words = conditions(", ".join(options.words))
    with opened(options) as library:
        by_setting = SettingIndex(library)
        by_setting.follow()
        results = by_setting.find(wanted, library.identities(Search(words=typed_words(words))))
        summaries = {summary.id: summary for summary in library.these(results)}
        places = list(dict.fromkeys(condition.place for condition in wanted))
        document: list[dict[str, Any]] = [
            {
                "name": summary.name,
                "shelf": summary.shelf,
                "revision": summary.for_jobs,
                "state": "approved" if summary.approved else summary.latest.state,
                "values": {place: by_setting.texts(ident, place) for place in places},
            }
            for ident in results
            if (summary := summaries.get(ident)) is not None
        ]
    rows = [(d["name"], d["shelf"], f"revision {d['revision']}", d["state"], *d["values"].values()) for d in document]
    out.show(document, table(rows) or ["no template of which all of this holds"])
    return 0 if document else 1


@command("template show", argument("name", metavar="NAME"))
def template_show(options: Options, out: Output) -> int:
    """One template's settings."""
    from idle_quarry.path.settings import settings_of

    with opened(options) as library:
        stored = stored_of(library, options.name)
    revision = stored.revision
    head = {"name": stored.name, "shelf": stored.shelf, "revision": revision.number, "state": revision.state}
    head |= {"author": revision.author, "time": revision.time, "note": revision.note, "hash": revision.hash}
    rows = [(s.sheet, s.label, s.text, s.follows) for s in settings_of(stored.template)]
    lines = [f"{stored.name}, revision {revision.number} by {revision.author}: {revision.note}", *table(rows)]
    out.show({**head, "template": stored.template.model_dump(mode="json")}, lines)
    return 0


@command("template validate", argument("file", metavar="FILE"))
def template_validate(options: Options, out: Output) -> int:
    """Whether a file is a template file, whole and unaltered: 0, else an error (1 where its hash does not hold)."""
    from idle_quarry.library.files.exchange import import_file

    exchanged = import_file(Path(options.file))
    result = evaluate(exchanged.template, remedies=False)
    document = {
        "name": exchanged.template.name,
        "valid": True,
        "genuine": exchanged.genuine,
        "worst_grade": result.worst_grade,
        "stops": result.count("stop"),
        "cautions": result.count("caution"),
    }
    hash_text = {True: "unchanged since export", False: "changed since export", None: "without a hash"}
    out.show(document, [f"{exchanged.template.name}: a template file; {hash_text[exchanged.genuine]}"])
    return 1 if exchanged.genuine is False else 0


@command("template diff", argument("a", metavar="A"), argument("b", metavar="B"))
def template_diff(options: Options, out: Output) -> int:
    """The settings in which two templates or revisions differ, and what that does; 1 where there are any."""
    from idle_quarry.path.changes.effects import compared, effect

    with opened(options) as library:
        a, b = stored_of(library, options.a).template, stored_of(library, options.b).template
    results = differences(a, b)
    rows = compared(a, b)
    document = []
    for difference in results:
        row = next(
            (
                r
                for r in rows
                if difference.place == r.change.place or difference.place.startswith(f"{r.change.place}.")
            ),
            None,
        )
        does = row.effect.sentences() if row is not None and row.effect is not None else []
        document.append({"setting": difference.place, "a": difference.a, "b": difference.b, "effect": does})
    lines = [f"{row.label}: {row.a} → {row.b}" for row in rows]
    if results:
        whole = effect(evaluate(a, remedies=False), evaluate(b, remedies=False))
        lines += ["", *(whole.sentences() or ["no link and no finding changes"])]
        lines += [whole.data_words] if whole.data_words else []
    out.show(document, lines or ["no difference"])
    return 1 if results else 0


@command("explain", argument("name", metavar="NAME"))
def explain(options: Options, out: Output) -> int:
    """A template's evaluated path and findings."""
    from idle_quarry.library.house_entries import house_of

    with opened(options) as library:
        stored = stored_of(library, options.name)
        now = house_of(library)
    result = evaluate(stored.template, house=now)
    document: dict[str, Any] = {
        "template": stored.name,
        "revision": stored.revision.number,
        "state": stored.revision.state,
        "worst_grade": result.worst_grade,
        "stations": [station.to_json() for station in result.stations],
        "links": [link.to_json() for link in result.links],
        "findings": [finding.to_json() for finding in result.findings],
    }
    out.show(document, _explained(stored, result))
    return 0


def _explained(stored: StoredTemplate, result: Evaluation) -> list[str]:
    lines = [f"{stored.name}, revision {stored.revision.number}: worst link {result.worst_grade}", "", "stations"]
    lines += [
        "  " + line for line in table([(s.kind, s.name, format_words(s.format, fields=True)) for s in result.stations])
    ]
    lines += ["", "links"]
    for link in result.links:
        coded = f" · {link.coding.text}, {link.coding.mbps:.0f} Mb/s" if link.coding else ""
        lines.append(f"  {result.station(link.source).name} → {result.station(link.target).name}: {link.grade}{coded}")
        lines += ["  " + line for line in step_lines(link.steps)]
    return [*lines, "", "findings", *finding_lines(result.findings)]
