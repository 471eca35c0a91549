"""Jobs: what is made is opened with other people's programs and measured; what is refused leaves nothing behind."""

from __future__ import annotations

import errno
import json
import os
import re
import shutil
import subprocess
from base64 import b64decode
from collections.abc import Iterator
from pathlib import Path
from xml.etree.ElementTree import fromstring

import av
import numpy as np
import opentimelineio as otio
import pytest
from tests.conftest import demo_template

from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.errors import JobError
from idle_quarry.jobs import start as starting
from idle_quarry.jobs.allowed import NotApproved, check_startable
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.folder_plan import FOR_CLIPS, FOR_CUTS, FOR_DELIVERIES, FOR_RENDERS, folder_for
from idle_quarry.jobs.moving import move, move_of
from idle_quarry.jobs.next_steps import next_steps
from idle_quarry.jobs.papers import camera_sheet, setup_sheet
from idle_quarry.jobs.start import StartedJob, start_job
from idle_quarry.library import FileLibrary, Library, StoredTemplate
from idle_quarry.library.records import Revision
from idle_quarry.media import inspect
from idle_quarry.path.beginning.beginnings import from_delivery
from idle_quarry.path.beginning.standard_values import otherwise
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.settings import settings_of
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Folder, TimecodePlan
from idle_quarry.printing import write_pdf
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.words import format_from_words as words

ALL = [history[-1].template for history in [*house_shelf(), *own_shelf()]]
LAMP = edited(
    demo_template("The Lamp Room"),
    Edit("intermediate.codec", "rdd36-standard"),
    Edit("timecode", TimecodePlan(line_up_length_s=4)),
)


def stored(library: Library, template: Template) -> StoredTemplate:
    return library.stored(library.save_new(template, "house", "").template_id)


@pytest.fixture(scope="module")
def lamp(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[StoredTemplate, StartedJob]]:
    from idle_quarry.library import open_library

    library = open_library(tmp_path_factory.mktemp("library") / "l.db", "Runa")
    revision = stored(library, LAMP)
    job = start_job(revision, "Lamp Room 3", tmp_path_factory.mktemp("jobs"), write_pdf, "Runa")
    yield revision, job
    library.close()


def test_everything_announced_is_there(lamp: tuple[StoredTemplate, StartedJob]) -> None:
    revision, job = lamp
    assert all((job.folder / name).is_file() for name in job.files)
    for folder in ("01 Material/02 Archive", "05 Mix/01 Stems", "Timelines", "Line-up", "Papers"):
        assert (job.folder / folder).is_dir()
    record = json.loads((job.folder / "job.json").read_text())
    assert record["template"]["hash"] == revision.revision.hash and record["template"]["revision"] == 1
    assert record["line_up"]["differs"] == []
    assert check_job(job.folder).drift == ()
    for pdf in ("Setup sheet", "Camera sheet"):
        assert (job.folder / f"Papers/{pdf}.pdf").read_bytes().startswith(b"%PDF")
    if shutil.which("pdfinfo"):
        shown = subprocess.run(
            ["pdfinfo", str(job.folder / "Papers/Camera sheet.pdf")], capture_output=True, text=True, check=True
        )
        assert "Pages:           1" in shown.stdout  # one page to hand to a crew


def test_timelines_open_in_opentimelineio(lamp: tuple[StoredTemplate, StartedJob]) -> None:
    _, job = lamp
    timeline = otio.adapters.read_from_file(str(job.folder / "Timelines/Programme.otio"))
    assert otio.opentime.to_timecode(timeline.global_start_time) == "10:00:00:00"
    facts = timeline.metadata["idle_quarry"]
    assert (
        facts["rate"] == "25/1" and facts["canvas"]["width"] == 1920 and facts["format"]["words"].startswith("1080i25")
    )
    assert [(t.name, t.kind) for t in timeline.tracks] == [
        (t.name, "Video" if t.kind == "video" else "Audio") for t in LAMP.timelines[0].tracks
    ]
    assert timeline.tracks[0].metadata["idle_quarry"]["colour"].startswith("#")


def test_the_line_up_clip_is_what_it_says(lamp: tuple[StoredTemplate, StartedJob]) -> None:
    """Bars by code value, tone by level and frequency, flags and timecode, read back through FFmpeg's libraries."""
    _, job = lamp
    path = next((job.folder / "Line-up").iterdir())
    clip = inspect(path)
    assert clip.format == words("1080i25")
    d = clip.declared
    assert (d.codec, d.timecode, d.drop_frame, d.frames, d.primaries, d.transfer, d.matrix) == (
        "prores",
        "09:59:00:00",
        False,
        100,
        "bt709",
        "bt709",
        "bt709",
    )
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
        assert isinstance(frame, av.VideoFrame) and frame.interlaced_frame
        luma = np.frombuffer(bytes(frame.planes[0]), "<u2").reshape(1080, -1)[:, :1920]
        red = np.frombuffer(bytes(frame.planes[2]), "<u2").reshape(1080, -1)[:, :960]
        container.seek(0)
        sound = np.concatenate([f.to_ndarray() for f in container.decode(audio=0)], axis=1)
    _, kr, kb, _ = MATRICES["bt709"]
    assert kr is not None and kb is not None
    for index, (r, g, b) in enumerate(
        [
            (1, 1, 1),
            (0.75, 0.75, 0),
            (0, 0.75, 0.75),
            (0, 0.75, 0),
            (0.75, 0, 0.75),
            (0.75, 0, 0),
            (0, 0, 0.75),
            (0, 0, 0),
        ]
    ):
        y = kr * r + (1 - kr - kb) * g + kb * b
        x = int((index + 0.5) * 240)
        assert luma[300, x - 40 : x + 40].mean() == pytest.approx(64 + 876 * y, abs=2)
        assert red[300, x // 2 - 20 : x // 2 + 20].mean() == pytest.approx(512 + 896 * (r - y) / (2 * (1 - kr)), abs=2)
    assert luma[950:].max() > 600  # the ident is written there
    right = sound.reshape(-1, 2)[:, 1] / 2**31 if sound.shape[0] == 1 else sound[1] / 2**31
    left = sound.reshape(-1, 2)[:, 0] / 2**31 if sound.shape[0] == 1 else sound[0] / 2**31
    assert len(right) == 4 * 48000
    spectrum = np.abs(np.fft.rfft(right * np.hanning(len(right))))
    assert np.argmax(spectrum) * 48000 / len(right) == pytest.approx(1000, abs=0.3)
    assert 20 * np.log10(np.abs(right).max()) == pytest.approx(-18, abs=0.01)
    assert np.abs(left[:11000]).max() == 0 and np.abs(left[13000:100000]).max() > 0.1  # left is interrupted


@pytest.mark.parametrize(
    ("name", "edits"),
    [
        (
            "Sheet Seven",
            (Edit("timecode.line_up_length_s", 1), Edit("job_name", "{title} {format} {language}")),
        ),  # drop-frame, VC-3
        (
            "Saltmarsh Hours",
            (
                Edit("carried_colour", 17),
                Edit("timecode.line_up_length_s", 1),
                Edit("working.format", words("720p50 hlg")),
                Edit("timelines", demo_template("Saltmarsh Hours").timelines[:1]),
            ),
        ),
        (
            "Archive SD 16:9",
            (
                Edit("timecode.line_up_length_s", 1),
                Edit("intermediate.codec", "ffv1"),
                Edit("line_up", "ramp"),
                Edit("sound.layout", "stereo-me-8"),
            ),
        ),
        (
            "Narrow Gauge",
            (
                Edit("timecode.line_up_length_s", 1),
                Edit("intermediate.codec", "dpx-10"),
                Edit("working.format", words("640x360p23.976")),
            ),
        ),
    ],
)
def test_other_templates_start_too(name: str, edits: tuple[Edit, ...], library: Library, tmp_path: Path) -> None:
    template = edited(demo_template(name), *edits)
    job = start_job(stored(library, template), "Try", tmp_path, write_pdf, "Odo")
    record = json.loads((job.folder / "job.json").read_text())
    assert record["line_up"]["differs"] == []
    clip = inspect(sorted((job.folder / "Line-up").iterdir())[0])
    assert (clip.declared.width, clip.declared.height) == (
        template.working.format.raster.width,
        template.working.format.raster.height,
    )
    if name == "Sheet Seven":
        assert job.folder.name == "Try 1080i29.97 en" and record["title"] == "Try"
        # a minute of count before 01:00:00;00: ;00 and ;01 are numbers that drop-frame skips there
        assert clip.declared.timecode == "00:59:00;02" and clip.declared.drop_frame
    if name == "Saltmarsh Hours":
        assert clip.declared.transfer == "hlg"
        cubes = {path.name for path in (job.folder / "Papers/Colour").iterdir()}
        assert "config.ocio" in cubes and "Tape archive into the programme.cube" in cubes
        assert check_job(job.folder).drift == ()
    if name == "Archive SD 16:9":
        assert record["line_up"]["bars"] == "luma ramp and steps" and clip.declared.audio[0].channels == 8


def test_the_recipe_runs(lamp: tuple[StoredTemplate, StartedJob], tmp_path: Path) -> None:
    """With Debian's FFmpeg, on the line-up clip itself; what it makes has the template's flags."""
    _, job = lamp
    script, source = job.folder / "Papers/Intermediate recipe.sh", next((job.folder / "Line-up").iterdir())
    short, small, result = tmp_path / "short.mov", tmp_path / "small.mov", tmp_path / "made.mov"
    ffmpeg = ["ffmpeg", "-v", "error", "-i", str(source)]
    subprocess.run([*ffmpeg, "-frames:v", "5", "-c", "copy", str(short)], check=True)
    subprocess.run([*ffmpeg, "-frames:v", "2", "-vf", "scale=320:180", "-c:v", "mpeg4", "-an", str(small)], check=True)
    subprocess.run(["sh", str(script), str(short), str(result)], check=True, capture_output=True)
    assert inspect(result).format == words("1080i25")
    wrong = subprocess.run(
        ["sh", str(script), str(small), str(tmp_path / "no.mov")], capture_output=True, text=True, check=False
    )
    assert wrong.returncode == 1 and "convert it first" in wrong.stderr and not (tmp_path / "no.mov").exists()


def test_the_papers_say_every_setting(lamp: tuple[StoredTemplate, StartedJob]) -> None:
    revision, _ = lamp
    sheet = setup_sheet(revision, "Lamp <3>", evaluate(revision.template))
    assert "Lamp &lt;3&gt;" in sheet and "<3>" not in sheet
    for setting in settings_of(revision.template):
        assert setting.label in sheet
    assert sheet.count("&#9632;") > 4
    camera = camera_sheet(revision, "Lamp Room", evaluate(revision.template))
    assert "1920 × 1080" in camera and "50i" in camera


@pytest.mark.parametrize("template", ALL, ids=lambda template: template.name)
def test_the_papers_of_the_demo_are_three_pages_and_one(template: Template, tmp_path: Path) -> None:
    revision = Revision("t", 2, "Wren", "2026-11-09T10:00:00Z", "", "approved", "ab" * 32)
    stored = StoredTemplate(template.name, "house", revision, template)
    for most, sheet in ((3, setup_sheet), (1, camera_sheet)):
        html = sheet(stored, "Lamp Room", evaluate(template, remedies=False))
        write_pdf(html, tmp_path / "paper.pdf")
        assert 1 <= len(re.findall(rb"/Type /Page\b", (tmp_path / "paper.pdf").read_bytes())) <= most
        drawn = [fromstring(b64decode(item)) for item in re.findall(r"svg\+xml;base64,([^\"]+)", html)]
        words = [item.text or "" for svg in drawn for item in svg.iter() if item.tag.endswith("text")]
        names = [*(source.name for source in template.sources), *(delivery.name for delivery in template.deliveries)]
        wanted = names if sheet is setup_sheet else ["graphics safe"]
        assert all(any(word.startswith(item[:20]) for word in words) for item in wanted)


def test_what_is_otherwise_than_the_standard() -> None:
    template = from_delivery("hd-50")
    assert otherwise(template) == []  # begun from a standard, nothing is
    changed = edited(template, Edit("working.format.bit_depth", 8), Edit("sound.line_up_dbfs", -20.0))
    assert [(item.setting.label, item.setting.text, item.standard) for item in otherwise(changed)] == [
        ("Bit depth", "8", "10"),
        ("Line-up level", "−20", "−18"),
    ]


def test_what_a_job_needs_next(lamp: tuple[StoredTemplate, StartedJob], tmp_path: Path) -> None:
    folder = tmp_path / "copy"
    shutil.copytree(lamp[1].folder, folder)
    first, second = next_steps(check_job(folder))
    assert "Expected: Tape archive, Film scans." in first.text and first.path == folder / "01 Material"
    assert second.path is not None and second.path.name == "Camera sheet.pdf"
    (folder / "01 Material/01 Cameras/A001.mov").write_bytes(b"a clip")
    (folder / "Line-up/other.mov").write_bytes(b"no material")
    (folder / "Papers/Setup sheet.html").unlink()
    missing, look = next_steps(check_job(folder))
    assert "Papers/Setup sheet.html" in missing.text
    assert look.act == "look at clips" and "1 clip" in look.text and look.path == folder


def test_drift(lamp: tuple[StoredTemplate, StartedJob], tmp_path: Path) -> None:
    _, job = lamp
    folder = tmp_path / "copy"
    shutil.copytree(job.folder, folder)
    (folder / "01 Material/01 Cameras/A001.mov").write_bytes(b"work is not drift")
    assert check_job(folder).drift == ()
    (folder / "Timelines/Programme.otio").rename(folder / "02 Cuts/Programme.otio")
    (folder / "Papers/Setup sheet.html").write_text("scribble")
    (folder / "Papers/Camera sheet.pdf").unlink()
    shutil.rmtree(folder / "05 Mix")
    (folder / "notes.txt").write_text("left lying about")
    result = {(d.kind, d.path) for d in check_job(folder).drift}
    assert result == {
        ("moved", "Timelines/Programme.otio"),
        ("altered", "Papers/Setup sheet.html"),
        ("missing", "Papers/Camera sheet.pdf"),
        ("missing", "05 Mix"),
        ("missing", "05 Mix/01 Stems"),
        ("extra", "notes.txt"),
    }


def no_room(*_what: object) -> None:
    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))


def test_a_job_is_held_against_its_revision_by_what_is_in_its_files(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever the record says of hashes: the timeline's start, the line-up's level, codec and timecode are looked
    at.
    """
    first = edited(LAMP, Edit("timecode.line_up_length_s", 2), Edit("timelines", LAMP.timelines[:1]))
    ident = library.save_new(first, "own", "").template_id
    job = start_job(library.stored(ident), "Moved", tmp_path, write_pdf, "Runa").folder
    assert check_job(job).drift == ()
    later = edited(
        first,
        Edit("sound.line_up_dbfs", -12.0),
        Edit("intermediate.codec", "rdd36-lt"),
        Edit("note", "louder"),
        Edit("folders", (*first.folders, Folder(id="rushes", name="Rushes"))),
    )
    to = library.stored(ident, library.save_revision(ident, later, "").number)
    # as an earlier program moved jobs: the record alone, and nothing told of it
    record = json.loads((job / "job.json").read_text())
    untouched = json.dumps(record)
    record["settings"], record["template"]["hash"] = later.model_dump(mode="json"), to.revision.hash
    (job / "job.json").write_text(json.dumps(record))
    lines = " ".join(drift.text for drift in check_job(job).drift)
    assert "the line-up's codec is RDD 36" in lines and "level is −18 dBFS, the revision wants −12 dBFS" in lines
    assert "the line-up's tone is at −18 dBFS" in lines
    (job / "job.json").write_text(untouched)
    result = move(check_job(job), to, "Runa", write_pdf)
    assert result.possible and result.line_up and check_job(job).drift == ()
    assert [item.is_dir() for item in (job / name for name in result.new_folders)] == [True], (
        "what is new in it is made"
    )
    clip = next((job / "Line-up").iterdir())
    assert inspect(clip).declared.profile == "LT" and len(list((job / "Line-up").iterdir())) == 1
    earlier = edited(later, Edit("timecode.start", "01:00:00:00"))
    start = library.stored(ident, library.save_revision(ident, earlier, "").number)
    assert move_of(check_job(job), start).locked == ("Timecode · Start",)  # a timeline was begun with it
    whole = (job / "job.json").read_bytes()
    with pytest.raises(JobError, match="timelines were begun with another Timecode · Start"):
        move(check_job(job), start, "Runa", write_pdf)
    assert (job / "job.json").read_bytes() == whole
    noted = library.stored(ident, library.save_revision(ident, edited(later, Edit("note", "late")), "").number)
    with monkeypatch.context() as full:
        full.setattr("idle_quarry.jobs.moving.written_whole", no_room)
        with pytest.raises(JobError, match=r"could not be written \(No space left on device\)"):
            move(check_job(job), noted, "Runa", write_pdf)
    assert (job / "job.json").read_bytes() == whole
    timeline = otio.adapters.read_from_file(str(job / f"Timelines/{first.timelines[0].name}.otio"))
    timeline.global_start_time = otio.opentime.RationalTime(0, 25)
    otio.adapters.write_to_file(timeline, str(job / f"Timelines/{first.timelines[0].name}.otio"))
    (job / "Papers/call sheet.txt").write_text("at eight")
    lines = " ".join(drift.text for drift in check_job(job).drift)
    assert (
        "starts at 00:00:00:00, the revision at 10:00:00:00" in lines
        and "call sheet.txt was added to the papers" in lines
    )


def test_what_may_start_a_job(library: FileLibrary) -> None:
    ident = library.save_new(LAMP, "house", "").template_id
    with pytest.raises(NotApproved, match="nobody approved it yet; have it approved, or say --unapproved"):
        check_startable(library, library.stored(ident))
    check_startable(library, library.stored(ident), unapproved=True)
    library.set_one_person(True)
    library.review(ident, 1, "approve")
    check_startable(library, library.stored(ident))
    library.save_revision(ident, edited(LAMP, Edit("note", "later")), "")
    with pytest.raises(NotApproved, match="start from revision 1, which is approved"):
        check_startable(library, library.stored(ident, 2))
    library.review(ident, 2, "withdraw", "no longer made")
    with pytest.raises(JobError, match="was withdrawn, and starts no job; start from revision 1"):
        check_startable(library, library.stored(ident, 2), unapproved=True)
    own = library.save_new(edited(LAMP, Edit("name", "Mine")), "own", "").template_id
    check_startable(library, library.stored(own))  # on one's own shelf nobody else has to


@pytest.mark.parametrize(
    "text", ["", "{", "[]", '{"kind": "idle-quarry job"}', '{"kind": "idle-quarry job", "format_number": 9}']
)
def test_damaged_records_are_refused(text: str, tmp_path: Path) -> None:
    (tmp_path / "job.json").write_text(text)
    with pytest.raises(JobError):
        check_job(tmp_path)


def test_records_that_reach_outside_are_refused(lamp: tuple[StoredTemplate, StartedJob], tmp_path: Path) -> None:
    record = json.loads((lamp[1].folder / "job.json").read_text())
    record["files"]["../../etc/passwd"] = {"sha256": "0" * 64, "bytes": 1}
    (tmp_path / "job.json").write_text(json.dumps(record))
    with pytest.raises(JobError, match="outside"):
        check_job(tmp_path)


@pytest.mark.parametrize("title", ["", " x", "a/b", "..", "CON", "x" * 300, "tab\there", "dot.", "a:b"])
def test_titles_that_cannot_be_folders(title: str, library: Library, tmp_path: Path) -> None:
    with pytest.raises(JobError):
        start_job(stored(library, LAMP), title, tmp_path, write_pdf, "Runa")
    assert list(tmp_path.glob("**/*.otio")) == [] and [p for p in tmp_path.iterdir() if p.name != "library.db"] == []


def _broken(number: int) -> object:
    def fail(*_: object, **__: object) -> None:
        raise OSError(number, "made to fail")

    return fail


@pytest.mark.parametrize(
    ("where", "number", "said"),
    [
        ("write_timelines", errno.ENOSPC, "full"),
        ("sha256_of", errno.EROFS, "nothing may be written"),
        ("setup_sheet", errno.EIO, "made to fail"),
    ],
)
def test_a_disk_that_fails_half_way_leaves_nothing(
    where: str, number: int, said: str, library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    revision = stored(library, LAMP)
    at = tmp_path / "at"
    at.mkdir()
    monkeypatch.setattr(starting, where, _broken(number))
    with pytest.raises(JobError, match=said):
        start_job(revision, "Half", at, write_pdf, "Runa")
    assert list(at.iterdir()) == []


def test_cancelling_leaves_nothing(library: Library, tmp_path: Path) -> None:
    class StopError(Exception):
        pass

    def progress(what: str, share: float) -> None:
        if share > 0.3:
            raise StopError

    at = tmp_path / "at"
    at.mkdir()
    with pytest.raises(StopError):
        start_job(stored(library, LAMP), "Stopped", at, write_pdf, "Runa", progress)
    assert list(at.iterdir()) == []


def test_places_that_will_not_do(library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    revision = stored(library, LAMP)
    (tmp_path / "file").write_text("x")
    (tmp_path / "lamp room").mkdir()
    for at, title in (
        (tmp_path / "missing", "x"),
        (tmp_path / "file", "x"),
        (tmp_path, "lamp room"),
        (tmp_path, "Lamp Room"),
    ):
        with pytest.raises(JobError):
            start_job(revision, title, at, write_pdf, "Runa")
    monkeypatch.setattr(starting, "bytes_needed", lambda _template: 10**18)
    with pytest.raises(JobError, match="MB free"):
        start_job(revision, "Big", tmp_path, write_pdf, "Runa")


def test_a_job_never_changes_its_template(lamp: tuple[StoredTemplate, StartedJob]) -> None:
    revision, job = lamp
    assert check_job(job.folder).template == revision.template == LAMP


def test_a_folder_of_a_job_is_known_by_its_name_and_only_where_it_is_there(tmp_path: Path) -> None:
    folders = ("01 Material", "01 Material/Cameras", "02 Cuts", "03 Graphics", "04 Renders", "06 Deliveries", "Papers")
    for name in folders[:-2]:
        (tmp_path / name).mkdir()
    result = {use: folder_for(tmp_path, folders, use).name for use in (FOR_CLIPS, FOR_CUTS, FOR_RENDERS)}
    assert result == {FOR_CLIPS: "01 Material", FOR_CUTS: "02 Cuts", FOR_RENDERS: "04 Renders"}
    assert folder_for(tmp_path, folders, FOR_DELIVERIES) == tmp_path, "it is gone"
    assert folder_for(tmp_path, ("Graphics", "Layouts"), FOR_DELIVERIES) == tmp_path, "none is for that"
