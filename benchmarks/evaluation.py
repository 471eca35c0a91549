"""Evaluation of the largest demo template (aim: under 2 ms), and how it grows to 10, 100, 1000 stations and tracks."""

from __future__ import annotations

from functools import partial

from common import machine, milliseconds, timed

from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import NAMED_RATES


def variants(template: Template) -> list[Template]:
    """Return the template at many programme rates and levels, so that no single result is remembered."""
    rates = list(NAMED_RATES.values())
    return [
        edited(
            template, Edit("working.format.rate", rates[i % len(rates)]), Edit("sound.line_up_dbfs", -12.0 - i / 100)
        )
        for i in range(60)
    ]


def grown(template: Template, count: int) -> Template:
    """Return a template with `count` sources, deliveries and tracks."""
    sources = tuple(template.sources[0].model_copy(update={"id": f"s{i}", "share": 100 / count}) for i in range(count))
    outs = tuple(template.deliveries[-1].model_copy(update={"id": f"d{i}", "name": f"Out {i}"}) for i in range(count))
    track = template.timelines[0].tracks[4]
    tracks = tuple(track.model_copy(update={"id": f"t{i}", "name": f"Track {i}"}) for i in range(count))
    timeline = template.timelines[0].model_copy(update={"tracks": (*template.timelines[0].tracks[:1], *tracks)})
    return template.model_copy(update={"sources": sources, "deliveries": outs, "timelines": (timeline,)})


def main() -> None:
    templates = [history[-1].template for history in [*house_shelf(), *own_shelf()]]
    largest = max(templates, key=lambda t: len(evaluate(t).stations) * 100 + sum(len(x.tracks) for x in t.timelines))
    several = variants(largest)
    for item in several:
        evaluate(item)
    taken = [t for item in several for t in timed(partial(evaluate, item, remedies=False), 5)]
    weighed = [t for item in several for t in timed(partial(evaluate, item), 3)]
    print(f"with every remedy tried on the template: {milliseconds(weighed)}")
    print(
        f"evaluation ({machine()}): {largest.name}, {len(evaluate(largest).stations)} stations: {milliseconds(taken)}"
        " (aim 2 ms)"
    )
    base = 0.0
    for count in (10, 100, 1000):
        template = grown(largest, count)
        evaluate(template)
        best = min(timed(partial(evaluate, template), 5))
        base = base or best
        print(
            f"  {count:5} sources, deliveries and tracks: {best * 1000:8.2f} ms, {best / base:6.1f} × the time for"
            f" {count // 10} × the size"
        )


if __name__ == "__main__":
    main()
