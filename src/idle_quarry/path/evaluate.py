"""Evaluation: from a template to its stations, links and findings, a pure function of the value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

from idle_quarry.path.codecs import cannot_hold, coding_grade, mbps
from idle_quarry.path.evaluation import Coding, Evaluation, Link, Station
from idle_quarry.path.findings import find
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import Codec, codecs, monitors
from idle_quarry.path.remedies import offered
from idle_quarry.path.steps import plan
from idle_quarry.path.steps.pulldown import plan_through
from idle_quarry.path.template import Template
from idle_quarry.signal.formats import SignalFormat


def coding_of(codec: Codec, fmt: SignalFormat) -> Coding:
    """Return what coding `fmt` once with `codec` costs."""
    refusals = cannot_hold(codec, fmt)
    if refusals:
        return Coding(codec, "broken", f"{codec.name} cannot hold it: {refusals[0]}", mbps(codec, fmt), refusals)
    grade, text = coding_grade(codec)
    return Coding(codec, grade, text, mbps(codec, fmt))


def stations_of(template: Template) -> tuple[Station, ...]:
    """Return the stations of a template in the order of the path."""
    store = codecs()
    stations = [
        Station(f"source:{s.id}", "source", s.name, s.format, f"sources.{s.id}", share=s.share, eyes=s.eyes)
        for s in template.sources
    ]
    stations.append(
        Station(
            "working", "working", template.working.name, template.working.format, "working", eyes=template.working.eyes
        )
    )
    codec = store[template.intermediate.codec]
    stations.append(
        Station(
            "intermediate",
            "intermediate",
            codec.name,
            template.intermediate_format,
            "intermediate",
            codec=codec,
            eyes=template.working.eyes,
        )
    )
    if template.proxy and template.proxy_format:
        light = store[template.proxy.codec]
        stations.append(Station("proxy", "proxy", light.name, template.proxy_format, "proxy", codec=light))
    if template.monitor:
        device = monitors().get(template.monitor.monitor)
        name = device.name if device else template.monitor.monitor
        stations.append(Station("monitor", "monitor", name, template.monitor.format, "monitor"))
    stations += [
        Station(
            f"delivery:{d.id}", "delivery", d.name, d.format, f"deliveries.{d.id}", codec=store[d.codec], eyes=d.eyes
        )
        for d in template.deliveries
    ]
    return tuple(stations)


def links_of(template: Template, stations: tuple[Station, ...]) -> tuple[Link, ...]:
    """Return the links of a template: sources into working, working on to all else, deliveries from the
    intermediate.
    """
    by_id = {station.id: station for station in stations}
    working, intermediate = template.working.format, by_id["intermediate"]
    links = [
        Link(
            f"source:{s.id}",
            "working",
            plan_through(s.format, working, s.policy, out=s.cadence),
            s.policy,
            taken_out=s.cadence,
            eyes=(s.eyes, template.working.eyes),
        )
        for s in template.sources
    ]
    assert intermediate.codec is not None
    policy = template.intermediate.policy
    links.append(
        Link(
            "working",
            "intermediate",
            plan(working, intermediate.format, policy),
            policy,
            coding_of(intermediate.codec, intermediate.format),
        )
    )
    if template.proxy:
        proxy = by_id["proxy"]
        assert proxy.codec is not None
        links.append(
            Link(
                "working",
                "proxy",
                plan(working, proxy.format, DEFAULT_POLICY),
                DEFAULT_POLICY,
                coding_of(proxy.codec, proxy.format),
            )
        )
    if template.monitor:
        feed = template.monitor
        links.append(Link("working", "monitor", plan(working, feed.format, feed.policy), feed.policy))
    for d in template.deliveries:
        coding = coding_of(codecs()[d.codec], d.format)
        through = plan_through(intermediate.format, d.format, d.policy, into=d.cadence)
        links.append(
            Link(
                "intermediate",
                f"delivery:{d.id}",
                through,
                d.policy,
                coding,
                put_in=d.cadence,
                eyes=(template.working.eyes, d.eyes),
            )
        )
    return tuple(links)


def evaluate(
    template: Template,
    measured: Mapping[str, float] = MappingProxyType({}),
    house: HouseEntries = NO_HOUSE,
    *,
    remedies: bool = True,
) -> Evaluation:
    """Return the stations, links and findings of a template; findings gravest first, in path order.

    `measured` are speeds of disks as measured on this machine, MB/s by path: findings take them before what is
    promised. `house` is what the house has now: an entry that is newer than the template's copy is a finding. With
    `remedies` each remedy was tried, and only what makes the whole better is offered; without, they are as thought of.
    """
    stations = stations_of(template)
    links = links_of(template, stations)
    bare = Evaluation(template, stations, links, (), measured, house)
    evaluation = Evaluation(template, stations, links, find(bare), measured, house)
    return (
        evaluation
        if not remedies
        else replace(evaluation, findings=offered(evaluation, lambda t: evaluate(t, measured, house, remedies=False)))
    )
