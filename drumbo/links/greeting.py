"""Short talks with a printer that is not printing: whether it answers, and a few commands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from drumbo.core.address import WEB, parse_address
from drumbo.core.errors import LinkError
from drumbo.links.closing import connect
from drumbo.links.package import package_printer
from drumbo.links.self_report import differences
from drumbo.links.talk import Ended, Timing

SHORT = Timing(hello_s=5.0, silence_s=10.0, slow_s=30.0)


def _nothing() -> None:
    """Nobody wants to know meanwhile."""


def greet(url: str, baud: int = 115_200, expects: Mapping[str, float] | None = None, pressure_word: str = "") -> str:
    """Open a link and close it again; what it tells of its temperatures and of what it has stored otherwise than is
    expected (see `self_report`), or "". LinkError tells what is wrong.
    """
    if parse_address(url).way == WEB:
        if "state" not in package_printer(url).get("/progress", timeout_s=5):
            raise LinkError(f"what answers at {url} is no printer that takes layer packages")
        return ""
    try:
        talk = connect(url, baud, SHORT, _nothing)
    except Ended as ended:
        raise LinkError(ended.message) from ended
    talk.line.close()
    odd = " ".join(differences(talk.texts, expects or {}, pressure_word))
    return (f": {talk.heats.says}" if talk.heats else "") + (f". {odd.removesuffix('.')}" if odd else "")


def tell(url: str, commands: Sequence[str], baud: int = 115_200) -> None:
    """Send a few commands to a printer that is not printing. LinkError where it did not take one."""
    try:
        talk = connect(url, baud, SHORT, _nothing)
        try:
            talk.deliver(commands)
        finally:
            talk.line.close()
    except Ended as ended:
        raise LinkError(ended.message) from ended
    if talk.note:
        raise LinkError(talk.note)
