"""A source that comes to a template: named for its clip, in its format, with its share of the programme."""

from __future__ import annotations

from idle_quarry.path.beginning.shares import with_another
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.template import Template, slug
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.formats import SignalFormat

_MOST_LETTERS = 120


def source_edits(
    template: Template, name: str, fmt: SignalFormat, *, ident: str = "", share: float | None = None
) -> tuple[str, list[Edit]]:
    """Return the id of another source and the edits that add it.

    Without a share it takes its equal part, and the others give way in proportion; with one, in per cent, they stay.
    """
    ident = slug(ident or name, {source.id for source in template.sources})
    others: list[Edit] = []
    if share is None:
        *shares, share = with_another([source.share for source in template.sources])
        others = [
            Edit(f"sources.{source.id}.share", part) for source, part in zip(template.sources, shares, strict=True)
        ]
    result = Source(id=ident, name=name[:_MOST_LETTERS] or "clip", format=fmt, share=share)
    return ident, [Edit(f"sources.{ident}", result), *others]
