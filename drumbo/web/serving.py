"""Runs the application with waitress until it is told to stop."""

from __future__ import annotations

import ipaddress
import os
import secrets
import socket
import threading
from collections.abc import Callable, Sequence
from pathlib import Path

from flask import Flask, request
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import TcpWSGIServer, create_server
from waitress.utilities import RequestEntityTooLarge

from drumbo.core.errors import NotNow
from drumbo.services.prints import PrintManager
from drumbo.services.warm import warm
from drumbo.store.database import Workshop, write_safely
from drumbo.store.soundness import check_openable, served_once
from drumbo.web import create_app
from drumbo.web.gate import LARGEST_KNOCK, AccessCode, HostNames, entered, new_code

ANSWERS_END_S = 10.0
SECRET_LENGTH = 64
THREADS, MOST_CONNECTIONS, HEAD_S = 8, 1000, 30
WARMING_ENDS_S = 8.0
LIGHT = ("bench", "guide", "settings")
"""Pages after which nobody has to be expected to print or read."""

Say = Callable[[str], object]

LARGEST_BODY = 2_000_000_000
"""Taken in so that the application itself can say what is too large; it reads far less."""


def run(
    folder: Path,
    *,
    host: str,
    port: int,
    say: Say,
    ready: Callable[[Workshop, PrintManager], object] | None = None,
    names: Sequence[str] = (),
    stop_prints: bool = False,
) -> None:
    """Serve the workshop in `folder` and block. Ends on Ctrl-C or SIGTERM; running prints go on, unless `stop_prints`.

    `ready` is called once with the workshop and its prints, before the first page is served. `names` are further ones
    that requests may be for.
    """
    check_openable(folder)
    with served_once(folder):
        _run(folder, host=host, port=port, say=say, ready=ready, names=names, stop_prints=stop_prints)


def _run(
    folder: Path,
    *,
    host: str,
    port: int,
    say: Say,
    ready: Callable[[Workshop, PrintManager], object] | None,
    names: Sequence[str],
    stop_prints: bool,
) -> None:
    try:
        listener = socket.create_server((host, port))
    except OSError as error:
        raise NotNow(f"port {port} of {host} cannot be had ({error.strerror}); try --port 0") from error
    wide, secret = not _loopback(host), _secret(folder)
    code = (os.environ.get("DRUMBO_CODE") or new_code()) if wide else None
    access = AccessCode(code, secret) if code else None
    workshop = Workshop(folder)
    room = PrintManager(workshop)
    app = create_app(workshop, room, secret=secret, access=access, names=HostNames(names, wide=wide))
    server = make_server(app, listener, access)
    stop, wanted = threading.Event(), threading.Event()
    app.before_request(lambda: _want(wanted))
    warming = threading.Thread(target=_warm, args=(app, wanted, stop), name="warm", daemon=True)
    try:
        if ready is not None:
            ready(workshop, room)
        warming.start()
        threading.Thread(target=room.practice.wake, name="practice", daemon=True).start()
        say(f"Drumbo: http://{host}:{listener.getsockname()[1]}/   (Ctrl-C ends it)")
        if code is not None:
            say(f"Open to your network; the access code is {code}")
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        stop.set()
        wanted.set()
        if stop_prints:
            say("Stopping prints, if any …")
        for line in room.close(stop_prints=stop_prints):
            say(line)
        # An answer still under way would wake the closed server through a number that may be the database's by then.
        server.task_dispatcher.shutdown(timeout=ANSWERS_END_S)
        server.close()
        workshop.close()
        # A thread that is still laying roads while the interpreter ends may hold it up; it is let finish its kind.
        if warming.is_alive():
            warming.join(WARMING_ENDS_S)


def _want(wanted: threading.Event) -> None:
    """Whoever goes on from the first page will want what fits and files need; nobody else has it loaded."""
    if request.blueprint not in {None, *LIGHT}:
        wanted.set()


def _warm(app: Flask, wanted: threading.Event, stop: threading.Event) -> None:
    """Make ready what the first maker would wait for: templates, then what fits and files need."""
    wanted.wait()
    for name in app.jinja_env.list_templates():
        if stop.is_set():
            return
        app.jinja_env.get_template(name)
    warm(stop)


def make_server(
    app: Flask, listener: socket.socket, access: AccessCode | None = None, head_s: int = HEAD_S
) -> TcpWSGIServer:
    """A server that strangers do not hold up: a request's head must be there within `head_s`, many may be under way
    beside each other without a thread, and what somebody sends who has not entered is refused before it is taken in.
    """
    server = create_server(
        app, sockets=[listener], threads=THREADS, max_request_body_size=LARGEST_BODY, connection_limit=MOST_CONNECTIONS,
        channel_timeout=head_s, cleanup_interval=head_s // 2, asyncore_use_poll=True,
    )  # fmt: skip

    class Parser(HTTPRequestParser):  # type: ignore[misc] # it tells no types
        judged = False

        def received(self, data: bytes) -> int:
            consumed = int(super().received(data))
            if self.headers_finished and not self.judged and access is not None:
                self.judged = True
                large = self.content_length > LARGEST_KNOCK or self.chunked
                if large and not entered(app, access, self.headers.get("COOKIE", "")):
                    self.error = RequestEntityTooLarge("enter the access code first")
                    self.completed = True
            return consumed

    class Channel(HTTPChannel):  # type: ignore[misc]
        parser_class = Parser
        head_since = last_activity = 0.0

        def handle_read(self) -> None:
            before = self.request
            super().handle_read()
            # A head that drips in counts from its first byte on, or it could be kept half open for ever.
            if self.request is not None and not self.request.headers_finished:
                self.head_since = self.head_since if self.request is before else self.last_activity
                self.last_activity = self.head_since

    server.channel_class = Channel
    return server


def _loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _secret(folder: Path) -> str:
    """The key that signs cookies, made once per workshop and readable by its owner only. One that is empty or cut off,
    with which anybody could sign, is made anew.
    """
    path = folder / "secret"
    kept = path.read_text().strip() if path.exists() else ""
    if len(kept) < SECRET_LENGTH:
        kept = secrets.token_hex(SECRET_LENGTH // 2)
        write_safely(path, kept.encode())
    return kept
