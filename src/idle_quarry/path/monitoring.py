"""What a monitor makes of a signal: whether it locks, and what it takes it for, by what its entry says of it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from idle_quarry.path.entries import Door, Monitor
from idle_quarry.signal.colour import TRANSFERS, is_hdr
from idle_quarry.signal.formats import SignalFormat, standard_field_order
from idle_quarry.signal.interfaces import INTERFACES, carriage
from idle_quarry.signal.rasters import FOUR_THREE, default_pixel_aspect
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import default_encoding


@dataclass(frozen=True)
class MonitorResponse:
    """What a monitor takes a signal for, None where it stays black; why it does; and what is not as it was meant."""

    seen: SignalFormat | None
    why: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def state(self) -> str:
        """Return "black", "not as meant" or "shown"."""
        return "black" if self.seen is None else "not as meant" if self.notes else "shown"


def response_of(monitor: Monitor, fmt: SignalFormat, interface: str = "", *, payload: bool = True) -> MonitorResponse:
    """Return what a monitor makes of a format over an interface ("3G-A", "12G" …; "" for the smallest).

    Without a payload identifier, or where the monitor ignores it, only raster, scan and rate are known: PsF is taken
    for interlaced, and all else for what is usual.
    """
    if monitor.payload == "needed" and not payload:
        return MonitorResponse(None, ("it needs a payload identifier",))
    value = payload and monitor.payload != "ignored"
    if not value and (fmt.encoding.sampling == "4:4:4" or fmt.encoding.bit_depth > 10):
        return MonitorResponse(None, ("without a payload identifier it takes every signal for 4:2:2 in 10 bits",))
    seen = fmt if value else _untold(fmt)
    if seen.scan == "psf" and not monitor.tells_psf:
        seen = replace(seen, scan="interlaced", field_order=standard_field_order(seen.raster))
    refused: dict[Door, list[str]] = {door: _refused(door, seen, fmt, interface) for door in monitor.accepts}
    fitting = [door for door, why in refused.items() if not why]
    if not fitting:
        nearest: list[str] = min(refused.values(), key=len)
        return MonitorResponse(None, tuple(nearest))
    transfers = {transfer for door in fitting for transfer in door.transfers}
    if seen.encoding.transfer not in transfers:
        seen = seen.with_encoding(transfer="bt709")
    if seen.encoding.range not in monitor.ranges:
        seen = seen.with_encoding(range=monitor.ranges[0])
    return MonitorResponse(seen, (), misread(seen, fmt))


def _untold(fmt: SignalFormat) -> SignalFormat:
    raster = fmt.raster
    if raster.line_system is not None:
        raster = replace(raster, pixel_aspect=default_pixel_aspect(raster.width, raster.height, FOUR_THREE))
    scan = "interlaced" if fmt.scan == "psf" else fmt.scan
    order = None if scan == "progressive" else standard_field_order(raster)
    return SignalFormat(raster, fmt.rate, scan, order, default_encoding(raster))


def _refused(door: Door, seen: SignalFormat, fmt: SignalFormat, interface: str) -> list[str]:
    texts: list[str] = []
    if seen.raster.height not in door.lines or seen.raster.width not in door.widths:
        texts.append(f"it takes {door.widths[0]} × {' or '.join(str(n) for n in door.lines)}")
    # what it takes for interlaced comes in the lines of PsF
    if seen.scan not in door.scans and not (seen.scan == "interlaced" and fmt.scan == "psf" and "psf" in door.scans):
        texts.append("it takes " + " or ".join("PsF" if scan == "psf" else scan for scan in door.scans))
    if rate_text(seen.rate) not in door.rates:
        texts.append(f"it takes {', '.join(door.rates)} frames a second")
    if texts:
        return texts
    travels = carriage(fmt)
    wire = interface.split("-")[0].split(" ")[0] or (travels.interface if travels else "")
    if wire == "quad":
        texts.append("it has an input for one cable, the signal comes over four")
    elif not wire:
        texts.append("the signal travels over no serial interface")
    elif INTERFACES.index(wire) > INTERFACES.index(door.interface):
        texts.append(f"its input is {door.interface}, the signal comes over {wire}")
    elif interface.startswith("3G-") and door.mapping != "any" and door.mapping[-1] != interface[3]:
        texts.append(f"it takes 3G {door.mapping} only")
    return texts


def misread(seen: SignalFormat, fmt: SignalFormat) -> tuple[str, ...]:
    """Return what is wrong, in words, where what was sent as `fmt` is taken for `seen`."""
    texts = []
    if seen.scan != fmt.scan:
        texts.append("PsF taken for interlaced: fine detail flickers and half of it is lost")
    if is_hdr(fmt.encoding.transfer) and seen.encoding.transfer != fmt.encoding.transfer:
        as_what = "SDR" if not is_hdr(seen.encoding.transfer) else TRANSFERS[seen.encoding.transfer][0]
        texts.append(f"{fmt.encoding.transfer.upper()} taken for {as_what}: washed out")
    elif seen.encoding.primaries != fmt.encoding.primaries:
        texts.append("colours taken for another standard's: pale or too strong")
    if seen.encoding.range != fmt.encoding.range:
        narrow = seen.encoding.range == "narrow"
        texts.append(
            "full range taken for narrow: shadows and highlights are crushed"
            if narrow
            else "narrow range taken for full: black and white are grey"
        )
    if seen.raster.pixel_aspect != fmt.raster.pixel_aspect:
        texts.append("16:9 taken for 4:3: everything is narrow")
    return tuple(texts)
