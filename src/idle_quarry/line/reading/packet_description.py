"""What packets in blanking say, in plain words."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.line.reading.packets import Packet
from idle_quarry.line.writing.packets import (
    ACTIVE_FORMAT,
    EDH,
    HD_SOUND_CONTROL,
    PAYLOAD,
    SD_SOUND_CONTROL,
    TIMECODE,
    TIMECODE_KINDS,
    read_timecode,
)
from idle_quarry.line.writing.payload import payload_text, read_payload
from idle_quarry.signal.rates import rate_text

#: Codes of ST 2016-1 that say more than "as the frame is".
_ACTIVE = {
    2: "16:9 above the middle",
    3: "14:9 above the middle",
    4: "wider than 16:9",
    8: "the whole frame",
    9: "4:3 in the middle",
    10: "16:9 in the middle",
    11: "14:9 in the middle",
    13: "4:3 that protects 14:9",
    14: "16:9 that protects 14:9",
    15: "16:9 that protects 4:3",
}


@dataclass(frozen=True)
class PacketDescription:
    """A packet in words: its kind ("payload", "timecode", "sound", "other"), a title, a sentence, and its words in
    hexadecimal.
    """

    kind: str
    title: str
    text: str
    words: str


def kind_of(packet: Packet) -> str:
    """Return the kind of a packet: "payload", "timecode", "sound" or "other"."""
    which = (packet.did, packet.sdid)
    if which in (PAYLOAD, TIMECODE):
        return "payload" if which == PAYLOAD else "timecode"
    return "sound" if packet.did in HD_SOUND_CONTROL or packet.did in SD_SOUND_CONTROL else "other"


def describe(packet: Packet, rate: Fraction | None) -> PacketDescription:
    """Return what a packet says; `rate` is that of the pictures, where it is known."""
    data = packet.bytes
    words = " ".join(f"{byte:02X}" for byte in data[:24])
    kind, name, text = _described(packet, data, rate)
    if not packet.whole:
        text = f"It is damaged: {text}"
    return PacketDescription(kind, f"Line {packet.line} · {name}", text, words)


def _described(packet: Packet, data: tuple[int, ...], rate: Fraction | None) -> tuple[str, str, str]:
    which = (packet.did, packet.sdid)
    if which == PAYLOAD and len(data) == 4:
        four = (data[0], data[1], data[2], data[3])
        return "payload", f"payload identifier {payload_text(four)}", _payload(four)
    if which == TIMECODE:
        read = None if rate is None else read_timecode(data, rate)
        if read is None:
            return (
                "timecode",
                "timecode",
                "A number that no clock shows." if rate is not None else "Its rate is not known.",
            )
        kind, moment, second = read
        field = ", of the second field or picture" if second else ""
        return "timecode", f"{TIMECODE_KINDS.get(kind, 'timecode')} {moment}", f"Timecode in the line{field} (ST 12-2)."
    if which == ACTIVE_FORMAT and data:
        code = data[0] >> 3 & 0xF
        return (
            "other",
            f"active format {code}",
            f"Where the picture lies in the frame: {_ACTIVE.get(code, 'not declared')} (ST 2016).",
        )
    for dids, at in ((HD_SOUND_CONTROL, 2), (SD_SOUND_CONTROL, 3)):
        if packet.did in dids and len(data) > at:
            used = (data[at] & 0xF).bit_count()
            turn = f"frame {data[0]} of the cadence" if data[0] else "each frame has the same count of samples"
            return (
                "sound",
                f"sound control, group {dids.index(packet.did) + 1}",
                f"48 kHz in step with the picture, {used} channels in use; {turn}.",
            )
    if packet.did == EDH:
        return "other", "error detection", "Codes over the picture and the whole field before it (RP 165)."
    return "other", f"packet {packet.did:02X} {packet.sdid:02X}", f"{len(data)} words that are not read here."


def _payload(four: tuple[int, int, int, int]) -> str:
    payload = read_payload(four)
    lines = {None: "lines of no kind that is known here", 0: "lines of SD"}.get(payload.lines, f"{payload.lines} lines")
    over = f" over {payload.interface}" if payload.interface else ""
    how = {
        "psf": "whole pictures sent as two halves",
        "interlaced": "fields",
        "progressive": "whole pictures",
    }[payload.scan]
    rate = "an unknown number" if payload.rate is None else rate_text(payload.rate)
    colour = {"hlg": "HLG", "pq": "PQ", "bt709": "SDR"}.get(payload.transfer or "", "a transfer of no name")
    sampling = payload.sampling or "an unknown sampling"
    text = (
        f"{lines}{over}: {how}, {rate} a second; {sampling}{' of R′G′B′' if payload.rgb else ''}, {payload.bits} bits,"
        f" {payload.range} range, {colour}{', 16:9' if payload.sixteen_nine else ''}."
    )
    return text[0].upper() + text[1:]
