"""Findings about where things are kept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from pathlib import PurePosixPath

from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import remedy

#: Folders that a Linux system keeps on its own disk unless somebody mounted something there.
SYSTEM_FOLDERS = ("/home", "/root", "/tmp", "/var", "/usr", "/etc", "/opt", "/boot", "/srv")


@lru_cache(maxsize=4096)
def on_system_disk(path: str) -> bool:
    """Return whether a path lies where Linux keeps its own things (by its name alone)."""
    if path in ("/", "~") or path.startswith("~/"):
        return True
    parts = PurePosixPath(path)
    return any(parts.is_relative_to(folder) for folder in SYSTEM_FOLDERS)


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with the folders things are kept in, and their disks."""
    t = e.template
    if not any(place.purpose == "work" for place in t.places):
        yield Finding("caution", "no_work_place", "places", "Nothing says where material is kept.")
    safe = next(
        (p for p in t.places if p.path and p.disk in ("external", "internal") and not on_system_disk(p.path)), None
    )
    for place in t.places:
        where = f"places.{place.id}"
        if place.disk == "system" or (place.disk == "not known" and on_system_disk(place.path)):
            text = (
                f"{place.name} ({place.path or 'no path'}) is on the system disk: when it fills up, the machine stops."
            )
            cure = None
            if safe is not None and safe.id != place.id:
                new = f"{safe.path.rstrip('/')}/{place.purpose}"
                cure = remedy(f"Keep it on {safe.name}", (f"{where}.path", new), (f"{where}.disk", safe.disk))
            yield Finding("stop", "place_on_system_disk", "places", text, cure)
        elif not place.path.strip():
            yield Finding(
                "note", "place_open", "places", f"{place.name} has no path yet: each room will have to choose."
            )
        elif not place.path.startswith("/"):
            text = f"{place.name}: {place.path!r} is not a whole path; it should begin with /."
            yield Finding(
                "caution",
                "place_not_absolute",
                "places",
                text,
                remedy("Begin with /", (f"{where}.path", "/" + place.path)),
            )
