"""What a device over HTTP may answer, and what is not taken from it."""

from __future__ import annotations

import gzip
import socket
import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from drumbo.core.errors import LinkError
from drumbo.links.http import HttpDevice
from drumbo.links.simulated import simulated_reader

ANSWERS = {
    "/moved": (302, {"Location": "/told"}, b""),
    "/told": (200, {"Content-Type": "application/json"}, b'{"state": "idle"}'),
    "/list": (200, {"Content-Type": "application/json"}, b"[1, 2]"),
    "/endless": (200, {"Content-Type": "application/json"}, b'"' + b"x" * 3_000_000 + b'"'),
    "/busy": (409, {"Content-Type": "application/json"}, b'{"error": "the printer is at work"}'),
    "/odd": (500, {}, b"\xff" * 50_000),
    "/packed": (200, {"Content-Encoding": "gzip"}, gzip.compress(b"{}" + b" " * 50_000_000)),
    "/page.png": (200, {"Content-Type": "text/html"}, b"<html>"),
    "/top.png": (200, {"Content-Type": "image/png", "X-Frame": '{"object": 7}'}, b"\x89PNG"),
    "/torn.png": (200, {"Content-Type": "image/png", "X-Frame": "{"}, b"\x89PNG"),
}


class _Handler(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        code, headers, body = ANSWERS[self.path]
        self.send_response(code)
        for name, value in headers.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def do_POST(self) -> None:
        self.path = "/told"
        self.do_GET()

    def log_message(self, *_args: object) -> None:
        pass


@pytest.fixture(scope="module")
def base() -> Iterator[str]:
    server = ThreadingHTTPServer(("127.0.0.1", 0), _Handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}"
    server.shutdown()
    server.server_close()


def test_what_a_device_tells_and_what_is_not_taken(base: str) -> None:
    device = HttpDevice(base, "nobody is there")
    assert device.get("/told") == {"state": "idle"}
    for path, words in (
        ("/moved", "leads elsewhere"),
        ("/list", "nobody is there"),
        ("/endless", "more than 1 MB"),
        ("/busy", "the printer is at work"),
        ("/odd", "without saying why"),
        ("/packed", "which was not asked for"),
    ):
        with pytest.raises(LinkError, match=words):
            device.get(path)
    assert device.picture("/top.png")[0] == b"\x89PNG"
    with pytest.raises(LinkError, match="no picture"):
        device.picture("/page.png")


def test_what_speaks_no_http_is_nobody() -> None:
    answers = (b"hello there\r\n\r\n", b"HTTP/1.1 200 OK\r\nContent-Length: 90\r\n\r\n{}", b"")
    with socket.create_server(("127.0.0.1", 0)) as odd:

        def answer() -> None:
            for raw in answers:
                guest, _ = odd.accept()
                with guest:
                    guest.recv(4096)
                    guest.sendall(raw)

        speaker = threading.Thread(target=answer, daemon=True)
        speaker.start()
        device = HttpDevice(f"http://127.0.0.1:{odd.getsockname()[1]}", "nobody is there")
        for _ in answers:
            with pytest.raises(LinkError, match="nobody is there"):
                device.get("/told", timeout_s=5)
        speaker.join(5)


def test_an_answer_that_drips_without_end_is_none(monkeypatch: pytest.MonkeyPatch) -> None:
    # Each part comes in time, however loaded the machine is; all of them together do not.
    monkeypatch.setattr("drumbo.links.http.DRIPS", 0.01)

    def drip(odd: socket.socket) -> None:
        guest, _ = odd.accept()
        with guest:
            guest.recv(4096)
            guest.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n{")
            try:
                while True:
                    guest.sendall(b" ")
                    time.sleep(0.02)
            except OSError:
                pass

    with socket.create_server(("127.0.0.1", 0)) as odd:
        threading.Thread(target=drip, args=(odd,), daemon=True).start()
        with pytest.raises(LinkError, match="takes too long"):
            HttpDevice(f"http://127.0.0.1:{odd.getsockname()[1]}").get("/told", timeout_s=30)


def test_a_camera_is_an_address_of_the_network_and_nothing_else(base: str) -> None:
    for url in (
        "file:///etc/passwd",
        "ftp://127.0.0.1/x",
        "socket://127.0.0.1:80",
        "http://user@127.0.0.1/",
        "http://",
    ):
        with pytest.raises(LinkError):
            HttpDevice(url)
    with pytest.raises(LinkError, match="is it running"):
        HttpDevice("http://127.0.0.1:9", "is it running?").get("/told", timeout_s=2)
    reader = simulated_reader(base)
    assert reader.picture("top") == (b"\x89PNG", {"object": 7})
    with pytest.raises(LinkError, match="cannot be read"):
        reader.picture("torn")
    with pytest.raises(LinkError, match="is none"):
        reader.scores([], ["bridge"], 1, None)
