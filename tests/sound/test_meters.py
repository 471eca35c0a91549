"""Meters against the standards' published cases, made here: tone bursts of IEC 60268-10, EBU Tech 3341 and 3342."""

from __future__ import annotations

import numpy as np
import pytest

from idle_quarry.sound.meters import PEAK_TYPES, RATE, Loudness, LoudnessMeter, PeakMeter, phase


def tone(level_dbfs: float, seconds: float, hz: float = 1000, turn: float = 0) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE
    return np.asarray(10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * time + turn))


def both(*parts: np.ndarray) -> np.ndarray:
    return np.repeat(np.concatenate(parts)[:, None], 2, axis=1)


_TYPES_II = [(100, 0, 0.5), (10, -2.2, 0.5), (5, -4, 0.75), (1.5, -9, 1), (0.5, -17, 2)]
#: Milliseconds of 5 kHz, reading below that of a steady tone, and how far it may lie off, dB.
BURSTS: dict[str, list[tuple[float, float, float]]] = {
    "I": [(10, -1, 0.5), (5, -2, 1), (3, -4, 1), (0.4, -15, 4)],
    "IIa": _TYPES_II,
    "IIb": _TYPES_II,
    "dBFS": [(0.5, 0, 0.1)],
}


@pytest.mark.parametrize("kind", BURSTS)
def test_needles_rise_and_fall_as_iec_60268_10_says(kind: str) -> None:
    for milliseconds, below, within in BURSTS[kind]:
        burst = np.concatenate([np.zeros(480), tone(-9, milliseconds / 1000, 5000), np.zeros(480)])
        assert PeakMeter(kind, 1).read(burst[:, None])[0] == pytest.approx(-9 + below, abs=within), milliseconds
    meter = PeakMeter(kind, 2)
    steady = meter.read(np.stack([tone(-18, 0.5), np.zeros(RATE // 2)], axis=1))
    assert steady[0] == pytest.approx(-18, abs=0.1) and steady[1] == -np.inf
    fall = 20 / 1.7 if kind in ("I", "dBFS") else 24 / 2.8
    meter.read(np.zeros((RATE, 2)))
    assert meter.read(np.zeros((1, 2)))[0] == pytest.approx(-18 - fall, abs=0.3)


def test_scales_mark_alignment_and_permitted_maximum() -> None:
    marks = {kind: {label: level for level, label in item.marks} for kind, item in PEAK_TYPES.items()}
    assert (marks["IIa"]["4"], marks["IIb"]["TEST"], marks["I"]["0"]) == (-18, -18, -9)
    assert marks["IIa"]["6"] - marks["IIa"]["4"] == 8 and marks["IIb"]["+12"] == -6


def measured(signal: np.ndarray, channels: int = 2) -> list[Loudness]:
    meter = LoudnessMeter(channels)
    return [meter.take(signal[at : at + 1920]) for at in range(0, len(signal), 1920)]


@pytest.mark.parametrize(
    ("signal", "integrated"),
    [
        (both(tone(-23, 20)), -23.0),  # EBU Tech 3341, cases 1 to 5
        (both(tone(-33, 20)), -33.0),
        (both(tone(-36, 10), tone(-23, 60), tone(-36, 10)), -23.0),
        (both(tone(-72, 10), tone(-36, 10), tone(-23, 60), tone(-36, 10), tone(-72, 10)), -23.0),
        (both(tone(-26, 20), tone(-20, 20.1), tone(-26, 20)), -23.0),
    ],
)
def test_integrated_loudness_of_ebu_tech_3341(signal: np.ndarray, integrated: float) -> None:
    assert measured(signal)[-1].integrated == pytest.approx(integrated, abs=0.1)


def test_5_1_momentary_short_term_and_true_peak_of_ebu_tech_3341() -> None:
    channels = [tone(level, 20) for level in (-28, -28, -24, -200, -30, -30)]
    assert measured(np.stack(channels, axis=1), 6)[-1].integrated == pytest.approx(-23.0, abs=0.1)  # case 6
    bursts = both(*[part for _ in range(5) for part in (tone(-20, 1.34), tone(-30, 1.66))])  # case 9
    short = [item.short_term for item in measured(bursts)[76:] if item.short_term is not None]
    assert short and all(value == pytest.approx(-23, abs=0.1) for value in short)
    quick = both(*[part for _ in range(25) for part in (tone(-20, 0.18), tone(-30, 0.22))])  # case 12
    assert all(item.momentary == pytest.approx(-23, abs=0.1) for item in measured(quick)[26:])
    for hz, turn in ((RATE / 4, 0), (RATE / 4, np.pi / 4), (RATE / 6, np.pi / 3)):  # cases 15 to 17
        faded = tone(-6.02, 1, hz, turn) * np.minimum(1, np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 2400)
        last = measured(both(faded))[-1].true_peak
        assert last is not None and -6.4 <= last <= -5.8


@pytest.mark.parametrize(("levels", "span"), [((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20)])
def test_loudness_range_of_ebu_tech_3342(levels: tuple[float, float], span: float) -> None:
    assert measured(both(*[tone(level, 20) for level in levels]))[-1].range == pytest.approx(span, abs=1)


def test_phase_and_what_is_no_layout() -> None:
    one, other = tone(-18, 1), tone(-18, 1, turn=np.pi / 2)
    assert phase(np.stack([one, one], axis=1)) == pytest.approx(1)
    assert phase(np.stack([one, -one], axis=1)) == pytest.approx(-1)
    assert phase(np.stack([one, other], axis=1)) == pytest.approx(0, abs=1e-6)
    assert phase(np.zeros((9, 2))) is None
    with pytest.raises(ValueError, match="two or six"):
        LoudnessMeter(4)
