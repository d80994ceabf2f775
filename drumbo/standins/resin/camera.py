"""The cameras above and before the washed plate: what has set, with known millimetres per pixel.

From above, layers are laid over each other from the plate up; each covers where its dose is past critical, and is a
little lighter than what lies beneath it. Skins on glass are lighter the thinner they are. From the front every layer is
a line of what has set nearest, darker the further back it is; pins that did not stand are not there.
"""

from __future__ import annotations

import io
import math

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin
from scipy import ndimage

from drumbo.standins.filament.camera import Frame
from drumbo.standins.resin.look import lost
from drumbo.standins.resin.thing import Cured

Floats = NDArray[np.float64]

MARGIN_MM, BELOW_MM = 4.0, 2.0
_PLATE = np.array([58.0, 57.0, 62.0])
_GLASS = np.array([206.0, 210.0, 212.0])
EDGE = 0.2
"""How much darker a wall's foot is, where one level meets the next."""


def frame_of(thing: Cured, px_per_mm: float) -> Frame:
    """A frame around all that was lit."""
    pixel, (wide, deep) = thing.screen.pixel_mm, thing.screen.size_mm
    lit = [f for f in thing.fields if f is not None]
    left = min(f.column for f in lit) * pixel - wide / 2 - MARGIN_MM
    right = max(f.column + f.seconds.shape[1] for f in lit) * pixel - wide / 2 + MARGIN_MM
    rear = deep / 2 - min(f.row for f in lit) * pixel + MARGIN_MM
    front = deep / 2 - max(f.row + f.seconds.shape[0] for f in lit) * pixel - MARGIN_MM
    return Frame(left, front, px_per_mm, round((right - left) * px_per_mm), round((rear - front) * px_per_mm), "top")


def top_picture(thing: Cured, colour_hex: str, px_per_mm: float = 16.0) -> tuple[bytes, Frame]:
    """A PNG of the object from above and its frame. The same object gives the same bytes."""
    frame = frame_of(thing, px_per_mm)
    base = np.array([int(colour_hex[k : k + 2], 16) for k in (1, 3, 5)], dtype=float)
    picture = _skins(thing, frame, base) if thing.package.on_glass else _levels(thing, frame, base)
    return _png(picture, thing, px_per_mm), frame


def _png(picture: Floats, thing: Cured, px_per_mm: float) -> bytes:
    """With a little grain; the same object gives the same bytes."""
    grain = np.random.default_rng([thing.digest, 55]).normal(0, 2.0, picture.shape[:2])[..., None]
    image = Image.fromarray(np.clip(picture + grain, 0, 255).astype(np.uint8))
    note = PngImagePlugin.PngInfo()
    note.add_text("mm_per_px", f"{1 / px_per_mm:.6f}")
    out = io.BytesIO()
    image.save(out, "PNG", pnginfo=note, compress_level=2)
    return out.getvalue()


def front_picture(thing: Cured, colour_hex: str, px_per_mm: float = 10.0) -> tuple[bytes, Frame]:
    """A PNG of the object from the front, the plate below as pieces are drawn, and its frame."""
    above = frame_of(thing, px_per_mm)
    high = float(thing.tops_mm[-1]) + MARGIN_MM
    frame = Frame(above.left_mm, -BELOW_MM, px_per_mm, above.width, round((high + BELOW_MM) * px_per_mm))
    base = np.array([int(colour_hex[k : k + 2], 16) for k in (1, 3, 5)], dtype=float)
    picture = np.broadcast_to(_PLATE, (frame.height, frame.width, 3)).copy()
    known: dict[tuple[int, float], Floats] = {}
    for row in range(frame.height):
        z = frame.bottom_mm + (frame.height - row - 0.5) / px_per_mm
        if not 0 < z < thing.tops_mm[-1]:
            continue
        number = thing.layer_at(z)
        key = (thing.which[number], thing.layer(number).lift.mm_min)
        if key not in known:
            known[key] = _nearest(thing, number, above)
        seen = np.isfinite(known[key])
        picture[row, seen] = base * (1.25 - 0.7 * known[key][seen, None])
    return _png(picture, thing, px_per_mm), frame


def _nearest(thing: Cured, number: int, above: Frame) -> Floats:
    """How far back what has set lies nearest, for every column, 0 to 1 and steepest in front; NaN where nothing has."""
    later = 1 / (1 - thing.bottle.remembers * np.exp(-thing.layer(number).height_um / thing.bottle.reach_um))
    half = np.exp(-thing.layer(number).height_um / (2 * thing.bottle.reach_um))
    there = _dose(thing, number, above) * later * half >= 1
    for spot in lost(thing, number):
        x = round((spot.x - above.left_mm) * above.px_per_mm)
        y = round(above.height - (spot.y - above.bottom_mm) * above.px_per_mm)
        r = math.ceil((spot.width_mm / 2 + 0.1) * above.px_per_mm)
        there[max(y - r, 0) : y + r + 1, max(x - r, 0) : x + r + 1] = False
    back_mm = there[::-1].argmax(axis=0) / above.px_per_mm - MARGIN_MM
    deep_mm = above.height / above.px_per_mm - 2 * MARGIN_MM
    return np.where(there.any(axis=0), np.sqrt(np.clip(back_mm / deep_mm, 0.0, 1.0)), np.nan)


def _dose(thing: Cured, number: int, frame: Frame) -> Floats:
    """A layer's dose over the frame, in units of the critical energy, with its bleed."""
    found = thing.lit(number)
    if found is None:
        return np.zeros((frame.height, frame.width))
    pixel, (wide, deep) = thing.screen.pixel_mm, thing.screen.size_mm
    x = frame.left_mm + (np.arange(frame.width) + 0.5) / frame.px_per_mm
    y = frame.bottom_mm + (frame.height - np.arange(frame.height) - 0.5) / frame.px_per_mm
    blurred = ndimage.gaussian_filter(np.pad(found.seconds, 8), thing.bottle.bleed_mm / pixel)
    columns = np.asarray((x + wide / 2) / pixel - found.column - 0.5 + 8, dtype=np.float64)
    rows = np.asarray((deep / 2 - y) / pixel - found.row - 0.5 + 8, dtype=np.float64)
    seconds = _between(_between(blurred, rows).T, columns).T
    return np.asarray(seconds * thing.lamp.mw_cm2 / thing.critical)


def _between(values: Floats, at: Floats) -> Floats:
    """(len(at), m) rows of (n, m) values, in a line between two; 0 outside."""
    low = np.clip(np.floor(at).astype(int), 0, len(values) - 2)
    share = (at - low)[:, None]
    rows = values[low] * (1 - share) + values[low + 1] * share
    rows[(at < 0) | (at > len(values) - 1)] = 0.0
    return np.asarray(rows)


def _skins(thing: Cured, frame: Frame, base: Floats) -> Floats:
    dose = sum(_dose(thing, number, frame) for number in range(len(thing.which)))
    deep = thing.bottle.reach_um * np.log(np.maximum(dose, 1.0))
    share = 1 - np.exp(-deep[..., None] / 180)
    return np.asarray(_GLASS * (1 - share) + base * share)


def _levels(thing: Cured, frame: Frame, base: Floats) -> Floats:
    """Level by level; one layer of each sort is looked at, the highest."""
    highest: dict[int, int] = {}
    for number, which in enumerate(thing.which):
        highest[which] = number
    top = float(thing.tops_mm[-1])
    height = np.zeros((frame.height, frame.width))
    for number in sorted(highest.values()):
        later = 1 / (1 - thing.bottle.remembers * np.exp(-thing.layer(number).height_um / thing.bottle.reach_um))
        half = np.exp(-thing.layer(number).height_um / (2 * thing.bottle.reach_um))
        height[_dose(thing, number, frame) * later * half >= 1] = thing.tops_mm[number]
    shade = 0.78 + 0.5 * height / top
    rise = np.hypot(*np.gradient(height)) / top
    shade -= np.minimum(rise * 1.6, 1.0) * EDGE * 2
    picture = np.where((height > 0)[..., None], base * shade[..., None], _PLATE)
    return np.asarray(picture)
