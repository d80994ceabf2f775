"""File check: read a file back, G-code or a layer package, and say what it will do."""

from __future__ import annotations

import itertools
from base64 import b64encode
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path
from threading import Condition
from typing import Any

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.gcode.against import Against
from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.beside import Pair, Parting, pairs, parting
from drumbo.core.gcode.elevation import FRONT, NAMED, SIDE, elevation
from drumbo.core.gcode.inspect import Inspection
from drumbo.core.gcode.move_columns import thinned
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.roles import ROADS
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.exchange.incoming import unpacked
from drumbo.services.convert import context_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop, write_safely

Floats = NDArray[np.float64]

KEPT_IN, MOST_KEPT = "checks", 6
MOST_READ, MOST_MOVES = 3, 8_000_000
"""So many files, or of so many moves together, are held in memory; the last one always is."""
POINTS, MOST_DRAWN = 360, 60_000


@dataclass(frozen=True)
class AnalysedFile:
    """A file that was brought: what it will do, its columns, the limit of flow that it is held against, and what its
    filament costs, None where no price is known.
    """

    digest: str
    size: int
    found: Inspection
    case: FileAnalysis
    limit_mm3_s: float | None
    cost: float | None = None
    currency: str = ""


def bring(workshop: Workshop, data: bytes) -> str:
    """Keep a G-code file that was brought, packed or not, once it can be read; returns its digest. Few are kept."""
    data = unpacked(data)
    digest = sha256(data).hexdigest()
    _program(digest, Against(), lambda: data)
    keep(workshop, digest, data)
    return digest


def keep(workshop: Workshop, digest: str, data: bytes) -> None:
    """Keep what was brought, and let go of what was brought longest ago."""
    folder = workshop.folder / KEPT_IN
    folder.mkdir(exist_ok=True)
    there = folder / digest
    if not there.exists():
        write_safely(there, data)
    there.touch()
    for old in sorted(folder.iterdir(), key=lambda file: file.stat().st_mtime, reverse=True)[MOST_KEPT:]:
        old.unlink(missing_ok=True)


def kept(workshop: Workshop, digest: str) -> Path:
    """Where a file that was brought lies. NotFound once it is gone."""
    if not (len(digest) == 64 and set(digest) <= set("0123456789abcdef")):
        raise NotFound("there is no such file")
    there = workshop.folder / KEPT_IN / digest
    if not there.is_file():
        raise NotFound("this file is not kept any more; bring it again")
    return there


def _room_of(program: Program) -> int:
    """What share of the memory for files one takes: by its moves, and no more than all."""
    return min(max(len(program), MOST_MOVES // MOST_READ), MOST_MOVES)


@cached(
    LRUCache(MOST_MOVES, getsizeof=_room_of),
    key=lambda digest, held, _: (digest, held.dialect),
    condition=Condition(),
)
def _program(digest: str, held: Against, fetch: Callable[[], bytes]) -> Program:
    """A file as columns, read once for as long as it is looked at."""
    del digest
    return held.read(fetch())


def look(workshop: Workshop, digest: str, profile_id: int | None = None, dialect: str = "") -> AnalysedFile:
    """What a file that was brought will do, against a profile if one is given, its words understood by a dialect if one
    is chosen. NotFound once it is gone.
    """
    return look_against(workshop, digest, replace(against(workshop, profile_id), dialect=dialect))


def look_against(workshop: Workshop, digest: str, held: Against) -> AnalysedFile:
    """The same, against what is given."""
    return _looked(digest, held, kept(workshop, digest))


@cached(
    LRUCache(MOST_MOVES, getsizeof=lambda looked: _room_of(looked.case.program)),
    key=lambda digest, held, _: (digest, repr(held)), condition=Condition(),
)  # fmt: skip
def _looked(digest: str, held: Against, there: Path) -> AnalysedFile:
    case, found = held.look(_program(digest, held, there.read_bytes))
    priced = (held.material.cost(found.grams), held.material.currency) if held.material else ()
    return AnalysedFile(digest, there.stat().st_size, found, case, case.numbers.get("max_flow_mm3_s"), *priced)


def against(workshop: Workshop, profile_id: int | None) -> Against:
    """What a file is held against. InvalidInput for a profile of resin."""
    if profile_id is None:
        return Against()
    with workshop.reading() as session:
        context = context_of(get_row(session, profile_id))
    if not (isinstance(context.printer, Printer) and isinstance(context.material, Material)):
        raise InvalidInput("profile", "is one of a resin; G-code is held against one of a filament")
    return Against(context.printer, context.material, context.profile.numbers())


@dataclass(frozen=True)
class FileComparison:
    """Two files beside each other; the texts are of the lines in which they part, empty where a file has none."""

    first: AnalysedFile
    second: AnalysedFile
    pairs: list[Pair]
    parting: Parting | None
    first_text: str = ""
    second_text: str = ""


def beside(workshop: Workshop, digest: str, other: str, profile_id: int | None = None) -> FileComparison:
    """Two files that were brought, beside each other. NotFound once either is gone."""
    first, second = (look(workshop, d, profile_id) for d in (digest, other))
    part = parting(first.case, second.case)
    texts = ("", "")
    if part:
        texts = _text(workshop, digest, part.first_line), _text(workshop, other, part.second_line)
    return FileComparison(first, second, pairs((first.case, first.found), (second.case, second.found)), part, *texts)


def _text(workshop: Workshop, digest: str, line: int) -> str:
    if not line:
        return ""
    # However its lines end.
    with (workshop.folder / KEPT_IN / digest).open(encoding="utf-8", errors="replace") as file:
        return next(itertools.islice(file, line - 1, line), "").strip()[:120]


@dataclass(frozen=True, slots=True)
class Track:
    """One quantity along a file: `x` in minutes or mm, `y` in `unit`; `limit` where there is one."""

    name: str
    unit: str
    x: Floats
    y: Floats
    limit: float | None = None


def tracks(
    looked: AnalysedFile, along: str = "time", low: float | None = None, high: float | None = None
) -> list[Track]:
    """Temperature, fan, flow and speed along time (minutes) or height (mm) of a stretch, thinned so that peaks stay."""
    by = {"time": _by_time, "height": _by_height}.get(along, _by_time)
    found = []
    for track in by(looked):
        inside = np.ones(len(track.x), dtype=bool)
        if low is not None:
            inside &= track.x >= low
        if high is not None:
            inside &= track.x <= high
        x, y = thinned(track.x[inside], track.y[inside], POINTS)
        found.append(replace(track, x=x, y=y))
    return found


def _by_time(looked: AnalysedFile) -> list[Track]:
    case = looked.case
    minutes = case.found.ends_s / 60
    speed = np.asarray(np.where(case.found.laid, case.found.speed, 0.0), np.float64)
    return [
        Track("Nozzle", "°C", minutes, case.program.nozzle_c),
        Track("Fan", "%", minutes, np.multiply(case.program.fan, 100.0)),
        Track("Flow", "mm³/s", minutes, np.asarray(case.found.flow, np.float64), looked.limit_mm3_s),
        Track("Speed", "mm/s", minutes, speed),
        *_that_vary(case, minutes),
    ]


def _that_vary(case: FileAnalysis, minutes: Floats) -> Iterator[Track]:
    """What is shown only where it changes while roads are laid."""
    for name, unit, values in (
        ("Bed", "°C", case.program.bed_c), ("Pressure advance", "s", case.program.pressure_advance)
    ):  # fmt: skip
        if len(np.unique(values[case.found.laid])) > 1:
            yield Track(name, unit, minutes, values)


def _by_height(looked: AnalysedFile) -> list[Track]:
    """By layer: means over the time of its roads; of flow the most."""
    case, laid = looked.case, looked.case.found.laid
    layer, seconds, tops = case.found.layer[laid], case.found.seconds[laid], case.found.tops
    total = np.maximum(np.bincount(layer, seconds, len(tops)), 1e-9)

    def mean(values: Floats) -> Floats:
        return np.bincount(layer, values[laid] * seconds, len(tops)) / total

    most = np.zeros(len(tops))
    np.maximum.at(most, layer, case.found.flow[laid])
    return [
        Track("Nozzle", "°C", tops, mean(case.program.nozzle_c)),
        Track("Fan", "%", tops, mean(case.program.fan * 100)),
        Track("Flow, most", "mm³/s", tops, most, looked.limit_mm3_s),
        Track("Speed", "mm/s", tops, mean(case.found.speed)),
    ]


def flow_shares(looked: AnalysedFile, bars: int = 24) -> tuple[Floats, Floats]:
    """How long which flow is asked for: (edges (bars + 1,), minutes (len(ROADS), bars) by role)."""
    case, minutes = looked.case, []
    most = max(float(looked.found.flow_high) * 1.15, 1.1 * (looked.limit_mm3_s or 0.0), 1.0)
    for role in ROADS:
        rows = np.flatnonzero(case.role == role)
        # What is above the last bar stands in it.
        flow = np.minimum(case.found.flow[rows], np.float32(most * 0.999))
        minutes.append(np.histogram(flow, bars, (0, most), weights=case.found.seconds[rows] / 60)[0])
    return np.linspace(0, most, bars + 1), np.array(minutes)


COLUMNS: dict[str, Callable[[FileAnalysis], NDArray[Any]]] = {
    "flow": lambda case: case.found.flow,
    "speed": lambda case: case.found.speed,
    "width": lambda case: case.found.width,
    "nozzle": lambda case: case.program.nozzle_c,
    "fan": lambda case: np.multiply(case.program.fan, 100.0),
    "role": lambda case: case.role,
    "tool": lambda case: case.program.tool,
}
"""What lines can be coloured by."""


def elevation_of(looked: AnalysedFile, side: str, by: str) -> dict[str, Any]:
    """The print from one side, to draw, coloured by one of `COLUMNS`. NotFound for no such side or colour."""
    if side not in {FRONT, SIDE} or by not in COLUMNS:
        raise NotFound(f"there is no {side} by {by}")
    seen = elevation(looked.case, COLUMNS[by](looked.case), side, named=by in NAMED)
    rows, columns = seen.shades.shape
    return {
        "side": side, "by": by, "rows": rows, "columns": columns, "left": round(seen.left, 3),
        "right": round(seen.right, 3), "low": round(seen.low, 3), "high": round(seen.high, 3),
        "bottoms": seen.bottoms.round(3).tolist(), "tops": seen.tops.round(3).tolist(),
        "first": (seen.first + 1).tolist(), "named": by in NAMED,
        "shades": b64encode(seen.shades.tobytes()).decode(), "marks": b64encode(seen.marks.tobytes()).decode(),
    }  # fmt: skip


def layer_columns(looked: AnalysedFile, number: int) -> dict[str, Any]:
    """One layer to draw, counted from 1: by move where it begins and ends, mm, its line, whether it lays a road, width,
    mm, flow, speed, nozzle, role; `left_out` is how many moves of a huge layer are not in it. NotFound for no such one.
    """
    case = looked.case
    if not 1 <= number <= case.found.layers:
        raise NotFound(f"there is no layer {number}; there are {case.found.layers}")
    rows = np.flatnonzero(case.found.layer == number - 1)
    rows = rows[rows > 0]
    left_out = max(len(rows) - MOST_DRAWN, 0)
    rows = rows[:MOST_DRAWN]
    before = rows - 1

    def column(values: Any, digits: int) -> list[float]:
        return [float(value) for value in np.round(np.asarray(values, dtype=float), digits)]

    return {
        "layer": number, "layers": case.found.layers, "top": round(float(case.found.tops[number - 1]), 3),
        "left_out": left_out,
        "x0": column(case.program.x[before], 2), "y0": column(case.program.y[before], 2),
        "x1": column(case.program.x[rows], 2), "y1": column(case.program.y[rows], 2),
        "line": case.program.line[rows].tolist(), "laid": case.found.laid[rows].astype(int).tolist(),
        "width": column(case.found.width[rows], 3), "flow": column(case.found.flow[rows], 2),
        "speed": column(case.found.speed[rows], 1), "nozzle": column(case.program.nozzle_c[rows], 0),
        "fan": column(case.program.fan[rows] * 100, 0), "tool": case.program.tool[rows].tolist(),
        "role": case.role[rows].tolist(),
    }  # fmt: skip
