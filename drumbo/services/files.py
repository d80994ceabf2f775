"""Files of trials: laid once, whoever asks. The estimate, the page of the profile and the plan want the same one."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from dataclasses import replace
from functools import singledispatch
from typing import Any

from drumbo.core.light.job import LayerJob
from drumbo.exchange.layer_package import package_bytes
from drumbo.trials.base import AnyKind, Bound, PrintFile
from drumbo.trials.plan import TrialPlan

_FILES: OrderedDict[tuple[str, ...], Any] = OrderedDict()
_MOST = 6
"""A long one holds some tens of megabytes."""
_LAYING = threading.Lock()


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


def _lasting(context: Bound[Any, Any]) -> Bound[Any, Any]:
    """Without what changes by printing."""
    return replace(context, material=replace(context.material, **{context.material.left_key: None}))


def file_of(chosen: AnyKind[Any, Any], plan: TrialPlan, context: Bound[Any, Any], revision: int) -> Any:
    """The file of a plan, bound to a revision: it has `seconds`, `grams` and `cost`, and `as_bytes` writes it.
    InvalidInput names the fields of a plan that cannot be printed.
    """
    key = (chosen.slug, json.dumps(plan.to_json(), sort_keys=True), repr(_lasting(context)), str(revision))
    with _LAYING:
        if key not in _FILES:
            title = (f"profile {context.profile.name}, revision {revision}",)
            _FILES[key] = chosen.print_file(plan, context, title=title)
            while len(_FILES) > _MOST:
                _FILES.popitem(last=False)
        _FILES.move_to_end(key)
        return _FILES[key]
