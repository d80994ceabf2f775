"""The layer package: a zip of PNG layers and a manifest that says how each is lit and lifted. See docs/formats.md.

Reading believes nothing: sizes, names, counts and pictures are looked at before anything is taken.
"""

from __future__ import annotations

import io
import json
import struct
import zipfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field, replace
from hashlib import blake2b
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import NO_LIFT, Layer, LayerJob, Lift, Light, Rings, Screen
from drumbo.core.light.png import SIGNATURE, png
from drumbo.core.light.raster import bits, greys
from drumbo.core.safe_zip import SafeZip, opened

FORMAT, VERSION, MANIFEST = "drumbo-layers", 1, "manifest.json"
THREADS, AHEAD = 2, 6
LARGEST, LARGEST_MANIFEST, LARGEST_IMAGE = 1_500_000_000, 40_000_000, 80_000_000
MOST_LAYERS, MOST_LIGHTS, MOST_PIXELS = 40_000, 64, 200_000_000
_EPOCH = (1980, 1, 1, 0, 0, 0)


def draw(shape: Rings, screen: Screen, levels: int = 1, mask: NDArray[np.float64] | None = None) -> bytes:
    """One layer's picture as a PNG, black and white or in grey steps, dimmed by a `mask` (rows, columns). The same
    pixels give the same bytes.
    """
    if mask is not None:
        rows = np.rint(greys(shape, screen.pixels, screen.pixel_mm, max(levels, 1)) * mask).astype(np.uint8)
        return png(rows, screen.pixels[0], 8)
    if levels <= 1:
        rows, depth = bits(shape, screen.pixels, screen.pixel_mm), 1
    else:
        rows, depth = greys(shape, screen.pixels, screen.pixel_mm, levels), 8
    return png(rows, screen.pixels[0], depth)


def write(job: LayerJob, out: IO[bytes]) -> int:
    """Write a job as a package; returns how many pictures are in it. Pictures that are the same are stored once; no
    more than a few are held at a time.
    """
    names: list[str] = []
    seen: dict[bytes, str] = {}
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as bundle:
        for drawn in _in_order(job):
            digest = blake2b(drawn, digest_size=16).digest()
            name = seen.get(digest)
            if name is None:
                name = seen[digest] = f"layers/{len(seen) + 1:05d}.png"
                bundle.writestr(zipfile.ZipInfo(name, _EPOCH), drawn)
            names.append(name)
        _write_manifest(bundle, job, names)
    return len(seen)


def write_with(package: Package, layers: Sequence[Layer], title: Sequence[str], out: IO[bytes]) -> None:
    """Write a package's pictures, as they are, with other `layers`: of the same pictures, lit and lifted otherwise."""
    names = [f"layers/{number:05d}.png" for number in range(1, len(package.images) + 1)]
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as bundle:
        for number, name in enumerate(names):
            bundle.writestr(zipfile.ZipInfo(name, _EPOCH), package.picture(number))
        _write_manifest(bundle, replace(package, title=tuple(title), layers=tuple(layers)), names)


def _write_manifest(bundle: zipfile.ZipFile, of: LayerJob | Package, names: Sequence[str]) -> None:
    text = json.dumps(_manifest(of, names), separators=(",", ":"), allow_nan=False)
    about = zipfile.ZipInfo(MANIFEST, _EPOCH)
    about.compress_type = zipfile.ZIP_DEFLATED
    bundle.writestr(about, text)


def package_bytes(job: LayerJob) -> bytes:
    """A job's package in memory."""
    out = io.BytesIO()
    write(job, out)
    return out.getvalue()


def _in_order(job: LayerJob) -> Iterator[bytes]:
    mask = None if job.mask is None else job.mask.mask(job.screen.pixels)
    with ThreadPoolExecutor(THREADS) as pool:
        waiting = []
        for shape in job.shapes:
            waiting.append(pool.submit(draw, shape, job.screen, job.antialias_levels, mask))
            if len(waiting) >= AHEAD:
                yield waiting.pop(0).result()
        for one in waiting:
            yield one.result()


def _manifest(of: LayerJob | Package, names: Sequence[str]) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "version": VERSION,
        "title": list(of.title),
        "pixels": list(of.screen.pixels),
        "pixel_um": of.screen.pixel_um,
        "on_glass": of.on_glass,
        "layers": [
            {
                "height_um": layer.height_um,
                "lights": [
                    {"image": names[light.shape], "seconds": light.seconds, "power": round(light.power, 4)}
                    for light in layer.lights
                ],
                "rest_before_s": layer.rest_before_s,
                "rest_after_s": layer.rest_after_s,
                "lift": asdict(layer.lift),
            }
            for layer in of.layers
        ],
    }


@dataclass(frozen=True, slots=True)
class Package:
    """A package that was read. Layers' lights count into `images`; a picture is unpacked when it is asked for."""

    title: tuple[str, ...]
    screen: Screen
    layers: tuple[Layer, ...]
    images: tuple[str, ...]
    on_glass: bool
    _data: bytes = field(repr=False, default=b"")
    _bundles: list[zipfile.ZipFile] = field(repr=False, compare=False, default_factory=list)

    @property
    def seconds(self) -> float:
        """How long it takes in all."""
        return sum(layer.seconds for layer in self.layers)

    def without_pictures(self) -> Package:
        """What it says of its layers, and none of its data."""
        return replace(self, _data=b"", _bundles=[])

    def picture(self, number: int) -> bytes:
        """A picture as it is stored; InvalidInput where the package is broken."""
        try:
            return self._bundle().read(self.images[number])
        except (zipfile.BadZipFile, OSError, ValueError) as error:
            raise _wrong(f"holds a picture that is broken: {self.images[number]}") from error

    def _bundle(self) -> zipfile.ZipFile:
        """Opened once: a package's list of names is as long as it has pictures."""
        if not self._bundles:
            self._bundles.append(zipfile.ZipFile(io.BytesIO(self._data)))
        return self._bundles[0]

    def image(self, number: int) -> NDArray[np.uint8]:
        """(rows, columns) of a picture, 0..255; InvalidInput where it is broken."""
        with self._opened(number) as found:
            return np.asarray(found.convert("L"))

    def lit(self, number: int) -> tuple[int, int, NDArray[np.uint8]]:
        """What of a picture is lit: first row and column, and the pixels from there on, 0..255; none for a dark one."""
        with self._opened(number) as found:
            box = found.getbbox()
            if box is None:
                return 0, 0, np.zeros((0, 0), np.uint8)
            return box[1], box[0], np.asarray(found.crop(box).convert("L"))

    @contextmanager
    def _opened(self, number: int) -> Iterator[Image.Image]:
        name = self.images[number]
        try:
            with Image.open(io.BytesIO(self._bundle().read(name))) as found:
                found.load()
                yield found
        except (zipfile.BadZipFile, UnidentifiedImageError, OSError, SyntaxError, ValueError) as error:
            raise _wrong(f"holds a picture that is broken: {name}") from error


def read_package(data: bytes) -> Package:
    """What a package holds; InvalidInput says where it is wrong, and nothing of it is taken."""
    if len(data) > LARGEST:
        raise _wrong(f"is larger than {LARGEST // 1_000_000} MB")
    with opened(data, most=LARGEST_IMAGE, most_together=LARGEST, wrong=_wrong) as bundle:
        package = _package(_manifest_of(bundle), data)
        _check_pictures(bundle, package)
        return package


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("package", message)


def _manifest_of(bundle: SafeZip) -> dict[str, Any]:
    if MANIFEST not in bundle.names:
        raise _wrong(f"has no {MANIFEST} in it")
    text = bundle.read(MANIFEST, LARGEST_MANIFEST)
    try:
        found = json.loads(text.decode("utf-8"), parse_constant=_no_number)
    except (RecursionError, ValueError) as error:
        raise error if isinstance(error, InvalidInput) else _wrong(f"has a broken {MANIFEST}") from error
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise _wrong("is no layer package: it does not say so under “format”")
    version = found.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= VERSION:
        raise _wrong(f"is of a version that this Drumbo does not read; it reads up to {VERSION}")
    return found


def _no_number(word: str) -> Any:
    raise _wrong(f"holds {word}, which is no number")


def _package(found: dict[str, Any], data: bytes) -> Package:
    pixels, layers, title = found.get("pixels"), found.get("layers"), found.get("title", [])
    if not isinstance(pixels, list) or len(pixels) != 2:
        raise _wrong("does not say how many pixels the screen has, under “pixels”")
    across, deep = (int(_number(n, "pixels", 1, 100_000)) for n in pixels)
    if across * deep > MOST_PIXELS:
        raise _wrong("is for a screen with more pixels than there are")
    if not isinstance(layers, list) or not layers:
        raise _wrong("has no layers")
    if len(layers) > MOST_LAYERS:
        raise _wrong(f"has more than {MOST_LAYERS} layers")
    places: dict[str, int] = {}
    read = tuple(_layer(layer, f"layers[{number}]", places) for number, layer in enumerate(layers))
    said = tuple(str(line)[:200] for line in title[:10]) if isinstance(title, list) else ()
    screen = Screen((across, deep), _number(found.get("pixel_um"), "pixel_um", 1, 1000))
    return Package(said, screen, read, tuple(places), found.get("on_glass") is True, data)


def _layer(found: Any, where: str, places: dict[str, int]) -> Layer:
    if not isinstance(found, dict):
        raise _wrong(f"has no layer under “{where}”")
    lights = found.get("lights")
    if not isinstance(lights, list) or len(lights) > MOST_LIGHTS:
        raise _wrong(f"has no list of lights, or too long a one, under “{where}.lights”")
    lift = found.get("lift")
    return Layer(
        height_um=_number(found.get("height_um"), f"{where}.height_um", 0, 5000),
        lights=tuple(_light(light, f"{where}.lights[{n}]", places) for n, light in enumerate(lights)),
        lift=NO_LIFT if lift is None else _lift(lift, f"{where}.lift"),
        rest_before_s=_number(found.get("rest_before_s", 0), f"{where}.rest_before_s", 0, 3600),
        rest_after_s=_number(found.get("rest_after_s", 0), f"{where}.rest_after_s", 0, 3600),
    )


def _light(found: Any, where: str, places: dict[str, int]) -> Light:
    name = found.get("image") if isinstance(found, dict) else None
    if not isinstance(name, str) or not name:
        raise _wrong(f"names no picture under “{where}.image”")
    shape = places.setdefault(name, len(places))
    power = _number(found.get("power", 1), f"{where}.power", 0, 1)
    return Light(shape, _number(found.get("seconds"), f"{where}.seconds", 0, 3600), power)


def _lift(found: Any, where: str) -> Lift:
    if not isinstance(found, dict):
        raise _wrong(f"has no lift under “{where}”")
    mm = _number(found.get("mm"), f"{where}.mm", 0, 100)
    return Lift(
        mm, _number(found.get("slow_mm", mm), f"{where}.slow_mm", 0, mm),
        *(_number(found.get(key), f"{where}.{key}", 1, 10_000) for key in ("mm_min", "fast_mm_min", "retract_mm_min")),
    )  # fmt: skip


def _number(found: Any, where: str, low: float, high: float) -> float:
    if isinstance(found, bool) or not isinstance(found, (int, float)):
        raise _wrong(f"has no number under “{where}”")
    # What is no number lies between no bounds.
    if not low <= found <= high:
        said = f"{found:g}" if abs(found) < 1e12 else "a number beyond all bounds"
        raise _wrong(f"has {said} under “{where}”; {low:g} to {high:g} can be")
    return float(found)


def _check_pictures(bundle: SafeZip, package: Package) -> None:
    """Every picture is there and as large as the screen; its first bytes tell without unpacking it."""
    there = set(bundle.names)
    for name in package.images:
        if name not in there:
            raise _wrong(f"lacks a picture that a layer wants: {name[:80]}")
        head = bundle.head(name, 26)
        if len(head) < 26 or head[:8] != SIGNATURE:
            raise _wrong(f"holds a picture that is no PNG: {name[:80]}")
        size = struct.unpack(">II", head[16:24])
        if size != package.screen.pixels:
            wide, high = package.screen.pixels
            raise _wrong(
                f"holds a picture of {size[0]} × {size[1]} pixels for a screen of {wide} × {high}: {name[:80]}"
            )
