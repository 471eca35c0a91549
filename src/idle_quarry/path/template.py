"""The template: one immutable value that holds everything a job starts with."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    StringConstraints,
    ValidationError,
    WithJsonSchema,
    model_serializer,
    model_validator,
)

from idle_quarry.path.codecs import as_held
from idle_quarry.path.entries import KINDS, DeliverySpec, Entry, entry_from_data, stored_entry
from idle_quarry.path.entries.delivery import ACTIVE_FORMATS, CAPTIONS, LayoutId
from idle_quarry.path.entries.naming import FIELDS, made_name
from idle_quarry.path.eyes import Eyes
from idle_quarry.path.names import name_refused
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import (
    codecs,
    house_entry,
    line_up_pictures,
    monitors,
    programme_layouts,
    sound_layouts,
    take_in,
)
from idle_quarry.path.texts import Id, Name, Text, word_of
from idle_quarry.path.voice import Processor
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import (
    RANGES,
    SAMPLINGS,
    SCANS,
    SignalFormat,
    format_from_json,
    format_to_json,
)
from idle_quarry.signal.interfaces import INTERFACES
from idle_quarry.signal.rasters import Raster

#: The newest number of the stored form. A template carries the least number that can say it, so that programs which
#: know only that one still open it, and its hash stays what it was. Every number stays readable (see `exchange`).
FORMAT_NUMBER = 5

_FRACTION = {"type": "string", "pattern": r"^\d+/\d+$"}
_FORMAT_SCHEMA: dict[str, Any] = {
    "type": "object",
    "title": "SignalFormat",
    "additionalProperties": False,
    "properties": {
        "width": {"type": "integer", "minimum": 16, "maximum": 32768},
        "height": {"type": "integer", "minimum": 16, "maximum": 32768},
        "sample_aspect": _FRACTION,
        "rate": _FRACTION,
        "scan": {"enum": list(SCANS)},
        "field_order": {"enum": ["top", "bottom", None]},
        "sampling": {"enum": list(SAMPLINGS)},
        "bit_depth": {"enum": [8, 10, 12, 16]},
        "range": {"enum": list(RANGES)},
        "primaries": {"enum": list(PRIMARIES)},
        "transfer": {"enum": list(TRANSFERS)},
        "matrix": {"enum": list(MATRICES)},
    },
}
_FORMAT_SCHEMA["required"] = list(_FORMAT_SCHEMA["properties"])


def _to_format(value: Any) -> SignalFormat:
    return value if isinstance(value, SignalFormat) else format_from_json(value)


Format = Annotated[
    SignalFormat,
    BeforeValidator(_to_format),
    PlainSerializer(format_to_json, return_type=dict),
    WithJsonSchema(_FORMAT_SCHEMA),
]
HexColour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]


class _Value(BaseModel):
    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", arbitrary_types_allowed=True)


class _ExtensibleValue(_Value):
    """A value that later format numbers added to: what says nothing is not stored, so that older templates keep
    their hashes.
    """

    #: Names of what was added, by the format number that brought it.
    later: ClassVar[dict[str, int]] = {}

    @model_serializer(mode="wrap")
    def _stored(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        stored: dict[str, Any] = handler(self)
        fields = type(self).model_fields
        silent = {name for name in self.later if getattr(self, name) == fields[name].default}
        return {key: value for key, value in stored.items() if key not in silent}

    @property
    def said_since(self) -> int:
        """The format number that can say what this says."""
        fields = type(self).model_fields
        return max([1, *(n for name, n in self.later.items() if getattr(self, name) != fields[name].default)])


Captions = Annotated[tuple[Annotated[str, *word_of(CAPTIONS, "kind of captions")], ...], Field(max_length=6)]
Pulldown = Literal["none", "2:3", "2:3:3:2", "2:2", "3:2"]
Light = Annotated[int, Field(ge=1, le=10000)]


class ClipException(_Value):
    """One clip of a source, by file name, that is converted otherwise than the rest."""

    id: Id
    clip: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=255)]
    policy: Policy


class Source(_ExtensibleValue):
    """A class of material that comes in, with its share of the programme in per cent."""

    later = {"exceptions": 2, "pulldown": 4, "eyes": 4}
    id: Id
    name: Name
    format: Format
    share: Annotated[float, Field(ge=0, le=100)] = 100.0
    policy: Policy = Policy()
    exceptions: tuple[ClipException, ...] = ()
    pulldown: Pulldown = "none"  #: the cadence by which whole pictures are spread over it
    eyes: Eyes = "one"

    @property
    def cadence(self) -> str:
        """The cadence that is taken out, "" for none."""
        return "" if self.pulldown == "none" else self.pulldown

    def policy_for(self, clip: str) -> Policy:
        """Return how a clip of this source is converted, by its file name."""
        return next((e.policy for e in self.exceptions if e.clip.casefold() == clip.casefold()), self.policy)


class Working(_ExtensibleValue):
    """The format the programme is made in, which shape inside it is kept free for others, and the light it is
    graded to (cd/m²).
    """

    later = {"protects": 4, "graded_to": 4, "eyes": 4}
    name: Name = "Programme"
    format: Format
    protects: Literal["nothing", "14:9", "4:3"] = "nothing"
    graded_to: Annotated[int, Field(ge=50, le=10000)] | None = None
    eyes: Eyes = "one"


class Intermediate(_ExtensibleValue):
    """What renders and conformed material are kept in, how many streams must play at once, and when timelines are
    rendered.

    `rest_s` is for how many seconds nothing is edited before rendering begins by itself.
    """

    later = {"when": 5, "rest_s": 5}

    codec: Id
    place: Id | None = None
    streams: Annotated[int, Field(ge=1, le=64)] = 2
    policy: Policy = Policy()
    when: Literal["by hand", "where playing is too slow", "everything"] = "by hand"
    rest_s: Annotated[int, Field(ge=0, le=3600)] = 5


class Proxy(_Value):
    """A smaller copy for slow machines: the working raster divided by a whole number."""

    codec: Id = "rdd36-proxy"
    divisor: Literal[1, 2, 3, 4, 6, 8] = 2


class MonitorFeed(_Value):
    """The monitor, and the format it is sent."""

    monitor: Id
    format: Format
    policy: Policy = Policy()


def _rule(text: str) -> str:
    """Return a naming rule, or none. Raises `ValueError` for what makes no name."""
    why = name_refused(made_name(text, FIELDS)) if text else None
    if why is not None:
        raise ValueError(f"the rule makes no name: {why}")
    return text


class Delivery(_ExtensibleValue):
    """One delivery: its format, codec, timecode start and sound, its layout in time and how its file is called."""

    later = {
        "programme": 4,
        "file_name": 4,
        "active_format": 4,
        "captions": 4,
        "max_cll": 4,
        "max_fall": 4,
        "mastering_peak": 4,
        "pulldown": 4,
        "eyes": 4,
    }

    id: Id
    name: Name
    standard: Id | None = None
    format: Format
    codec: Id
    start: Text = "10:00:00:00"
    drop: bool = False
    sample_rate: Annotated[int, Field(ge=8000, le=384000)] = 48000
    sound_bits: Literal[16, 24, 32] = 24
    line_up_dbfs: Annotated[float, Field(ge=-40, le=0)] = -18.0
    loudness_lufs: Annotated[float, Field(ge=-70, le=0)] | None = None
    true_peak_dbtp: Annotated[float, Field(ge=-40, le=0)] | None = None
    layout: LayoutId = "stereo"
    programme: Annotated[str, StringConstraints(pattern=r"^([a-z0-9][a-z0-9-]{0,39})?$")] = ""
    file_name: Annotated[str, StringConstraints(max_length=200), AfterValidator(_rule)] = ""
    active_format: Annotated[str, *word_of(ACTIVE_FORMATS, "active format")] | None = None
    captions: Captions = ()
    max_cll: Light | None = None  #: the brightest any part of a picture may be, cd/m² (CTA-861)
    max_fall: Light | None = None  #: and the brightest mean of a picture
    mastering_peak: Light | None = None  #: of the display it was graded on (ST 2086)
    pulldown: Pulldown = "none"  #: the cadence by which whole pictures are spread over it
    eyes: Eyes = "one"
    policy: Policy = Policy()

    @property
    def cadence(self) -> str:
        """The cadence that is put in, "" for none."""
        return "" if self.pulldown == "none" else self.pulldown

    @property
    def for_web(self) -> bool:
        """Whether it is a standard one for the web, which takes what the programme has."""
        return self.standard is not None and self.standard.startswith("web-")


class Sound(_ExtensibleValue):
    """Sound of the programme: sampling, line-up level (dBFS), loudness (LUFS) and true peak (dBTP) aimed at, if any."""

    sample_rate: Annotated[int, Field(ge=8000, le=384000)] = 48000
    bit_depth: Literal[16, 24, 32] = 24
    layout: LayoutId = "stereo"
    line_up_dbfs: Annotated[float, Field(ge=-40, le=0)] = -18.0
    loudness_lufs: Annotated[float, Field(ge=-70, le=0)] | None = -23.0
    true_peak_dbtp: Annotated[float, Field(ge=-40, le=0)] | None = -1.0
    correct_pitch: bool = True


class TimecodePlan(_Value):
    """Where the programme starts, how numbers are counted, and how long the line-up before it is."""

    start: Text = "10:00:00:00"
    drop: bool = False
    line_up_lead_s: Annotated[int, Field(ge=0, le=600)] = 60
    line_up_length_s: Annotated[int, Field(ge=1, le=300)] = 20


Disk = Literal["system", "internal", "external", "network", "not known"]


class StoragePlace(_Value):
    """Where something is kept: what for, the path, what kind of disk, and what it plays in MB/s."""

    id: Id
    name: Name
    purpose: Literal["work", "cache", "stills", "capture"]
    path: Text = ""
    disk: Disk = "not known"
    plays_mb_s: Annotated[float, Field(gt=0, le=100000)] | None = None


class RecordingInput(_Value):
    """What is recorded from a tape or a line: its format and interface, the codec it is kept in, where, and what a
    break does.
    """

    id: Id
    name: Name
    format: Format
    interface: Annotated[str, *word_of(INTERFACES, "interface")]
    codec: Id
    place: Id | None = None
    on_break: Literal["new clip", "go on", "stop"] = "new clip"


class Folder(_Value):
    """A folder of the job, with the folders in it."""

    id: Id
    name: Annotated[str, StringConstraints(max_length=255)]
    children: tuple[Folder, ...] = ()


class TrackPlan(_ExtensibleValue):
    """A named, coloured track; in its timeline's order, pictures from the bottom up.

    A sound track with its voice chain.
    """

    later = {"voice": 4}

    id: Id
    name: Annotated[str, StringConstraints(max_length=120)]
    kind: Literal["video", "audio"]
    role: Literal["picture", "graphics", "subtitles", "dialogue", "effects", "ambience", "music", "mix"]
    colour: HexColour = "#8a8a8a"
    channels: Annotated[int, Field(ge=1, le=16)] = 1
    voice: Annotated[tuple[Processor, ...], Field(max_length=12)] = ()

    @model_validator(mode="after")
    def _of_sound(self) -> TrackPlan:
        if self.voice and self.kind != "audio":
            raise ValueError("only a sound track has a voice chain")
        return self


class TimelinePlan(_Value):
    """A timeline with its canvas; no width and height means the working raster."""

    id: Id
    name: Annotated[str, StringConstraints(max_length=120)]
    width: Annotated[int, Field(ge=16, le=32768)] | None = None
    height: Annotated[int, Field(ge=16, le=32768)] | None = None
    fit: Literal["inside", "fill"] = "fill"
    tracks: tuple[TrackPlan, ...] = ()

    @model_validator(mode="after")
    def _both_sides(self) -> TimelinePlan:
        if (self.width is None) != (self.height is None):
            raise ValueError("a canvas has a width and a height, or neither")
        return self


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


class Template(_ExtensibleValue):
    """Everything a job starts with, as one value; edits make new ones.

    `house` are copies of the house's own entries that it names, so that it is whole by itself: they follow from what it
    names, as the format number does.
    """

    later = {"house": 4, "captions": 4, "line_up": 4, "carried_colour": 4, "job_name": 4, "inputs": 4}
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
            twice = {each for each in ids if ids.count(each) > 1} if len(set(ids)) != len(ids) else set()
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
        found: dict[str, Entry] = {}
        while wanted:
            entry = house_entry(wanted.pop())
            if entry is not None and entry.id not in found:
                found[entry.id] = entry
                if isinstance(entry, DeliverySpec):
                    wanted += [entry.codec, entry.sound.layout, entry.programme]
        return tuple(found[ident] for ident in sorted(found))

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


def slug(text: str, taken: set[str] | None = None) -> str:
    """Return an id made of `text` that is not in `taken`."""
    base = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:32] or "item"
    result, count = base, 2
    while taken and result in taken:
        result, count = f"{base}-{count}", count + 1
    return result
