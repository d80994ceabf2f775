"""A print while it goes on: which step is being made, how it stands in its file, and how long the rest takes.

Asked every second by each page that looks on, so it reads one row and the end of a journal; what its file comes to is
worked out once.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from threading import Condition
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy.orm import Session

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.gcode.against import Against
from drumbo.core.gcode.course import Course, Spot, course
from drumbo.core.gcode.inspect import analyse
from drumbo.core.run import RunState
from drumbo.links.journal import LONGEST, JournalEntry, entries
from drumbo.links.runs import Runs
from drumbo.services.convert import filament_context, trial_of
from drumbo.services.jobs import facts_of_file, mates_of, newest_print
from drumbo.services.trials import Run, get_trial, run_of
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow
from drumbo.trials.plate import turns
from drumbo.trials.trial import Trial

KEPT = 6
PACE_BYTES, STRIP_BYTES = 20 * LONGEST, 60 * LONGEST
"""How much of a journal's end is read: some four minutes to learn the pace from, ten or more for temperatures."""
STRIP_S = 600.0
TELLS_S = 20.0
"""So much of the plan must be done before the pace of a print is believed, s."""


@dataclass(frozen=True)
class FileCourse:
    """What does not change: the file's course, and what the steps of the piece are called; where its middle is on the
    bed, mm; and of several pieces in one file the lines with which it goes on with another, and which turn that has.
    """

    course: Course
    labels: tuple[str, ...]
    middle: tuple[float, float]
    pieces: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class PiecesNow:
    """Of several pieces in one job, by their turns from 1 on: which is being made, 0 before the first; which are done;
    and which are not begun. Layer by layer several are neither.
    """

    turn: int
    printed: tuple[int, ...]
    to_come: tuple[int, ...]


def pieces_at(begins: Sequence[tuple[int, int]], line: int) -> PiecesNow:
    """How pieces stand at a line of their file, which goes on with another at the lines that `begins` has with turns.

    >>> pieces_at([(10, 1), (20, 2), (30, 1), (40, 2), (50, 2)], 35)
    PiecesNow(turn=1, printed=(), to_come=())
    >>> pieces_at([(10, 1), (20, 2), (30, 1), (40, 2)], 40)
    PiecesNow(turn=2, printed=(1,), to_come=())
    """
    passed = sum(begin <= line for begin, _ in begins)
    order = [turn for _, turn in begins]
    seen, now = set(order[:passed]), order[passed - 1] if passed else 0
    left = {now, *order[passed:]}
    return PiecesNow(now, tuple(sorted(seen - left)), tuple(sorted(set(order) - seen)))


@dataclass(frozen=True, slots=True)
class Live:
    """A print that goes on. `spot` and labels are None for a process without G-code; `line` is the one of the file that
    was taken last; `left_s` and `next_in_s` are in seconds of the clock; `box` is what the piece takes up, left, front,
    right and back of the middle of the bed, mm. Of several pieces in one job `pieces` says which are done and which are
    being made; None where there is but one.
    """

    run: Run
    spot: Spot | None
    line: int
    layers: int
    left_s: float
    step: str | None = None
    next_step: str | None = None
    next_in_s: float = 0.0
    box: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    pieces: PiecesNow | None = None

    @property
    def share(self) -> float:
        """How much of the print is done, by time where that is known."""
        if self.spot is None or not self.spot.total_s:
            return self.run.share
        return self.spot.done_s / self.spot.total_s


@dataclass(frozen=True, slots=True)
class Heat:
    """Temperatures at a moment, s since the print began, °C; None for what is not told."""

    at_s: float
    nozzle: float
    nozzle_target: float | None
    bed: float | None
    bed_target: float | None


def live(workshop: Workshop, trial_id: int) -> Live | None:
    """How the trial's print stands; None where none goes on. NotFound where there is no such trial."""
    with workshop.reading() as session:
        row, digest, planned_s = _row(session, trial_id)
        if row is None:
            return None
        run = run_of(row, workshop)
        if not run.running:
            return None
        way = way_of(workshop, session, trial_id, digest) if _has_course(row) else None
        name = row.run
    if way is None:
        return Live(run, None, 0, 0, run.left_s(planned_s))
    told = entries(Runs(workshop.folder).folder(name), PACE_BYTES) if name else []
    line = told[-1].line if told else 0
    spot = way.course.at(line)
    pace = pace_of(told, way.course)
    step, after = (None if k is None else way.labels[k] for k in (spot.step, spot.next_step))
    left_s = max(spot.total_s - spot.done_s, 0.0) * pace
    (x0, y0, x1, y1), (x, y) = way.course.box, way.middle
    box = (x0 - x, y0 - y, x1 - x, y1 - y)
    pieces = pieces_at(way.pieces, line) if way.pieces else None
    return Live(run, spot, line, way.course.layers, left_s, step, after, spot.next_in_s * pace, box, pieces)


def layer_lines(workshop: Workshop, trial_id: int, number: int) -> dict[str, Any]:
    """A layer of the trial's file to draw, counted from 1, in hundredths of a mm from the middle of the bed. NotFound
    for no such layer.
    """
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        if row.profile.printer.spec.get("process", FILAMENT) != FILAMENT:
            raise NotFound("this trial's file has no lines")
        way = way_of(workshop, session, trial_id, row.file_digest)
    if not 1 <= number <= way.course.layers:
        raise NotFound(f"there is no layer {number}; there are {way.course.layers}")
    found: dict[str, Any] = way.course.layer_lines(number - 1)
    middle_x, middle_y = (round(at * 100) for at in way.middle)
    found["x"] = [x - middle_x for x in found["x"]]
    found["y"] = [y - middle_y for y in found["y"]]
    return {"layer": number, "top": round(float(way.course.tops[number - 1]), 2), **found}


@dataclass(frozen=True, slots=True)
class Touched:
    """Speed and flow that were changed in the middle of a print, %, and from which step on (None for a piece that has
    none).
    """

    speed: float
    flow: float
    step: str | None


def touched(workshop: Workshop, trial_id: int) -> tuple[Touched, ...]:
    """What somebody changed while the trial's last finished print went on: the steps from there on do not tell what it
    is for. What was changed after the last step spoils none.
    """
    with workshop.reading() as session:
        row = newest_print(session, trial_id)
        if row is None or not row.factors:
            return ()
        changes = [(int(line), float(speed), float(flow)) for line, speed, flow in row.factors]
        way = way_of(workshop, session, trial_id, get_trial(session, trial_id).file_digest)
    found = []
    for line, speed, flow in changes:
        step = way.course.step_after(line)
        if step is not None or not way.labels:
            found.append(Touched(speed, flow, None if step is None else way.labels[step]))
    return tuple(found)


def pauses_of(workshop: Workshop, trial_id: int, asked: Sequence[int] = ()) -> list[int]:
    """Layers before which a trial's print rests, from 1 on: its kind's, and those that somebody asked for."""
    with workshop.reading() as session:
        trial = trial_of(get_trial(session, trial_id))
    return sorted({*trial.kind.pauses(trial.plan, trial.context), *asked})


def layer_begins(workshop: Workshop, trial_id: int, layers: Sequence[int]) -> list[int]:
    """The lines of the trial's file with which layers begin, counted from 1. InvalidInput names the one that is not."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        if row.profile.printer.spec.get("process", FILAMENT) != FILAMENT:
            raise InvalidInput(
                "pause_layer", "a pause can be planned only in G-code: this printer takes a whole package"
            )
        way = way_of(workshop, session, trial_id, row.file_digest).course
    for layer in layers:
        if not 2 <= layer <= way.layers:
            raise InvalidInput(
                "pause_layer", f"the layer to pause before must lie between 2 and {way.layers}, the last one"
            )
    return [way.begins(layer - 1) for layer in layers]


def temperatures(workshop: Workshop, run_name: str) -> list[Heat]:
    """The last ten minutes of a print."""
    told = [e for e in entries(Runs(workshop.folder).folder(run_name), STRIP_BYTES) if _has_heat(e)]
    since = told[-1].elapsed_s - STRIP_S if told else 0.0
    return [_heat(e) for e in told if e.elapsed_s >= since]


def _has_heat(entry: JournalEntry) -> bool:
    return bool(entry.heat) and "nozzle_c" in (entry.heat or {})


def _heat(entry: JournalEntry) -> Heat:
    heat = entry.heat or {}
    return Heat(
        entry.elapsed_s, float(heat["nozzle_c"]), heat.get("nozzle_target_c"), heat.get("bed_c"),
        heat.get("bed_target_c"),
    )  # fmt: skip


def _row(session: Session, trial_id: int) -> tuple[PrintRow | None, str, float]:
    """The trial's newest print, the digest of its file, and how long that takes, s."""
    row = newest_print(session, trial_id)
    if row is None:
        get_trial(session, trial_id)
        return None, "", 0.0
    return row, row.trial.file_digest, float(facts_of_file(row.trial)["seconds"])


def _has_course(row: PrintRow) -> bool:
    return bool(row.printer.spec.get("process", FILAMENT) == FILAMENT)


def way_of(workshop: Workshop, session: Session, trial_id: int, digest: str) -> FileCourse:
    """What a trial's file comes to; kept for the files looked at last."""
    return _way((digest, trial_id), lambda: _trials(session, trial_id), lambda: workshop.files.get(digest))


def _trials(session: Session, trial_id: int) -> list[Trial]:
    """What the trial's file prints, itself first."""
    row = get_trial(session, trial_id)
    return [trial_of(mate) for mate in sorted(mates_of(row), key=lambda mate: (mate.id != trial_id, mate.id))]


@cached(LRUCache(KEPT), key=lambda which, _trials, _file: which, condition=Condition())
def _way(
    which: tuple[str, int], fetch_trials: Callable[[], list[Trial]], fetch_file: Callable[[], bytes]
) -> FileCourse:
    del which
    trials = fetch_trials()
    context = filament_context(trials[0].context)
    held = Against(context.printer, context.material, context.profile.numbers())
    file = fetch_file()
    case = analyse(held.read(file), printer=context.printer, filament_mm=held.filament_mm)
    boxes, labels = [], []
    for trial in trials:
        x, y = trial.stands.middle
        of = "" if trial is trials[0] else f" of {trial.kind.title.lower()}"
        for p in sorted(trial.piece.places, key=lambda place: place.index):
            boxes.append(((p.low[0] + x, p.low[1] + y, p.low[2]), (p.high[0] + x, p.high[1] + y, p.high[2])))
            labels.append(f"{p.label} {trial.kind.unit}".strip() + of)
    x, y = trials[0].stands.middle
    pieces = tuple(turns(file.decode().split("\n"))) if len(trials) > 1 else ()
    return FileCourse(course(case, boxes), tuple(labels), (float(x), float(y)), pieces)


def pace_of(told: Sequence[JournalEntry], way: Course) -> float:
    """Seconds of the clock that a second of the plan takes, by the last minutes of this print; 1 while too little was
    printed to tell. Waiting for somebody does not count.
    """
    printing = [e for e in told if e.state in {RunState.SENDING, RunState.PAUSED} and way.at(e.line).begun]
    if len(printing) < 2:
        return 1.0
    planned = way.planned_s(printing[-1].line) - way.planned_s(printing[0].line)
    if planned < TELLS_S:
        return 1.0
    passed = sum(b.elapsed_s - a.elapsed_s for a, b in pairwise(printing) if RunState.PAUSED not in {a.state, b.state})
    return passed / planned if passed > 0 else 1.0
