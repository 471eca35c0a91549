"""A screen's own description: what edid-decode reads in it is what is read here.

What is damaged is refused in a sentence.
"""

from __future__ import annotations

import re
import subprocess
from pathlib import Path
from random import Random

import pytest

from idle_quarry.errors import QuarryError
from idle_quarry.path.entries import Monitor, entry_from_data
from idle_quarry.path.entries.edid import EdidError, Timing, monitor_data, read_edid
from idle_quarry.path.findings.monitoring import refusals
from idle_quarry.path.registry import take_in
from idle_quarry.signal.words import format_from_words as words


def summed(block: bytes) -> bytes:
    return block + bytes([-sum(block) % 256])


def timing(clock_khz: int, width: int, blank: int, lines: int, blank_lines: int, interlaced: bool = False) -> bytes:
    def high(a: int, b: int) -> int:
        return (a >> 8) << 4 | b >> 8

    return bytes([
        *(clock_khz // 10).to_bytes(2, "little"), width & 255, blank & 255, high(width, blank), lines & 255,
        blank_lines & 255,
        high(lines, blank_lines), 88, 44, 0x45, 0, 0, 0, 0, 0, 0, 0x9E if interlaced else 0x1E,
    ])  # fmt: skip


def edid(timings: list[bytes], vics: list[int] | None = None, hdr: bytes = b"", name: str = "Lamp 24") -> bytes:
    """Return a description with up to two timings, a name, and an extension with codes and an HDR block."""
    dummy = b"\0\0\0\x10" + bytes(14)
    dtds = [*timings[:2], b"\0\0\0\xfc\0" + name.encode().ljust(13, b"\n")[:13], dummy, dummy, dummy][:4]
    base = bytes.fromhex("00ffffffffffff00") + bytes(
        [0x30, 0xE4, 1, 0, 1, 0, 0, 0, 1, 34, 1, 4, 0xA5, 60, 34, 120, 0x06]
    )
    base += bytes.fromhex("ee91a3544c99260f5054") + bytes(3) + b"\x01\x01" * 8 + b"".join(dtds)
    if vics is None and not hdr:
        return summed(base + b"\0")
    blocks = bytes([2 << 5 | len(vics or [])]) + bytes(vics or []) + hdr
    extension = (bytes([2, 3, 4 + len(blocks), 0x70]) + blocks).ljust(127, b"\0")
    return summed(base + b"\x01") + summed(extension)


FULL = timing(148500, 1920, 280, 1080, 45)
PULLED = timing(74180, 1920, 830, 1080, 45)  # 23.976
FIELDS = timing(74250, 1920, 720, 540, 22, interlaced=True)  # 1080i25
HDR = bytes([7 << 5 | 6, 6, 0x0D, 1, 0x60, 0x50, 0x20])
HDR_BLACK = bytes([7 << 5 | 6, 6, 0x0D, 1, 0x60, 0x50, 0x20])
#: HDMI's own codes 1 to 4 behind latencies; BT.2020 Y′C′BC′R and R′G′B′; 4:2:0 of the second and third code.
HDMI = bytes([3 << 5 | 15, 3, 0x0C, 0, 0x10, 0, 0, 0, 0xA0, 10, 10, 0, 4 << 5, 1, 2, 3])
HDMI = bytes([3 << 5 | 16, *HDMI[1:], 4])
COLOURS, MAP = bytes([7 << 5 | 3, 5, 0xC0, 0]), bytes([7 << 5 | 2, 15, 0b110])
CASES = {
    "one timing": edid([FULL]),
    "pulled and fields": edid([PULLED, FIELDS]),
    "codes": edid([FULL], [144, 31, 20, 5, 19, 4, 96, 97, 93, 18, 3, 34]),
    "HDR": edid([FULL], [97], HDR),
    "HDMI": edid([FULL], [16, 97, 96], HDMI + COLOURS + MAP + HDR_BLACK),
}


@pytest.mark.parametrize("case", CASES)
def test_what_another_reader_reads_is_read(case: str, tmp_path: Path) -> None:
    path = tmp_path / "edid"
    path.write_bytes(CASES[case])
    lines = subprocess.run(["edid-decode", str(path)], capture_output=True, text=True, check=False).stdout
    theirs = set()
    for line in lines.splitlines():
        result = re.search(r"(?:VIC +\d+|DTD +\d+): +(\d+)x(\d+)(i?) +([\d.]+) Hz", line)
        if result:
            rate = float(result[4]) / (2 if result[3] else 1)  # it counts fields
            theirs.add((int(result[1]), int(result[2]), bool(result[3]), round(rate, 1)))
    screen = read_edid(CASES[case])
    rates = {"23.976": 23.976, "29.97": 29.97, "59.94": 59.94}
    ours = {(t.width, t.lines, t.interlaced, round(rates.get(t.rate) or float(t.rate), 1)) for t in screen.timings}
    assert theirs and theirs <= ours
    # beyond what it lists, only the same codes at a rate times or divided by 1.001
    assert all(any(abs(o[3] / t[3] - 1) < 0.0025 and o[:3] == t[:3] for t in theirs) for o in ours - theirs)
    assert (
        screen.name == "Lamp 24"
        and f"Display Product Name: '{screen.name}'" in lines
        and f"Manufacturer: {screen.maker}" in lines
    )
    assert ("pq" in screen.transfers) == ("SMPTE ST2084" in lines)
    if screen.peak_cd_m2:
        text = re.search(r"Desired content max luminance: \d+ \(([\d.]+)", lines)
        assert text and float(text[1]) == pytest.approx(screen.peak_cd_m2, abs=0.06)


def test_a_screen_becomes_a_monitor() -> None:
    screen = read_edid(CASES["HDR"])
    monitor = entry_from_data(monitor_data(screen, "screen-0001"))
    assert isinstance(monitor, Monitor) and monitor.peak_cd_m2 == pytest.approx(50 * 2 ** (0x60 / 32), abs=0.1)
    take_in(monitor)
    assert refusals(monitor, words("1080p60.00")) == () and refusals(monitor, words("2160p59.94 pq")) == ()
    assert "interlaced" not in {scan for door in monitor.accepts for scan in door.scans} and refusals(
        monitor, words("1080i25")
    )
    assert Timing(1920, 1080, "25", True) in read_edid(CASES["pulled and fields"]).timings


def test_what_hdmi_says_beside_the_codes_is_read() -> None:
    """HDMI 1.4b, table 8-13; CTA-861: colorimetry, HDR static metadata, the 4:2:0 capability map."""
    screen = read_edid(CASES["HDMI"])
    wanted = {(3840, "29.97"), (3840, "30"), (3840, "25"), (3840, "24"), (3840, "23.976"), (4096, "24")}
    assert wanted <= {(t.width, t.rate) for t in screen.timings if t.lines == 2160}
    assert {(t.lines, t.rate) for t in screen.takes_420} == {(2160, "60"), (2160, "59.94"), (2160, "50")}
    assert screen.takes_bt2020 and screen.black_cd_m2 == pytest.approx(400 * (0x20 / 255) ** 2 / 100, abs=1e-4)
    kind = monitor_data(screen, "screen-0002")["kind"]
    assert kind == "screen, as it describes itself, takes BT.2020, 4:2:0 of 2160 lines at 60 and 59.94 and 50"
    assert isinstance(entry_from_data(monitor_data(screen, "screen-0002")), Monitor)


def test_what_is_damaged_is_refused_and_nothing_raises_otherwise() -> None:
    good = CASES["HDR"]
    empty = edid([], None)
    for wrong, why in (
        (b"", "empty"),
        (good[:100], "cut short"),
        (good[:128], "cut short"),
        (good[:60] + b"\xff" + good[61:], "checksum"),
        (b"RIFF" + good, "not a description"),
        (bytes(40_000), "far larger"),
        (empty, "no picture"),
        (good[:130] + b"\x7f\xff" + good[132:], "checksum"),
    ):
        with pytest.raises(EdidError, match=why):
            read_edid(wrong)
    chance = Random(7)
    for _ in range(3000):
        data = bytearray(chance.choice(list(CASES.values())))
        for _ in range(chance.randint(1, 6)):
            data[chance.randrange(8, len(data))] = chance.randrange(256)
        for at in range(0, len(data), 128):
            data[at + 127] = -sum(data[at : at + 127]) % 256
        try:
            entry_from_data(monitor_data(read_edid(bytes(data)), "screen-0002"))
        except QuarryError as error:
            assert "\n" not in str(error)
