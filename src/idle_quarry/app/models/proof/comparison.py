"""Which methods of a link stand beside one another in Proof."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.path.comparing import methods_for, questions
from idle_quarry.path.policies import Policy

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures

#: How many methods stand beside one another.
MOST_PANES = 4


class ComparedMethods:
    """The part of the policy whose methods are compared, and which of them are."""

    def __init__(self, pictures: BenchPictures) -> None:
        self._pictures = pictures
        self.part = ""
        self.methods: list[str] = []

    def asked(self) -> tuple[str, ...]:
        """Return the parts of the policy that matter here; none where nothing is converted."""
        bench = self._pictures.bench
        return questions(bench.source, bench.target, self._pictures.own_policy()) if bench is not None else ()

    def keep_or_begin(self) -> None:
        """Keep what was compared where that still matters."""
        asked = self.asked()
        if asked:
            self.compare(self.part if self.part in asked else asked[0])
        else:
            self.part = ""
            self.set_methods([])

    def compare(self, part: str) -> None:
        """Compare the methods of one part of the policy: the template's own and the next."""
        if part not in self.asked():
            return  # this link does not ask that
        own = str(getattr(self._pictures.own_policy(), part))
        offered = self.offered(part)
        if part != self.part or own not in self.methods:
            self.part = part
            self.methods = list(offered[:2])
        self.set_methods([method for method in self.methods if method in offered])

    def offered(self, part: str) -> tuple[str, ...]:
        """Return the methods of a part that can be tried here, the template's own first."""
        bench = self._pictures.bench
        assert bench is not None
        return methods_for(part, bench.source, bench.target, self._pictures.own_policy()) if part else ()

    @property
    def can_add(self) -> bool:
        return bool(self.part) and len(self.methods) < min(MOST_PANES, len(self.offered(self.part)))

    def add_method(self) -> None:
        """Put one more method on the bench: the next that is not there yet."""
        rest = [method for method in self.offered(self.part) if method not in self.methods]
        if rest and self.can_add:
            self.set_methods([*self.methods, rest[0]])

    def set_methods(self, methods: list[str]) -> None:
        """Put these methods on the bench, in this order."""
        self.methods = methods
        self._pictures.methods_changed.emit()
        self._pictures.request()

    def choose_method(self, number: int, method: str) -> None:
        """Put another method in a picture's place; one that is on the bench already changes places with it."""
        methods = list(self.methods)
        if method in methods:
            methods[methods.index(method)] = methods[number]
        methods[number] = method
        self.set_methods(methods)

    def remove_method(self, number: int) -> None:
        """Take a picture off the bench."""
        self.set_methods(self.methods[:number] + self.methods[number + 1 :])

    def policies(self) -> list[Policy]:
        """Return the policy of each picture."""
        return [self._pictures.own_policy().with_parts(**{self.part: method}) for method in self.methods]
