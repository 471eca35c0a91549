"""Ancillary packets taken out of a line and held against their protection, none of it believed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.reading.faults import FrameFaults
from idle_quarry.line.words import Words, checksum, with_parity
from idle_quarry.line.writing.packets import HD_SOUND, SD_SOUND, SD_SOUND_MORE

#: Of these only b9 protects data words, whose nine other bits are used.
_NINE_BITS = SD_SOUND


@dataclass(frozen=True)
class Packet:
    """A packet as received: line (from 1), stream, first word, DID and SDID of eight bits, data of nine, and
    whether whole.
    """

    line: int
    stream: int
    at: int
    did: int
    sdid: int
    data: tuple[int, ...]
    whole: bool

    @property
    def bytes(self) -> tuple[int, ...]:
        return tuple(number & 0xFF for number in self.data)


@dataclass(frozen=True)
class PacketGroup:
    """Packets of one size that share a DID, as an array (n, words), with the line (from 1) and first word of each,
    and which are whole.
    """

    did: int
    words: Words
    line: NDArray[np.int64]
    at: NDArray[np.int64]
    whole: NDArray[np.bool_]


def stream_packets(
    stream: Words, positions: NDArray[np.int32], number: int, frame_faults: FrameFaults
) -> Iterator[PacketGroup]:
    """Yield the packets of one stream (lines, words), by DID and size.

    `positions` (lines, most) are first words as `kernels.look` finds them, 0 for none. What is wrong with a packet is
    told once: its checksum, or one of its words.
    """
    lines, order = np.nonzero(positions)
    at = positions[lines, order].astype(np.int64)
    if not len(at):
        return
    dids, counts = stream[lines, at + 3].astype(np.int64), stream[lines, at + 5].astype(np.int64) & 0xFF
    kinds = (dids & 0xFF) << 8 | counts
    for kind in np.unique(kinds):
        chosen = np.flatnonzero(kinds == kind)
        size = int(kind & 0xFF) + 7
        words = stream[lines[chosen][:, None], at[chosen][:, None] + np.arange(size)]
        did = int(kind) >> 8
        whole = np.ones(len(chosen), bool)
        right_sum = checksum(words[:, 3:-1]) == words[:, -1]
        guarded = words[:, 3:6] if did in _NINE_BITS else words[:, 3:-1]
        right_words = (with_parity(guarded) == guarded).all(axis=1)
        if did in _NINE_BITS:
            nine = words[:, 6:-1]
            right_words &= ((nine >> 9 ^ nine >> 8) & 1 == 1).all(axis=1)
        whole = right_sum & right_words
        for bad in np.flatnonzero(~whole):
            line = int(lines[chosen[bad]]) + 1
            where = f"packet {did:02X} at word {int(at[chosen[bad]])} of stream {number + 1}"
            if not right_words[bad]:
                frame_faults.tell("parity", line, f"{where}: a word has wrong protection bits")
            else:
                frame_faults.tell(
                    "checksum", line, f"{where}: its checksum is {int(words[bad, -1]):03X}, its words give another"
                )
        yield PacketGroup(did, words, lines[chosen] + 1, at[chosen], whole)


def single(held: PacketGroup, stream: int) -> Iterator[Packet]:
    """Yield packets one by one."""
    for words, line, at, whole in zip(held.words, held.line, held.at, held.whole, strict=True):
        data = tuple(int(word) & 0x1FF for word in words[6:-1])
        yield Packet(int(line), stream, int(at), held.did, int(words[4]) & 0xFF, data, bool(whole))


#: DIDs whose packets come by the hundred and are read as arrays.
MANY = frozenset((*HD_SOUND, *SD_SOUND, *SD_SOUND_MORE))
