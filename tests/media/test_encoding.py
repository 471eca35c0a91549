"""What is encoded is read back: every codec with every format it holds, bars by their levels, tone by its spectrum."""

from __future__ import annotations

import subprocess
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray
from tests.oracles import colour

from idle_quarry.errors import MediaError
from idle_quarry.media import inspect
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.writing import ClipWriter, encode_still
from idle_quarry.media.names import clip_suffix
from idle_quarry.media.pictures import Reader
from idle_quarry.path.codecs import as_held, cannot_hold
from idle_quarry.path.registry import codecs, line_up_pictures, sound_layouts
from idle_quarry.picture.patterns.bars import CHOSEN, GRID, ident_box, pattern, rgb_picture, ycbcr_codes
from idle_quarry.picture.patterns.ident import with_ident
from idle_quarry.signal import SignalFormat, Timecode
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.words import format_from_words as words
from idle_quarry.sound.tone import line_up_tone

_SMALL = [
    "576i25 4:3",
    "480i29.97 16:9",
    "720p50",
    "640x360p23.976",
    "1080i25 8bit",
    "720p59.94 4:4:4 12bit",
    "576i25 16:9 bff",
    "960x720p50",
]


@pytest.mark.parametrize("codec", codecs().values(), ids=lambda codec: codec.id)
def test_flags_and_timecode_survive(codec: object, tmp_path: Path) -> None:
    fitting = [text for text in [*_SMALL, "1080p25"] if not cannot_hold(codec, as_held(codec, words(text)))]  # type: ignore[arg-type]
    assert fitting
    for number, text in enumerate(fitting[:4]):
        fmt = as_held(codec, words(text))  # type: ignore[arg-type]
        stem = f"{number}.000001" if codec.one_picture_a_file else str(number)  # type: ignore[attr-defined]
        path = tmp_path / f"{stem}{clip_suffix(codec)}"  # type: ignore[arg-type]
        start = Timecode.from_text("09:58:30:00", fmt.rate)
        carried = encode_still(path, codec, fmt, rgb_picture(fmt), 3, start)  # type: ignore[arg-type]
        declared = inspect(path).declared
        assert (declared.width, declared.height) == (fmt.raster.width, fmt.raster.height), text
        if codec.one_picture_a_file:  # type: ignore[attr-defined]
            assert declared.frames == 3
            continue
        assert declared.rate == fmt.rate and declared.frames in (3, None)
        assert (declared.scan == "interlaced") == (fmt.scan != "progressive"), (text, declared)
        if path.suffix in (".mov", ".mxf", ".mp4"):
            assert declared.timecode == "09:58:30:00"
        if declared.primaries:
            assert declared.primaries == carried.encoding.primaries


#: Codes of 10 bits (Y, C′B, C′R or R′, G′, B′) as the standards print them, at samples and lines of 1920 × 1080.
_PRINTED = {
    "1080p59.94": [  # SMPTE RP 219-1, table of 10-bit values
        (100, 300, (414, 512, 512)), (300, 300, (721, 512, 512)), (500, 300, (674, 176, 543)), (1600, 300, (111, 848,
        481)),
        (100, 660, (754, 615, 64)), (300, 660, (244, 612, 395)), (900, 660, (721, 512, 512)), (1800, 660, (127, 960,
        471)),
        (100, 760, (877, 64, 553)), (300, 760, (141, 697, 606)), (1600, 760, (940, 512, 512)), (1800, 760, (250, 409,
        960)),
        (100, 1000, (195, 512, 512)), (700, 1000, (940, 512, 512)), (1160, 1000, (46, 512, 512)), (1295, 1000, (82,
        512, 512)), (1435, 1000, (99, 512, 512)),
    ],
    "486i29.97 8bit": [(32, 210, (16, 158, 95)), (160, 210, (16, 174, 149))],  # EG 1: subcarrier on black
    "1080i25": [(100, 300, (940, 512, 512)), (300, 300, (674, 176, 543)), (1900, 300, (64, 512, 512))],
    "2160p50 hlg 4:4:4 matrix=rgb": [  # ITU-R BT.2111, table of HLG values
        (100, 45, (414, 414, 414)), (300, 45, (940, 940, 940)), (500, 300, (721, 721, 64)), (300, 670, (4, 4, 4)),
        (500, 670, (64, 64, 64)),
        (600, 670, (152, 152, 152)), (1640, 670, (1019, 1019, 1019)), (700, 760, (4, 4, 4)), (1900, 760, (1019, 1019,
        1019)),
        (40, 1000, (713, 719, 316)), (120, 1000, (538, 709, 718)), (200, 1000, (512, 706, 296)),
        (1720, 1000, (651, 286, 705)), (1800, 1000, (639, 269, 164)), (1880, 1000, (227, 147, 702)), (400, 1000, (46,
        46, 46)),
    ],
    "2160p23.976 pq 4:4:4 matrix=rgb": [  # and of PQ
        (300, 300, (572, 572, 572)), (40, 1000, (568, 571, 381)), (120, 1000, (484, 566, 571)), (200, 1000, (474, 564,
        368)),
        (1720, 1000, (536, 361, 564)), (1800, 1000, (530, 350, 256)), (1880, 1000, (317, 236, 562)),
    ],
}  # fmt: skip


def test_every_line_up_picture_that_can_be_chosen_is_there_and_has_its_codes() -> None:
    assert set(CHOSEN) == set(line_up_pictures())
    for ident, item in line_up_pictures().items():
        fmt = (
            words("2160p50 hlg") if item.light == "HDR" else words("486i29.97") if ident == "eg-1" else words("1080i25")
        )
        picture = rgb_picture(fmt, ident)
        assert picture.shape == (fmt.raster.height, fmt.raster.width, 3) and picture.max() <= 1.1
        assert pattern(fmt, ident).name
        for band in pattern(fmt, ident).bands:
            assert sum(cell.width for cell in band.cells) == pytest.approx(1920)
    for text, yellow, white in (
        ("1080i25", (877, 64, 553), 940),
        ("1080i25 8bit", (219, 16, 138), 235),
        ("1080p25 12bit", (3508, 256, 2211), 3760),
    ):
        fmt = words(
            text
        )  # ITU-R BT.709-6: yellow at 100 % (printed for 10 bits in RP 219-1; 8 and 12 by its own equations)
        planes = ycbcr_codes(rgb_picture(fmt, "ebu-100")[400:402], fmt.encoding)
        assert tuple(
            int(plane[0, 360 if number == 0 else 180]) for number, plane in enumerate(planes)
        ) == pytest.approx(yellow, abs=1)
        assert int(planes[0][0, 100]) == white
    steps = rgb_picture(words("1080p25"), "ramp")[700, :, 1]
    assert sorted(set(np.round(steps, 6))) == pytest.approx([n / 10 for n in range(11)])


@pytest.mark.parametrize("text", _PRINTED)
def test_bars_have_the_codes_their_standard_prints(text: str) -> None:
    fmt = words(text)
    rgb, times = rgb_picture(fmt), max(1, fmt.raster.width // 1920)
    for x, y, wanted in _PRINTED[text]:
        y, x = (2 * y, 2 * x) if fmt.raster.width == 720 else (y * times, x * times)
        at = rgb[y : y + 2, x : x + 2]
        if fmt.encoding.matrix == "rgb":
            codes = np.clip(np.rint(64 + 876 * at[0, 0]), 4, 1019)
        else:
            codes = np.array([plane[0, 0] for plane in ycbcr_codes(at, fmt.encoding)])
        assert np.abs(codes - wanted).max() <= 1, (x, y, codes)
    if "hlg" in text:  # the ramp has every code from 5 to 1018 once, a sample each of 1920
        ramp = np.rint(64 + 876 * rgb_picture(words("1080p50 hlg"))[760, 799:1813, 0])
        np.testing.assert_array_equal(ramp, np.arange(5, 1019))


@pytest.mark.parametrize(
    ("source", "text", "places"),
    [
        (
            "smptehdbars",
            "1080p59.94 8bit",
            [
                (100, 300),
                (300, 300),
                (500, 300),
                (1600, 300),
                (1800, 660),
                (100, 760),
                (1800, 760),
                (100, 1000),
                (700, 1000),
            ],
        ),
        (
            "smptebars",
            "486i29.97 8bit",
            [(60, 100), (160, 100), (660, 100), (60, 350), (260, 350), (460, 350), (190, 450), (525, 450), (592, 450)],
        ),
        ("pal75bars", "576i25 8bit", [(50, 100), (150, 100), (600, 100), (680, 100)]),
    ],
)
def test_bars_are_those_of_ffmpegs_own_sources(source: str, text: str, places: list[tuple[int, int]]) -> None:
    fmt = words(text)
    w, h = fmt.raster.width, fmt.raster.height
    raw = subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            f"{source}=s={w}x{h}",
            "-frames:v",
            "1",
            "-pix_fmt",
            "yuv444p",
            "-f",
            "rawvideo",
            "-",
        ],
        capture_output=True,
        check=True,
    ).stdout
    theirs = np.frombuffer(raw, np.uint8).reshape(3, h, w).astype(int)
    ours = ycbcr_codes(rgb_picture(fmt), replace(fmt.encoding, sampling="4:4:4"))
    for x, y in places:
        for n in range(3):  # −I and +Q of 525 lines are not asked: theirs are HD's
            assert abs(int(ours[n][y, x]) - theirs[n, y, x]) <= 1, (x, y, [p[y, x] for p in ours], theirs[:, y, x])


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("1080i25", "EBU"),
        ("576i25", "EBU"),
        ("1080p24", "EBU"),
        ("2160p50", "EBU"),
        ("480i29.97", "EG 1"),
        ("486i29.97", "EG 1"),
        ("1080i29.97", "RP 219-1"),
        ("1080p30.00", "RP 219-1"),
        ("1080p60.00", "RP 219-1"),
        ("1080p23.976", "RP 219-1"),
        ("2160p59.94", "RP 219-2"),
        ("2160p50 hlg", "BT.2111 HLG"),
        ("1080p25 pq", "BT.2111 PQ"),
        ("1080p25 pq full", "full range"),
        ("2048x1080p23.976", "after SMPTE RP 219-1"),
    ],
)
def test_bars_are_chosen_by_format(text: str, name: str) -> None:
    fmt = words(text)
    result = pattern(fmt)
    assert name in result.name
    assert sum(band.height for band in result.bands) == pytest.approx(GRID[1])
    assert all(sum(cell.width for cell in band.cells) == pytest.approx(GRID[0]) for band in result.bands)
    luma = rgb_picture(fmt)
    if fmt.raster.width == 720:  # beyond the 702, 711 or 704 samples of the picture there is nothing
        assert not luma[10, :4].any() and not luma[10, -4:].any()
    x, y, width, height = ident_box(fmt)
    lettered = with_ident(luma, ("Lamp Room", "third"), (x, y, width, height), result.ident_level)
    box = lettered[y : y + height, x : x + width]
    assert box.max() == pytest.approx(result.ident_level, abs=0.02) and box.min() == 0
    box[:] = luma[y : y + height, x : x + width]
    np.testing.assert_array_equal(lettered, luma)  # and nothing else was touched


def test_codes_agree_with_another_library() -> None:
    """R′G′B′ to 10-bit Y′C′BC′R by this program, and by colour-science from the same values: within a code."""
    rgb = rgb_picture(words("640x360p25 4:4:4")).clip(0, 1)
    for text, key in (("640x360p25 4:4:4", "ITU-R BT.709"), ("640x360p25 4:4:4 bt2020 12bit", "ITU-R BT.2020")):
        encoding = words(text).encoding
        theirs = colour.RGB_to_YCbCr(
            rgb, K=colour.WEIGHTS_YCBCR[key], out_bits=encoding.bit_depth, out_legal=True, out_int=True
        )
        for ours, channel in zip(ycbcr_codes(rgb, encoding), np.moveaxis(theirs, -1, 0), strict=True):
            assert np.abs(channel.astype(int) - ours).max() <= 1


@pytest.mark.parametrize("layout", sound_layouts())
@pytest.mark.parametrize("level", [-12.0, -18.0, -20.0])
def test_tone(layout: str, level: float) -> None:
    tone = line_up_tone(level, 3.5, 48000, sound_layouts()[layout]) / 2**31
    assert tone.shape == (168000, len(sound_layouts()[layout].channels))
    if layout == "5.1":  # the low-frequency channel ends at 120 Hz
        low = np.count_nonzero(np.diff(np.signbit(tone[:48000, 3])))
        assert low in (159, 160, 161) and np.abs(tone[:, 3]).max() == pytest.approx(np.abs(tone[:, 5]).max(), rel=1e-3)
    channels = sound_layouts()[layout].channels
    sounding = [number for number, channel in enumerate(channels) if channel.carries != "silent"]
    assert not np.delete(tone, sounding, axis=1).any()  # what is to be silent is silent
    last: NDArray[np.float64] = tone[:, sounding[-1]]
    assert 20 * np.log10(np.abs(last).max()) == pytest.approx(level, abs=0.01)
    crossings = np.count_nonzero(np.diff(np.signbit(last[:48000])))
    assert crossings in (1999, 2000, 2001)
    if any(channel.at == "left" for channel in channels):
        assert (
            not tone[: 48000 // 4 - 1, 0].any()
            and not tone[144000 : 144000 + 11999, 0].any()
            and tone[60000:100000, 0].any()
        )


def test_the_ident_is_made_to_fit() -> None:
    long = "a very long line that has to be made smaller to fit the width of the picture, or it is cut"
    written = with_ident(np.zeros((360, 640, 3)), ("Lamp Room", long, "third"), (0, 300, 640, 60), 0.75)
    lit = np.nonzero(written[300:].any(axis=(0, 2)))[0]
    assert lit.min() > 20 and lit.max() < 620 and not written[:300].any()


@pytest.mark.parametrize(("text", "coded"), [("576i25 16:9 8bit", (720, 608)), ("486i29.97 4:3 8bit", (720, 512))])
def test_d10_codes_its_lines_of_blanking_and_they_are_left_off_when_read(
    text: str, coded: tuple[int, int], tmp_path: Path
) -> None:
    """SMPTE ST 356: what another program sees is 608 or 512 lines.

    What is read here is the picture, bars from its top.
    """
    fmt, path = words(text), tmp_path / "tape.mxf"
    encode_still(path, codecs()["d10-50"], fmt, rgb_picture(fmt), 2)
    seen = subprocess.run(
        ["ffprobe", "-v", "error", "-show_entries", "stream=width,height", "-of", "csv=p=0", str(path)],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert seen.strip().strip(",") == "{},{}".format(*coded)
    clip = inspect(path)
    assert clip.format == replace(fmt, encoding=clip.format.encoding) if clip.format else False
    with Reader(path, clip.declared) as reader:
        picture = next(iter(reader.window(0, 1)))
    assert (
        picture.luma.shape == (fmt.raster.height, 720)
        and picture.chroma
        and len(picture.chroma[0]) == len(picture.luma)
    )
    assert picture.luma[2, 60] > 150 and picture.luma[-4:, 300].max() < 60


def test_d10_of_525_lines_has_each_line_where_it_was(tmp_path: Path) -> None:
    """ST 356: rows are lines 7 to 262 and 270 to 525, the upper field first; line 283 is row 27, line 21 row 28."""
    fmt, path = words("486i29.97 4:3 8bit"), tmp_path / "lines.mxf"
    luma = np.repeat((40 + 80 * (np.arange(486) // 2 % 2))[:, None], 720, axis=1).astype(np.uint8)
    luma[0], luma[1] = 200, 220  # lines 283 and 21, the first of either field
    grey = np.full((486, 360), 128, np.uint8)
    with ClipWriter(path, codecs()["d10-50"], fmt) as writer:
        for _ in range(2):
            writer.write((luma, grey, grey))
        writer.finish()
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(path), "-frames:v", "1", "-f", "rawvideo", "-pix_fmt", "yuv422p", "-"],
        capture_output=True,
        check=True,
    ).stdout
    rows = np.frombuffer(raw, np.uint8)[: 512 * 720].reshape(512, 720).astype(int).mean(axis=1)
    assert rows[26] < 30 and rows[27] == pytest.approx(200, abs=4) and rows[28] == pytest.approx(220, abs=4)
    assert rows[29:] == pytest.approx(luma[2:485].mean(axis=1), abs=4)
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_entries", "frame=top_field_first,interlaced_frame", "-of", "csv=p=0", path],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert {line.strip(",") for line in shown.split()} == {"1,1"}, "field 1, line 7, is the upper one and comes first"
    clip = inspect(path)
    assert clip.format is not None and clip.format.field_order == "bottom" and clip.format.raster.height == 486
    with Reader(path, clip.declared) as reader:
        picture = next(iter(reader.window(0, 1)))
    assert picture.luma[:485].astype(int).mean(axis=1) == pytest.approx(luma[:485].mean(axis=1), abs=4)


def test_openexr_holds_linear_light(tmp_path: Path) -> None:
    """75 % of an SDR signal is 0.75 to the power 2.4 of white's light (BT.1886), by another reader of the file."""
    fmt = words("640x360p25 4:4:4")
    carried = encode_still(tmp_path / "a.000001.exr", codecs()["exr-half"], fmt, np.full((360, 640, 3), 0.75), 1)
    assert carried.encoding.transfer == "linear"
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(tmp_path / "a.000001.exr"), "-f", "rawvideo", "-pix_fmt", "gbrpf32le", "-"],
        capture_output=True,
        check=True,
    ).stdout
    assert np.frombuffer(raw, "<f4").mean() == pytest.approx(0.75**2.4, rel=2e-3)


def test_every_pixel_format_is_one_the_encoder_takes() -> None:
    for codec in codecs().values():
        offered = {fmt.name for fmt in av.Codec(codec.encode.encoder, "w").video_formats or ()}
        assert set(codec.encode.pixels.values()) <= offered, codec.id
        for standard_format in standard_formats():
            if not cannot_hold(codec, standard_format.format):
                assert encoder_pixels(codec, standard_format.format).name in offered


@pytest.mark.parametrize("count", [1, 2, 3, 5])
@pytest.mark.parametrize("container", ["mp4", "mov"])
def test_a_clip_shorter_than_its_encoders_delay_is_whole(container: str, count: int, tmp_path: Path) -> None:
    """x265 leaves the time of decoding undefined there; FFprobe is asked, and told nothing."""
    codec, fmt, path = codecs()["hevc-10"], words("640x360p25"), tmp_path / f"short.{container}"
    chroma = np.full((180, 320), 512)
    with ClipWriter(path, codec, fmt) as writer:
        for number in range(count):
            writer.write((np.full((360, 640), 200 + 100 * number), chroma, chroma))
        writer.finish()
    command = ["ffprobe", "-v", "error", "-of", "csv=p=0", "-show_entries", "packet=pts,dts", str(path)]
    lines = subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()
    times = [tuple(int(value) for value in line.split(",")[:2]) for line in lines]
    assert len(times) == count and all(dts <= pts for pts, dts in times)
    assert [dts for _, dts in times] == sorted(dts for _, dts in times)
    with Reader(path, inspect(path).declared) as reader:
        assert [round(float(picture.luma.mean()), -2) for picture in reader.onward(0)] == [
            200 + 100 * number for number in range(count)
        ]


def test_an_encoder_that_refuses_says_so(tmp_path: Path) -> None:
    odd = SignalFormat(words("1080p25").raster, Fraction(25))
    with pytest.raises(MediaError, match="refused"):
        encode_still(tmp_path / "no such folder" / "x.mov", codecs()["rdd36-hq"], odd, rgb_picture(odd), 1)
