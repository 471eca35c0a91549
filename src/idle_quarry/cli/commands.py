"""The commands, one function each: options in, output and exit status out."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.cli.output import Output, complain, table
from idle_quarry.errors import JobError, LibraryError, MediaError, NotUnderstood
from idle_quarry.path.codecs import cannot_hold, gb_per_hour, holding, mbps
from idle_quarry.path.edits import differences
from idle_quarry.path.entries import Codec, KeptFormat
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation, Finding, described_format
from idle_quarry.path.grades import Step
from idle_quarry.path.house import NO_HOUSE, House
from idle_quarry.path.policies import Policy, parts
from idle_quarry.path.steps import plan as plan_link
from idle_quarry.places import DEMO, library_place, person
from idle_quarry.signal import format_from_words, format_words
from idle_quarry.signal.formats import SignalFormat

if TYPE_CHECKING:
    from idle_quarry.library import Library, Stored
    from idle_quarry.media import Clip

Options = argparse.Namespace


@contextmanager
def opened(options: Options) -> Iterator[Library]:
    """Yield the library that the options name."""
    library = _open(options)
    try:
        yield library
    finally:
        library.close()


def _open(options: Options) -> Library:
    from idle_quarry.library import open_library
    from idle_quarry.library.server import is_server, open_server

    if is_server(options.library):
        return open_server(options.library)
    place = library_place(options.library)
    if options.library == DEMO:
        from idle_quarry.demo.lay_out import lay_out
        from idle_quarry.printing import write_pdf

        lay_out(write_pdf, complain)
    return open_library(place, person(options.library, options.person))


def house_of(options: Options) -> House:
    """Return what the house has of its own, where there is a library; nothing where there is none yet."""
    from idle_quarry.library.house import in_use
    from idle_quarry.library.server import is_server

    if not is_server(options.library) and not library_place(options.library).is_file():
        return NO_HOUSE
    with opened(options) as library:
        return House(tuple(stored.entry for stored in in_use(library).values()))


def stored_of(library: Library, name: str) -> Stored:
    """Return the revision that "NAME", "shelf/NAME" or "NAME@3" names."""
    base, at, number = name.rpartition("@")
    if at and number.isascii() and number.isdigit():
        return library.stored(library.find(base).id, int(number))
    return library.stored(library.find(name).id)


def _for_job(library: Library, name: str) -> Stored:
    """Return the revision a job starts from: the one named, else what is approved, else the newest."""
    found = stored_of(library, name)
    if "@" in name and name.endswith(f"@{found.revision.number}"):
        return found
    return library.stored(found.revision.template_id, library.find(name).for_jobs)


def _steps(steps: tuple[Step, ...]) -> list[str]:
    return [f"  {step.kind:<9} {step.grade:<7} {step.text}" for step in steps]


def _findings(findings: tuple[Finding, ...]) -> list[str]:
    lines = []
    for finding in findings:
        lines.append(f"  {finding.severity:<8} {finding.text}")
        if finding.remedy:
            lines.append(f"           → {finding.remedy.label}")
    return lines


def _looked(given: list[str]) -> tuple[list[Clip], bool]:
    """Return the clips that paths name, in their order, and whether one could not be read; errors are printed."""
    from idle_quarry.media.looking import look_at_all

    paths = _media(given)
    found: dict[Path, Clip] = {}
    failed = False
    for path, answer in look_at_all(paths):
        if isinstance(answer, MediaError):
            failed = True
            complain(str(answer))
        else:
            found[path] = answer
            if answer.trouble:
                failed = True
                complain(f"{path}: {answer.trouble}")
    return [found[path] for path in paths if path in found], failed


def inspect(options: Options, out: Output) -> int:
    """What each clip declares, and what is measured in it."""
    from idle_quarry.media.words import measured_lines

    clips, failed = _looked(options.media)
    lines = []
    for clip in clips:
        d = clip.declared
        lines.append(f"{clip.name}: {clip.to_json()['format'] or 'no signal format'}")
        for key, value in d.to_json().items():
            if key == "audio":
                for audio in d.audio:
                    bits = f", {audio.bit_depth} bit" if audio.bit_depth else ""
                    lines.append(f"  {'audio':<16} {audio.layout}, {audio.sample_rate} Hz{bits}")
            elif value not in (None, "", [], 0):
                lines.append(f"  {key:<16} {value}")
        lines += [f"  measured: {text}" for text in measured_lines(clip)]
        lines += [f"  ≠ {each.field}: {each.text}" for each in clip.disagreements]
    if options.report:
        from idle_quarry.media.report import write_report
        from idle_quarry.printing import write_pdf

        write_report(Path(options.report), clips, write_pdf)
    out.show([clip.to_json() for clip in clips], lines)
    return 2 if failed else 0


def suggest(options: Options, out: Output) -> int:
    """Working formats between two ends, best first."""
    from idle_quarry.path.template import Delivered, Source
    from idle_quarry.path.two_ends import delivery_from_words, source_from_words, suggested

    sources: list[Source] = []
    for text in options.source:
        sources.append(source_from_words(_words_of_clip(text), sources))
    outs: list[Delivered] = []
    house = house_of(options)
    for text in options.delivery:
        outs.append(delivery_from_words(text, outs, house))
    found = suggested(sources, outs)
    lines = []
    for place, each in enumerate(found[:8], 1):
        cost = each.cost
        lines.append(
            f"{place}. {format_words(each.working, fields=True)}: {each.grade}, loss {cost.loss:.2f}, "
            f"{cost.gb_per_hour:.0f} GB an hour" + (f", broken {cost.broken:.2f}" if cost.broken else "")
        )
        lines += [f"   {reason}" for reason in each.reasons]
    if len(found) > 8:
        lines.append(f"and {len(found) - 8} more (--json shows all)")
    out.show([each.to_json() for each in found], lines)
    return 0


def _words_of_clip(text: str) -> str:
    """Return a source as it was typed, or the format of the clip it names, with the share that follows."""
    head, sign, share = text.rpartition("=")
    for path, tail in ((Path(text), ""), (Path(head), f"={share}") if sign else (Path(text), "")):
        if path.is_file():
            from idle_quarry.media.looking import look

            clip = look(path)
            if clip.format is None:
                raise MediaError("it has no signal format to be a source of", subject=str(path))
            return format_words(clip.format) + tail
    return text


def _media(given: list[str]) -> list[Path]:
    """Return the clips that paths name: folders stand for the media in them, stills for their run."""
    from idle_quarry.media import MEDIA_SUFFIXES, grouped

    paths: list[Path] = []
    for each in given:
        if not each.strip():
            raise MediaError("no clip was named", remedy="give a file or a folder")
        path = Path(each)
        if path.is_dir():
            paths += sorted(p for p in path.rglob("*") if p.is_file() and p.suffix.lower() in MEDIA_SUFFIXES)
        else:
            paths.append(path)
    return grouped(paths)


def _format(text: str, options: Options) -> SignalFormat:
    """Return the format that words say, or that the house keeps by a name. Raises `NotUnderstood`."""
    try:
        return format_from_words(text)
    except NotUnderstood:
        wanted = text.strip().lower()
        for entry in house_of(options).entries:
            if isinstance(entry, KeptFormat) and entry.name.lower() == wanted:
                return entry.signal
        raise


def plan(options: Options, out: Output) -> int:
    """The steps and the grade from one signal format to another."""
    source, target = (_format(text, options) for text in (options.source, options.target))
    chosen = {}
    for name, part in parts().items():
        value = getattr(options, name)
        if value is not None:
            known = {method.label.lower(): method.id for method in part.method} | {m.id: m.id for m in part.method}
            if value.lower() not in known:
                raise NotUnderstood(f"no such {name} policy", subject=repr(value), remedy="use " + ", ".join(known))
            chosen[name] = known[value.lower()]
    link = plan_link(source, target, Policy.model_validate(chosen))
    document = {
        "from": described_format(source),
        "to": described_format(target),
        "grade": link.grade,
        "steps": [step.to_json() for step in link.steps],
    }
    head = f"{format_words(source, fields=True)} → {format_words(target, fields=True)}: {link.grade}"
    out.show(document, [head, *_steps(link.steps)])
    return 0


def template_list(options: Options, out: Output) -> int:
    """The templates of both shelves."""
    document: list[dict[str, Any]] = []
    with opened(options) as library:
        for each in library.summaries():
            grade = evaluate(library.stored(each.id).template, remedies=False).worst_grade
            document.append(
                {
                    "name": each.name,
                    "shelf": each.shelf,
                    "revision": each.latest.number,
                    "state": each.latest.state,
                    "approved": each.approved,
                    "default": each.default,
                    "worst_grade": grade,
                    "working": each.working,
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


def template_find(options: Options, out: Output) -> int:
    """The templates of which every condition holds, with what they have there; 1 where there are none."""
    from idle_quarry.library import Search, typed_words
    from idle_quarry.library.by_setting import BySetting
    from idle_quarry.path.conditions import conditions

    wanted, words = conditions(", ".join(options.words))
    with opened(options) as library:
        by_setting = BySetting(library)
        by_setting.follow()
        found = by_setting.find(wanted, library.identities(Search(words=typed_words(words))))
        summaries = {each.id: each for each in library.these(found)}
        places = list(dict.fromkeys(each.place for each in wanted))
        document: list[dict[str, Any]] = [
            {
                "name": each.name,
                "shelf": each.shelf,
                "revision": each.for_jobs,
                "state": "approved" if each.approved else each.latest.state,
                "values": {place: by_setting.texts(ident, place) for place in places},
            }
            for ident in found
            if (each := summaries.get(ident)) is not None
        ]
    rows = [(d["name"], d["shelf"], f"revision {d['revision']}", d["state"], *d["values"].values()) for d in document]
    out.show(document, table(rows) or ["no template of which all of this holds"])
    return 0 if document else 1


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


def template_validate(options: Options, out: Output) -> int:
    """Whether a file is a template file, whole and unaltered: 0, else an error (1 where its hash does not hold)."""
    from idle_quarry.library.exchange import import_file

    found = import_file(Path(options.file))
    result = evaluate(found.template, remedies=False)
    document = {
        "name": found.template.name,
        "valid": True,
        "genuine": found.genuine,
        "worst_grade": result.worst_grade,
        "stops": result.count("stop"),
        "cautions": result.count("caution"),
    }
    hash_text = {True: "unchanged since export", False: "changed since export", None: "without a hash"}
    out.show(document, [f"{found.template.name}: a template file; {hash_text[found.genuine]}"])
    return 1 if found.genuine is False else 0


def template_diff(options: Options, out: Output) -> int:
    """The settings in which two templates or revisions differ, and what that does; 1 where there are any."""
    from idle_quarry.path.effects import compared, effect

    with opened(options) as library:
        a, b = stored_of(library, options.a).template, stored_of(library, options.b).template
    found = differences(a, b)
    rows = compared(a, b)
    document = []
    for each in found:
        row = next(
            (r for r in rows if each.place == r.change.place or each.place.startswith(f"{r.change.place}.")), None
        )
        does = row.effect.sentences() if row is not None and row.effect is not None else []
        document.append({"setting": each.place, "a": each.a, "b": each.b, "effect": does})
    lines = [f"{row.label}: {row.a} → {row.b}" for row in rows]
    if found:
        whole = effect(evaluate(a, remedies=False), evaluate(b, remedies=False))
        lines += ["", *(whole.sentences() or ["no link and no finding changes"])]
        lines += [whole.data_words] if whole.data_words else []
    out.show(document, lines or ["no difference"])
    return 1 if found else 0


def explain(options: Options, out: Output) -> int:
    """A template's evaluated path and findings."""
    from idle_quarry.library.house import in_use

    with opened(options) as library:
        stored = stored_of(library, options.name)
        now = House(tuple(each.entry for each in in_use(library).values()))
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


def _explained(stored: Stored, result: Evaluation) -> list[str]:
    lines = [f"{stored.name}, revision {stored.revision.number}: worst link {result.worst_grade}", "", "stations"]
    lines += [
        "  " + line for line in table([(s.kind, s.name, format_words(s.format, fields=True)) for s in result.stations])
    ]
    lines += ["", "links"]
    for link in result.links:
        coded = f" · {link.coding.text}, {link.coding.mbps:.0f} Mb/s" if link.coding else ""
        lines.append(f"  {result.station(link.source).name} → {result.station(link.target).name}: {link.grade}{coded}")
        lines += ["  " + line for line in _steps(link.steps)]
    return [*lines, "", "findings", *_findings(result.findings)]


def check(options: Options, out: Output) -> int:
    """Clips against a template's source stations; 1 where one is not what the template expects."""
    from idle_quarry.media.against import against

    with opened(options) as library:
        template = stored_of(library, options.template).template
    clips, failed = _looked(options.media)
    document, lines, found = [], [], False
    for clip in clips:
        verdict = against(template, clip)
        found |= any(finding.severity != "note" for finding in verdict.findings)
        document.append(
            {
                "path": str(clip.path),
                "source": f"source:{verdict.source.id}" if verdict.source else None,
                "grade": verdict.grade,
                "steps": [step.to_json() for step in verdict.steps],
                "findings": [finding.to_json() for finding in verdict.findings],
            }
        )
        lines.append(
            f"{clip.name}: {verdict.source.name if verdict.source else 'no source of the template'}, {verdict.grade}"
        )
        lines += _findings(verdict.findings)
    out.show(document, lines)
    return 2 if failed else 1 if found else 0


def job_new(options: Options, out: Output) -> int:
    """Start a job from a template."""
    from idle_quarry.jobs.allowed import check_startable
    from idle_quarry.jobs.left_over import list_job
    from idle_quarry.jobs.start import start_job
    from idle_quarry.printing import write_pdf

    with opened(options) as library:
        if options.name is None:
            default = library.default_id()
            if default is None:
                raise LibraryError("no template was named, and the library has no default", remedy="name one")
            stored = library.stored(default, library.summary(default).for_jobs)
        else:
            stored = _for_job(library, options.name)
        check_startable(library, stored, unapproved=options.unapproved)
        if not options.at.strip():
            raise JobError("no folder was named to start the job in", remedy="say --at FOLDER")
        job = start_job(stored, options.title, Path(options.at).expanduser(), write_pdf, library.person)
        list_job(library, job, options.title, stored)
    document = {
        "folder": str(job.folder),
        "template": stored.name,
        "revision": stored.revision.number,
        "files": list(job.files),
    }
    out.show(document, [str(job.folder), *(f"  {name}" for name in job.files)])
    return 0


def job_left(options: Options, out: Output) -> int:
    """What killed programs left half made or unlisted; 1 where anything is left."""
    from idle_quarry import begun
    from idle_quarry.jobs import left_over as over

    with opened(options) as library:
        document, lines, remain = [], [], 0
        for one in over.left_over(library):
            whole, done = over.is_whole(one), ""
            if whole and options.take_up:
                over.take_up(library, one)
                done = "taken up"
            elif not whole and options.clear:
                begun.clear(one)
                done = "cleared"
            remain += not done
            document.append({**over.to_json(one), "done": done})
            lines.append(f"{over.words_of(one)}{f': {done}' if done else ''}")
            lines += [] if whole or done else [f"  {one.part}"]
    out.show(document, lines or ["nothing is left over"])
    return 1 if remain else 0


def job_check(options: Options, out: Output) -> int:
    """What in a job has drifted from its revision; 1 where anything has."""
    from idle_quarry.jobs.check import check_job

    job = check_job(Path(options.folder).expanduser())
    document = {
        "folder": str(job.folder),
        "template": job.template_name,
        "revision": job.revision,
        "drift": [drift.to_json() for drift in job.drift],
    }
    lines = [f"{job.title}: {job.template_name}, revision {job.revision}"]
    lines += [f"  {drift.kind:<8} {drift.text}" for drift in job.drift] or ["  as it was started"]
    out.show(document, lines)
    return 1 if job.drift else 0


def codecs(options: Options, out: Output) -> int:
    """The codecs that can hold a format, lowest data rate first."""
    fmt = _format(options.format_words, options)
    document, rows = [], []
    own = [codec for codec in house_of(options).of("codec") if isinstance(codec, Codec) and not cannot_hold(codec, fmt)]
    for codec in sorted([*holding(fmt), *own], key=lambda codec: mbps(codec, fmt)):
        rate = mbps(codec, fmt)
        document.append(
            {
                "id": codec.id,
                "name": codec.name,
                "standard": codec.standard,
                "profile": codec.profile,
                "mbps": round(rate, 3),
                "gb_per_hour": round(gb_per_hour(rate), 3),
                "lossless": codec.lossless,
                "bit_depth": codec.holds.bit_depth,
                "sampling": max(codec.holds.samplings),
                "quality": codec.quality,
            }
        )
        rows.append((codec.name, f"{rate:.1f} Mb/s", f"{gb_per_hour(rate):.1f} GB/h", codec.quality, codec.standard))
    out.show(document, table(rows))
    return 0
