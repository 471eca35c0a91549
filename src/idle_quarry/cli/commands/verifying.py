"""A file verified on the command line against what a template's delivery asks for."""

from __future__ import annotations

from argparse import Namespace as Options
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.output import Output
from idle_quarry.cli.progress import ended, shares
from idle_quarry.errors import NotPossible, QuarryError

if TYPE_CHECKING:
    from idle_quarry.path.template import Template
    from idle_quarry.path.template_parts import Delivery


@command(
    "verify",
    argument("file", metavar="FILE"),
    argument("--template", required=True, metavar="NAME"),
    argument("--delivery", required=True, metavar="D", help="the delivery's id or name in the template"),
    argument("--report", metavar="FILE", help="also write the report: .pdf, .html, .csv or .json"),
)
def verify(options: Options, out: Output) -> int:
    """Hold a whole file against a delivery; 1 where a check fails."""
    from idle_quarry.cli.opening import opened, stored_of
    from idle_quarry.jobs.handover.record import noted
    from idle_quarry.jobs.handover.report import write_report
    from idle_quarry.jobs.handover.verify import failed_first
    from idle_quarry.jobs.handover.verify import verify as verified
    from idle_quarry.printing import write_pdf

    with opened(options) as library:
        stored = stored_of(library, options.template)
    path, delivery = Path(options.file).expanduser(), delivery_of(stored.template, options.delivery)
    try:
        verification = verified(
            path, stored.template, delivery, stored.revision.number, None if out.as_json else shares()
        )
    except KeyboardInterrupt:
        raise QuarryError("cancelled", subject=str(path)) from None
    finally:
        ended()
    document = verification.to_json()
    if options.report:
        write_report(Path(options.report).expanduser(), noted(verification), write_pdf)
    lines = [
        f"{path.name}: {verification.verdict}, against {delivery.name} of {stored.name}, revision"
        f" {stored.revision.number}"
    ]
    for check in failed_first(verification.checks):
        where = f"  at {', '.join(place.start for place in check.where[:4])}" if check.where else ""
        clause = f" ({check.clause})" if check.clause and check.verdict in ("fails", "look") else ""
        lines.append(f"  {check.verdict:<12}{check.id:<16}{check.text}{where}{clause}")
    out.show(document, lines)
    return 1 if verification.verdict == "fails" else 0


def delivery_of(template: Template, name: str) -> Delivery:
    """Return a delivery of a template by its id or name. Raises `NotPossible`."""
    bare = name.removeprefix("delivery:").casefold()
    for delivery in template.deliveries:
        if bare in (delivery.id.casefold(), delivery.name.casefold()):
            return delivery
    names = ", ".join(delivery.id for delivery in template.deliveries) or "none"
    raise NotPossible("is no delivery of the template", subject=repr(name), remedy=f"it has {names}")
