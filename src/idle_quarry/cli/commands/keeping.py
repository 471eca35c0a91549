"""The commands about keeping templates: files, bundles, the house book; the library's own place; the server."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options, opened, stored_of
from idle_quarry.cli.output import Output
from idle_quarry.errors import ExchangeError, LibraryError, NotUnderstood
from idle_quarry.places import is_server, library_place, person

if TYPE_CHECKING:
    from idle_quarry.library import Library
    from idle_quarry.library.copying import CopiedRows
    from idle_quarry.library.safety import LibraryCheck


@command("template export", argument("name", metavar="NAME", nargs="+"), argument("file", metavar="FILE"))
def template_export(options: Options, out: Output) -> int:
    """Write a template file; several as a bundle or as a table of settings."""
    from idle_quarry.library.files.bundles import SUFFIX, export_bundle, origin_of
    from idle_quarry.library.files.exchange import export_file
    from idle_quarry.library.files.tables import write_table

    path = Path(options.file)
    with opened(options) as library:
        stored = [stored_of(library, name) for name in options.name]
    if path.suffix.lower() == ".csv":
        write_table(stored, path)
    elif path.suffix.lower() == SUFFIX:
        export_bundle(stored, path)
    elif len(stored) == 1:
        export_file(stored[0].template, path, origin_of(stored[0]))
    else:
        raise NotUnderstood(
            "several templates go into a bundle or a table", subject=path.name, remedy="name it .zip or .csv"
        )
    documents = [{"file": options.file, **origin_of(item), "hash": item.revision.hash} for item in stored]
    out.show(documents[0] if len(stored) == 1 else documents, [f"{item.name} → {options.file}" for item in stored])
    return 0


@command("template book", argument("file", metavar="FILE"))
def template_book(options: Options, out: Output) -> int:
    """Print the house book."""
    from idle_quarry.library.files.tables import approved_of, write_book
    from idle_quarry.printing import write_pdf

    with opened(options) as library:
        count = write_book(approved_of(library), Path(options.file), write_pdf)
    out.show(
        {"file": options.file, "templates": count},
        [f"{options.file}: {count} approved template{'' if count == 1 else 's'}"],
    )
    return 0


@command(
    "template import",
    argument("file", metavar="FILE"),
    argument("--shelf", choices=("own", "house"), default="own"),
    argument(
        "--if-taken",
        choices=("keep-both", "revision", "replace-draft", "leave"),
        help="what to do where the shelf has the name",
    ),
)
def template_import(options: Options, out: Output) -> int:
    """Put the templates of a file on a shelf; where the shelf has a name, only as the user said."""
    from idle_quarry.library.files.bundles import offered
    from idle_quarry.library.files.importing import collision, take

    path = Path(options.file)
    documents: list[dict[str, Any]] = []
    failed = False
    offers = offered(path)
    with opened(options) as library:
        decided = []
        for offer in offers:  # nothing is taken before it is known what all of them meet
            result = collision(library, offer, options.shelf)
            if offer.exchanged is not None and offer.exchanged.genuine is False:
                raise ExchangeError("changed since export", subject=offer.member)
            if result.same is not None and options.if_taken is None:
                raise LibraryError(
                    f"the {options.shelf} shelf has a template of this name",
                    subject=result.same.name,
                    remedy="say --if-taken keep-both, revision, replace-draft or leave",
                )
            wanted = (options.if_taken or "").replace("-", " ") if result.same is not None else "take"
            if wanted == "replace draft" and wanted not in result.decisions:
                raise LibraryError("is no draft of yours", subject=offer.member, remedy="say revision or keep-both")
            decided.append((offer, wanted))
        for bundled, wanted in decided:
            if bundled.exchanged is None:
                failed = True
                print(f"idle-quarry: {bundled.member}: {bundled.trouble}", file=sys.stderr)
                continue
            done = take(library, bundled, options.shelf, wanted, path.name)
            data = (
                {"name": done.name, "shelf": options.shelf, "revision": done.number}
                if done
                else {"name": bundled.exchanged.template.name}
            )
            documents.append({"imported": done is not None, **data})
    lines = [
        (
            f"{d['name']}: revision {d['revision']} on the {d['shelf']} shelf"
            if d["imported"]
            else f"{d['name']}: left as it is"
        )
        for d in documents
    ]
    out.show(documents[0] if len(offers) == 1 and documents else documents, lines)
    return 2 if failed else 0


def _checked(result: LibraryCheck) -> dict[str, Any]:
    return {
        "library": str(result.place),
        "templates": result.templates,
        "revisions": result.revisions,
        "sound": result.sound,
        "troubles": [{"where": trouble.where, "what": trouble.what} for trouble in result.troubles],
    }


@command("library check")
def library_check(options: Options, out: Output) -> int:
    """Whether the library is whole; 1 where it is not."""
    from idle_quarry.library.safety import check, check_revisions
    from idle_quarry.library.server import open_server

    if is_server(options.library):
        server = open_server(options.library)
        result = check_revisions(server)
        server.close()
    else:
        result = check(library_place(options.library))
    lines = [f"{result.place}: {result.templates} templates, {result.sound} of {result.revisions} revisions sound"]
    lines += [f"  {trouble.where}: {trouble.what}" for trouble in result.troubles] or ["  whole"]
    out.show(_checked(result), lines)
    return 0 if result.whole else 1


@command("library backup", argument("file", metavar="FILE"))
def library_backup(options: Options, out: Output) -> int:
    """Copy the library while others work in it; of a server's, everything this person sees."""
    from idle_quarry.library.safety import backup, check

    target = Path(options.file).expanduser()
    if is_server(options.library):
        _carry(options, str(target))
        result = check(target)
    else:
        result = backup(library_place(options.library), target)
    out.show(_checked(result), [f"{result.place}: {result.templates} templates, {result.revisions} revisions, whole"])
    return 0


@command("library restore", argument("file", metavar="FILE"))
def library_restore(options: Options, out: Output) -> int:
    """Put a copy in the library's place; what was there is renamed."""
    from idle_quarry.library.safety import restore

    if is_server(options.library):
        raise LibraryError(
            "a copy is put back on a server by carrying it into an empty database",
            subject=options.library,
            remedy="idle-quarry server setup URL, then idle-quarry --library FILE library carry URL",
        )
    check, path = restore(Path(options.file).expanduser(), library_place(options.library))
    lines = [f"{check.place}: {check.templates} templates, {check.revisions} revisions"]
    lines += [f"  what was there is kept as {path}"] if path else []
    out.show(_checked(check) | {"kept": str(path) if path else None}, lines)
    return 0


@command("library rescue", argument("file", metavar="FILE"))
def library_rescue(options: Options, out: Output) -> int:
    """Make a library of what is sound in a damaged one; 1 where something of it is lost."""
    from idle_quarry.library.rescue import rescued

    done = rescued(
        library_place(options.library), Path(options.file).expanduser(), person(options.library, options.person)
    )
    document = {"library": str(done.place), "templates": done.templates, "revisions": done.revisions, "lost": done.lost}
    lost = f", {done.lost} revisions could not be read" if done.lost else ", nothing that could be seen was lost"
    out.show(document, [f"{done.place}: {done.templates} templates, {done.revisions} revisions rescued{lost}"])
    return 1 if done.lost else 0


def _carry(options: Options, to: str) -> CopiedRows:
    from idle_quarry.library import open_library
    from idle_quarry.library.copying import carried
    from idle_quarry.library.server import open_server

    with opened(options) as source:
        target: Library
        if is_server(to):
            target = open_server(to)
        else:
            path = Path(to).expanduser()
            if path.exists():
                raise LibraryError("is there already", subject=to, remedy="name a new file")
            target = open_library(path, source.person)
        try:
            return carried(source, target)
        except BaseException:
            if not is_server(to):
                Path(to).expanduser().unlink(missing_ok=True)
            raise
        finally:
            target.close()


@command(
    "library carry", argument("to", metavar="PLACE", help="a new file, or the address of a server that was set up")
)
def library_carry(options: Options, out: Output) -> int:
    """Copy the whole library into an empty one, with every revision, hash and date."""
    done = _carry(options, options.to)
    lines = [
        f"{done.templates} templates, {done.revisions} revisions, {done.reviews} comments and acts, {done.jobs} jobs"
        " carried"
    ]
    out.show({**vars(done), "to": _bare(options.to)}, lines)
    return 0


def _bare(place: str) -> str:
    """Return a place as it may be printed: an address without its password."""
    from idle_quarry.library.server.opening import address, shown

    return shown(address(place)) if is_server(place) else place


@command(
    "server setup",
    argument("url", metavar="URL", help="as somebody who may make tables and roles there"),
    *(
        argument(f"--{right}", action="append", default=[], metavar="NAME", help=f"a person who is a {right}")
        for right in ("reader", "editor", "approver")
    ),
)
def server_setup(options: Options, out: Output) -> int:
    """Set a server's database up as a library, and say what was done."""
    from idle_quarry.library.server.setup import set_up

    people = {name: right for right in ("reader", "editor", "approver") for name in getattr(options, right)}
    done = set_up(options.url, people)
    lines = [f"  {name}" for name in done.lines]
    lines += [f"  password of {name}: {password}   (shown this once)" for name, password in done.passwords.items()]
    document = {"server": _bare(options.url), "did": list(done.lines), "passwords": dict(done.passwords)}
    out.show(document, [_bare(options.url), *lines])
    return 0
