"""Reports as files: a page as PDF or HTML, a table as CSV, a document as JSON, by the name's ending.

Whole or not at all.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jinja2

from idle_quarry.errors import MediaError, NotUnderstood
from idle_quarry.files import written_whole
from idle_quarry.recovery import noted

#: Writes HTML as a PDF file.
WritePdf = Callable[[str, Path], None]
SUFFIXES = (".pdf", ".html", ".csv", ".json")


def pages(package: str, folder: str) -> jinja2.Environment:
    """Return what makes pages of the templates in a package's folder; they extend `report.html`."""
    return jinja2.Environment(
        loader=jinja2.ChoiceLoader(
            [jinja2.PackageLoader(package, folder), jinja2.PackageLoader("idle_quarry", "paper_html")]
        ),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
    )


def write_paper(
    path: Path, html: Callable[[], str], table: Callable[[], str], document: Callable[[], Any], write_pdf: WritePdf
) -> None:
    """Write what is reported in the form that the suffix of `path` names.

    Raises `NotUnderstood` for another suffix and `MediaError` where it cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise NotUnderstood("a report is " + ", ".join(SUFFIXES), subject=path.name, remedy="name it so")
    try:
        if suffix == ".pdf":
            with noted("paper", path) as beside:
                try:
                    write_pdf(html(), beside)
                    beside.replace(path)
                finally:
                    beside.unlink(missing_ok=True)
        elif suffix == ".html":
            written_whole(path, html().encode())
        elif suffix == ".csv":
            written_whole(path, table().encode())
        else:
            written_whole(path, (json.dumps(document(), indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise MediaError(
            f"the report could not be written ({error.strerror})", subject=str(path), remedy="choose another place"
        ) from error
