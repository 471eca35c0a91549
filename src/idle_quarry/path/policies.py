"""How a link converts: one choice for each part of a conversion, each explained in `data/methods.toml`."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Annotated, Any

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    SerializerFunctionWrapHandler,
    model_serializer,
)
from pydantic_core import CoreSchema
from pydantic_core.core_schema import no_info_after_validator_function


class Method(BaseModel):
    """One way of doing one part of a conversion: a clause for the setting, two sentences for a comparison.

    `since` is the template format that first knew it.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    called: str = ""  #: its name for people, where the id is not it
    done: str = ""  #: how a step that uses it says so
    short: str
    text: str
    since: int = 1

    @property
    def label(self) -> str:
        return self.called or self.id.capitalize()


class Part(BaseModel):
    """One part of a conversion and the methods there are for it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    method: tuple[Method, ...]

    def __getitem__(self, ident: str) -> Method:
        return next(method for method in self.method if method.id == ident)


@lru_cache(maxsize=1)
def parts() -> dict[str, Part]:
    """Return the parts of a conversion by the policy's own names, in the order in which they are set."""
    data: dict[str, Any] = tomllib.loads(
        files("idle_quarry.path").joinpath("data/methods.toml").read_text(encoding="utf-8")
    )
    return {name: Part.model_validate(entry) for name, entry in data["part"].items()}


@dataclass(frozen=True)
class _MethodOf:
    """The type of a policy's part: the id of any method that is registered for it."""

    part: str

    def _known(self, ident: str) -> str:
        ids = [method.id for method in parts()[self.part].method]
        if ident not in ids:
            raise ValueError(f"no such method; use {', '.join(ids)}")
        return ident

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        return no_info_after_validator_function(self._known, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        return {"enum": [method.id for method in parts()[self.part].method], "type": "string"}


class Policy(BaseModel):
    """How one link converts. The defaults convert nothing that agrees and keep the whole picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    fit: Annotated[str, _MethodOf("fit")] = "inside"
    position: Annotated[str, _MethodOf("position")] = "centre"
    kernel: Annotated[str, _MethodOf("kernel")] = "lanczos3"
    light: Annotated[str, _MethodOf("light")] = "coded"
    scan: Annotated[str, _MethodOf("scan")] = "adaptive"
    order: Annotated[str, _MethodOf("order")] = "line"
    retime: Annotated[str, _MethodOf("retime")] = "auto"
    mix: Annotated[str, _MethodOf("mix")] = "distance"
    shutter: Annotated[float, Field(ge=10, le=720)] = (
        360.0  #: degrees of an output picture's time over which a mix is weighed
    )
    colour: Annotated[str, _MethodOf("colour")] = "convert"
    tone: Annotated[str, _MethodOf("tone")] = "compress"
    precision: Annotated[str, _MethodOf("precision")] = "single"
    rounding: Annotated[str, _MethodOf("rounding")] = "dither"
    zoom: Annotated[float, Field(ge=10, le=1000)] = 100.0  #: per cent of the size that fit gives

    @model_serializer(mode="wrap")
    def _stored(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        # parts that format 1 did not have are stored only where they say something: its hashes hold
        stored: dict[str, Any] = handler(self)
        return {key: value for key, value in stored.items() if key not in _LATER or value != _LATER[key]}

    @property
    def format_number(self) -> int:
        """The least template format that can say this policy."""
        changed = [name for name in type(self).model_fields if getattr(self, name) != _LATER.get(name)]
        return max((parts()[name][getattr(self, name)].since if name in parts() else _SINCE[name]) for name in changed)


_LATER: dict[str, Any] = {
    "light": "coded",
    "order": "line",
    "zoom": 100.0,
    "tone": "compress",
    "mix": "distance",
    "shutter": 360.0,
    "precision": "single",
}
#: The template format that first knew the parts that are no methods.
_SINCE = {"zoom": 2, "shutter": 4}
DEFAULT_POLICY = Policy()
