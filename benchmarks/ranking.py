"""Ranking working formats between two ends: 5 sources, 3 deliveries, about 50 candidates, nothing remembered."""

from __future__ import annotations

from time import perf_counter

from common import machine, milliseconds

from idle_quarry.path.beginning import two_ends
from idle_quarry.path.steps import plan
from idle_quarry.path.template_parts import Delivery, Source

SOURCES = ("2160p50 hlg=40", "1080i25", "576i25 4:3", "1080p23.976", "1080p29.97")
DELIVERIES = ("uhd-50", "hd-50", "web-vertical")


def main() -> None:
    sources: list[Source] = []
    for text in SOURCES:
        sources.append(two_ends.source_from_words(text, sources))
    outs: list[Delivery] = []
    for text in DELIVERIES:
        outs.append(two_ends.delivery_from_words(text, outs))
    count = len(two_ends.suggested(sources, outs))
    cold: list[float] = []
    warm: list[float] = []
    for _ in range(15):
        plan.cache_clear()
        two_ends._kept_in.cache_clear()
        for taken in (cold, warm):
            began = perf_counter()
            two_ends.suggested(sources, outs)
            taken.append(perf_counter() - began)
    print(f"ranking {count} working formats, 5 sources, 3 deliveries ({machine()}): {milliseconds(cold)} (aim 200 ms)")
    print(f"  again, with links planned before: {milliseconds(warm)}, {sum(cold) / sum(warm):.1f}× as fast")


if __name__ == "__main__":
    main()
