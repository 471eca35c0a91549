"""Edits of templates: reading and writing one setting by its place, and what differs between two templates.

A place is a dotted path; members of lists are named by their id: `sources.tape.format.rate`,
`timelines.main.tracks.d1.name`, `folders.media.children.sound`. The parts of a signal format can be
addressed under `format`: raster, rate, scan, field_order, sampling, bit_depth, range, primaries,
transfer, matrix.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, NamedTuple

from pydantic import BaseModel, ValidationError

from idle_quarry.errors import NotPossible, NotUnderstood, QuarryError
from idle_quarry.path.policies import POLICY_PARTS, Policy
from idle_quarry.path.template import Template
from idle_quarry.signal import Raster
from idle_quarry.signal.formats import Encoding, SignalFormat, format_to_json, standard_field_order

_ENCODING_PARTS = tuple(Encoding.__dataclass_fields__)


class Edit(NamedTuple):
    """Put `value` at `place`; None removes a member of a list."""

    place: str
    value: Any


@dataclass(frozen=True)
class Difference:
    """One setting whose value differs; `a` or `b` is None where the setting exists only in the other."""

    place: str
    a: Any
    b: Any


def value_at(template: Template, place: str) -> Any:
    """Return the value at `place`; raises `NotUnderstood` where there is none."""
    value: Any = template
    for part in place.split("."):
        value = _child(value, part, place)
    return value


def _child(value: Any, part: str, place: str) -> Any:
    if isinstance(value, tuple):
        for item in value:
            if getattr(item, "id", None) == part:
                return item
    elif isinstance(value, SignalFormat):
        if part in _ENCODING_PARTS:
            return getattr(value.encoding, part)
        if part in ("raster", "rate", "scan", "field_order"):
            return getattr(value, part)
    elif part in parts_of(value):
        return getattr(value, part)
    raise NotUnderstood("the template has no such setting", subject=place)


def edited(template: Template, *edits: Edit) -> Template:
    """Return a copy of `template` with `edits` made in order.

    Raises `NotUnderstood` for a place that is not there and `NotPossible` for a value it cannot have.
    """
    for place, value in edits:
        try:
            template = _put(template, place.split("."), value, place)
        except ValidationError as error:
            raise NotPossible(validation_sentence(error), subject=place) from error
    return template


def _put(value: Any, parts: list[str], new: Any, place: str) -> Any:
    head, rest = parts[0], parts[1:]
    if isinstance(value, tuple):
        return _put_in_list(value, head, rest, new, place)
    if isinstance(value, SignalFormat):
        return _put_in_format(value, head, new, place)
    current = _child(value, head, place)
    result = _put(current, rest, new, place) if rest else new
    return value_of(type(value), {**{name: getattr(value, name) for name in parts_of(value)}, head: result})


def _put_in_list(items: tuple[Any, ...], ident: str, rest: list[str], new: Any, place: str) -> tuple[Any, ...]:
    index = next((i for i, item in enumerate(items) if item.id == ident), None)
    if index is None:
        if rest or new is None:
            raise NotUnderstood("the template has no such setting", subject=place)
        return (*items, new)
    if rest:
        return (*items[:index], _put(items[index], rest, new, place), *items[index + 1 :])
    if new is None:
        return items[:index] + items[index + 1 :]
    return (*items[:index], new, *items[index + 1 :])


def _put_in_format(fmt: SignalFormat, part: str, new: Any, place: str) -> SignalFormat:
    if part in _ENCODING_PARTS:
        return fmt.with_encoding(**{part: new})
    if part == "rate":
        return replace(fmt, rate=Fraction(new))
    if part == "raster":
        if not isinstance(new, Raster):
            raise NotPossible("a raster is wanted", subject=place)
        order = fmt.field_order
        if order == standard_field_order(fmt.raster):  # the standard's order stays the standard's
            order = standard_field_order(new)
        return replace(fmt, raster=new, field_order=order)
    if part == "field_order":
        return replace(fmt, field_order=new)
    if part == "scan":
        order = None if new == "progressive" else fmt.field_order or standard_field_order(fmt.raster)
        return replace(fmt, scan=new, field_order=order)
    raise NotUnderstood("a signal format has no such part", subject=place)


def validation_sentence(error: ValidationError) -> str:
    """Return the first complaint of a failed validation as a clause with its place."""
    first = error.errors(include_url=False, include_input=False)[0]
    context = first.get("ctx", {})
    cause = context.get("error")
    if isinstance(cause, QuarryError):
        return str(cause)
    where = ".".join(str(part) for part in first["loc"])
    message = first["msg"].removeprefix("Value error, ")
    message = message[0].lower() + message[1:]
    return f"{where}: {message}" if where else message


#: The format number and the copies of the house's entries follow from the other settings; they are none themselves.
DERIVED = ("format_number", "house")
#: Lists that are one setting each; the members of all others have ids.
_OF_WORDS = ("captions", "voice")


def _has_members(value: Any, place: str) -> bool:
    return isinstance(value, tuple) and place.rpartition(".")[2] not in _OF_WORDS


def parts_of(value: Any) -> tuple[str, ...]:
    """Return the names of the parts that a value is made of, pydantic's model or policy; () for any other value."""
    if isinstance(value, BaseModel):
        return tuple(type(value).model_fields)
    return POLICY_PARTS if isinstance(value, Policy) else ()


def value_of(kind: type, parts: dict[str, Any]) -> Any:
    """Return a checked value of a kind. Raises pydantic's `ValidationError`, or `NotPossible` for a policy."""
    return kind.model_validate(parts) if issubclass(kind, BaseModel) else kind(**parts)


def _settings(value: Any) -> list[str]:
    return [name for name in parts_of(value) if name not in DERIVED]


def flattened(template: Template) -> dict[str, Any]:
    """Return every setting of a template by place, as stored (plain values)."""
    result: dict[str, Any] = {}

    def walk(value: Any, place: str) -> None:
        if isinstance(value, SignalFormat):
            for key, part in format_to_json(value).items():
                result[f"{place}.{key}"] = part
        elif parts_of(value):
            for name in _settings(value):
                walk(getattr(value, name), f"{place}.{name}" if place else name)
        elif _has_members(value, place):
            result[f"{place}.order"] = [item.id for item in value]
            for item in value:
                walk(item, f"{place}.{item.id}")
        elif not place.endswith(".id"):
            result[place] = [plain(part) for part in value] if isinstance(value, tuple) else value

    walk(template, "")
    return result


def differences(a: Template, b: Template) -> list[Difference]:
    """Return the settings whose values differ, in the order of the template."""
    left, right = flattened(a), flattened(b)
    places = list(left) + [place for place in right if place not in left]
    return [
        Difference(place, left.get(place), right.get(place)) for place in places if left.get(place) != right.get(place)
    ]


@dataclass(frozen=True)
class Change:
    """One change a person can put back: the place of a whole member or of one setting, and the old value."""

    place: str
    before: Any
    after: Any


def changes(before: Template, after: Template) -> list[Change]:
    """Return what differs as the fewest edits that put it back one by one.

    A member added, removed or moved in a list is one change; format parts are one change each.
    """
    results: list[Change] = []

    def walk(a: Any, b: Any, place: str) -> None:
        if a == b:
            return
        if isinstance(a, SignalFormat) and isinstance(b, SignalFormat):
            for part in ("raster", "rate", "scan", "field_order", *_ENCODING_PARTS):
                old, new = _child(a, part, place), _child(b, part, place)
                if old != new and not (part == "field_order" and a.scan != b.scan):
                    results.append(Change(f"{place}.{part}", old, new))
        elif parts_of(a) and type(a) is type(b):
            for name in _settings(a):
                walk(getattr(a, name), getattr(b, name), f"{place}.{name}" if place else name)
        elif _has_members(a, place) and _has_members(b, place):
            old, new = {item.id: item for item in a}, {item.id: item for item in b}
            shared = [key for key in old if key in new]
            if shared != [key for key in new if key in old]:
                results.append(Change(place, a, b))
                return
            for key in [*old, *(key for key in new if key not in old)]:
                if key in old and key in new:
                    walk(old[key], new[key], f"{place}.{key}")
                else:
                    results.append(Change(f"{place}.{key}", old.get(key), new.get(key)))
        else:
            results.append(Change(place, a, b))

    walk(before, after, "")
    return results


def put_back(template: Template, change: Change) -> Template:
    """Return `template` with one change undone."""
    return edited(template, Edit(change.place, change.before))


def plain(value: Any) -> Any:
    """Return a setting's value as JSON can say it."""
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, Policy):
        return value.stored()
    if isinstance(value, SignalFormat):
        return format_to_json(value)
    if isinstance(value, Fraction):
        return f"{value.numerator}/{value.denominator}"
    if isinstance(value, tuple | list):
        return [plain(item) for item in value]
    if isinstance(value, Mapping):
        return {key: plain(item) for key, item in value.items()}
    return value if isinstance(value, str | int | float | bool | None) else str(value)
