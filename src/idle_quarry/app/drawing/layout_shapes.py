"""Layouts drawn: the channels of sound, and a programme in time."""

from __future__ import annotations

from idle_quarry.app.drawing.shapes import ROW, BoxShape, EntryDrawing, TextShape
from idle_quarry.path.entries import (
    ProgrammeLayout,
    SoundLayout,
)
from idle_quarry.path.entries.sound import SHORT


def channels_drawn(drawing: EntryDrawing, layout: SoundLayout) -> None:
    """Draw the channels of a sound layout."""
    count = len(layout.channels)
    a_row = min(count, max(1, int(drawing.width // 58)))
    column = min(110.0, drawing.width / a_row)
    for start in range(0, count, a_row):
        for n, channel in enumerate(layout.channels[start : start + a_row]):
            box = BoxShape(
                n * column,
                drawing.height,
                column - 4,
                44,
                "seam",
                "hatched" if channel.carries == "silent" else "filled",
            )
            small = {"full mix": "", "music and effects": "M&E", "audio description": "AD", "clean mix": "clean"}.get(
                channel.carries, channel.carries
            )
            drawing.shapes += [
                box,
                TextShape(
                    box.x,
                    box.y + 3,
                    box.w,
                    f"{start + n + 1}  {SHORT[channel.at] if channel.carries != 'silent' else ''}".strip(),
                    "chalk",
                    "centre",
                    bold=True,
                ),
                TextShape(
                    box.x,
                    box.y + 22,
                    box.w,
                    " ".join(part for part in (small, channel.language) if part),
                    align="centre",
                    size=11,
                ),
            ]
        drawing.height += 48
    drawing.texts.append(layout.words)


#: How each item of a programme's layout is drawn.
ITEM_LOOKS = {
    "bars": ("dust", "barred"),
    "black": ("surround", "filled"),
    "end black": ("surround", "filled"),
    "break": ("surround", "filled"),
    "silence": ("seam", "hatched"),
    "slate": ("ochre", "outlined"),
    "clock": ("ochre", "outlined"),
    "programme": ("sage", "outlined"),
}


def in_time_drawn(drawing: EntryDrawing, layout: ProgrammeLayout) -> None:
    """Draw a programme's layout in time."""
    parts = sum(item.what == "programme" for item in layout.items)
    fixed = sum(item.seconds or 0 for item in layout.items)
    room = drawing.width * (0.55 if fixed else 0.0)
    for_parts = (drawing.width - room) / parts
    x = 0.0
    for item in layout.items:
        w = for_parts if item.seconds is None else room * item.seconds / fixed
        role, look = ITEM_LOOKS[item.what]
        drawing.shapes.append(BoxShape(x, drawing.height, max(2.0, w - 2), 34, role, look))
        if w > 60:
            drawing.shapes.append(TextShape(x + 2, drawing.height + 8, w - 6, item.what, "chalk", "centre"))
        if item.tone:
            drawing.shapes.append(BoxShape(x, drawing.height + 37, max(2.0, w - 2), 4, "lichen"))
        x += w
    drawing.height += 48
    at, after = 0.0, 0
    for item in layout.items:
        length = "as long as it is" if item.seconds is None else f"{item.seconds:g} s"
        when = f"{at:g} s" if not after else f"after part {after}" + (f", {at:g} s" if at else "")
        starts = f" at {layout.starts}" if item.what == "programme" and layout.starts and not after else ""
        text = f"{item.what}{' with tone' if item.tone else ''}{f': {item.text}' if item.text else ''}{starts}"
        drawing.shapes += [
            TextShape(0, drawing.height, 130, when),
            TextShape(136, drawing.height, 120, length),
            TextShape(260, drawing.height, drawing.width - 260, text, "chalk"),
        ]
        drawing.texts.append(f"{when}: {text}, {length}")
        drawing.height += ROW - 2
        at, after = (0.0, after + 1) if item.seconds is None else (at + item.seconds, after)
