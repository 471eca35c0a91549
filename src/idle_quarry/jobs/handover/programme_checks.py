"""What is checked of a file in time: its timecode, what lies in it one after the other, its name, sound against picture."""

from __future__ import annotations

import re
from collections.abc import Iterator

from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, Check, CheckedFile, agrees
from idle_quarry.jobs.handover.leaders import frames_before, frames_of
from idle_quarry.media.measurement.sync import flash_and_pip
from idle_quarry.path.entries.naming import FIELDS, fields_of, made_name
from idle_quarry.path.entries.programme import ProgrammeItem
from idle_quarry.signal.timecode import Timecode, start_timecode

#: How far sound may be from picture, ms: 40 early, 60 late (EBU R 37).
_EARLY, _LATE = -40.0, 60.0
#: A test of sync flashes at least so often in a second.
_FLASHES = 0.5
#: Found items that may stand for what a layout calls otherwise.
_SAME = {
    "slate": ("slate", "clock"),
    "clock": ("clock", "slate"),
    "silence": ("black",),
    "break": ("break", "black"),
    "end black": ("end black", "black"),
}


def programme_checks(checked_file: CheckedFile) -> Iterator[Check]:
    """Yield the checks of timecode, layout, name and sync."""
    yield _timecode(checked_file)
    yield _layout(checked_file)
    yield _naming(checked_file)
    yield _sync(checked_file)


def wanted_start(checked_file: CheckedFile) -> Timecode | None:
    """Return the timecode that the file's first picture is to have: the programme's, earlier by what lies before it."""
    delivery = checked_file.delivery
    start = (checked_file.layout.starts if checked_file.layout is not None else "") or delivery.start
    try:
        programme = start_timecode(start, delivery.drop, delivery.format.rate)
    except QuarryError:
        return None
    return programme + -frames_before(checked_file.layout, delivery.format.rate)


def _timecode(checked_file: CheckedFile) -> Check:
    declared, timecode = checked_file.clip.declared, wanted_start(checked_file)
    if declared.timecode is None:
        return checked_file.check(
            "timecode", str(timecode), None, FAILS, f"it has no timecode; its first picture is to be {timecode}"
        )
    found = checked_file.start
    breaks = [frame for frame, _ in checked_file.found.pictures.timecodes[1:]]
    said = [f"first picture {found}"]
    wrong = timecode is None or (found.frames, found.drop) != (timecode.frames, timecode.drop)
    if wrong:
        said.append(
            f"{timecode} is wanted"
            if timecode is None or found.drop == timecode.drop
            else f"{timecode} is wanted, {'drop' if timecode.drop else 'non-drop'} frame"
        )
    own = checked_file.found.pictures.timecodes
    part = bool(own and own[0][0] == 0 and own[0][1].replace(";", ":") != str(found).replace(";", ":"))
    if part:
        said.append(f"the pictures themselves say {own[0][1]}")
    if breaks:
        said.append(f"{len(breaks)} breaks in the pictures' own")
    count = declared.uneven or declared.frames
    lacks = count is not None and abs(count - checked_file.found.pictures.frames) > 1
    if lacks:
        said.append(f"the file declares {count} pictures and has {checked_file.found.pictures.frames}")
    verdict = FAILS if wrong or part or breaks or lacks else PASSES
    return checked_file.check(
        "timecode", str(timecode), str(found), verdict, "; ".join(said), [(frame, frame + 1) for frame in breaks]
    )


def _layout(checked_file: CheckedFile) -> Check:
    items, rate = checked_file.found.items, float(checked_file.rate)
    found = [
        {"what": item.what, "seconds": round(item.frames / rate, 3), "from": str(checked_file.start + item.first)}
        for item in items
    ]
    said = ", ".join(f"{item.what} {item.frames / rate:.1f} s" for item in items)
    if checked_file.layout is None:
        led = [item for item in items if item.what not in ("programme", "end black", "black", "break")]
        spans = [(item.first, item.last) for item in led]
        if not led:
            return checked_file.check("layout", "the programme alone", found, PASSES, said)
        return checked_file.check(
            "layout", "the programme alone", found, LOOK, f"{said}; no layout is asked for", spans
        )
    wrong, spans = [], []
    least = sum(want.seconds or 0 for want in checked_file.layout.items)
    if checked_file.found.pictures.frames < frames_of(least, checked_file.rate):
        length = checked_file.found.pictures.frames / rate
        wrong.append(
            f"the file is {length:.1f} s long, and what its layout asks for around the programme takes {least:g} s"
        )
    there = list(items)
    for want in checked_file.layout.items:
        names = _SAME.get(want.what, (want.what,))
        item = there[0] if there and there[0].what in names else None
        if item is None:
            if want.what == "end black" and not there:
                wrong.append(f"no black of {want.seconds:g} s at the end")
                spans.append((max(0, checked_file.found.pictures.frames - 1), checked_file.found.pictures.frames))
            else:
                lies = f" where {there[0].what} lies" if there else ""
                wrong.append(f"no {want.what}{f' of {want.seconds:g} s' if want.seconds else ''}{lies}")
                if there:
                    spans.append((there[0].first, there[0].last))
            continue
        there.pop(0)
        why = _differs(checked_file, want, item.frames)
        if why:
            wrong.append(f"{item.what} at {checked_file.start + item.first} {why}")
            spans.append((item.first, item.last))
        if want.tone and not any(
            tone.first_s < item.last / rate - 0.5 and tone.last_s > item.first / rate + 0.5
            for tone in checked_file.found.tones
        ):
            wrong.append(f"no tone with the {item.what}")
            spans.append((item.first, item.last))
    for item in there:
        wrong.append(f"{item.what} of {item.frames / rate:.1f} s is not wanted")
        spans.append((item.first, item.last))
    if wrong:
        return checked_file.check("layout", checked_file.layout.words, found, FAILS, "; ".join(wrong), spans)
    return checked_file.check("layout", checked_file.layout.words, found, PASSES, said)


def _differs(checked_file: CheckedFile, want: ProgrammeItem, frames: int) -> str:
    """Return how an item's length differs from what is wanted, "" where it is near enough."""
    if want.seconds is None:
        return ""
    off = frames - frames_of(want.seconds, checked_file.rate)
    # a programme that begins or ends in black makes the black beside it longer
    if abs(off) <= checked_file.layout_tolerance or (off > 0 and want.what in ("black", "end black")):
        return ""
    return f"is {abs(off)} pictures {'longer' if off > 0 else 'shorter'} than {want.seconds:g} s"


def _naming(checked_file: CheckedFile) -> Check:
    rule = checked_file.delivery.file_name
    if not rule:
        return checked_file.check("naming", None, checked_file.path.name, NOT_CHECKED, "no rule says how it is called")
    pattern = _pattern(rule)
    fits = pattern.fullmatch(checked_file.path.stem) is not None
    example = made_name(rule, FIELDS)
    text = (
        f"{checked_file.path.stem} is as the rule has it"
        if fits
        else f"{checked_file.path.stem} is not as the rule has it: as in {example}"
    )
    return checked_file.check("naming", rule, checked_file.path.stem, agrees(fits), text)


def _pattern(rule: str) -> re.Pattern[str]:
    """Return what names that a rule makes look like: a field is some text, or so many digits."""
    fields_of(rule)
    made = ""
    for part in re.split(r"(\{[^{}]*\})", rule):
        if not part.startswith("{"):
            made += re.escape(part)
            continue
        name, _, form = part[1:-1].partition(":")
        made += (rf"\d{{{int(form)},}}" if form else r"\d+") if isinstance(FIELDS[name], int) else r".+?"
    return re.compile(made)


def _sync(checked_file: CheckedFile) -> Check:
    wanted = f"sound within {_EARLY:g} to {_LATE:g} ms of picture"
    none = "it has no flashes with pips by which that could be measured"
    if checked_file.found.pictures.most_flashes < _FLASHES:
        return checked_file.check("sync", wanted, None, NOT_CHECKED, none)
    try:
        parting = flash_and_pip(checked_file.path, checked_file.clip.declared)
    except MediaError:
        return checked_file.check(
            "sync", wanted, None, NOT_CHECKED, "it has no flashes with pips by which that could be measured"
        )
    fits = _EARLY <= parting.offset_ms <= _LATE
    return checked_file.check("sync", wanted, round(parting.offset_ms, 1), agrees(fits), parting.words())
