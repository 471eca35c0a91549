"""Findings about what a job is made of: ends of the path, timelines, canvases, tracks, folders, names."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.beginning.shares import rounded_to
from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import remedy
from idle_quarry.path.grades import percent
from idle_quarry.path.names import cleaned_name, name_refused
from idle_quarry.path.template import Template, numbered, slug
from idle_quarry.path.template_parts import Folder, TimelinePlan, TrackPlan

_MAIN = "#8fb59b"


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with folders, timelines and tracks."""
    t = e.template
    yield from _ends(t)
    if not t.timelines:
        tracks = (
            TrackPlan(id="v1", name="Picture", kind="video", role="picture"),
            TrackPlan(id="a1", name="Dialogue", kind="audio", role="dialogue", colour=_MAIN),
        )
        cure = remedy("Add a timeline", ("timelines.main", TimelinePlan(id="main", name="Programme", tracks=tracks)))
        yield Finding("stop", "no_timeline", "structure", "A job from this template would have no timeline.", cure)
    for timeline in t.timelines:
        yield from _timeline(t, timeline)
    names = [timeline.name.lower() for timeline in t.timelines]
    for timeline in t.timelines:
        if names.count(timeline.name.lower()) > 1:
            yield _rename(
                f"timelines.{timeline.id}", timeline.name, "another timeline has it", f"{timeline.name} {timeline.id}"
            )
    yield from _folders(t.folders, "folders", t.numbered_folders)


def _ends(t: Template) -> Iterator[Finding]:
    if not t.sources:
        yield Finding(
            "note",
            "no_source",
            "working",
            "What comes in is open: add a source, or drop clips on the strip.",
        )
    if not t.deliveries:
        yield Finding("caution", "no_delivery", "working", "What is delivered, and to whom, is open: add a delivery.")
    if t.monitor is None:
        yield Finding("note", "no_monitor", "working", "What it is watched on is open: add the monitor.")
    total = sum(source.share for source in t.sources)
    if t.sources and abs(total - 100) > 0.5:
        scaled = rounded_to(100, [s.share for s in t.sources])
        edits = [(f"sources.{s.id}.share", share) for s, share in zip(t.sources, scaled, strict=True)]
        text = f"The sources' shares of the programme add up to {total:g} %."
        where = f"source:{t.sources[0].id}"
        yield Finding("note", "shares_off", where, text, remedy("Scale to 100 %", *edits))


def _timeline(t: Template, timeline: TimelinePlan) -> Iterator[Finding]:
    place = f"timelines.{timeline.id}"
    why = name_refused(timeline.name)
    if why:
        yield _rename(place, timeline.name, why, cleaned_name(timeline.name, timeline.id))
    name = timeline.name or timeline.id
    roles = [track.role for track in timeline.tracks]
    idents = {track.id for track in timeline.tracks}
    if not any(track.kind == "video" for track in timeline.tracks):
        new = TrackPlan(id=slug("v1", idents), name="Picture", kind="video", role="picture")
        cure = remedy("Add a picture track", (f"{place}.tracks", (new, *timeline.tracks)))
        yield Finding("stop", "no_picture_track", "structure", f"Timeline {name} has no track for pictures.", cure)
    if "dialogue" not in roles and "mix" not in roles:
        new = TrackPlan(id=slug("dialogue", idents), name="Dialogue", kind="audio", role="dialogue", colour=_MAIN)
        pictures = tuple(track for track in timeline.tracks if track.kind == "video")
        sounds = tuple(track for track in timeline.tracks if track.kind == "audio")
        cure = remedy("Add a dialogue track", (f"{place}.tracks", (*pictures, new, *sounds)))
        yield Finding("caution", "no_dialogue_track", "structure", f"Timeline {name} has no track for dialogue.", cure)
    audio = [track for track in timeline.tracks if track.kind == "audio"]
    music = [i for i, track in enumerate(audio) if track.role == "music"]
    if music and any(track.role in ("dialogue", "effects", "ambience") for track in audio[music[0] + 1 :]):
        order = ("dialogue", "effects", "ambience", "music", "mix")
        tracks = tuple(track for track in timeline.tracks if track.kind == "video")
        sorted_audio = tuple(sorted(audio, key=lambda track: order.index(track.role)))
        cure = remedy("Put music lowest", (f"{place}.tracks", tracks + sorted_audio))
        text = f"Timeline {name}: music lies above other sound; stems run dialogue, effects, ambience, music."
        yield Finding("note", "music_not_lowest", "structure", text, cure)
    names = [track.name for track in timeline.tracks]
    for track in timeline.tracks:
        if not track.name.strip() or names.count(track.name) > 1:
            text = (
                f"Timeline {name}: two tracks are called {track.name!r}."
                if track.name.strip()
                else f"Timeline {name}: a track has no name."
            )
            new_name = f"{track.name.strip() or track.role.capitalize()} {track.id}"
            cure = remedy(f"Call it {new_name}", (f"{place}.tracks.{track.id}.name", new_name))
            yield Finding("caution", "track_name", "structure", text, cure)
            break
    yield from _canvas(t, timeline, name)


def _canvas(t: Template, timeline: TimelinePlan, name: str) -> Iterator[Finding]:
    if timeline.width is None or timeline.height is None:
        return
    working = t.working.format.raster
    square_width = float(working.width * working.pixel_aspect)
    scales = (timeline.width / square_width, timeline.height / working.height)
    scale = max(scales) if timeline.fit == "fill" else min(scales)
    share = min(1.0, timeline.width / (square_width * scale)) * min(1.0, timeline.height / (working.height * scale))
    if scale > 1.001:
        height = working.height // 2 * 2
        width = round(timeline.width * height / timeline.height / 2) * 2
        if timeline.fit == "inside":
            width, height = int(square_width) // 2 * 2, round(timeline.height * square_width / timeline.width / 2) * 2
        cure = remedy(
            f"Canvas of {width} × {height}",
            (f"timelines.{timeline.id}", timeline.model_copy(update={"width": width, "height": height})),
        )
        text = (
            f"Timeline {name}: its canvas of {timeline.width} × {timeline.height} needs the working picture enlarged "
            f"to {percent(scale, 0)}."
        )
        yield Finding("caution", "canvas_larger", "structure", text, cure, {"scale": scale})
    if share < 0.999 and timeline.fit == "fill":
        text = (
            f"Timeline {name}: {percent(share, 0)} of the working picture is seen in {timeline.width} ×"
            f" {timeline.height}; keep what matters in the middle."
        )
        yield Finding("note", "canvas_trims", "structure", text, None, {"kept": share})


def _folders(folders: tuple[Folder, ...], place: str, with_numbers: bool) -> Iterator[Finding]:
    seen: set[str] = set()
    for index, folder in enumerate(folders):
        own = f"{place}.{folder.id}"
        why = name_refused(numbered(folder.name, index, with_numbers)) or name_refused(folder.name)
        if why:
            yield _rename(own, folder.name, why, cleaned_name(folder.name, folder.id))
        elif folder.name.lower() in seen:
            yield _rename(own, folder.name, "a folder beside it has it", f"{folder.name} {folder.id}")
        seen.add(folder.name.lower())
        yield from _folders(folder.children, f"{own}.children", with_numbers)


def _rename(place: str, name: str, why: str, better: str) -> Finding:
    kind = "Folder" if place.startswith("folders") else "Timeline"
    text = f"{kind} {name!r}: some file systems refuse the name, because {why}."
    if why.startswith(("another", "a folder")):
        text = f"{kind} {name!r}: {why} too; on many disks one would overwrite the other."
    return Finding("stop", "name_refused", "structure", text, remedy(f"Call it {better}", (f"{place}.name", better)))
