"""What is checked of a file in time: its timecode, what lies in it one after the other, its name, sound against
picture.
"""

from __future__ import annotations

import re

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, CheckedFile, Outcome, agrees
from idle_quarry.jobs.handover.leaders import first_timecode, frames_of, lead_frames, programme_start
from idle_quarry.path.entries.naming import FIELDS, fields_of, made_name
from idle_quarry.path.entries.programme import ProgrammeItem, ProgrammeLayout
from idle_quarry.signal.timecode import Timecode

#: How far sound may be from picture, ms: 40 early, 60 late (EBU R 37).
_EARLY, _LATE = -40.0, 60.0
#: Found items that may stand for what a layout calls otherwise.
_SAME = {
    "slate": ("slate", "clock"),
    "clock": ("clock", "slate"),
    "silence": ("black",),
    "break": ("break", "black"),
    "end black": ("end black", "black"),
}


def wanted_start(file: CheckedFile) -> Timecode | None:
    """Return the timecode that the file's first picture is to have: the programme's, earlier by what lies before it."""
    try:
        return first_timecode(file.delivery, file.layout)
    except QuarryError:
        return None


def timecode(file: CheckedFile) -> Outcome:
    """Hold the first timecode, and what pictures say themselves, against what is wanted."""
    declared, timecode = file.clip.declared, wanted_start(file)
    if declared.timecode is None:
        return Outcome(str(timecode), None, FAILS, f"it has no timecode; its first picture is to be {timecode}")
    result = file.start
    breaks = [frame for frame, _ in file.measurement.pictures.timecodes[1:]]
    texts = [f"first picture {result}"]
    wrong = timecode is None or (result.frames, result.drop) != (timecode.frames, timecode.drop)
    if wrong:
        texts.append(
            f"{timecode} is wanted"
            if timecode is None or result.drop == timecode.drop
            else f"{timecode} is wanted, {'drop' if timecode.drop else 'non-drop'} frame"
        )
    own = file.measurement.pictures.timecodes
    part = bool(own and own[0][0] == 0 and own[0][1].replace(";", ":") != str(result).replace(";", ":"))
    if part:
        texts.append(f"the pictures themselves say {own[0][1]}")
    if breaks:
        texts.append(f"{len(breaks)} breaks in the pictures' own")
    count = declared.uneven or declared.frames
    lacks = count is not None and abs(count - file.measurement.pictures.frames) > 1
    if lacks:
        texts.append(f"the file declares {count} pictures and has {file.measurement.pictures.frames}")
    verdict = FAILS if wrong or part or breaks or lacks else PASSES
    return Outcome(str(timecode), str(result), verdict, "; ".join(texts), [(frame, frame + 1) for frame in breaks])


def layout(file: CheckedFile) -> Outcome:
    """Hold what lies in the file one after the other against the layout that is wanted."""
    items, rate = file.measurement.items, float(file.rate)
    results = [
        {"what": item.what, "seconds": round(item.frames / rate, 3), "from": str(file.start + item.first)}
        for item in items
    ]
    text = ", ".join(f"{item.what} {item.frames / rate:.1f} s" for item in items)
    if file.layout is None:
        led = [item for item in items if item.what not in ("programme", "end black", "black", "break")]
        spans = [(item.first, item.last) for item in led]
        if not led:
            return Outcome("the programme alone", results, PASSES, text)
        return Outcome("the programme alone", results, LOOK, f"{text}; no layout is asked for", spans)
    wrong, spans = [], []
    least = sum(want.seconds or 0 for want in file.layout.items)
    if file.measurement.pictures.frames < frames_of(least, file.rate):
        length = file.measurement.pictures.frames / rate
        wrong.append(
            f"the file is {length:.1f} s long, and what its layout asks for around the programme takes {least:g} s"
        )
    there, lengths = list(items), _lengths(file, file.layout)
    for want, length in zip(file.layout.items, lengths, strict=True):
        names = _SAME.get(want.what, (want.what,))
        item = there[0] if there and there[0].what in names else None
        if item is None:
            if want.what == "end black" and not there:
                wrong.append(f"no black of {want.seconds:g} s at the end")
                spans.append((max(0, file.measurement.pictures.frames - 1), file.measurement.pictures.frames))
            else:
                lies = f" where {there[0].what} lies" if there else ""
                wrong.append(f"no {want.what}{f' of {want.seconds:g} s' if want.seconds else ''}{lies}")
                if there:
                    spans.append((there[0].first, there[0].last))
            continue
        there.pop(0)
        why = _differs(file, want, item.frames - length)
        if why:
            wrong.append(f"{item.what} at {file.start + item.first} {why}")
            spans.append((item.first, item.last))
        if want.tone and not any(
            tone.first_s < item.last / rate - 0.5 and tone.last_s > item.first / rate + 0.5
            for tone in file.measurement.tones
        ):
            wrong.append(f"no tone with the {item.what}")
            spans.append((item.first, item.last))
    for item in there:
        wrong.append(f"{item.what} of {item.frames / rate:.1f} s is not wanted")
        spans.append((item.first, item.last))
    if wrong:
        return Outcome(file.layout.words, results, FAILS, "; ".join(wrong), spans)
    return Outcome(file.layout.words, results, PASSES, text)


def _lengths(file: CheckedFile, layout: ProgrammeLayout) -> list[int]:
    """Return how many pictures each item of a layout is to have; 0 for a programme, which is as long as it is."""
    lengths = [frames_of(item.seconds or 0, file.rate) for item in layout.items]
    try:
        lead = lead_frames(layout, programme_start(file.delivery, layout))
    except QuarryError:
        return lengths
    return [*lead, *lengths[len(lead) :]]


def _differs(file: CheckedFile, want: ProgrammeItem, off: int) -> str:
    """Return how an item's length differs from what is wanted, by so many pictures, "" where it is near enough."""
    if want.seconds is None:
        return ""
    # a programme that begins or ends in black makes the black beside it longer
    if abs(off) <= file.layout_tolerance or (off > 0 and want.what in ("black", "end black")):
        return ""
    return f"is {abs(off)} pictures {'longer' if off > 0 else 'shorter'} than {want.seconds:g} s"


def naming(file: CheckedFile) -> Outcome:
    """Hold the file's name against its rule."""
    rule = file.delivery.file_name
    if not rule:
        return Outcome(None, file.path.name, NOT_CHECKED, "no rule says how it is called")
    pattern = _pattern(rule)
    fits = pattern.fullmatch(file.path.stem) is not None
    example = made_name(rule, FIELDS)
    text = (
        f"{file.path.stem} is as the rule has it"
        if fits
        else f"{file.path.stem} is not as the rule has it: as in {example}"
    )
    return Outcome(rule, file.path.stem, agrees(fits), text)


def _pattern(rule: str) -> re.Pattern[str]:
    """Return what names that a rule makes look like: a field is some text, or so many digits."""
    fields_of(rule)
    text = ""
    for part in re.split(r"(\{[^{}]*\})", rule):
        if not part.startswith("{"):
            text += re.escape(part)
            continue
        name, _, form = part[1:-1].partition(":")
        text += (rf"\d{{{int(form)},}}" if form else r"\d+") if isinstance(FIELDS[name], int) else r".+?"
    return re.compile(text)


def sync(file: CheckedFile) -> Outcome:
    """Hold sound against picture by flashes and pips (EBU R 37)."""
    wanted, parting = f"sound within {_EARLY:g} to {_LATE:g} ms of picture", file.measurement.sync
    if parting is None:
        text = "it has no flashes with pips by which that could be measured"
        return Outcome(wanted, None, NOT_CHECKED, text)
    fits = _EARLY <= parting.offset_ms <= _LATE
    return Outcome(wanted, round(parting.offset_ms, 1), agrees(fits), parting.words())
