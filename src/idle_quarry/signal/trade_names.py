"""Names of tapes, codecs and countries that people say for a signal, and the signal each is."""

from __future__ import annotations

import re
from collections.abc import Callable
from fractions import Fraction

#: What a name is: words of a format, or of several, of which one must be chosen.
_Signal = str | tuple[str, ...]
#: A bit rate, or the number of a codec's class, which is no rate of pictures.
_MBPS = r"(?:[\s-]*\d{2,3}[\s-]*mb(?:it)?(?:/s|ps))?"
_D10 = rf"(?:d-?10|imx)(?:[\s-]*(?:30|40|50)\b)?{_MBPS}"
_DV100 = r"(?:dvcpro[\s-]*hd|dv[\s-]*100)\b"
_DV100_SIGNALS = ("1440x1080i25 8bit 16:9", "1280x1080i29.97 8bit 16:9", "960x720p50 8bit", "960x720p59.94 8bit")
#: A name that a word of the text says again, once the name has said it: the lines, and the rate with its scan.
_AGAIN_1080 = r"(?:\s*1080i?)?[\s/]*"

#: Letters without which a name cannot be there, the name as a pattern, and the signal. The first that fits is taken; a
#: rate that is said beside it stays. Patterns are compiled when they are needed: most formats have no such name.
NAMES: tuple[tuple[str, str, _Signal], ...] = (
    ("dv", r"\b(?:dv[\s-]*pal|pal[\s-]*dv)\b", "576i25 8bit 4:2:0 bff"),
    ("dv", r"\b(?:dv[\s-]*ntsc|ntsc[\s-]*dv)\b", "480i29.97 8bit 4:1:1 bff"),
    ("ntsc", r"\bntsc[\s-]*film\b", "480p23.976"),
    ("ntsc", r"\bntsc[\s-]*j\b", "480i29.97"),
    ("pal", r"\bpal[\s-]*m\b", "480i29.97"),
    ("secam", r"\bsecam\b", "576i25"),
    ("uhd", r"\buhd[\s-]*2\b", "8k"),
    ("hdr", r"\bhdr\s*10\b(?!\+)", "pq 10bit"),
    ("2100", r"\bhlg[\s-]+(?:itu-r )?bt[\s.-]*2100\b|\b(?:itu-r )?bt[\s.-]*2100[\s-]+hlg\b", "hlg"),
    ("2100", r"\bpq[\s-]+(?:itu-r )?bt[\s.-]*2100\b|\b(?:itu-r )?bt[\s.-]*2100[\s-]+pq\b", "pq"),
    # tapes and files of 625 and 525 lines: SMPTE ST 356 has 512 and 608 rows, of which 486 and 576 are picture
    ("d-10|d10|imx", rf"\b(?:pal[\s-]+{_D10}(?!\w)|{_D10}[\s-]*(?:pal|625)\b)", "576i25 8bit"),
    ("d-10|d10|imx", rf"\b(?:ntsc[\s-]+{_D10}(?!\w)|{_D10}[\s-]*(?:ntsc|525)\b)", "486i29.97 8bit"),
    ("d-10|d10|imx", rf"\b{_D10}(?!\w)(?:[\s/]*(?:576i?))?[\s/]*(?:50i|25)(?![\d.])", "576i25 8bit"),
    ("d-10|d10|imx", rf"\b{_D10}(?!\w)(?:[\s/]*(?:486i?))?[\s/]*(?:59\.94i?|29\.97)(?![\d.])", "486i29.97 8bit"),
    ("d-10|d10|imx", rf"\b{_D10}(?!\w)(?=.*\b576)", "8bit"),
    ("d-10|d10|imx", rf"\b{_D10}(?!\w)(?=.*\b486)", "8bit"),
    ("d-10|d10|imx", rf"\b{_D10}(?!\w)", ("576i25 8bit", "486i29.97 8bit")),
    # the numbers of BT.601's systems count all lines, and their fields without the 1000/1001
    ("625", r"(?<![\w.:/-])625(?:\s*lines)?[\s/]*(?:50i?|25i|i)?(?![\w.:/])", "576i25"),
    ("625", r"(?<![\w.:/-])625[\s/]*(?:50p|p)(?![\w.:/])", "576p50"),
    ("525", r"(?<![\w.:/-])525(?:\s*lines)?[\s/]*(?:60i?|59\.94i?|29\.97i?|i)?(?![\w.:/])", "480i29.97"),
    ("525", r"(?<![\w.:/-])525[\s/]*(?:60p|59\.94p|p)(?![\w.:/])", "480p59.94"),
    ("dv", rf"\b{_DV100}(?=.*720)", "960x720 8bit 16:9"),
    ("dv", rf"\b{_DV100}{_AGAIN_1080}(?:50i?|25)(?![\d.])", "1440x1080i25 8bit 16:9"),
    ("dv", rf"\b{_DV100}{_AGAIN_1080}(?:59\.94i?|29\.97)(?![\d.])", "1280x1080i29.97 8bit 16:9"),
    ("dv", rf"\b{_DV100}", _DV100_SIGNALS),
    ("hdv", r"\bhdv[\s-]*1\b(?:\s*720p?)?(?=.*\d)", "1280x720 p 8bit 4:2:0"),
    ("hdv", r"\bhdv[\s-]*1\b", tuple(f"720p{rate} 8bit 4:2:0" for rate in ("50", "59.94", "25", "29.97"))),
    ("hdv", rf"\bhdv[\s-]*2\b{_AGAIN_1080}(?:50i?|25)(?![\d.p])", "1440x1080i25 8bit 4:2:0 16:9"),
    ("hdv", rf"\bhdv[\s-]*2\b{_AGAIN_1080}(?:59\.94i?|29\.97)(?![\d.p])", "1440x1080i29.97 8bit 4:2:0 16:9"),
    ("hdv", r"\bhdv[\s-]*2\b", ("1440x1080i25 8bit 4:2:0 16:9", "1440x1080i29.97 8bit 4:2:0 16:9")),
    # AVC-Intra, SMPTE RP 2027: class 50 has 1440 samples of 1080 lines and 960 of 720, 4:2:0; class 100 is whole, 4:2:2
    ("avc", r"\bavc[\s-]*intra[\s-]*(?:class[\s-]*)?50\b(?=.*\b720)(?:\s*720)?", "960x720 10bit 4:2:0 16:9"),
    ("avc", r"\bavc[\s-]*intra[\s-]*(?:class[\s-]*)?50\b(?:\s*1080)?(?=\D*\d)", "1440x1080 10bit 4:2:0 16:9"),
    ("avc", r"\bavc[\s-]*intra[\s-]*(?:class[\s-]*)?50\b", "1440x1080 10bit 4:2:0 16:9"),
    ("avc", r"\bavc[\s-]*intra[\s-]*(?:class[\s-]*)?(?:100|200)\b", "10bit 4:2:2"),
    # RDD 32: every class is 10 bits; 50 is 4:2:0 in 1440 samples, 100, 200, 300 and 480 are 4:2:2
    ("xavc", r"\bxavc[\s-]*(?:intra[\s-]*)?(?:class[\s-]*)50\b(?:\s*1080)?", "1440x1080 10bit 4:2:0 16:9"),
    ("xavc", r"\bxavc[\s-]*(?:intra[\s-]*)?(?:class[\s-]*)?(?:100|200|300|480)\b", "10bit 4:2:2"),
    ("xavc", r"\bxavc(?:[\s-]*intra)?\b", "10bit 4:2:2"),
    ("422|4:2:2", rf"\b(?:xdcam|mpeg-?2)[\s-]*(?:class[\s-]*)?hd[\s-]*(?:4:2:2|422){_MBPS}", "hd 8bit 4:2:2"),
    ("mb", r"\bhd[\s-]*(?:4:2:2|422)(?:\s+at)?[\s-]+50[\s-]*mb(?:it)?(?:/s|ps)", "hd 8bit 4:2:2"),
)  # fmt: skip
#: What says a bit rate, behind a name that has it.
_BIT_RATE = r"(?:\bat\s+)?\b\d{2,3}[\s-]*mb(?:it)?(?:/s|ps)(?!\w)"
#: A shape of cinema inside lines of television.
_SHAPE_WITHIN = r"\b([12]\.\d{1,2})(?::1)?\s+(?:in|within|inside)\s+(?=(hd|uhd|1080|2160))"


def named_signal(tidy: str, several: Callable[[tuple[str, ...]], Exception]) -> str:
    """Return a text with the names of tapes, codecs and countries in it replaced by the signals they are.

    Raises what `several` makes of a name that is several signals.
    """
    for letters, pattern, signal in NAMES:
        if not any(part in tidy for part in letters.split("|")) or not re.search(pattern, tidy, re.ASCII):
            continue
        if isinstance(signal, tuple):
            raise several(signal)
        tidy = re.sub(pattern, f" {signal} ", tidy, flags=re.ASCII)
    return re.sub(_BIT_RATE, " ", tidy, flags=re.ASCII) if "mb" in tidy else tidy


def shape_within(tidy: str) -> re.Match[str] | None:
    """Return where a text has a shape of cinema inside lines of television: the shape, and the lines by their name."""
    return re.search(_SHAPE_WITHIN, tidy, re.ASCII) if "in" in tidy else None


def lines_within(shape: str, width: int) -> int:
    """Return how many lines, an even number, a picture of a shape fills of a raster's width.

    >>> lines_within("2.39", 1920), lines_within("1.85", 1920)
    (804, 1038)
    """
    return 2 * round(Fraction(width) / Fraction(shape) / 2)
