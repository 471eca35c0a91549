"""Templates as files: JSON with a format number, an origin and a hash; and the schema that says what is in one."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from idle_quarry.errors import ExchangeError, QuarryError
from idle_quarry.files import written_whole
from idle_quarry.jsonfile import strict_json
from idle_quarry.path.changes.edits import validation_sentence
from idle_quarry.path.entries import entry_from_data
from idle_quarry.path.template import FORMAT_NUMBER, Template, content_hash

KIND = "idle-quarry template"
#: No template comes near this; a larger file is something else.
MOST_BYTES = 8_000_000


@dataclass(frozen=True)
class ExchangedTemplate:
    """What a template file holds. `genuine` says whether its hash holds; None where it has none."""

    template: Template
    origin: dict[str, Any]
    genuine: bool | None


def template_from_data(data: Any) -> Template:
    """Return the template stored as plain values, of this or any earlier format number.

    Raises `ExchangeError` for a newer number, and pydantic's `ValidationError` for anything that does not fit.
    """
    number = data.get("format_number") if isinstance(data, dict) else None
    if isinstance(number, int) and not isinstance(number, bool) and number > FORMAT_NUMBER:
        raise ExchangeError(
            f"the template has format {number}, this program reads up to {FORMAT_NUMBER}", remedy="update Idle Quarry"
        )
    template = Template.model_validate(data)
    given = data.get("house", ()) if isinstance(data, dict) else ()
    # another template may have brought the right ones: what this one has must be them all the same
    if [entry_from_data(item).id for item in given] != [entry.id for entry in template.house]:
        raise ExchangeError("the copies of the house's entries in it are not those it names", remedy="export it again")
    return template


def exported(template: Template, origin: dict[str, Any] | None = None) -> str:
    """Return the text of a template file."""
    data = {
        "kind": KIND,
        "origin": origin or {},
        "hash": content_hash(template),
        "template": template.model_dump(mode="json"),
    }
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def export_file(template: Template, path: Path, origin: dict[str, Any] | None = None) -> None:
    """Write a template file, whole or not at all. Raises `ExchangeError`."""
    write_file(path, exported(template, origin).encode())


def write_file(path: Path, data: bytes) -> None:
    """Write a file, whole or not at all. Raises `ExchangeError`."""
    try:
        written_whole(path, data)
    except OSError as error:
        raise ExchangeError(f"could not be written ({error.strerror})", subject=str(path)) from error


def json_of(path: Path, what: str, most_bytes: int) -> Any:
    """Return the JSON in a file that should be a `what`. Raises `ExchangeError`."""
    try:
        if not path.is_file():
            raise ExchangeError("no such file", subject=str(path))
        size = path.stat().st_size
        if size == 0:
            raise ExchangeError("the file is empty", subject=str(path))
        if size > most_bytes:
            raise ExchangeError(f"far larger than any {what}", subject=str(path))
        return strict_json(path.read_bytes().decode())
    except UnicodeDecodeError as error:
        raise ExchangeError(f"not a {what} file (not text)", subject=str(path)) from error
    except (ValueError, RecursionError) as error:
        raise ExchangeError(f"not a {what} file, or cut short", subject=str(path)) from error
    except OSError as error:
        raise ExchangeError(f"cannot be read ({error.strerror})", subject=str(path)) from error


def import_file(path: Path) -> ExchangedTemplate:
    """Return what the template file at `path` holds. Raises `ExchangeError` with what is wrong with it."""
    data = json_of(path, "template", MOST_BYTES)
    try:
        return imported(data)
    except ExchangeError as error:
        raise ExchangeError(error.what, subject=str(path), remedy=error.remedy) from error


def imported(data: Any) -> ExchangedTemplate:
    """Return the template in a file's data. Raises `ExchangeError`."""
    if not isinstance(data, dict) or data.get("kind") != KIND:
        raise ExchangeError("not a template file", remedy="give one that this program exported")
    try:
        template = template_from_data(data.get("template"))
    except ValidationError as error:
        raise ExchangeError(f"a setting cannot be: {validation_sentence(error)}") from error
    except ExchangeError:
        raise
    except QuarryError as error:
        raise ExchangeError(f"a setting cannot be: {error}") from error
    except RecursionError as error:
        raise ExchangeError("its folders are nested too deeply") from error
    claimed = data.get("hash")
    genuine = None if claimed is None else claimed == content_hash(template)
    return ExchangedTemplate(template, _origin(data.get("origin")), genuine)


#: Words of an origin, and how long each may be: it says where a template came from, and nothing else.
_MOST_WORDS, _MOST_LETTERS = 12, 400


def _origin(data: Any) -> dict[str, Any]:
    """Return where a template was exported, plain words by name; refuses anything else. Raises `ExchangeError`."""
    if data is None:
        return {}
    plain = isinstance(data, dict) and len(data) <= _MOST_WORDS
    if not plain or not all(_plain_word(key) and _plain_word(value) for key, value in data.items()):
        raise ExchangeError("its origin is not a few plain words", remedy="export it again")
    return dict(data)


def _plain_word(value: Any) -> bool:
    return value is None or isinstance(value, bool | int) or (isinstance(value, str) and len(value) <= _MOST_LETTERS)


def schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a template file."""
    body = Template.model_json_schema(mode="validation")
    definitions = body.pop("$defs", {})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Idle Quarry template file",
        "type": "object",
        "required": ["kind", "template"],
        "properties": {
            "kind": {"const": KIND},
            "origin": {"type": "object", "description": "Name, revision, author and time where it was exported"},
            "hash": {"type": "string", "pattern": "^[0-9a-f]{64}$", "description": "SHA-256 of the canonical template"},
            "template": body,
        },
        "$defs": definitions,
    }
