"""Caption files read: EBU STL, TTML and the two plain forms by their own rules, CEA-608 by ttconv."""

from __future__ import annotations

import re
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

from idle_quarry.errors import MediaError
from idle_quarry.media.captions import stl, ttml
from idle_quarry.media.captions.caption_file import (
    EBU_STL,
    SCC,
    SRT,
    TTML,
    WEB_VTT,
    CaptionFile,
    CaptionForm,
    Cue,
    form_of,
)
from idle_quarry.signal.rates import NAMED_RATES

#: Ten hours of captions are a few megabytes.
_MOST_BYTES = 20_000_000
_MOST_CUES = 50_000
_SRT_TIMES = re.compile(
    r"^\s*(\d{1,3}):([0-5]\d):([0-5]\d)[,.](\d{1,3})\s*-->\s*(\d{1,3}):([0-5]\d):([0-5]\d)[,.](\d{1,3})", re.ASCII
)
_VTT_TIMES = re.compile(
    r"^\s*(?:(\d{2,}):)?([0-5]\d):([0-5]\d)\.(\d{3})\s+-->\s+(?:(\d{2,}):)?([0-5]\d):([0-5]\d)\.(\d{3})", re.ASCII
)
_TAG = re.compile(r"<[^<>]{0,200}>|\{\\[^{}]{0,50}\}")


def read_captions(path: Path) -> CaptionFile:
    """Return a file of captions.

    Raises `MediaError` with a sentence for a file that is none, is damaged, or is greater than captions are.
    """
    form = form_of(path)
    if form is None:
        raise MediaError("is no file of captions", subject=path.name, remedy="give .stl, .srt, .vtt, .scc or .ttml")
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise MediaError("is greater than captions are", subject=path.name)
        data = path.read_bytes()
    except OSError as error:
        raise MediaError(f"cannot be read: {error.strerror}", subject=path.name) from error
    try:
        result = _READERS[form.name](path, form, data)
    except MediaError as error:
        raise MediaError(error.what, subject=path.name, remedy=error.remedy) from error
    except Exception as error:  # ttconv raises whatever it meets in what it did not expect
        raise MediaError(
            f"cannot be read as {form.name}: {type(error).__name__}", subject=path.name, remedy="write it anew"
        ) from error
    if not result.cues:
        raise MediaError("has no captions in it", subject=path.name)
    return result


def text_of(data: bytes) -> str:
    """Return a plain form's text: UTF-8, with or without its mark, UTF-16 by its mark, else Latin-1."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _in_order(cues: Iterator[Cue]) -> tuple[Cue, ...]:
    results = []
    for cue in cues:
        results.append(cue)
        if len(results) > _MOST_CUES:
            raise MediaError(f"has more than {_MOST_CUES} captions")
    return tuple(sorted(results, key=lambda cue: (cue.begin, cue.end)))


# -- EBU STL -------------------------------------------------------------------------------------------------------


def _stl(path: Path, form: CaptionForm, data: bytes) -> CaptionFile:
    head = stl.head_of(data)
    return CaptionFile(
        path,
        form,
        _in_order(_stl_cues(data, head.rate)),
        rate=Fraction(head.rate),
        programme_start=Fraction(head.start, head.rate),
        most_rows=head.rows,
        most_columns=head.columns,
    )


def _stl_cues(data: bytes, rate: int) -> Iterator[Cue]:
    """Yield captions; one that fills several blocks is one."""
    before: list[stl.StlBlock] = []
    for block in stl.blocks_of(data):
        before.append(block)
        if block.goes_on:
            continue
        lines = tuple(line for part in before for line in part.lines)
        first, before = before[0], []
        if lines:
            yield Cue(Fraction(first.begin, rate), Fraction(first.end, rate), lines, row=first.row)


# -- the plain forms -----------------------------------------------------------------------------------------------


def _plain(path: Path, form: CaptionForm, data: bytes) -> CaptionFile:
    text = text_of(data)
    if form is WEB_VTT and not text.startswith("WEBVTT"):
        raise MediaError("does not begin with WEBVTT")
    return CaptionFile(path, form, _in_order(_plain_cues(text, _SRT_TIMES if form is SRT else _VTT_TIMES)))


def _plain_cues(text: str, times: re.Pattern[str]) -> Iterator[Cue]:
    lines = text.splitlines()
    starts = [(number, match) for number, line in enumerate(lines) if (match := times.match(line))]
    if not starts:
        raise MediaError("has no times in it")
    for (number, match), following in zip(starts, [*(number for number, _ in starts[1:]), len(lines)], strict=True):
        shown = []
        for line in lines[number + 1 : following]:
            if not line.strip():
                break
            shown.append(_TAG.sub("", line).strip())
        parts = match.groups()
        yield Cue(_seconds(parts[:4]), _seconds(parts[4:]), tuple(line for line in shown if line))


def _seconds(parts: tuple[str | Any, ...]) -> Fraction:
    hours, minutes, seconds, rest = parts
    whole = (int(hours or 0) * 60 + int(minutes)) * 60 + int(seconds)
    return whole + Fraction(int(rest), 10 ** len(rest))


# -- CEA-608, by ttconv, and TTML -------------------------------------------------------------------------------------


def _scc(path: Path, form: CaptionForm, data: bytes) -> CaptionFile:
    import ttconv.scc.reader

    text = text_of(data)
    if not text.startswith("Scenarist_SCC"):
        raise MediaError("does not begin as SCC does")
    drop = bool(re.search(r"^\d\d:\d\d:\d\d[;.]\d\d\b", text, re.MULTILINE | re.ASCII))
    document = ttconv.scc.reader.to_model(text)
    rate = NAMED_RATES["29.97"]
    return CaptionFile(path, form, _in_order(_paragraphs(document)), rate=rate, drop=drop)


def _paragraphs(document: Any) -> Iterator[Cue]:
    """Yield the captions of what ttconv made of CEA-608: all of them with times of their own."""
    from ttconv.model import Br, P, Text

    for paragraph in document.get_body().dfs_iterator():
        if not isinstance(paragraph, P):
            continue
        words = "".join(
            item.get_text() if isinstance(item, Text) else "\n"
            for item in paragraph.dfs_iterator()
            if isinstance(item, Text | Br)
        )
        lines = tuple(line for line in (line.strip() for line in words.split("\n")) if line)
        if lines:
            begin = paragraph.get_begin() or Fraction(0)
            yield Cue(begin, paragraph.get_end() or begin, lines)


def _ttml(path: Path, form: CaptionForm, data: bytes) -> CaptionFile:
    return CaptionFile(path, form, _in_order(ttml.paragraphs_of(data)), profile=ttml.profile_of(text_of(data)))


_READERS = {EBU_STL.name: _stl, SRT.name: _plain, WEB_VTT.name: _plain, SCC.name: _scc, TTML.name: _ttml}
