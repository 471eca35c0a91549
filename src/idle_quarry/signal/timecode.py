"""Timecode: counted frame numbers at an exact rate, by SMPTE ST 12-1 and ST 12-3."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.signal.rates import counting_base, rate_text

_TEXT = re.compile(r"(\d{1,2}):(\d{2}):(\d{2})([:;.,])(\d{2,3})", re.ASCII)
#: Rates whose numbers may be dropped, with the pictures' numbers dropped a minute (ST 12-1). Above 30 frames a second
#: the number on the wire counts pairs of pictures (ST 12-1; above 60, ST 12-3): of pairs two are dropped at both rates.
_DROPPED = {Fraction(30000, 1001): 2, Fraction(60000, 1001): 4}


def can_drop(rate: Fraction) -> bool:
    """Return whether drop-frame counting exists at `rate`."""
    return rate in _DROPPED


@dataclass(frozen=True, order=False)
class Timecode:
    """A frame number since midnight, at a rate in frames a second, counted with or without drop-frame.

    `frames` wraps at 24 hours of count. Raises `NotPossible` when drop-frame is asked for at a rate
    that has none.
    """

    frames: int
    rate: Fraction
    drop: bool = False

    def __post_init__(self) -> None:
        if self.drop and not can_drop(self.rate):
            raise NotPossible(
                f"there is no drop-frame at {rate_text(self.rate)}",
                remedy="it exists only at 29.97 and 59.94, where counted and real time part",
            )
        object.__setattr__(self, "frames", self.frames % frames_a_day(self.rate, self.drop))

    @classmethod
    def from_text(cls, text: str, rate: Fraction) -> Timecode:
        """Return the timecode written as hh:mm:ss:ff, or hh:mm:ss;ff where numbers are dropped.

        Raises `NotUnderstood` for text that is no timecode, and `NotPossible` for a number that the
        count skips or that lies outside the day.
        """
        match = _TEXT.fullmatch(text.strip())
        if match is None:
            raise NotUnderstood(
                "not a timecode", subject=repr(text), remedy="write hh:mm:ss:ff, with ; before ff for drop-frame"
            )
        hours, minutes, seconds, frame = (int(match[i]) for i in (1, 2, 3, 5))
        drop = match[4] in ";,."
        base = counting_base(rate)
        if hours > 23 or minutes > 59 or seconds > 59:
            raise NotPossible("the day ends at 23:59:59", subject=repr(text))
        if frame >= base:
            raise NotPossible(f"at {rate_text(rate)} frames are numbered 0 to {base - 1}", subject=repr(text))
        if drop and not can_drop(rate):
            return cls(0, rate, True)  # raises with the reason
        skipped = _DROPPED[rate] if drop else 0
        if drop and seconds == 0 and minutes % 10 and frame < skipped:
            raise NotPossible(
                f"drop-frame skips numbers 0 to {skipped - 1} here", subject=repr(text), remedy=f"use ;{skipped:02d}"
            )
        total_minutes = hours * 60 + minutes
        number = (total_minutes * 60 + seconds) * base + frame
        return cls(number - skipped * (total_minutes - total_minutes // 10), rate, drop)

    def __str__(self) -> str:
        base = counting_base(self.rate)
        number = self.frames
        if self.drop:
            skipped = _DROPPED[self.rate]
            minute = base * 60 - skipped
            ten = base * 600 - 9 * skipped
            tens, rest = divmod(number, ten)
            number += 9 * skipped * tens
            if rest >= base * 60:
                number += skipped * ((rest - base * 60) // minute + 1)
        seconds, frame = divmod(number, base)
        digits = 3 if base > 100 else 2
        mark = ";" if self.drop else ":"
        return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{frame:0{digits}d}"

    def __add__(self, frames: int) -> Timecode:
        return Timecode(self.frames + frames, self.rate, self.drop)

    def seconds_earlier(self, seconds: int) -> Timecode:
        """Return the timecode whose count is `seconds` lower: 00:59:00:00 for a minute before 01:00:00:00.

        Where drop-frame skips that number, the first that exists in that second.

        >>> str(Timecode.from_text("01:00:00;00", Fraction(30000, 1001)).seconds_earlier(60))
        '00:59:00;02'
        """
        if not self.drop:
            return self - counted_frames(seconds, self.rate)
        hours, minutes, rest = str(self).split(":")
        second, frame = (int(part) for part in rest.split(";"))
        whole = (int(hours) * 3600 + int(minutes) * 60 + second - seconds) % 86400
        if whole % 60 == 0 and whole // 60 % 10:
            frame = max(frame, _DROPPED[self.rate])
        return Timecode.from_text(f"{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d};{frame:02d}", self.rate)

    def whole_seconds(self, step: int, first: int, last: int) -> Iterator[tuple[int, Timecode]]:
        """Yield the frames from `first` to `last`, counted from this timecode, at which the count comes to a
        multiple of `step` seconds.

        Where drop-frame skips that number, it is the first that exists in that second.

        >>> [n for n, _ in Timecode.from_text("00:00:59;00", Fraction(30000, 1001)).whole_seconds(1, 0, 60)]
        [0, 30, 58]
        """
        hours, minutes, rest = str(self + first).replace(";", ":").split(":", 2)
        begins = int(hours) * 3600 + int(minutes) * 60 + int(rest.split(":")[0])
        mark, digits = (";", 2) if self.drop else (":", 3 if counting_base(self.rate) > 100 else 2)
        day = frames_a_day(self.rate, self.drop)
        for second in range(-(-begins // step) * step, begins + 86400, step):
            skipped = _DROPPED[self.rate] if self.drop and second % 60 == 0 and second // 60 % 10 else 0
            clock = f"{second // 3600 % 24:02d}:{second // 60 % 60:02d}:{second % 60:02d}{mark}{skipped:0{digits}d}"
            there = Timecode.from_text(clock, self.rate)
            at = (there.frames_since(self) + day // 2) % day - day // 2  # the second that is under way began before
            if at > last:
                return
            if first <= at:
                yield at, there

    def __sub__(self, frames: int) -> Timecode:
        return Timecode(self.frames - frames, self.rate, self.drop)

    def frames_since(self, earlier: Timecode) -> int:
        """Return frames from `earlier` to this, across midnight. Raises `NotPossible` on unlike counts."""
        if (earlier.rate, earlier.drop) != (self.rate, self.drop):
            raise NotPossible("timecodes of different rates or counts have no difference in frames")
        return (self.frames - earlier.frames) % frames_a_day(self.rate, self.drop)

    @property
    def seconds(self) -> Fraction:
        """Real time since midnight, in seconds."""
        return self.frames / self.rate

    def converted(self, rate: Fraction, drop: bool = False) -> Timecode:
        """Return the timecode at `rate` of the picture showing at the same real time since midnight."""
        exact = self.seconds * rate
        return Timecode(exact.numerator // exact.denominator, rate, drop)


def start_timecode(text: str, drop: bool, rate: Fraction) -> Timecode:
    """Return a start that is written with either sign before its frames; raises `QuarryError` where it cannot be.

    >>> str(start_timecode("10:00:00:00", True, Fraction(30000, 1001)))
    '10:00:00;00'
    """
    text = text.replace(";", ":").strip()
    return Timecode.from_text(f"{text[:-3]};{text[-2:]}" if drop and len(text) >= 11 else text, rate)


def frames_a_day(rate: Fraction, drop: bool) -> int:
    """Return how many frames 24 hours of count hold: 2 589 408 at 30000/1001 with drop-frame."""
    minute = counting_base(rate) * 60
    return minute * 1440 - (_DROPPED[rate] * 1296 if drop else 0)


def counted_frames(seconds: int, rate: Fraction) -> int:
    """Return the frames of so many seconds of count: 600 in 20 s at 30000/1001, which last 20.02 s."""
    return seconds * counting_base(rate)


def drift_text(rate: Fraction) -> str:
    """Return in words how counted and real time part in an hour at `rate` without drop-frame."""
    behind = 3600 * (counting_base(rate) / rate - 1)
    if behind == 0:
        return "counted time is real time"
    return f"an hour of count lasts {float(behind):.1f} s more than an hour"
