"""Who may ask: the names that the application answers to, and the access code where it is open to a network.

A web page whose own name is pointed at this machine could otherwise read what the browser reads from here; and a code
that may be tried without end is none.
"""

from __future__ import annotations

import hmac
import ipaddress
import math
import secrets
import socket
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from hashlib import sha256
from urllib.parse import urlsplit

from cachetools import TTLCache
from flask import Flask, Response, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput

LONGEST_NAME = 253
CODE_LETTERS, CODE_LENGTH = "abcdefghijkmnpqrstuvwxyz23456789", 8
"""32 of them, without those that are taken for others; eight are 40 bits."""
FREE_TRIES, LONGEST_WAIT_S = 5, 300.0
"""So many wrong codes of one address in a row cost nothing; after each further one it waits twice as long."""
TRIES_IN_ALL, IN_ALL_S = 50, 600.0
"""So many wrong ones in so many seconds, of whatever addresses; then all wait who have not entered."""
FORGOTTEN_S, MOST_REMEMBERED = 3600.0, 4096
LARGEST_KNOCK = 2_000
"""What a stranger may send, bytes: a code and a token are a tenth of it."""
OPEN_PAGES = frozenset({"static", "style", "script", "enter", "ping"})


class HostNames:
    """The names and addresses that requests may be for: those of the loopback, those told, and, opened wide, those of
    this machine.
    """

    def __init__(self, told: Iterable[str] = (), *, wide: bool = False) -> None:
        self._wide = wide
        own = socket.gethostname().lower().rstrip(".") if wide else ""
        machine = {own, f"{own.partition('.')[0]}.local"} if own else set()
        self._names = frozenset({"localhost", *machine, *(name.strip().lower().rstrip(".") for name in told)})

    def __contains__(self, host: str) -> bool:
        """Whether a `Host` header, with or without a port, is for this application."""
        if len(host) > LONGEST_NAME or any(not c.isprintable() or c in "@/\\ " for c in host):
            return False
        try:
            name = (urlsplit(f"//{host}").hostname or "").rstrip(".")
        except ValueError:
            return False
        if name in self._names:
            return True
        try:
            address = ipaddress.ip_address(name)
        except ValueError:
            return False
        return address.is_loopback or (self._wide and _is_own(address))


def _is_own(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Whether an address is one of this machine: only such a one can be bound. Nothing is sent."""
    family = socket.AF_INET if address.version == 4 else socket.AF_INET6
    if address.is_unspecified or address.is_multicast:
        return False
    try:
        with socket.socket(family, socket.SOCK_DGRAM) as bound:
            bound.bind((str(address), 0))
    except OSError:
        return False
    return True


class TooManyTries(Exception):
    """No code is looked at for so many seconds."""

    def __init__(self, wait_s: float) -> None:
        self.wait_s = math.ceil(wait_s)
        super().__init__(f"wait {self.wait_s} s")


def new_code() -> str:
    """A code to write down, of 40 bits."""
    letters = "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_LENGTH))
    return f"{letters[:4]}-{letters[4:]}"


class AccessCode:
    """The code, and how often it was tried. `mark` is what a session holds that has entered: with another code, or
    another workshop, it is another.
    """

    def __init__(self, code: str, secret: str, clock: Callable[[], float] = time.monotonic) -> None:
        self._code = _plain(code)
        if len(self._code) < CODE_LENGTH:
            raise InvalidInput("code", f"the access code needs {CODE_LENGTH} letters or digits, or more")
        self.mark = hmac.new(secret.encode(), self._code.encode(), sha256).hexdigest()
        self._clock = clock
        self._lock = threading.Lock()
        self._wrong: TTLCache[str, tuple[int, float]] = TTLCache(MOST_REMEMBERED, FORGOTTEN_S, timer=clock)
        self._all: deque[float] = deque(maxlen=TRIES_IN_ALL)

    def tried(self, typed: str, address: str) -> bool:
        """Whether it is the code. TooManyTries, without a look at it, where it was tried too often."""
        key = _network(address)
        with self._lock:
            now = self._clock()
            count, not_before = self._wrong.get(key, (0, 0.0))
            wait = not_before - now
            if len(self._all) == TRIES_IN_ALL:
                wait = max(wait, self._all[0] + IN_ALL_S - now)
            if wait > 0:
                raise TooManyTries(wait)
            if hmac.compare_digest(_digest(_plain(typed)), _digest(self._code)):
                self._wrong.pop(key, None)
                return True
            count += 1
            over = count - FREE_TRIES
            pause = min(2.0 ** min(over, 20), LONGEST_WAIT_S) if over >= 0 else 0.0
            self._wrong[key] = count, now + pause
            self._all.append(now)
            return False


def _plain(code: str) -> str:
    return "".join(c for c in code.lower() if c.isalnum())


def _digest(text: str) -> bytes:
    return sha256(text.encode()).digest()


def _network(address: str) -> str:
    """What counts as one address: of IPv6 the network, as a machine has its pick of the rest."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return address[:64]
    return str(ipaddress.ip_network((found, 64), strict=False)) if found.version == 6 else str(found)


def inside(target: str) -> str:
    """A page of this application to go on to; the bench for anything that could lead elsewhere."""
    plain = target.startswith("/") and not target.startswith("//") and target.isprintable()
    return target if plain and "\\" not in target and len(target) < 2_000 else "/"


def answer_only_to(app: Flask, names: HostNames) -> None:
    """Refuse what is asked under another name."""

    @app.before_request
    def check_host() -> Response | None:
        if request.host in names:
            return None
        text = (
            "Drumbo does not answer to this name. Where it is its own, start it with --name and that name; on this "
            "machine it is at http://localhost.\n"
        )
        return Response(text, 421, mimetype="text/plain")


def entered(app: Flask, access: AccessCode, cookies: str) -> bool:
    """Whether a `Cookie` header is that of a session that has entered."""
    with app.test_request_context("/", headers={"Cookie": cookies}):
        return _has_entered(access)


def _has_entered(access: AccessCode) -> bool:
    mark = session.get("entered")
    return isinstance(mark, str) and hmac.compare_digest(mark.encode(), access.mark.encode())


def ask_for_code(app: Flask, access: AccessCode) -> None:
    """Ask for the access code on every page until it was given."""

    @app.before_request
    def ask() -> ResponseReturnValue | None:
        if _has_entered(access):
            return None
        request.max_content_length = request.max_form_memory_size = LARGEST_KNOCK
        if request.endpoint in OPEN_PAGES:
            return None
        return redirect(url_for("enter", next=request.path))

    @app.route("/enter", methods=["GET", "POST"])
    def enter() -> ResponseReturnValue:
        problem, status = "", 200
        headers: dict[str, str] = {}
        if request.method == "POST":
            try:
                if access.tried(request.form.get("code", ""), request.remote_addr or ""):
                    session["entered"] = access.mark
                    return redirect(inside(request.args.get("next", "/")))
                problem, status = "That is not the code.", 403
            except TooManyTries as error:
                problem, status = f"Tried too often. It can be tried again in {error.wait_s} s.", 429
                headers = {"Retry-After": str(error.wait_s)}
        return render_template("enter.html", problem=problem), status, headers
