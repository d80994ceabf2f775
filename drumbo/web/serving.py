"""Runs the application with waitress until it is told to stop."""

from __future__ import annotations

import ipaddress
import os
import secrets
import socket
import threading
from collections.abc import Callable
from pathlib import Path

from waitress.server import create_server

from drumbo.core.errors import NotNow
from drumbo.services.prints import PrintManager
from drumbo.services.warm import warm
from drumbo.store.database import Workshop
from drumbo.web import create_app

ANSWERS_END_S = 10.0
WARMING_ENDS_S = 8.0

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
    stop_prints: bool = False,
) -> None:
    """Serve the workshop in `folder` and block. Ends on Ctrl-C or SIGTERM; running prints go on, unless `stop_prints`.

    `ready` is called once with the workshop and its prints, before the first page is served.
    """
    try:
        listener = socket.create_server((host, port))
    except OSError as error:
        raise NotNow(f"port {port} of {host} cannot be had ({error.strerror}); try --port 0") from error
    workshop = Workshop(folder)
    room = PrintManager(workshop)
    code = None if _loopback(host) else os.environ.get("DRUMBO_CODE") or secrets.token_hex(3)
    app = create_app(workshop, room, secret=_secret(folder), code=code)
    server = create_server(app, sockets=[listener], threads=8, max_request_body_size=LARGEST_BODY)
    stop = threading.Event()
    warming = threading.Thread(target=warm, args=(stop,), name="warm", daemon=True)
    try:
        if ready is not None:
            ready(workshop, room)
        warming.start()
        say(f"Drumbo: http://{host}:{listener.getsockname()[1]}/   (Ctrl-C ends it)")
        if code is not None:
            say(f"Open to your network; the access code is {code}")
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        stop.set()
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


def _loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _secret(folder: Path) -> str:
    """The key that signs cookies, made once per workshop and readable by its owner only."""
    path = folder / "secret"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_hex(32))
    return path.read_text()
