"""Making a method on the bench the template's: for a whole source or station, or for one clip alone."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.policies import parts
from idle_quarry.path.settings.formats import zoom_setting
from idle_quarry.path.template import slug
from idle_quarry.path.template_parts import ClipException

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures


class MethodActs:
    """What can be done with the pictures that are compared."""

    def __init__(self, pictures: BenchPictures) -> None:
        self._pictures = pictures

    @property
    def may_take(self) -> bool:
        return self._pictures.subject is not None and self._pictures.subject.place is not None

    def take(self, number: int) -> None:
        """Make a method the template's, as one step that can be undone."""
        subject = self._pictures.subject
        if subject is None or subject.place is None:
            return
        name, method = parts()[self._pictures.compared.part], self._pictures.compared.methods[number]
        excepted = self.exception()
        place = f"sources.{subject.source_id}.exceptions.{excepted.id}.policy" if excepted else subject.place
        whose = f"{excepted.clip} alone" if excepted else subject.name
        text = f"{name.name} of {whose} is now {name[method].label}.{self._late(number)}"
        self._pictures.door.edit(
            f"{name.name}: {name[method].label} for {subject.name}",
            Edit(f"{place}.{self._pictures.compared.part}", method),
            words=text,
        )

    def _late(self, number: int) -> str:
        still = (
            self._pictures.bench.still_of(self._pictures.compared.policies()[number], self._pictures.index)
            if self._pictures.bench is not None
            else None
        )
        times = (
            self._pictures.bench.cost(still).value if self._pictures.bench is not None and still is not None else 1.0
        )
        return "" if times >= 1 else f" It cannot keep up on this machine: {times:.2g} × real time."

    def exception(self) -> ClipException | None:
        """Return the exception that the template makes for the clip on the bench."""
        document, name = self._pictures.door.document, self._pictures.clip_name().casefold()
        if document is None or self._pictures.subject is None or not name:
            return None
        for source in document.template.sources:
            if source.id == self._pictures.subject.source_id:
                return next((exception for exception in source.exceptions if exception.clip.casefold() == name), None)
        return None

    @property
    def may_except(self) -> bool:
        return (
            bool(self._pictures.clip_name())
            and self._pictures.subject is not None
            and self._pictures.subject.source_id is not None
        )

    def toggle_exception(self) -> None:
        """Keep the first picture's policy for this clip alone, or take the exception back."""
        document, subject = self._pictures.door.document, self._pictures.subject
        if document is None or subject is None or not self.may_except:
            return
        place, excepted, name = f"sources.{subject.source_id}.exceptions", self.exception(), self._pictures.clip_name()
        if excepted is not None:
            text = f"{name} is converted like the rest of {subject.name}."
            self._pictures.door.edit(f"No exception for {name}", Edit(f"{place}.{excepted.id}", None), words=text)
            return
        source = next(s for s in document.template.sources if s.id == subject.source_id)
        ident = slug(Path(name).stem, {exception.id for exception in source.exceptions})
        policy = (
            self._pictures.compared.policies()[0] if self._pictures.compared.methods else self._pictures.own_policy()
        )
        result = ClipException(id=ident, clip=name, policy=policy)
        text = f"{name} keeps its own methods from now on: choose them here; the rest of {subject.name} is as before."
        self._pictures.door.edit(f"Exception for {name}", Edit(f"{place}.{ident}", result), words=text)

    def set_zoom(self, text: str) -> bool:
        """Enlarge or reduce this clip alone, as its exception says; return whether the text was taken."""
        excepted = self.exception()
        if excepted is None or self._pictures.subject is None:
            return False
        place = f"sources.{self._pictures.subject.source_id}.exceptions.{excepted.id}.policy"
        try:
            edit = zoom_setting(place, "", excepted.policy).edit(text)
        except QuarryError as error:
            self._pictures.door.refuse(error)
            return False
        return edit.value == excepted.policy.zoom or self._pictures.door.edit(f"Zoom of {excepted.clip}", edit)
