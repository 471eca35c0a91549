"""Drawings on the papers as SVG: the path to scale, and a frame with its safe areas."""

from __future__ import annotations

from base64 import b64encode
from dataclasses import dataclass, field
from textwrap import wrap
from xml.etree.ElementTree import Element, SubElement, tostring

from idle_quarry.path.evaluation import Evaluation, Link, Station
from idle_quarry.path.strip_words import display_size, link_texts, station_texts
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rasters import aspect_text, safe_area

_INK, _DUST, _PAPER = "#1a1a1a", "#555555", "#f4f4f2"
_WIDTH = 1000.0
_FULL = 108.0  #: width of the widest frame
_LINE = 15.5
#: Where the columns of frames begin; words stand under the frames, between them the links.
_COLUMNS = {"source": 0.0, "working": 297.0, "intermediate": 594.0, "delivery": _WIDTH - _FULL}
_LETTER = 6.4  #: mean width of a letter
_DOTS = 2400  #: what Qt makes of a drawing before it prints it: 300 dots an inch


@dataclass(frozen=True)
class _Box:
    x: float
    y: float
    w: float
    h: float

    @property
    def middle(self) -> float:
        return self.y + self.h / 2


@dataclass
class _Sheet:
    height: float
    root: Element = field(init=False)

    def __post_init__(self) -> None:
        at = {"xmlns": "http://www.w3.org/2000/svg", "viewBox": f"0 0 {_WIDTH:g} {self.height:g}", "width": f"{_DOTS}"}
        at |= {"height": f"{_DOTS * self.height / _WIDTH:.0f}", "font-family": "B612", "font-size": "13"}
        self.root = Element("svg", at)

    def text(
        self, x: float, y: float, text: str, *, anchor: str = "start", bold: bool = False, dust: bool = False
    ) -> None:
        at = {"x": f"{x:.1f}", "y": f"{y:.1f}", "text-anchor": anchor, "fill": _DUST if dust else _INK}
        if bold:
            at["font-weight"] = "bold"
        SubElement(self.root, "text", at).text = text

    def line(self, *points: tuple[float, float], width: float = 1.1, dash: str = "", colour: str = _INK) -> None:
        at = {"points": " ".join(f"{x:.1f},{y:.1f}" for x, y in points), "fill": "none", "stroke": colour}
        at["stroke-width"] = f"{width:g}"
        if dash:
            at["stroke-dasharray"] = dash
        SubElement(self.root, "polyline", at)

    def frame(self, box: _Box, scan: str, *, dash: str = "") -> None:
        at = {"x": f"{box.x:.1f}", "y": f"{box.y:.1f}", "width": f"{box.w:.1f}", "height": f"{box.h:.1f}"}
        at |= {"fill": "none" if dash else _PAPER, "stroke": _INK, "stroke-width": "1"}
        if dash:
            at["stroke-dasharray"] = dash
        SubElement(self.root, "rect", at)
        if scan in ("interlaced", "psf"):
            y, upper = box.y + 4.0, False
            while y < box.y + box.h - 1:
                self.line(
                    (box.x, y),
                    (box.x + box.w, y),
                    width=0.9 if upper and scan == "interlaced" else 0.4,
                    colour="#8a8a86",
                )
                y, upper = y + 4.0, not upper
        if scan == "psf":
            self.line((box.x + box.w + 2, box.y), (box.x + box.w + 2, box.y + box.h), width=0.8)

    def link(self, grade: str, *points: tuple[float, float]) -> None:
        """Draw a link by its form: exact two lines, clean one, lossy dashed, broken a gap with a cross."""
        if grade == "exact":
            for shift in (-1.5, 1.5):
                self.line(
                    *(
                        (x + (shift if len(points) > 2 and 0 < n < len(points) - 1 else 0), y + shift)
                        for n, (x, y) in enumerate(points)
                    )
                )
        elif grade == "broken":
            (x0, y0), (x1, y1) = points[0], points[1]
            x, y = (x0 + x1) / 2, (y0 + y1) / 2
            self.line(points[0], (x - (6 if y0 == y1 else 0), y - (0 if y0 == y1 else 6)))
            self.line((x + (6 if y0 == y1 else 0), y + (0 if y0 == y1 else 6)), *points[1:])
            self.line((x - 4, y - 4), (x + 4, y + 4), width=1.8)
            self.line((x - 4, y + 4), (x + 4, y - 4), width=1.8)
        else:
            self.line(*points, dash="6 4" if grade == "lossy" else "")

    def as_uri(self) -> str:
        return "data:image/svg+xml;base64," + b64encode(tostring(self.root)).decode("ascii")


def strip_drawing(e: Evaluation) -> tuple[str, float]:
    """Return the path of a template as a data URI of an SVG, and its height for a width of 1."""
    by_kind: dict[str, list[Station]] = {}
    for station in e.stations:
        by_kind.setdefault(station.kind, []).append(station)
    scale = _FULL / max(display_size(station)[0] for station in e.stations)
    sizes = {s.id: (max(7.0, display_size(s)[0] * scale), max(5.0, display_size(s)[1] * scale)) for s in e.stations}
    slots = {ident: height + 3 * _LINE + 20 for ident, (_, height) in sizes.items()}
    stacks = [by_kind.get("source", []), by_kind.get("delivery", [])]
    head = max(sizes[by_kind[kind][0].id][1] for kind in ("working", "intermediate"))
    hung = [sizes[s.id][1] + 16 for kind in ("monitor", "proxy") for s in by_kind.get(kind, [])]
    tallest = max(sum(slots[s.id] for s in stack) for stack in stacks)
    middle = 24 + max(head, tallest) / 2
    sheet = _Sheet(max(24 + tallest, middle + head / 2 + 4 * _LINE + 10 + max(hung, default=0.0)) + 4)

    boxes: dict[str, _Box] = {}
    for stack, kind in zip(stacks, ("source", "delivery"), strict=True):
        y = middle - sum(slots[s.id] for s in stack) / 2
        for station in stack:
            w, h = sizes[station.id]
            boxes[station.id] = _Box(_COLUMNS[kind] + (_FULL - w if kind == "delivery" else 0), y, w, h)
            y += slots[station.id]
    for kind, under in (("working", "monitor"), ("intermediate", "proxy")):
        w, h = sizes[by_kind[kind][0].id]
        boxes[by_kind[kind][0].id] = _Box(_COLUMNS[kind], middle - h / 2, w, h)
        for station in by_kind.get(under, []):
            boxes[station.id] = _Box(_COLUMNS[kind], middle + head / 2 + 4 * _LINE + 10, *sizes[station.id])

    for link in e.links:
        _draw_link(sheet, e, link, boxes)
    for station in e.stations:
        box = boxes[station.id]
        sheet.frame(box, station.format.scan)
        beside, right = station.kind in ("monitor", "proxy"), station.kind == "delivery"
        x = (
            _WIDTH
            if right
            else box.x + (box.w + 8 if beside else 9 if station.kind in _COLUMNS and station.kind != "source" else 0)
        )
        top = box.middle - _LINE / 2 if beside else box.y + box.h + _LINE
        name, *rest = station_texts(station)
        # the lines to the deliveries turn right beside the intermediate
        names = wrap(name, int((_FULL + 8) / _LETTER)) if station.kind == "intermediate" else [_cut(name, 180)]
        for index, text in enumerate((*names, *rest)):
            words, bold = _cut(text, 180), index < len(names)
            sheet.text(x, top + index * _LINE, words, anchor="end" if right else "start", bold=bold, dust=not bold)
    for kind, x in _COLUMNS.items():
        if by_kind.get(kind):
            sheet.text(
                x + (_FULL if kind == "delivery" else 0),
                11,
                kind.upper(),
                anchor="end" if kind == "delivery" else "start",
                dust=True,
            )
    return sheet.as_uri(), sheet.height / _WIDTH


def _draw_link(sheet: _Sheet, e: Evaluation, link: Link, boxes: dict[str, _Box]) -> None:
    source, target = boxes[link.source], boxes[link.target]
    kind = e.station(link.target).kind
    if kind in ("monitor", "proxy"):
        x = target.x + 4
        sheet.link(link.grade, (x, source.y + source.h), (x, target.y))
        return
    start, end = (source.x + source.w + 5, source.middle), (target.x - 4, target.middle)
    if kind == "working":
        run, turn = (start[0], end[0] - 12), end[0] - 12
    else:
        run, turn = (start[0] + 12, end[0]), start[0] + 12
    level = start[1] if kind == "working" else end[1]
    points = [start, end] if abs(start[1] - end[1]) < 1 else [start, (turn, start[1]), (turn, end[1]), end]
    sheet.link(link.grade, *points)
    over, under = link_texts(link, short=True)
    x = (run[0] + run[1]) / 2
    sheet.text(x, level - 6, over, anchor="middle", bold=True)
    for index, row in enumerate(wrap(under, int((run[1] - run[0]) / _LETTER))):
        sheet.text(x, level + 15 + index * _LINE, row, anchor="middle", dust=True)


def _cut(text: str, width: float) -> str:
    letters = int(width / _LETTER)
    return text if len(text) <= letters else text[: letters - 1] + "…"


def frame_drawing(fmt: SignalFormat) -> tuple[str, float]:
    """Return a format's frame with its safe areas (EBU R 95) as a data URI of an SVG, and its height for a width of
    1.
    """
    raster = fmt.raster
    shown_w, shown_h = float(raster.width * raster.pixel_aspect), float(raster.height)
    scale = min((_WIDTH - 4) / shown_w, 540 / shown_h)
    box = _Box(2, 2, shown_w * scale, shown_h * scale)
    sheet = _Sheet(box.h + 4)
    sheet.frame(box, "progressive")
    across = shown_w / raster.width * scale
    # beside a tall frame, inside a wide one
    at, y = (box.x + box.w + 20, box.y + 16) if box.w < 640 else (box.x + box.w * 0.09, box.y + box.h * 0.14)
    sheet.text(at, y, f"{raster.size_text}, {aspect_text(raster.display_aspect)}: the whole frame", bold=True)
    for kind, dash, words in (
        ("action", "9 4", "what matters happens inside"),
        ("graphics", "2 4", "all that is read stays inside"),
    ):
        safe = safe_area(raster, kind)
        inner = _Box(box.x + safe.x * across, box.y + safe.y * scale, safe.width * across, safe.height * scale)
        sheet.frame(inner, "progressive", dash=dash)
        y += 2.4 * _LINE
        sheet.line((at, y - 4), (at + 34, y - 4), dash=dash)
        sheet.text(at + 42, y, f"{kind} safe, {safe.width} × {safe.height}: {words}", bold=True)
        sheet.text(at + 42, y + _LINE, f"{safe.x} samples and {safe.y} lines in from the edges", dust=True)
    x, y, arm = box.x + box.w / 2, box.middle, min(14.0, box.h / 8)
    sheet.line((x - arm, y), (x + arm, y), width=0.8)
    sheet.line((x, y - arm), (x, y + arm), width=0.8)
    return sheet.as_uri(), sheet.height / _WIDTH
