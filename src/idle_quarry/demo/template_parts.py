"""What the demo's templates share: tracks, folders, places."""

from __future__ import annotations

from idle_quarry.path.template_parts import (
    Folder,
    StoragePlace,
    TimecodePlan,
    TrackPlan,
)

_SAGE, _OCHRE, _BLUE, _VIOLET, _GREY = "#8fb59b", "#dba445", "#7f9fbf", "#a58fb5", "#8a8a8a"


TRACKS = (
    TrackPlan(id="v1", name="Picture", kind="video", role="picture"),
    TrackPlan(id="v2", name="Inserts", kind="video", role="picture"),
    TrackPlan(id="v3", name="Graphics", kind="video", role="graphics", colour=_VIOLET),
    TrackPlan(id="v4", name="Subtitles", kind="video", role="subtitles", colour=_VIOLET),
    TrackPlan(id="a1", name="Dialogue 1", kind="audio", role="dialogue", colour=_SAGE),
    TrackPlan(id="a2", name="Dialogue 2", kind="audio", role="dialogue", colour=_SAGE),
    TrackPlan(id="a3", name="Effects", kind="audio", role="effects", colour=_OCHRE, channels=2),
    TrackPlan(id="a4", name="Ambience", kind="audio", role="ambience", colour=_OCHRE, channels=2),
    TrackPlan(id="a5", name="Music", kind="audio", role="music", colour=_BLUE, channels=2),
)


SHORT = (TRACKS[0], TRACKS[2], TRACKS[4], TRACKS[8])


FOLDERS = (
    Folder(
        id="material",
        name="Material",
        children=(
            Folder(id="cameras", name="Cameras"),
            Folder(id="archive", name="Archive"),
            Folder(id="sound-in", name="Sound"),
        ),
    ),
    Folder(id="cuts", name="Cuts"),
    Folder(
        id="graphics",
        name="Graphics",
        children=(Folder(id="titles", name="Titles"), Folder(id="stills", name="Stills")),
    ),
    Folder(id="renders", name="Renders"),
    Folder(id="mix", name="Mix", children=(Folder(id="stems", name="Stems"),)),
    Folder(id="out", name="Deliveries"),
)


PLACES = (
    StoragePlace(
        id="work", name="Material disk", purpose="work", path="/media/larkmoor/work", disk="external", plays_mb_s=900
    ),
    StoragePlace(
        id="cache", name="Render disk", purpose="cache", path="/media/larkmoor/cache", disk="external", plays_mb_s=640
    ),
    StoragePlace(
        id="stills",
        name="Reference pictures",
        purpose="stills",
        path="/media/larkmoor/work/stills",
        disk="external",
        plays_mb_s=900,
    ),
)


#: The demo's jobs are started from templates with this: they should not fill a disk.
SHORT_LINE_UP = TimecodePlan(line_up_length_s=3)
