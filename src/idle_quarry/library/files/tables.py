"""Several templates on paper and in a table: settings as CSV, a column a template, and the printed house book."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from datetime import date
from pathlib import Path

import jinja2

from idle_quarry.errors import ExchangeError
from idle_quarry.library.files.exchange import write_file
from idle_quarry.library.reading import LibraryReader
from idle_quarry.library.records import Search, StoredTemplate
from idle_quarry.path.codecs import gb_per_hour, mbps
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.registry import codecs
from idle_quarry.path.settings import settings_of
from idle_quarry.recovery import noted
from idle_quarry.signal.words import format_words


def settings_table(stored: Sequence[StoredTemplate]) -> str:
    """Return the settings of templates as CSV: a row a setting, a column a template, empty where it has none."""
    columns = []
    order: dict[tuple[str, str], None] = {}
    for item in stored:
        names = {f"source:{s.id}": f"source {s.name}" for s in item.template.sources}
        names |= {f"delivery:{d.id}": f"delivery {d.name}" for d in item.template.deliveries}
        column = {(names.get(s.sheet, s.sheet), s.label): s.text for s in settings_of(item.template)}
        columns.append(column)
        order |= dict.fromkeys(column)
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(["sheet", "setting", *(_cell(item.name) for item in stored)])
    heads = ("shelf", "revision", "state", "author", "time", "hash")
    facts = [(s.shelf, str(r.number), r.state, r.author, r.time, r.hash) for s in stored for r in (s.revision,)]
    for index, name in enumerate(heads):
        table.writerow(["revision", name, *(_cell(fact[index]) for fact in facts)])
    for sheet, setting in _grouped(order):
        table.writerow([_cell(sheet), _cell(setting), *(_cell(column.get((sheet, setting), "")) for column in columns)])
    return text.getvalue()


def _grouped(order: dict[tuple[str, str], None]) -> list[tuple[str, str]]:
    """Return rows with those of one sheet together, in the order in which sheets and settings first came."""
    sheets: dict[str, list[str]] = {}
    for sheet, setting in order:
        sheets.setdefault(sheet, []).append(setting)
    return [(sheet, setting) for sheet, settings in sheets.items() for setting in settings]


def _cell(text: str) -> str:
    """Return a text that a spreadsheet does not take for a formula: names and notes are anybody's."""
    dangerous = text[:1] in ("=", "@", "\t", "\r") or (text[:1] in ("+", "-") and not text[1:2].isdigit())
    return f"'{text}" if dangerous else text


def house_book(stored: Sequence[StoredTemplate], title: str) -> str:
    """Return the house book as HTML: each template on a page, with its path, what it costs and every setting."""
    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("idle_quarry.library", "book_html"),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
    )
    pages = []
    for item in stored:
        evaluation = evaluate(item.template, remedies=False)
        names = {station.id: station.name for station in evaluation.stations}
        codec = codecs()[item.template.intermediate.codec]
        rate = mbps(codec, item.template.intermediate_format)
        pages.append(
            {
                "name": item.name,
                "note": item.template.note,
                "revision": item.revision,
                "stations": [
                    {"kind": s.kind, "name": s.name, "words": format_words(s.format, fields=True)}
                    for s in evaluation.stations
                ],
                "links": [
                    {
                        "name": f"{names[link.source]} → {names[link.target]}",
                        "grade": link.grade,
                        "steps": [step.text for step in link.steps],
                    }
                    for link in evaluation.links
                ],
                "findings": [f"{f.severity}: {f.text}" for f in evaluation.findings if f.severity != "note"],
                "rate": f"{codec.name}, {rate:.0f} Mb/s, {gb_per_hour(rate):.0f} GB an hour",
                "settings": [(s.sheet, s.label, s.text) for s in settings_of(item.template)],
            }
        )
    template = environment.get_template("book.html")
    return template.render(title=title, pages=pages, made=date.today().isoformat())


def write_table(stored: Sequence[StoredTemplate], path: Path) -> None:
    """Write the settings of templates as CSV, whole or not at all. Raises `ExchangeError`."""
    write_file(path, settings_table(stored).encode())


def approved_of(library: LibraryReader) -> list[StoredTemplate]:
    """Return the approved revision of every template on the house shelf, by name. Raises `LibraryError`."""
    stored = []
    for ident in library.identities(Search(shelf="house")):
        number = library.summary(ident).approved
        if number is not None:
            stored.append(library.stored(ident, number))
    return stored


def write_book(stored: Sequence[StoredTemplate], path: Path, write_pdf: Callable[[str, Path], None]) -> int:
    """Write the house book as a PDF, whole or not at all; return how many templates are in it.

    Raises `ExchangeError` where nothing is approved yet or the file cannot be written.
    """
    if not stored:
        raise ExchangeError("the house has no approved template to print", remedy="approve one first")
    with noted("paper", path) as beside:
        try:
            write_pdf(house_book(stored, "House book"), beside)
            beside.replace(path)
        except OSError as error:
            raise ExchangeError(f"could not be written ({error.strerror})", subject=str(path)) from error
        finally:
            beside.unlink(missing_ok=True)
    return len(stored)
