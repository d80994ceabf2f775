"""Eight makers at once: planning, scoring, editing, adopting, reading, through the real server in its own process.

Every answer must be a good one, and at the end every maker's last word must stand in the database.
"""

from __future__ import annotations

import http.client
import os
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from random import Random
from urllib.parse import urlencode

from drumbo.core.printer import Printer
from drumbo.services import profiles, trials, workshop
from drumbo.store.database import Workshop

MAKERS, SECONDS, THINKS_S = 8, 60.0, 0.4
"""A maker who presses keys as fast as the eye goes from step to step does so some twice a second."""
KEYS = ("nozzle_c", "flow_ratio", "fan_percent")


@dataclass
class Maker:
    """One of them: an own profile and a printed trial of it; what was answered how fast, and what was said last."""

    profile: int
    trial: int
    steps: int
    aspects: tuple[str, ...]
    times: list[float] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)
    scored: dict[tuple[str, int], int] = field(default_factory=dict)
    values: dict[str, str] = field(default_factory=dict)


def _filled(folder: Path) -> list[Maker]:
    house = Workshop(folder)
    printer = workshop.save_printer(house, vars_of(Printer("Petrel One")))
    makers = []
    for k in range(MAKERS):
        label = {"family": "pla", "maker": "Maker", "product": f"Spool {k}", "colour": "grey", "colour_hex": "#808080",
                 "nozzle_low_c": "200", "nozzle_high_c": "220", "diameter_mm": "1.75", "density_g_cm3": "1.24",
                 "currency": "€"}  # fmt: skip
        profile = profiles.create(house, workshop.save_material(house, label), printer, f"profile {k}")
        trial = trials.create(house, profile, "temperature", trials.draft(house, profile, "temperature").plan)
        trials.printed_by_hand(house, trial)
        sheet = trials.sheet(house, trial)
        makers.append(Maker(profile, trial, len(sheet.steps), tuple(a.key for a in sheet.to_read.aspects)))
    house.close()
    return makers


def vars_of(printer: Printer) -> dict[str, str | float | None]:
    """A printer as a form would have it."""
    return {name: getattr(printer, name) for name in printer.__dataclass_fields__}


class _Browser:
    """A connection that is kept, with its cookie and token."""

    def __init__(self, port: int, maker: Maker) -> None:
        self._line = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        self._maker = maker
        self._headers: dict[str, str] = {}
        page = self.ask("GET", "/")
        token = re.search(r'X-CSRFToken": "([^"]+)"', page)
        self._headers["X-CSRFToken"] = token[1] if token else ""
        self._headers["Content-Type"] = "application/x-www-form-urlencoded"

    def ask(self, method: str, path: str, form: dict[str, str] | None = None, *, may_refuse: bool = False) -> str:
        begun = time.perf_counter()
        self._line.request(method, path, urlencode(form) if form is not None else None, self._headers)
        answer = self._line.getresponse()
        text = answer.read().decode()
        self._maker.times.append(time.perf_counter() - begun)
        if answer.status >= 400 and not (may_refuse and answer.status in {409, 422}):
            self._maker.errors.append(f"{method} {path}: {answer.status}")
        cookie = answer.headers.get("Set-Cookie")
        if cookie:
            self._headers["Cookie"] = cookie.partition(";")[0]
        return text


def _work(port: int, maker: Maker, until: float, rng: Random) -> None:
    browser = _Browser(port, maker)

    def score() -> None:
        aspect, step, score = rng.choice(maker.aspects), rng.randrange(maker.steps), rng.randrange(5)
        browser.ask("POST", f"/trials/{maker.trial}/score", {"aspect": aspect, "step": str(step), "score": str(score)})
        maker.scored[aspect, step] = score

    def edit() -> None:
        key = rng.choice(KEYS)
        number = {"nozzle_c": rng.randint(200, 220), "flow_ratio": rng.randint(90, 105) / 100}.get(
            key, rng.randint(10, 90)
        )
        browser.ask("POST", f"/profiles/{maker.profile}/values/{key}", {"number": f"{number:g}"})
        maker.values[key] = f"{number:g}"

    def plan() -> None:
        browser.ask(
            "POST", f"/profiles/{maker.profile}/trials/new/temperature/look", {"hot_c": str(rng.randint(216, 240))}
        )

    def read() -> None:
        browser.ask("GET", rng.choice(("/", "/profiles/", f"/profiles/{maker.profile}", f"/trials/{maker.trial}/read")))

    ways: list[Callable[[], None]] = [score, score, score, edit, plan, read, read]
    while time.monotonic() < until:
        rng.choice(ways)()
        time.sleep(rng.uniform(0, 2 * THINKS_S))
    # All adopt at once; what was scored may be too little of a result for that, and is told so.
    browser.ask("POST", f"/trials/{maker.trial}/adopt", {}, may_refuse=True)


def _lost(folder: Path, makers: list[Maker]) -> int:
    """What somebody said last and does not stand."""
    house = Workshop(folder)
    lost = 0
    for maker in makers:
        readings = trials.sheet(house, maker.trial).readings
        lost += sum(readings.score(aspect, step) != score for (aspect, step), score in maker.scored.items())
        held = profiles.sheet(house, maker.profile).profile
        adopted = {key for key, value in held.values.items() if value.origin.trial == maker.trial}
        lost += sum(f"{held.number(key):g}" != said for key, said in maker.values.items() if key not in adopted)
    house.close()
    return lost


def eight_clients(seconds: float = SECONDS) -> tuple[float, int, list[str], int]:
    """(95th percentile of an answer, ms; answers; errors; words lost) of eight makers for so long."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "data"
        makers = _filled(folder)
        command = [sys.executable, "-m", "drumbo", "--data", str(folder), "serve", "--port", "0"]
        own = {"NUMBA_CACHE_DIR": str(Path(__file__).parents[1] / ".cache" / "numba")}
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, **own}) as server:
            assert server.stdout is not None
            found = re.search(r":(\d+)/", server.stdout.readline())
            assert found is not None, "the server did not start"
            port, until = int(found[1]), time.monotonic() + seconds
            crowd = [threading.Thread(target=_work, args=(port, m, until, Random(k))) for k, m in enumerate(makers)]
            for each in crowd:
                each.start()
            for each in crowd:
                each.join()
            server.terminate()
        times = [second for maker in makers for second in maker.times]
        errors = [error for maker in makers for error in maker.errors]
        return 1000 * statistics.quantiles(times, n=20)[-1], len(times), errors, _lost(folder, makers)


def eight_clients_p95_ms() -> tuple[float, str]:
    """The 95th percentile of an answer while eight makers work; ends with an error where one went wrong or got lost."""
    p95, _, errors, lost = eight_clients()
    if errors or lost:
        raise AssertionError(f"{len(errors)} errors ({errors[:3]}), {lost} words lost")
    return p95, "ms"


if __name__ == "__main__":
    print(eight_clients(float(sys.argv[1]) if len(sys.argv) > 1 else SECONDS))
