"""A resin printer over HTTP that somebody else made: whatever it answers, its print is followed in words, and nothing
is told as over that it did not say itself.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, cast

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.run import Heaters, RunState
from drumbo.links import package
from drumbo.links.journal import Journal, JournalEntry, last_entry
from drumbo.links.package import AT_REST, GOES_ON, LONGEST_SAID, LONGEST_WORD, Progress, print_package
from drumbo.links.runs import PRINT, RunOrder

LAYERS = 40


@dataclass
class Orders:
    """What somebody tells the print, from a look on."""

    stop_at: int = 10**9
    pause_at: int = 10**9
    resume_at: int = 10**9
    looks: int = 0
    stop: bool = False
    pause: bool = False
    go_on: bool = False

    def look(self) -> None:
        self.looks += 1
        self.stop = self.looks >= self.stop_at
        self.pause, self.go_on = self.looks == self.pause_at, self.looks == self.resume_at

    def done(self, folder: Path) -> None:
        del folder
        self.pause = self.go_on = False


@dataclass
class Foreign:
    """A printer that answers what it was told to, one after the other, the last one again and again."""

    answers: Sequence[bytes]
    refuses: frozenset[str] = frozenset()
    asked: list[str] = field(default_factory=list)
    told: int = 0


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(package, "EACH_S", 0.01)
    monkeypatch.setattr(package, "STOPS_S", 0.6)


def _serve(printer: Foreign) -> ThreadingHTTPServer:
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            answer = printer.answers[min(printer.told, len(printer.answers) - 1)]
            printer.told += 1
            self._say(200, answer)

        def do_POST(self) -> None:
            self.rfile.read(int(self.headers.get("Content-Length") or 0))
            printer.asked.append(self.path)
            refused = self.path in printer.refuses
            self._say(409 if refused else 200, b'{"error": "not now"}' if refused else b"{}")

        def _say(self, code: int, body: bytes) -> None:
            self.send_response(code)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_args: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


@pytest.fixture
def follow(tmp_path: Path, quick: None) -> Iterator[Any]:
    servers: list[ThreadingHTTPServer] = []

    def run(printer: Foreign, orders: Orders | None = None) -> JournalEntry:
        server = _serve(printer)
        servers.append(server)
        folder = tmp_path / f"run-{len(servers)}"
        folder.mkdir()
        file = folder / "print.zip"
        file.write_bytes(b"PK\3\4 anything")
        job = RunOrder(PRINT, f"http://127.0.0.1:{server.server_address[1]}", file=str(file), total=LAYERS,
                       timing={"silence_s": 0.5})  # fmt: skip
        journal = Journal(folder)
        print_package(folder, job, journal, cast("package.Told", orders or Orders()))
        entry = last_entry(folder)
        assert entry is not None, "what is written down can be read"
        return entry

    yield run
    for server in servers:
        server.shutdown()
        server.server_close()


def _said(**facts: Any) -> bytes:
    return json.dumps(facts).encode()


GOING, DONE = _said(state="printing", layer=3, layers=LAYERS, resin_c=24.5), _said(state="done", layer=LAYERS)
DRY = _said(state="failed", layer=7, message="the vat ran dry")


@pytest.mark.parametrize(("answers", "state", "heaters", "says"), [
    ([GOING, DONE], RunState.DONE, Heaters.OFF, ""),
    ([GOING, DRY], RunState.FAILED, Heaters.OFF, "the vat ran dry"),
    ([GOING, _said(state="stopped", layer=7)], RunState.STOPPED, Heaters.OFF, ""),
    ([GOING, _said(state="idle")], RunState.FAILED, Heaters.OFF, "idle and does not say how its print ended"),
    # What is not known is not taken for an end.
    ([GOING, _said(state="peeling"), GOING, _said(state=""), _said(state=None), DONE], RunState.DONE, Heaters.OFF, ""),
    ([b'{"layer": 1e400}', b'{"layer": "many"}', b'{"layer": [3]}', DONE], RunState.DONE, Heaters.OFF, ""),
    ([b"{}", _said(state="printing", resin_c="warm"), _said(resin_c={}), DONE], RunState.DONE, Heaters.OFF, ""),
    # What is no answer is none: past some patience the link is said to be gone.
    ([GOING, b"no json"], RunState.LOST, Heaters.GONE, "The link broke"),
    ([GOING, b"[1, 2]"], RunState.LOST, Heaters.GONE, "The link broke"),
])  # fmt: skip
def test_a_print_is_followed_to_the_end_that_the_printer_tells(
    follow: Any, answers: list[bytes], state: RunState, heaters: Heaters, says: str
) -> None:
    entry = follow(Foreign(answers))
    assert (entry.state, entry.heaters) == (state, heaters)
    assert says in entry.message
    if state is RunState.DONE:
        assert entry.sent == LAYERS


def test_a_word_that_nobody_knows_is_told_and_waited_out(follow: Any) -> None:
    printer = Foreign([_said(state="peeling", layer=5), *[_said(state="peeling", layer=6)] * 20, DONE])
    entry = follow(printer)
    assert entry.state is RunState.DONE
    assert printer.told > 20, "it went on looking"


@pytest.mark.parametrize(("after", "state", "heaters"), [
    (_said(state="stopped"), RunState.STOPPED, Heaters.OFF),
    (_said(state="idle"), RunState.STOPPED, Heaters.OFF),
    (DONE, RunState.DONE, Heaters.OFF),
    (_said(state="lowering the plate"), RunState.LOST, Heaters.TOLD),
    (GOING, RunState.LOST, Heaters.TOLD),
    (b"nonsense", RunState.LOST, Heaters.TOLD),
])  # fmt: skip
def test_a_stop_is_believed_once_the_printer_says_that_it_is_at_rest(
    follow: Any, after: bytes, state: RunState, heaters: Heaters
) -> None:
    printer = Foreign([GOING, GOING, after])
    entry = follow(printer, Orders(stop_at=3))
    assert "/stop" in printer.asked
    assert (entry.state, entry.heaters) == (state, heaters)


def test_a_stop_that_is_not_taken_is_asked_for_again_and_never_claimed(follow: Any) -> None:
    printer = Foreign([GOING], refuses=frozenset({"/stop"}))
    entry = follow(printer, Orders(stop_at=2))
    assert (entry.state, entry.heaters) == (RunState.LOST, Heaters.GONE)
    assert printer.asked.count("/stop") > 3


@pytest.mark.parametrize("refuses", [False, True])
def test_a_pause_is_told_as_the_printer_tells_it(follow: Any, refuses: bool) -> None:
    resting = _said(state="paused", layer=9)
    answers = [GOING] * 4 + ([GOING] * 4 if refuses else [resting] * 4) + [GOING, DONE]
    printer = Foreign(answers, frozenset({"/pause"}) if refuses else frozenset())
    entry = follow(printer, Orders(pause_at=3, resume_at=8))
    assert printer.asked.count("/pause") == printer.asked.count("/resume") == 1
    assert entry.state is RunState.DONE


wild = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=60) | st.just("x" * 5000),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=3), max_leaves=5,
)  # fmt: skip


@given(st.fixed_dictionaries({}, optional=dict.fromkeys(("state", "layer", "layers", "resin_c", "message"), wild)),
       st.integers(0, 5000), st.integers(0, 5000))  # fmt: skip
def test_whatever_it_says_of_itself_becomes_numbers_that_can_be(
    found: dict[str, Any], layers: int, before: int
) -> None:
    told = Progress.of(found, layers, before)
    assert 0 <= told.layer <= max(layers, before)
    assert told.resin_c is None or -40 <= told.resin_c <= 150
    assert len(told.state) <= LONGEST_WORD
    assert len(told.message) <= LONGEST_SAID
    if "state" not in found:
        assert told.state == "printing", "one that says nothing is at work"
    json.dumps(told.resin_c, allow_nan=False)


def test_words_at_work_and_at_rest_are_two_kinds() -> None:
    assert not set(GOES_ON) & set(AT_REST)
