"""The frame of a list held against a template: rate, drop-frame, start, tracks, the rates of its media, and what
each means.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from fractions import Fraction

from idle_quarry.jobs.conform.lists import CutList
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import is_pulled, rate_text
from idle_quarry.signal.timecode import start_timecode

_HOUR = 3600
#: So many timecodes without the last number of a count make it unlikely that they are of it: (1 − 1/n) to that power is
#: 1 %.
_TELLING = 4.6


def frame_findings(cuts: CutList, template: Template) -> list[Finding]:
    """Return each difference between a list's frame and a template's, with what it would do."""
    return [*_rate(cuts, template), *_start(cuts, template), *_tracks(cuts, template), *_media(cuts, template)]


def _rate(cuts: CutList, template: Template) -> Iterator[Finding]:
    wanted, counted = template.working.format.rate, cuts.timeline.rate
    if counted != wanted:
        yield Finding(
            "stop",
            "list-rate",
            "list",
            f"The list counts at {rate_text(counted)}, the template at {rate_text(wanted)}: read frame for frame it"
            f" {_ends(counted, wanted)} and plays {_pace(counted, wanted)}; picture and sound of clips at"
            f" {rate_text(counted)} stay whole only if they are played at that speed. Read by time, cuts fall between"
            f" frames of {rate_text(wanted)} and are moved by up to half of one.",
            numbers={
                "list": rate_text(counted),
                "template": rate_text(wanted),
                "seconds_an_hour": float(_HOUR * (counted / wanted - 1)),
            },
        )
    elif cuts.rate is None:
        most = _last_numbers(cuts)
        base = round(wanted)
        lower = [number for number in (24, 25, 30) if number < base and most[1] >= _TELLING * base and most[0] < number]
        if lower:
            yield Finding(
                "caution",
                "list-rate-unsaid",
                "list",
                f"The list says no rate. None of its {most[1]} timecodes ends on more than :{most[0]:02d}; one counted"
                f" at {base} likely would. It may be counted at {lower[0]}: then read at {rate_text(wanted)} it"
                f" {_ends(Fraction(lower[0]), wanted)}.",
            )
        else:
            yield Finding(
                "note",
                "list-rate-unsaid",
                "list",
                f"The list says no rate; it is read as counted at {rate_text(wanted)}.",
            )
    if cuts.count_unsaid:
        yield Finding(
            "caution",
            "list-count-unsaid",
            "list",
            "The list does not say whether it drops numbers, and is read as if it did not: at"
            f" {rate_text(counted)} the same number is another frame in the other count, by up to 3.6 s an hour.",
        )
    if cuts.drop is not None and counted == wanted and is_pulled(wanted) and cuts.drop != template.timecode.drop:
        says = ("drop-frame", "without dropping") if cuts.drop else ("without dropping", "drop-frame")
        yield Finding(
            "caution",
            "list-drop",
            "list",
            f"The list is counted {says[0]}, the template {says[1]}: the same number is a frame"
            f" {'later' if cuts.drop else 'earlier'} by up to 3.6 s an hour. Positions are taken from its start, so"
            " nothing moves; its record timecodes are not those of the timeline.",
        )


def _start(cuts: CutList, template: Template) -> Iterator[Finding]:
    if not cuts.start:
        return
    timecode = start_timecode(template.timecode.start, template.timecode.drop, template.working.format.rate)
    own = cuts.timeline.start
    if str(own) != str(timecode):
        yield Finding(
            "note",
            "list-start",
            "list",
            f"The list starts at {own}, the template at {timecode}: its events keep their distances and begin at"
            f" {timecode}.",
        )


def _tracks(cuts: CutList, template: Template) -> Iterator[Finding]:
    timelines = template.timelines
    if not timelines:
        return
    for kind, own, word in ((PICTURE, "video", "picture"), (SOUND, "audio", "sound")):
        has = sum(track.kind == kind for track in cuts.timeline.tracks)
        most = max(sum(track.kind == own for track in timeline.tracks) for timeline in timelines)
        if has > most:
            yield Finding(
                "note",
                "list-tracks",
                "list",
                f"The list has {has} tracks of {word}, the template's timelines {most}: {has - most} are added.",
            )


def _media(cuts: CutList, template: Template) -> Iterator[Finding]:
    wanted = template.working.format.rate
    rates = Counter(item.media.rate for _, item in cuts.timeline.items if item.media is not None)
    for rate, count in sorted(rates.items()):
        if rate not in (wanted, cuts.timeline.rate):
            yield Finding(
                "caution",
                "media-rate",
                "list",
                f"{count} {'event shows' if count == 1 else 'events show'} media at {rate_text(rate)} in a timeline at"
                f" {rate_text(wanted)}: each goes through the conversion of its source class.",
            )


def _last_numbers(cuts: CutList) -> tuple[int, int]:
    """Return the highest frame number of a list's timecodes within their seconds, and how many timecodes it has."""
    base = round(cuts.timeline.rate)
    numbers = [
        frame % base
        for _, item in cuts.timeline.items
        for frame in (cuts.timeline.start.frames + item.at, cuts.timeline.start.frames + item.end, int(item.begins))
    ]
    return max(numbers, default=0), len(numbers)


def _ends(counted: Fraction, wanted: Fraction) -> str:
    """Return how much earlier or later an hour ends that is counted at one rate and played at another."""
    apart = _HOUR * (counted / wanted - 1)
    seconds = abs(float(apart))
    minutes, rest = divmod(seconds, 60)
    text = f"{int(minutes)} min {rest:.0f} s" if minutes else f"{rest:.1f} s"
    return f"ends {text} {'early' if apart < 0 else 'late'} an hour"


def _pace(counted: Fraction, wanted: Fraction) -> str:
    share = float(wanted / counted - 1) * 100
    return f"{abs(share):.2g} % {'faster' if share > 0 else 'slower'}"
