"""A lining-up chain: what scopes, meters and words say of a received frame, against what was sent."""

from __future__ import annotations

import numpy as np
import pytest

from idle_quarry.errors import NotPossible
from idle_quarry.line.devices.by_eye import steps_for
from idle_quarry.line.devices.chain import Chain, ShownFrame
from idle_quarry.line.reading.packet_description import describe, kind_of
from idle_quarry.line.writing.feed import Setup
from idle_quarry.line.writing.sending import sent_pictures
from idle_quarry.path.registry import monitors, sound_layouts
from idle_quarry.picture.patterns.bars import ycbcr_codes
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words


def setup(words: str, picture: str = "bars", sound: str = "tone", layout: str = "stereo", **said: object) -> Setup:
    fmt = format_from_words(words)
    screens = tuple(list(monitors().values())[:2])
    result = Setup(
        format=fmt,
        interface="",
        payload=True,
        picture=picture,
        sound=sound,
        level_dbfs=-18.0,
        layout=sound_layouts()[layout],
        start=Timecode(0, fmt.rate),
        monitors=screens,
        meter="dBFS",
    )
    return result if not said else type(result)(**{**vars(result), **said})


def looked(made: Setup, frames: int = 1) -> list[ShownFrame]:
    chain = Chain(made)
    result = [item for item in (chain.step(parade=True) for _ in range(frames)) if item is not None]
    chain.close()
    chain.close()  # a second time does nothing
    return result


@pytest.mark.parametrize("words", ["1080i25", "576i25 16:9", "720p59.94", "1080p50", "1080p25 4:4:4 12bit"])
def test_scopes_show_the_codes_that_were_sent(words: str) -> None:
    """75 % bars as BT.709 or BT.601 codes them: every level of luma on the waveform, and R′, G′, B′ at nothing and
    at 75 %.
    """
    fmt = format_from_words(words)
    (one,) = looked(setup(words, picture="white"))
    white = fmt.encoding.levels.white >> (fmt.encoding.bit_depth - 8)
    rows = np.flatnonzero(one.waveform.sum(axis=1))
    assert list(rows) == [white], "one level only, and that of white"
    assert [list(np.flatnonzero(part.sum(axis=1))) for part in one.parade] == [[white]] * 3
    (bars,) = looked(setup(words))
    shares = dict(bars.bands)
    assert abs(sum(shares.values()) - 1) < 1e-9
    assert shares["reserved"] == shares["below 20"] == shares["above 984"] == 0
    if "59.94" in words:  # bars with ramps and PLUGE: RP 219
        assert len(np.flatnonzero(bars.waveform.sum(axis=1))) > 200
        return
    levels = np.flatnonzero(bars.waveform.sum(axis=1))
    assert len(levels) >= 8 and levels[0] == 16 and levels[-1] in (235, 180)
    for part in bars.parade:
        seen = np.flatnonzero(part.sum(axis=1) > part.sum() * 0.02)
        assert abs(seen.min() - 16) <= 1 and seen.max() in (179, 180, 181, 235), "each of the colours is off or on"


def test_colours_lie_where_the_vectorscope_marks_them() -> None:
    (one,) = looked(setup("1080i25"))
    size = len(one.vectors)
    red = np.zeros((1, 2, 3))
    red[..., 0] = 0.75
    _, cb, cr = (int(plane.ravel()[0]) for plane in ycbcr_codes(red, format_from_words("1080i25").encoding))
    at = (cr * size) >> 10, (cb * size) >> 10
    around = one.vectors[at[0] - 1 : at[0] + 2, at[1] - 1 : at[1] + 2]
    assert around.sum() > 0.05 * one.vectors.sum(), "an eighth of the picture is red"


def test_meters_read_what_was_sent() -> None:
    """Tone of −18 dBFS on each channel by itself, after a second: peak, true peak and loudness.

    Phase of what is alike is 1.
    """
    result = looked(setup("576i25"), 40)
    last = result[-1]
    assert last.peaks_dbfs == pytest.approx((-18, -18), abs=0.05)
    assert last.loudness.true_peak == pytest.approx(-18, abs=0.1)
    assert last.loudness.momentary == pytest.approx(-18.0, abs=0.3), "1 kHz on two channels (BS.1770)"
    assert last.phases[0] == pytest.approx(1.0, abs=0.01)
    turns = looked(setup("576i25", sound="turn"), 30)
    assert turns[-1].peaks_dbfs[0] < turns[10].peaks_dbfs[0] - 5, "half a second, then the next: it falls"
    assert turns[10].peaks_dbfs[0] == pytest.approx(-18, abs=0.1)
    silent = looked(setup("576i25", sound="silence"), 2)[-1]
    assert max(silent.peaks_dbfs) < -100 and silent.phases == (None,)


def test_every_packet_is_told_in_words() -> None:
    """Of each format what its packets say: carriage, counts, groups of sound; nothing is left as bytes alone."""
    kinds: dict[str, set[str]] = {}
    for words in ("1080psf25", "576i25", "1080p59.94", "2160p50 hlg"):
        (one,) = looked(setup(words, layout="5.1"))
        for packet in one.frame.packets:
            reply = describe(packet, one.frame.lock.rate)
            kinds.setdefault(kind_of(packet), set()).add(reply.text)
            assert reply.title and reply.text.endswith(".") and reply.words, (words, reply)
    assert set(kinds) >= {"payload", "timecode", "sound"}
    texts = " ".join(kinds["payload"])
    assert "whole pictures sent as two halves" in texts
    assert "HLG" in texts and "50" in texts and texts.count("16:9") == 1, "HD alone says it of these"
    assert any("second field" in text for text in kinds["timecode"])


def test_what_does_not_travel_is_refused_and_what_is_wanted_next_does_not_wait() -> None:
    with pytest.raises(NotPossible, match="does not travel over"):
        Chain(setup("2160p50", interface="HD"))
    chain = Chain(setup("576i25"))
    first = chain.step()
    assert first is not None and not first.parade, "nobody looks at it"
    chain.leave()
    following = Chain(setup("720p50"))
    assert following.step() is not None
    following.close()
    chain.close()
    assert following.period_s == pytest.approx(0.02)


def test_steps_by_eye_name_pictures_that_can_be_sent() -> None:
    for device in ("tube", "panel"):
        for hdr in (False, True):
            steps = steps_for(device, hdr)
            assert len(steps) >= 4 and len({step.title for step in steps}) == len(steps)
            assert all(step.picture in sent_pictures() and step.text.endswith(".") for step in steps)
    assert steps_for("tube", False) != steps_for("panel", False) != steps_for("panel", True)
