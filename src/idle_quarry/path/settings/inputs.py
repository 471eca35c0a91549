"""The settings of recording inputs: what comes from a tape or a line, and what it is kept in."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from idle_quarry.path.settings.formats import codec_setting, format_settings
from idle_quarry.path.settings.setting import Setting, any_text, named, one_of
from idle_quarry.path.template import Template
from idle_quarry.signal.interfaces import INTERFACES, carriage

_BREAKS = {"Begin a new clip": "new clip", "Go on, and note it": "go on", "Stop": "stop"}


def recording_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of every recording input."""
    for recording in t.inputs:
        place, sheet = f"inputs.{recording.id}", "recording"
        yield Setting(f"{place}.name", sheet, "Name", recording.name, "what is connected to it", any_text)
        yield next(format_settings(f"{place}.format", sheet, recording.format))
        travels = carriage(recording.format)
        needs = (
            f"the signal needs {travels.interface}, {travels.gbps:.4g} Gb/s"
            if travels
            else "no serial interface carries it"
        )
        yield Setting(
            f"{place}.interface",
            sheet,
            "Interface",
            recording.interface,
            needs,
            one_of({i: i for i in INTERFACES}, "interface"),
            INTERFACES,
            free=False,
        )
        yield codec_setting(f"{place}.codec", sheet, recording.codec, recording.format)
        options: dict[str, Any] = {"Not chosen": None} | {p.name: p.id for p in t.places}
        there = next((p for p in t.places if p.id == recording.place), None)
        yield Setting(
            f"{place}.place",
            sheet,
            "Recorded to",
            there.name if there else "Not chosen",
            (there.path or "no path yet") if there else "each room will have to choose",
            one_of(options, "place"),
            tuple(options),
            free=False,
        )
        yield Setting(
            f"{place}.on_break",
            sheet,
            "Timecode breaks",
            named(_BREAKS, recording.on_break),
            "when numbers do not go on",
            one_of(_BREAKS, "way"),
            tuple(_BREAKS),
            free=False,
        )
