"""Things that are registered by being there: one module each in a package of ours, or an entry point of another's.

What cannot be imported stops the program: a silent gap would be worse.
"""

from __future__ import annotations

import pkgutil
from collections.abc import Iterator
from importlib import import_module
from importlib.metadata import entry_points
from typing import Any


def brought(group: str) -> Iterator[Any]:
    """What other packages bring under an entry point group."""
    for entry in entry_points(group=group):
        yield entry.load()


def found(package: str, paths: list[str], name: str, group: str) -> Iterator[Any]:
    """`name` of every module of a package that has it, then what others bring under `group`."""
    for module in sorted(pkgutil.iter_modules(paths), key=lambda m: m.name):
        there = getattr(import_module(f"{package}.{module.name}"), name, None)
        if there is not None:
            yield there
    yield from brought(group)
