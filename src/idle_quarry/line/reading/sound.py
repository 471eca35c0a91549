"""Sound taken out of a line's packets: samples of 24 bits, and what is wrong with them (SMPTE ST 299-1.

In SD ST 272).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.reading.faults import FrameFaults
from idle_quarry.line.reading.packets import PacketGroup
from idle_quarry.line.words import Words
from idle_quarry.line.writing.packets import HD_SOUND, SD_SOUND, SD_SOUND_MORE


@dataclass(frozen=True)
class GroupSound:
    """One group's samples of a frame, (n, 4), int32 of 24 bits, and the number of its last packet."""

    group: int
    samples: NDArray[np.int32]
    last: int


def _signed(value: NDArray[np.int64]) -> NDArray[np.int32]:
    return (((value & 0xFFFFFF) ^ 0x800000) - 0x800000).astype(np.int32)


def sound_of(
    held: Sequence[PacketGroup], before: Mapping[int, int], frame_faults: FrameFaults
) -> dict[int, GroupSound]:
    """Return the sound of a frame by group, 1 to 4; `before` has the number of each group's last packet until now."""
    by_did: dict[int, list[PacketGroup]] = {}
    for item in held:
        by_did.setdefault(item.did, []).append(item)
    results: dict[int, GroupSound] = {}
    for dids, read in ((HD_SOUND, _hd_group), (SD_SOUND, _sd_group)):
        for group, did in enumerate(dids, 1):
            if did in by_did:
                more = by_did.get(SD_SOUND_MORE[group - 1], []) if dids is SD_SOUND else []
                sound = read(group, by_did[did], more, before.get(group), frame_faults)
                if sound is not None:
                    results[group] = sound
    return results


def _in_turn(
    group: int, numbers: NDArray[np.int64], lines: NDArray[np.int64], before: int | None, frame_faults: FrameFaults
) -> None:
    """Tell where packets, numbered 1 to 255 over and over, do not follow one another."""
    given = numbers if before is None else np.concatenate([[before], numbers])
    wrong = np.flatnonzero(np.diff(given) % 255 != 1)
    for at in wrong:
        line = int(lines[at if before is not None else at + 1])
        missing = int((given[at + 1] - given[at] - 1) % 255)
        frame_faults.tell(
            "sound gap",
            line,
            f"group {group}: packet {int(given[at + 1])} follows {int(given[at])}, {missing} are missing",
        )


def _hd_group(
    group: int, held: Sequence[PacketGroup], _more: Sequence[PacketGroup], before: int | None, frame_faults: FrameFaults
) -> GroupSound | None:
    fitting = [group for group in held if group.words.shape[1] == 31]
    for item in held:
        if item.words.shape[1] != 31:
            frame_faults.tell(
                "packet",
                int(item.line[0]),
                f"sound of group {group} with {item.words.shape[1] - 7} words of data, not 24",
            )
    if not fitting:
        return None
    words, line, whole = fitting[0].words, fitting[0].line, fitting[0].whole
    order = np.lexsort((fitting[0].at, line))
    words, line, whole = words[order], line[order], whole[order]
    bytes_ = words.astype(np.int64) & 0xFF
    wrong = np.flatnonzero((_error_code(words) != bytes_[:, 24:30]).any(axis=1) & whole)
    for at in wrong:
        frame_faults.tell("sound code", int(line[at]), f"group {group}: the error code does not belong to its words")
    numbers = bytes_[:, 4]
    _in_turn(group, numbers, line, before, frame_faults)
    samples = np.empty((len(words), 4), np.int32)
    for channel in range(4):
        a, b, c, d = (bytes_[:, 8 + 4 * channel + n] for n in range(4))
        samples[:, channel] = _signed(a >> 4 | b << 4 | c << 12 | (d & 0xF) << 20)
    return GroupSound(group, samples, int(numbers[-1]))


def _error_code(words: Words) -> NDArray[np.int64]:
    """Return the remainder of the first 24 words of packets (n, ≥ 24) by x⁶ + x⁵ + x³ + x² + x + 1, bit by bit of
    eight.
    """
    data = words[:, :24].astype(np.int64) & 0xFF
    degree = np.concatenate([data, np.zeros((len(words), 6), np.int64)], axis=1)
    for at in range(24):  # long division
        lead = degree[:, at].copy()
        for offset, tap in enumerate((1, 1, 0, 1, 1, 1, 1)):
            if tap:
                degree[:, at + offset] ^= lead
    return degree[:, 24:]


def _sd_group(
    group: int, held: Sequence[PacketGroup], more: Sequence[PacketGroup], before: int | None, frame_faults: FrameFaults
) -> GroupSound | None:
    fine = {int(line): (group, n) for group in more for n, line in enumerate(group.line)}
    lines, numbers, samples = [], [], []
    for item in held:
        size = item.words.shape[1] - 7
        if size % 12 or not size:
            frame_faults.tell(
                "packet", int(item.line[0]), f"sound of group {group} with {size} words of data, not of four channels"
            )
            continue
        data = item.words[:, 6:-1].astype(np.int64).reshape(len(item.words), -1, 4, 3)
        twenty = (data[..., 0] >> 3 & 0x3F) | (data[..., 1] & 0x1FF) << 6 | (data[..., 2] & 0x1F) << 15
        low = np.zeros_like(twenty)
        pairs = np.zeros((len(data), size // 6), np.int64)
        for n, line in enumerate(item.line):
            extra, at = fine.get(int(line), (None, 0))
            if extra is not None and extra.words.shape[1] - 7 == size // 6:
                pairs[n] = extra.words[at, 6:-1] & 0xFF
        both = pairs.reshape(len(data), -1, 2)
        low[..., 0::2], low[..., 1::2] = both & 0xF, both >> 4
        lines.append(item.line * 4096 + item.at)
        numbers.append(item.words[:, 4].astype(np.int64) & 0xFF)
        samples.append((_signed(twenty << 4 | low), item.line))
    if not lines:
        return None
    order = np.argsort(np.concatenate(lines))
    turn = np.concatenate(numbers)[order]
    _in_turn(group, turn, np.concatenate([line for _, line in samples])[order], before, frame_faults)
    rows = [row for block, _ in samples for row in block]
    return GroupSound(group, np.concatenate([rows[n] for n in order]), int(turn[-1]))
