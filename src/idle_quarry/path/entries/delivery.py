"""A delivery spec: what is handed over, how far each figure may be off, and what the picture is checked for."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from idle_quarry.errors import QuarryError
from idle_quarry.path.entries.entry import Entry, EntryPart
from idle_quarry.path.texts import Line, Text, word_of
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import Sixty, format_from_words

TERRITORIES = ("50 Hz", "59.94 Hz", "cinema", "web")
LayoutId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9.-]{0,39}$")]
CHECKS = ("gamut", "flashes", "black", "frozen", "edges")
CAPTIONS = ("OP-47", "CEA-608", "CEA-708", "EBU-TT-D", "EBU STL", "IMSC 1.1")
ACTIVE_FORMATS = ("full frame", "4:3 centre", "14:9 centre", "16:9 letterbox", "protect 14:9", "protect 4:3")
WRAPPERS = ("mov", "mxf", "mp4")
#: How channels lie in tracks; "usual": mono tracks in MXF (RDD 9 and its like), one track in all else.
SOUND_TRACKS = ("usual", "mono", "pairs", "one")


class DeliverySound(EntryPart):
    """What a delivery asks of sound; levels in dBFS, LUFS and dBTP."""

    sample_rate: Annotated[int, Field(ge=8000, le=384000)] = 48000
    bit_depth: Literal[16, 24, 32] = 24
    line_up_dbfs: Annotated[float, Field(ge=-40, le=0)] = -18.0
    layout: LayoutId = "stereo"
    tracks: Annotated[str, *word_of(SOUND_TRACKS, "way of tracks")] = "usual"
    loudness_lufs: Annotated[float, Field(ge=-70, le=0)] | None = None
    true_peak_dbtp: Annotated[float, Field(ge=-40, le=0)] | None = None


class Tolerances(EntryPart):
    """How far a checked figure may be off: loudness and level in LU and dB.

    Between `loudness_lu` and `live_lu` a person looks: so far off a live programme may be (EBU R 128). Programmes that
    are shorter than `short_form_s` have limits of loudness at a moment and over three seconds (R 128 s1).

    Gamut (per cent of the area), black and held pictures (seconds) are the older form of their limits: from where on a
    person looks.
    """

    loudness_lu: Annotated[float, Field(ge=0, le=10)] = 0.5
    live_lu: Annotated[float, Field(ge=0, le=10)] | None = None
    short_form_s: Annotated[float, Field(gt=0, le=3600)] | None = None
    short_term_lufs: Annotated[float, Field(ge=-70, le=0)] | None = None
    momentary_lufs: Annotated[float, Field(ge=-70, le=0)] | None = None
    line_up_db: Annotated[float, Field(ge=0, le=10)] = 0.5
    gamut_area: Annotated[float, Field(ge=0, le=100)] = 1.0
    black_s: Annotated[float, Field(ge=0, le=600)] = 2.0
    frozen_s: Annotated[float, Field(ge=0, le=600)] = 2.0


class Limit(EntryPart):
    """Beyond which figure a person must look, and beyond which it fails; None: never."""

    look: Annotated[float, Field(ge=0, le=600)] | None = None
    fails: Annotated[float, Field(ge=0, le=600)] | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Limit:
        if self.look is not None and self.fails is not None and self.fails < self.look:
            raise ValueError(f"what fails beyond {self.fails:g} cannot be looked at beyond {self.look:g}")
        return self

    @property
    def least(self) -> float | None:
        """The figure beyond which something is not as it should be; None: there is none."""
        return min((figure for figure in (self.look, self.fails) if figure is not None), default=None)

    def is_beyond(self, figure: float) -> bool:
        """Return whether a figure is to be looked at, or fails."""
        return self.least is not None and figure > self.least


class Limits(EntryPart):
    """The limits of the checks that have a figure; None: the usual one, as `DeliverySpec.limit` says."""

    gamut: Limit | None = None  #: per cent of a picture outside EBU R 103: R′G′B′, and luma
    levels: Limit | None = None  #: per cent of all samples below −1 %, or above 103 %
    edges: Limit | None = None  #: per cent of the width or height without picture
    black: Limit | None = None  #: seconds inside the programme; likewise held, silent, out of phase, patterned
    frozen: Limit | None = None
    repeats: Limit | None = None  #: per cent of the pictures
    patterns: Limit | None = None
    silence: Limit | None = None
    phase: Limit | None = None


#: What a person looks at where a spec says nothing else.
USUAL_LIMITS = Limits(
    gamut=Limit(look=1),
    levels=Limit(look=1),
    edges=Limit(look=3),
    black=Limit(look=2),
    frozen=Limit(look=2),
    repeats=Limit(look=0.2),
    patterns=Limit(look=0.5),
    silence=Limit(look=5),
    phase=Limit(look=3),
)


class HdrFigures(EntryPart):
    """What the pictures of an HDR delivery may reach at the most: MaxCLL, MaxFALL and the mastering display's peak,
    in cd/m².
    """

    max_cll: Annotated[int, Field(ge=1, le=10000)] | None = None
    max_fall: Annotated[int, Field(ge=1, le=10000)] | None = None
    mastering_peak: Annotated[int, Field(ge=1, le=10000)] | None = None


class Clause(EntryPart):
    """A clause of the spec's own text: its number there, what it asks, and the check that it is about ("" for none)."""

    number: Line
    text: Text
    check: Annotated[str, StringConstraints(pattern=r"^[a-z_]{0,30}$")] = ""


class DeliverySpec(Entry):
    """A delivery spec."""

    entry: Literal["delivery"] = "delivery"
    territory: Annotated[str, *word_of(TERRITORIES, "territory")]
    format: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    codec: Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    start: Annotated[str, StringConstraints(pattern=r"^\d\d[:;]\d\d[:;]\d\d[:;]\d\d$")] = "10:00:00:00"
    drop: bool = False
    sound: DeliverySound = DeliverySound()
    follows_rate: bool = False
    wrapper: Annotated[str, *word_of(WRAPPERS, "wrapping")] | None = None  #: none for the codec's first container
    programme: Annotated[str, StringConstraints(pattern=r"^([a-z0-9][a-z0-9-]{0,39})?$")] = ""  #: its layout in time
    file_name: Annotated[str, StringConstraints(max_length=200)] = ""  #: a naming rule
    tolerances: Tolerances = Tolerances()
    limits: Limits = Limits()
    #: The older form of what fails: beyond the same figure as a person looks.
    checks: Annotated[tuple[Annotated[str, *word_of(CHECKS, "check")], ...], Field(max_length=8)] = ()
    captions: Annotated[tuple[Annotated[str, *word_of(CAPTIONS, "kind of captions")], ...], Field(max_length=6)] = ()
    active_format: Annotated[str, *word_of(ACTIVE_FORMATS, "active format")] | None = None
    hdr: HdrFigures = HdrFigures()
    clauses: Annotated[tuple[Clause, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _is_one(self) -> DeliverySpec:
        try:
            format_from_words(self.format, Sixty.EXACT)
        except QuarryError as error:
            raise ValueError(str(error)) from error
        if self.file_name:
            from idle_quarry.path.entries.naming import fields_of

            fields_of(self.file_name)
        return self

    def limit(self, name: str) -> Limit:
        """Return one of the limits (a name of `Limits`): its own, else what `tolerances` and `checks` say, else the
        usual one.
        """
        own: Limit | None = getattr(self.limits, name)
        if own is not None:
            return own
        usual: Limit = getattr(USUAL_LIMITS, name)
        may = self.tolerances
        look = {"gamut": may.gamut_area, "black": may.black_s, "frozen": may.frozen_s}.get(name, usual.look)
        return Limit(look=look, fails=look if name in self.checks else None)

    @cached_property
    def signal(self) -> SignalFormat:
        return format_from_words(self.format, Sixty.EXACT)


def limit_of(spec: DeliverySpec | None, name: str) -> Limit:
    """Return one of a spec's limits (a name of `Limits`), the usual one where there is no spec."""
    usual: Limit = getattr(USUAL_LIMITS, name)
    return usual if spec is None else spec.limit(name)
