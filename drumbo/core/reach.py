"""How a printer of whatever process is reached: its link, its camera, where files are uploaded."""

from __future__ import annotations

from collections.abc import Set
from typing import Protocol, TypeVar

from drumbo.core.address import SERIAL, WEB, parse_address
from drumbo.core.errors import InvalidInput

P = TypeVar("P", bound="Reachable")


class Reachable(Protocol):
    """A printer with a link and a camera."""

    @property
    def link_url(self) -> str: ...
    @property
    def camera_url(self) -> str: ...
    @property
    def still_url(self) -> str: ...
    @property
    def upload_url(self) -> str: ...


def reachable(printer: P, ways: Set[str]) -> P:
    """The printer, if its addresses are such that it may be reached there; InvalidInput names the field."""
    problems = {}
    if printer.link_url and parse_address(printer.link_url).way not in ways:
        fit = "a serial port like /dev/ttyUSB0, or socket://address:port" if SERIAL in ways else "http://address:port"
        problems["link_url"] = f"this kind of printer is reached over {fit}"
    if printer.upload_url and parse_address(printer.upload_url, "upload_url").way != WEB:
        problems["upload_url"] = "write it as http://address/folder"
    if printer.still_url and parse_address(printer.still_url, "still_url").way != WEB:
        problems["still_url"] = "write it as http://address/picture"
    if printer.camera_url and parse_address(printer.camera_url, "camera_url").way != WEB:
        problems["camera_url"] = "write it as http://address:port"
    if problems:
        raise InvalidInput.of(problems)
    return printer
