"""What many tests need: a workshop in an empty folder, a stand-in on a real TCP port, a browserless client."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / ".cache" / "numba"))

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from itertools import zip_longest

import pytest
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import settings

from drumbo.core.families import family
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.core.resin import Resin, ResinPrinter
from drumbo.services import profiles, workshop
from drumbo.services.prints import PrintManager
from drumbo.standins.filament.device import FilamentPrinter
from drumbo.standins.filament.side import ControlServer
from drumbo.standins.line.session import LineServer
from drumbo.store.database import Workshop
from drumbo.store.models import TrialRow
from drumbo.store.soundness import DATABASE
from drumbo.trials.base import Context
from drumbo.trials.toolkit.layered import ResinContext
from drumbo.web import create_app

# How long an example takes says more of the machine than of the code; speed is measured in bench/.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.hookimpl(tryfirst=True)
def pytest_sessionstart(session: pytest.Session) -> None:
    """On a fresh machine loops and tests are compiled once, not by every worker for itself."""
    cache = Path(os.environ["NUMBA_CACHE_DIR"])
    by_another = hasattr(session.config, "workerinput") or session.config.option.collectonly
    if by_another or next(cache.rglob("*.nbc"), None) is not None:
        return
    collecting = "import pytest; pytest.main(['--collect-only', '-qq', '-p', 'no:cacheprovider'])"
    asked = (["-m", "tests.warm", "reader"], ["-m", "tests.warm", "printers"], ["-c", collecting])
    root = Path(__file__).parents[1]
    for part in [subprocess.Popen([sys.executable, *each], cwd=root, stdout=subprocess.DEVNULL) for each in asked]:
        part.wait()


WAITING = tuple(str(Path(__file__).parent / room) for room in ("e2e", "links", "services"))
"""Rooms whose tests wait for a page or a printer about as long as they compute."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Files that wait and files that compute by turns: each fills the time that the other leaves."""
    files: dict[Path, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.path, []).append(item)
    waiting = [file for file in files if str(file).startswith(WAITING)]
    computing = [file for file in files if file not in waiting]
    turns = (file for pair in zip_longest(waiting, computing) for file in pair if file is not None)
    items[:] = [item for file in turns for item in files[file]]


LABEL = {
    "family": "pla", "maker": "Skerry Filament", "product": "Razorbill PLA", "colour": "chalk", "colour_hex": "#cfc6b4",
    "nozzle_low_c": "200", "nozzle_high_c": "220", "bed_low_c": "50", "bed_high_c": "60", "diameter_mm": "1,75",
    "density_g_cm3": "1.24", "price_per_kg": "19,90", "currency": "€", "spool_g": "740", "notes": "",
}  # fmt: skip


def plain_context(family_key: str = "pla", **printer: object) -> Context:
    kin = family(family_key)
    material = Material("maker", "product", family_key, "grey", "#808080", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3, price_per_kg=20.0)  # fmt: skip
    machine = Printer("Petrel One", **{"nozzle_max_c": 300.0, **printer})  # type: ignore[arg-type]
    return Context(machine, material, start("test", material, machine), other=_other(machine))


def _other(machine: Printer) -> Partner:
    """A second material, for trials of two."""
    kin = family("tpu")
    material = Material("maker", "other", "tpu", "red", "#b2342b", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    return Partner(material, start("other", material, machine))


def resin_context(family_key: str = "resin-standard", layer_um: float = 50.0, **printer: object) -> ResinContext:
    """A bottle on a screen that is just large enough for every piece."""
    small = {"pixels_x": 1900, "pixels_y": 800, "pixel_um": 50.0, "intensity_mw_cm2": 4.0, "lights_apart": "yes"}
    material = Resin("maker", "product", family_key, "grey", "#808080", exposure_s=3.4, price_per_bottle=30.0)
    machine = ResinPrinter("Gannet Light", **{**small, **printer})  # type: ignore[arg-type]
    return ResinContext(machine, material, start("test", material, machine, {"layer_um": layer_um}))


@pytest.fixture
def context() -> Context:
    return plain_context()


@pytest.fixture(scope="session")
def empty_database(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database with all tables and nothing in them: made once, as making it takes longer than most tests."""
    folder = tmp_path_factory.mktemp("empty")
    Workshop(folder).close()
    return folder / DATABASE


@pytest.fixture
def house(tmp_path: Path, empty_database: Path) -> Iterator[Workshop]:
    folder = tmp_path / "data"
    folder.mkdir()
    shutil.copy(empty_database, folder)
    made = Workshop(folder)
    yield made
    made.close()


@dataclass
class Standin:
    device: FilamentPrinter
    link: str
    camera: str


@pytest.fixture
def standin() -> Iterator[Standin]:
    device = FilamentPrinter(pace=1e6)
    lines, side = LineServer(device), ControlServer(device)
    lines.start()
    side.start()
    yield Standin(device, f"socket://127.0.0.1:{lines.port}", f"http://127.0.0.1:{side.port}")
    lines.close()
    side.close()


def unread(house: Workshop, trial: int) -> None:
    """As if nobody had looked yet: the next look is the first one."""
    with house.writing() as session:
        row = session.get_one(TrialRow, trial)
        row.readings = {**row.readings, "scores": {}, "measures": {}, "firsts": {}, "picked": None}


PATIENCE_S = 120.0
"""How long is waited for what is to come: it ends as soon as that is there, and a loaded machine may need long."""

QUICK = {"silence_s": 12.0, "reopen_s": 3.0, "answer_s": 2.0, "hello_s": 6.0}
"""For how long a print waits for its printer here, s."""


@pytest.fixture
def room(house: Workshop) -> Iterator[PrintManager]:
    made = PrintManager(house, QUICK)
    yield made
    made.close()


@pytest.fixture(scope="session")
def one_app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Flask]:
    """The application, made once: its routes take longer to make than most tests."""
    house = Workshop(tmp_path_factory.mktemp("nobodys"))
    room = PrintManager(house, QUICK)
    yield create_app(house, room, secret="test")
    room.close()
    house.close()


@pytest.fixture
def client(house: Workshop, room: PrintManager, one_app: Flask) -> Iterator[FlaskClient]:
    before = dict(one_app.config)
    one_app.extensions.update(workshop=house, room=room)
    one_app.config.update(WTF_CSRF_ENABLED=False, TESTING=True)
    with one_app.test_client() as made:
        yield made
    one_app.config.clear()
    one_app.config.update(before)


@dataclass
class Begun:
    """A workshop with one linked printer, one spool and its profile."""

    printer: int
    spool: int
    profile: int


@pytest.fixture
def begun(house: Workshop, standin: Standin) -> Begun:
    printer = workshop.save_printer(
        house, {**asdict(Printer("Petrel One")), "link_url": standin.link, "camera_url": standin.camera}
    )
    spool = workshop.save_material(house, LABEL, spool_seed=3)
    return Begun(printer, spool, profiles.create(house, spool, printer, "Razorbill PLA, chalk on Petrel One"))
