"""How a link converts: one choice for each part of a conversion, each explained in `data/methods.toml`."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from importlib.resources import files
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, cast, get_type_hints

from idle_quarry.errors import NotPossible

if TYPE_CHECKING:  # planning a link needs no pydantic, and the command line must not wait for it
    from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
    from pydantic_core import CoreSchema


@dataclass(frozen=True)
class Method:
    """One way of doing one part of a conversion: a clause for the setting, two sentences for a comparison.

    `since` is the template format that first knew it.
    """

    id: str
    short: str
    text: str
    called: str = ""  #: its name for people, where the id is not it
    done: str = ""  #: how a step that uses it says so
    since: int = 1

    @property
    def label(self) -> str:
        return self.called or self.id.capitalize()


@dataclass(frozen=True)
class PolicyPart:
    """One part of a conversion and the methods there are for it."""

    name: str
    method: tuple[Method, ...]

    def __getitem__(self, ident: str) -> Method:
        return next(method for method in self.method if method.id == ident)


@lru_cache(maxsize=1)
def parts() -> dict[str, PolicyPart]:
    """Return the parts of a conversion by the policy's own names, in the order in which they are set."""
    data: dict[str, Any] = tomllib.loads(
        files("idle_quarry.path").joinpath("data/methods.toml").read_text(encoding="utf-8")
    )
    return {
        name: PolicyPart(part["name"], tuple(Method(**method) for method in part["method"]))
        for name, part in data["part"].items()
    }


@dataclass(frozen=True)
class _MethodType:
    """The type of a policy's part: the id of any method that is registered for it."""

    part: str

    def checked(self, ident: Any) -> Any:
        """Return the id. Raises `ValueError` where no such method is registered."""
        ids = self._ids()
        if ident not in ids:
            raise ValueError(f"no such method; use {', '.join(ids)}")
        return ident

    def _ids(self) -> list[str]:
        return [method.id for method in parts()[self.part].method]

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        from pydantic_core.core_schema import no_info_after_validator_function

        return no_info_after_validator_function(self.checked, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        return {"enum": self._ids(), "type": "string"}


@dataclass(frozen=True)
class _NumberType:
    """The type of a policy's number: a float from `low` to `high`, both allowed."""

    low: float
    high: float

    def checked(self, value: Any) -> float:
        """Return the number. Raises `ValueError` where it is none, or out of range."""
        number = float(value)
        if not self.low <= number <= self.high:
            raise ValueError(f"a number from {self.low:g} to {self.high:g} is wanted")
        return number

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        from pydantic_core.core_schema import float_schema

        return float_schema(ge=self.low, le=self.high)


@dataclass(frozen=True)
class Policy:
    """How one link converts. The defaults convert nothing that agrees and keep the whole picture."""

    # checked when it is made (`NotPossible`), here as where pydantic reads it as a part of a template
    __pydantic_config__: ClassVar[dict[str, str]] = {"extra": "forbid"}

    fit: Annotated[str, _MethodType("fit")] = "inside"
    position: Annotated[str, _MethodType("position")] = "centre"
    kernel: Annotated[str, _MethodType("kernel")] = "lanczos3"
    light: Annotated[str, _MethodType("light")] = "coded"
    scan: Annotated[str, _MethodType("scan")] = "adaptive"
    order: Annotated[str, _MethodType("order")] = "line"
    retime: Annotated[str, _MethodType("retime")] = "auto"
    mix: Annotated[str, _MethodType("mix")] = "distance"
    #: degrees of an output picture's time over which a mix is weighed
    shutter: Annotated[float, _NumberType(10, 720)] = 360.0
    colour: Annotated[str, _MethodType("colour")] = "convert"
    tone: Annotated[str, _MethodType("tone")] = "compress"
    precision: Annotated[str, _MethodType("precision")] = "single"
    rounding: Annotated[str, _MethodType("rounding")] = "dither"
    zoom: Annotated[float, _NumberType(10, 1000)] = 100.0  #: per cent of the size that fit gives

    def __post_init__(self) -> None:
        for name, kind in _KINDS.items():
            value = getattr(self, name)
            if value == _DEFAULTS[name]:
                continue
            try:
                object.__setattr__(self, name, kind.checked(value))
            except (TypeError, ValueError) as error:
                raise NotPossible(str(error), subject=name) from error

    def with_parts(self, **changed: Any) -> Policy:
        """Return a policy with some parts done otherwise.

        Raises `NotPossible` for a method or number it cannot have.
        """
        return replace(self, **changed)

    def stored(self) -> dict[str, Any]:
        """Return it as plain values; parts that format 1 did not have only where they say something: its hashes
        hold.
        """
        return {
            name: value for name in _DEFAULTS if (value := getattr(self, name)) != _DEFAULTS[name] or name not in _LATER
        }

    @property
    def format_number(self) -> int:
        """The least template format that can say this policy."""
        changed = [name for name in _DEFAULTS if name not in _LATER or getattr(self, name) != _DEFAULTS[name]]
        return max((parts()[name][getattr(self, name)].since if name in parts() else _SINCE[name]) for name in changed)

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        from pydantic_core.core_schema import dict_schema, plain_serializer_function_ser_schema

        stored = plain_serializer_function_ser_schema(cls.stored, return_schema=dict_schema())
        return cast("CoreSchema", {**handler(source), "serialization": stored})


_DEFAULTS: dict[str, Any] = {field.name: field.default for field in fields(Policy)}
#: The names of a policy's parts, in the order in which they are stored.
POLICY_PARTS = tuple(_DEFAULTS)
_KINDS: dict[str, _MethodType | _NumberType] = {
    name: kind.__metadata__[0]
    for name, kind in get_type_hints(Policy, include_extras=True).items()
    if name in _DEFAULTS
}
#: Parts that came after format 1.
_LATER = ("light", "order", "zoom", "tone", "mix", "shutter", "precision")
#: The template format that first knew the parts that are no methods.
_SINCE = {"zoom": 2, "shutter": 4}
DEFAULT_POLICY = Policy()
