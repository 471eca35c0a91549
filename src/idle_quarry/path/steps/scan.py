"""The scan step: from whole pictures to fields and back, field order, PsF."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any, ClassVar

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy, parts
from idle_quarry.path.steps.cadence import is_pulldown
from idle_quarry.path.steps.pacing import pace, retiming
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text


class ScanMethod(Enum):
    """How fields are made, kept or taken apart; the value is the method in words."""

    SPLIT = "split into segments"
    JOIN = "join segments"
    WAIT = "wait one field"
    SHIFT = "line shift"
    LEAVE = "leave"
    BY_FIELD = "fields by themselves"
    THERE_AND_BACK = "deinterlace, convert, interlace"
    DEINTERLACE = "deinterlace"
    SEGMENTS_AS_FIELDS = "segments kept as fields"
    PICTURES_AS_FIELDS = "whole pictures as fields"
    PULLDOWN = "2:3 pulldown"
    TAKEN_OUT = "taken out"
    PUT_IN = "put in"
    FIELDS_FROM_PICTURES = "fields from pictures"
    INTERLACE = "interlace"


@dataclass(frozen=True)
class ScanStep(Step):
    """`by` is the deinterlacer in words, or the cadence that is taken out."""

    kind: ClassVar[str] = "scan"

    method: ScanMethod
    by: str = ""
    field_order_changes: bool = False
    moments_halved: bool = False

    @property
    def method_words(self) -> str:
        """Return the method in words, with what does it: "deinterlace, motion-adaptive", "2:3 taken out"."""
        if self.method is ScanMethod.DEINTERLACE:
            return f"{self.method.value}, {self.by}"
        by_cadence = self.method in (ScanMethod.TAKEN_OUT, ScanMethod.PUT_IN)
        return f"{self.by} {self.method.value}" if by_cadence else self.method.value

    @property
    def numbers(self) -> dict[str, Any]:
        return {
            "method": self.method_words,
            "field_order_changes": self.field_order_changes,
            "moments_halved": self.moments_halved,
        }


def scan_step(source: SignalFormat, target: SignalFormat, policy: Policy, *, scales_lines: bool) -> ScanStep | None:
    """Return how fields are made, kept or taken apart, or None where nothing has to be done."""
    if source.scan == "interlaced":
        return _from_fields(source, target, policy, scales_lines)
    if target.scan == "interlaced":
        return _to_fields(source, target, policy)
    if source.scan != target.scan:
        split = target.scan == "psf"
        text = "each picture is sent as two segments" if split else "two segments are joined into their picture"
        return ScanStep("clean", text, ScanMethod.SPLIT if split else ScanMethod.JOIN)
    return None


def _from_fields(source: SignalFormat, target: SignalFormat, policy: Policy, scales_lines: bool) -> ScanStep | None:
    swaps = target.scan == "interlaced" and source.field_order != target.field_order
    method = retiming(source, target, policy)
    before, _ = pace(source, target, method)
    retimed = method != "none"
    if target.scan == "interlaced" and not scales_lines and not retimed:
        if not swaps:
            return None
        if policy.order == "time":
            text = "field order changes: one field of each frame comes from the next; sound waits half a frame"
            return ScanStep("lossy", text, ScanMethod.WAIT, field_order_changes=True)
        text = "field order changes: the picture moves by one line, one line is lost"
        return ScanStep("lossy", text, ScanMethod.SHIFT, field_order_changes=True)
    if policy.scan == "leave":
        seen = " while lines are scaled: both moments are mixed" if scales_lines else ": moving edges comb"
        text = f"fields of two moments stay woven{seen}"
        return ScanStep("broken", text, ScanMethod.LEAVE, field_order_changes=swaps)
    name = parts()["scan"][policy.scan].done
    if target.scan == "interlaced":
        if keeps_fields(source, target, policy):
            text = "each field is scaled by itself, with its half-line offset"
            text += _swap_text(swaps, policy)
            return ScanStep("lossy", text, ScanMethod.BY_FIELD, field_order_changes=swaps)
        why = "lines are scaled" if scales_lines else "the field rate changes"
        text = f"fields are made whole ({name}) because {why}, then separated again"
        text += ", in the other field order" if swaps else ""
        return ScanStep("lossy", text, ScanMethod.THERE_AND_BACK, field_order_changes=swaps)
    halved = before == source.rate or target.moments <= source.rate
    pictures = source.rate if halved else min(source.moments, target.moments)
    words = f"{rate_text(source.moments)} fields become {rate_text(pictures)} whole pictures a second ({name})"
    if halved:
        words += "; every second moment is lost"
    return ScanStep("lossy", words, ScanMethod.DEINTERLACE, name, moments_halved=halved)


def keeps_fields(source: SignalFormat, target: SignalFormat, policy: Policy) -> bool:
    """Return whether each field becomes one field, whatever is done to its lines."""
    both = source.scan == target.scan == "interlaced"
    return both and policy.scan == "fields" and source.moments == target.moments


def _swap_text(swaps: bool, policy: Policy) -> str:
    if not swaps:
        return ""
    return "; field order changes by " + ("waiting one field" if policy.order == "time" else "half a line")


def _to_fields(source: SignalFormat, target: SignalFormat, policy: Policy) -> ScanStep:
    method = retiming(source, target, policy)
    _, after = pace(source, target, method)
    if after == target.rate:
        shown = rate_text(after if method == "speed" else min(source.rate, target.rate))
        if source.scan == "psf":
            text = f"PsF travels as fields; motion stays {shown} a second"
            return ScanStep("clean", text, ScanMethod.SEGMENTS_AS_FIELDS)
        text = f"both fields show one moment; motion stays {shown} a second"
        return ScanStep("clean", text, ScanMethod.PICTURES_AS_FIELDS)
    if method in ("nearest", "slowed") and is_pulldown(pace(source, target, method)[0], after):
        return ScanStep("clean", "pictures are spread over two and three fields in turn", ScanMethod.PULLDOWN)
    if source.moments >= target.moments or method == "speed":
        text = "each picture gives one field: half its lines, low-passed against twitter"
        return ScanStep("lossy", text, ScanMethod.FIELDS_FROM_PICTURES)
    return ScanStep("lossy", "pictures are retimed to fields", ScanMethod.INTERLACE)
