"""Hand-over: a delivery made whole, read by other programs, sealed and verified.

And files of others whose faults are known.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.conftest import CLIPS, demo_template, small_lamp_room
from tests.jobs.test_renders import shot
from tests.media.test_captions import stl
from tests.media.test_whole import sine, sound_file

from idle_quarry.cli.main import run
from idle_quarry.errors import JobError, NotPossible
from idle_quarry.files import sha256_of
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import CLIP, PICTURE, SOUND, Marker, Media, Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.handover.check_table import IDS
from idle_quarry.jobs.handover.make import _free_name, make, name_of
from idle_quarry.jobs.handover.programme import Mix, _Voice
from idle_quarry.jobs.handover.verify import verify
from idle_quarry.jobs.material import taken_in, write_material
from idle_quarry.jobs.renders.status import Programme, programmes_of, stock_of
from idle_quarry.jobs.start import start_job
from idle_quarry.library import FileLibrary
from idle_quarry.media.captions.reading import read_captions
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.pictures import Reader
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.entries.programme import ProgrammeItem, ProgrammeLayout
from idle_quarry.path.registry import sound_layouts, take_in
from idle_quarry.path.template import Template
from idle_quarry.path.voice import ffmpeg_filters, voice_from
from idle_quarry.printing import write_pdf
from idle_quarry.signal.timecode import Timecode

TAPE = CLIPS / "lamp tape 014.mpg"
#: A layout as short as one can be that has everything.
SHORT = ProgrammeLayout(
    id="",
    uid="0198c0de-1111-7000-8000-00000000aaaa",
    name="Short",
    starts="10:00:00:00",
    tolerance_pictures=1,
    items=(
        ProgrammeItem(what="bars", seconds=2, tone=True),
        ProgrammeItem(what="black", seconds=1),
        ProgrammeItem(what="clock", seconds=5),
        ProgrammeItem(what="black", seconds=1),
        ProgrammeItem(what="programme"),
        ProgrammeItem(what="break", seconds=1),
        ProgrammeItem(what="programme"),
        ProgrammeItem(what="end black", seconds=1),
    ),
)


def a_job(library: FileLibrary, folder: Path, *changes: Edit, frames: int = 40) -> Path:
    """A job of the Lamp Room whose programme has two stretches of a tape and sound; parted in its middle."""
    take_in(SHORT)
    stored = library.stored(library.save_new(small_lamp_room(*changes), "own", "").template_id)
    job = start_job(stored, "Episode 4", folder, write_pdf, "Runa").folder
    rng = np.random.default_rng(4)
    music = sound_file(folder / "music.wav", 0.05 * rng.standard_normal((48000 * 5, 2)) + sine((-40, 5)))
    write_material(job, taken_in((), [TAPE, music]))
    path = timelines_in(job)[0]
    result = read_timeline(path, Fraction(25))
    picture, sound = (next(track.ident for track in result.tracks if track.kind == kind) for kind in (PICTURE, SOUND))
    for begins in (0, 2):
        result = edits.add(result, [(picture, shot(TAPE, 0, 0, frames, begins))])
    heard = TimelineItem(
        0, "music", 0, 2 * frames, CLIP, Media("music", Fraction(25), str(music), frames=125), Fraction(0)
    )
    result = edits.marked(edits.lay_over(result, 0, [(sound, heard)]), Marker(frames, "break"))
    keep(path, result)
    return job


def deliver(*arguments: str) -> int:
    return run(["deliver", *arguments], lambda _place: 0)


def others_read_what_it_says(path: Path) -> Any:
    """FFmpeg's own programs agree: declarations, timecode, and the loudness of the programme."""
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-of", "json", "-show_streams", "-show_format", str(path)],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    probed = json.loads(shown)
    picture = next(stream for stream in probed["streams"] if stream["codec_type"] == "video")
    sound = next(element for element in probed["streams"] if element["codec_type"] == "audio")
    assert (
        picture["field_order"] in ("tt", "tb")
        and picture["color_range"] == "tv"
        and picture["display_aspect_ratio"] == "16:9"
    )
    assert (
        sound["channels"],
        sound["sample_rate"],
        sound.get("bits_per_raw_sample", "16"),
    ) == (8, "48000", "16")  # the element of D-10 has eight (ST 386)
    tags = [probed["format"].get("tags", {}), *(element.get("tags", {}) for element in probed["streams"])]
    assert "09:59:51:00" in {tag.get("timecode") for tag in tags}
    traced = subprocess.run(
        [
            "ffmpeg",
            "-v",
            "verbose",
            "-i",
            str(path),
            "-map",
            "0:v",
            "-c",
            "copy",
            "-frames:v",
            "1",
            "-bsf:v",
            "trace_headers",
            "-f",
            "null",
            "-",
        ],
        check=True,
        capture_output=True,
        text=True,
    ).stderr
    word = int(
        re.findall(r"time_code +([01]{25}) ", traced)[0], 2
    )  # drop, hours, minutes, a marker, seconds, pictures (H.262, 6.2.2.6)
    own = word >> 19 & 31, word >> 13 & 63, word >> 6 & 63, word & 63
    assert own == (9, 59, 51, 0), "and the pictures say the same"
    loud = subprocess.run(
        ["ffmpeg", "-nostats", "-i", str(path), "-af", "atrim=start=9:end=10.2,ebur128", "-vn", "-f", "null", "-"],
        check=True,
        capture_output=True,
        text=True,
    ).stderr
    measured = float(re.findall(r"I:\s+(-?[\d.]+) LUFS", loud)[-1])
    assert measured == pytest.approx(-23.0, abs=0.7)
    return picture


def its_list_verifies(out: Path, text: Any, path: Path, picture: Any) -> None:
    """And the list's own verifier."""
    sealed = subprocess.run(
        [sys.executable, "-m", "ascmhl.cli.ascmhl_debug", "verify", str(out)], capture_output=True, text=True
    )
    assert sealed.returncode == 0, sealed.stderr
    layout = next(check for check in text["checks"] if check["id"] == "layout")
    assert [(item["what"], round(item["seconds"])) for item in layout["found"]] == [
        ("bars", 2),
        ("black", 1),
        ("clock", 5),
        ("black", 1),
        ("programme", 1),
        ("break", 1),
        ("programme", 1),
        ("end black", 1),
    ]
    with Reader(path, inspect(path).declared) as reader:
        means = [float(picture.luma.mean()) for picture in reader.onward(0)]
    assert (
        means[60] == pytest.approx(16, abs=0.2)
        and means[215] == pytest.approx(16, abs=0.2)
        and means[227] > 30
        and means[-1] < 17
    )

    # a receiver who changed it is told by the seal
    with path.open("r+b") as file:
        file.seek(-1000, 2)
        file.write(b"x")
    assert (
        subprocess.run(
            [sys.executable, "-m", "ascmhl.cli.ascmhl_debug", "verify", str(out)], capture_output=True
        ).returncode
        != 0
    )


def test_a_delivery_is_made_whole_read_by_others_sealed_and_passes(
    library: FileLibrary, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    job = a_job(
        library,
        tmp_path,
        Edit("deliveries.sd-50.programme", SHORT.id),
        Edit("deliveries.sd-50.file_name", "{title} {timeline} v{version}"),
        Edit("deliveries.sd-50.sound_bits", 16),
        frames=30,
    )
    out = tmp_path / "out"
    out.mkdir()
    # captions beside the timeline go along: the programme begins 9 s in, and a break of 1 s comes after 1.2 s of it
    beside = timelines_in(job)[0]
    cues = "1\n00:00:00,400 --> 00:00:01,000\nOne.\n\n2\n00:00:01,400 --> 00:00:02,200\nTwo.\n"
    beside.with_name(f"{beside.stem}.en.srt").write_text(cues)
    tape = stl([("10:00:00:10", "10:00:01:00", "One."), ("10:00:01:10", "10:00:02:05", "Two.")])
    beside.with_suffix(".stl").write_bytes(tape)
    ident = next(summary.id for summary in library.summaries())
    library.record_job("Episode 4", job, library.stored(ident))
    status = deliver(str(job), "--delivery", "sd-50", "--to", str(out), "--json", "--library", str(library.place))
    text = json.loads(capsys.readouterr().out)
    failed = [(check["id"], check["text"]) for check in text["checks"] if check["verdict"] == "fails"]
    assert status == 0 and not failed, failed
    noted = [(element.file, element.sha256, element.revision) for element in library.handovers_from(ident)]
    accepted = text["verdict"] == "look"  # then a person looks first
    assert noted == ([] if accepted else [(Path(text["file"]).name, text["sha256"], 1)])
    path = Path(text["file"])
    assert path.parent == out and re.fullmatch(r"Episode 4 Programme v1\.\w+", path.name)
    assert [check["id"] for check in text["checks"]] == list(IDS) and not list(out.glob(".*"))
    moved = read_captions(path.with_suffix(".en.srt"))
    assert [float(cue.begin) for cue in moved.cues] == [9.4, 11.4]
    counted = read_captions(path.with_suffix(".stl"))
    assert [cue.begin - 36000 for cue in counted.cues] == [Fraction(2, 5), Fraction(12, 5)]
    captions = next(check for check in text["checks"] if check["id"] == "captions")
    assert captions["verdict"] == "passes" and len(captions["found"]["beside"]) == 2
    assert text["frames"] == 25 * (2 + 1 + 5 + 1 + 1 + 1) + 60
    picture = others_read_what_it_says(path)
    its_list_verifies(out, text, path, picture)


def test_what_fails_its_own_spec_is_not_handed_over_and_what_is_stopped_leaves_nothing(
    library: FileLibrary, tmp_path: Path
) -> None:
    job = check_job(a_job(library, tmp_path, Edit("deliveries.sd-50.true_peak_dbtp", -30.0), frames=15))
    programme = programmes_of(job, stock_of(job.folder, job.template))[0]
    delivery = next(item for item in job.template.deliveries if item.id == "sd-50")
    out = tmp_path / "out"
    out.mkdir()

    class Stop(Exception):
        pass

    for least in (0.05, 0.3):

        def told(_what: str, share: float, least: float = least) -> None:
            if share >= least:
                raise Stop

        with pytest.raises(Stop):
            make(job, programme, delivery, out, on_progress=told)
        assert not list(out.iterdir())
    result = make(job, programme, delivery, out)
    assert (
        not result.done
        and result.path.stem.endswith(" fails")
        and [path.name for path in out.iterdir()] == [result.path.name]
    )
    assert {check.id for check in result.verified.checks if check.verdict == "fails"} == {"true_peak"}
    ruled = delivery.model_copy(update={"file_name": "{title} v{version:02}"})
    assert _free_name(job, programme, ruled, out) == f"Episode 4 v01{result.path.suffix}"
    (out / f"Episode 4 v01{result.path.suffix}").touch()
    assert _free_name(job, programme, ruled, out) == f"Episode 4 v02{result.path.suffix}", "the next version"
    (out / f"{name_of(job, programme, delivery)}{result.path.suffix}").touch()
    with pytest.raises(JobError, match="is there already"):
        make(job, programme, delivery, out)
    with pytest.raises(NotPossible, match="2 parts, and 0 marks"):
        bare = replace(programme, timeline=replace(programme.timeline, markers=()))  # type: ignore[type-var]
        make(job, bare, ruled.model_copy(update={"programme": SHORT.id}), out)
    with pytest.raises(NotPossible, match="among the job's"):
        make(job, programmes_of(job, {})[0], ruled, out)
    with pytest.raises(JobError, match="no such folder"):
        make(job, programme, delivery, tmp_path / "nowhere")
    with pytest.raises(NotPossible, match="shows nothing"):
        make(job, Programme("x", replace(programme.timeline, tracks=()), programme.canvas), ruled, out)  # type: ignore[type-var]


def filmed(folder: Path, name: str, parts: list[str], sound: str, *options: str) -> Path:
    """A file of another program's making: FFmpeg's, of parts one after the other, each its own picture filters."""
    graph = "".join(f"{part},scale=720:576,setsar=64/45,format=yuv422p[p{n}];" for n, part in enumerate(parts))
    graph += "".join(f"[p{n}]" for n in range(len(parts))) + f"concat=n={len(parts)}:v=1:a=0,setfield=tff[v];{sound}[a]"
    path = folder / name
    subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-y",
            "-filter_complex",
            graph,
            "-map",
            "[v]",
            "-map",
            "[a]",
            "-c:v",
            "mpeg2video",
            "-threads:v",
            "2",
            "-b:v",
            "50M",
            "-minrate",
            "50M",
            "-maxrate",
            "50M",
            "-bufsize",
            "2M",
            "-g",
            "1",
            "-flags",
            "+ildct+ilme",
            "-color_range",
            "tv",
            "-c:a",
            "pcm_s24le",
            *options,
            str(path),
        ],
        check=True,
    )
    return path


#: Colours that EBU R 103 lets pass, in fields that move.
MOVING = (
    "testsrc2=s=720x576:r=50:d={},format=yuv422p,lutyuv=u=128+0.6*(val-128):v=128+0.6*(val-128),"
    "interlace=scan={}:lowpass=off"
)
NOISE = (
    "anoisesrc=d={}:a=0.06:r={}:s=1,aformat=channel_layouts=mono[l];"
    "anoisesrc=d={}:a=0.06:r={}:s=2,aformat=channel_layouts=mono[r];"
    "[l][r]join=inputs=2:channel_layout=stereo"
)


def test_each_fault_of_a_foreign_file_is_found_and_placed(tmp_path: Path) -> None:
    template: Template = demo_template("The Lamp Room")
    delivery = next(item for item in template.deliveries if item.id == "sd-50").model_copy(
        update={"loudness_lufs": None, "true_peak_dbtp": None}
    )

    def verdicts(path: Path) -> dict[str, tuple[str, list[tuple[int, int]]]]:
        result = verify(path, template, delivery, 1)
        assert result.to_json()["sha256"] == sha256_of(path)
        assert result.verdict == (
            "fails" if any(check.verdict == "fails" for check in result.checks) else result.verdict
        )
        return {
            check.id: (check.verdict, [(place.first, place.last) for place in check.where]) for check in result.checks
        }

    right = filmed(
        tmp_path, "right.mxf", [MOVING.format(3, "tff")], NOISE.format(3, 48000, 3, 48000), "-timecode", "10:00:00:00"
    )
    result = verdicts(right)
    # what FFmpeg writes of the codec's rate is not what is looked at here
    assert {ident for ident, (verdict, _) in result.items() if verdict == "fails"} == set(), result
    flashing = "color=white:s=720x576:r=25:d=2,format=yuv422p,lutyuv=y=16:enable='gte(mod(n,4),2)'"
    still = "testsrc2=s=720x576:r=25:d=3,trim=end_frame=1,loop=75:1:0,setpts=N/25/TB"
    parts = [
        MOVING.format(2, "tff"),
        MOVING.format(3, "bff"),
        "color=black:s=720x576:r=25:d=3",
        MOVING.format(1, "tff"),
        still,
        flashing,
    ]
    sound = NOISE.format(14, 44100, 14, 44100) + ",volume=enable='between(t,1,7)':volume=0"
    wrong = filmed(tmp_path, "wrong.mov", parts, sound, "-timecode", "01:00:00:00")
    result = verdicts(wrong)
    failing = {ident for ident, (verdict, _) in result.items() if verdict == "fails"}
    assert (
        failing >= {"container", "field_order", "flash", "black", "timecode", "sound_layout"}
        and "raster" not in failing
    ), failing
    looked = {ident for ident, (verdict, _) in result.items() if verdict == "look"}
    assert looked >= {"freeze", "silence"}, looked
    (turned,) = result["field_order"][1]
    assert turned[0] == pytest.approx(50, abs=4) and turned[1] == pytest.approx(125, abs=4)
    assert result["black"][1] == [(125, 200)]
    assert result["freeze"][1][0][0] == pytest.approx(225, abs=1)
    begins, ends = result["silence"][1][0]
    assert begins == pytest.approx(26, abs=2) and ends == 175
    assert result["flash"][1][0][0] >= 295


def test_sound_is_routed_by_the_layout_and_goes_through_the_tracks_chains(tmp_path: Path) -> None:
    template = demo_template("The Lamp Room")
    tones = {"Dialogue 1": 300.0, "Music": 1000.0}
    tracks = []
    for number, (name, hz) in enumerate(tones.items()):
        path = sound_file(tmp_path / f"{name}.wav", sine((-20, 2), hz=hz))
        media = Media(name, Fraction(25), str(path), frames=50)
        tracks.append(Track(name, name, SOUND, (TimelineItem(number + 1, name, 0, 50, CLIP, media),)))
    result = Timeline("Programme", Fraction(25), Timecode(0, Fraction(25)), tuple(tracks))

    def heard(layout: str) -> np.ndarray:
        with Mix(result, template, sound_layouts()[layout]) as mix:
            return np.concatenate(list(mix.blocks()))

    def level(samples: np.ndarray, hz: float) -> float:
        part = samples[24000:72000].astype(np.float64)
        return float(2 * np.abs(np.mean(part * np.exp(-2j * np.pi * hz * np.arange(len(part)) / 48000))))

    mixed = heard("stereo-me")
    full = 10 ** (-20 / 20)
    for channel, (speech, music) in enumerate(((full, full), (full, full), (0, full), (0, full))):
        assert level(mixed[:, channel], 300) == pytest.approx(speech, abs=2e-3), channel
        assert level(mixed[:, channel], 1000) == pytest.approx(music, abs=2e-3), channel
    mono = heard("mono")
    assert level(mono[:, 0], 300) == pytest.approx(full * np.sqrt(2), rel=0.01), "both at −3 dB"


def test_a_chain_that_looks_ahead_makes_nothing_late_and_leaves_no_gap() -> None:
    rng = np.random.default_rng(1)
    sound = (0.2 * rng.standard_normal((48000 * 3, 2))).clip(-0.6, 0.6).astype(np.float32)

    def source(first: int, count: int) -> np.ndarray:
        part = sound[first : first + count]
        return np.concatenate([part, np.zeros((count - len(part), 2), np.float32)])

    voice = _Voice(ffmpeg_filters(voice_from("limiter -1 dB")), 2, source)
    heard = np.concatenate([voice.take(count) for count in (48000, 48000, 1000, 47000)])
    assert np.abs(heard - sound).max() < 1e-4, "what lies below its limit a limiter leaves as it is, where it is"


def test_what_cannot_be_verified_or_made_is_told_in_a_sentence(
    library: FileLibrary, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    job = a_job(library, tmp_path)  # its template is in that library
    place = str(tmp_path / "library.db")
    text, sound = tmp_path / "a.mxf", sound_file(tmp_path / "only.wav", sine((-20, 1)))
    text.write_text("no film")

    def said(*arguments: str) -> str:
        assert run(["--library", place, "--person", "Runa", *arguments], lambda _place: 0) == 2
        return capsys.readouterr().err

    lamp = ("--template", "The Lamp Room")
    assert "is no delivery of the template; it has hd-50, sd-50" in said(
        "verify", str(TAPE), *lamp, "--delivery", "uhd"
    )
    assert "not readable as media" in said("verify", str(text), *lamp, "--delivery", "sd-50")
    assert "no pictures" in said("verify", str(sound), *lamp, "--delivery", "sd-50")
    assert "no such file" in said("verify", str(tmp_path / "none.mxf"), *lamp, "--delivery", "sd-50").casefold()
    assert "a report is" in said("verify", str(TAPE), *lamp, "--delivery", "sd-50", "--report", "x.docx")
    assert "is no timeline of the job; it has Programme" in said(
        "deliver", str(job), "--delivery", "sd-50", "--timeline", "Main", "--to", str(tmp_path)
    )
    assert "no such folder" in said("deliver", str(job), "--delivery", "sd-50", "--to", str(tmp_path / "nowhere"))
    assert "not a job" in said("deliver", str(tmp_path), "--delivery", "sd-50", "--to", str(tmp_path))
    assert "is no timeline of the job" in said(
        "render", str(job), "--at", str(tmp_path), "--system-disk", "--timeline", "Main"
    )
    assert (
        run(
            ["--library", place, "--person", "Runa", "verify", str(TAPE), *lamp, "--delivery", "sd-50", "--json"],
            lambda _place: 0,
        )
        == 1
    )
    document = json.loads(capsys.readouterr().out)
    assert [check["id"] for check in document["checks"]] == list(IDS) and document["verdict"] == "fails"
    assert set(document) == {"path", "sha256", "delivery", "template", "revision", "verdict", "checks"}
    assert all(
        set(check) == {"id", "wanted", "found", "verdict", "where", "clause", "text"} for check in document["checks"]
    )
    assert next(check for check in document["checks"] if check["id"] == "field_order")["verdict"] == "fails"
