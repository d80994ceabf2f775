"""Examples and worked numbers in docstrings are what the code does."""

from __future__ import annotations

import doctest
import pkgutil
from importlib import import_module

import drumbo.core
import drumbo.trials


def test_every_example_in_a_docstring_holds() -> None:
    tried = 0
    for package in (drumbo.core, drumbo.trials):
        for found in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
            result = doctest.testmod(import_module(found.name))
            assert result.failed == 0, found.name
            tried += result.attempted
    assert tried > 10
