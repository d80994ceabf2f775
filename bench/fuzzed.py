"""What strangers may send, a target each: files of every format, forms and addresses, on a filled workshop."""

from __future__ import annotations

import gzip
import io
import re
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from random import Random
from typing import Any

import numpy as np
from flask.testing import FlaskClient
from PIL import Image

from bench.layers import job_of, plate
from bench.spoil import respoilt, spoilt, zipped
from drumbo.core.errors import DrumboError
from drumbo.core.gcode.inspect import analyse, summary
from drumbo.core.gcode.reader import read
from drumbo.core.light.retime import retimed
from drumbo.core.material import Material
from drumbo.core.piece import stl_bytes
from drumbo.core.planner import reference_part
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.core.resin import Resin, ResinPrinter
from drumbo.exchange.incoming import unpacked
from drumbo.exchange.layer_package import package_bytes, read_package, write_with
from drumbo.exchange.meshes import read_part, threemf_bytes
from drumbo.exchange.package_check import check_package
from drumbo.exchange.photos import upright
from drumbo.exchange.profile_file import profile_json, profile_zip, read_profile
from drumbo.exchange.table import guess, read_table
from drumbo.services import profiles, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.archive import pack, unpack
from drumbo.store.database import Workshop
from drumbo.web import create_app

TYPED = ("", "0", "1", "-1", "1e400", "nan", "inf", "1" * 400, " " * 5000, "1," * 5000, "9223372036854775808", "\x00",
         "é", "<script>", "x" * 30_000, "../../etc/passwd", "1:2", "215", "0.2", "1,75 mm", "2026-02-30")  # fmt: skip
IN_PATHS = ("0", "1", "2", "9999", "9223372036854775808", "1" * 400, "temperature", "exposure-coupon", "nope",
            "0" * 64, "a" * 300, "%00", "..", "%2e%2e", "é", "nozzle_c", "exposure_s", "stl", "json")  # fmt: skip

Case = Callable[[], object]
Cases = Callable[[Random], Case]


@dataclass
class Rig:
    """What the targets work on: a workshop with a profile and a planned trial of each process, and its pages."""

    folder: Path
    house: Workshop
    client: FlaskClient
    rules: list[Any]
    fields: list[str]


@contextmanager
def rig() -> Iterator[Rig]:
    """A workshop in an empty folder; gone afterwards."""
    with ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        house = Workshop(folder / "data")
        stack.callback(house.close)
        room = PrintManager(house)
        stack.callback(room.close)
        _fill(house)
        app = create_app(house, room, secret="fuzz")
        app.config.update(WTF_CSRF_ENABLED=False, PROPAGATE_EXCEPTIONS=True)
        web = Path(__file__).parents[1] / "drumbo"
        named = {name for path in web.rglob("*.html") for name in re.findall(r'name="([\w-]+)"', path.read_text())}
        asked = re.compile(r'(?:args|form|values)\.get(?:list)?\("([\w-]+)"')
        named |= {name for path in (web / "web").rglob("*.py") for name in asked.findall(path.read_text())}
        yield Rig(folder, house, app.test_client(), list(app.url_map.iter_rules()), sorted(named))


def _fill(house: Workshop) -> None:
    printers = [workshop.save_printer(house, asdict(machine)) for machine in (Printer("One"), ResinPrinter("Two"))]
    label = {"family": "pla", "maker": "Maker", "product": "Spool", "colour": "grey", "colour_hex": "#808080",
             "nozzle_low_c": "200", "nozzle_high_c": "220", "diameter_mm": "1.75", "density_g_cm3": "1.24",
             "currency": "€"}  # fmt: skip
    bottle = {"process": "resin", "family": "resin-standard", "maker": "Maker", "product": "Bottle", "colour": "grey",
              "colour_hex": "#808080", "exposure_s": "2.5", "density_g_cm3": "1.1", "currency": "€",
              "bottle_ml": "1000", "exposure_layer_um": "50"}  # fmt: skip
    materials = [workshop.save_material(house, typed) for typed in (label, bottle)]
    for material, printer, slug in zip(materials, printers, ("temperature", "cure-on-glass"), strict=True):
        profile = profiles.create(house, material, printer, slug, "50" if slug == "cure-on-glass" else None)
        plan = trials.draft(house, profile, slug).plan
        trials.printed_by_hand(house, trials.create(house, profile, slug, plan))


def _reading(drawn: Callable[[Random], bytes], look: Callable[[bytes], object]) -> Cases:
    """Cases that look at drawn bytes."""

    def case(rng: Random) -> Case:
        data = drawn(rng)
        return lambda: look(data)

    return case


def gcode(rig: Rig) -> Cases:
    """A file for the check, packed or not."""
    good = trials.printed_file(rig.house, 1)[:400_000]
    bombs = [gzip.compress(line * (60_000_000 // len(line))) for line in (b"\x00", b"G1 X1\n", b"\n")]

    def look(data: bytes) -> None:
        summary(analyse(read(unpacked(data)), printer=Printer("One")))

    def case(rng: Random) -> Case:
        data = spoilt(rng, good[: rng.choice((400, 20_000, len(good)))])
        way = rng.random()
        if way < 0.15:
            data = gzip.compress(data)
            data = spoilt(rng, data) if rng.random() < 0.5 else data
        elif way < 0.2:
            data = rng.choice(bombs)
        return lambda: look(data)

    return case


def stl(_rig: Rig) -> Cases:
    """A part as STL, text and binary."""
    solid = reference_part()
    binary = stl_bytes(solid)
    mesh = solid.to_mesh()
    faces = np.asarray(mesh.vert_properties)[np.asarray(mesh.tri_verts)][:400, :, :3]
    corners = (b"".join(b"vertex %f %f %f\n" % tuple(point) for point in face) for face in faces)
    text = b"solid a\n" + b"".join(b"facet normal 0 0 1\nouter loop\n%bendloop\nendfacet\n" % each for each in corners)

    def case(rng: Random) -> Case:
        data = spoilt(rng, rng.choice((binary, text)))
        return lambda: read_part(data)

    return case


_SPACE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"


def _nested(rng: Random) -> bytes:
    """Components within components: few bytes, very many parts."""
    wide, deep = rng.randint(2, 12), rng.randint(3, 40)
    mesh = (
        "<mesh><vertices>"
        + '<vertex x="0" y="0" z="0"/>' * 3
        + '</vertices><triangles><triangle v1="0" v2="1" v3="2"/>'
    )
    one = f'<object id="0">{mesh}</triangles></mesh></object>' if rng.random() < 0.5 else '<object id="0"></object>'
    parts = ""
    for k in range(1, deep):
        below = f'<component objectid="{k - 1}"/>' * wide
        parts += f'<object id="{k}"><components>{below}</components></object>'
    back = f'<object id="{deep}"><components><component objectid="{deep}"/></components></object>'
    model = f'<model xmlns="{_SPACE}"><resources>{one}{parts}{back if rng.random() < 0.3 else ""}</resources>' \
            f'<build><item objectid="{deep - 1}"/></build></model>'  # fmt: skip
    return zipped("3D/3dmodel.model", model.encode())


def threemf(_rig: Rig) -> Cases:
    """A part as 3MF."""
    good = threemf_bytes(reference_part())
    many = (
        f'<model xmlns="{_SPACE}"><resources><object id="1"><mesh><vertices>'.encode()
        + b'<vertex x="1" y="2" z="3"/>' * 1_500_000
    )
    bomb = zipped("3D/3dmodel.model", b"<model>" + b" " * 60_000_000)
    large = zipped("a.model", many)

    def case(rng: Random) -> Case:
        way = rng.random()
        data = _nested(rng) if way < 0.3 else rng.choice((bomb, large)) if way < 0.34 else respoilt(rng, good)
        return lambda: read_part(data)

    return case


def _profile_text() -> str:
    material = Material("Maker", "Spool", "pla", "grey", "#808080", 200, 220)
    machine = Printer("One")
    return profile_json(start("x", material, machine), 1, material, machine)


def profile_file(_rig: Rig) -> Cases:
    """A profile file."""
    good = _profile_text().encode()
    deep = b'{"format":"drumbo-profile","a":' + b"[" * 200_000
    return _reading(lambda rng: deep if rng.random() < 0.02 else spoilt(rng, good), read_profile)


def profile_bundle(_rig: Rig) -> Cases:
    """A profile with its pictures."""
    good = profile_zip(_profile_text(), {"a.png": b"x" * 5000})
    return _reading(lambda rng: respoilt(rng, good), read_profile)


def table(_rig: Rig) -> Cases:
    """A foreign table of values."""
    good = (
        b"name,value,unit\nnozzle temperature,215,C\nbed,60,C\nflow,97,%\nretract length,0.8,mm\n",
        b"nozzle temperature = 215\nbed: 60 C\nflow ratio=0.97\n# remark\n; other\nspeeds = 30;40;50\n",
        b"profile;nozzle;bed\none;215;60\ntwo;220;70\n",
    )

    def look(data: bytes) -> None:
        found = read_table(data)
        for entry in found.entries:
            _ = entry.number, entry.unit, guess(entry.name)

    return _reading(lambda rng: spoilt(rng, rng.choice(good)), look)


def layer_package(_rig: Rig) -> Cases:
    """A package of layer pictures: looked into, and a copy with other times made of it."""
    good = package_bytes(job_of(plate(2)))
    resin = Resin("", "", "resin-standard", "", "#808080")
    numbers = start("", resin, ResinPrinter("")).numbers()

    def look(data: bytes) -> None:
        _ = check_package(data).runs
        package = read_package(data)
        heights = {**numbers, "layer_um": package.layers[0].height_um}
        write_with(package, retimed(package.layers, heights), package.title, io.BytesIO())

    return _reading(lambda rng: respoilt(rng, good), look)


def archive(rig: Rig) -> Cases:
    """A whole workshop; what is refused leaves nothing behind."""
    held = io.BytesIO()
    pack(rig.house.folder, held)
    good = held.getvalue()

    def look(data: bytes) -> None:
        target = rig.folder / "unpacked"
        path = rig.folder / "archive.zip"
        path.write_bytes(data)
        try:
            unpack(path, target)
        except DrumboError:
            left = [p.name for p in rig.folder.iterdir() if p.name.startswith((".unpacking", "unpacked"))]
            if left:
                raise AssertionError(f"a refused archive left {left}") from None
            raise
        finally:
            shutil.rmtree(target, ignore_errors=True)

    return _reading(lambda rng: respoilt(rng, good), look)


def photo(_rig: Rig) -> Cases:
    """A photo."""
    shots = []
    for kind in ("PNG", "JPEG", "WEBP", "GIF", "TIFF", "BMP", "PPM"):
        out = io.BytesIO()
        Image.fromarray(np.random.default_rng(1).integers(0, 256, (200, 300, 3), np.uint8)).save(out, kind)
        shots.append(out.getvalue())
    wide = io.BytesIO()
    Image.new("1", (30_000, 30_000)).save(wide, "PNG")
    shots += [wide.getvalue(), b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 100 100\nshowpage\n"]

    def drawn(rng: Random) -> bytes:
        shot = rng.choice(shots)
        return spoilt(rng, shot) if rng.random() < 0.9 else shot

    return _reading(drawn, upright)


def forms(rig: Rig) -> Cases:
    """Forms with made-up fields, and files where others are meant."""
    return _pages(rig, "POST")


def addresses(rig: Rig) -> Cases:
    """Addresses and queries."""
    return _pages(rig, "GET")


def _pages(rig: Rig, method: str) -> Cases:
    rules = [rule for rule in rig.rules if method in rule.methods]

    def case(rng: Random) -> Case:
        rule = rng.choice(rules)
        path = rule.rule
        for name in rule.arguments:
            known = (
                re.findall(r"[\w]+", rule._converters[name].regex)
                if "Any" in type(rule._converters[name]).__name__
                else []
            )
            value = rng.choice(known or IN_PATHS if rng.random() < 0.8 else IN_PATHS)
            path = re.sub(rf"<[^<>]*\b{name}>", value.replace("\\", ""), path)
        typed: dict[str, Any] = {rng.choice(rig.fields): rng.choice(TYPED) for _ in range(rng.randint(0, 6))}
        if method == "POST" and rng.random() < 0.3:
            typed[rng.choice(("file", "photo", "other", "part_file"))] = (
                io.BytesIO(rng.randbytes(rng.choice((0, 5, 3000)))),
                "x",
            )

        def ask() -> None:
            kept = {"query_string": typed} if method == "GET" else {"data": typed}
            answer = rig.client.open(path, method=method, **kept)  # type: ignore[arg-type]
            answer.close()
            if answer.status_code == 500 or answer.status_code > 503:
                raise AssertionError(f"{method} {rule.rule} answers {answer.status_code}")

        return ask

    return case


TARGETS: dict[str, Callable[[Rig], Cases]] = {
    "gcode": gcode, "stl": stl, "3mf": threemf, "profile-file": profile_file, "profile-zip": profile_bundle,
    "table": table, "layer-package": layer_package, "archive": archive, "photo": photo, "forms": forms,
    "addresses": addresses,
}  # fmt: skip
