"""Loops that are compiled where that pays: for a large file, and for a server that looks at many.

Loading the compiler takes longer than a small file in plain Python; a program that looks at just one says so with
`keep_plain`, before it imports what has loops. Whoever else has loops loads it at the first that is called: a server
that nobody asks for anything holds less memory, and has its first page sooner.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from threading import RLock
from typing import Any, TypeVar

Loop = TypeVar("Loop", bound=Callable[..., Any])

_plain, _given, _awake = False, False, False
_waking = RLock()
_asleep: list[_Sleeper] = []


class _Sleeper:
    """A loop that nobody has called yet. Compiled loops find each other by their names in their modules, so all wake
    together, and take these names over.
    """

    def __init__(self, loop: Callable[..., Any]) -> None:
        functools.update_wrapper(self, loop)
        self.loop = loop
        self.made: Any = None

    def __call__(self, *args: Any) -> Any:
        if self.made is None:
            _wake()
        return self.made(*args)


def keep_plain() -> None:
    """From here on loops stay plain Python; without effect once there is another one, as one kind calls no other."""
    global _plain  # noqa: PLW0603 - one switch, thrown once, at the start of a program
    _plain = not _given


def is_plain() -> bool:
    """Whether loops stay plain Python."""
    return _plain


def njit(loop: Loop) -> Loop:
    """A loop that runs compiled, without the interpreter's lock; or plain, where that was chosen."""
    global _given  # noqa: PLW0603
    if _plain:
        return loop
    _given = True
    made: Any = _Sleeper(loop)
    with _waking:
        if not _awake:
            _asleep.append(made)
        else:
            # What its module has imported while others woke goes by its new name too.
            _take_over(loop.__globals__)
            made = _compiled(loop)
    result: Loop = made
    return result


def _wake() -> None:
    """All loops there are go by their names as compiled ones from here on."""
    global _awake  # noqa: PLW0603
    with _waking:
        for sleeper in _asleep:
            sleeper.made = _compiled(sleeper.loop)
        _asleep.clear()
        _awake = True
        for module in list(sys.modules.values()):
            _take_over(getattr(module, "__dict__", {}))


def _compiled(loop: Callable[..., Any]) -> Any:
    """It is compiled, or fetched from the cache, at its first call."""
    from numba import njit as compiled  # noqa: PLC0415 - the whole point

    return compiled(cache=True, nogil=True)(loop)


def _take_over(names: dict[str, Any]) -> None:
    for name in [name for name, value in list(names.items()) if type(value) is _Sleeper]:
        names[name] = names[name].made
