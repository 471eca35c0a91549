"""The template: one immutable value that holds everything a job starts with."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import (
    AfterValidator,
    BeforeValidator,
    Field,
    PlainSerializer,
    StringConstraints,
    ValidationError,
    WithJsonSchema,
    model_validator,
)

from idle_quarry.path.codecs import as_held
from idle_quarry.path.entries import KINDS, DeliverySpec, Entry, entry_from_data, stored_entry
from idle_quarry.path.registry import (
    codecs,
    house_entry,
    line_up_pictures,
    monitors,
    programme_layouts,
    sound_layouts,
    take_in,
)
from idle_quarry.path.template_parts import (
    Captions,
    Delivery,
    ExtensibleValue,
    Folder,
    Intermediate,
    MonitorFeed,
    Proxy,
    RecordingInput,
    Sound,
    Source,
    StoragePlace,
    TimecodePlan,
    TimelinePlan,
    Working,
    _rule,
)
from idle_quarry.path.texts import Name, Text
from idle_quarry.signal.formats import (
    SignalFormat,
)
from idle_quarry.signal.rasters import Raster

#: The newest number of the stored form. A template carries the least number that can say it, so that programs which
#: know only that one still open it, and its hash stays what it was. Every number stays readable (see `exchange`).
FORMAT_NUMBER = 5


def _line_up(ident: str) -> str:
    if ident and ident not in line_up_pictures():
        raise ValueError(f"no line-up picture has the id {ident[:40]!r}")
    return ident


def _to_entry(value: Any) -> Any:
    if isinstance(value, Entry):
        return value
    try:
        return entry_from_data(value)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        raise ValueError(f"a copy of an entry of the house: {first['msg'].removeprefix('Value error, ')}") from error


#: A copy of an entry; what is in one says the schema of its kind (`docs/schemas`). Read when there is one: most have
#: none.
HouseEntry = Annotated[
    Any,
    BeforeValidator(_to_entry),
    PlainSerializer(stored_entry, return_type=dict[str, Any]),
    WithJsonSchema(
        {
            "type": "object",
            "required": ["entry", "uid", "name"],
            "properties": {"entry": {"enum": list(KINDS)}, "uid": {"type": "string"}},
        }
    ),
]


class Template(ExtensibleValue):
    """Everything a job starts with, as one value; edits make new ones.

    `house` are copies of the house's own entries that it names, so that it is whole by itself: they follow from what it
    names, as the format number does.
    """

    later: ClassVar[dict[str, int]] = {
        "house": 4,
        "captions": 4,
        "line_up": 4,
        "carried_colour": 4,
        "job_name": 4,
        "inputs": 4,
    }
    format_number: Literal[1, 2, 3, 4, 5] = 1
    name: Name
    note: Text = ""
    territory: Literal["50 Hz", "59.94 Hz", "cinema", "web"] = "50 Hz"
    title_language: Annotated[str, StringConstraints(pattern=r"^[a-z]{2,3}(-[A-Z]{2})?$")] = "en"
    sources: tuple[Source, ...] = ()
    working: Working
    intermediate: Intermediate
    proxy: Proxy | None = None
    monitor: MonitorFeed | None = None
    deliveries: tuple[Delivery, ...] = ()
    sound: Sound = Sound()
    captions: Captions = ()
    line_up: Annotated[str, AfterValidator(_line_up)] = (
        ""  #: a line-up picture; "" for the one that belongs to the format
    )
    inputs: tuple[RecordingInput, ...] = ()
    job_name: Annotated[str, StringConstraints(max_length=200), AfterValidator(_rule)] = (
        ""  #: of a job's folder; "" for its title
    )
    carried_colour: Literal[0, 17, 33, 65] = 0  #: points along each side of the cubes that jobs carry; 0 for none
    timecode: TimecodePlan = TimecodePlan()
    places: tuple[StoragePlace, ...] = ()
    numbered_folders: bool = True
    folders: tuple[Folder, ...] = ()
    timelines: tuple[TimelinePlan, ...] = ()
    house: Annotated[tuple[HouseEntry, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _references(self) -> Template:
        self._check_counts()
        for what, ids in (
            ("source", [s.id for s in self.sources]),
            ("delivery", [d.id for d in self.deliveries]),
            ("place", [p.id for p in self.places]),
            ("input", [i.id for i in self.inputs]),
            ("timeline", [t.id for t in self.timelines]),
            ("folder", [f.id for f in all_folders(self.folders)]),
            *(("exception", [e.id for e in s.exceptions]) for s in self.sources),
            *(("track", [k.id for k in t.tracks]) for t in self.timelines),
        ):
            twice = {name for name in ids if ids.count(name) > 1} if len(set(ids)) != len(ids) else set()
            if twice:
                raise ValueError(f"two of the {what} entries have the id {sorted(twice)[0]!r}")
        for entry in self.house:
            take_in(entry)
        for what, known, ident in self._named():
            if ident not in known and what != "monitor":  # what shows nothing is a finding
                raise ValueError(f"no {what} has the id {ident!r}")
        self.__dict__["house"] = self._of_the_house()
        self.__dict__["format_number"] = self._least_number()
        return self

    def _named(self) -> Iterator[tuple[str, Mapping[str, Entry], str]]:
        """Yield every entry that is named: what it is, where it is found, its id."""
        yield "codec", codecs(), self.intermediate.codec
        if self.proxy:
            yield "codec", codecs(), self.proxy.codec
        if self.monitor:
            yield "monitor", monitors(), self.monitor.monitor
        yield "sound layout", sound_layouts(), self.sound.layout
        yield from (("codec", codecs(), recording.codec) for recording in self.inputs)
        for delivery in self.deliveries:
            yield "codec", codecs(), delivery.codec
            yield "sound layout", sound_layouts(), delivery.layout
            if delivery.programme:
                yield "programme layout", programme_layouts(), delivery.programme

    def _of_the_house(self) -> tuple[Entry, ...]:
        """Return copies of the house's entries that are named, and of those that these name, by id."""
        wanted = [ident for _, _, ident in self._named()]
        wanted += [d.standard for d in self.deliveries if d.standard is not None]
        results: dict[str, Entry] = {}
        while wanted:
            entry = house_entry(wanted.pop())
            if entry is not None and entry.id not in results:
                results[entry.id] = entry
                if isinstance(entry, DeliverySpec):
                    wanted += [entry.codec, entry.sound.layout, entry.programme]
        return tuple(results[ident] for ident in sorted(results))

    def _check_counts(self) -> None:
        folders, levels = _folders_in(self.folders)
        for what, count, most in (
            ("sources", len(self.sources), 60),
            ("deliveries", len(self.deliveries), 60),
            ("places", len(self.places), 40),
            ("inputs", len(self.inputs), 40),
            ("timelines", len(self.timelines), 40),
            ("tracks", sum(len(t.tracks) for t in self.timelines), 1000),
            ("folders", folders, 1000),
            ("levels of folders", levels, 20),
            ("exceptions", sum(len(s.exceptions) for s in self.sources), 1000),
        ):
            if count > most:
                raise ValueError(f"a template has {most} {what} at the most, not {count}")

    def _least_number(self) -> int:
        policies = [self.intermediate.policy, *(s.policy for s in self.sources), *(d.policy for d in self.deliveries)]
        policies += [self.monitor.policy] if self.monitor else []
        without_aim = self.sound.loudness_lufs is None or self.sound.true_peak_dbtp is None
        grown = [self, self.working, self.intermediate, self.sound, *self.sources, *self.deliveries]
        grown += [track for timeline in self.timelines for track in timeline.tracks]
        return max(
            [
                3 if without_aim else 1,
                *(extensible_value.said_since for extensible_value in grown),
                *(p.format_number for p in policies),
            ]
        )

    @property
    def intermediate_format(self) -> SignalFormat:
        """The working format as the intermediate codec keeps it."""
        return as_held(codecs()[self.intermediate.codec], self.working.format)

    @property
    def proxy_format(self) -> SignalFormat | None:
        """The working format at the proxy's size, as its codec keeps it, on even samples and lines."""
        if self.proxy is None:
            return None
        raster, by = self.working.format.raster, self.proxy.divisor
        small = Raster(max(16, raster.width // by // 2 * 2), max(16, raster.height // by // 2 * 2), raster.pixel_aspect)
        fmt = self.working.format
        scan, order = (fmt.scan, fmt.field_order) if by == 1 else ("progressive", None)
        held = SignalFormat(small, fmt.rate, scan, order, fmt.encoding)
        return as_held(codecs()[self.proxy.codec], held)

    def canvas(self, timeline: TimelinePlan) -> Raster:
        """Return the raster of a timeline: its own with square pixels, or the working one."""
        if timeline.width is None or timeline.height is None:
            return self.working.format.raster
        return Raster(timeline.width, timeline.height)


def _folders_in(folders: tuple[Folder, ...]) -> tuple[int, int]:
    """Return how many folders there are, and how many levels."""
    below = [_folders_in(folder.children) for folder in folders]
    return len(folders) + sum(count for count, _ in below), max((levels for _, levels in below), default=0) + bool(
        folders
    )


def all_folders(folders: tuple[Folder, ...]) -> Iterator[Folder]:
    """Yield folders depth first."""
    for folder in folders:
        yield folder
        yield from all_folders(folder.children)


def numbered(name: str, index: int, on: bool) -> str:
    """Return a folder's name on disk: with its two-digit number where folders are numbered."""
    return f"{index + 1:02d} {name}" if on else name


def content_hash(template: Template) -> str:
    """Return the SHA-256 (64 hex digits) of a template's canonical JSON in UTF-8."""
    return hashlib.sha256(canonical(template).encode()).hexdigest()


def canonical(template: Template) -> str:
    """Return a template's canonical JSON: sorted keys, no spaces."""
    return json.dumps(template.model_dump(mode="json"), sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def slug(text: str, ids: set[str] | None = None) -> str:
    """Return an id made of `text` that is not in `ids`."""
    base = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:32] or "item"
    result, count = base, 2
    while ids and result in ids:
        result, count = f"{base}-{count}", count + 1
    return result
