"""Who may ask: names, the access code, what strangers may send, and connections that are kept half open."""

from __future__ import annotations

import re
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

import pytest
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.web import create_app
from drumbo.web.gate import (
    CODE_LETTERS,
    FREE_TRIES,
    LARGEST_KNOCK,
    TRIES_IN_ALL,
    AccessCode,
    HostNames,
    TooManyTries,
    inside,
    new_code,
)
from drumbo.web.serving import make_server
from tests.conftest import PATIENCE_S

CODE = "k7mq-2fxa"


def test_only_names_that_were_told_are_answered(client: FlaskClient) -> None:
    for host in ("localhost", "localhost:8765", "127.0.0.1:8765", "127.8.8.8", "[::1]:80", "LOCALHOST."):
        assert client.get("/ping", headers={"Host": host}).status_code == 200, host
    strange = ("evil.example", "localhost.evil.example", "127.0.0.1.evil.example", "10.0.0.7", "a@localhost", "[::1",
               "localhost/x", "evil.example:8765", "x" * 400, "2130706433", "0.0.0.0")  # fmt: skip
    for host in strange:
        answer = client.get("/settings/backup.zip", headers={"Host": host})
        assert answer.status_code == 421, host
        assert answer.mimetype == "text/plain"
        assert len(answer.data) < 300


def test_opened_wide_the_machines_own_names_are_answered_and_those_told() -> None:
    wide = HostNames(["workshop.island"], wide=True)
    own = socket.gethostname()
    for host in ("localhost", "workshop.island:8765", f"{own}:8765", f"{own.partition('.')[0]}.local", "127.0.0.1"):
        assert host in wide, host
    for host in ("8.8.8.8", "other.island", "224.0.0.1", "0.0.0.0"):
        assert host not in wide, host
    assert own not in HostNames(["workshop.island"])


@given(st.text())
def test_no_host_header_makes_it_stumble(host: str) -> None:
    assert (host in HostNames()) in {True, False}


def test_a_code_has_forty_bits_and_nothing_that_is_misread() -> None:
    assert len(set(CODE_LETTERS)) == 32
    assert not set("l1o0") & set(CODE_LETTERS)
    assert len({new_code() for _ in range(50)}) == 50
    with pytest.raises(InvalidInput, match="8 letters or digits"):
        AccessCode("a1-b2-c3", "secret")


def test_wrong_codes_make_an_address_wait_ever_longer_and_others_not() -> None:
    now = [0.0]
    access = AccessCode(CODE, "secret", lambda: now[0])
    for _ in range(FREE_TRIES):
        assert not access.tried("wrong", "10.0.0.1")
    waits = []
    for _ in range(12):
        with pytest.raises(TooManyTries) as refused:
            access.tried(CODE, "10.0.0.1")
        waits.append(refused.value.wait_s)
        now[0] += refused.value.wait_s
        assert not access.tried("wrong", "10.0.0.1")
    assert waits[:4] == [1, 2, 4, 8]
    assert waits[-1] == 300
    assert access.tried("K7MQ 2FXA", "10.0.0.2"), "as somebody would type it"


def test_many_addresses_together_are_slowed_too() -> None:
    now = [0.0]
    access = AccessCode(CODE, "secret", lambda: now[0])
    for k in range(TRIES_IN_ALL):
        assert not access.tried("wrong", f"10.0.{k}.1")
    with pytest.raises(TooManyTries):
        access.tried(CODE, "10.9.9.9")
    now[0] += 600
    assert access.tried(CODE, "10.9.9.9")


def test_addresses_of_one_network_of_six_count_as_one() -> None:
    access = AccessCode(CODE, "secret", lambda: 0.0)
    for k in range(FREE_TRIES):
        assert not access.tried("wrong", f"2001:db8::{k:x}")
    with pytest.raises(TooManyTries):
        access.tried("wrong", "2001:db8::abcd")


@given(st.text())
def test_no_page_to_go_on_to_leads_out(target: str) -> None:
    found = inside(target)
    assert found.startswith("/")
    assert not found.startswith(("//", "/\\"))
    assert not re.search(r"[\\\x00-\x1f]", found)


@pytest.mark.parametrize(
    "target", ["//elsewhere", "/\\elsewhere", "/\t/elsewhere", "https://elsewhere", "\\\\elsewhere"]
)
def test_known_ways_out_are_shut(target: str) -> None:
    assert inside(target) == "/"


@pytest.fixture
def guarded(house: Workshop, room: PrintManager) -> Flask:
    app = create_app(house, room, secret="test", access=AccessCode(CODE, "test"))
    app.config["WTF_CSRF_ENABLED"] = False
    return app


def test_beyond_this_machine_a_code_is_asked_for(guarded: Flask, house: Workshop, room: PrintManager) -> None:
    with guarded.test_client() as guest:
        assert guest.get("/profiles/").headers["Location"].startswith("/enter")
        assert guest.post("/enter", data={"code": "nope"}).status_code == 403
        entering = guest.post("/enter?next=//elsewhere", data={"code": CODE})
        assert entering.headers["Location"] == "/"
        cookie = entering.headers["Set-Cookie"]
        assert "HttpOnly" in cookie
        assert "SameSite=Lax" in cookie
        assert guest.get("/profiles/").status_code == 200
        kept = cookie.partition(";")[0]
    other = create_app(house, room, secret="test", access=AccessCode("another-code", "test"))
    with other.test_client() as guest:
        answer = guest.get("/profiles/", headers={"Cookie": kept})
        assert answer.status_code == 302, "a new code ends what the old one opened"


def test_tried_too_often_it_says_when_to_try_again(guarded: Flask) -> None:
    with guarded.test_client() as guest:
        for _ in range(FREE_TRIES):
            assert guest.post("/enter", data={"code": "nope"}).status_code == 403
        answer = guest.post("/enter", data={"code": CODE})
        assert answer.status_code == 429
        assert "Retry-After" in answer.headers
        assert "It can be tried again in" in answer.text


def test_a_stranger_may_not_send_more_than_a_code(guarded: Flask) -> None:
    with guarded.test_client() as guest:
        assert guest.post("/enter", data={"code": "x" * 2 * LARGEST_KNOCK}).status_code == 413
        answer = guest.post("/check/", data={"file": "x" * 50_000})
        assert answer.status_code == 302


def test_every_page_says_what_a_browser_may_do_with_it(client: FlaskClient) -> None:
    headers = client.get("/").headers
    policy = headers["Content-Security-Policy"]
    for rule in ("default-src 'self'", "object-src 'none'", "base-uri 'none'", "frame-ancestors 'none'"):
        assert rule in policy
    assert "script-src" not in policy
    assert headers["Referrer-Policy"] == "same-origin"
    assert headers["X-Content-Type-Options"] == "nosniff"
    assert "geolocation=()" in headers["Permissions-Policy"]
    assert "<script>" not in client.get("/").text


@contextmanager
def _serving(guarded: Flask, head_s: int) -> Iterator[int]:
    """The application behind its real server, which waits so long for a head; gives the port."""
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(guarded, listener, AccessCode(CODE, "test"), head_s=head_s)
    running = threading.Thread(target=server.run, daemon=True)
    running.start()
    yield listener.getsockname()[1]
    server.task_dispatcher.shutdown(timeout=5)
    server.close()
    running.join(5)


def _ask(port: int, head: str) -> bytes:
    with socket.create_connection(("127.0.0.1", port), timeout=PATIENCE_S) as line:
        line.sendall(f"{head}\r\nHost: localhost\r\nConnection: close\r\n\r\n".encode())
        answer = b""
        while part := line.recv(65536):
            answer += part
        return answer


def test_what_a_stranger_sends_is_refused_before_it_is_taken_in(guarded: Flask) -> None:
    with _serving(guarded, int(PATIENCE_S)) as port:
        for length in ("Content-Length: 1900000000", "Transfer-Encoding: chunked"):
            # Nothing of it is ever sent: whoever waited for it would not answer.
            assert _ask(port, f"POST /enter HTTP/1.1\r\n{length}").startswith(b"HTTP/1.1 413")


def test_three_hundred_half_open_connections_hold_nobody_up(guarded: Flask) -> None:
    with _serving(guarded, int(PATIENCE_S)) as port, ExitStack() as open_ones:
        lines = [
            open_ones.enter_context(socket.create_connection(("127.0.0.1", port), timeout=PATIENCE_S))
            for _ in range(300)
        ]
        for line in lines:
            line.sendall(b"GET / HTTP/1.1\r\nHost: loc")
        assert b"200 OK" in _ask(port, "GET /ping HTTP/1.1")
        lines[-1].setblocking(False)
        with pytest.raises(BlockingIOError):
            lines[-1].recv(1)


def _drip(line: socket.socket) -> None:
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        line.sendall(b"X")
        time.sleep(0.25)


def test_a_head_that_drips_in_is_not_waited_for_without_end(guarded: Flask) -> None:
    with _serving(guarded, 2) as port, socket.create_connection(("127.0.0.1", port), timeout=PATIENCE_S) as line:
        line.sendall(b"GET /ping HTTP/1.1\r\n")
        with pytest.raises(ConnectionError):
            _drip(line)
