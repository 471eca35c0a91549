"""What Proof says of the pictures on its bench."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.path.steps import plan
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures


class BenchWords:
    """Sentences made of what the bench shows now."""

    def __init__(self, pictures: BenchPictures) -> None:
        self._pictures = pictures

    def about_words(self) -> str:
        """Return what is converted into what: the clip's own format, which need not be the source's."""
        bench, subject = self._pictures.bench, self._pictures.subject
        if bench is None or subject is None:
            return ""
        steps = "; ".join(step.text for step in plan(bench.source, bench.target, subject.policy).steps)
        ends = f"{format_words(bench.source, fields=True)} to {format_words(bench.target, fields=True)}"
        other = "" if bench.source == subject.source else f"This clip is not what {subject.name} should be. "
        return f"{other}{ends}: {steps or 'nothing changes'}"

    def nothing_words(self) -> str:
        """Return why there is nothing to compare."""
        words = format_words(self._pictures.bench.source, fields=True) if self._pictures.bench else ""
        return f"Nothing is converted here: {words} goes through as it is. Choose another link on the strip."

    def where_words(self) -> str:
        """Return which picture is looked at, and what it shows of the source."""
        if self._pictures.waiting_for:
            return f"measuring {self._pictures.waiting_for} …"
        if self._pictures.bench is None:
            return ""
        if self._pictures.player.playing:
            return self._pictures.player.text
        text = f"picture {self._pictures.index} of {self._pictures.last + 1}"
        if self._pictures.field is not None:
            text += f", {'upper' if self._pictures.field == 0 else 'lower'} field"
        policies = self._pictures.compared.policies()
        return text + (f" · {self._pictures.bench.shown_words(policies[0], self._pictures.index)}" if policies else "")
