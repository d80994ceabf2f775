"""Compiled templates are kept, and no page wants for them."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import pytest
from flask import Flask

from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.web import create_app
from drumbo.web.compiled import CACHE_FOLDER


def test_templates_are_kept_and_neither_rot_nor_a_full_disk_spoils_a_page(
    house: Workshop, room: PrintManager, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(CACHE_FOLDER, str(tmp_path / "compiled"))

    def shown(app: Flask) -> str:
        return re.sub(r"[\w-]{30,}\.[\w-]+\.[\w-]+", "a token", app.test_client().get("/").text)

    def bench() -> str:
        return shown(create_app(house, room, secret="test"))

    first, kept = bench(), tmp_path / "compiled" / "templates"
    made = {path.name: path.read_bytes() for path in kept.iterdir()}
    assert len(made) > 2
    assert bench() == first
    assert {path.name: path.read_bytes() for path in kept.iterdir()} == made, "none was compiled again"
    for path in kept.iterdir():
        path.write_bytes(path.read_bytes()[:40])
    assert bench() == first, "what is broken is made again"
    app = create_app(house, room, secret="test")
    shutil.rmtree(kept)
    assert shown(app) == first, "there is no place to keep it"
    monkeypatch.delenv(CACHE_FOLDER)
    assert bench() == first
