"""Files, forms and addresses as a stranger would send them: does anything but a clear refusal come of it, does
anything take long, does anything take much memory?

    bench/fuzz.py --seed S --runs N [--only TARGET] [--json]

Each case is a good file spoilt, or one made to hurt; the same seed gives the same cases. `exceptions` are errors that
no maker should see: anything that is not told in words, or a page that answers 500.
"""

from __future__ import annotations

import json
import os
import re
import resource
import signal
import time
import traceback
from collections import Counter
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from pathlib import Path
from random import Random

os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / ".cache" / "numba"))

import click

from bench.fuzzed import TARGETS, Rig, rig
from drumbo.core.errors import DrumboError

LONGEST_S, FIRST_USES = 30, 20


@dataclass
class Outcome:
    """What came of one target's cases. Memory is the most above the start, MB."""

    target: str
    runs: int = 0
    exceptions: int = 0
    slowest_s: float = 0.0
    memory_mb: float = 0.0
    told: Counter[str] = field(default_factory=Counter)


class _TooLong(Exception):
    pass


def _give_up(*_found: object) -> None:
    raise _TooLong(f"longer than {LONGEST_S} s")


def _memory_mb(*, most: bool) -> float:
    text = Path("/proc/self/status").read_text()
    found = re.search(r"VmHWM:\s+(\d+)" if most else r"VmRSS:\s+(\d+)", text)
    return int(found[1]) / 1000 if found else resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000


def run_target(name: str, rig: Rig, seed: int, runs: int, first_uses: int = FIRST_USES) -> Outcome:
    """All cases of a target, after some that only load what is used first."""
    outcome, rng, cases = Outcome(name), Random(f"{seed} {name}"), TARGETS[name](rig)
    # What is loaded and compiled at first use is no case's doing.
    warm = Random(f"{seed} {name} first")
    for _ in range(first_uses):
        with suppress(Exception):
            cases(warm)()
    begun_mb = _memory_mb(most=False)
    Path("/proc/self/clear_refs").write_text("5")
    for _ in range(runs):
        case = cases(rng)
        begun = time.perf_counter()
        signal.alarm(LONGEST_S)
        try:
            case()
        except DrumboError:
            pass
        except Exception as error:
            outcome.exceptions += 1
            last = traceback.extract_tb(error.__traceback__)[-1]
            outcome.told[f"{type(error).__name__}: {str(error)[:80]} ({Path(last.filename).name}:{last.lineno})"] += 1
        finally:
            signal.alarm(0)
        outcome.slowest_s = max(outcome.slowest_s, time.perf_counter() - begun)
        outcome.runs += 1
    outcome.memory_mb = max(_memory_mb(most=True) - begun_mb, 0.0)
    return outcome


def run(seed: int, runs: int, only: Sequence[str] = (), first_uses: int = FIRST_USES) -> list[Outcome]:
    """The targets named, or all, on one workshop."""
    signal.signal(signal.SIGALRM, _give_up)
    with rig() as made:
        return [run_target(name, made, seed, runs, first_uses) for name in (only or TARGETS)]


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--runs", default=1000, show_default=True)
@click.option("--only", multiple=True, type=click.Choice(list(TARGETS)))
@click.option("--json", "as_json", is_flag=True)
def main(seed: int, runs: int, only: tuple[str, ...], as_json: bool) -> None:
    """What comes of strangers' files, forms and addresses."""
    for outcome in run(seed, runs, only):
        if as_json:
            click.echo(json.dumps({**asdict(outcome), "told": dict(outcome.told)}))
            continue
        click.echo(
            f"{outcome.target:14} {outcome.runs} runs, {outcome.exceptions} exceptions, "
            f"slowest {outcome.slowest_s:.2f} s, {outcome.memory_mb:.0f} MB above the start"
        )
        for told, count in outcome.told.most_common(8):
            click.echo(f"    {count} × {told}")


if __name__ == "__main__":
    main()
