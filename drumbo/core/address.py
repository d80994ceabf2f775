"""Where a printer may be reached: the one place that says which addresses are taken.

    socket://host:port     a line of G-code over TCP
    /dev/…  or  COM3       a line of G-code over a serial port
    http(s)://host[:port]  a printer that takes layer packages

Nothing else: the serial library knows further handlers, some of which read and write any file.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from urllib.parse import urlsplit

from drumbo.core.errors import InvalidInput

LONGEST = 300
SERIAL, TCP, WEB = "serial", "tcp", "web"
BAUDS = (115_200, 250_000, 230_400, 57_600, 500_000, 1_000_000, 38_400, 19_200, 9_600)
"""Usual speeds of a serial line, the likeliest first."""

_DEVICE = re.compile(r"/dev/[\w.:+@/\-]+")
_PORT_NAME = re.compile(r"COM\d{1,3}", re.IGNORECASE)
_WRITE_IT = "write /dev/ttyUSB0 or another serial port, or socket://address:port"


@dataclass(frozen=True, slots=True)
class Address:
    """A printer's address: `way` is SERIAL with `path`, TCP with `host` and `port`, or WEB with `text` as it is."""

    way: str
    text: str
    host: str = ""
    port: int = 0
    path: str = ""


def parse_address(text: str, field: str = "link_url") -> Address:
    """What an address means; InvalidInput names the field and says what to write.

    >>> parse_address("socket://127.0.0.1:8770").port
    8770
    """
    text = text.strip()
    if len(text) > LONGEST:
        raise InvalidInput(field, f"is longer than {LONGEST} characters; no printer's address is")
    if _DEVICE.fullmatch(text) and ".." not in text:
        return Address(SERIAL, text, path=text)
    if _PORT_NAME.fullmatch(text):
        return Address(SERIAL, text, path=text.upper())
    scheme = text.partition("://")[0].lower() if "://" in text else ""
    if scheme not in {"socket", "http", "https"}:
        raise InvalidInput(field, f"“{text[:60]}” is no address of a printer; {_WRITE_IT}")
    try:
        parts = urlsplit(text)
        host, port = parts.hostname or "", parts.port
    except ValueError as error:
        raise InvalidInput(field, f"“{text[:60]}” cannot be read as an address; {_WRITE_IT}") from error
    if not host or parts.username is not None or any(c.isspace() or not c.isprintable() for c in text):
        raise InvalidInput(field, f"“{text[:60]}” names no machine; {_WRITE_IT}")
    if scheme != "socket":
        return Address(WEB, text, host, port or (443 if scheme == "https" else 80))
    if not port or parts.path.strip("/") or parts.query or parts.fragment:
        raise InvalidInput(field, "write it as socket://address:port, with nothing behind the port")
    return Address(TCP, text, host, port)
