"""The events of a CMX 3600 list: its lines, each with the counts that hold for it, and what its comments add.

A list says no rate. Frame numbers tell the least count there can be, drop-frame tells 29.97 or 59.94. How numbers are
counted is said by `FCM`, which governs the events after it until the next, and by the mark before the frames: where a
list has a `;` anywhere, each of its times is counted as its own mark says.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from idle_quarry.errors import NotPossible, NotUnderstood, QuarryError
from idle_quarry.signal.rates import counting_base, rate_text
from idle_quarry.signal.timecode import Timecode, can_drop, frames_a_day

#: The rates whose numbers are dropped, by the most frames that a second of them has.
_DROP_RATES = {30: Fraction(30000, 1001), 60: Fraction(60000, 1001)}
#: Characters of a tape's name that a list holds.
CMX_TAPE = 8
_MOST_LINES, _MOST_EVENTS = 400_000, 50_000
_NUMBER = re.compile(r"\d{1,6}[A-Za-z]?", re.ASCII)
_FRAMES = re.compile(r"\b\d{2}:\d{2}:\d{2}[:;.,](\d{2})\b", re.ASCII)
_TIME = re.compile(r"\d{1,2}:\d{2}:\d{2}[:;.,]\d{2}", re.ASCII)
_SPEED = re.compile(r"M2\s+(\S+)\s+([-+]?\d+(?:\.\d+)?)\b", re.ASCII)
_LOCATOR = re.compile(r"(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+(\w*)\s*(.*)", re.ASCII)
#: The greatest denominator of a speed that is taken for what an M2's rounded number stands for.
_PLAIN = 4
_COMMENTS = (
    ("FROM CLIP NAME", "name"),
    ("TO CLIP NAME", "to_name"),
    ("FROM CLIP IS", "name"),
    ("SOURCE FILE", "file"),
    ("FROM FILE", "file"),
    ("FROM CLIP", "file"),
    ("CLIP NAME", "name"),
)


@dataclass
class EdlEvent:
    """One line of a list with what its comments add.

    `source` are frames of the source's own count, drop-frame where `source_drop`; `record` are frames of the list's
    count from the midnight before its first event on.
    """

    line: int
    number: str
    reel: str
    channel: str
    kind: str
    length: int  # of its transition
    source: tuple[int, int]
    record: tuple[int, int]
    source_drop: bool = False
    name: str = ""
    to_name: str = ""
    file: str = ""
    speed: Fraction | None = None
    freeze: bool = False
    marks: list[tuple[int, str, str]] = field(default_factory=list)
    comments: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class EdlCount:
    """How a list is counted: the rate, whether its record times drop numbers, whether marks tell that, and whether
    anything tells it at all.
    """

    rate: Fraction
    drop: bool
    marked: bool
    stated: bool


def least_rate(text: str, otherwise: Fraction) -> Fraction:
    """Return `otherwise`, or the least usual rate at which all frame numbers in a list exist."""
    most = max((int(result) for result in _FRAMES.findall(text)), default=0)
    if most < counting_base(otherwise):
        return otherwise
    return Fraction(next((base for base in (25, 30, 50, 60) if most < base), 60))


def count_of_list(lines: Sequence[str], otherwise: Fraction, drop: bool | None = None) -> EdlCount:
    """Return how a list is counted; `drop` is how record times are where the list does not tell."""
    text = "\n".join(lines)
    times = [_TIME.findall(line) for line in lines if line[:1].isdigit()]
    marked = any(_is_marked(time) for event in times for time in event)
    modes = [mode for mode in (_mode(line) for line in lines) if mode is not None]
    stated = marked or bool(modes)
    before = next((line for line in lines if _mode(line) is not None or line[:1].isdigit()), "")
    own = any(_is_marked(time) for event in times for time in event[-2:]) if marked else bool(_mode(before))
    if not stated and drop:
        own = True
    rate = least_rate(text, otherwise)
    if (marked or any(modes) or own) and not can_drop(rate):
        rate = _DROP_RATES[30 if counting_base(least_rate(text, Fraction(24))) <= 30 else 60]
    elif modes and rate == 30 and otherwise != 30:
        rate = _DROP_RATES[30]  # only there is there a count to choose
    return EdlCount(rate, own, marked, stated)


def _mode(line: str) -> bool | None:
    """Return what an FCM statement says: True for drop-frame; None for another line."""
    upper = line.upper()
    return upper.split(":", 1)[1].strip().startswith("DROP") if upper.startswith("FCM:") else None


def _is_marked(time: str) -> bool:
    return time[-3] in ";,"


class EdlReader:
    """Reads the lines of a list one after the other; `lost` takes what is read otherwise than it stands."""

    def __init__(self, count: EdlCount, lost: list[str]) -> None:
        self._count, self._lost = count, lost
        self._mode = count.drop  #: what the FCM statement in force says
        self._record = 0  #: where the event before began
        self._day = frames_a_day(count.rate, count.drop)
        self.title = ""
        self.events: list[EdlEvent] = []

    def read(self, lines: Sequence[str]) -> None:
        """Take all lines. Raises `NotUnderstood`, naming the line, for what is no event or no timecode."""
        if len(lines) > _MOST_LINES:
            raise NotUnderstood(f"more than {_MOST_LINES} lines", subject="the list")
        for number, line in enumerate(lines, 1):
            if not line:
                continue
            mode = _mode(line)
            if mode is not None:
                self._mode = mode
            elif line.upper().startswith("TITLE:"):
                self.title = line.split(":", 1)[1].strip()
            elif _NUMBER.fullmatch(line.split(None, 1)[0]) and len(line.split()) >= 8:
                self._event(line.split(), number)
            elif line[0].isdigit():
                raise NotUnderstood(
                    "an event has eight fields or nine",
                    subject=f"line {number}: {line[:60]!r}",
                    remedy="number, tape, channel, cut, and four timecodes",
                )
            elif self.events:
                self._comment(line, self.events[-1], number)

    def _event(self, fields: list[str], line: int) -> None:
        number, reel, channel, kind = fields[:4]
        count = self._count
        drop = any(_is_marked(time) for time in fields[-4:-2] if len(time) > 3) if count.marked else self._mode
        source = [self._frames(text, line, drop, f"event {number}, ") for text in fields[-4:-2]]
        record = [self._frames(text, line, count.drop, f"event {number}, ") for text in fields[-2:]]
        if source[1] < source[0] - frames_a_day(count.rate, drop) // 2:
            source[1] += frames_a_day(count.rate, drop)  # past midnight
        day = self._day
        begin = record[0] + day * round((self._record - record[0]) / day) if self.events else record[0]
        end = record[1] + day * round((begin - record[1]) / day)
        self._record = begin
        length = 0
        if len(fields) >= 9 and kind.upper() != "C":
            if not fields[-5].isdigit():
                raise NotUnderstood("a transition has a length in frames", subject=f"line {line}: {fields[-5]!r}")
            length = int(fields[-5])
        self.events.append(
            EdlEvent(
                line=line,
                number=number,
                reel=reel,
                channel=channel.upper(),
                kind=kind.upper(),
                length=length,
                source=(source[0], source[1]),
                record=(begin, end),
                source_drop=drop,
            )
        )
        if len(self.events) > _MOST_EVENTS:
            raise NotUnderstood(f"more than {_MOST_EVENTS} events", subject="the list")

    def _frames(self, text: str, line: int, drop: bool, where: str = "") -> int:
        """Return a timecode's frame, or a bare number of frames; what drop-frame skips is the next there is."""
        if text.isdigit() and text.isascii():
            return int(text[:9])
        rate = self._count.rate
        marked = f"{text[:-3]}{';' if drop else ':'}{text[-2:]}"
        try:
            return Timecode.from_text(marked, rate).frames
        except NotPossible as error:
            if drop and text[-5:-3] == "00" and text[-2:].isdigit() and int(text[-2:]) < counting_base(rate) // 15:
                first = f"{counting_base(rate) // 15:02d}"
                self._lost.append(
                    f"{where}line {line}: {text} is a number that drop-frame skips; read as {text[:-3]};{first}"
                )
                return Timecode.from_text(f"{marked[:-2]}{first}", rate).frames
            raise self._no_timecode(text, line, drop, error) from error
        except QuarryError as error:
            raise self._no_timecode(text, line, drop, error) from error

    def _no_timecode(self, text: str, line: int, drop: bool, error: QuarryError) -> NotUnderstood:
        counted = f"{rate_text(self._count.rate)}{', drop-frame' if drop else ''}"
        return NotUnderstood(f"no timecode at {counted}: {error.what}", subject=f"line {line}: {text[:20]!r}")

    def _comment(self, line: str, event: EdlEvent, number: int) -> None:
        speed = _SPEED.match(line)
        if speed is not None:
            self._speed(speed[1], speed[2], number)
            return
        body = line.lstrip("* ").strip()
        upper = body.upper()
        if upper.startswith("FREEZE FRAME"):
            event.freeze = True
            return
        if upper.startswith("LOC"):
            match = _LOCATOR.match(body[3:].lstrip(": "))
            if match is not None:
                at, day = self._frames(match[1], number, self._count.drop), self._day
                at += day * round((event.record[0] - at) / day)
                event.marks.append((at, match[3].strip(), match[2]))
                return
        for words, what in _COMMENTS:
            if upper.startswith(words):
                setattr(event, what, body[len(words) :].lstrip(": ").strip())
                return
        if upper.startswith("SPLIT:"):
            self._lost.append(
                f"line {number}: the delay of a split edit is not kept apart; its two events are read as they stand"
            )
        else:
            event.comments.append(body)

    def _speed(self, reel: str, text: str, number: int) -> None:
        """Give a speed to the event of its reel: of the last edit, which has two in a dissolve, else the last that
        has that reel.
        """
        last = self.events[-1].number
        near = [event for event in reversed(self.events) if event.number == last]
        event = next((event for event in (*near, *reversed(self.events)) if _same_reel(event.reel, reel)), None)
        if event is None:
            self._lost.append(f"line {number}: a speed for the reel {reel[:32]!r}, which no event has, is left out")
            return
        event.speed = speed_of(text, self._count.rate)


def _same_reel(one: str, other: str) -> bool:
    return one[:CMX_TAPE].casefold() == other[:CMX_TAPE].casefold()


def speed_of(text: str, rate: Fraction) -> Fraction:
    """Return the speed that an M2 tells in frames a second, rounded or cut off at its last digit.

    It is told of the whole number by which the rate is called, or of the rate itself.

    >>> [str(speed_of(text, Fraction(30000, 1001))) for text in ("015.0", "029.9", "-060.0", "025.5")]
    ['1/2', '1', '-2', '17/20']
    """
    value, digits = abs(Fraction(text)), len(text.partition(".")[2])
    if not value:
        return Fraction(0)
    low, high = value - Fraction(1, 2 * 10**digits), value + Fraction(1, 10**digits)
    speed = (value / counting_base(rate)).limit_denominator(1000)
    for below in range(1, _PLAIN + 1):
        for base in (Fraction(counting_base(rate)), rate):
            above = -(-low * below // base)
            if above > 0 and above * base < high * below:
                return Fraction(above, below) * (-1 if text.startswith("-") else 1)
    return -speed if text.startswith("-") else speed
