"""Pulldown as a scan: pictures spread over fields or repeated by a known cadence, taken out before a conversion and
put in after.

Neither is deinterlacing: every picture comes back as it went in. SMPTE RP 197 and the trade's practice name the
cadences.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.path.grades import worst
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.planning import LinkPlan, plan
from idle_quarry.path.steps.scan import ScanMethod, ScanStep
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text


@dataclass(frozen=True)
class Cadence:
    """How pictures are spread: over fields of interlaced frames or over frames, how many pictures a frame of them
    makes.
    """

    id: str
    name: str
    fields: bool
    share: Fraction


#: Every cadence by its id.
CADENCES: dict[str, Cadence] = {
    cadence.id: cadence
    for cadence in (
        Cadence("2:3", "2:3 over fields", True, Fraction(4, 5)),
        Cadence("2:3:3:2", "2:3:3:2 over fields", True, Fraction(4, 5)),
        Cadence("2:2", "2:2, each picture twice", False, Fraction(1, 2)),
        Cadence("3:2", "3:2, three times and twice", False, Fraction(2, 5)),
    )
}


def pictures_of(fmt: SignalFormat, cadence: str) -> SignalFormat | None:
    """Return the format of the whole pictures that a cadence spreads over `fmt`; None where it cannot run in that."""
    result = CADENCES[cadence]
    if (fmt.scan == "interlaced") != result.fields or fmt.scan == "psf":
        return None
    return SignalFormat(fmt.raster, fmt.rate * result.share, "progressive", None, fmt.encoding)


def cadences_in(fmt: SignalFormat) -> list[Cadence]:
    """Return the cadences that can run in a format."""
    return [cadence for cadence in CADENCES.values() if pictures_of(fmt, cadence.id) is not None]


def plan_through(source: SignalFormat, target: SignalFormat, policy: Policy, out: str = "", into: str = "") -> LinkPlan:
    """Return a link's plan, where the source's cadence `out` is taken out first and the target's `into` is put in
    last.
    """
    before = pictures_of(source, out) if out else source
    after = pictures_of(target, into) if into else target
    if before is None or after is None:
        which, fmt = (out, source) if before is None else (into, target)
        what = "interlaced" if CADENCES[which].fields else "progressive"
        text = (
            f"a cadence of {which} runs in {what} pictures alone, not in {'PsF' if fmt.scan == 'psf' else fmt.scan}"
            " ones"
        )
        broken = ScanStep("broken", text, ScanMethod.LEAVE, which)
        return LinkPlan("broken", (broken, *plan(source, target, policy).steps), plan(source, target, policy).placement)
    inner = plan(before, after, policy)
    first = (_step(out, before, chosen=True),) if out else ()
    last = (_step(into, after, chosen=False),) if into else ()
    steps = (*first, *inner.steps, *last)
    return LinkPlan(worst(step.grade for step in steps), steps, inner.placement)


def _step(cadence: str, pictures: SignalFormat, *, chosen: bool) -> ScanStep:
    rate = rate_text(pictures.rate)
    text = (
        f"{cadence} pulldown is taken out: its {rate} pictures a second come back whole, nothing is lost"
        if chosen
        else f"{cadence} pulldown is put in: {rate} pictures a second are spread, each stays whole"
    )
    return ScanStep("exact", text, ScanMethod.TAKEN_OUT if chosen else ScanMethod.PUT_IN, cadence)
