"""The settings of the intermediate, the proxy, the monitor and the deliveries."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from idle_quarry.path.codecs import mbps
from idle_quarry.path.entries.naming import FIELDS, made_name
from idle_quarry.path.eyes import files_of
from idle_quarry.path.registry import codecs, monitors, programme_layouts
from idle_quarry.path.settings.declared import delivery_declared
from idle_quarry.path.settings.eyes import eyes_setting
from idle_quarry.path.settings.formats import codec_setting, format_settings, policy_setting, policy_settings
from idle_quarry.path.settings.plans import drop_setting, sound_rows, start_setting
from idle_quarry.path.settings.pulldown import pulldown_setting
from idle_quarry.path.settings.setting import (
    Setting,
    any_text,
    named,
    number,
    one_of,
)
from idle_quarry.path.sound_tracks import WORDS as TRACK_WORDS
from idle_quarry.path.template import Template
from idle_quarry.signal.interfaces import carriage

#: When timelines are rendered, and what follows from it.
_WHEN = {
    "by hand": "a job's pieces wait until somebody renders them",
    "where playing is too slow": "pieces whose conversion takes longer than they play",
    "everything": "every piece that does not play as it is",
}


def intermediate_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the intermediate."""
    plan, sheet = t.intermediate, "intermediate"
    yield codec_setting("intermediate.codec", sheet, plan.codec, t.working.format)
    value = mbps(codecs()[plan.codec], t.intermediate_format) / 8 * files_of(t.working.eyes)
    yield Setting(
        "intermediate.streams",
        sheet,
        "Streams",
        str(plan.streams),
        f"{value * plan.streams:.0f} MB/s together",
        number(1, 64, "", whole=True),
    )
    options: dict[str, Any] = {"Not chosen": None} | {place.name: place.id for place in t.places}
    place = next((p for p in t.places if p.id == plan.place), None)
    speed = f"plays {place.plays_mb_s:g} MB/s" if place and place.plays_mb_s else "no speed entered or measured"
    yield Setting(
        "intermediate.place",
        sheet,
        "Kept at",
        place.name if place else "Not chosen",
        speed if place else "renders go to the job's folder",
        one_of(options, "place"),
        tuple(options),
        free=False,
    )
    yield Setting(
        "intermediate.when",
        sheet,
        "Rendered",
        plan.when,
        _WHEN[plan.when],
        one_of({name: name for name in _WHEN}, "time to render"),
        tuple(_WHEN),
        free=False,
    )
    if plan.when != "by hand":
        yield Setting(
            "intermediate.rest_s",
            sheet,
            "After a rest of",
            f"{plan.rest_s} s",
            "begins when nothing was edited for so long",
            number(0, 3600, "s", whole=True),
        )
    yield policy_setting("intermediate.policy", sheet, plan.policy, "rounding")


def proxy_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the proxy where there is one."""
    if t.proxy is not None and t.proxy_format is not None:
        fmt = t.proxy_format
        yield codec_setting("proxy.codec", "proxy", t.proxy.codec, fmt)
        sizes = {"Full size": 1, "Half": 2, "A third": 3, "A quarter": 4, "A sixth": 6, "An eighth": 8}
        yield Setting(
            "proxy.divisor",
            "proxy",
            "Size",
            named(sizes, t.proxy.divisor),
            fmt.raster.size_text,
            one_of(sizes, "size"),
            tuple(sizes),
            free=False,
        )


def monitor_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the monitoring feed where there is one."""
    feed = t.monitor
    if feed is None:
        return
    device = monitors().get(feed.monitor)
    follows = device.kind if device else "not known here"
    yield Setting("monitor.monitor", "monitor", "Monitor", feed.monitor, follows, any_text, free=False, names="monitor")
    travels = carriage(feed.format)
    for setting in format_settings("monitor.format", "monitor", feed.format):
        if setting.label == "Format":
            link = (
                f"{travels.total_samples} × {travels.total_lines} in all, {travels.gbps:.4g} Gb/s: {travels.interface}"
                if travels
                else "no serial interface carries it"
            )
            yield replace(setting, label="Signal sent", follows=link)
        else:
            yield setting
    yield from policy_settings("monitor.policy", "monitor", feed.policy)


def delivery_settings(t: Template, ident: str) -> Iterator[Setting]:
    """Yield the settings of one delivery."""
    d = next(delivery for delivery in t.deliveries if delivery.id == ident)
    sheet, place = f"delivery:{ident}", f"deliveries.{ident}"
    yield Setting(f"{place}.name", sheet, "Name", d.name, "who it is for", any_text)
    yield from format_settings(f"{place}.format", sheet, d.format)
    yield from pulldown_setting(place, sheet, d.format, d.cadence, chosen=False)
    yield from eyes_setting(place, sheet, d.eyes, t.working.eyes)
    yield codec_setting(f"{place}.codec", sheet, d.codec, d.format)
    yield start_setting(f"{place}.start", sheet, d.start, d.drop, d.format.rate)
    yield drop_setting(f"{place}.drop", sheet, d.drop, d.format.rate)
    yield from sound_rows(place, sheet, d, "sound_bits")
    yield Setting(
        f"{place}.sound_tracks",
        sheet,
        "Sound tracks",
        TRACK_WORDS[d.sound_tracks],
        "where nothing else is chosen: mono tracks in MXF, one track in all else",
        one_of({text: word for word, text in TRACK_WORDS.items()}, "way of tracks"),
        tuple(TRACK_WORDS.values()),
        free=False,
    )
    layout = programme_layouts().get(d.programme)
    yield Setting(
        f"{place}.programme",
        sheet,
        "Layout in time",
        d.programme,
        layout.words if layout else "the programme, as it is made",
        any_text,
        free=False,
        names="programme",
        nothing="None",
    )
    example = made_name(d.file_name, FIELDS | {"delivery": d.name}) if d.file_name else "named as the timeline is"
    yield Setting(
        f"{place}.file_name",
        sheet,
        "File name",
        d.file_name,
        example,
        any_text,
        explained="A rule with fields in braces: " + ", ".join(f"{{{field}}}" for field in FIELDS),
    )
    yield from delivery_declared(place, sheet, d)
    yield from policy_settings(f"{place}.policy", sheet, d.policy)
