"""Models that are made, and whose modules are read, when somebody first asks for them."""

from __future__ import annotations

from importlib import import_module
from typing import Any, Generic, TypeVar, overload

M = TypeVar("M")


class LazyModel(Generic[M]):
    """A model of the desk: the class `kind` of the module `module` below `app/models`, made at first use.

    It is given the desk, and those of the desk's models that it `needs`.

    Once made it stands in the owner's own dictionary, so that nothing is looked up again.
    """

    def __init__(self, module: str, kind: str, *needs: str) -> None:
        self._module, self._kind, self._needs = module, kind, needs

    def __set_name__(self, _owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, owner: None, _cls: type) -> LazyModel[M]: ...
    @overload
    def __get__(self, owner: object, _cls: type) -> M: ...
    def __get__(self, owner: object | None, _cls: type) -> M | LazyModel[M]:
        if owner is None:
            return self
        result: Any = getattr(import_module(f"idle_quarry.app.models.{self._module}"), self._kind)(
            owner, *(getattr(owner, name) for name in self._needs)
        )
        vars(owner)[self._name] = result
        return result  # type: ignore[no-any-return]
