"""Loops that are compiled where that pays: for a large file, and for a server that looks at many.

Loading the compiler takes longer than a small file in plain Python; a program that looks at just one says so with
`keep_plain`, before it imports what has loops.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

Loop = TypeVar("Loop", bound=Callable[..., Any])

_plain, _made = False, False


def keep_plain() -> None:
    """From here on loops stay plain Python; without effect once there is a compiled one, as one kind calls no other."""
    global _plain  # noqa: PLW0603 - one switch, thrown once, at the start of a program
    _plain = not _made


def is_plain() -> bool:
    """Whether loops stay plain Python."""
    return _plain


def njit(loop: Loop) -> Loop:
    """A loop that runs compiled, without the interpreter's lock; or plain, where that was chosen."""
    global _made  # noqa: PLW0603
    if _plain:
        return loop
    from numba import njit as compiled  # noqa: PLC0415 - the whole point

    _made = True
    made: Any = compiled(cache=True, nogil=True)
    result: Loop = made(loop)
    return result
