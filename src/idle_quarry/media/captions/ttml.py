"""TTML (W3C TTML2, and its profiles IMSC 1.1 and EBU-TT-D): paragraphs with their times, and times moved."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator
from fractions import Fraction
from typing import Any

from idle_quarry.errors import MediaError
from idle_quarry.media.captions.caption_file import Cue

_TT = "{http://www.w3.org/ns/ttml}"
_STYLING, _PARAMETER = "{http://www.w3.org/ns/ttml#styling}", "{http://www.w3.org/ns/ttml#parameter}"
_XML = "{http://www.w3.org/XML/1998/namespace}"
_DEEPEST = 200
#: Title-safe of EBU R 95: this share of a side's length lies outside it.
_SAFE = 0.05
_TIME = re.compile(r"""(\s(?:begin|end|dur)\s*=\s*)(["'])([^"']{1,40})\2""")
_CLOCK = re.compile(r"(\d{2,}):([0-5]\d):([0-5]\d)(?:\.(\d+)|:(\d+))?", re.ASCII)
_OFFSET = re.compile(r"(\d+(?:\.\d+)?)(h|m|s|ms|f|t)", re.ASCII)
_PER_CENT = re.compile(r"(-?\d+(?:\.\d+)?)%\s+(-?\d+(?:\.\d+)?)%", re.ASCII)
_IMSC = ("http://www.w3.org/ns/ttml/profile/imsc1", "http://www.w3.org/ns/ttml/profile/imsc1.1")
_EBU_TT_D = "urn:ebu:tt:distribution"


class _Clock:
    """How a document counts: frames and ticks a second."""

    def __init__(self, frames: str | None, multiplier: str | None, ticks: str | None) -> None:
        by = [int(part) for part in (multiplier or "1 1").split()]
        self._frames = Fraction(int(frames or 30)) * (Fraction(by[0], by[1]) if len(by) == 2 and by[1] else 1)
        self._ticks = Fraction(int(ticks)) if ticks else self._frames

    def seconds(self, text: str) -> Fraction:
        """Return a time or a length in seconds. Raises `MediaError` for what is none."""
        if clock := _CLOCK.fullmatch(text.strip()):
            hours, minutes, seconds, rest, frame = clock.groups()
            whole = Fraction((int(hours) * 60 + int(minutes)) * 60 + int(seconds))
            return whole + (Fraction(int(rest), 10 ** len(rest)) if rest else Fraction(int(frame or 0)) / self._frames)
        offset = _OFFSET.fullmatch(text.strip())
        if offset is None:
            raise MediaError(f"has a time that is none: {text[:20]!r}")
        units = {"h": Fraction(3600), "m": Fraction(60), "s": Fraction(1), "ms": Fraction(1, 1000)}
        units |= {"f": 1 / self._frames, "t": 1 / self._ticks}
        return Fraction(offset[1]) * units[offset[2]]


def paragraphs_of(data: bytes) -> Iterator[Cue]:
    """Yield the paragraphs of a document that have words.

    Raises `MediaError` for a document that declares entities, is nested deeply, or counts by timecode or in turn.
    """
    import xml.etree.ElementTree as ElementTree

    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise MediaError("declares entities of its own, which captions have no need of")
    root = ElementTree.parse(io.BytesIO(data)).getroot()
    if root.tag != f"{_TT}tt":
        raise MediaError("is no TTML")
    base = root.get(f"{_PARAMETER}timeBase", "media")
    if base != "media":
        raise MediaError(
            f"counts by {base[:20]}; captions of a file count from its beginning",
            remedy="write it anew with ttp:timeBase media",
        )
    names = ("frameRate", "frameRateMultiplier", "tickRate")
    clock = _Clock(*(root.get(f"{_PARAMETER}{name}") for name in names))
    regions = {region.get(f"{_XML}id", ""): region for region in root.iter(f"{_TT}region")}
    rest: list[tuple[Any, int, Fraction, Fraction | None, str]] = [
        (body, 1, Fraction(0), None, "") for body in root.iter(f"{_TT}body")
    ]
    while rest:
        element, depth, begin, end, region = rest.pop()
        if depth > _DEEPEST:
            raise MediaError(f"is nested deeper than {_DEEPEST} levels")
        if element.get("timeContainer") == "seq":
            raise MediaError("has captions that follow one another without times of their own")
        own_begin = begin + clock.seconds(element.get("begin", "0s"))
        ends = [end] if end is not None else []
        if element.get("end") is not None:
            ends.append(begin + clock.seconds(element.get("end")))
        if element.get("dur") is not None:
            ends.append(own_begin + clock.seconds(element.get("dur")))
        own_end = min(ends) if ends else None
        region = element.get("region", region)
        if element.tag == f"{_TT}p":
            lines = tuple(line for line in (" ".join(line.split()) for line in _words(element).split("\n")) if line)
            if lines:
                yield Cue(own_begin, own_end or own_begin, lines, inside=_inside(regions.get(region)))
            continue
        rest += [(child, depth + 1, own_begin, own_end, region) for child in element]


def _words(paragraph: Any) -> str:
    """Return what a paragraph shows, with a line's end for each break."""
    parts: list[str] = []
    rest: list[Any] = [paragraph]
    while rest:
        item = rest.pop()
        if isinstance(item, str):
            parts.append(item)
        elif item.tag == f"{_TT}br":
            parts.append("\n")
        elif item.tag.startswith(_TT) and item.tag != f"{_TT}metadata":
            inside = [(item.text or "").replace("\n", " ")]
            for child in item:
                inside += [child, (child.tail or "").replace("\n", " ")]
            rest += reversed(inside)
    return "".join(parts)


def _inside(region: Any) -> bool | None:
    """Return whether a region lies in the title-safe area, where it says where it lies."""
    if region is None:
        return None
    origin, extent = (_PER_CENT.fullmatch(region.get(f"{_STYLING}{name}", "")) for name in ("origin", "extent"))
    if origin is None or extent is None:
        return None
    x, y, width, height = (float(part) / 100 for part in (*origin.groups(), *extent.groups()))
    low, high = _SAFE - 1e-6, 1 - _SAFE + 1e-6
    return x >= low and y >= low and x + width <= high and y + height <= high


def profile_of(text: str) -> str:
    """Return the profile that a document names: "EBU-TT-D", "IMSC 1.1", or "" for none."""
    if _EBU_TT_D in text:
        return "EBU-TT-D"
    return "IMSC 1.1" if any(name in text for name in _IMSC) else ""


def with_times(text: str, moved: Callable[[Fraction], Fraction], stretched: Callable[[Fraction], Fraction]) -> str:
    """Return a document with its times moved, and all else as it was.

    Times inside what has a beginning of its own count from there, and lengths are lengths: they are stretched.
    """
    frames, multiplier, ticks = (
        match[1] if (match := re.search(rf"ttp:{name}\s*=\s*[\"']([\d ]{{1,20}})[\"']", text)) else None
        for name in ("frameRate", "frameRateMultiplier", "tickRate")
    )
    clock = _Clock(frames, multiplier, ticks)
    begun: list[bool] = []  #: of each element that is open, whether it has a beginning

    def tag(match: re.Match[str]) -> str:
        element: str = match[0]
        if element.startswith("</"):
            if begun:
                begun.pop()
            return element
        if element.startswith(("<?", "<!")):
            return element
        result = _TIME.sub(again, element)
        if not element.endswith("/>"):
            begun.append(bool(re.search(r"\sbegin\s*=", element)))
        return result

    def again(time: re.Match[str]) -> str:
        seconds = clock.seconds(time[3])
        total = round((stretched if "dur" in time[1] or any(begun) else moved)(seconds) * 1000)
        shown = f"{total // 3_600_000:02}:{total // 60000 % 60:02}:{total // 1000 % 60:02}.{total % 1000:03}"
        return f"{time[1]}{time[2]}{shown}{time[2]}"

    whole = re.sub(r"<[^<>]*>", tag, text)
    return re.sub(r'(<\?xml[^>]*encoding=["\'])[^"\']*', r"\1UTF-8", whole)
