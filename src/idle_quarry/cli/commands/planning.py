"""`plan`: the steps and the cost from one signal format to another."""

from __future__ import annotations

from typing import Any

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.findings import step_lines
from idle_quarry.cli.opening import Options, named_format
from idle_quarry.cli.output import Output
from idle_quarry.errors import NotUnderstood
from idle_quarry.path.policies import Policy, parts
from idle_quarry.path.steps import plan as plan_link
from idle_quarry.signal.words import described_format, format_words

#: The parts of a policy that can be chosen.
POLICIES = (
    "fit",
    "position",
    "kernel",
    "light",
    "scan",
    "order",
    "retime",
    "mix",
    "colour",
    "tone",
    "precision",
    "rounding",
)


@command(
    "plan",
    argument("source", metavar="FROM"),
    argument("target", metavar="TO"),
    *(argument(f"--{name}", metavar="POLICY") for name in POLICIES),
)
def plan(options: Options, out: Output) -> int:
    """The steps and the grade from one signal format to another."""
    source, target = (named_format(text, options) for text in (options.source, options.target))
    chosen: dict[str, Any] = {}
    for name, part in parts().items():
        value = getattr(options, name)
        if value is not None:
            known = {method.label.lower(): method.id for method in part.method} | {m.id: m.id for m in part.method}
            if value.lower() not in known:
                raise NotUnderstood(f"no such {name} policy", subject=repr(value), remedy="use " + ", ".join(known))
            chosen[name] = known[value.lower()]
    link = plan_link(source, target, Policy(**chosen))
    document = {
        "from": described_format(source),
        "to": described_format(target),
        "grade": link.grade,
        "steps": [step.to_json() for step in link.steps],
    }
    head = f"{format_words(source, fields=True)} → {format_words(target, fields=True)}: {link.grade}"
    out.show(document, [head, *step_lines(link.steps)])
    return 0
