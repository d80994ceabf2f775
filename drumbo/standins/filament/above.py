"""The camera above the stand-in's bed, with a lamp that shines low across it.

Every road is a rounded back in a height map. Slanting light makes what a maker looks for plain: dark lines where roads
do not meet, bright and dark flanks where too much has risen into ridges.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from drumbo.core.compiled import njit
from drumbo.standins.filament.camera import Frame, colours_of, png
from drumbo.standins.filament.printing import PrintedObject, blobs

Floats = NDArray[np.float64]

MARGIN_MM = 5.0
FEW_LAYERS, BESIDE_MM = 2, 18.0
"""Of so few layers (above the first) digits that lie beside are shown too."""
LARGEST_PX = 4200
LAMP = np.array([-0.80, 0.30, 0.52])
"""Where the light comes from: low, from the left and a little behind."""
TORN = 0.06
"""A road that lacks no more than this share is thinner; past it, holes open."""
PLATE, PAPER = np.array([66.0, 63.0, 68.0]), np.array([246.0, 244.0, 240.0])
"""What it lies on: the printer's, or a sheet that somebody put beneath."""


def top_picture(
    thing: PrintedObject, colour_hex: str = "#b9b1a2", px_per_mm: float = 16.0, *, on: Floats = PLATE
) -> tuple[bytes, Frame]:
    """A PNG of the object from above, `on` what it lies (red, green and blue), and its frame. The same object gives the
    same bytes.
    """
    frame = frame_above(thing, px_per_mm)
    rng = np.random.default_rng([thing.digest, 78])
    shape = thing.geometry
    surface = np.zeros((frame.height, frame.width))
    owner = np.full((frame.height, frame.width), -1, np.int64)
    gone = rng.random(len(shape.a)) < np.where(thing.missing > TORN, thing.missing, 0.0)
    fill = np.nan_to_num(thing.fill, nan=1.0)
    ridge = np.clip(fill - 1.0, 0.0, 0.3) * np.clip(1 + rng.normal(0, 0.25, len(shape.a)), 0, None)
    flat = np.clip(0.90 - 5.0 * np.clip(1.0 - fill, 0.0, None), 0.25, 0.90)
    order = np.argsort(shape.z, kind="stable")
    begins, ends = _tapered(shape.a, shape.b, thing.width_mm)
    at = (frame.left_mm, frame.bottom_mm, frame.px_per_mm, surface, owner)
    _lay(shape.a, shape.b, shape.z, shape.height, begins, ends, ridge, flat, gone, order, np.arange(len(order)), *at)
    _lay_blobs(thing, at)
    picture = _lit(thing, surface, owner, frame, colours_of(thing, colour_hex), on, rng)
    image = Image.fromarray(np.clip(picture, 0, 255).astype(np.uint8))
    return png(image.filter(ImageFilter.GaussianBlur(frame.px_per_mm * 0.02)), frame.px_per_mm), frame


def _tapered(a: Floats, b: Floats, width: Floats) -> tuple[Floats, Floats]:
    """(n,) widths at both ends of every piece: a road changes its width smoothly from piece to piece."""
    begins, ends = width.copy(), width.copy()
    joined = np.abs(b[:-1] - a[1:]).max(axis=1, initial=0.0) < 0.01
    between = (width[:-1] + width[1:]) / 2
    begins[1:][joined] = between[joined]
    ends[:-1][joined] = between[joined]
    return begins, ends


def _lay_blobs(thing: PrintedObject, at: tuple[Any, ...]) -> None:
    place, radius, piece = blobs(thing)
    spot, none = np.ascontiguousarray(place[:, :2]), np.zeros(len(radius))
    _lay(
        spot, spot, place[:, 2] + 0.6 * radius, 1.2 * radius, 2 * radius, 2 * radius, none, none, none > 0,
        np.arange(len(radius)), piece, *at,
    )  # fmt: skip


def frame_above(thing: PrintedObject, px_per_mm: float) -> Frame:
    """A frame around all that is higher than a purge line or skirt; the scale gives way to a large object."""
    shape = thing.geometry
    tall = shape.layer > 1 if (shape.layer > 1).any() else np.ones(len(shape.a), bool)
    if 0 < shape.layer.max() <= FEW_LAYERS:
        tall = _around(shape.a, shape.layer > 0)
    low = np.minimum(shape.a, shape.b)[tall].min(axis=0) - MARGIN_MM
    high = np.maximum(shape.a, shape.b)[tall].max(axis=0) + MARGIN_MM
    scale = min(px_per_mm, LARGEST_PX / float((high - low).max()))
    width, height = (round(float(side) * scale) for side in high - low)
    return Frame(float(low[0]), float(low[1]), scale, width, height, "top")


def _around(at: Floats, higher: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(n,) what lies where higher layers do, or close by: a purge line is far off."""
    low, high = at[higher].min(axis=0) - BESIDE_MM, at[higher].max(axis=0) + BESIDE_MM
    return np.asarray(((at >= low) & (at <= high)).all(axis=1))


@njit
def _lay(
    a: Any, b: Any, z: Any, height: Any, begins: Any, ends: Any, ridge: Any, flat: Any, gone: Any, order: Any,
    names: Any, left: float, bottom: float, scale: float, surface: Any, owner: Any,
) -> None:  # fmt: skip
    """Raise the height map (rows from the top) by every road, lowest first; what has too much bulges at its sides.

    `begins` and `ends` are a road's widths, `names` what is noted as the owner of its pixels. A road without length is
    round.
    """
    rows, columns = surface.shape
    for k in range(len(order)):
        i = order[k]
        if gone[i]:
            continue
        half = max(begins[i], ends[i]) / 2
        x0, x1 = min(a[i, 0], b[i, 0]) - half, max(a[i, 0], b[i, 0]) + half
        y0, y1 = min(a[i, 1], b[i, 1]) - half, max(a[i, 1], b[i, 1]) + half
        dx, dy = b[i, 0] - a[i, 0], b[i, 1] - a[i, 1]
        length = dx * dx + dy * dy
        first, last = max(int((x0 - left) * scale), 0), min(int((x1 - left) * scale) + 1, columns)
        low, high = max(int((y0 - bottom) * scale), 0), min(int((y1 - bottom) * scale) + 1, rows)
        for row in range(low, high):
            y = (row + 0.5) / scale + bottom
            for column in range(first, last):
                x = (column + 0.5) / scale + left
                share = 0.0 if length == 0 else ((x - a[i, 0]) * dx + (y - a[i, 1]) * dy) / length
                if share < 0.0 or share > 1.0:
                    continue
                reach = (begins[i] + (ends[i] - begins[i]) * share) / 2
                across, aside = x - a[i, 0] - share * dx, y - a[i, 1] - share * dy
                away = across * across + aside * aside
                if away >= reach * reach:
                    continue
                away = np.sqrt(away) / reach
                # A back that is flat where the road was pressed against its neighbours and round where it was not;
                # a ridge stands where two roads push together.
                edge = max(0.0, (away - flat[i]) / (1.0 - flat[i]))
                top = z[i] - height[i] * (1.0 - np.sqrt(max(0.0, 1.0 - edge * edge)))
                bulge = max(0.0, 1.0 - abs(away - 0.86) / 0.2)
                top += height[i] * 5.0 * ridge[i] * bulge
                at = rows - 1 - row
                if top > surface[at, column]:
                    surface[at, column] = top
                    owner[at, column] = names[i]


def _lit(
    thing: PrintedObject, surface: Floats, owner: Any, frame: Frame, base: Floats, on: Floats, rng: np.random.Generator
) -> Any:
    """Colour (h, w, 3) under the low lamp: slopes towards it shine, slopes away and deep lines lie in shadow."""
    surface = surface.astype(np.float32)
    down, right = np.gradient(surface * np.float32(frame.px_per_mm))
    steep = np.sqrt(right**2 + down**2 + np.float32(0.81))

    def facing(way: Floats) -> Any:
        x, y, z = (float(c) for c in way / np.linalg.norm(way))
        return np.clip((y * down - x * right + 0.9 * z) / steep, 0, None)

    shadow = _cast(surface, frame)
    index = np.maximum(owner, 0)
    half_way = LAMP / np.linalg.norm(LAMP) + np.array([0.0, 0.0, 1.0])
    shine = 70.0 * facing(half_way) ** 40 * thing.gloss.astype(np.float32)[index] * shadow
    grain = rng.normal(0, 0.015, len(thing.gloss)).astype(np.float32)[index]
    tone = (0.30 + 1.05 * facing(LAMP)) * shadow + grain
    plate = (0.9 + 0.02 * rng.standard_normal(surface.shape, np.float32)) * shadow
    there, picture = owner >= 0, np.empty((*surface.shape, 3), np.float32)
    for channel, card in enumerate(on):
        colour = base[:, channel].astype(np.float32)[index]
        picture[..., channel] = np.where(there, colour * tone + shine, float(card) * plate)
    return picture


def _cast(surface: Any, frame: Frame) -> Any:
    """Shadows: what stands towards the lamp and higher than the light's slope takes the light away."""
    down = -LAMP[1] / LAMP[0]
    falls = LAMP[2] / -LAMP[0] / frame.px_per_mm
    return np.asarray(1 - 0.5 * np.clip((_edge_of_shade(surface, down, falls) - surface) / 0.12, 0, 1), np.float32)


@njit
def _edge_of_shade(surface: Any, down: float, falls: float) -> Any:  # pragma: no cover - compiled
    """(h, w) height up to which each pixel lies in shade. Light comes from the left and `down` rows a column (0..1).

    The shade of a column is that of the one before it, and what stands there, lower by `falls`, mm.
    """
    rows, columns = surface.shape
    shade = np.full((rows, columns), np.float32(-1.0))
    for column in range(1, columns):
        for row in range(1, rows):
            here = max(surface[row, column - 1], shade[row, column - 1])
            above = max(surface[row - 1, column - 1], shade[row - 1, column - 1])
            shade[row, column] = (1 - down) * here + down * above - falls
    return shade
