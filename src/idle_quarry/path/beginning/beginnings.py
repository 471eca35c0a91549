"""Where templates begin: from a standard delivery, from a clip's format, with what a house takes for granted."""

from __future__ import annotations

from collections.abc import Sequence

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.codecs import holding, mbps
from idle_quarry.path.entries import Monitor
from idle_quarry.path.findings.coding import MARGIN
from idle_quarry.path.findings.monitoring import acceptable_formats, refusals
from idle_quarry.path.names import text_refused
from idle_quarry.path.registry import deliveries, monitors, territories
from idle_quarry.path.template import Template, slug
from idle_quarry.path.template_parts import (
    Delivery,
    Disk,
    Folder,
    Intermediate,
    MonitorFeed,
    Sound,
    Source,
    StoragePlace,
    TimecodePlan,
    TimelinePlan,
    TrackPlan,
    Working,
)
from idle_quarry.signal.catalogue import StandardFormat, nearest_standard, standard_of, territories_of_rate
from idle_quarry.signal.formats import CHROMA_SHARE, SignalFormat
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import can_drop
from idle_quarry.signal.words import format_words

TRACKS = (
    TrackPlan(id="v1", name="Picture", kind="video", role="picture"),
    TrackPlan(id="v2", name="Graphics", kind="video", role="graphics", colour="#a58fb5"),
    TrackPlan(id="a1", name="Dialogue", kind="audio", role="dialogue", colour="#8fb59b"),
    TrackPlan(id="a2", name="Effects", kind="audio", role="effects", colour="#dba445", channels=2),
    TrackPlan(id="a3", name="Ambience", kind="audio", role="ambience", colour="#dba445", channels=2),
    TrackPlan(id="a4", name="Music", kind="audio", role="music", colour="#7f9fbf", channels=2),
)
FOLDERS = (
    Folder(id="material", name="Material"),
    Folder(id="graphics", name="Graphics"),
    Folder(id="renders", name="Renders"),
    Folder(id="mix", name="Mix"),
    Folder(id="deliveries", name="Deliveries"),
)
_LONGEST_FOLDER = 3900  # a template keeps 4000 signs


def work_places(folder: str, disk: Disk = "not known", plays_mb_s: float | None = None) -> tuple[StoragePlace, ...]:
    """Return the places of a template whose work is kept in `folder` ("": nowhere yet), with what is known of its disk.

    Raises `NotUnderstood` where no file system could have such a folder.
    """
    why = text_refused(folder) or ("it is too long" if len(folder) > _LONGEST_FOLDER else None)
    if why is not None:
        raise NotUnderstood(
            f"work cannot be kept in this folder: {why}", subject=repr(folder[:40]), remedy="choose another one"
        )
    inside = f"{folder.rstrip('/')}/cache" if folder else ""
    return (
        StoragePlace(id="work", name="Material disk", purpose="work", path=folder, disk=disk, plays_mb_s=plays_mb_s),
        StoragePlace(id="cache", name="Render disk", purpose="cache", path=inside, disk=disk, plays_mb_s=plays_mb_s),
    )


PLACES = work_places("")


def territory_of(fmt: SignalFormat) -> str:
    """Return the territory whose programmes run at a format's rate."""
    used = [t for t in territories_of_rate(fmt.rate) if t in territories()]
    return used[0] if used else "50 Hz"


def working_codec(
    fmt: SignalFormat, used: Sequence[str] = (), plays_mb_s: float | None = None, streams: int = 2
) -> str:
    """Return the codec a house would take for renders.

    Made for work, of a data rate that is known beforehand, and of those that a place plays `streams` of at `plays_mb_s`
    (a fifth kept in reserve); one that the house uses already (ids in `used`, the most used first) before the one
    nearest to a fifth of uncompressed.
    """
    able = [codec for codec in holding(fmt) if codec.quality == "intermediate"] or holding(fmt)
    able = [codec for codec in able if codec.rate.model != "share"] or able
    if plays_mb_s is not None:
        able = [codec for codec in able if mbps(codec, fmt) / 8 * streams <= plays_mb_s * MARGIN] or able[:1]
    known = next((ident for ident in used if any(codec.id == ident for codec in able)), None)
    if known is not None:
        return known
    share = fmt.encoding.samples_per_pixel * fmt.encoding.bit_depth / 5
    aim = fmt.raster.width * fmt.raster.height * share * float(fmt.rate) / 1e6
    return min(able, key=lambda codec: abs(mbps(codec, fmt) - aim)).id


def monitor_for(fmt: SignalFormat, among: Sequence[Monitor] | None = None) -> MonitorFeed | None:
    """Return a feed to a monitor that shows `fmt` itself, or what comes nearest to it: one of `among`, or of all
    that are known.
    """
    known = tuple(monitors().values()) if among is None else among
    for monitor in known:
        if not refusals(monitor, fmt):
            return MonitorFeed(monitor=monitor.id, format=fmt)
    for monitor in known:
        options = acceptable_formats(monitor, fmt)
        if options and options[0].rate == fmt.rate:
            return MonitorFeed(monitor=monitor.id, format=options[0])
    return None


def from_working(
    name: str,
    working: SignalFormat,
    sources: tuple[Source, ...],
    outs: tuple[Delivery, ...],
    note: str = "",
    plays_mb_s: float | None = None,
    used: Sequence[str] = (),
) -> Template:
    """Return a template around a working format, with what its territory takes for granted.

    `plays_mb_s` is what the place of its renders plays, `used` the codecs that the house uses: see `working_codec`.
    """
    own = territories()[territory_of(working)]
    drop = own.drop and can_drop(working.rate)
    sound = Sound(line_up_dbfs=own.line_up_dbfs, loudness_lufs=own.loudness_lufs, true_peak_dbtp=own.true_peak_dbtp)
    start = own.start
    if outs:
        first = outs[0]
        sound = Sound(
            sample_rate=first.sample_rate,
            line_up_dbfs=first.line_up_dbfs,
            layout=first.layout,
            loudness_lufs=first.loudness_lufs,
            true_peak_dbtp=first.true_peak_dbtp,
        )
        drop, start = first.drop and can_drop(working.rate), first.start
    return Template(
        name=name,
        note=note,
        territory=own.id,
        sources=sources,
        working=Working(format=working),
        intermediate=Intermediate(codec=working_codec(working, used, plays_mb_s)),
        monitor=monitor_for(working),
        deliveries=outs,
        sound=sound,
        timecode=TimecodePlan(start=start.replace(";", ":"), drop=drop),
        places=PLACES,
        folders=FOLDERS,
        timelines=(TimelinePlan(id="main", name="Programme", tracks=TRACKS),),
    )


def from_delivery(standard: str, plays_mb_s: float | None = None, used: Sequence[str] = ()) -> Template:
    """Return a template whose programme is made as a standard delivery wants it."""
    out = delivered(standard)
    fmt = out.format
    working = fmt if fmt.encoding.bit_depth >= 10 else fmt.with_encoding(bit_depth=10)
    if CHROMA_SHARE[working.encoding.sampling] < 0.5:
        working = working.with_encoding(sampling="4:2:2")
    return from_working(f"New from {out.name}", working, (), (out,), plays_mb_s=plays_mb_s, used=used)


def working_from(fmt: SignalFormat) -> SignalFormat:
    """Return a clip's format as one would work in it: 10 bits and 4:2:2 at least."""
    bits, sampling = max(10, fmt.encoding.bit_depth), fmt.encoding.sampling
    return fmt.with_encoding(bit_depth=bits, sampling="4:2:2" if CHROMA_SHARE[sampling] < 0.5 else sampling)


def from_clip(name: str, fmt: SignalFormat, working: SignalFormat) -> Template:
    """Return a template with one source of `fmt` and the given working format."""
    source = Source(id=slug(name), name=name[:120], format=fmt)
    return from_working(f"From {name}"[:120], working, (source,), _natural_deliveries(working))


def _natural_deliveries(working: SignalFormat) -> tuple[Delivery, ...]:
    """Return the standard delivery that a programme in `working` would go out as, where there is one."""
    for spec in deliveries().values():
        if spec.follows_rate:
            continue
        fmt = spec.signal
        same = (fmt.raster.width, fmt.raster.height, fmt.rate, fmt.scan) == (
            working.raster.width,
            working.raster.height,
            working.rate,
            working.scan,
        )
        if same and fmt.encoding.transfer == working.encoding.transfer:
            return (delivered(spec.id),)
    return ()


def standard_near(fmt: SignalFormat) -> tuple[StandardFormat, list[str]] | None:
    """Return the standard format nearest to one that no standard has, with what differs; None where it fits one."""
    if standard_of(fmt) is not None:
        return None
    near = nearest_standard(fmt)
    other = near.format
    differs = []
    if other.raster != fmt.raster:
        differs.append(f"raster {fmt.raster.size_text} becomes {other.raster.size_text}")
    if other.rate != fmt.rate:
        differs.append(f"rate {rate_text(fmt.rate)} becomes {rate_text(other.rate)}")
    if other.scan != fmt.scan:
        differs.append(f"{fmt.scan} becomes {other.scan}")
    if (other.encoding.primaries, other.encoding.transfer) != (fmt.encoding.primaries, fmt.encoding.transfer):
        differs.append(f"colour becomes that of {format_words(other)}")
    return near, differs


def beginnings(name: str, fmt: SignalFormat) -> list[tuple[str, Template]]:
    """Return templates that can begin from a clip, each with what it is: in its exact format, and the nearest
    standard's.
    """
    exact = working_from(fmt)
    results = [(f"Work in {format_words(exact, fields=True)}, as recorded", from_clip(name, fmt, exact))]
    near = standard_near(exact)
    if near is not None:
        standard, differs = near
        text = f"Work in {standard.words} ({standard.standard.name}): {'; '.join(differs)}"
        results.append((text, from_clip(name, fmt, standard.format)))
    return results
