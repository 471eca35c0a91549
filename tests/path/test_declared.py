"""What is said beside pictures, and names by rule: typed in rows, refused in a sentence, merged as any setting."""

from __future__ import annotations

import pytest
from tests.conftest import demo_template

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.library.house_entries import checked, own_copy
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.changes.edits import Edit, changes, differences, edited, put_back
from idle_quarry.path.changes.merging import merge
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.registry import monitors
from idle_quarry.path.settings import Setting, setting_at, settings_of, settings_on, with_setting
from idle_quarry.path.settings.declared import captions_from
from idle_quarry.path.strip_words import station_texts
from idle_quarry.path.template import Template, content_hash
from idle_quarry.path.voice import voice_from
from idle_quarry.signal.rasters import Raster, protected_area
from idle_quarry.signal.words import format_from_words as words
from idle_quarry.signal.words import format_words

HD = demo_template("House HD 50i")
DELIVERY = HD.deliveries[0].id


def row(template: Template, place: str, house: HouseEntries | None = None) -> Setting:
    return next(setting for setting in settings_of(template, house or HouseEntries()) if setting.place == place)


@pytest.mark.parametrize(
    ("place", "text", "value"),
    [
        ("captions", "op-47, EBU-TT-D", ("OP-47", "EBU-TT-D")),
        ("captions", "none", ()),
        ("working.protects", "14:9", "14:9"),
        (f"deliveries.{DELIVERY}.active_format", "16:9 letterbox", "16:9 letterbox"),
        (f"deliveries.{DELIVERY}.captions", "IMSC 1.1", ("IMSC 1.1",)),
        (f"deliveries.{DELIVERY}.file_name", "{title} E{episode:02}", "{title} E{episode:02}"),
        ("line_up", "Luma ramp and steps", "ramp"),
        (f"deliveries.{DELIVERY}.programme", "The programme alone", "programme-alone"),
        ("carried_colour", "33 points", 33),
        ("job_name", "{date} {title}", "{date} {title}"),
        ("sound.layout", "5.1 + stereo", "5.1-stereo"),
    ],
)
def test_each_is_typed_stored_and_put_back(place: str, text: str, value: object) -> None:
    result = with_setting(HD, row(HD, place), text)
    setting = setting_at(result, place)
    assert setting is not None and setting.follows and result == edited(HD, Edit(place, value))
    if result != HD:
        assert result.format_number == (4 if place != "sound.layout" else 1)
        assert [difference.place for difference in differences(HD, result)] == [place]
        [change] = changes(HD, result)
        assert content_hash(put_back(result, change)) == content_hash(HD)
    again = with_setting(result, setting, setting.text)
    assert again == result  # what is said is taken


@pytest.mark.parametrize(
    ("place", "text"),
    [
        ("captions", "subtitles"),
        (f"deliveries.{DELIVERY}.active_format", "square"),
        ("line_up", "bars"),
        ("carried_colour", "12"),
        (f"deliveries.{DELIVERY}.programme", "no such layout"),
        ("sound.layout", "7.1.4"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(place: str, text: str) -> None:
    with pytest.raises(NotUnderstood) as refusal:
        with_setting(HD, row(HD, place), text)
    assert "\n" not in str(refusal.value)


@pytest.mark.parametrize("rule", ["{nothing}", "a/{title}", "{title:02}", "{episode"])
def test_rules_that_make_no_name_are_refused(rule: str) -> None:
    for place in ("job_name", f"deliveries.{DELIVERY}.file_name"):
        with pytest.raises(NotPossible) as refusal:
            with_setting(HD, row(HD, place), rule)
        assert "\n" not in str(refusal.value)


def test_light_is_asked_for_only_where_there_is_more_of_it() -> None:
    labels = [item.label for item in settings_on(HD, f"delivery:{DELIVERY}")]
    assert "MaxCLL" not in labels and "Graded to" not in [item.label for item in settings_on(HD, "working")]
    hdr = edited(HD, Edit("working.format", words("2160p50 hlg")), Edit("deliveries", (delivered("uhd-50"),)))
    assert "Graded to" in [item.label for item in settings_on(hdr, "working")]
    lit = with_setting(hdr, row(hdr, "deliveries.uhd-50.max_cll"), "1000")
    assert lit.deliveries[0].max_cll == 1000 and "cd/m²" in row(lit, "deliveries.uhd-50.max_cll").follows
    with pytest.raises(NotUnderstood):
        with_setting(hdr, row(hdr, "deliveries.uhd-50.max_cll"), "20000")


def test_a_narrower_shape_lies_in_the_middle() -> None:
    area = protected_area(Raster(1920, 1080), "14:9")
    assert area is not None and (area.x, area.width) == (120, 1680)
    assert protected_area(words("576i25 4:3").raster, "4:3") is None
    assert captions_from("OP-47, op-47") == ("OP-47",)


def test_formats_and_rules_of_the_house_are_offered_where_one_types_them() -> None:
    ferry = checked({"entry": "format", "uid": "f0000001", "name": "Ferry camera", "words": "1080p50"})
    rule = checked({"entry": "naming", "uid": "f0000002", "name": "Ours", "rule": "{series} {date}", "of": "job"})
    house = HouseEntries((ferry, rule))
    place = f"sources.{HD.sources[0].id}.format"
    setting = row(HD, place, house)
    assert setting.choices[0] == "Ferry camera"
    assert format_words(with_setting(HD, setting, "ferry camera").sources[0].format) == "1080p50"
    assert format_words(with_setting(HD, setting, "720p50").sources[0].format) == "720p50"
    assert row(HD, "job_name", house).choices[0] == "{series} {date}"


def test_chains_of_tracks_are_one_setting() -> None:
    place = f"timelines.{HD.timelines[0].id}.tracks.a1.voice"
    result = edited(HD, Edit(place, voice_from("high-pass 80 Hz; limiter -3 dB")))
    assert [difference.place for difference in differences(HD, result)] == [place] and len(changes(HD, result)) == 1
    with pytest.raises(NotPossible, match="only a sound track"):
        edited(HD, Edit(f"timelines.{HD.timelines[0].id}.tracks.v1.voice", voice_from("gain +3 dB")))


def test_two_drafts_with_such_settings_are_merged() -> None:
    bay = own_copy(monitors()["bay-two-grade"], "Bay 9")
    mine = edited(HD, Edit("captions", ("OP-47",)), Edit("monitor.monitor", bay.id))
    theirs = edited(HD, Edit("captions", ("CEA-708",)), Edit("line_up", "ramp"))
    result = merge(HD, mine, theirs)
    assert [conflict.place for conflict in result.conflicts] == ["captions"] and result.template.captions == (
        "CEA-708",
    )
    assert result.template.house == (bay,) and result.template.line_up == "ramp"
    assert merge(HD, mine, theirs, {"captions": "mine"}).template.captions == ("OP-47",)


def test_two_eyes_are_off_unless_said_and_then_everywhere() -> None:
    assert (
        "Eyes" not in [item.label for item in settings_on(HD, f"delivery:{DELIVERY}")]
        and row(HD, "working.eyes").text == "One"
    )
    both = with_setting(HD, row(HD, "working.eyes"), "Two, a file each")
    assert {f.code for f in evaluate(both).findings} >= {"eyes_missing", "eye_left_out", "eyes_not_shown"}
    source = f"sources.{HD.sources[0].id}"
    whole = edited(both, Edit(f"{source}.eyes", "two files"), Edit(f"deliveries.{DELIVERY}.eyes", "two files"))
    result = evaluate(whole)
    assert result.worst_grade == evaluate(HD).worst_grade and whole.format_number == 4
    kept = next(station for station in result.stations if station.kind == "intermediate")
    single = next(station for station in evaluate(HD).stations if station.kind == "intermediate")
    rates = [float(station_texts(item)[1].split()[0]) for item in (kept, single)]
    assert rates[0] == pytest.approx(2 * rates[1], abs=1)
    assert evaluate(both).worst_grade == "broken"
    squeezed = edited(whole, Edit(f"deliveries.{DELIVERY}.eyes", "side by side"))
    link = evaluate(squeezed).link_to(f"delivery:{DELIVERY}")
    assert link is not None and link.grade == "lossy"
