"""`suggest`: working formats between two ends, ranked."""

from __future__ import annotations

from pathlib import Path

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options, house_of
from idle_quarry.cli.output import Output, complain
from idle_quarry.errors import MediaError
from idle_quarry.path.beginning.two_ends import delivery_from_words, source_from_words, suggested
from idle_quarry.path.template_parts import Delivery, Source
from idle_quarry.signal.words import format_words, pulled_reading


@command(
    "suggest",
    argument(
        "--source", action="append", default=[], metavar="S[=SHARE]", help="a signal format or a clip, with its share"
    ),
    argument("--delivery", action="append", default=[], metavar="D", help="a standard delivery or a signal format"),
)
def suggest(options: Options, out: Output) -> int:
    """Working formats between two ends, best first."""
    house = house_of(options)
    sources: list[Source] = []
    for text in options.source:
        source = source_from_words(_words_of_clip(text), sources, house.sixty)
        sources.append(source)
        _say_reading(text, source)
    outs: list[Delivery] = []
    for text in options.delivery:
        delivery = delivery_from_words(text, outs, house)
        outs.append(delivery)
        _say_reading(text, delivery)
    suggestions = suggested(sources, outs)
    lines = []
    for place, suggestion in enumerate(suggestions[:8], 1):
        cost = suggestion.cost
        lines.append(
            f"{place}. {suggestion.words}: {suggestion.grade}, loss {cost.loss:.2f}, "
            f"{cost.gb_per_hour:.0f} GB an hour" + (f", broken {cost.broken:.2f}" if cost.broken else "")
        )
        lines += [f"   {reason}" for reason in suggestion.reasons]
    if len(suggestions) > 8:
        lines.append(f"and {len(suggestions) - 8} more (--json shows all)")
    out.show([suggestion.to_json() for suggestion in suggestions], lines)
    return 0


def _say_reading(text: str, end: Source | Delivery) -> None:
    """Print how a 60 was read where the house is one of 59.94 Hz."""
    sentence = pulled_reading(text.partition("=")[0], end.format)
    if sentence:
        complain(sentence)


def _words_of_clip(text: str) -> str:
    """Return a source as it was typed, or the format of the clip it names, with the share that follows."""
    head, sign, share = text.rpartition("=")
    for path, tail in ((Path(text), ""), (Path(head), f"={share}") if sign else (Path(text), "")):
        if path.is_file():
            from idle_quarry.media.looking import look

            clip = look(path)
            if clip.format is None:
                raise MediaError("it has no signal format to be a source of", subject=str(path))
            return format_words(clip.format) + tail
    return text
