"""Checks of a hand-over on files that are only supposed: each at, below and above what the spec lets pass.

Leaders as they are drawn.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.conftest import demo_template

from idle_quarry.jobs.handover.causes import frame_of
from idle_quarry.jobs.handover.check_table import CHECKS, IDS, setting_of
from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, Check, CheckedFile, worst
from idle_quarry.jobs.handover.codec_known import differs, wrapped_as
from idle_quarry.jobs.handover.leaders import Leaders, first_timecode, frames_of, lead_frames, programme_start
from idle_quarry.jobs.handover.programme_checks import _pattern
from idle_quarry.jobs.handover.record import VerificationRecord, accepted
from idle_quarry.jobs.handover.sound_checks import mix_of
from idle_quarry.media.clip import Clip
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.declared import Audio, DeclaredProperties
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.measurement.sync import Parting
from idle_quarry.media.names import clip_suffix
from idle_quarry.media.whole.flashes import FlashSpell
from idle_quarry.media.whole.layout import LayoutItem
from idle_quarry.media.whole.measure import FileMeasurement
from idle_quarry.media.whole.picture_measurement import FieldsRun, FrameSpan, PictureMeasurement, PicturePart
from idle_quarry.media.whole.sound import ChannelFigures, SoundMeasurement, SoundSpan
from idle_quarry.path.codecs import cannot_hold, mbps
from idle_quarry.path.entries.delivery import Clause, DeliverySpec, Limit, Limits
from idle_quarry.path.entries.programme import ProgrammeItem, ProgrammeLayout
from idle_quarry.path.registry import codecs, deliveries, programme_layouts
from idle_quarry.path.settings import settings_of
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Delivery
from idle_quarry.picture.patterns.bars import rgb_picture, ycbcr_codes
from idle_quarry.signal.words import format_from_words

LAMP: Template = demo_template("The Lamp Room")
HD: Delivery = next(delivery for delivery in LAMP.deliveries if delivery.id == "hd-50")
SHIPPED: DeliverySpec = deliveries()["hd-50"]
#: A spec that says nothing of limits.
SPEC: DeliverySpec = SHIPPED.model_copy(update={"limits": Limits()})
FRAMES = 1000
#: Bytes of so many pictures of AVC-Intra 100, and of their sound.
SIZE = int((mbps(codecs()["avci-100"], HD.format) + 2 * 48000 * 24 / 1e6) * 1e6 / 8 * 40)
DECLARED = DeclaredProperties(
    width=1920,
    height=1080,
    sample_aspect=Fraction(1),
    rate=Fraction(25),
    scan="interlaced",
    field_order="top",
    pixel_format="yuv422p10le",
    bit_depth=10,
    sampling="4:2:2",
    primaries="bt709",
    transfer="bt709",
    matrix="bt709",
    range="narrow",
    codec="h264",
    profile="High 4:2:2 Intra",
    container="mxf",
    timecode="10:00:00:00",
    drop_frame=False,
    frames=FRAMES,
    duration_s=40.0,
    audio=(Audio(2, "stereo", 48000, 24),),
)
PICTURES = PictureMeasurement(
    frames=FRAMES,
    damaged=0,
    bits=10,
    kinds=("1920 × 1080 · 10 bits",),
    lowest=64,
    highest=940,
    below=0.0,
    above=0.0,
    fields=(FieldsRun(0, FRAMES, "interlaced", "top", None),),
    confidence=0.97,
    parts=(PicturePart("moving", 0, FRAMES, 0.5),),
    frozen=(),
    repeats=0,
    luma_out=(),
    luma_most=0.0,
    gamut=(),
    gamut_most=0.002,
    rgb_lowest=-0.01,
    rgb_highest=1.0,
    flashes=(),
    most_flashes=1.0,
    most_reds=0.0,
    patterns=(),
    active=(0, 0, 1920, 1080),
    max_cll=None,
    max_fall=None,
    timecodes=(),
    luma=(),
    light=(),
)
LOUD = ChannelFigures(-8.0, -26.0, 0.01, 0.6)
SOUND = SoundMeasurement(
    channels=(LOUD, LOUD),
    seconds=40.0,
    integrated=-23.0,
    range=8.0,
    true_peak=-3.0,
    most_momentary=-15.0,
    most_short_term=-18.0,
    short_term=(-23.0,) * 400,
)


def checked(
    pictures: dict[str, Any] | None = None,
    sound: dict[str, Any] | None = None,
    declared: dict[str, Any] | None = None,
    delivery: dict[str, Any] | None = None,
    spec: dict[str, Any] | None = None,
    **more: Any,
) -> dict[str, Check]:
    """The checks of a file that is right but for what is said."""
    result = FileMeasurement(
        measurement=1,
        sha256="0" * 64,
        size=SIZE,
        pictures=replace(PICTURES, **(pictures or {})),
        items=more.get("items", (LayoutItem("programme", 0, FRAMES),)),
        sound=replace(SOUND, **(sound or {})),
        tones=more.get("tones", ()),
        sync=more.get("sync"),
        coded_captions=more.get("coded_captions", ()),
    )
    if more.get("silent"):
        result = replace(result, sound=None)
    clip = Clip(Path("x.mxf"), "x", replace(DECLARED, **(declared or {})), HD.format)
    seen = CheckedFile(
        Path(more.get("name", "x.mxf")),
        clip,
        result,
        LAMP,
        HD.model_copy(update=delivery or {}),
        SPEC.model_copy(update=spec or {}),
        more.get("layout"),
    )
    return {row.id: row.check(seen) for row in CHECKS}


def test_what_is_right_passes_and_every_check_says_something() -> None:
    result = checked()
    assert set(result) == set(IDS) and all(check.text for check in result.values())
    assert {check.verdict for check in result.values()} == {PASSES, NOT_CHECKED}
    assert {ident for ident, check in result.items() if check.verdict == NOT_CHECKED} == {
        "captions",
        "level",
        "sync",
        "naming",
    }
    assert worst([PASSES, NOT_CHECKED]) == PASSES and worst([PASSES, LOOK]) == LOOK and worst([LOOK, FAILS]) == FAILS


@pytest.mark.parametrize(
    ("declared", "failing"),
    [
        ({"container": "matroska,webm"}, {"container"}),
        ({"codec": "prores"}, {"codec"}),
        ({"profile": "High 4:2:2"}, {"codec"}),
        ({"duration_s": 20.0}, {"codec"}),
        ({"sampling": "4:2:0"}, {"codec"}),
        ({"bit_depth": 8}, {"codec"}),
        ({"width": 1440}, {"raster", "aspect"}),
        ({"rate": Fraction(30000, 1001)}, {"rate", "timecode"}),
        ({"sample_aspect": Fraction(4, 3)}, {"aspect"}),
        ({"transfer": "hlg"}, {"hdr"}),
        ({"timecode": None}, {"timecode"}),
        ({"timecode": "10:00:00:01"}, {"timecode"}),
        ({"frames": FRAMES + 5}, {"timecode"}),
        ({"audio": (Audio(2, "stereo", 44100, 24),)}, {"sound_layout"}),
        ({"audio": (Audio(2, "stereo", 48000, 16),)}, {"sound_layout"}),
    ],
)
def test_what_a_file_declares_is_held_against_the_delivery(declared: dict[str, Any], failing: set[str]) -> None:
    result = checked(declared=declared)
    assert {ident for ident, check in result.items() if check.verdict == FAILS} == failing


#: Formats of which each codec holds one, the smallest first.
FORMATS = [
    format_from_words(words)
    for words in (
        "640x360p25 10bit 4:2:2",
        "640x360p25 8bit 4:2:0",
        "1080i25",
        "1080p25",
        "576i25 8bit",
        "576i25 bff 4:2:0 8bit",
        "480i29.97 4:1:1 8bit",
        "480i29.97 8bit",
        "1080p25 4:4:4",
        "1080p25 8bit 4:2:0",
    )
]
STEPS = {"4:4:4": (1, 1), "4:2:2": (2, 1), "4:2:0": (2, 2), "4:1:1": (4, 1)}


def test_each_codec_is_known_by_what_its_encoder_writes_and_by_no_other(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    written = []
    for codec in codecs().values():
        fmt = next((item for item in FORMATS if not cannot_hold(codec, item)), None)
        if codec.one_picture_a_file or fmt is None:
            continue
        pixels = encoder_pixels(codec, fmt).format
        raster, bits, (across, down) = pixels.raster, pixels.encoding.bit_depth, STEPS[pixels.encoding.sampling]
        path = tmp_path / f"{codec.id}{clip_suffix(codec)}"
        grey = np.full((raster.height // down, raster.width // across), 1 << (bits - 1))
        luma = np.full((raster.height, raster.width), 1 << (bits - 2))
        noisy = luma[: raster.height // 4]  # enough to bring every encoder to its rate
        with ClipWriter(path, codec, fmt) as writer:
            for _ in range(4 if path.suffix == ".mp4" else 2):  # groups are long there
                noisy[:] = rng.integers(1 << (bits - 3), 1 << (bits - 1), noisy.shape)
                writer.write((luma, grey, grey))
            writer.finish()
        declared, size = inspect(path).declared, path.stat().st_size
        assert differs(codec, fmt, declared, size)[0] == [], codec.id
        assert wrapped_as(declared, path) == path.suffix[1:]
        for container in codec.containers[1:]:  # and each that it may be kept in holds it
            copy = tmp_path / f"{codec.id}.{container}"
            with ClipWriter(copy, codec, fmt) as writer:
                writer.write((luma, grey, grey))
                writer.finish()
            result = inspect(copy).declared
            assert (result.codec, wrapped_as(result, copy)) == (codec.coded.decoder, container)
        written.append((codec, fmt, declared, size))
    assert len(written) > 22
    #: What nothing but their makers tell apart: two long groups at 35 and 50 Mb/s, of noise that neither holds in four
    #: pictures.
    alike = {
        frozenset({"mpeg2-422-50", "mpeg2-422-35"}),
        frozenset({"d10-50", "mpeg2-422-50"}),
        frozenset({"d10-50", "mpeg2-422-35"}),
    }
    for codec, fmt, _declared, _size in written:
        for other, other_fmt, declared, size in written:
            if other is not codec and other_fmt == fmt and frozenset({codec.id, other.id}) not in alike:
                assert differs(codec, fmt, declared, size)[0], (codec.id, other.id)


def test_fields_are_held_stretch_by_stretch() -> None:
    runs = (
        FieldsRun(0, 400, "interlaced", "top", None),
        FieldsRun(400, 600, "interlaced", "bottom", None),
        FieldsRun(600, FRAMES, "interlaced", "top", None),
    )
    result = checked({"fields": runs})
    assert result["field_order"].verdict == FAILS and [
        (place.first, place.last) for place in result["field_order"].where
    ] == [(400, 600)]
    assert result["field_order"].where[0].start == "10:00:16:00" and result["scan"].verdict == PASSES
    film = (FieldsRun(0, 500, "interlaced", "top", None), FieldsRun(500, FRAMES, "pulldown", "top", "2:3"))
    assert checked({"fields": film})["scan"].verdict == LOOK  # film in fields: in 59.94 Hz houses it is usual
    short = (
        FieldsRun(0, 500, "interlaced", "top", None),
        FieldsRun(500, 508, "interlaced", "bottom", None),
        FieldsRun(508, FRAMES, "interlaced", "top", None),
    )
    assert checked({"fields": short})["field_order"].verdict == PASSES, "less than half a second is a cut"
    whole = (FieldsRun(0, 500, "interlaced", "top", None), FieldsRun(500, FRAMES, "progressive", None, None))
    assert checked({"fields": whole})["scan"].verdict == LOOK, "whole pictures in an interlaced delivery may be meant"
    pulled = (FieldsRun(0, FRAMES, "pulldown", "top", "2:3"),)
    result = checked({"fields": pulled})
    assert result["scan"].verdict == LOOK and result["cadence"].verdict == LOOK
    still = checked({"fields": (FieldsRun(0, FRAMES, "undetermined", None, None),)})
    assert still["scan"].verdict == LOOK and still["field_order"].verdict == LOOK
    progressive = HD.format.with_encoding()
    progressive = replace(progressive, scan="progressive", field_order=None)
    result = checked(delivery={"format": progressive})
    assert result["scan"].verdict == FAILS and result["field_order"].verdict == PASSES


def test_what_the_spec_asks_for_fails_and_else_is_to_be_looked_at() -> None:
    black = {
        "parts": (PicturePart("moving", 0, 400), PicturePart("black", 400, 460), PicturePart("moving", 460, FRAMES))
    }
    frozen = {"frozen": (FrameSpan(300, 352),)}
    gamut = {"gamut": (FrameSpan(10, 20, 0.03),), "gamut_most": 0.03}
    framed = {"active": (240, 0, 1440, 1080)}
    for changed, ident, asked in (
        (black, "black", "black"),
        (frozen, "freeze", "frozen"),
        (gamut, "gamut", "gamut"),
        (framed, "active_picture", "edges"),
    ):
        assert checked(changed)[ident].verdict == LOOK, ident
        assert checked(changed, spec={"checks": (asked,)})[ident].verdict == FAILS, ident
    tolerances = SPEC.tolerances.model_copy(update={"black_s": 3.0, "frozen_s": 3.0, "gamut_area": 5.0})
    for changed, ident in ((black, "black"), (frozen, "freeze"), (gamut, "gamut")):
        assert checked(changed, spec={"tolerances": tolerances})[ident].verdict == PASSES, ident
    outside = checked(black, items=(LayoutItem("black", 0, 460), LayoutItem("programme", 460, FRAMES)))
    assert outside["black"].verdict == PASSES, "black before the programme is none inside"
    assert checked(framed, delivery={"active_format": "4:3 centre"})["active_picture"].verdict == PASSES
    clauses = (Clause(number="4.2", text="Gamut errors are not accepted", check="gamut"),)
    assert checked(gamut, spec={"clauses": clauses})["gamut"].clause == f"{SPEC.name}, 4.2"
    assert checked(gamut)["gamut"].clause == "EBU R 103"


def test_each_figure_has_a_limit_for_looking_and_one_for_failing() -> None:
    """What a shipped spec forbids fails; between the two limits a person looks; below both nothing is said."""

    def black(frames: int) -> dict[str, Any]:
        return {
            "parts": (
                PicturePart("moving", 0, 400),
                PicturePart("black", 400, 400 + frames),
                PicturePart("moving", 400 + frames, FRAMES),
            )
        }

    shipped = {"limits": SHIPPED.limits}
    graded: list[tuple[str, Any, tuple[Any, Any, Any]]] = [
        ("black", lambda s: checked(black(round(25 * s)), spec=shipped), (1.0, 1.5, 3.0)),
        (
            "freeze",
            lambda s: checked({"frozen": (FrameSpan(300, 300 + round(25 * s)),)}, spec=shipped),
            (2.0, 3.0, 6.0),
        ),
        ("range", lambda share: checked({"above": share}, spec=shipped), (0.01, 0.03, 0.06)),
        ("repeats", lambda count: checked({"repeats": count}, spec=shipped), (2, 10, 30)),
        ("silence", lambda s: checked(sound={"silence": (SoundSpan(5, 5 + s),)}, spec=shipped), (5, 8, 12)),
        ("phase", lambda s: checked(sound={"against": (SoundSpan(5, 5 + s),)}, spec=shipped), (3, 8, 12)),
    ]
    for ident, check, figures in graded:
        assert tuple(check(figure)[ident].verdict for figure in figures) == (PASSES, LOOK, FAILS), ident
    bright = {"gamut": (FrameSpan(10, 20, 0.3),)}  # luma × 1.15, chroma × 1.3
    assert checked(bright, spec=shipped)["gamut"].verdict == FAILS and checked(bright)["gamut"].verdict == LOOK
    pattern = {"patterns": (FrameSpan(100, 160, 0.5),)}
    assert checked(pattern, spec={"limits": Limits(patterns=Limit(fails=2))})["flash"].verdict == FAILS
    never = {"limits": Limits(black=Limit()), "checks": ("black",)}
    assert checked(black(200), spec=never)["black"].verdict == PASSES, "a limit of none is none"
    assert {entry.id for entry in deliveries().values() if entry.limit("gamut").fails == 1} == {
        entry.id for entry in deliveries().values() if entry.name.startswith("Broadcast")
    }
    with pytest.raises(ValueError, match="cannot be looked at beyond 3"):
        Limit(look=3, fails=2)


def test_levels_flashes_and_damage() -> None:
    full = {"lowest": 4, "highest": 1019, "below": 0.02, "above": 0.03}
    assert (
        checked(full)["range"].verdict == FAILS and checked({"highest": 1010, "above": 0.02})["range"].verdict == LOOK
    )
    assert checked({"highest": 1000, "above": 0.001})["range"].verdict == PASSES
    assert "(looked at beyond 1 %)" in checked({"highest": 1010, "above": 0.02})["range"].text
    assert "beyond" not in checked({"above": 0.001})["range"].text
    pause = {
        "parts": (PicturePart("moving", 0, 400), PicturePart("black", 400, 410), PicturePart("moving", 410, FRAMES))
    }
    result = checked(pause)["black"]
    assert (result.verdict, result.found, result.where) == (PASSES, 0.0, ()), "ten pictures, however late they come"
    four = {"flashes": tuple(FlashSpell("flash", 100 * n, 100 * n + 30, 4.0 + n, 0.6) for n in range(1, 5))}
    assert checked(four)["flash"].text.count("a second over") == 3 and len(checked(four)["flash"].where) == 4
    flash = {"flashes": (FlashSpell("flash", 100, 130, 4.0, 0.6),), "most_flashes": 4.0}
    result = checked(flash)["flash"]
    assert result.verdict == FAILS and "4 a second" in result.text and result.where[0].first == 100
    assert checked({"patterns": (FrameSpan(100, 160, 0.5),)})["flash"].verdict == LOOK
    assert checked({"patterns": (FrameSpan(100, 104, 0.5),)})["flash"].verdict == PASSES, "too short to be seen as one"
    assert checked({"repeats": 30})["repeats"].verdict == LOOK and checked({"damaged": 1})["repeats"].verdict == FAILS
    assert checked({"kinds": ("1920 × 1080 · 10 bits", "1440 × 1080 · 10 bits")})["raster"].verdict == FAILS
    assert checked({"timecodes": ((0, "10:00:00:00"), (300, "10:00:13:00"))})["timecode"].where[0].first == 300
    hlg = format_from_words("1080p50 hlg")
    light = {"max_cll": 1200.0, "max_fall": 300.0}
    declared = {"transfer": "hlg", "rate": Fraction(50), "timecode": "10:00:00:00"}
    result = checked(light, declared=declared, delivery={"format": hlg, "max_cll": 1000})["hdr"]
    assert result.verdict == FAILS and "max_cll" in result.text
    dark = checked(declared=declared, delivery={"format": hlg})["hdr"]
    assert (dark.found["max_cll"], dark.found["max_fall"]) == (0, 0)
    assert checked(light, declared=declared, delivery={"format": hlg, "max_cll": 1300})["hdr"].verdict == PASSES


def test_sound_is_held_channel_by_channel_and_to_its_loudness() -> None:
    silent = ChannelFigures(None, None, 1.0, 0.0)
    assert checked(sound={"channels": (LOUD, silent)})["sound_layout"].verdict == FAILS
    assert checked(sound={"channels": (LOUD,)})["sound_layout"].verdict == FAILS
    assert checked(sound={"alike": ((1, 2),)})["sound_layout"].verdict == LOOK
    for tracks, verdict in (((1, 1), PASSES), ((2,), FAILS)):  # tracks that are asked for are held, others are not
        audio_tracks = {"audio": tuple(Audio(count, "", 48000, 24) for count in tracks)}
        wanted = checked(declared=audio_tracks, delivery={"sound_tracks": "mono"})["sound_layout"]
        assert (wanted.verdict, checked(declared=audio_tracks)["sound_layout"].verdict) == (verdict, PASSES)
    eight = {"channels": (LOUD, LOUD, *[replace(silent, peak_dbfs=None)] * 6)}
    element = {"audio": (Audio(8, "", 48000, 24),)}
    for codec, verdict in (("d10-50", PASSES), ("avci-100", FAILS)):  # D-10's element has eight, the rest silent
        assert checked(sound=eight, declared=element, delivery={"codec": codec})["sound_layout"].verdict == verdict
    five = {"layout": "5.1"}
    low = ChannelFigures(-12.0, -30.0, 0.1, 0.02)
    right = {"channels": (LOUD, LOUD, LOUD, low, LOUD, LOUD)}
    audio = {"audio": (Audio(6, "5.1", 48000, 24),)}
    assert checked(sound=right, delivery=five, declared=audio)["sound_layout"].verdict == PASSES
    swapped = {"channels": (LOUD, LOUD, low, LOUD, LOUD, LOUD)}
    result = checked(sound=swapped, delivery=five, declared=audio)["sound_layout"]
    assert result.verdict == FAILS and "swapped" in result.text
    for integrated, verdict in ((-23.5, PASSES), (-23.6, LOOK), (-24.1, FAILS), (-22.5, PASSES), (-21.9, FAILS)):
        assert checked(sound={"integrated": integrated})["loudness"].verdict == verdict, integrated
    for peak, verdict in ((-1.0, PASSES), (-0.8, FAILS)):
        assert checked(sound={"true_peak": peak})["true_peak"].verdict == verdict, peak
    assert checked(delivery={"loudness_lufs": None})["loudness"].verdict == NOT_CHECKED
    assert checked(sound={"silence": (SoundSpan(10, 16),)})["silence"].verdict == LOOK
    assert checked(sound={"silence": (SoundSpan(10, 14),)})["silence"].verdict == PASSES
    result = checked(sound={"clipping": (SoundSpan(2, 2.1), SoundSpan(5, 5.1))})["clipping"]
    assert result.verdict == FAILS and [place.first for place in result.where] == [50, 125]
    assert checked(sound={"against": (SoundSpan(2, 6),)})["phase"].verdict == LOOK
    loudest = {"short_term": (*(-23.0,) * 200, -15.0, *(-23.0,) * 199), "most_short_term": -15.0}
    for begins in (0, 100):  # three seconds up to the loudest moment, counted from where the programme begins
        [place] = checked(
            sound=loudest,
            items=(LayoutItem("black", 0, begins), LayoutItem("programme", begins, FRAMES))[not begins :],
        )["short_term"].where
        assert (place.first, place.last) == (begins + 17 * 25, begins + 20 * 25)
    none = checked(silent=True)
    assert none["sound_layout"].verdict == FAILS and none["loudness"].verdict == NOT_CHECKED
    assert mix_of(HD) == (0, 1) and mix_of(HD.model_copy(update=five)) == (0, 1, 2, 3, 4, 5)


LAYOUT = ProgrammeLayout(
    id="x",
    name="x",
    starts="10:00:00:00",
    tolerance_pictures=2,
    items=(
        ProgrammeItem(what="bars", seconds=4, tone=True),
        ProgrammeItem(what="black", seconds=2),
        ProgrammeItem(what="programme"),
        ProgrammeItem(what="end black", seconds=2),
    ),
)


@pytest.mark.parametrize(
    ("items", "tones", "said"),
    [
        (((100, "bars"), (50, "black"), (800, "programme"), (50, "end black")), True, ""),
        (((101, "bars"), (49, "black"), (800, "programme"), (60, "end black")), True, ""),
        (
            ((104, "bars"), (50, "black"), (800, "programme"), (50, "end black")),
            True,
            "bars at 09:59:54:00 is 4 pictures longer than 4 s",
        ),
        (((100, "bars"), (50, "black"), (800, "programme"), (50, "end black")), False, "no tone with the bars"),
        (((100, "bars"), (50, "black"), (800, "programme")), True, "no black of 2 s at the end"),
        (((50, "black"), (800, "programme"), (50, "end black")), True, "no bars of 4 s where black lies"),
        (
            ((100, "bars"), (50, "black"), (250, "slate"), (550, "programme"), (50, "end black")),
            True,
            "no programme where slate lies",
        ),
    ],
)
def test_a_layout_is_held_item_by_item(items: tuple[tuple[int, str], ...], tones: bool, said: str) -> None:
    output, at = [], 0
    for frames, what in items:
        output.append(LayoutItem(what, at, at + frames))
        at += frames
    heard = (SoundSpan(0.0, 4.0, -18.1),) if tones else ()
    result = checked(
        {"frames": at},
        declared={"timecode": "09:59:54:00", "frames": at},
        items=tuple(output),
        tones=heard,
        layout=LAYOUT,
    )
    assert result["layout"].verdict == (FAILS if said else PASSES) and said in result["layout"].text, result[
        "layout"
    ].text
    assert result["level"].verdict == (PASSES if tones else FAILS)
    assert result["timecode"].verdict == PASSES, "the programme's start, less what lies before it"


def test_names_starts_and_lengths_are_counted() -> None:
    assert (
        checked(delivery={"file_name": "{title} E{episode:02} v{version}"}, name="Lamp Room E07 v2.mxf")[
            "naming"
        ].verdict
        == PASSES
    )
    assert (
        checked(delivery={"file_name": "{title} E{episode:02} v{version}"}, name="Lamp Room E7 v2.mxf")[
            "naming"
        ].verdict
        == FAILS
    )
    assert _pattern("{title}").fullmatch("anything at all") and not _pattern("a.{version}").fullmatch("ab1")
    ntsc = Fraction(30000, 1001)
    assert frames_of(60, ntsc) == 1800 and frames_of(0.5, Fraction(25)) in (12, 13)
    line_up = programme_layouts()["line-up-525"]
    american = next(delivery for delivery in demo_template("Sheet Seven").deliveries if delivery.format.rate == ntsc)
    for drop, first, frames in ((True, "00:58:30;00", 2698), (False, "00:58:30:00", 2700)):
        delivery = american.model_copy(update={"drop": drop})
        assert str(first_timecode(delivery, line_up)) == first
        assert sum(lead_frames(line_up, programme_start(delivery, line_up))) == frames


def test_only_what_is_to_be_looked_at_can_be_accepted() -> None:
    checks = [checked({"repeats": 30})["repeats"].to_json(), checked()["scan"].to_json()]
    kept = accepted(VerificationRecord({"path": "/x", "checks": checks}, "now"), "repeats", "Runa", " a time-lapse ")
    assert (
        VerificationRecord({"checks": checks}, "now").verdict == LOOK
        and kept.verdict == PASSES
        and kept.accepted[0].because == "a time-lapse"
    )
    failing = [checked(declared={"codec": "prores"})["codec"].to_json()]
    assert accepted(VerificationRecord({"checks": failing}, "now"), "codec", "Runa", "it is fine").verdict == FAILS


def test_a_check_leads_to_its_setting_and_a_picture_to_its_frame() -> None:
    places = {setting.place for setting in settings_of(LAMP)}
    for check in IDS:
        place = setting_of(check, "hd-50")
        assert place is None or place in places, place
    assert setting_of("loudness", "hd-50") == "deliveries.hd-50.loudness_lufs" and setting_of("phase", "hd-50") is None
    parts = [{"first": 250, "frames": 100, "shows": 0}, {"first": 400, "frames": 50, "shows": 100}]
    document: dict[str, object] = {"made_of": {"timeline": "Main", "parts": parts, "scale": 0.5}}
    assert [frame_of(document, frame) for frame in (249, 250, 349, 360, 400, 449, 450)] == [
        None,
        ("Main", 0),
        ("Main", 49),
        None,
        ("Main", 50),
        ("Main", 74),
        None,
    ]
    assert frame_of({}, 3) is None


@pytest.mark.parametrize(("late_ms", "verdict"), [(0, PASSES), (60, PASSES), (61, FAILS), (-40, PASSES), (-41, FAILS)])
def test_sound_may_be_a_little_late_and_less_early(late_ms: float, verdict: str) -> None:
    """EBU R 37: 40 ms early, 60 ms late."""
    check = checked(sync=Parting(late_ms, 0.0, 3))["sync"]
    assert (check.verdict, check.clause) == (verdict, "EBU R 37")


def test_leaders_are_bars_black_slate_and_a_clock_that_ticks() -> None:
    fmt, codec = format_from_words("576i25 16:9 8bit"), codecs()["d10-50"]
    leaders = Leaders(codec, fmt, "", "Episode 4", {"Timeline": "Programme", "Delivery": "Broadcast SD"})
    black = leaders.picture("black", 0, 50)
    assert all((plane == value).all() for plane, value in zip(black, (16, 128, 128), strict=True))
    assert leaders.picture("end black", 3, 50) is black and leaders.picture("break", 3, 50) is black
    bars, plain = leaders.picture("bars", 0, 100), ycbcr_codes(rgb_picture(fmt), fmt.encoding)
    same = np.isclose(np.asarray(bars[0], float), np.asarray(plain[0], float))
    assert same[:300].all() and not same.all(), "bars, with the ident in them"
    slate = np.asarray(leaders.picture("slate", 0, 250)[0])
    assert slate.shape == (576, 720) and 0.005 < (slate > 100).mean() < 0.2 and slate.max() <= 16 + 219 * 0.85 + 1
    assert np.array_equal(slate, np.asarray(leaders.picture("slate", 249, 250)[0]))
    clock = [np.asarray(leaders.picture("clock", number, 250)[0]) for number in (0, 24, 25, 249)]
    assert np.array_equal(clock[0], clock[1]) and not np.array_equal(clock[1], clock[2])
    right = slice(460, 690)
    assert (clock[0][:, right] > 100).sum() > (clock[3][:, right] > 100).sum(), "the hand is gone at the end"


def test_loudness_is_held_as_its_territory_holds_it() -> None:
    """A/85: −24 ± 2 LKFS. R 128 s1: short forms at most −18 LUFS over three seconds, −15 at a moment."""
    american: dict[str, Any] = {
        "delivery": {"loudness_lufs": -24.0},
        "spec": {"tolerances": deliveries()["hd-59"].tolerances},
    }
    for integrated, verdict in ((-22.1, PASSES), (-21.9, FAILS), (-26.0, PASSES), (-26.2, FAILS)):
        outcome = checked(sound={"integrated": integrated}, **american)["loudness"]
        assert outcome.verdict == verdict and "-24 ± 2 LU" in outcome.text, integrated
    for short, moment, seconds, verdict in (
        (-18.0, -15.0, 30.0, PASSES),
        (-17.8, -15.0, 30.0, FAILS),
        (-18.0, -14.8, 119.0, FAILS),
        (-17.8, -14.8, 121.0, PASSES),
    ):
        sound = {"most_short_term": short, "most_momentary": moment, "seconds": seconds}
        assert checked(sound=sound)["short_term"].verdict == verdict, sound
        assert checked(sound=sound, **american)["short_term"].verdict == PASSES
    ranges = ((2.9, NOT_CHECKED, "too little"), (59.0, PASSES, "not meaningful"), (61.0, PASSES, "LU"))
    for seconds, verdict, words in ranges:
        outcome = checked(sound={"seconds": seconds, "range": 25.0})["loudness_range"]
        assert outcome.verdict == verdict and words in outcome.text
    assert "not meaningful" not in checked(sound={"seconds": 61.0})["loudness_range"].text
