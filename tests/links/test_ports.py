"""Ports and addresses: what is opened, and what is said of one that cannot be."""

from __future__ import annotations

import errno
import os
from pathlib import Path

import pytest
import serial

from drumbo.core.errors import LinkError
from drumbo.links.line import Line


def test_what_is_no_printers_address_is_never_opened(tmp_path: Path) -> None:
    out = tmp_path / "written"
    for url in (f"spy:///dev/null?file={out}", "loop://", "/dev/null", "/dev/mem", str(tmp_path), "hwgrep://0403"):
        with pytest.raises(LinkError):
            Line(url)
    assert not out.exists()
    with pytest.raises(LinkError, match="is the cable in"):
        Line("/dev/ttyNONE7")


@pytest.mark.parametrize(
    ("code", "words"),
    [(errno.EACCES, "group that owns it"), (errno.EBUSY, "another program holds"), (errno.ENXIO, "is the cable in")],
)
def test_a_port_that_cannot_be_opened_says_what_to_do(code: int, words: str, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_args: object, **_more: object) -> None:
        raise serial.SerialException(code, "could not open port")

    monkeypatch.setattr(serial, "Serial", refuse)
    ours, theirs = os.openpty()
    with pytest.raises(LinkError, match=words):
        Line(os.ttyname(theirs))
    os.close(ours)
    os.close(theirs)
