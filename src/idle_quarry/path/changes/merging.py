"""Three-way merge of templates: what each of two people changed since the state both began from, in one.

Values are merged by their parts: the fields of a station, the parts of a signal format, the members of a list by id. A
part that only one changed is taken; one that both changed alike is that; one that both changed otherwise is a conflict,
which somebody decides.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from pydantic import ValidationError

from idle_quarry.errors import NotPossible, QuarryError
from idle_quarry.path.changes.edits import DERIVED, parts_of, validation_sentence, value_of
from idle_quarry.path.template import Template
from idle_quarry.signal.formats import Encoding, SignalFormat

Side = Literal["mine", "theirs"]
#: Scan and field order are one decision: a progressive picture has no order.
_FORMAT_PARTS = ("raster", "rate")


@dataclass(frozen=True)
class Conflict:
    """A place that both changed, each otherwise; None where it is not there."""

    place: str
    base: Any
    mine: Any
    theirs: Any


@dataclass(frozen=True)
class MergeResult:
    """The two together, with the places that somebody has to decide and those that were taken from each side."""

    template: Template
    conflicts: tuple[Conflict, ...]
    from_mine: tuple[str, ...]
    from_theirs: tuple[str, ...]


class _Merge:
    def __init__(self, choices: Mapping[str, Side]) -> None:
        self._choices = choices
        self.conflicts: list[Conflict] = []
        self.from_side: dict[Side, list[str]] = {"mine": [], "theirs": []}

    def value(self, base: Any, mine: Any, theirs: Any, place: str) -> Any:
        """Return the merged value at a place."""
        if mine == theirs:
            return mine
        # parts first, so that what was taken from whom is said setting by setting
        if isinstance(mine, SignalFormat) and isinstance(theirs, SignalFormat) and isinstance(base, SignalFormat):
            return self._format(base, mine, theirs, place)
        if parts_of(mine) and type(mine) is type(theirs) is type(base):
            return self._parts(base, mine, theirs, place)
        if _members(base) and _members(mine) and _members(theirs):
            return self._list(base, mine, theirs, place)
        if mine == base:
            self.from_side["theirs"].append(place)
            return theirs
        if theirs == base:
            self.from_side["mine"].append(place)
            return mine
        return self._conflict(base, mine, theirs, place)

    def _conflict(self, base: Any, mine: Any, theirs: Any, place: str) -> Any:
        self.conflicts.append(Conflict(place, base, mine, theirs))
        return mine if self._choices.get(place, "theirs") == "mine" else theirs

    def _parts(self, base: Any, mine: Any, theirs: Any, place: str) -> Any:
        head = f"{place}." if place else ""
        parts = {
            name: self.value(getattr(base, name), getattr(mine, name), getattr(theirs, name), head + name)
            for name in parts_of(mine)
            if name not in DERIVED
        }
        return value_of(type(mine), parts)

    def _format(self, base: SignalFormat, mine: SignalFormat, theirs: SignalFormat, place: str) -> SignalFormat:
        parts = {
            name: self.value(getattr(base, name), getattr(mine, name), getattr(theirs, name), f"{place}.{name}")
            for name in _FORMAT_PARTS
        }
        scans = [(fmt.scan, fmt.field_order) for fmt in (base, mine, theirs)]
        scan, order = self.value(scans[0], scans[1], scans[2], f"{place}.scan")
        encoding = {
            name: self.value(
                getattr(base.encoding, name),
                getattr(mine.encoding, name),
                getattr(theirs.encoding, name),
                f"{place}.{name}",
            )
            for name in Encoding.__dataclass_fields__
        }
        return replace(theirs, **parts, scan=scan, field_order=order, encoding=Encoding(**encoding))

    def _list(
        self, base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...], place: str
    ) -> tuple[Any, ...]:
        old, left, right = ({item.id: item for item in items} for items in (base, mine, theirs))
        results = {}
        for ident in {**right, **left}:
            value = self.value(old.get(ident), left.get(ident), right.get(ident), f"{place}.{ident}")
            if value is not None:
                results[ident] = value
        order = self.value(
            _shared(old, left, right), _shared(left, old, right), _shared(right, old, left), f"{place}.order"
        )
        return tuple(results[ident] for ident in _in_order(order, list(right), list(left)) if ident in results)


def _members(value: Any) -> bool:
    """Return whether a value is a list whose members have ids."""
    return isinstance(value, tuple) and all(hasattr(item, "id") for item in value)


def _shared(of: Mapping[str, Any], *others: Mapping[str, Any]) -> tuple[str, ...]:
    return tuple(ident for ident in of if all(ident in other for other in others))


def _in_order(order: tuple[str, ...], *more: list[str]) -> list[str]:
    """Return `order` with every other id put in behind the one it follows in its own list."""
    results = list(order)
    for ids in more:
        for index, ident in enumerate(ids):
            if ident not in results:
                before = next((results.index(name) for name in reversed(ids[:index]) if name in results), -1)
                results.insert(before + 1, ident)
    return results


def merge(base: Template, mine: Template, theirs: Template, choices: Mapping[str, Side] | None = None) -> MergeResult:
    """Return what two people made of `base`, in one; `choices` decide conflicts by place, else theirs stands.

    Raises `NotPossible` where each change is possible by itself and the two together are not (one shortened a list that
    the other refers to, say).
    """
    work = _Merge(choices or {})
    try:
        result = work.value(base, mine, theirs, "")
        template = Template.model_validate(dict(result))
    except ValidationError as error:
        raise NotPossible(
            f"the two drafts together cannot be: {validation_sentence(error)}", remedy="take one of them whole"
        ) from error
    except QuarryError as error:
        raise NotPossible(f"the two drafts together cannot be: {error}", remedy="take one of them whole") from error
    return MergeResult(template, tuple(work.conflicts), tuple(work.from_side["mine"]), tuple(work.from_side["theirs"]))
