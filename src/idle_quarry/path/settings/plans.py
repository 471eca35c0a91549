"""The settings of sound, timecode and places."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.findings.sound import db
from idle_quarry.path.registry import line_up_pictures, sound_layouts
from idle_quarry.path.settings.setting import (
    WHY_LOCKED,
    YES_NO,
    Setting,
    any_text,
    named,
    number,
    one_of,
    or_nothing,
)
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import can_drop, counted_frames, drift_text, start_timecode


def sound_rows(place: str, sheet: str, plan: Any, bits_name: str) -> Iterator[Setting]:
    """Yield the settings of a sound plan, the programme's or a delivery's."""
    bits = getattr(plan, bits_name)
    yield Setting(
        f"{place}.sample_rate",
        sheet,
        "Sample rate",
        str(plan.sample_rate),
        f"{plan.sample_rate / 1000:g} kHz",
        number(8000, 384000, "Hz", whole=True),
        ("48000", "96000", "44100"),
    )
    yield Setting(
        f"{place}.{bits_name}",
        sheet,
        "Sound bits",
        str(bits),
        f"{bits * 6.02:.0f} dB from end to end",
        one_of({"16": 16, "24": 24, "32": 32}, "sound depth"),
        ("16", "24", "32"),
        free=False,
    )
    layout = sound_layouts()[plan.layout]
    count = len(layout.channels)
    yield Setting(
        f"{place}.layout",
        sheet,
        "Channels",
        plan.layout,
        layout.words if count > 1 else "1 channel",
        any_text,
        free=False,
        names="sound",
    )
    known = {-18.0: "EBU R 68", -20.0: "SMPTE RP 155"}
    yield Setting(
        f"{place}.line_up_dbfs",
        sheet,
        "Line-up level",
        db(plan.line_up_dbfs),
        f"dBFS, {known.get(plan.line_up_dbfs, 'a level of the house')}",
        number(-40, 0, "dBFS"),
        ("−18", "−20", "−12"),
    )
    aims = {-23.0: "EBU R 128", -24.0: "ATSC A/85"}
    aim = plan.loudness_lufs
    yield Setting(
        f"{place}.loudness_lufs",
        sheet,
        "Loudness",
        "" if aim is None else db(aim),
        "no aim: judged in the room" if aim is None else f"LUFS, {aims.get(aim, 'an aim of the house')}",
        or_nothing(number(-70, 0, "LUFS")),
        ("−23", "−24", "−16", "none"),
        explained="Mean loudness of the whole programme, measured by ITU-R BS.1770 (LUFS, also written LKFS).",
    )
    limit = plan.true_peak_dbtp
    yield Setting(
        f"{place}.true_peak_dbtp",
        sheet,
        "True peak",
        "" if limit is None else db(limit),
        "no limit" if limit is None else "dBTP at most",
        or_nothing(number(-40, 0, "dBTP")),
        ("−1", "−2", "−3", "none"),
        explained="The highest level between samples too, in decibels below full scale (dBTP, ITU-R BS.1770 annex 2).",
    )


def sound_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the programme's sound."""
    yield from sound_rows("sound", "sound", t.sound, "bit_depth")
    yield Setting(
        "sound.correct_pitch",
        "sound",
        "Correct pitch",
        named(YES_NO, t.sound.correct_pitch),
        "where material is played at another speed",
        one_of(YES_NO, "answer"),
        tuple(YES_NO),
        free=False,
    )


def start_setting(place: str, sheet: str, start: str, drop: bool, rate: Fraction) -> Setting:
    """Return the setting of a start timecode at `rate`."""

    def parse(text: str) -> str:
        cleaned = text.strip().replace(";", ":")
        start_timecode(cleaned, drop, rate)
        return cleaned

    try:
        code = start_timecode(start, drop, rate)
        hours = float(code.seconds) / 3600
        follows = "midnight" if not hours else f"{hours:.4g} h into the day"
    except QuarryError as error:
        follows = error.what
    return Setting(place, sheet, "Start", start, follows, parse, ("10:00:00:00", "01:00:00:00", "00:00:00:00"))


def drop_setting(place: str, sheet: str, drop: bool, rate: Fraction) -> Setting:
    """Return the setting that says whether numbers are dropped."""
    exists = can_drop(rate)
    follows = (
        ("numbers are skipped, never pictures" if drop else drift_text(rate))
        if exists
        else f"does not exist at {rate_text(rate)}"
    )
    return Setting(
        place,
        sheet,
        "Drop-frame",
        named(YES_NO, drop),
        follows,
        one_of(YES_NO, "answer"),
        tuple(YES_NO),
        free=False,
        explained=(
            "Drop-frame leaves out two numbers (four at 59.94) each minute but the tenth, so that count and clock"
            " agree."
        ),
    )


def timecode_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the timecode plan."""
    rate, plan = t.working.format.rate, t.timecode
    yield replace(start_setting("timecode.start", "timecode", plan.start, plan.drop, rate), locked=WHY_LOCKED["start"])
    yield replace(drop_setting("timecode.drop", "timecode", plan.drop, rate), locked=WHY_LOCKED["drop"])
    yield Setting(
        "timecode.line_up_lead_s",
        "timecode",
        "Line-up before",
        str(plan.line_up_lead_s),
        "s before the programme",
        number(0, 600, "s", whole=True),
    )
    yield Setting(
        "timecode.line_up_length_s",
        "timecode",
        "Line-up length",
        str(plan.line_up_length_s),
        f"s of bars and tone, {counted_frames(plan.line_up_length_s, rate)} frames",
        number(1, 300, "s", whole=True),
    )
    pictures = {_BY_FORMAT: ""} | {
        line_up_picture.name: line_up_picture.id for line_up_picture in line_up_pictures().values()
    }
    chosen = line_up_pictures().get(t.line_up)
    yield Setting(
        "line_up",
        "timecode",
        "Line-up picture",
        chosen.name if chosen else _BY_FORMAT,
        chosen.source if chosen else "the bars that belong to the intermediate's format",
        one_of(pictures, "line-up picture"),
        tuple(pictures),
        free=False,
    )


_BY_FORMAT = "By format"
#: What a place is for, by what people call it → the word it is stored under.
PURPOSES = {"Material": "work", "Renders": "cache", "Reference pictures": "stills", "Recordings": "capture"}


def places_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the places."""
    purposes = PURPOSES
    disks = {name.capitalize(): name for name in ("not known", "internal", "external", "network", "system")}
    for p in t.places:
        place, sheet = f"places.{p.id}", "places"
        yield Setting(f"{place}.name", sheet, "Name", p.name, f"for {named(PURPOSES, p.purpose).lower()}", any_text)
        yield Setting(
            f"{place}.purpose",
            sheet,
            "Purpose",
            named(PURPOSES, p.purpose),
            "what is kept there",
            one_of(purposes, "purpose"),
            tuple(purposes),
            free=False,
        )
        # what kind of disk it is was said of the old path
        stale = (Edit(f"{place}.disk", "not known"),) if p.disk == "system" else ()
        follows = "a whole path, the same in every room"
        yield Setting(f"{place}.path", sheet, "Path", p.path, follows, any_text, also=stale)
        yield Setting(
            f"{place}.disk",
            sheet,
            "Disk",
            p.disk.capitalize(),
            "never the system disk",
            one_of(disks, "kind of disk"),
            tuple(disks),
            free=False,
        )
        speed = "" if p.plays_mb_s is None else f"{p.plays_mb_s:g}"
        yield Setting(
            f"{place}.plays_mb_s",
            sheet,
            "Plays",
            speed,
            "MB/s, as entered; measured in Proof",
            or_nothing(number(0.1, 100000, "MB/s")),
        )
