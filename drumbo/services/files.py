"""Files of trials: laid once, whoever asks. The estimate, the page of the profile and the plan want the same one."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from dataclasses import replace

from drumbo.trials.base import Context, Kind, Plan, PrintFile

_FILES: OrderedDict[tuple[str, ...], PrintFile] = OrderedDict()
_MOST = 6
"""A long one holds some tens of megabytes."""
_LAYING = threading.Lock()


def _lasting(context: Context) -> Context:
    """Without what changes by printing."""
    return replace(context, material=replace(context.material, spool_g=None))


def file_of(chosen: Kind, plan: Plan, context: Context, revision: int) -> PrintFile:
    """The file of a plan, bound to a revision. InvalidInput names the fields of a plan that cannot be printed."""
    key = (chosen.slug, json.dumps(dict(plan), sort_keys=True), repr(_lasting(context)), str(revision))
    with _LAYING:
        if key not in _FILES:
            title = (f"profile {context.profile.name}, revision {revision}",)
            _FILES[key] = chosen.print_file(plan, context, title=title)
            while len(_FILES) > _MOST:
                _FILES.popitem(last=False)
        _FILES.move_to_end(key)
        return _FILES[key]
