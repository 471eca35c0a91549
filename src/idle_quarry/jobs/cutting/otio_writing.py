"""Timelines as OpenTimelineIO: what is exact stands beside its doubles in the metadata."""

from __future__ import annotations

import json
from fractions import Fraction
from typing import Any

import opentimelineio as otio

from idle_quarry.jobs.cutting.timeline import (
    CLIP,
    GAP,
    NESTED,
    PICTURE,
    Marker,
    Media,
    Timeline,
    TimelineItem,
    Track,
    Transition,
)
from idle_quarry.jobs.timelines import KEY
from idle_quarry.signal.rates import rate_fraction_text


def to_otio(timeline: Timeline) -> otio.schema.Timeline:
    """Return a timeline as OpenTimelineIO's."""
    result = otio.schema.Timeline(name=timeline.name, global_start_time=_time(timeline.start.frames, timeline.rate))
    _put(result.metadata, timeline.foreign)
    own = dict(result.metadata.get(KEY, {}))
    own |= {
        "rate": rate_fraction_text(timeline.rate),
        "start": str(timeline.start),
        "drop_frame": timeline.start.drop,
        "issued": timeline.next_ident - 1,
    }
    result.metadata[KEY] = own
    result.tracks.markers.extend(_mark_to(mark, timeline.rate) for mark in timeline.markers)
    for track in timeline.tracks:
        result.tracks.append(_track_to(track, timeline.rate))
    return result


def _track_to(track: Track, rate: Fraction) -> otio.schema.Track:
    kind = otio.schema.TrackKind.Video if track.kind == PICTURE else otio.schema.TrackKind.Audio
    result = otio.schema.Track(name=track.name, kind=kind)
    result.enabled = track.enabled
    _put(result.metadata, track.foreign)
    result.metadata[KEY] = {**dict(result.metadata.get(KEY, {})), "id": track.ident}
    changes = {change.at: change for change in track.transitions}
    at = 0
    for item in track.items:
        if item.at > at:
            result.append(otio.schema.Gap(duration=_time(item.at - at, rate)))
        if item.at in changes:
            result.append(_change_to(changes[item.at], rate))
        result.append(_item_to(item, rate))
        at = item.end
        if at in changes and (track.over(at) is None):
            result.append(_change_to(changes[at], rate))
    return result


def _change_to(change: Transition, rate: Fraction) -> otio.schema.Transition:
    result = otio.schema.Transition(
        name=change.name,
        transition_type=change.kind,
        in_offset=_time(change.before, rate),
        out_offset=_time(change.after, rate),
    )
    _put(result.metadata, change.foreign)
    return result


def _item_to(item: TimelineItem, rate: Fraction) -> Any:
    given = json.loads(item.foreign) if item.foreign else {}
    own: dict[str, Any] = {"id": item.ident}
    for key, value in (("link", item.link), ("note", item.note), ("colour", item.colour)):
        if value:
            own[key] = value
    if item.place is not None:
        own["place"] = [str(share) for share in item.place]
    if item.kind == NESTED:
        result = otio.adapters.read_from_string(given["nested"], "otio_json")
        result.source_range = otio.opentime.TimeRange(_time(float(item.begins), rate), _time(item.length, rate))
        result.metadata[KEY] = own | {"begins": str(item.begins)}
        return result
    length = _time(item.length, rate)
    media_rate = item.media.rate if item.media is not None else rate
    span = otio.opentime.TimeRange(_time(float(item.begins), media_rate), length)
    result = (
        otio.schema.Gap(source_range=span) if item.kind == GAP else otio.schema.Clip(name=item.name, source_range=span)
    )
    result.name, result.enabled = item.name, item.enabled
    _put(result.metadata, json.dumps(given.get("metadata", {})))
    if item.kind == CLIP:
        own |= {"begins": str(item.begins), "speed": str(item.speed)}
        result.media_reference = _media_to(item.media)
        if item.speed == 0:
            result.effects.append(otio.schema.FreezeFrame())
        elif item.speed != 1:
            result.effects.append(otio.schema.LinearTimeWarp(time_scalar=float(item.speed)))
    elif item.kind != GAP:
        raw = given.get("media")
        result.media_reference = (
            otio.adapters.read_from_string(raw, "otio_json")
            if raw
            else otio.schema.GeneratorReference(name=item.name, generator_kind=item.kind)
        )
        own["kind"] = item.kind
    result.metadata[KEY] = own
    result.effects.extend(otio.adapters.read_from_string(effect, "otio_json") for effect in given.get("effects", []))
    result.markers.extend(
        _mark_to(mark, rate, item.shows(item.at + mark.at, rate), media_rate) for mark in item.markers
    )
    return result


def _media_to(media: Media | None) -> Any:
    if media is None:
        return otio.schema.MissingReference()
    given = json.loads(media.foreign) if media.foreign else {}
    available = (
        otio.opentime.TimeRange(_time(media.first, media.rate), _time(media.frames, media.rate))
        if media.frames is not None
        else None
    )
    if given.get("raw"):
        result = otio.adapters.read_from_string(given["raw"], "otio_json")
    elif media.path is not None:
        result = otio.schema.ExternalReference(target_url=media.path, available_range=available)
    else:
        result = otio.schema.MissingReference(available_range=available)
    result.name = media.name
    _put(result.metadata, json.dumps(given.get("metadata", {})))
    own = {"rate": rate_fraction_text(media.rate), "first": media.first, "drop_frame": media.drop}
    if media.tape is not None:
        own["tape"] = media.tape
    result.metadata[KEY] = own
    return result


def _mark_to(
    mark: Marker, rate: Fraction, at: Fraction | None = None, count: Fraction | None = None
) -> otio.schema.Marker:
    """Return a mark of a timeline, or of an item: then `at` is its place in the count of what the item shows, whose
    rate is `count`.

    OpenTimelineIO counts an item's marks as its media is counted; ours, from the item's first frame, stands in the
    metadata.
    """
    place = _time(float(mark.at if at is None else at), count or rate)
    result = otio.schema.Marker(
        name=mark.name,
        marked_range=otio.opentime.TimeRange(place, _time(mark.length, rate)),
        color=mark.colour or otio.schema.MarkerColor.GREEN,
    )
    result.comment = mark.text
    _put(result.metadata, mark.foreign)
    result.metadata[KEY] = {"colour": mark.colour} if at is None else {"colour": mark.colour, "at": mark.at}
    return result


def _time(frames: float, rate: Fraction) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(float(frames), float(rate))


def _put(metadata: Any, foreign: str) -> None:
    for key, value in (otio.core.deserialize_json_from_string(foreign) if foreign else {}).items():
        metadata[key] = value
