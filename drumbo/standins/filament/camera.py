"""The camera in front of the stand-in's bed: the object as a lit picture, with known millimetres per pixel.

It looks straight along y without perspective. Every road is drawn at its own place with its own sag, droop,
sheen and colour; strings hang between where travels began and ended.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, PngImagePlugin

from drumbo.core.compiled import njit
from drumbo.standins.filament.printing import PrintedObject, blobs

Floats = NDArray[np.float64]

MARGIN_MM = 6.0
BELOW_MM = 4.0
_DARK_CARD, _LIGHT_CARD = np.array([84.0, 80.0, 90.0]), np.array([224.0, 218.0, 208.0])
_PLATE = np.array([58.0, 55.0, 60.0])


@dataclass(frozen=True, slots=True)
class Frame:
    """What the picture shows: bed x of its left edge, z (from the front) or bed y (from above) of its lower edge, both
    in mm, and its scale.
    """

    left_mm: float
    bottom_mm: float
    px_per_mm: float
    width: int
    height: int
    view: str = "front"


def frame_of(thing: PrintedObject, px_per_mm: float) -> Frame:
    """A frame around all that stands higher than a purge line or skirt."""
    shape = thing.geometry
    tall = shape.layer > 2 if (shape.layer > 2).any() else np.ones(len(shape.a), bool)
    left = float(shape.a[tall, 0].min()) - MARGIN_MM
    right = float(shape.a[tall, 0].max()) + MARGIN_MM
    top = float(shape.z.max()) + MARGIN_MM
    return Frame(left, -BELOW_MM, px_per_mm, round((right - left) * px_per_mm), round((top + BELOW_MM) * px_per_mm))


def front_picture(thing: PrintedObject, colour_hex: str = "#b9b1a2", px_per_mm: float = 10.0) -> tuple[bytes, Frame]:
    """A PNG of the object from the front and its frame. The same object gives the same bytes."""
    frame = frame_of(thing, px_per_mm)
    rng = np.random.default_rng([thing.digest, 77])
    depth, owner, across = _splat(thing, frame, rng)
    picture = _background(frame, colour_hex)
    seen = owner >= 0
    base = colours_of(thing, colour_hex)
    picture[seen] = _shade(thing, depth, owner, across, base, rng)[seen]
    image = Image.fromarray(np.clip(picture, 0, 255).astype(np.uint8))
    image = _strings(image, thing, frame, depth, colour_hex, rng)
    image = image.filter(ImageFilter.GaussianBlur(px_per_mm * 0.03))
    return png(image, px_per_mm), frame


def png(image: Image.Image, px_per_mm: float) -> bytes:
    """The picture as a PNG that says its scale."""
    note = PngImagePlugin.PngInfo()
    note.add_text("mm_per_px", f"{1 / px_per_mm:.6f}")
    out = io.BytesIO()
    image.save(out, "PNG", pnginfo=note, compress_level=2)
    return out.getvalue()


def _splat(thing: PrintedObject, frame: Frame, rng: np.random.Generator) -> tuple[Floats, Any, Any]:
    shape = thing.geometry
    depth = np.full((frame.height, frame.width), np.inf)
    owner = np.full((frame.height, frame.width), -1, np.int64)
    across = np.zeros((frame.height, frame.width))
    drop = thing.sag_mm + thing.droop_mm - thing.curl_mm
    gaps = rng.random(len(drop)) < thing.missing
    wobble = rng.normal(0, 0.012, len(drop)) + _slumped(thing, rng)
    _paint(
        shape.a, shape.b, shape.z - drop, shape.height, shape.width + wobble, gaps,
        frame.left_mm, frame.bottom_mm, frame.px_per_mm, depth, owner, across,
    )  # fmt: skip
    place, radius, piece = blobs(thing)
    spot, dots = np.ascontiguousarray(place[:, :2]), np.full(owner.shape, -1, np.int64)
    _paint(
        spot, spot, place[:, 2] + 0.4 * radius, 1.6 * radius, 2 * radius, np.zeros(len(radius), bool),
        frame.left_mm, frame.bottom_mm, frame.px_per_mm, depth, dots, across,
    )  # fmt: skip
    owner[dots >= 0] = piece[dots[dots >= 0]]
    return depth, owner, across


def _slumped(thing: PrintedObject, rng: np.random.Generator) -> Floats:
    """(n,) by how much soft layers have spread, mm: unevenly from layer to layer."""
    layers = int(thing.geometry.layer.max(initial=0)) + 1
    spread = np.clip(rng.normal(0.5, 0.5, layers), 0, None)[thing.geometry.layer]
    return np.asarray(1.6 * np.clip(thing.slump - 0.05, 0, None) * spread)


@njit
def _paint(
    a: Any, b: Any, z: Any, height: Any, width: Any, gaps: Any, left: float, bottom: float, scale: float,
    depth: Any, owner: Any, across: Any,
) -> None:  # fmt: skip
    """Draw every piece of road into the depth buffer: nearest front surface wins."""
    rows, columns = depth.shape
    for i in range(len(a)):
        if gaps[i]:
            continue
        half, radius = height[i] / 2, width[i] / 2
        middle = z[i] - half
        x0, x1 = min(a[i, 0], b[i, 0]), max(a[i, 0], b[i, 0])
        first = max(int((x0 - left - radius * 0.6) * scale), 0)
        last = min(int((x1 - left + radius * 0.6) * scale) + 1, columns)
        low = max(int((middle - half * 1.08 - bottom) * scale), 0)
        high = min(int((middle + half * 1.08 - bottom) * scale) + 1, rows)
        run = x1 - x0
        for column in range(first, last):
            x = left + (column + 0.5) / scale
            share = 0.5 if run < 1e-9 else min(1.0, max(0.0, (x - a[i, 0]) / (b[i, 0] - a[i, 0])))
            y = a[i, 1] + (b[i, 1] - a[i, 1]) * share
            if run < 0.3:
                y = min(a[i, 1], b[i, 1])
            for row in range(low, high):
                v = ((row + 0.5) / scale + bottom - middle) / half
                if v < -1.12 or v > 1.12:
                    continue
                front = y - radius * np.sqrt(max(1.0 - 0.72 * v * v, 0.02))
                at = rows - 1 - row
                if front < depth[at, column]:
                    depth[at, column] = front
                    owner[at, column] = i
                    across[at, column] = v


def _shade(
    thing: PrintedObject, depth: Floats, owner: Any, across: Floats, base: Floats, rng: np.random.Generator
) -> Floats:
    """Colour (h, w, 3): light from the upper left, rounded layers, edges of depth in shadow, sheen and scorch."""
    index = np.maximum(owner, 0)
    flat = np.where(np.isfinite(depth), depth, np.nanmax(np.where(np.isfinite(depth), depth, np.nan)))
    slope = np.clip(np.gradient(flat, axis=1) * 4.0, -2.5, 2.5)
    lying = np.clip(across, -1.1, 1.1)
    norm = np.sqrt(slope**2 + lying**2 + 1.0)
    light = np.clip((0.30 * slope + 0.34 * lying + 0.90) / norm, 0, None)
    grain = rng.normal(0, 0.02, len(thing.gloss))[index]
    gloss = thing.gloss[index]
    shine = gloss * 0.75 * np.exp(-(((lying - 0.35) / 0.22) ** 2)) * np.exp(-((slope / 0.8) ** 2))
    near = float(np.quantile(flat[owner >= 0], 0.05))
    shadow = 1.0 - 0.32 * np.clip((flat - near) / 9.0, 0, 1)
    behind = np.roll(flat, (4, 5), axis=(0, 1))
    shadow *= np.where(behind < flat - 0.35, 0.66, 1.0)
    seam = np.where((thing.bond[index] < 0.3) & (lying < -0.75), 0.45, 1.0)
    matt = 1.0 - 0.10 * (1.0 - gloss)
    tone = (0.34 + 0.86 * light) * shadow * seam * matt + grain
    scorch = thing.damage[index][..., None]
    colour = base[index] * (1 - 0.6 * scorch) + np.array([74.0, 44.0, 20.0]) * 0.6 * scorch
    return np.asarray(colour * tone[..., None] + 150.0 * (shine * shadow)[..., None])


def colours_of(thing: PrintedObject, colour_hex: str) -> Floats:
    """(n, 3) colours of its roads: one for all, unless several were in the nozzle."""
    return np.tile(rgb(colour_hex), (len(thing.geometry.z), 1)) if thing.colours is None else thing.colours


def rgb(colour_hex: str) -> Floats:
    """(3,) 0..255 of a colour like #8b2252."""
    return np.array([int(colour_hex[i : i + 2], 16) for i in (1, 3, 5)], float)


def _background(frame: Frame, colour_hex: str) -> Floats:
    """A card behind the bed: dark behind pale filament, pale behind dark, so that threads show."""
    picture = np.empty((frame.height, frame.width, 3))
    fade = np.linspace(1.08, 0.9, frame.height)[:, None, None]
    picture[:] = (_DARK_CARD if rgb(colour_hex).mean() > 110 else _LIGHT_CARD) * fade
    plate = round(-frame.bottom_mm * frame.px_per_mm)
    picture[frame.height - plate :] = _PLATE * np.linspace(1.15, 0.8, plate)[:, None, None]
    return picture


def _strings(
    image: Image.Image, thing: PrintedObject, frame: Frame, depth: Floats, colour_hex: str, rng: np.random.Generator
) -> Image.Image:
    """Threads over travels, each as thick as its volume makes it, hidden where something stands before it."""
    shape = thing.geometry
    air = np.maximum(shape.travel_air_mm, 0.1)
    thick = np.sqrt(thing.string_mm3 / air * 4 / np.pi)
    shown = np.flatnonzero((thick > 0.026) & (shape.travel_air_mm > 1.0))
    if not len(shown):
        return image
    mask = Image.new("L", image.size, 0)
    draw = ImageDraw.Draw(mask)
    for i in shown.tolist():
        (xa, ya), (xb, yb) = shape.travel_a[i], shape.travel_b[i]
        hang = rng.uniform(0.0, 0.06) * abs(xb - xa) + rng.uniform(0, 0.3)
        steps = np.linspace(0, 1, 14)
        x = (xa + (xb - xa) * steps - frame.left_mm) * frame.px_per_mm
        z = shape.travel_z[i] - 0.1 - hang * 4 * steps * (1 - steps)
        y = image.size[1] - (z - frame.bottom_mm) * frame.px_per_mm
        strength = int(min(235, 40 + 2400 * (thick[i] - 0.02)))
        column, row = np.clip(x.astype(int), 0, image.size[0] - 1), np.clip(y.astype(int), 0, image.size[1] - 1)
        clear = depth[row, column] > (ya + yb) / 2 - 0.8
        for k in range(len(steps) - 1):
            if clear[k] or clear[k + 1]:
                draw.line([(x[k], y[k]), (x[k + 1], y[k + 1])], fill=strength, width=1 if thick[i] < 0.12 else 2)
    red, green, blue = (int(v) for v in rgb(colour_hex) * 0.8 + 45)
    return Image.composite(Image.new("RGB", image.size, (red, green, blue)), image, mask)
