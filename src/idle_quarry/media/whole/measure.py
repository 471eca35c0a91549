"""A whole file as one value: what its pictures and its sound are, found in one go and kept by the file's content."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

from pydantic import TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from idle_quarry.errors import MediaError
from idle_quarry.files import sha256_of, written_whole
from idle_quarry.media.clip import Clip
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.memory import identity
from idle_quarry.media.whole.layout import PROGRAMME, Item, items_of
from idle_quarry.media.whole.pictures import PicturesWhole, pictures_of
from idle_quarry.media.whole.sound import SoundWhole, Span, sound_of, tone_spans
from idle_quarry.places import memory_folder

#: Counts up whenever measurement answers differently: what an earlier one found is measured again.
MEASUREMENT = 1
#: Hears what is under way and the share that is done; it may raise to stop.
Told = Callable[[str, float], None]


@dataclass(frozen=True)
class Whole:
    """What a file is as a whole. `sha256` is of its bytes; `items` what lies in it; sound is of the programme alone, tones of the whole file."""

    measurement: int
    sha256: str
    size: int
    pictures: PicturesWhole
    items: tuple[Item, ...]
    sound: SoundWhole | None
    tones: tuple[Span, ...]

    @property
    def programme(self) -> tuple[int, int]:
        """The frames from the programme's first to the one after its last; all of them where none was found."""
        found = [item for item in self.items if item.what == PROGRAMME]
        return (found[0].first, found[-1].last) if found else (0, self.pictures.frames)


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Whole]:
    return TypeAdapter(Whole)


def whole(
    path: Path, mix: Sequence[int] | None = None, *, breaks: bool = False, told: Told | None = None
) -> tuple[Clip, Whole]:
    """Return a file as it declares itself and as it is, from memory where this content was measured before.

    `mix` are the channels (from 0) of the full mix; `breaks` whether black divides the programme into parts. Raises `MediaError` where
    the file cannot be read or has no pictures, and what `told` raises.
    """
    clip = inspect(path)
    if not clip.declared.has_picture:
        raise MediaError("has no pictures", subject=path.name)
    say = told or (lambda _what, _share: None)
    try:
        # by time too: what was written over in its middle has the same size, beginning and end
        when = path.stat().st_mtime_ns
        kept_as = f"{identity(path)} {when:x} {'-'.join(map(str, mix or ()))}{' parts' if breaks else ''}"
    except OSError as error:
        raise MediaError(f"cannot be read ({error.strerror})", subject=str(path)) from error
    kept = memory_folder() / "whole" / f"{kept_as}.json"
    known = _remembered(kept, path)
    if known is not None:
        return clip, known
    say("reading it", 0.0)
    digest = sha256_of(path)
    frames = max(1, clip.declared.frames or 1)
    pictures = pictures_of(clip, lambda done: say("looking at every picture", 0.02 + 0.83 * min(1.0, done / frames)))
    rate = clip.declared.rate or 25
    items = items_of(pictures.parts, float(rate), breaks=breaks)
    found = Whole(MEASUREMENT, digest, path.stat().st_size, pictures, items, None, ())
    if clip.declared.audio:
        first, last = (float(frame / rate) for frame in found.programme)
        sound = sound_of(
            path,
            mix,
            (first, last),
            lambda s: say("listening to all sound", 0.85 + 0.13 * min(1.0, s / max(1.0, last))),
        )
        channels = len(sound.channels) if sound is not None else 0
        tones = tone_spans(path, channels, float(pictures.frames / rate)) if channels else ()
        found = replace(found, sound=sound, tones=tones)
    with contextlib.suppress(OSError):
        kept.parent.mkdir(parents=True, exist_ok=True)
        written_whole(kept, _adapter().dump_json(found))
    return clip, found


def _remembered(kept: Path, path: Path) -> Whole | None:
    try:
        found = _adapter().validate_json(kept.read_bytes())
        return found if found.measurement == MEASUREMENT and found.size == path.stat().st_size else None
    except (OSError, ValidationError, ValueError):
        return None
