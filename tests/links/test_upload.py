"""Files laid down at a printer on the network: with a user, read back, and what goes wrong is said."""

from __future__ import annotations

import base64
from collections.abc import Iterator
from typing import ClassVar

import pytest

from drumbo.core.errors import LinkError
from drumbo.links.upload import upload
from drumbo.standins.door import Door, JsonHandler

DATA = b"G28\n" * 50_000


class _Shelf(JsonHandler):
    """A printer that takes files from one user; `gives` is what it gives back."""

    files: ClassVar[dict[str, bytes]] = {}
    gives: ClassVar[str] = "what it has"

    def _known(self) -> bool:
        wanted = "Basic " + base64.b64encode(b"maker:secret").decode()
        if self.headers.get("Authorization") != wanted:
            self.say({"error": "no such user"}, 401)
            return False
        return True

    def do_PUT(self) -> None:  # noqa: N802 - so the library calls it
        data = self.body(10_000_000)
        if self._known():
            self.files[self.path] = data
            self.send_response(201)
            self.send_header("Content-Length", "0")
            self.end_headers()

    def do_GET(self) -> None:  # noqa: N802
        if not self._known():
            return
        if self.gives == "nothing":
            self.say({"error": "not here"}, 405)
            return
        data = self.files[self.path] if self.gives == "what it has" else b"another"
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)


@pytest.fixture
def address() -> Iterator[str]:
    _Shelf.files.clear()
    _Shelf.gives = "what it has"
    door = Door(_Shelf)
    door.start()
    yield f"http://127.0.0.1:{door.port}/upload/"
    door.close()


def test_it_arrives_byte_for_byte_and_is_read_back(address: str) -> None:
    assert upload(address, "trial-1.gcode", DATA, user="maker", token="secret")
    assert _Shelf.files == {"/upload/trial-1.gcode": DATA}


def test_one_that_gives_nothing_back_is_not_said_to_have_been_compared(address: str) -> None:
    _Shelf.gives = "nothing"
    assert upload(address, "trial-1.gcode", DATA, user="maker", token="secret") is False


def test_what_goes_wrong_is_said(address: str) -> None:
    with pytest.raises(LinkError, match="no such user"):
        upload(address, "trial-1.gcode", DATA, user="maker", token="wrong")
    assert _Shelf.files == {}
    _Shelf.gives = "another"
    with pytest.raises(LinkError, match="is not what was sent"):
        upload(address, "trial-1.gcode", DATA, user="maker", token="secret")
    with pytest.raises(LinkError, match="nothing that takes files answers"):
        upload("http://127.0.0.1:9/", "trial-1.gcode", DATA)
    with pytest.raises(LinkError, match="is no address"):
        upload("ftp://printer/", "trial-1.gcode", DATA)
