"""`codecs`: which codecs can hold a format, with their data rates."""

from __future__ import annotations

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options, house_of, named_format
from idle_quarry.cli.output import Output, table
from idle_quarry.path.codecs import cannot_hold, gb_per_hour, holding, mbps
from idle_quarry.path.entries import Codec


@command("codecs", argument("--format", required=True, metavar="F", dest="format_words"))
def codecs(options: Options, out: Output) -> int:
    """The codecs that can hold a format, lowest data rate first."""
    fmt = named_format(options.format_words, options)
    document, rows = [], []
    own = [codec for codec in house_of(options).of("codec") if isinstance(codec, Codec) and not cannot_hold(codec, fmt)]
    for codec in sorted([*holding(fmt), *own], key=lambda codec: mbps(codec, fmt)):
        rate = mbps(codec, fmt)
        document.append(
            {
                "id": codec.id,
                "name": codec.name,
                "standard": codec.standard,
                "profile": codec.profile,
                "mbps": round(rate, 3),
                "gb_per_hour": round(gb_per_hour(rate), 3),
                "lossless": codec.lossless,
                "bit_depth": codec.holds.bit_depth,
                "sampling": max(codec.holds.samplings),
                "quality": codec.quality,
            }
        )
        rows.append((codec.name, f"{rate:.1f} Mb/s", f"{gb_per_hour(rate):.1f} GB/h", codec.quality, codec.standard))
    out.show(document, table(rows))
    return 0
