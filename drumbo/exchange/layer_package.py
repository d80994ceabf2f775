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
from itertools import repeat
from typing import IO, Annotated, Any

import numpy as np
from msgspec import Meta, Struct
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import NO_LIFT, Layer, LayerJob, Lift, Light, Rings, Screen
from drumbo.core.light.lamp import LampMap
from drumbo.core.light.png import SIGNATURE, png
from drumbo.core.light.raster import bits, greys
from drumbo.core.safe_zip import SafeZip, opened
from drumbo.exchange.typed_json import SomeText, parsed, typed

FORMAT, VERSION, MANIFEST = "drumbo-layers", 1, "manifest.json"
THREADS, AHEAD = 2, 6
LARGEST, LARGEST_MANIFEST, LARGEST_IMAGE = 1_500_000_000, 40_000_000, 80_000_000
MOST_LAYERS, MOST_LIGHTS, MOST_PIXELS = 40_000, 64, 200_000_000
Seconds = Annotated[float, Meta(ge=0, le=3600)]
Speed = Annotated[float, Meta(ge=1, le=10_000)]
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


def write_with(
    package: Package, layers: Sequence[Layer], title: Sequence[str], out: IO[bytes], lamp: LampMap | None = None
) -> None:
    """Write a package's pictures with other `layers`: of the same pictures, lit and lifted otherwise. With a `lamp`
    they are dimmed where it is brighter; else they are as they were.
    """
    names = [f"layers/{number:05d}.png" for number in range(1, len(package.images) + 1)]
    mask = None if lamp is None else lamp.mask(package.screen.pixels)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as bundle, ThreadPoolExecutor(THREADS) as pool:
        for first in range(0, len(names), AHEAD):
            few = range(first, min(first + AHEAD, len(names)))
            drawn = [package.picture(number) for number in few]
            if mask is not None:
                drawn = list(pool.map(_dimmed, [package.image(number) for number in few], repeat(mask)))
            for number, picture in zip(few, drawn, strict=True):
                bundle.writestr(zipfile.ZipInfo(names[number], _EPOCH), picture)
        evened = package.evened if lamp is None else lamp.longer
        told = replace(package, title=tuple(title), layers=tuple(layers), evened=evened)
        _write_manifest(bundle, told, names)


def _dimmed(rows: NDArray[np.uint8], mask: NDArray[np.float64]) -> bytes:
    return png(np.rint(rows * mask).astype(np.uint8), rows.shape[1], 8)


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
        **({"evened": round(of.evened, 4)} if of.evened != 1 else {}),
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
    """A package that was read. Layers' lights count into `images`; a picture is unpacked when it is asked for. Where
    pictures make up for an uneven lamp, lights are `evened` times as long as they would be else.
    """

    title: tuple[str, ...]
    screen: Screen
    layers: tuple[Layer, ...]
    images: tuple[str, ...]
    on_glass: bool
    evened: float = 1.0
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


class _LightIn(Struct):
    image: SomeText
    seconds: Seconds
    power: Annotated[float, Meta(ge=0, le=1)] = 1.0


class _LiftIn(Struct):
    mm: Annotated[float, Meta(ge=0, le=100)]
    mm_min: Speed
    fast_mm_min: Speed
    retract_mm_min: Speed
    slow_mm: Annotated[float, Meta(ge=0, le=100)] | None = None


class _LayerIn(Struct):
    height_um: Annotated[float, Meta(ge=0, le=5000)]
    lights: Annotated[list[_LightIn], Meta(max_length=MOST_LIGHTS)]
    lift: _LiftIn | None = None
    rest_before_s: Seconds = 0.0
    rest_after_s: Seconds = 0.0


class _Manifest(Struct):
    pixels: Annotated[list[Annotated[float, Meta(ge=1, le=100_000)]], Meta(min_length=2, max_length=2)]
    pixel_um: Annotated[float, Meta(ge=1, le=1000)]
    layers: Annotated[list[_LayerIn], Meta(min_length=1, max_length=MOST_LAYERS)]
    title: Any = ()
    on_glass: Any = False
    evened: Annotated[float, Meta(ge=1, le=20)] = 1.0


def _manifest_of(bundle: SafeZip) -> _Manifest:
    if MANIFEST not in bundle.names:
        raise _wrong(f"has no {MANIFEST} in it")
    found = parsed(bundle.read(MANIFEST, LARGEST_MANIFEST), lambda said: _wrong(f"has a {MANIFEST} that {said}"))
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise _wrong("is no layer package: it does not say so under “format”")
    version = found.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= VERSION:
        raise _wrong(f"is of a version that this Drumbo does not read; it reads up to {VERSION}")
    return typed(found, _Manifest, _wrong)


def _package(found: _Manifest, data: bytes) -> Package:
    across, deep = (int(each) for each in found.pixels)
    if across * deep > MOST_PIXELS:
        raise _wrong("is for a screen with more pixels than there are")
    places: dict[str, int] = {}
    layers = tuple(_layer(layer, f"layers[{number}]", places) for number, layer in enumerate(found.layers))
    said = tuple(str(line)[:200] for line in found.title[:10]) if isinstance(found.title, list) else ()
    return Package(
        said,
        Screen((across, deep), found.pixel_um),
        layers,
        tuple(places),
        found.on_glass is True,
        found.evened,
        data,
    )


def _layer(read: _LayerIn, where: str, places: dict[str, int]) -> Layer:
    return Layer(
        height_um=read.height_um,
        lights=tuple(
            Light(places.setdefault(light.image, len(places)), light.seconds, light.power) for light in read.lights
        ),
        lift=NO_LIFT if read.lift is None else _lift(read.lift, f"{where}.lift"),
        rest_before_s=read.rest_before_s,
        rest_after_s=read.rest_after_s,
    )


def _lift(read: _LiftIn, where: str) -> Lift:
    slow_mm = read.mm if read.slow_mm is None else read.slow_mm
    if slow_mm > read.mm:
        raise _wrong(f"has {slow_mm:g} under “{where}.slow_mm”, of a lift of {read.mm:g} mm in all")
    return Lift(read.mm, slow_mm, read.mm_min, read.fast_mm_min, read.retract_mm_min)


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
