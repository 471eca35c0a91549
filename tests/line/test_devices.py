"""Card, cable, monitor: what a face shows follows from the words that came, as the monitor's entry says."""

from __future__ import annotations

from itertools import islice
from typing import Any

import numpy as np
import pytest

from idle_quarry.errors import NotPossible
from idle_quarry.line.devices.devices import CableSignal, OutputCard, Receiver
from idle_quarry.line.devices.face import Drawing, Face, face
from idle_quarry.line.writing.sending import SentSound, sent_frames
from idle_quarry.line.writing.writer import LineSignalling
from idle_quarry.path.entries import Monitor
from idle_quarry.path.monitoring import misread, response_of
from idle_quarry.path.registry import monitors, sound_layouts
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words


class MonitorStandIn:
    """A monitor that behaves as its entry says: it takes a line off a cable and shows what it makes of it."""

    def __init__(self, monitor: Monitor) -> None:
        self.monitor = monitor
        self.receiver = Receiver()

    def receive(self, cabled: CableSignal) -> None:
        self.receiver.receive(cabled)

    def face(self) -> Face | None:
        """Return what it shows now, None where nothing has come."""
        frame = self.receiver.frame
        return None if frame is None else face(frame, self.monitor, self.receiver.mwords)


def monitor(**said: Any) -> Monitor:
    door = {
        "lines": [1080, 576],
        "widths": [1920, 720],
        "scans": ["interlaced", "psf", "progressive"],
        "rates": ["25", "50"],
        "interface": "3G",
    }
    return Monitor.model_validate(
        {
            "id": "one",
            "name": "One",
            "source": "here",
            "kind": "panel",
            "accepts": [{**door, **said.pop("door", {})}],
            **said,
        }
    )


def sent(
    words: str, screen: Monitor, interface: str = "", picture: str = "bars", payload: bool = True, frames: int = 2
) -> MonitorStandIn:
    fmt = format_from_words(words)
    card, stand_in = OutputCard(), MonitorStandIn(screen)
    card.connect(stand_in)
    way = card.open(fmt, interface)
    sound = SentSound("tone", -18, sound_layouts()["stereo"], fmt)
    for item in islice(
        sent_frames(fmt, way, picture, sound, Timecode(0, fmt.rate), LineSignalling(payload=payload)), frames
    ):
        card.send(item)
    return stand_in


def test_a_monitor_shows_bars_as_they_are() -> None:
    stand_in = sent("1080i25", monitor())
    result = stand_in.face()
    assert result is not None and result.picture is not None and result.response.state == "shown"
    height, width = result.picture.shape[:2]
    assert (height, width) == (540, 960)
    row = result.picture[height // 3]
    seen = [tuple(int(v) for v in row[round((n + 0.5) * width / 8)]) for n in range(8)]
    want = [
        (255, 255, 255),
        (191, 191, 0),
        (0, 191, 191),
        (0, 191, 0),
        (191, 0, 191),
        (191, 0, 0),
        (0, 0, 191),
        (0, 0, 0),
    ]
    assert all(abs(a - b) <= 1 for one, other in zip(seen, want, strict=True) for a, b in zip(one, other, strict=True))


@pytest.mark.parametrize(
    ("words", "screen", "payload", "state", "said"),
    [
        ("1080psf25", {}, True, "shown", ""),
        ("1080psf25", {"tells_psf": False}, True, "not as meant", "PsF taken for interlaced"),
        ("1080psf25", {"payload": "ignored"}, True, "not as meant", "PsF taken for interlaced"),
        ("1080psf25", {"payload": "needed"}, False, "black", "needs a payload identifier"),
        ("1080psf25", {}, False, "not as meant", "PsF taken for interlaced"),
        ("1080p50 hlg", {}, True, "not as meant", "HLG taken for SDR: washed out"),
        ("1080p50 hlg", {"door": {"transfers": ["hlg", "bt709"]}}, True, "shown", ""),
        ("1080i25 full", {}, True, "not as meant", "crushed"),
        ("1080i25", {"ranges": ["full"]}, True, "not as meant", "black and white are grey"),
        ("576i25 16:9", {"payload": "ignored"}, True, "not as meant", "16:9 taken for 4:3"),
        ("1080p50", {"door": {"interface": "HD"}}, True, "black", "its input is HD"),
        ("1080p50", {"door": {"mapping": "level B"}}, True, "black", "level B only"),
        ("1080p50", {"door": {"scans": ["interlaced"]}}, True, "black", "it takes interlaced"),
        ("1080i29.97", {}, True, "black", "frames a second"),
    ],
)
def test_it_locks_or_stays_black_as_its_entry_says(
    words: str, screen: dict[str, Any], payload: bool, state: str, said: str
) -> None:
    stand_in = sent(words, monitor(**screen), payload=payload)
    result = stand_in.face()
    assert result is not None and stand_in.receiver.frame is not None
    fmt = format_from_words(words)
    seen = result.response.seen
    notes = misread(seen, fmt) if seen is not None else result.response.why
    assert said in "; ".join(notes) and (seen is None, bool(notes)) == (state == "black", state != "shown")
    assert (result.picture is None) == (state == "black")
    # what is foretold from the format alone is what becomes of the words
    interface = stand_in.receiver.frame.lock.interface or ""
    assert response_of(stand_in.monitor, fmt, interface, payload=payload).state == state


def test_what_is_misread_looks_it() -> None:
    right, wrong = sent("1080p50 hlg", monitor(door={"transfers": ["hlg"]})), sent("1080p50 hlg", monitor())
    whites = [int(item.face().picture[100, 300].max()) for item in (right, wrong)]  # type: ignore[union-attr,index]
    assert whites[0] > whites[1] + 20  # 75 % HLG is white where it is known, three quarters where it is not
    crushed = sent("1080i25 full", monitor(), picture="ramp").face()
    true = sent("1080i25 full", monitor(ranges=["narrow", "full"]), picture="ramp").face()
    assert crushed is not None and true is not None and crushed.picture is not None and true.picture is not None
    assert (crushed.picture[100] == 0).mean() > (true.picture[100] == 0).mean() + 0.04
    trimmed = sent("1080i25", monitor(overscan=5)).face()
    assert trimmed is not None and trimmed.picture is not None and trimmed.picture.shape == (486, 864, 3)
    flicker = sent("1080psf25", monitor(tells_psf=False), picture="zone")
    even = flicker.face()
    assert flicker.receiver.frame is not None
    whole = Drawing(flicker.receiver.frame, None).meant()
    assert even is not None and even.picture is not None and whole is not None
    assert np.abs(even.picture.astype(int) - whole).mean() > 2


def test_a_card_is_opened_for_what_it_sends_and_a_receiver_follows_a_change() -> None:
    card, receiver = OutputCard(interfaces=("HD", "3G-A")), Receiver()
    card.connect(receiver)
    with pytest.raises(NotPossible, match="not open"):
        card.send([np.zeros(9, np.uint16)])
    with pytest.raises(NotPossible, match="no 12G"):
        card.open(format_from_words("2160p50"))
    for words in ("1080i25", "1080p50", "720p50", "1080i29.97"):
        fmt = format_from_words(words)
        way = card.open(fmt)
        assert way in card.formats(fmt)
        for item in islice(sent_frames(fmt, way, "bars", None, Timecode(0, fmt.rate)), 2):
            card.send(item)
        assert receiver.frame is not None and receiver.frame.lock.format == fmt and not receiver.frame.faults
    with pytest.raises(NotPossible, match="another format"):
        card.send([np.zeros(9, np.uint16)])
    assert card.status().frames == 2
    card.close()
    assert not card.status().open


def test_each_monitor_that_ships_takes_what_the_findings_say() -> None:
    for item in monitors().values():
        for words in ("1080i25", "1080psf25", "1080p25", "576i25", "2160p50 hlg", "1080p59.94"):
            fmt = format_from_words(words)
            from idle_quarry.path.findings.monitoring import refusals

            assert (response_of(item, fmt).state == "shown") == (not refusals(item, fmt)) or response_of(
                item, fmt
            ).state == "not as meant"
