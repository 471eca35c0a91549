"""The recipe: a shell script that makes intermediates with FFmpeg's command line, as the template's links say."""

from __future__ import annotations

import shlex

from idle_quarry.media.code_points import FFMPEG_MATRICES, FFMPEG_PRIMARIES, FFMPEG_TRANSFERS
from idle_quarry.media.coding.encode import encoder_options, encoder_pixels
from idle_quarry.media.names import clip_suffix
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Template
from idle_quarry.signal.formats import ORDER_WORDS, SignalFormat
from idle_quarry.signal.rates import rate_fraction_text
from idle_quarry.signal.words import format_words


def recipe(template: Template, evaluation: Evaluation) -> str:
    """Return the script of a template and its evaluation.

    It takes a source and a target and encodes the intermediate, flags and all.

    It conforms nothing: a clip that is not in the working format is refused by its raster, rate, scan or field order,
    since how it should be converted is the source link's policy, stated in the comments.
    """
    fmt = template.intermediate_format
    codec = codecs()[template.intermediate.codec]
    pixels = encoder_pixels(codec, fmt)
    options: list[str] = []
    for key, value in encoder_options(codec, pixels.format).items():
        if key not in ("aspect", "flags", "field_order"):
            options += [f"-{'b:v' if key == 'b' else key}", value]
    e = pixels.format.encoding
    colour = [
        "-color_primaries",
        FFMPEG_PRIMARIES[e.primaries],
        "-color_trc",
        FFMPEG_TRANSFERS[e.transfer],
        "-colorspace",
        FFMPEG_MATRICES[e.matrix],
        "-color_range",
        "pc" if e.range == "full" else "tv",
    ]
    aspect = fmt.raster.pixel_aspect
    filters = [f"setsar={aspect.numerator}/{aspect.denominator}", _field_filter(fmt)]
    flags = ["-flags", "+ildct+ilme" if codec.encode.encoder in ("mpeg2video", "libx264") else "+ildct"]
    command = ["ffmpeg", "-hide_banner", "-i", '"$1"', "-map", "0:v:0", "-map", "0:a?", "-vf", ",".join(filters)]
    command += [
        "-r",
        rate_fraction_text(fmt.rate),
        "-c:v",
        codec.encode.encoder,
        "-pix_fmt",
        pixels.name,
        *options,
        *colour,
    ]
    command += flags if fmt.scan != "progressive" else []
    command += ["-c:a", f"pcm_s{template.sound.bit_depth}le", "-ar", str(template.sound.sample_rate), '"$2"']
    quoted = " ".join(part if part.startswith('"$') else shlex.quote(part) for part in command)
    notes = [f"#   {link.source}: {link.grade}" for link in evaluation.links if link.source.startswith("source:")]
    size = f"{fmt.raster.width}x{fmt.raster.height}"
    order = ORDER_WORDS[fmt.field_order] if fmt.scan != "progressive" and fmt.field_order else "whole pictures"
    return "\n".join(
        [
            "#!/bin/sh",
            f"# Intermediate of {_comment(template.name)}: {codec.name}, {format_words(fmt, fields=True)}",
            f"# usage: sh 'Intermediate recipe.sh' SOURCE TARGET{clip_suffix(codec)}",
            "# SOURCE is already in the working format; links of the template that convert:",
            *(notes or ["#   none"]),
            "set -eu",
            '[ $# -eq 2 ] || { echo "usage: SOURCE TARGET" >&2; exit 2; }',
            (
                'said() { ffprobe -v error -select_streams v:0 -show_entries "stream=$1" -of csv=p=0:s=x "$source" |'
                " head -n 1 | tr -d ,; }"
            ),
            (
                'wants() { case " $3 " in *" $2 "*) ;; *) echo "$source: its $1 is $2, the template works at $4:'
                ' convert it first" >&2; exit 1;; esac; }'
            ),
            "source=$1",
            f'wants raster "$(said width,height)" {size} {size}',
            f'wants "frame rate" "$(said r_frame_rate)" {rate_fraction_text(fmt.rate)} {rate_fraction_text(fmt.rate)}',
            f'wants "field order" "$(said field_order)" "{_field_words(fmt)}" "{order}"',
            quoted,
            "",
        ]
    )


def _field_words(fmt: SignalFormat) -> str:
    """Return what ffprobe may call the fields of a format; PsF travels under either flag."""
    first = "tt tb" if fmt.field_order == "top" else "bb bt"
    if fmt.scan == "progressive":
        return "progressive unknown"
    return f"progressive unknown {first}" if fmt.scan == "psf" else first


def _field_filter(fmt: SignalFormat) -> str:
    if fmt.scan == "progressive":
        return "setfield=prog"
    return f"setfield={'tff' if fmt.field_order == 'top' else 'bff'}"


def _comment(text: str) -> str:
    return " ".join(text.split())
