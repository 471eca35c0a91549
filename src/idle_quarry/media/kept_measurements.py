"""What is known of clips, kept by their content: a second look is instant, a correction by hand stays with the clip."""

from __future__ import annotations

import contextlib
import hashlib
from functools import lru_cache
from pathlib import Path

from pydantic import TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from idle_quarry.errors import QuarryError
from idle_quarry.files import written_whole
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.measurement.results import Measurement
from idle_quarry.media.names import STILL_SUFFIXES
from idle_quarry.media.sequences import run_of
from idle_quarry.places import data_folder, memory_folder
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import Sixty, format_from_words, format_words

#: Counts up whenever measurement answers differently: what an earlier one found is measured again.
MEASUREMENT = 7
#: Bytes read at the beginning, the middle and the end of a file to know it again.
_PIECE = 65536


@dataclass(frozen=True)
class KeptMeasurement:
    """What is known of a clip's content, by which version of measurement."""

    measurement: int
    name: str
    declared: DeclaredProperties
    measured: Measurement


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[KeptMeasurement]:
    return TypeAdapter(KeptMeasurement)


def identity(path: Path) -> str:
    """Return what tells a clip's content from others': a digest of its size and of pieces of it. Raises `OSError`.

    A numbered run of stills is known by all its names and sizes and its first still.
    """
    digest = hashlib.sha256()
    run = run_of(path) if path.suffix.lower() in STILL_SUFFIXES else None
    if run is not None and len(run.numbers) > 1:
        for number in run.numbers:
            still = run.folder / run.file_name(number)
            digest.update(f"{number}:{still.stat().st_size};".encode())
    size = path.stat().st_size
    digest.update(f"{path.suffix.lower()} {size};".encode())
    with path.open("rb") as file:
        for place in sorted({0, max(0, size // 2 - _PIECE // 2), max(0, size - _PIECE)}):
            file.seek(place)
            digest.update(file.read(_PIECE))
    return digest.hexdigest()[:40]


def remembered(ident: str) -> KeptMeasurement | None:
    """Return what is kept of a content by this version of measurement, or None; a damaged note counts as none."""
    try:
        kept_measurement = _adapter().validate_json(_note(ident).read_bytes())
    except (OSError, ValidationError):
        return None
    return kept_measurement if kept_measurement.measurement == MEASUREMENT else None


def remember(ident: str, name: str, declared: DeclaredProperties, measured: Measurement) -> None:
    """Keep what was measured. A full or read-only disk keeps nothing, and that is no error."""
    with contextlib.suppress(OSError):
        _note(ident).parent.mkdir(parents=True, exist_ok=True)
        written_whole(_note(ident), _adapter().dump_json(KeptMeasurement(MEASUREMENT, name, declared, measured)))


def _note(ident: str) -> Path:
    return memory_folder() / "clips" / f"{ident}.json"


def correction(ident: str) -> SignalFormat | None:
    """Return the format that somebody said a content has, or None."""
    try:
        return format_from_words(_correction(ident).read_text(encoding="utf-8"), Sixty.EXACT)
    except (OSError, QuarryError):
        return None


def correct(ident: str, fmt: SignalFormat | None) -> None:
    """Keep what somebody knows better of a content; None takes it back. Raises `OSError`."""
    place = _correction(ident)
    if fmt is None:
        place.unlink(missing_ok=True)
        return
    place.parent.mkdir(parents=True, exist_ok=True)
    written_whole(place, format_words(fmt).encode())


def _correction(ident: str) -> Path:
    return data_folder() / "corrections" / f"{ident}.txt"
