"""Prints over lines that go wrong, on a strict printer: does the sender ever hang, die, send a wrong line, give up
where it need not, or leave a printer hot?

    bench/faults.py --seed S --runs N [--json]

Runs are drawn from the seed: a firmware's manners, noise on the line, none to three faults, sometimes a stop, sometimes
a pause in the middle with somebody who has it go on. The first ones are each fault by itself on each kind of firmware
in turn. Every count but `runs` and `prints_done` must be 0.
"""

from __future__ import annotations

import contextlib
import json
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path
from random import Random
from threading import Thread

import click

from drumbo.core.errors import NotNow
from drumbo.links.journal import JournalEntry, last_entry
from drumbo.links.modal import Modal
from drumbo.links.resting import Resting
from drumbo.links.runs import GO_ON, PRINT, STOP, RunOrder, Runs
from drumbo.standins.line.manners import FAULTS, Cable, Manners
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter

FIRMWARE = {
    "roomy": Manners(ok="ok P0 B{room}"),
    "plain": Manners(greets=False),
    "plain, flushing": Manners(flushes=True, receives=128),
    "small buffer": Manners(receives=128, emergency=False),
    "told by number": Manners(ok="ok N{number} P15 B3", wait_every_s=0.5),
    "no ok after a request": Manners(ok_after_resend=False, flushes=True),
    "short words": Manners(resend="rs N{number}", says_error=False, busy_words=False),
    "repeats itself": Manners(repeats_resend=3, nuls=True),
    "glued": Manners(glued=True, ok="ok P15 B3"),
    "in pieces": Manners(pieces=True),
    "reports apart": Manners(splits_reports=True),
    "starts when opened": Manners(boots_s=0.3),
    "reports by itself": Manners(reports_s=0.3, ok="ok P0 B{room}"),
}
RECOVERABLE = frozenset({
    "drop-byte", "soft-error", "run-out", "pause", "prompt", "busy", "lost-ok", "doubled-ok", "garbled-ok",
    "resend-ahead", "resend-old", "resend-digits", "resend-often",
})  # fmt: skip
DEAD = frozenset({"stall"})
CLOSING = frozenset({"M107", "M104 S0", "M140 S0", "M400"})
TIMING = {"hello_s": 3.0, "probe_s": 0.4, "silence_s": 4.0, "slow_s": 20.0, "answer_s": 1.5, "reopen_s": 4.0}
LONGEST_S = 75.0
AT_ONCE = 8
RESTING = Resting(aside=(5.0, 215.0))


@dataclass(frozen=True)
class Case:
    """One run: what is drawn."""

    number: int
    firmware: str
    noise: int
    faults: dict[str, float]
    stop_after_s: float | None
    lines: int
    rest: int | None = None
    """Which line of the file it rests before."""


@dataclass
class Outcome:
    """What came of it."""

    case: Case
    entry: JournalEntry | None
    seconds: float
    problems: list[str] = field(default_factory=list)


def cases(seed: int, runs: int) -> list[Case]:
    """The runs of a seed: each fault alone first."""
    random = Random(seed)
    names = list(FIRMWARE)
    found = []
    for number in range(runs):
        single = list(FAULTS)[number] if number < len(FAULTS) else None
        lines = random.randrange(150, 500)
        chosen = [single] if single else random.sample(list(FAULTS), random.choice((0, 1, 3, 3)))
        noise = 0 if single else random.choice((0, 0, 250, 50))
        stop = None if single or random.randrange(6) else random.uniform(0.2, 2.5)
        faults = {name: float(random.randrange(3, lines)) for name in chosen}
        rest = None if single or random.randrange(3) else random.randrange(12, lines)
        found.append(Case(number, names[number % len(names)], noise, faults, stop, lines, rest))
    return found


def file_lines(count: int) -> list[str]:
    """A small print: it heats, moves and switches off."""
    moves = [f"G1 X{i % 200} Y{i % 7} E0.05" for i in range(count)]
    begin = ["G28", "M140 S60", "M104 S210", "M190 S60", "M109 S210", "M83", "G1 X0 Y0 Z0.2 F3000"]
    return [*begin, *moves, "M104 S0", "M140 S0"]


def with_rest(lines: list[str], rest: int | None) -> list[str]:
    """What a printer gets of a file that rests before one of its lines, counted from 1."""
    if rest is None:
        return lines
    at = Modal()
    at.follow(lines[: rest - 1])
    return [*lines[: rest - 1], *RESTING.away(at), *RESTING.back(at), *lines[rest - 1 :]]


def run(case: Case, seed: int, folder: Path) -> Outcome:
    """One print, and everything that is wrong with how it went."""
    manners = FIRMWARE[case.firmware]
    printer = StrictPrinter(line_s=0.002, heat_s=0.4, manners=manners)
    server = LineServer(printer, cable=Cable(seed * 1009 + case.number, case.noise))
    server.start()
    printer.faults.update(case.faults)
    lines = file_lines(case.lines)
    file = folder / f"{case.number}.gcode"
    file.write_text("\n".join(lines) + "\n")
    runs = Runs(folder)
    began = time.monotonic()
    rests = () if case.rest is None else (case.rest,)
    order = RunOrder(PRINT, server.link, file=str(file), timing=TIMING, rests=rests, resting=asdict(RESTING))
    name = runs.begin(order, f"run-{case.number:05}")
    if case.rest is not None:
        Thread(target=_go_on, args=(runs, name), daemon=True).start()
    if case.stop_after_s is not None:
        time.sleep(case.stop_after_s)
        if runs.alive(name):
            runs.order(name, STOP)
    entry = runs.wait(name, LONGEST_S)
    outcome = Outcome(case, entry, time.monotonic() - began)
    asked = with_rest(lines, case.rest)
    outcome.problems = problems_of(case, entry, printer, asked, (runs.folder(name) / "log").read_text())
    server.close()
    return outcome


def _go_on(runs: Runs, name: str) -> None:
    """Somebody who comes by when it pauses."""
    until = time.monotonic() + LONGEST_S
    while time.monotonic() < until and runs.at_work(name):
        entry = last_entry(runs.folder(name))
        if entry is not None and "as planned" in entry.message:
            time.sleep(0.3)
            with contextlib.suppress(NotNow):
                runs.order(name, GO_ON)
            return
        time.sleep(0.05)


def problems_of(
    case: Case, entry: JournalEntry | None, printer: StrictPrinter, lines: list[str], log: str
) -> list[str]:
    """What must never be."""
    if entry is None:
        return ["hangs"]
    found = []
    if entry.running or not entry.heaters or "Drumbo itself failed" in entry.message or "Traceback" in log:
        found.append("deaths")
    if entry.heaters == "off" and printer.hot:
        found.append("off_said_but_hot")
    for accepted in [*printer.before_reset, printer.accepted]:
        same = next((i for i, (a, b) in enumerate(zip(accepted, lines, strict=False)) if a != b), len(accepted))
        fresh = accepted is printer.accepted and any(printer.before_reset)
        if any(line not in CLOSING for line in accepted[min(same, len(lines)) :]) or (fresh and same > 0):
            found.append("wrong_or_doubled_lines")
    if any(line.startswith("G") or "S2" in line for line in printer.odd):
        found.append("wrong_or_doubled_lines")
    ends = case.stop_after_s is not None or not set(case.faults) <= RECOVERABLE
    if not ends and (entry.state != "done" or printer.accepted[: len(lines)] != lines):
        found.append("ended_by_recoverable_faults")
    if entry.state == "done" and printer.accepted[: len(lines)] != lines:
        found.append("done_but_not_all")
    if printer.hot and not DEAD & set(case.faults):
        found.append("hot_on_a_living_line")
    return sorted(set(found))


COUNTS = (
    "hangs", "deaths", "wrong_or_doubled_lines", "ended_by_recoverable_faults", "hot_on_a_living_line",
    "off_said_but_hot", "done_but_not_all",
)  # fmt: skip


def run_all(seed: int, drawn: list[Case]) -> list[Outcome]:
    """All of them, several at once."""
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(AT_ONCE) as pool:
        return list(pool.map(lambda case: run(case, seed, Path(folder)), drawn))


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--runs", default=300, show_default=True)
@click.option("--only", default=-1, help="Just the run of that number.")
@click.option("--json", "as_json", is_flag=True)
def main(seed: int, runs: int, only: int, as_json: bool) -> None:
    """Prints over lines that go wrong."""
    drawn = [case for case in cases(seed, runs) if only in {-1, case.number}]
    outcomes = run_all(seed, drawn)
    counts = Counter(problem for outcome in outcomes for problem in outcome.problems)
    told: dict[str, float] = {"runs": len(outcomes), **{name: counts[name] for name in COUNTS}}
    states = Counter(f"{o.entry.state}, {o.entry.heaters}" if o.entry else "hangs" for o in outcomes)
    told["prints_done"] = sum(o.entry is not None and o.entry.state == "done" for o in outcomes)
    told["slowest_s"] = round(max(outcome.seconds for outcome in outcomes), 1)
    if as_json:
        print(json.dumps({**told, "ends": dict(states)}, indent=2))
    else:
        for name, count in {**told, **dict(sorted(states.items()))}.items():
            print(f"{name:30} {count}")
    for outcome in outcomes:
        entry = outcome.entry
        untold = entry is not None and entry.heaters == "told" and "stopped itself" not in entry.message
        if outcome.problems or only >= 0 or (untold and not as_json):
            print(outcome.problems, outcome.case, outcome.entry, f"{outcome.seconds:.1f} s", flush=True)
    if counts:
        raise SystemExit(1)


if __name__ == "__main__":
    main()
