"""Files of trials: laid once, whoever asks. The estimate, the page of the profile and the plan want the same one."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, replace
from functools import singledispatch
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached

from drumbo.core.light.job import LayerJob
from drumbo.exchange.layer_package import package_bytes
from drumbo.exchange.profile_file import HOME
from drumbo.trials.base import Printable, PrintFile, SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan

MOST_KEPT = 6
"""A long one holds some tens of megabytes."""
MOST_FACTS = 500
REACHED_BY = HOME - {"start_gcode", "end_gcode", "pause_gcode"}
"""What of a printer is about its link, and nothing that a file says."""


@singledispatch
def as_bytes(file: object) -> bytes:
    """What is written to disk and sent to a printer, of whatever a kind has made."""
    raise TypeError(f"nobody knows how to write a {type(file).__name__}")


@as_bytes.register
def _(file: PrintFile) -> bytes:
    return file.gcode.encode()


@as_bytes.register
def _(file: LayerJob) -> bytes:
    return package_bytes(file)


def made_of(context: SomeBound) -> tuple[object, ...]:
    """What of a context is in a file: not how its printer is reached, what is left of a spool, or where a value came
    from. Two that agree in it print the same.
    """
    printer = {key: value for key, value in asdict(context.printer).items() if key not in REACHED_BY}
    lasting: dict[str, Any] = {context.material.left_key: None}
    numbers = tuple(sorted(context.profile.numbers().items()))
    return repr(printer), repr(replace(context.material, **lasting)), numbers, repr(context.other)


def _facts_key(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> tuple[object, ...]:
    del revision
    return chosen.slug, json.dumps(plan.to_json(), sort_keys=True), *made_of(context)


def _key(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> tuple[object, ...]:
    return *_facts_key(chosen, plan, context, revision), context.profile.name, revision


@cached(LRUCache(MOST_KEPT), key=_key, condition=Condition())
def file_of(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> Printable:
    """The file of a plan, bound to a revision; `as_bytes` writes it. InvalidInput names the fields of a plan that
    cannot be printed.
    """
    file: Printable = chosen.print_file(plan, context, title=(f"profile {context.profile.name}, revision {revision}",))
    return file


@cached(LRUCache(MOST_FACTS), key=_facts_key, condition=Condition())
def facts_of(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> Mapping[str, float | None]:
    """Seconds, grams and money of a plan. InvalidInput names the fields of one that cannot be printed."""
    file = file_of(chosen, plan, context, revision)
    return {"seconds": file.seconds, "grams": file.grams, "cost": file.cost}
