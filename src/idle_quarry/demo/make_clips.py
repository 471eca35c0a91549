"""Makes the demo's clips: run `python -m idle_quarry.demo.make_clips FOLDER`; the results are committed.

Each clip's truth is in its line here: what moments its fields show, and what its flags say, which for some
is something else on purpose.
"""

from __future__ import annotations

import sys
import wave
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.stream import AudioStream
from av.video.stream import VideoStream
from numpy.typing import NDArray
from PIL import Image

from idle_quarry.demo.scenes import SCENES, Picture
from idle_quarry.path.registry import sound_layouts
from idle_quarry.picture.patterns.bars import ycbcr_codes
from idle_quarry.signal import SignalFormat, format_from_words
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.sound.tone import line_up_tone


@dataclass(frozen=True)
class DemoClip:
    """One clip: file name, scene, true format in words, and how pictures become frames.

    `motion` says which moments the fields show: "frames", "fields" (two moments a frame), "psf", a pulldown of 23.976
    pictures ("2:3", "2:3:3:2", or "2:3 broken", with a cut in mid-cadence), whole pictures held ("2:2", "3:2"),
    "still", or "mixed" (fields, then whole pictures from the middle on). `flags` are what the file says where it
    differs from the truth. `window` is the part of the raster that holds picture, `half_line` blanks half of the first.
    """

    name: str
    scene: str
    words: str
    motion: str = "frames"
    codec: str = "libx264"
    seconds: float = 2.0
    timecode: str | None = None
    flags: dict[str, str] = field(default_factory=dict)
    quality: int = 24
    codes_as_full: bool = False
    window: tuple[int, int, int, int] | None = None
    half_line: bool = False
    sound: str = ""


CLIPS = (
    DemoClip(
        "lamp tape 014.mpg", "lamp sweep", "576i25 4:3 bff 8bit 4:2:0", "fields", "mpeg2video", flags={"order": "top"}
    ),
    DemoClip("lamp tape 021 wide.mpg", "lamp sweep", "576i25 16:9 8bit 4:2:0", "fields", "mpeg2video"),
    DemoClip("lamp scan 3.mov", "lamp sweep", "1080psf25 8bit 4:2:0", "psf", timecode="10:12:00:00"),
    DemoClip(
        "gauge A004.mp4", "tide gauge", "2160p50 hlg 4:2:0", "frames", "libx265", timecode="06:40:00:00", quality=27
    ),
    DemoClip("gauge B011 proxy.mov", "tide gauge", "1080p50 8bit 4:2:0"),
    DemoClip("gauge C002 doubled.mp4", "tide gauge", "1080p50 8bit 4:2:0", "2:2"),
    DemoClip("gauge drone full range.mp4", "tide gauge", "1080p25 8bit 4:2:0", codes_as_full=True),
    DemoClip("stone fixed 2.mxf", "sliding stone", "1080i29.97 8bit", "fields", "mpeg2video", timecode="19:30:00;02"),
    DemoClip("stone roaming 1.mov", "sliding stone", "1080p59.94 8bit 4:2:0", timecode="19:30:02;00"),
    DemoClip("stone bench phone.mp4", "sliding stone", "1080x1920p30.00 8bit 4:2:0"),
    DemoClip("stone old reel.mpg", "sliding stone", "480i29.97 4:3 8bit 4:2:0", "fields", "mpeg2video"),
    DemoClip(
        "stone reel 2 non-drop.mov", "sliding stone", "480i29.97 16:9 8bit 4:2:0", "fields", timecode="19:31:00:00"
    ),
    DemoClip("train 03.mov", "passing train", "1080p23.976 8bit 4:2:0", timecode="01:04:10:00"),
    DemoClip(
        "train 03 for broadcast.mxf", "passing train", "1080i29.97 8bit", "2:3", "mpeg2video", timecode="01:04:10;00"
    ),
    DemoClip("train carriage thin.mov", "passing train", "1440x1080i25 8bit 4:2:0", "fields", timecode="11:20:00:00"),
    DemoClip("train 05 advanced.mov", "passing train", "1080i29.97 8bit 4:2:0", "2:3:3:2", timecode="01:07:00;02"),
    DemoClip("train 07 recut.mpg", "passing train", "480i29.97 16:9 8bit 4:2:0", "2:3 broken", "mpeg2video"),
    DemoClip("stone film night.mp4", "sliding stone", "720p59.94 8bit 4:2:0", "3:2"),
    DemoClip("gauge title card.mov", "tide gauge", "1080p25 8bit 4:2:0", "still"),
    DemoClip("lamp reel mixed.mpg", "lamp sweep", "576i25 4:3 8bit 4:2:0", "mixed", "mpeg2video", seconds=3.0),
    DemoClip(
        "lamp tape 030 letterbox.mpg",
        "lamp sweep",
        "576i25 4:3 8bit 4:2:0",
        "fields",
        "mpeg2video",
        window=(9, 72, 702, 432),
    ),
    DemoClip(
        "lamp tape 031 edges.mpg",
        "lamp sweep",
        "576i25 4:3 8bit 4:2:0",
        "fields",
        "mpeg2video",
        window=(9, 0, 702, 576),
        half_line=True,
    ),
    DemoClip(
        "stone commentary.mov", "sliding stone", "640x360p25 8bit 4:2:0", timecode="19:40:00:00", sound="inverted"
    ),
    DemoClip(
        "stone ambience.mov",
        "sliding stone",
        "640x360p25 8bit 4:2:0",
        timecode="19:41:00:00",
        sound="mono on two, silent",
    ),
    DemoClip("train platform.mxf", "passing train", "1080i25 8bit", "fields", "mpeg2video", timecode="11:22:00:00"),
)


def _times(clip: DemoClip, fmt: SignalFormat) -> list[tuple[float, float]]:
    """Return for each frame the times, in seconds, that its earlier and its later field show."""
    count, rate = int(clip.seconds * fmt.rate), float(fmt.rate)
    if clip.motion in ("frames", "psf"):
        return [(n / rate, n / rate) for n in range(count)]
    if clip.motion == "still":
        return [(1.0, 1.0)] * count
    if clip.motion == "2:2":
        return [(n // 2 * 2 / rate,) * 2 for n in range(count)]
    if clip.motion in ("fields", "mixed"):
        later = count if clip.motion == "fields" else count // 2
        return [(n / rate, (n + (0.5 if n < later else 0)) / rate) for n in range(count)]
    picture_s = 1 / float(NAMED_RATES["23.976"])
    if clip.motion == "3:2":
        return [((n // 5 * 2 + (n % 5 >= 3)) * picture_s,) * 2 for n in range(count)]

    def picture(number: int) -> int:
        """Of every ten fields four pictures have two and three in turn, or two, three, three and two."""
        group, place = divmod(number, 10)
        ends = (2, 5, 8, 10) if clip.motion == "2:3:3:2" else (2, 5, 7, 10)
        return group * 4 + sum(place >= end for end in ends)

    def time(number: int) -> float:
        cut = count  # in fields: half of the clip
        jump = 17 if clip.motion == "2:3 broken" and number >= cut else 0
        return picture(number + (3 if jump else 0)) * picture_s + jump

    return [(time(2 * n), time(2 * n + 1)) for n in range(count)]


def _moments(clip: DemoClip, fmt: SignalFormat) -> Iterator[Picture]:
    """Yield the frames of a clip: two moments woven line by line, which may be the same."""
    scene, width, height = SCENES[clip.scene], fmt.raster.width, fmt.raster.height
    x, y, w, h = clip.window or (0, 0, width, height)
    first = 1 if fmt.field_order == "bottom" else 0
    shown: dict[float, Picture] = {}

    def at(time: float) -> Picture:
        if time not in shown:
            if len(shown) > 3:
                shown.pop(next(iter(shown)))
            picture = np.zeros((height, width, 3), np.float32)
            picture[y : y + h, x : x + w] = scene(time, w, h)
            if clip.codes_as_full:  # real blacks and whites: by them a range is known
                picture = np.clip((picture - 0.34) * 1.9, 0, 1)
            if clip.half_line:
                picture[0, : width // 2] = 0
            shown[time] = picture
        return shown[time]

    for earlier, later in _times(clip, fmt):
        if earlier == later:
            yield at(earlier)
            continue
        woven = np.empty((height, width, 3), np.float32)
        woven[first::2], woven[1 - first :: 2] = at(earlier)[first::2], at(later)[1 - first :: 2]
        yield woven


def _sound(clip: DemoClip) -> NDArray[np.int16]:
    """Return a murmur of filtered noise, shape (samples, channels), that is what the clip's line says."""
    rng = np.random.default_rng(7)
    count = int(clip.seconds * 48000)
    rough = rng.standard_normal(count + 64)
    murmur = np.convolve(rough, np.hanning(64), "valid")[:count]
    murmur *= 0.1 * 32767 / np.abs(murmur).max() * (1.2 + np.sin(np.arange(count) / 9000))
    if clip.sound == "inverted":
        channels = [murmur, -murmur]
    else:
        channels = [murmur, murmur, np.zeros(count), np.zeros(count)]
    return np.stack(channels, axis=1).astype(np.int16)


def make(clip: DemoClip, folder: Path) -> None:
    """Write one clip into `folder`."""
    fmt = format_from_words(clip.words)
    encoding = fmt.with_encoding(range="full").encoding if clip.codes_as_full else fmt.encoding
    path = folder / clip.name
    deep = encoding.bit_depth > 8
    pixels = {"4:2:0": "yuv420p", "4:2:2": "yuv422p"}[encoding.sampling] + ("10le" if deep else "")
    with av.open(str(path), "w") as container:
        stream = container.add_stream(clip.codec, rate=fmt.rate)
        assert isinstance(stream, VideoStream)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = fmt.raster.width, fmt.raster.height, pixels
        context.time_base = 1 / fmt.rate
        order = clip.flags.get("order", fmt.field_order)
        interlaced = fmt.scan != "progressive"
        aspect = fmt.raster.pixel_aspect
        options = {"aspect": f"{aspect.numerator}:{aspect.denominator}", "g": "12"}
        if clip.codec == "mpeg2video":
            options |= {"b": "9000000", "maxrate": "15000000", "bufsize": "3000000", "qmin": "2"}
            options |= {"flags": "+ildct+ilme"} if interlaced else {}
        elif clip.codec == "libx264":
            options |= {"crf": str(clip.quality), "preset": "slow"}
            options |= (
                {"x264-params": "tff=1" if order == "top" else "bff=1", "flags": "+ildct+ilme"} if interlaced else {}
            )
        else:
            options |= {"crf": str(clip.quality), "preset": "fast", "x265-params": "log-level=none"}
        options["field_order"] = ("tb" if order == "top" else "bt") if interlaced else "progressive"
        context.options = options
        context.color_primaries = {"bt601-625": 5, "bt601-525": 6, "bt709": 1, "bt2020": 9}[encoding.primaries]
        context.color_trc = {"bt709": 1, "hlg": 18}[encoding.transfer] if encoding.matrix != "bt601" else 6
        context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[encoding.matrix]
        context.color_range = 1  # also where the codes are full: that is this clip's lie
        if clip.timecode:
            stream.metadata["timecode"] = clip.timecode
        voice = container.add_stream("pcm_s16le", rate=48000) if clip.sound else None
        if voice is not None:
            assert isinstance(voice, AudioStream)
            voice.codec_context.layout = "stereo" if clip.sound == "inverted" else "quad"
        setfield = _field_flagger(fmt, pixels, order if interlaced else None)
        for index, rgb in enumerate(_moments(clip, fmt)):
            frame = av.VideoFrame(fmt.raster.width, fmt.raster.height, pixels)
            for plane, data in zip(frame.planes, ycbcr_codes(rgb.astype(np.float64), encoding), strict=True):
                rows = data.astype("<u2" if deep else np.uint8).view(np.uint8).reshape(data.shape[0], -1)
                padded = np.zeros((data.shape[0], plane.line_size), np.uint8)
                padded[:, : rows.shape[1]] = rows
                plane.update(padded.tobytes())
            frame.pts, frame.time_base = index, 1 / fmt.rate
            source, sink = setfield
            source.push(frame)
            flagged = sink.pull()
            assert isinstance(flagged, av.VideoFrame)
            container.mux(stream.encode(flagged))
        container.mux(stream.encode(None))
        if voice is not None:
            assert isinstance(voice, AudioStream)
            samples = _sound(clip)
            spoken = av.AudioFrame.from_ndarray(samples.reshape(1, -1), "s16", voice.codec_context.layout.name)
            spoken.sample_rate, spoken.pts, spoken.time_base = 48000, 0, Fraction(1, 48000)
            container.mux(voice.encode(spoken))
            container.mux(voice.encode(None))


def _field_flagger(
    fmt: SignalFormat, pixels: str, order: str | None
) -> tuple[av.filter.FilterContext, av.filter.FilterContext]:
    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=fmt.raster.width, height=fmt.raster.height, format=av.VideoFormat(pixels), time_base=1 / fmt.rate
    )
    setfield = graph.add("setfield", {"top": "tff", "bottom": "bff", None: "prog"}[order])
    sink = graph.add("buffersink")
    source.link_to(setfield)
    setfield.link_to(sink)
    graph.configure()
    _keep.append(graph)
    return source, sink


_keep: list[object] = []


def make_stills(folder: Path) -> None:
    """Write a run of scanned stills with one missing."""
    target = folder / "lamp scan stills"
    target.mkdir(exist_ok=True)
    for number in [*range(101, 107), *range(108, 113)]:
        picture = SCENES["lamp sweep"](float(Fraction(number - 101, 24)), 720, 540)
        Image.fromarray((picture * 255).round().astype(np.uint8)).save(target / f"lamp_{number:06d}.png", optimize=True)


def make_sound(folder: Path) -> None:
    """Write four seconds of line-up tone at −18 dBFS, 24 bits at 48 kHz."""
    tone = line_up_tone(-18, 2.0, 48000, sound_layouts()["stereo"])
    with wave.open(str(folder / "gauge location tone.wav"), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(3)
        file.setframerate(48000)
        file.writeframes((tone >> 8).astype("<i4").view(np.uint8).reshape(-1, 4)[:, :3].tobytes())


def main(folder: Path) -> None:
    """Make every clip that `folder` does not have yet."""
    folder.mkdir(parents=True, exist_ok=True)
    for clip in CLIPS:
        if not (folder / clip.name).exists():
            print(clip.name, flush=True)
            make(clip, folder)
    make_stills(folder)
    make_sound(folder)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
