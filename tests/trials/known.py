"""What every kind of ours plans, prints and says, written down: a change of any of it is seen, and meant.

    python -m tests.trials.known

writes it anew, after a change that was meant. Readings are kept with it, so that nothing here depends on a stand-in.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.reader import read as program_of
from drumbo.core.light.job import LayerJob
from drumbo.core.printer import NOZZLES
from drumbo.trials import kinds
from drumbo.trials.base import SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from tests.conftest import plain_context, resin_context
from tests.readback import exact_layers, exact_readings

FILE = Path(__file__).with_name("known.json")
OURS = {slug: kind for slug, kind in kinds().items() if type(kind).__module__.startswith("drumbo.")}
SEEDS = (3, 11)
_INNER = re.compile(r"[\[{][^\[\]{}]*[\]}]")


def contexts(process: str) -> dict[str, Any]:
    """Printers and materials that lead a kind to other plans."""
    if process != FILAMENT:
        return {"usual": resin_context(), "clear": resin_context("resin-clear", 100.0, lights_apart="no")}
    return {
        "usual": plain_context("pla"),
        "bowden": plain_context("petg", drive="bowden", nozzle_mm=0.6, nozzle_max_c=260.0),
        "small": plain_context("tpu", bed_x_mm=120.0, bed_y_mm=120.0, height_mm=100.0),
        "two": plain_context("pla", swaps=NOZZLES),
        "low": plain_context("pla", height_mm=25.0),
    }


def planned(kind: SomeKind) -> dict[str, Any]:
    """Plans by context, with their words and the measures of their pieces."""
    found: dict[str, Any] = {}
    for name, context in contexts(kind.process).items():
        plan = kind.suggest(context)
        found[name] = {"plan": plan.to_json(), "words": kind.in_words(plan)}
        try:
            found[name]["warnings"] = kind.check(plan, context)
        except InvalidInput as error:
            found[name]["refused"] = error.problems
            continue
        told = (kind.instructions(plan, context), kind.hindered(context) or "", kind.wants(context) or "")
        found[name] |= {"told": list(told), "pauses": list(kind.pauses(plan, context)), "other": kind.overrides(plan)}
        piece = kind.piece(plan, context)
        found[name]["piece"] = {
            "size": [round(side, 4) for side in piece.size],
            "volume": round(piece.solid.volume(), 3),
            "parts": [[part.look, *_middle(part.solid)] for part in piece.parts],
            "places": _column([(*place.low, *place.high, place.value) for place in piece.places]),
            "jaws": [*_column([(*jaw.a, *jaw.b, jaw.z) for jaw in piece.jaws]), *sorted({j.tool for j in piece.jaws})],
        }
    return found


def _middle(solid: Any) -> list[float]:
    """Volume and middle of a part: where it is and how large."""
    x0, y0, z0, x1, y1, z1 = solid.bounding_box()
    return [
        round(v, 3) for v in (solid.volume(), (x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2, x1 - x0, y1 - y0, z1 - z0)
    ]


def printed(kind: SomeKind) -> dict[str, list[float]]:
    """What the file of the usual plan comes to."""
    context = contexts(kind.process)["usual"]
    return fingerprint(kind.print_file(kind.suggest(context), context))


def fingerprint(file: Any) -> dict[str, list[float]]:
    """A file in few numbers, each of which some line of it would change: roads, or layers and their light."""
    if isinstance(file, LayerJob):
        layers, lights = file.layers, [light for layer in file.layers for light in layer.lights]
        sums = [file.seconds, file.grams, sum(file.areas_mm2), sum(light.seconds for light in lights)]
        return {"layers": [len(layers), len(lights), len(file.shapes)], "sums": [_six(n) for n in sums]}
    program = program_of(file.gcode.encode())
    columns = (program.x, program.y, program.z, program.e_mm, program.feed)
    sums = [file.seconds, file.grams, *(n for c in columns for n in (c.sum(), np.abs(np.diff(c)).sum()))]
    words = Counter(command.word for command in program.commands)
    told = {word: [count, _six(_told_by(program, word))] for word, count in sorted(words.items())}
    return {"moves": [len(program), program.lines], "sums": [_six(n) for n in sums], **told}


def _told_by(program: Program, word: str) -> float:
    """The sum of all numbers that a word is given in a file."""
    return sum(n for command in program.commands if command.word == word for n in command.values.values())


def _six(number: float) -> float:
    return float(f"{number:.6g}")


def read(kind: SomeKind) -> list[dict[str, Any]]:
    """Readings that nobody errs in, of two spools or bottles."""
    context = contexts(kind.process)["usual"]
    plan = kind.suggest(context)
    exact = exact_readings if kind.process == FILAMENT else exact_layers
    return [exact(kind, plan, context, seed).to_json() for seed in SEEDS]


def variants(readings: Readings, steps: int) -> dict[str, Readings]:
    """The same readings, and others that lead to other verdicts: all alike, one side only, larger, earlier."""

    def scored(score: Any) -> Readings:
        scores = {a: {s: score(int(s), v) for s, v in by.items()} for a, by in readings.scores.items()}
        return replace(readings, scores=scores)

    def measured(factor: float) -> Readings:
        return replace(readings, measures=_scaled(readings.measures, factor))

    return {
        "as read": readings,
        "all alike": scored(lambda _step, _score: 3),
        "best at the end": scored(lambda step, _score: min(4 * step // max(steps - 1, 1), 4)),
        "strict": scored(lambda _step, score: max(score - 1, 0)),
        "larger": measured(1.01),
        "smaller": measured(0.98),
        "at once": replace(readings, firsts=dict.fromkeys(readings.firsts, 1)),
        "never": replace(readings, firsts=dict.fromkeys(readings.firsts, steps)),
    }


def _scaled(measures: Mapping[str, Mapping[str, Mapping[str, float]]], factor: float) -> dict[str, Any]:
    return {
        m: {step: {site: round(v * factor, 4) for site, v in sites.items()} for step, sites in by.items()}
        for m, by in measures.items()
    }


def said(kind: SomeKind, kept: list[dict[str, Any]]) -> dict[str, Any]:
    """What is made of kept readings and their variants: value, error, bounds, state, words, what adopting would set."""
    context = contexts(kind.process)["usual"]
    plan = kind.suggest(context)
    steps = len(kind.steps(plan))
    found: dict[str, Any] = {}
    for number, data in enumerate(kept):
        seen = set()
        for name, readings in variants(Readings.from_json(data), steps).items():
            text = json.dumps(readings.to_json(), sort_keys=True)
            if text in seen:
                continue
            seen.add(text)
            found[f"{number} {name}"] = _told(kind, plan, context, kind.evaluate(plan, readings))
    return found


def _told(kind: SomeKind, plan: TrialPlan, context: Any, result: Result) -> dict[str, Any]:
    new = kind.changes(plan, result, context, trial=5)
    return {
        "state": str(result.state),
        "numbers": [
            None if n is None else float(f"{n:.6g}") for n in (result.value, result.error, result.low, result.high)
        ],
        "says": result.says,
        "notes": list(result.notes),
        "extend": result.extend,
        "pictures": [*_pictures(result)],
        "sets": {key: [_six(value.number), value.origin.note] for key, value in new.items()},
    }


def _pictures(result: Result) -> Iterator[list[Any]]:
    """Every picture of a result in a few words and numbers, each of which something in it would change."""
    curve = result.curve
    if curve is not None:
        points = np.array(curve.points).reshape(-1, 2)
        yield [
            "curve",
            *_column(curve.x),
            *_column(curve.y),
            *_column(curve.low),
            *_column(curve.high),
            *_column(points),
        ]
    for chart in result.charts:
        yield [chart.title, f"{chart.x.name}, {chart.x.unit}, {chart.x.log}", f"{chart.y.name}, {chart.y.unit}"]
        for series in chart.series:
            columns = [n for column in (series.x, series.y, series.more) for n in _column(column)]
            yield [series.name, series.look, series.tone, sum(series.kept), *columns]
    for spread in result.spreads:
        numbers = [n for _, n, _ in spread.points]
        kept = sum(keep for _, _, keep in spread.points)
        yield [spread.name, spread.unit, kept, *_column(numbers), *map(_six, (spread.mean, spread.error))]
    for plate in result.maps:
        rows = np.array([(spot.x, spot.y, spot.value) for spot in plate.spots]).reshape(-1, 3)
        flags = ",".join(spot.flag for spot in plate.spots)
        yield [plate.title, plate.legend, flags, *map(_six, (plate.level, *plate.plane, plate.full)), *_column(rows)]


def _column(numbers: Any) -> list[float]:
    """How many there are, their mean, and their mean weighed by their places."""
    flat = np.asarray(numbers, float).ravel()
    if not len(flat):
        return [0]
    return [len(flat), _six(flat.mean()), _six((flat * np.arange(1, len(flat) + 1)).sum() / len(flat) ** 2)]


def main() -> None:
    """Write all of it down."""
    known = {}
    for slug, kind in sorted(OURS.items()):
        kept = read(kind)
        known[slug] = {
            "planned": planned(kind), "printed": printed(kind), "readings": kept, "said": said(kind, kept)
        }  # fmt: skip
        print(slug, len(known[slug]["said"]))
    text = json.dumps(known, indent=1, ensure_ascii=False, sort_keys=True)
    # What lies deepest stands on one line, so that a change is read as one.
    FILE.write_text(_INNER.sub(lambda found: " ".join(found[0].split()), text) + "\n")


if __name__ == "__main__":
    main()
