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
from av.video.stream import VideoStream
from PIL import Image

from idle_quarry.demo.scenes import SCENES, Picture
from idle_quarry.picture.bars import ycbcr_codes
from idle_quarry.signal import SignalFormat, format_from_words
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.sound.tone import line_up_tone


@dataclass(frozen=True)
class Made:
    """One clip: file name, scene, true format in words, and how pictures become frames.

    `motion`: "frames", "fields" (two moments a frame), "psf", "2:3" (24 pictures in 60 fields) or "2:2" (each
    picture twice). `flags` are what the file says where it differs from the truth.
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


CLIPS = (
    Made("lamp tape 014.mpg", "lamp sweep", "576i25 4:3 bff 8bit 4:2:0", "fields", "mpeg2video", flags={"order": "top"}),
    Made("lamp tape 021 wide.mpg", "lamp sweep", "576i25 16:9 8bit 4:2:0", "fields", "mpeg2video"),
    Made("lamp scan 3.mov", "lamp sweep", "1080psf25 8bit 4:2:0", "psf", timecode="10:12:00:00"),
    Made("gauge A004.mp4", "tide gauge", "2160p50 hlg 4:2:0", "frames", "libx265", timecode="06:40:00:00", quality=27),
    Made("gauge B011 proxy.mov", "tide gauge", "1080p50 8bit 4:2:0"),
    Made("gauge C002 doubled.mp4", "tide gauge", "1080p50 8bit 4:2:0", "2:2"),
    Made("gauge drone full range.mp4", "tide gauge", "1080p25 8bit 4:2:0", codes_as_full=True),
    Made("stone fixed 2.mxf", "sliding stone", "1080i29.97 8bit", "fields", "mpeg2video", timecode="19:30:00;02"),
    Made("stone roaming 1.mov", "sliding stone", "1080p59.94 8bit 4:2:0", timecode="19:30:02;00"),
    Made("stone bench phone.mp4", "sliding stone", "1080x1920p30 8bit 4:2:0"),
    Made("stone old reel.mpg", "sliding stone", "480i29.97 4:3 8bit 4:2:0", "fields", "mpeg2video"),
    Made("train 03.mov", "passing train", "1080p23.976 8bit 4:2:0", timecode="01:04:10:00"),
    Made("train 03 for broadcast.mxf", "passing train", "1080i29.97 8bit", "2:3", "mpeg2video", timecode="01:04:10;00"),
    Made("train carriage thin.mov", "passing train", "1440x1080i25 8bit 4:2:0", "fields", timecode="11:20:00:00"),
    Made("train platform.mxf", "passing train", "1080i25 8bit", "fields", "mpeg2video", timecode="11:22:00:00"),
)  # fmt: skip


def _moments(made: Made, fmt: SignalFormat) -> Iterator[Picture]:
    """Yield the frames of a clip: pictures, or two moments woven line by line."""
    scene, width, height = SCENES[made.scene], fmt.raster.width, fmt.raster.height
    count = int(made.seconds * fmt.rate)
    first = 1 if fmt.field_order == "bottom" else 0
    if made.motion in ("frames", "psf", "2:2"):
        share = 2 if made.motion == "2:2" else 1
        for index in range(count):
            yield scene(float((index // share * share) / fmt.rate), width, height)
        return
    shown: dict[int, Picture] = {}
    for index in range(count):
        fields = []
        for number in (2 * index, 2 * index + 1):
            # 2:3: of every five fields the first picture has two and the second three
            moment = number if made.motion == "fields" else number // 5 * 2 + (number % 5 >= 2)
            per_second = fmt.rate * 2 if made.motion == "fields" else NAMED_RATES["23.976"]
            if moment not in shown:
                shown = {key: value for key, value in shown.items() if key >= moment - 1}
                shown[moment] = scene(float(moment / per_second), width, height)
            fields.append(shown[moment])
        woven = np.empty_like(fields[0])
        woven[first::2], woven[1 - first :: 2] = fields[0][first::2], fields[1][1 - first :: 2]
        yield woven


def make(made: Made, folder: Path) -> None:
    """Write one clip into `folder`."""
    fmt = format_from_words(made.words)
    encoding = fmt.with_encoding(range="full").encoding if made.codes_as_full else fmt.encoding
    path = folder / made.name
    deep = encoding.bit_depth > 8
    pixels = {"4:2:0": "yuv420p", "4:2:2": "yuv422p"}[encoding.sampling] + ("10le" if deep else "")
    with av.open(str(path), "w") as container:
        stream = container.add_stream(made.codec, rate=fmt.rate)
        assert isinstance(stream, VideoStream)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = fmt.raster.width, fmt.raster.height, pixels
        context.time_base = 1 / fmt.rate
        order = made.flags.get("order", fmt.field_order)
        interlaced = fmt.scan != "progressive"
        aspect = fmt.raster.pixel_aspect
        options = {"aspect": f"{aspect.numerator}:{aspect.denominator}", "g": "12"}
        if made.codec == "mpeg2video":
            options |= {"b": "9000000", "maxrate": "15000000", "bufsize": "3000000", "qmin": "2"}
            options |= {"flags": "+ildct+ilme"} if interlaced else {}
        elif made.codec == "libx264":
            options |= {"crf": str(made.quality), "preset": "slow"}
            options |= (
                {"x264-params": "tff=1" if order == "top" else "bff=1", "flags": "+ildct+ilme"} if interlaced else {}
            )
        else:
            options |= {"crf": str(made.quality), "preset": "fast", "x265-params": "log-level=none"}
        options["field_order"] = ("tb" if order == "top" else "bt") if interlaced else "progressive"
        context.options = options
        context.color_primaries = {"bt601-625": 5, "bt601-525": 6, "bt709": 1, "bt2020": 9}[encoding.primaries]
        context.color_trc = {"bt709": 1, "hlg": 18}[encoding.transfer] if encoding.matrix != "bt601" else 6
        context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[encoding.matrix]
        context.color_range = 1  # also where the codes are full: that is this clip's lie
        if made.timecode:
            stream.metadata["timecode"] = made.timecode
        setfield = _field_flagger(fmt, pixels, order if interlaced else None)
        for index, rgb in enumerate(_moments(made, fmt)):
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
    tone = line_up_tone(-18, 2.0, 48000, "stereo")
    with wave.open(str(folder / "gauge location tone.wav"), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(3)
        file.setframerate(48000)
        file.writeframes((tone >> 8).astype("<i4").view(np.uint8).reshape(-1, 4)[:, :3].tobytes())


def main(folder: Path) -> None:
    """Make every clip that `folder` does not have yet."""
    folder.mkdir(parents=True, exist_ok=True)
    for made in CLIPS:
        if not (folder / made.name).exists():
            print(made.name, flush=True)
            make(made, folder)
    make_stills(folder)
    make_sound(folder)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
