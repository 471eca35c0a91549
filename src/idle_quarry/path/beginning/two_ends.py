"""From two ends: what comes in and what goes out, and the working formats between them, ranked by what they cost.

Each candidate's whole path is planned. The order is: the share that is broken, the loss (each lossy link weighted by
its share of the programme, or of the deliveries), then the data an hour. A broken link ranks last and stays shown.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, TypeVar

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.path.beginning.beginnings import from_working, working_codec, working_from
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.beginning.losses import cut_cadence, loss_of
from idle_quarry.path.beginning.shares import rounded_to
from idle_quarry.path.codecs import gb_per_hour, holding, mbps
from idle_quarry.path.evaluate import coding_of
from idle_quarry.path.evaluation import Link
from idle_quarry.path.grades import worst
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import codecs, deliveries
from idle_quarry.path.steps import RateStep, plan
from idle_quarry.path.steps.pacing import off_speed
from idle_quarry.path.template import Template, slug
from idle_quarry.path.template_parts import Delivery, Source
from idle_quarry.signal.catalogue import irregularities, standard_formats
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart
from idle_quarry.signal.spoken import SeveralReadings
from idle_quarry.signal.words import Sixty, format_from_words, format_words

#: Candidates worked out at the most: the ends' own formats come first, then the standards nearest to them.
MOST_CANDIDATES = 60


_End = TypeVar("_End", Source, Delivery)


@dataclass(frozen=True)
class Cost:
    """What a candidate costs: shares of broken links and of losses (0 is none), and GB an hour of renders."""

    broken: float
    loss: float
    gb_per_hour: float
    lossy_links: int

    def to_json(self) -> dict[str, Any]:
        return {
            "broken": round(self.broken, 4),
            "loss": round(self.loss, 4),
            "gb_per_hour": round(self.gb_per_hour, 1),
            "lossy_links": self.lossy_links,
        }


@dataclass(frozen=True)
class Suggestion:
    """One working format with its whole path, what it costs, and why, a sentence each; the ends have the policies that
    it was worked out with.
    """

    working: SignalFormat
    links: tuple[Link, ...]
    cost: Cost
    reasons: tuple[str, ...]
    sources: tuple[Source, ...]
    outs: tuple[Delivery, ...]

    @property
    def grade(self) -> str:
        return worst(link.grade for link in self.links)

    @property
    def words(self) -> str:
        """The working format, and that something is played 0.1 % off speed where it is."""
        return format_words(self.working, fields=True) + (", 0.1 % off speed" if self.off_speed else "")

    @property
    def off_speed(self) -> list[str]:
        """The ids of the ends that are played 0.1 % off speed."""
        policies = [(s.id, s.policy) for s in self.sources] + [(d.id, d.policy) for d in self.outs]
        return [ident for ident, policy in policies if policy.retime == "slowed"]

    def to_json(self) -> dict[str, Any]:
        return {
            "working": format_words(self.working, fields=True),
            "off_speed": self.off_speed,
            "grade": self.grade,
            "cost": self.cost.to_json(),
            "reasons": list(self.reasons),
            "links": [link.to_json() for link in self.links],
        }


def source_from_words(text: str, others: Iterable[Source] = (), sixty: Sixty = Sixty.ASKED) -> Source:
    """Return the source that "FORMAT" or "FORMAT=SHARE" says; without a share it is 0, to be shared out.

    Raises `NotUnderstood`.
    """
    words, share = text, 0.0
    head, sign, tail = text.rpartition("=")
    # "4:3=702" is a word of a format, "4:3=65" and "1080i25=40" are shares
    convention = head.endswith(("4:3", "16:9")) and tail.strip() in ("702", "704", "711", "720")
    if sign and not convention and " " not in tail.strip():
        try:
            share, words = float(tail.strip().rstrip("%").replace(",", ".")), head
        except ValueError:
            words = text
        if not 0 <= share <= 100:
            raise NotUnderstood("a share lies between 0 and 100 per cent", subject=repr(text))
    fmt = format_from_words(words, sixty)
    name = format_words(fmt)
    return Source(id=slug(name, {s.id for s in others}), name=name, format=fmt, share=share)


def delivery_from_words(text: str, others: Iterable[Delivery] = (), house: HouseEntries = NO_HOUSE) -> Delivery:
    """Return the delivery that a spec's id or name, the house's own first, or a format in words, says.

    Raises `NotUnderstood`.
    """
    ids = {d.id for d in others}
    wanted = " ".join(text.lower().split())
    for spec in (*house.specs(), *deliveries().values()):
        if wanted in (spec.id, spec.uid or spec.id, spec.name.lower()):
            return delivered(spec.id, ident=slug(spec.name if spec.uid else spec.id, ids))
    try:
        fmt = format_from_words(text, house.sixty)
    except SeveralReadings:
        raise
    except NotUnderstood as error:
        known = ", ".join(deliveries())
        raise NotUnderstood(
            "neither a standard delivery nor a signal format", subject=repr(text), remedy=f"use {known}, or a format"
        ) from error
    name = format_words(fmt)
    able = holding(fmt)
    if not able:
        raise NotPossible("no codec can hold this delivery", subject=repr(text))
    last = [codec for codec in able if codec.quality != "proxy"] or able
    return Delivery(id=slug(name, ids), name=name, format=fmt, codec=last[0].id)


def shared_out(sources: Sequence[Source]) -> tuple[Source, ...]:
    """Return sources whose shares add up to 100: those without one take equal parts of what is left.

    Raises `NotPossible` where the said shares exceed 100 or nothing has one.
    """
    value = sum(s.share for s in sources)
    silent = [s for s in sources if not s.share]
    if value > 100.01:
        raise NotPossible(f"the shares add up to {value:g} per cent", remedy="make them 100 or less")
    if not silent:
        return tuple(_sharing(sources, rounded_to(100, [s.share for s in sources]))) if value else tuple(sources)
    left = iter(rounded_to(max(0.0, 100 - value), [1.0] * len(silent)))
    return tuple(_sharing(sources, [s.share or next(left) for s in sources]))


def _sharing(sources: Sequence[Source], shares: Sequence[float]) -> Iterator[Source]:
    for source, share in zip(sources, shares, strict=True):
        yield source.model_copy(update={"share": share})


def suggested(sources: Sequence[Source], outs: Sequence[Delivery]) -> list[Suggestion]:
    """Return working formats for these ends, best first. Raises `NotPossible` where an end is missing."""
    if not sources or not outs:
        raise NotPossible("a path has two ends", remedy="say at least one source and one delivery")
    shared = shared_out(sources)
    suggestions = []
    for fmt in candidates(shared, outs):
        following = _following(outs, fmt)
        suggestions.append(_worked_out(fmt, shared, following))
        slowed_ends = _off_speed(fmt, shared, following)
        if slowed_ends is not None:
            suggestions.append(_worked_out(fmt, *slowed_ends))
    suggestions.sort(key=lambda s: _rank(s.cost))
    return [
        replace(suggestion, reasons=(*_against(suggestion, suggestions, place), *suggestion.reasons))
        for place, suggestion in enumerate(suggestions)
    ]


def taken_up(suggestion: Suggestion, name: str) -> Template:
    """Return a template of a suggestion, with what its territory takes for granted."""
    return from_working(name, suggestion.working, suggestion.sources, suggestion.outs)


def _off_speed(
    working: SignalFormat, sources: Sequence[Source], outs: Sequence[Delivery]
) -> tuple[tuple[Source, ...], tuple[Delivery, ...]] | None:
    """Return the ends with those played 0.1 % off speed whose rate lies a thousandth beside the other's family; None
    where there are none.
    """
    slow_sources = tuple(_slowed(s) if off_speed(s.format, working) != s.format else s for s in sources)
    slow_outs = tuple(_slowed(d) if off_speed(working, d.format) != working else d for d in outs)
    if slow_sources == tuple(sources) and slow_outs == tuple(outs):
        return None
    return slow_sources, slow_outs


def _slowed(end: _End) -> _End:
    if end.policy.retime != DEFAULT_POLICY.retime:
        return end
    return end.model_copy(update={"policy": end.policy.with_parts(retime="slowed")})


def _following(outs: Sequence[Delivery], working: SignalFormat) -> tuple[Delivery, ...]:
    """Return deliveries, those whose rate follows the programme's at the moments of a working format."""
    rate = working.moments if working.moments <= 60 else working.rate
    return tuple(
        out.model_copy(update={"format": replace(out.format, rate=rate)}) if _follows(out) else out for out in outs
    )


def _follows(out: Delivery) -> bool:
    standard = deliveries().get(out.standard or "")
    return standard is not None and standard.follows_rate


def candidates(sources: Sequence[Source], outs: Sequence[Delivery]) -> list[SignalFormat]:
    """Return the working formats worth working out: the ends' own, both of pairs of rates, the standards near them."""
    own = [working_from(s.format) for s in sources] + [working_from(d.format) for d in outs if not _follows(d)]
    results: dict[SignalFormat, None] = dict.fromkeys(own)
    rates = {fmt.rate for fmt in own} | {fmt.moments for fmt in own if fmt.scan == "interlaced" and fmt.moments <= 60}
    rates |= {other for rate in tuple(rates) if (other := counterpart(rate)) is not None}
    for fmt in own:
        for rate in sorted(rates):
            whole = _at_rate(fmt, rate)
            if whole is not None:
                results.setdefault(whole, None)
    heights = {fmt.raster.height for fmt in own}
    transfers = {fmt.encoding.transfer for fmt in own}
    standards = [
        working_from(standard_format.format)
        for standard_format in standard_formats()
        if standard_format.format.rate in rates
    ]
    standards.sort(
        key=lambda fmt: (fmt.encoding.transfer not in transfers, min(abs(fmt.raster.height - h) for h in heights))
    )
    for fmt in standards:
        if len(results) >= MOST_CANDIDATES:
            break
        results.setdefault(fmt, None)
    return list(results)[:MOST_CANDIDATES]


def _at_rate(fmt: SignalFormat, rate: Any) -> SignalFormat | None:
    """Return a format's raster and colour at another rate, whole pictures, where a standard has it."""
    other = SignalFormat(fmt.raster, rate, "progressive", None, fmt.encoding)
    return None if irregularities(other) else other


@lru_cache(maxsize=512)
def _kept_in(fmt: SignalFormat) -> tuple[str, float]:
    codec = working_codec(fmt)
    return codec, gb_per_hour(mbps(codecs()[codec], fmt))


def _worked_out(working: SignalFormat, sources: Sequence[Source], outs: Sequence[Delivery]) -> Suggestion:
    codec, data = _kept_in(working)
    links = [Link(f"source:{s.id}", "working", plan(s.format, working, s.policy), s.policy) for s in sources]
    coding = coding_of(codecs()[codec], working)
    links.append(Link("working", "intermediate", plan(working, working, DEFAULT_POLICY), DEFAULT_POLICY, coding))
    for d in outs:
        out_coding = coding_of(codecs()[d.codec], d.format)
        links.append(Link("intermediate", f"delivery:{d.id}", plan(working, d.format, d.policy), d.policy, out_coding))
    weights = [s.share / 100 for s in sources] + [1.0] + [1 / len(outs)] * len(outs)
    broken = sum(w for link, w in zip(links, weights, strict=True) if link.grade == "broken")
    loss = sum(w * loss_of(link) for link, w in zip(links, weights, strict=True))
    names = {f"source:{s.id}": f"{s.name} ({s.share:.3g} %)" for s in sources}
    names |= {f"delivery:{d.id}": d.name for d in outs}
    lossy = sum(link.plan.grade == "lossy" for link in links)
    cost = Cost(broken, loss, data, lossy)
    return Suggestion(working, tuple(links), cost, tuple(_reasons(links, names)), tuple(sources), tuple(outs))


def _rank(cost: Cost) -> tuple[float, float, float]:
    return round(cost.broken, 6), round(cost.loss, 4), cost.gb_per_hour


def _reasons(links: Sequence[Link], names: dict[str, str]) -> list[str]:
    """Return what happens to each end, the untouched together in one sentence."""
    untouched: list[str] = []
    lines: list[str] = []
    for link in links:
        name = names.get(link.source) or names.get(link.target)
        if name is None:
            continue
        way = "comes in" if link.target == "working" else "goes out"
        if link.grade == "broken":
            why = next((s.text for s in link.steps if s.grade == "broken"), None)
            lines.append(f"{name} cannot be done: {why or (link.coding.text if link.coding else 'no way')}")
        elif link.plan.grade == "lossy":
            lost = "; ".join(step.text for step in link.steps if step.grade == "lossy")
            lines.append(f"{name} {way} with losses: {lost}")
        elif cut_cadence(link):
            lines.append(
                f"{name} comes in by {cut_cadence(link)}, and every cut breaks the cadence: it can be taken out no more"
            )
        else:
            untouched.append(name)
        rate = link.plan.step(RateStep)
        if way == "goes out" and rate is not None and len(set(rate.cadence.split(":"))) > 1:
            lines.append(f"{name} goes out by {rate.cadence}, put in at the end: no cut breaks the cadence")
    if untouched:
        lines.insert(0, f"nothing is lost of {', '.join(untouched)}")
    return lines


def _against(suggestion: Suggestion, ranked: Sequence[Suggestion], place: int) -> list[str]:
    """Return why this stands where it does: above the next for the first, below the one before for others."""
    if len(ranked) < 2:
        return []
    first = place == 0
    other = ranked[1] if first else ranked[place - 1]
    a, b = suggestion.cost, other.cost
    if a.broken != b.broken:
        why = f"{'that one' if first else 'this one'} has a link that cannot be done"
    elif round(a.loss, 4) != round(b.loss, 4):
        kinds = _kinds(other if first else suggestion) - _kinds(suggestion if first else other)
        more = f": {', '.join(sorted(kinds))}" if kinds else ""
        why = f"{'less' if first else 'more'} loss ({a.loss:.2f}, not {b.loss:.2f}{more})"
    elif round(a.gb_per_hour) == round(b.gb_per_hour):
        why = "they cost the same; the ends' own formats stand first"
    else:
        why = (
            f"as little loss, {'less' if first else 'more'} data ({a.gb_per_hour:.0f}, not {b.gb_per_hour:.0f} GB an"
            " hour)"
        )
    return [f"{'above' if first else 'below'} {other.words}: {why}"]


def _kinds(suggestion: Suggestion) -> set[str]:
    names = {
        "scan": "fields",
        "rate": "rate",
        "fit": "size",
        "colour": "colour",
        "range": "range",
        "depth": "bits",
        "sampling": "chroma",
    }
    kinds = {names[step.kind] for link in suggestion.links for step in link.steps if step.grade == "lossy"}
    return kinds | ({"cadence"} if any(cut_cadence(link) for link in suggestion.links) else set())
