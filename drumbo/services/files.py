"""Files of trials: laid once, whoever asks. The estimate, the page of the profile and the plan want the same one."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from functools import singledispatch
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached

from drumbo.core.light.job import LayerJob
from drumbo.core.profile import Profile
from drumbo.exchange.layer_package import package_bytes
from drumbo.trials.base import Printable, PrintFile, SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan

MOST_KEPT = 6
"""A long one holds some tens of megabytes."""
MOST_FACTS = 500


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


def _lasting(context: SomeBound) -> SomeBound:
    """Without what changes by printing."""
    lasting: dict[str, Any] = {context.material.left_key: None}
    return replace(context, material=replace(context.material, **lasting))


def _key(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> tuple[object, ...]:
    return chosen.slug, json.dumps(plan.to_json(), sort_keys=True), repr(_lasting(context)), revision


@cached(LRUCache(MOST_KEPT), key=_key, condition=Condition())
def file_of(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> Printable:
    """The file of a plan, bound to a revision; `as_bytes` writes it. InvalidInput names the fields of a plan that
    cannot be printed.
    """
    file: Printable = chosen.print_file(plan, context, title=(f"profile {context.profile.name}, revision {revision}",))
    return file


def _facts_key(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> tuple[object, ...]:
    """Where a value comes from, what a profile is called and how often it was revised: all that takes no time."""
    del revision
    bare = replace(_lasting(context), profile=Profile(""), before={})
    numbers = tuple(sorted(context.profile.numbers().items()))
    return chosen.slug, json.dumps(plan.to_json(), sort_keys=True), repr(bare), numbers


@cached(LRUCache(MOST_FACTS), key=_facts_key, condition=Condition())
def facts_of(chosen: SomeKind, plan: TrialPlan, context: SomeBound, revision: int) -> Mapping[str, float | None]:
    """Seconds, grams and money of a plan. InvalidInput names the fields of one that cannot be printed."""
    file = file_of(chosen, plan, context, revision)
    return {"seconds": file.seconds, "grams": file.grams, "cost": file.cost}
