"""What is checked of a file in time: its timecode, what lies in it one after the other, its name, sound against picture."""

from __future__ import annotations

import re
from collections.abc import Iterator

from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, Check, CheckedFile, agrees
from idle_quarry.jobs.handover.leaders import frames_before, frames_of
from idle_quarry.media.measurement.sync import flash_and_pip
from idle_quarry.path.entries.naming import FIELDS, fields_of, made_name
from idle_quarry.path.entries.programme import ProgrammeItem as Wanted
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


def programme_checks(seen: CheckedFile) -> Iterator[Check]:
    """Yield the checks of timecode, layout, name and sync."""
    yield _timecode(seen)
    yield _layout(seen)
    yield _naming(seen)
    yield _sync(seen)


def wanted_start(seen: CheckedFile) -> Timecode | None:
    """Return the timecode that the file's first picture is to have: the programme's, earlier by what lies before it."""
    delivery = seen.delivery
    start = (seen.layout.starts if seen.layout is not None else "") or delivery.start
    try:
        programme = start_timecode(start, delivery.drop, delivery.format.rate)
    except QuarryError:
        return None
    return programme + -frames_before(seen.layout, delivery.format.rate)


def _timecode(seen: CheckedFile) -> Check:
    declared, wanted = seen.clip.declared, wanted_start(seen)
    if declared.timecode is None:
        return seen.check(
            "timecode", str(wanted), None, FAILS, f"it has no timecode; its first picture is to be {wanted}"
        )
    found = seen.start
    breaks = [frame for frame, _ in seen.found.pictures.timecodes[1:]]
    said = [f"first picture {found}"]
    wrong = wanted is None or (found.frames, found.drop) != (wanted.frames, wanted.drop)
    if wrong:
        said.append(
            f"{wanted} is wanted"
            if wanted is None or found.drop == wanted.drop
            else f"{wanted} is wanted, {'drop' if wanted.drop else 'non-drop'} frame"
        )
    own = seen.found.pictures.timecodes
    part = bool(own and own[0][0] == 0 and own[0][1].replace(";", ":") != str(found).replace(";", ":"))
    if part:
        said.append(f"the pictures themselves say {own[0][1]}")
    if breaks:
        said.append(f"{len(breaks)} breaks in the pictures' own")
    count = declared.uneven or declared.frames
    lacks = count is not None and abs(count - seen.found.pictures.frames) > 1
    if lacks:
        said.append(f"the file declares {count} pictures and has {seen.found.pictures.frames}")
    verdict = FAILS if wrong or part or breaks or lacks else PASSES
    return seen.check(
        "timecode", str(wanted), str(found), verdict, "; ".join(said), [(frame, frame + 1) for frame in breaks]
    )


def _layout(seen: CheckedFile) -> Check:
    items, rate = seen.found.items, float(seen.rate)
    found = [
        {"what": item.what, "seconds": round(item.frames / rate, 3), "from": str(seen.start + item.first)}
        for item in items
    ]
    said = ", ".join(f"{item.what} {item.frames / rate:.1f} s" for item in items)
    if seen.layout is None:
        led = [item for item in items if item.what not in ("programme", "end black", "black", "break")]
        spans = [(item.first, item.last) for item in led]
        if not led:
            return seen.check("layout", "the programme alone", found, PASSES, said)
        return seen.check("layout", "the programme alone", found, LOOK, f"{said}; no layout is asked for", spans)
    wrong, spans = [], []
    least = sum(want.seconds or 0 for want in seen.layout.items)
    if seen.found.pictures.frames < frames_of(least, seen.rate):
        length = seen.found.pictures.frames / rate
        wrong.append(
            f"the file is {length:.1f} s long, and what its layout asks for around the programme takes {least:g} s"
        )
    there = list(items)
    for want in seen.layout.items:
        names = _SAME.get(want.what, (want.what,))
        item = there[0] if there and there[0].what in names else None
        if item is None:
            if want.what == "end black" and not there:
                wrong.append(f"no black of {want.seconds:g} s at the end")
                spans.append((max(0, seen.found.pictures.frames - 1), seen.found.pictures.frames))
            else:
                lies = f" where {there[0].what} lies" if there else ""
                wrong.append(f"no {want.what}{f' of {want.seconds:g} s' if want.seconds else ''}{lies}")
                if there:
                    spans.append((there[0].first, there[0].last))
            continue
        there.pop(0)
        why = _differs(seen, want, item.frames)
        if why:
            wrong.append(f"{item.what} at {seen.start + item.first} {why}")
            spans.append((item.first, item.last))
        if want.tone and not any(
            tone.first_s < item.last / rate - 0.5 and tone.last_s > item.first / rate + 0.5 for tone in seen.found.tones
        ):
            wrong.append(f"no tone with the {item.what}")
            spans.append((item.first, item.last))
    for item in there:
        wrong.append(f"{item.what} of {item.frames / rate:.1f} s is not wanted")
        spans.append((item.first, item.last))
    if wrong:
        return seen.check("layout", seen.layout.words, found, FAILS, "; ".join(wrong), spans)
    return seen.check("layout", seen.layout.words, found, PASSES, said)


def _differs(seen: CheckedFile, want: Wanted, frames: int) -> str:
    """Return how an item's length differs from what is wanted, "" where it is near enough."""
    if want.seconds is None:
        return ""
    off = frames - frames_of(want.seconds, seen.rate)
    # a programme that begins or ends in black makes the black beside it longer
    if abs(off) <= seen.layout_tolerance or (off > 0 and want.what in ("black", "end black")):
        return ""
    return f"is {abs(off)} pictures {'longer' if off > 0 else 'shorter'} than {want.seconds:g} s"


def _naming(seen: CheckedFile) -> Check:
    rule = seen.delivery.file_name
    if not rule:
        return seen.check("naming", None, seen.path.name, NOT_CHECKED, "no rule says how it is called")
    pattern = _pattern(rule)
    fits = pattern.fullmatch(seen.path.stem) is not None
    example = made_name(rule, FIELDS)
    text = (
        f"{seen.path.stem} is as the rule has it"
        if fits
        else f"{seen.path.stem} is not as the rule has it: as in {example}"
    )
    return seen.check("naming", rule, seen.path.stem, agrees(fits), text)


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


def _sync(seen: CheckedFile) -> Check:
    wanted = f"sound within {_EARLY:g} to {_LATE:g} ms of picture"
    none = "it has no flashes with pips by which that could be measured"
    if seen.found.pictures.most_flashes < _FLASHES:
        return seen.check("sync", wanted, None, NOT_CHECKED, none)
    try:
        parting = flash_and_pip(seen.path, seen.clip.declared)
    except MediaError:
        return seen.check(
            "sync", wanted, None, NOT_CHECKED, "it has no flashes with pips by which that could be measured"
        )
    fits = _EARLY <= parting.offset_ms <= _LATE
    return seen.check("sync", wanted, round(parting.offset_ms, 1), agrees(fits), parting.words())
