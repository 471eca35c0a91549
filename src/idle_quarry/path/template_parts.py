"""The parts of a template: its sources, its working format, what is kept, watched and delivered, folders and tracks."""

from __future__ import annotations

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
    WithJsonSchema,
    model_serializer,
    model_validator,
)

from idle_quarry.path.entries.delivery import ACTIVE_FORMATS, CAPTIONS, SOUND_TRACKS, LayoutId
from idle_quarry.path.entries.naming import FIELDS, made_name
from idle_quarry.path.eyes import Eyes
from idle_quarry.path.names import name_refused
from idle_quarry.path.policies import Policy
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


class Value(BaseModel):
    """A frozen part of a template that takes no field it does not know."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", arbitrary_types_allowed=True)


class ExtensibleValue(Value):
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


class ClipException(Value):
    """One clip of a source, by file name, that is converted otherwise than the rest."""

    id: Id
    clip: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=255)]
    policy: Policy


class Source(ExtensibleValue):
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


class Working(ExtensibleValue):
    """The format the programme is made in, which shape inside it is kept free for others, and the light it is
    graded to (cd/m²).
    """

    later = {"protects": 4, "graded_to": 4, "eyes": 4}
    name: Name = "Programme"
    format: Format
    protects: Literal["nothing", "14:9", "4:3"] = "nothing"
    graded_to: Annotated[int, Field(ge=50, le=10000)] | None = None
    eyes: Eyes = "one"


class Intermediate(ExtensibleValue):
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


class Proxy(Value):
    """A smaller copy for slow machines: the working raster divided by a whole number."""

    codec: Id = "rdd36-proxy"
    divisor: Literal[1, 2, 3, 4, 6, 8] = 2


class MonitorFeed(Value):
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


class Delivery(ExtensibleValue):
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
        "sound_tracks": 5,
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
    sound_tracks: Annotated[str, *word_of(SOUND_TRACKS, "way of tracks")] = "usual"  #: how channels lie in tracks
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


class Sound(ExtensibleValue):
    """Sound of the programme: sampling, line-up level (dBFS), loudness (LUFS) and true peak (dBTP) aimed at, if any."""

    sample_rate: Annotated[int, Field(ge=8000, le=384000)] = 48000
    bit_depth: Literal[16, 24, 32] = 24
    layout: LayoutId = "stereo"
    line_up_dbfs: Annotated[float, Field(ge=-40, le=0)] = -18.0
    loudness_lufs: Annotated[float, Field(ge=-70, le=0)] | None = -23.0
    true_peak_dbtp: Annotated[float, Field(ge=-40, le=0)] | None = -1.0
    correct_pitch: bool = True


class TimecodePlan(Value):
    """Where the programme starts, how numbers are counted, and how long the line-up before it is."""

    start: Text = "10:00:00:00"
    drop: bool = False
    line_up_lead_s: Annotated[int, Field(ge=0, le=600)] = 60
    line_up_length_s: Annotated[int, Field(ge=1, le=300)] = 20


Disk = Literal["system", "internal", "external", "network", "not known"]


class StoragePlace(Value):
    """Where something is kept: what for, the path, what kind of disk, and what it plays in MB/s."""

    id: Id
    name: Name
    purpose: Literal["work", "cache", "stills", "capture"]
    path: Text = ""
    disk: Disk = "not known"
    plays_mb_s: Annotated[float, Field(gt=0, le=100000)] | None = None


class RecordingInput(Value):
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


class Folder(Value):
    """A folder of the job, with the folders in it."""

    id: Id
    name: Annotated[str, StringConstraints(max_length=255)]
    children: tuple[Folder, ...] = ()


class TrackPlan(ExtensibleValue):
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


class TimelinePlan(Value):
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
