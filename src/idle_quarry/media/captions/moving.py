"""Caption files moved in time and written again in their own form: times are put elsewhere, all else stays as it is."""

from __future__ import annotations

import contextlib
import re
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from idle_quarry.errors import MediaError, NotPossible
from idle_quarry.files import written_whole
from idle_quarry.media.captions import stl, ttml
from idle_quarry.media.captions.caption_file import EBU_STL, SCC, TTML, form_of
from idle_quarry.media.captions.reading import read_captions, text_of
from idle_quarry.signal.rates import counting_base
from idle_quarry.signal.timecode import Timecode

_PLAIN_TIME = re.compile(r"(?:(\d{2,3}):)?([0-5]\d):([0-5]\d)([,.])(\d{1,3})", re.ASCII)
_SCC_TIME = re.compile(r"^(\d\d:\d\d:\d\d)([:;.])(\d\d)(?=\s)", re.MULTILINE | re.ASCII)


@dataclass(frozen=True)
class CaptionMove:
    """How captions move: from the pictures they were made for to those of another file.

    The first picture had the timecode `old_start`, the other file's has `new_start`. Moments are played `faster`; each
    of `parts` says from which second on it holds (at the new speed), and how many seconds later it then lies.
    """

    old_start: Timecode
    new_start: Timecode
    faster: Fraction = Fraction(1)
    parts: tuple[tuple[Fraction, Fraction], ...] = ((Fraction(0), Fraction(0)),)

    def moved(self, seconds: Fraction) -> Fraction:
        """Return where a moment, in seconds after the first picture, comes to lie."""
        played = seconds / self.faster
        later = [later for begin, later in self.parts if begin <= played]
        return played + (later[-1] if later else self.parts[0][1])


def write_moved(source: Path, target: Path, move: CaptionMove) -> None:
    """Write a caption file that belongs to other pictures: in its own form, nothing but its times changed.

    Raises `MediaError` for a file that is none, that names no time, or whose captions would lie before the beginning;
    nothing is written then.
    """
    form = form_of(source)
    before = read_captions(source)
    data = source.read_bytes()
    if form is EBU_STL:
        result = _stl_moved(data, move)
    elif form is SCC:
        result = _SCC_TIME.sub(lambda match: _scc_moved(match, move), text_of(data)).encode()
    elif form is TTML:
        result = ttml.with_times(
            text_of(data), lambda seconds: _not_before(move.moved(seconds)), lambda seconds: seconds / move.faster
        ).encode()
    else:
        lines = text_of(data).splitlines(keepends=True)
        result = "".join(_plain_moved(line, move) if "-->" in line else line for line in lines).encode()
    written_whole(target, result)
    after = read_captions(target)
    if len(after.cues) != len(before.cues):  # what was written is read again before anybody trusts it
        target.unlink(missing_ok=True)
        raise MediaError("could not be moved: some of its captions were lost", subject=source.name)


def _not_before(seconds: Fraction) -> Fraction:
    if seconds < 0:
        raise MediaError("a caption would begin before the first picture", remedy="choose another start")
    return seconds


def _stl_moved(data: bytes, move: CaptionMove) -> bytes:
    head = stl.head_of(data)
    rate = counting_base(move.new_start.rate)
    if rate not in (25, 30):
        raise MediaError(f"EBU STL counts 25 or 30 frames, not {rate}", remedy="ask for captions of another form")

    def moved(seconds: Fraction) -> Fraction:
        return _to_clock(move.new_start, _not_before(move.moved(_from_clock(move.old_start, seconds, head.rate))))

    return stl.with_times(data, moved, rate)


def _from_clock(start: Timecode, clock: Fraction, base: int) -> Fraction:
    """Return the seconds after the picture with timecode `start` at which a clock that counts `base` shows `clock`."""
    seconds, part = divmod(clock, 1)
    code = shown_timecode(int(seconds), round(part * counting_base(start.rate)), start)
    return Fraction(code.frames - start.frames) / start.rate


def shown_timecode(seconds: int, frame: int, like: Timecode) -> Timecode:
    """Return the timecode with such digits, counted as `like`: the next that exists where drop-frame skips it."""
    frame = min(frame, counting_base(like.rate) - 1)
    digits = f"{seconds // 3600 % 24:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
    for number in (frame, 2, 4):
        with contextlib.suppress(NotPossible):
            return Timecode.from_text(f"{digits}{';' if like.drop else ':'}{number:02}", like.rate)
    raise MediaError(f"{digits} is no timecode")


def _to_clock(start: Timecode, seconds: Fraction) -> Fraction:
    """Return the clock's seconds of the picture that lies so long after the one with timecode `start`."""
    shown = str(start + round(seconds * start.rate)).replace(";", ":")
    hours, minutes, whole, frame = (int(part) for part in shown.split(":"))
    return (hours * 60 + minutes) * 60 + whole + Fraction(frame, counting_base(start.rate))


def _scc_moved(match: re.Match[str], move: CaptionMove) -> str:
    hours, minutes, whole = (int(part) for part in match[1].split(":"))
    like = Timecode(0, move.old_start.rate, match[2] != ":")
    old = shown_timecode((hours * 60 + minutes) * 60 + whole, int(match[3]), like)
    seconds = Fraction(old.frames - move.old_start.frames) / move.old_start.rate
    return str(move.new_start + round(_not_before(move.moved(seconds)) * move.new_start.rate))


def _plain_moved(line: str, move: CaptionMove) -> str:
    def again(match: re.Match[str]) -> str:
        hours, minutes, seconds, point, rest = match.groups()
        whole = (int(hours or 0) * 60 + int(minutes)) * 60 + int(seconds) + Fraction(int(rest), 10 ** len(rest))
        moved = round(_not_before(move.moved(whole)) * 1000)
        text = f"{moved // 60000 % 60:02}:{moved // 1000 % 60:02}{point}{moved % 1000:03}"
        return text if hours is None and moved < 3_600_000 else f"{moved // 3_600_000:02}:{text}"

    return _PLAIN_TIME.sub(again, line, count=2)
