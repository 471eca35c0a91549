"""Timelines to and from OpenTimelineIO: nothing of ours is lost, and what others wrote is kept and written back.

OpenTimelineIO's times are pairs of doubles; what must be exact (rates, places between frames, speeds) stands beside
them in the metadata as "n/d". Foreign metadata, effects and references that are not understood go through as they came.
"""

from __future__ import annotations

import json
import math
from dataclasses import replace
from fractions import Fraction
from typing import Any

import opentimelineio as otio

from idle_quarry.errors import NotUnderstood
from idle_quarry.jobs.cutting.timeline import (
    BARS,
    BLACK,
    CLIP,
    GAP,
    NESTED,
    PICTURE,
    SOUND,
    TITLE,
    Marker,
    Media,
    Timeline,
    TimelineItem,
    Track,
    Transition,
)
from idle_quarry.jobs.timelines import KEY
from idle_quarry.signal.rates import nearest_named_rate
from idle_quarry.signal.timecode import Timecode, can_drop

#: Words in a generator's kind or a clip's name, and what it is then.
_GENERATED = (
    (("black",), BLACK),
    (("bars", "matte", "color", "colour", "solid", "slug"), BARS),
    (("title", "text", "caption"), TITLE),
)
_MOST_ITEMS = 200_000


# -- reading ----------------------------------------------------------------------------------------------------------


def from_otio(given: otio.schema.Timeline, rate: Fraction | None = None) -> Timeline:
    """Return OpenTimelineIO's timeline as a value, counted at its own rate, or at `rate` where it says none.

    Positions and lengths that are no whole frames are rounded where each begins, so that no error adds up. Raises
    `NotUnderstood` for times that are none, and for more items than a timeline can have.
    """
    own = own_facts(given.metadata)
    counted = _rate_of(own.get("rate")) or _own_rate(given) or rate
    if counted is None:
        raise NotUnderstood("says no frame rate", subject=given.name or "the timeline")
    start = given.global_start_time
    first = _frames(start, counted) if start is not None else 0
    drop = bool(own.get("drop_frame")) and can_drop(counted)
    tracks, used = [], set[str]()
    numbers = _Numbers(int(own.get("issued", 0)) if isinstance(own.get("issued"), int) else 0)
    for number, track in enumerate(item for item in given.tracks if isinstance(item, otio.schema.Track)):
        result = _track_from(track, counted, numbers)
        ident = str(own_facts(track.metadata).get("id") or f"{result.kind}-{number + 1}")
        while ident in used:
            ident += "+"
        used.add(ident)
        tracks.append(replace(result, ident=ident))
    marks = tuple(_mark_from(mark, counted) for mark in given.tracks.markers)
    links = (item.link or 0 for track in tracks for item in track.items)
    return Timeline(
        given.name or "Timeline",
        counted,
        Timecode(first, counted, drop),
        tuple(tracks),
        marks,
        _foreign_part(given.metadata, ("rate", "start", "drop_frame", "issued")),
        max(numbers.issued, *links, 0),
    )


class _Numbers:
    """The numbers items have in a file, each once, and new ones for those that have none."""

    def __init__(self, issued: int) -> None:
        self.issued = max(0, issued)
        self._used: set[int] = set()

    def of(self, own: dict[str, Any]) -> int:
        wanted = own.get("id")
        if isinstance(wanted, int) and 0 < wanted <= self.issued and wanted not in self._used:
            number = wanted
        else:
            self.issued += 1
            number = self.issued
        if len(self._used) >= _MOST_ITEMS:
            raise NotUnderstood(f"more than {_MOST_ITEMS} items", subject="the timeline")
        self._used.add(number)
        return number


def _own_rate(given: otio.schema.Timeline) -> Fraction | None:
    """Return the rate of a foreign timeline: of its start, else of the first length in it."""
    if given.global_start_time is not None and given.global_start_time.rate > 1:
        return _standard(given.global_start_time.rate)
    for track in given.tracks:
        for item in track if isinstance(track, otio.schema.Track) else []:
            if not isinstance(item, otio.schema.Transition):
                return _standard(item.duration().rate)
    return None


def _track_from(track: otio.schema.Track, rate: Fraction, numbers: _Numbers) -> Track:
    items: list[TimelineItem] = []
    changes: list[Transition] = []
    elapsed = Fraction(0)  # in frames of the timeline, exact
    for child in track:
        at = round(elapsed)
        if isinstance(child, otio.schema.Transition):
            changes.append(
                Transition(
                    child.name or "",
                    str(child.transition_type or ""),
                    at,
                    _frames(child.in_offset, rate),
                    _frames(child.out_offset, rate),
                    _foreign_part(child.metadata, ()),
                )
            )
            continue
        elapsed += _exact(child.duration(), rate)
        length = round(elapsed) - at
        if length < 1 or (isinstance(child, otio.schema.Gap) and not _says(child)):
            continue
        items.append(_item_from(child, at, length, rate, numbers))
    kind = PICTURE if track.kind != otio.schema.TrackKind.Audio else SOUND
    return Track(
        "", track.name or "", kind, tuple(items), tuple(changes), track.enabled, _foreign_part(track.metadata, ("id",))
    )


def _says(gap: otio.schema.Gap) -> bool:
    return bool(gap.metadata or gap.markers or gap.effects)


def _item_from(child: Any, at: int, length: int, rate: Fraction, numbers: _Numbers) -> TimelineItem:
    own = own_facts(child.metadata)
    kind, media, foreign = _kind_of(child), None, dict[str, Any]()
    begins, speed, effects = Fraction(0), Fraction(1), []
    span = child.source_range
    if kind == NESTED:
        inside = child.deepcopy()
        inside.metadata.pop(KEY, None)
        inside.source_range = None
        foreign["nested"] = otio.adapters.write_to_string(inside, "otio_json")
        begins = _fraction_of(own.get("begins"), _exact(span.start_time, rate) if span is not None else Fraction(0))
    else:
        plain = _plain(child.metadata)
        if plain:
            foreign["metadata"] = plain
        names = []
        for effect in child.effects:
            if isinstance(effect, otio.schema.FreezeFrame):
                speed = Fraction(0)
            elif isinstance(effect, otio.schema.LinearTimeWarp):
                speed *= Fraction(effect.time_scalar).limit_denominator(100_000)
            else:
                names.append(otio.adapters.write_to_string(effect, "otio_json"))
                effects.append(str(effect.effect_name or effect.name or effect.schema_name()))
        if names:
            foreign["effects"] = names
    if kind == CLIP:
        media = _media_from(child, span, rate)
        begins = _exact(span.start_time, media.rate) if span is not None else Fraction(media.first)
        begins, speed = _fraction_of(own.get("begins"), begins), _fraction_of(own.get("speed"), speed)
    elif kind in (TITLE, BLACK, BARS):
        foreign["media"] = otio.adapters.write_to_string(child.media_reference, "otio_json")
    place = own.get("place")
    link = own.get("link")
    item = TimelineItem(
        numbers.of(own),
        child.name or "",
        at,
        length,
        kind,
        media,
        begins,
        speed,
        bool(getattr(child, "enabled", True)),
        link if isinstance(link, int) and link > 0 else None,
        str(own.get("note", "")),
        str(own.get("colour", "")),
        (
            (_fraction_of(place[0], Fraction(0)), _fraction_of(place[1], Fraction(0)))
            if isinstance(place, list) and len(place) == 2
            else None
        ),
        (),
        tuple(effects),
        json.dumps(foreign) if foreign else "",
    )
    return replace(item, markers=tuple(_mark_from(mark, rate, item) for mark in child.markers))


def _kind_of(child: Any) -> str:
    if isinstance(child, otio.schema.Gap):
        return GAP
    if not isinstance(child, otio.schema.Clip):
        return NESTED
    own = str(own_facts(child.metadata).get("kind", ""))
    if own in (TITLE, BLACK, BARS):
        return own
    reference = child.media_reference
    if isinstance(reference, otio.schema.GeneratorReference):
        words = f"{reference.generator_kind} {reference.name} {child.name}".casefold()
        return next((kind for marks, kind in _GENERATED if any(mark in words for mark in marks)), TITLE)
    return CLIP


def _media_from(clip: otio.schema.Clip, span: Any, rate: Fraction) -> Media:
    reference = clip.media_reference
    own = own_facts(reference.metadata) if reference is not None else {}
    available = reference.available_range if reference is not None else None
    shown = (available or span).start_time.rate if (available or span) is not None else 0.0
    media_rate = _rate_of(own.get("rate")) or (_standard(shown) if shown > 1 else rate)
    path = tape = None
    foreign: dict[str, Any] = {}
    if isinstance(reference, otio.schema.ExternalReference):
        path = reference.target_url or None
    elif reference is not None and not isinstance(reference, otio.schema.MissingReference):
        foreign["raw"] = otio.adapters.write_to_string(reference, "otio_json")
    if reference is not None:
        plain = _plain(reference.metadata)
        if plain:
            foreign["metadata"] = plain
    listed = clip.metadata.get("cmx_3600")
    if isinstance(own.get("tape"), str):
        tape = own["tape"]
    elif listed is not None and listed.get("reel"):
        tape = str(listed["reel"])
    first = own.get("first")
    if not isinstance(first, int):
        first = _frames(available.start_time, media_rate) if available is not None else 0
    frames = _frames(available.duration, media_rate) if available is not None else None
    name = (reference.name if reference is not None else "") or clip.name or "clip"
    drop = bool(own.get("drop_frame")) and can_drop(media_rate)
    return Media(name, media_rate, path, tape, first, frames, drop, json.dumps(foreign) if foreign else "")


def _mark_from(mark: otio.schema.Marker, rate: Fraction, item: TimelineItem | None = None) -> Marker:
    span, own = mark.marked_range, own_facts(mark.metadata)
    at = own.get("at")
    if item is not None and not isinstance(at, int):
        step = item.step(rate)
        shown = _exact(span.start_time, item.media.rate if item.media is not None else rate) - item.begins
        at = round(shown / step) if step else round(shown)
    if not isinstance(at, int):
        at = _frames(span.start_time, rate)
    return Marker(
        at,
        mark.name or "",
        mark.comment or "",
        str(own.get("colour", mark.color) or ""),
        max(1, _frames(span.duration, rate)),
        _foreign_part(mark.metadata, ("colour", "at")),
    )


def _standard(rate: float) -> Fraction:
    """Return the standard rate that is meant by a double, or the nearest fraction."""
    if not math.isfinite(rate) or not 0 < rate < 100_000:
        raise NotUnderstood("not a frame rate", subject=str(rate))
    exact = Fraction(rate)
    standard = nearest_named_rate(exact) or exact.limit_denominator(1001)
    if not standard:
        raise NotUnderstood("not a frame rate", subject=str(rate))
    return standard


def _exact(time: otio.opentime.RationalTime, rate: Fraction) -> Fraction:
    """Return a time in frames of a rate."""
    if not (math.isfinite(time.value) and math.isfinite(time.rate)) or time.rate <= 0 or abs(time.value) > 1e12:
        raise NotUnderstood("not a time", subject=str(time))
    value = Fraction(time.value)
    if time.rate == float(rate):
        return value
    return value * rate / _standard(time.rate)


def _frames(time: otio.opentime.RationalTime, rate: Fraction) -> int:
    return round(_exact(time, rate))


def _rate_of(text: object) -> Fraction | None:
    value = _fraction_of(text, Fraction(0))
    return value if 0 < value < 100_000 else None


def _fraction_of(text: object, otherwise: Fraction) -> Fraction:
    """Return the exact fraction that stands in a file, or what its doubles say."""
    if isinstance(text, str) and len(text) < 60:
        try:
            return Fraction(text)
        except (ValueError, ZeroDivisionError):
            return otherwise
    return otherwise


def _plain(metadata: Any) -> dict[str, Any]:
    """Return all that others wrote, in OpenTimelineIO's own JSON: times and regions among it stay what they are."""
    if all(key == KEY for key in metadata):
        return {}
    results: dict[str, Any] = json.loads(otio.core.serialize_json_to_string(metadata))
    results.pop(KEY, None)
    return results


def own_facts(metadata: Any) -> dict[str, Any]:
    """Return what we wrote: texts, numbers, lists and tables of them."""
    result = _values(metadata[KEY]) if KEY in metadata else None
    return result if isinstance(result, dict) else {}


def _values(given: Any) -> Any:
    if hasattr(given, "items"):
        return {str(key): _values(value) for key, value in given.items()}
    if isinstance(given, str | int | float) or given is None:
        return given
    return [_values(value) for value in given] if hasattr(given, "__iter__") else None


def _foreign_part(metadata: Any, own: tuple[str, ...]) -> str:
    """Return all that stands in metadata but for those keys of ours which the value itself holds, as JSON."""
    plain = _plain(metadata)
    rest = {key: value for key, value in own_facts(metadata).items() if key not in own}
    if rest:
        plain[KEY] = rest
    return json.dumps(plain) if plain else ""
