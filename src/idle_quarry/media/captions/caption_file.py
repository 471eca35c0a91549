"""Captions as values: what is shown, from when to when, in which lines."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path


@dataclass(frozen=True)
class Cue:
    """One caption: its lines, and when it is shown, in seconds of the file's own time, which may be a timecode's.

    `row` is the row of its first line where the form counts rows, `inside` whether its region lies in the safe area;
    None where the form does not say.
    """

    begin: Fraction
    end: Fraction
    lines: tuple[str, ...]
    row: int | None = None
    inside: bool | None = None

    @property
    def letters(self) -> int:
        """How many signs are to be read."""
        return sum(len(line) for line in self.lines)


@dataclass(frozen=True)
class CaptionForm:
    """A form of caption files: its name, its suffixes, and the most lines and columns it can or should have.

    `by_timecode` says that its times are timecodes of the pictures, not counted from the file's first.
    """

    name: str
    suffixes: tuple[str, ...]
    rows: int
    columns: int
    by_timecode: bool = False


#: Tech 3264 (teletext rows of 40 with their controls), CEA-608 (15 rows of 32; four at a time), and for the rest what
#: fits a screen: two lines of 42 are usual, three may be.
EBU_STL = CaptionForm("EBU STL", (".stl",), 23, 40, by_timecode=True)
SCC = CaptionForm("CEA-608", (".scc",), 4, 32, by_timecode=True)
SRT = CaptionForm("SRT", (".srt",), 3, 42)
WEB_VTT = CaptionForm("WebVTT", (".vtt",), 3, 42)
TTML = CaptionForm("TTML", (".ttml", ".dfxp", ".itt", ".xml"), 3, 42)
FORMS = (EBU_STL, SCC, SRT, WEB_VTT, TTML)


@dataclass(frozen=True)
class CaptionFile:
    """A file of captions: its form, its profile where it names one ("IMSC 1.1", "EBU-TT-D"), the rate and count of its
    timecodes where it has any, the timecode at which it says that the programme starts, and its captions in order.
    """

    path: Path
    form: CaptionForm
    cues: tuple[Cue, ...]
    profile: str = ""
    rate: Fraction | None = None
    drop: bool = False
    programme_start: Fraction | None = None  #: seconds of timecode
    most_rows: int = 0
    most_columns: int = 0

    @property
    def kind(self) -> str:
        """The word of a delivery spec that it answers."""
        return self.profile or self.form.name


def form_of(path: Path) -> CaptionForm | None:
    """Return the form of caption files that a suffix names; None for another file."""
    return next((form for form in FORMS if path.suffix.lower() in form.suffixes), None)


def beside(path: Path) -> list[Path]:
    """Return the caption files that lie beside a clip under its name, with a language or without: `a.stl`, `a.en.srt`.

    Those that are called `.xml` are taken only where they are TTML by their first words.
    """
    results = []
    try:
        names = sorted(path.parent.iterdir())
    except OSError:
        return []
    for name in names:
        stem = name.name[: -len(name.suffix)] if name.suffix else name.name
        if stem != path.stem and not stem.startswith(f"{path.stem}."):
            continue
        if form_of(name) is None or not name.is_file() or (name.suffix.lower() == ".xml" and not _is_ttml(name)):
            continue
        results.append(name)
    return results


def _is_ttml(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return b"http://www.w3.org/ns/ttml" in file.read(4096)
    except OSError:
        return False
