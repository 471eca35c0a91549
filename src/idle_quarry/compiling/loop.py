"""The decorator of a loop that Numba compiles; its code is kept for the user, known by the content of its module.

A version of the program that did not change a module uses the code that an earlier one compiled, wherever either lies.
Only modules of loops import this: it imports Numba.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

from numba import njit
from numba.core.caching import CompileResultCacheImpl, FunctionCache, _CacheLocator

from idle_quarry.compiling import ahead


def loop(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """Return a decorator that compiles a function at its first call, without Python's lock.

    `options` are those of `numba.njit`.
    """

    def declared(function: Callable[..., Any]) -> Any:
        dispatcher = njit(nogil=True, **options)(function)
        dispatcher._cache = _LoopCache(function)
        return dispatcher

    return declared


@lru_cache
def _digest(module: str) -> str:
    return hashlib.sha256(Path(module).read_bytes()).hexdigest()[:16]


class _ByContent(_CacheLocator):  # type: ignore[misc]
    """Keeps the code of a module's loops in a folder that is named by the module's content."""

    def __init__(self, function: Callable[..., Any], module: str) -> None:
        self._digest = _digest(module)
        self._folder = ahead.folder() / f"{Path(module).stem}-{self._digest}"
        self._line = function.__code__.co_firstlineno

    @classmethod
    def from_function(cls, py_func: Callable[..., Any], py_file: str) -> _ByContent:
        return cls(py_func, py_file)

    def get_cache_path(self) -> str:
        return str(self._folder)

    def get_source_stamp(self) -> str:
        return self._digest

    def get_disambiguator(self) -> str:
        return str(self._line)


class _LoopCacheForm(CompileResultCacheImpl):  # type: ignore[misc]
    _locator_classes = (_ByContent,)


class _LoopCache(FunctionCache):  # type: ignore[misc]
    """The kept code of a loop. Where another process is compiling all loops, what is missing is waited for, not
    made twice.
    """

    _impl_class = _LoopCacheForm

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        code = super().load_overload(sig, target_context)
        while code is None and ahead.wait_a_little():
            code = super().load_overload(sig, target_context)
        return code
