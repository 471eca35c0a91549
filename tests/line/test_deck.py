"""Deck and recorder: what is recorded of a line is what was on the tape, bit for bit.

What breaks on the way is told.
"""

from __future__ import annotations

import shutil
from pathlib import Path
from types import MappingProxyType

import av
import numpy as np
import pytest
from tests.conftest import CLIPS

from idle_quarry.errors import MediaError, NotPossible
from idle_quarry.line.devices.checked import contradictions
from idle_quarry.line.devices.deck import Deck, Wear
from idle_quarry.line.devices.deck_run import DeckRun, DeckSnapshot
from idle_quarry.line.devices.devices import CableSignal, clock_of
from idle_quarry.line.devices.recorder import Recorder, RecordingRequest, Take, able
from idle_quarry.line.devices.tape import ClipFeed, Tape, line_format
from idle_quarry.line.files import read_links
from idle_quarry.line.reading.reader import read_words
from idle_quarry.line.transport import transport
from idle_quarry.line.writing.feed import Setup, play_out
from idle_quarry.line.writing.sending import SentSound, picture_of, sent_pictures
from idle_quarry.line.writing.writer import LineSignalling, LineWriter
from idle_quarry.media import Clip, inspect
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.measurement.sync import flash_and_pip
from idle_quarry.media.pictures import Reader
from idle_quarry.media.sounds import SoundReader
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words

TAPE = CLIPS / "lamp tape 021 wide.mpg"


def tape_of(path: Path = TAPE) -> tuple[Clip, Tape]:
    clip = inspect(path)
    assert clip.format is not None
    return clip, Tape(ClipFeed(clip), line_format(clip.format))


def recorded(
    folder: Path,
    tape: Tape,
    wear: Wear | None = None,
    on_break: str = "new clip",
    codec: str = "v210",
    marks: tuple[int, int] | None = None,
) -> list[Take]:
    deck, takes = Deck(), list[Take]()
    recorder = Recorder(takes.append)
    deck.connect(recorder)
    deck.load(tape, wear)
    ends = (tape.start + marks[0], tape.start + marks[1]) if marks else (None, None)
    recorder.arm(RecordingRequest(folder, "reel", codec, on_break, *ends))  # type: ignore[arg-type]
    deck.play()
    while deck.speed and recorder.armed:
        deck.step()
    recorder.finish()
    return takes


def pictures(path: Path) -> list[tuple[np.ndarray, ...]]:
    clip = inspect(path)
    with Reader(path, clip.declared) as reader:
        return [(item.luma.copy(), *(c.copy() for c in item.chroma or ())) for item in reader.window(0, 1000)]


def test_a_take_is_what_was_on_the_tape(tmp_path: Path) -> None:
    """Between mark in and out, both of them, every code; read back by another program's decoder; and found to be so."""
    _, tape = tape_of()
    (take,) = recorded(tmp_path, tape, marks=(5, 11))
    result = pictures(take.path)
    assert (take.frames, str(take.first), str(take.last)) == (7, "00:00:00:05", "00:00:00:11") and len(result) == 7
    for number, planes in enumerate(result):
        for got, sent in zip(planes, tape.picture(5 + number), strict=True):
            np.testing.assert_array_equal(got, np.clip(sent, 4, 1019))
    clip = inspect(take.path)
    assert contradictions(take, clip) == () and clip.declared.timecode == "00:00:00:05"
    assert contradictions(take, inspect(TAPE)), "another file is not what was recorded"


def test_a_codec_of_more_bits_holds_every_picture(tmp_path: Path) -> None:
    """Whole pictures of 4:2:2 into 4:4:4 of more bits: each take's picture is its own, not the first one's."""
    _, tape = tape_of(CLIPS / "stone film night.mp4")
    (take,) = recorded(tmp_path, tape, codec="rdd36-4444", marks=(2, 7))
    clip = inspect(take.path)
    assert clip.declared.sampling == "4:4:4"
    result = pictures(take.path)
    for number, (luma, *_) in enumerate(result):
        near = [
            psnr_db(luma / (4 if luma.max() > 1023 else 1), tape.picture(n)[0].astype(float), 876) for n in range(1, 9)
        ]
        assert int(np.argmax(near)) + 1 == number + 2 and max(near) > 45


@pytest.mark.parametrize(
    ("on_break", "frames", "breaks"), [("new clip", [20, 30], [1, 0]), ("go on", [50], [1]), ("stop", [20], [1])]
)
def test_breaks_and_drop_outs_are_told_per_take(
    tmp_path: Path, on_break: str, frames: list[int], breaks: list[int]
) -> None:
    """A head that loses the tape harms frame 7, timecode jumps at frame 20: by the template's word a new clip, a
    note, an end.
    """
    _, tape = tape_of()
    wear = Wear(frozenset({7}), MappingProxyType({20: 250}))
    takes = recorded(tmp_path, tape, wear, on_break)
    assert [take.frames for take in takes] == frames
    assert [sum(e.kind == "timecode break" for e in take.events) for take in takes] == breaks
    (drop,) = [item for item in takes[0].events if item.kind == "drop-out"]
    assert (drop.frame, drop.timecode) == (7, "00:00:00:07")
    (broken,) = [event for take in takes for event in take.events if event.kind == "timecode break"]
    assert broken.text == "timecode went from 00:00:00:19 to 00:00:10:20"
    if on_break == "new clip":
        assert [take.path.name for take in takes] == ["reel.mov", "reel 2.mov"] and str(takes[1].first) == "00:00:10:20"


def test_a_cancelled_take_is_kept_whole_or_not_at_all(tmp_path: Path) -> None:
    _, tape = tape_of()
    for keep in (True, False):
        deck, takes = Deck(), list[Take]()
        recorder = Recorder(takes.append)
        deck.connect(recorder)
        deck.load(tape)
        recorder.arm(RecordingRequest(tmp_path, f"kept {keep}", "rdd36-hq"))
        deck.play()
        for _ in range(4):
            deck.step()
        recorder.cancel(keep=keep)
        assert [take.frames for take in takes] == ([4] if keep else [])
    assert [path.name for path in tmp_path.iterdir()] == ["kept True.mov"]


def test_only_codecs_that_hold_the_line_are_offered() -> None:
    fmt = line_format(inspect(TAPE).format)  # type: ignore[arg-type]
    ids = {item.id for item in able(fmt)}
    assert {"v210", "rdd36-hq", "ffv1"} <= ids
    assert not ids & {"d10-50", "avc-intra-100", "dv-420"}, "eight bits, other rasters, 4:2:0"
    with pytest.raises(NotPossible, match="no line carries"):
        line_format(format_from_words("1000x700p25"))


def test_the_transport_and_what_it_refuses(tmp_path: Path) -> None:
    """Asked from any thread, done on the loop's: shuttling, locating, a mark that is on no tape, a disk that is not
    there.
    """
    clip, tape = tape_of()
    run = DeckRun(ClipFeed(clip), tape.format, Wear())

    def steps(count: int) -> DeckSnapshot:
        seen = [item for item in (run.step() for _ in range(count)) if item is not None]
        return seen[-1]

    first = run.step()
    assert first is not None and first.status.state == "stop" and first.picture is not None
    assert run.step() is None, "a tape that stands makes nothing new"
    run.ask(lambda r: r.deck.play(5))
    assert steps(3).status.at == 15
    run.ask(lambda r: r.deck.locate(48))
    run.ask(lambda r: r.deck.play())
    assert steps(4).status.speed == 0, "the end of the tape stops it"
    wanted = RecordingRequest(tmp_path, "x", "v210", "stop", tape.start + 5000)
    run.ask(lambda r: r.record(wanted))
    assert "is not on this tape" in steps(1).refused
    run.ask(
        lambda r: r.record(RecordingRequest(tmp_path / "nowhere", "x", "v210", "stop", tape.start + 2, tape.start + 3))
    )
    seen = [item for item in (run.step() for _ in range(6)) if item is not None]
    assert any("could not be written" in item.refused for item in seen) and not any(tmp_path.iterdir())
    run.close()


def test_a_clip_plays_out_as_words(tmp_path: Path) -> None:
    """Through the template's monitor link into a file that a receiver reads without a fault, sound and timecode
    with it.
    """
    clip = inspect(CLIPS / "stone ambience.mov")
    fmt = format_from_words("1080i25")
    setup = Setup(
        format=fmt,
        interface="",
        payload=True,
        picture="clip",
        sound="tone",
        level_dbfs=-18,
        layout=sound_layouts()["stereo"],
        start=Timecode(0, fmt.rate),
        monitors=(),
        meter="dBFS",
        clip=ClipFeed(clip),
    )
    paths = play_out(setup, tmp_path / "out.words", 3, lambda _done, _of: None)
    frames = list(read_words(read_links(paths[0])))
    assert len(frames) == 3 and not any(item.faults for item in frames)
    assert str(frames[0].timecode) == clip.declared.timecode
    tape = Tape(ClipFeed(clip), fmt)
    for number, frame in enumerate(frames):
        for got, sent in zip(frame.pictures()[0], tape.picture(number), strict=True):
            np.testing.assert_array_equal(got, np.clip(sent, 4, 1019))
    assert frames[0].samples.shape[1] >= tape.channels > 0
    np.testing.assert_array_equal(frames[1].samples[:, : tape.channels], tape.sound(1920, 1920))


@pytest.mark.parametrize("late_ms", [0, 80, -60])
def test_flash_and_pip_tell_how_far_sound_is_off(tmp_path: Path, late_ms: int) -> None:
    """A recording with sound that was shifted by a known time."""
    fmt = format_from_words("576i25")
    sound = SentSound("pip", -18, sound_layouts()["stereo"], fmt)
    shift = late_ms * 48
    with ClipWriter(tmp_path / "a.mov", codecs()["rdd36-proxy"], fmt, sound=WrittenSound(2)) as writer:
        for n in range(60):
            samples = sound.samples(n * 1920 - shift, 1920) << 8
            writer.write(picture_of("flash", fmt, n), samples)
        writer.finish()
    result = flash_and_pip(tmp_path / "a.mov", inspect(tmp_path / "a.mov").declared)
    assert result.pairs >= 2 and abs(result.offset_ms - late_ms) < 1.5


def test_a_clip_without_flashes_says_so() -> None:
    with pytest.raises(MediaError, match="no flash with its pip"):
        flash_and_pip(TAPE, inspect(TAPE).declared)


def test_any_stretch_of_sound_is_what_the_file_has(tmp_path: Path) -> None:
    """Against FFmpeg decoding all of it from the beginning: forwards, backwards, past both ends."""
    source = CLIPS / "stone ambience.mov"
    with av.open(str(source)) as container:
        (stream,) = container.streams.audio
        whole = np.concatenate([f.to_ndarray().reshape(-1, stream.channels) for f in container.decode(stream)])
    truth = whole.astype(np.int64) << (8 * (4 - whole.dtype.itemsize))
    with SoundReader(source) as sound:
        for first, count in (
            (0, 100),
            (100, 3000),
            (40000, 1920),
            (41920, 1920),
            (500, 700),
            (len(truth) - 50, 100),
            (-30, 60),
        ):
            got = sound.samples(first, count)[:, : truth.shape[1]]
            want = np.zeros_like(got, np.int64)
            a, b = max(0, first), max(0, min(len(truth), first + count))
            want[a - first : b - first] = truth[a:b]
            np.testing.assert_array_equal(got, want, str(first))


def test_nothing_is_left_of_a_clip_that_was_not_finished(tmp_path: Path) -> None:
    fmt = format_from_words("1080p25")
    codes = sent_pictures()["white"].draw(fmt, 0)
    for codec, path in (("rdd36-hq", tmp_path / "a.mov"), ("dpx-10", tmp_path / "run" / "a.0001.dpx")):
        with ClipWriter(path, codecs()[codec], fmt) as writer:
            writer.write(writer_codes(writer, codes))
        assert not any(tmp_path.iterdir())
        with ClipWriter(path, codecs()[codec], fmt) as writer:
            for _ in range(2):
                writer.write(writer_codes(writer, codes))
            writer.finish()
        assert path.exists()
        shutil.rmtree(path.parent) if path.parent != tmp_path else path.unlink()


def writer_codes(writer: ClipWriter, codes: tuple[np.ndarray, ...]) -> list[np.ndarray]:
    """Codes of the shape that a writer takes: white of R′G′B′ where its files hold that."""
    if writer.format.encoding.matrix == "rgb":
        return [np.full(codes[0].shape, 1023)] * 3
    return list(codes)


def test_two_pictures_in_a_frame_are_two_of_the_take_each_with_its_own_sound(tmp_path: Path) -> None:
    """1080p50 over 3G-B: the count goes on by two, and sound is shared out.

    What came without a signal is held, and told.
    """
    fmt = format_from_words("1080p50")
    way = transport(fmt, "3G-B")
    writer = LineWriter(fmt, way, LineSignalling())
    takes = list[Take]()
    recorder = Recorder(takes.append)
    recorder.arm(RecordingRequest(tmp_path, "reel", "v210", "stop"))
    start = Timecode.from_text("10:00:00:00", fmt.rate)
    sound = (np.arange(1, 1921, dtype=np.int32)[:, None] << 8) * np.ones((1, 4), np.int32)
    for number in range(3):
        grey = [
            (
                np.full((1080, 1920), 200 + 100 * number + 50 * n, np.uint16),
                *(np.full((1080, 960), 512, np.uint16),) * 2,
            )
            for n in (0, 1)
        ]
        words = writer.frame(grey, sound, start + 2 * number)
        recorder.receive(CableSignal(tuple(link.reshape(-1) for link in words), clock_of(way, fmt)))
    nothing = CableSignal(tuple(np.full_like(link.reshape(-1), 0x200) for link in words), clock_of(way, fmt))
    recorder.receive(nothing)
    recorder.finish()
    (take,) = takes
    assert [event.kind for event in take.events] == ["no signal"] and take.frames == 7
    assert [int(planes[0][0, 0]) for planes in pictures(take.path)] == [200, 250, 300, 350, 400, 450, 450]
    with SoundReader(take.path) as reader:
        heard = reader.samples(0, 1920)
    np.testing.assert_array_equal(heard[:, 0] >> 16, np.arange(1, 1921) >> 0)
