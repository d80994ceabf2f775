"""How benchmarks take times, and the plain printer, spool and tower that they take."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import Any

from drumbo.core.families import family
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.trials import kind
from drumbo.trials.base import Context

Measured = tuple[float, str]
FILE_MB = 50


def plain_context() -> Context:
    """A common spool on a common printer."""
    kin = family("pla")
    material = Material("-", "-", "pla", "-", "#808080", kin.nozzle_low_c, kin.nozzle_high_c)
    printer = Printer("bench")
    return Context(printer, material, start("bench", material, printer))


def tower() -> str:
    """The file of a temperature tower."""
    trial, context = kind("temperature"), plain_context()
    return str(trial.print_file(trial.suggest(context), context).gcode)


def large(megabytes: float) -> bytes:
    """A real tower's file, repeated to the size wanted."""
    one = tower().encode()
    return one * max(1, round(megabytes * 1e6 / len(one)))


def timed(job: Callable[[], object]) -> float:
    """How long it takes, s."""
    began = time.perf_counter()
    job()
    return time.perf_counter() - began


def ratio_of(slow: Callable[[], object], fast: Callable[[], object], repeats: int) -> float:
    """How many times as long the slow one takes: the median of interleaved repeats."""
    fast()
    pairs = [(timed(slow), timed(fast)) for _ in range(repeats)]
    return statistics.median(s / f for s, f in pairs)


def vars_of(value: Any) -> dict[str, Any]:
    """A dataclass as the forms take it."""
    from dataclasses import asdict  # noqa: PLC0415

    found: dict[str, Any] = asdict(value)
    return found
