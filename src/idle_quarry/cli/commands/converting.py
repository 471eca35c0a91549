"""Clips converted on the command line, as a template has it."""

from __future__ import annotations

from argparse import Namespace as Options
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.output import Output
from idle_quarry.cli.progress import ended, progress
from idle_quarry.errors import NotPossible, QuarryError
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.path.template import Template
    from idle_quarry.path.template_parts import Source


@command(
    "convert",
    argument("clip", metavar="CLIP"),
    argument("file", metavar="FILE"),
    argument("--template", required=True, metavar="NAME"),
    argument("--source", required=True, metavar="ID", help="whose conversion it is: a source's id or name"),
)
def convert(options: Options, out: Output) -> int:
    """A clip to the template's working format in its intermediate codec, by the link of its source."""
    from idle_quarry.cli.opening import opened, stored_of
    from idle_quarry.media.coding.converting import ConversionTarget, words_of
    from idle_quarry.media.coding.converting import convert as converted
    from idle_quarry.media.looking import look
    from idle_quarry.path.registry import codecs

    with opened(options) as library:
        template = stored_of(library, options.template).template
    source = _source(template, options.source)
    path = Path(options.file)
    clip = look(Path(options.clip))
    sound, working = template.sound, template.working.format
    target = ConversionTarget(
        working,
        codecs()[template.intermediate.codec],
        source.policy_for(clip.path.name),
        source.cadence,
        sound.sample_rate,
        sound.bit_depth,
        template.timecode.drop,
    )
    try:
        result = converted(clip, target, path, None if out.as_json else _frames())
    except KeyboardInterrupt:
        raise QuarryError("cancelled; nothing was left behind", subject=str(path)) from None
    finally:
        ended()
    was = format_words(clip.format, fields=True) if clip.format is not None else "unknown"
    differs = clip.format is not None and clip.format != source.format
    document = {**words_of(result), "codec": template.intermediate.codec, "from": was, "source": f"source:{source.id}"}
    speed = result.frames / float(result.format.rate) / result.seconds
    lines = [
        f"{result.path}: {format_words(result.format, fields=True)}, {result.frames} frames"
        + (f" from {result.start}" if result.start is not None else "")
        + f"; {result.channels} channels of sound; {speed:.2g} × real time",
    ]
    if differs:
        lines.append(
            f"{clip.name} is {was}, {source.name} is {format_words(source.format, fields=True)}: it was converted as"
            " what it is"
        )
    out.show(document | {"as_source": not differs}, lines)
    return 0


def _source(template: Template, name: str) -> Source:
    bare = name.removeprefix("source:").casefold()
    for source in template.sources:
        if bare in (source.id.casefold(), source.name.casefold()):
            return source
    names = ", ".join(source.id for source in template.sources) or "none"
    raise NotPossible("is no source of the template", subject=repr(name), remedy=f"it has {names}")


def _frames() -> Callable[[int, int, float], None] | None:
    """Return what tells a person at a terminal how many frames are done; nothing where nobody looks."""
    say = progress()
    return None if say is None else lambda done, of, speed: say(f"{done} of {of} frames, {speed:.2g} × real time")
