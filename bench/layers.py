"""Layer images: how fast they are drawn, packed and zipped, against a general imaging library in the same run.

The plate: fifteen hollow parts that lean and swell with height, a forest of supports under half of them, on a screen of
3840 × 2400. Both sides have two threads, and zip what they draw.
"""

from __future__ import annotations

import io
import statistics
import subprocess
import sys
import tempfile
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from drumbo.core.light.job import NO_LIFT, Layer, LayerJob, Light, Rings, Screen
from drumbo.exchange.layer_package import draw, write

SCREEN = Screen((3840, 2400), 35.0)
LAYERS, REPEATS, LONG = 40, 3, 2000
CORNERS = 160


def plate(count: int) -> tuple[Rings, ...]:
    """Outlines of so many layers, each different from the one before."""
    turn = np.linspace(0, 2 * np.pi, CORNERS, endpoint=False)
    rng = np.random.default_rng(5)
    waves = rng.normal(0, 0.05, (15, 6)), rng.uniform(0, 6, (15, 6))
    posts = np.column_stack([np.cos(turn[::20]), np.sin(turn[::20])]) * 0.3
    shapes = []
    for layer in range(count):
        rings = []
        for part in range(15):
            middle = np.array([-52 + 26 * (part % 5), -27 + 27 * (part // 5)]) + 0.004 * layer
            swell = sum(
                a * np.cos(k * turn + p + 0.01 * layer)
                for k, (a, p) in enumerate(zip(waves[0][part], waves[1][part], strict=True), start=2)
            )
            radius = 9.5 * (1 + swell) + 1.2 * np.sin(0.03 * layer)
            outer = np.column_stack([radius * np.cos(turn), radius * np.sin(turn)])
            rings += [outer + middle, outer[::-1] * 0.86 + middle]
            if part % 2:
                rings += [posts + middle + np.array([-6 + 1.5 * k, 0.4 * (k % 3)]) for k in range(9)]
        shapes.append(tuple(ring.astype(np.float32) for ring in rings))
    return tuple(shapes)


def job_of(shapes: tuple[Rings, ...]) -> LayerJob:
    """One light a layer."""
    layers = tuple(Layer(50.0, (Light(k, 2.5),), NO_LIFT, 1.0, 0.0) for k in range(len(shapes)))
    return LayerJob(("bench",), SCREEN, layers, shapes, (0.0,) * len(shapes))


def _by_pillow(shape: Rings) -> bytes:
    """Polygon fill, outside in, and PNG level 6."""
    image = Image.new("1", SCREEN.pixels, 0)
    pen = ImageDraw.Draw(image)
    for ring in shape:
        x, y = ring[:, 0] / SCREEN.pixel_mm + SCREEN.pixels[0] / 2, SCREEN.pixels[1] / 2 - ring[:, 1] / SCREEN.pixel_mm
        area = float(ring[:, 0] @ np.roll(ring[:, 1], -1) - np.roll(ring[:, 0], -1) @ ring[:, 1])
        pen.polygon(list(zip(x.tolist(), y.tolist(), strict=True)), fill=1 if area > 0 else 0)
    out = io.BytesIO()
    image.save(out, "PNG", compress_level=6)
    return out.getvalue()


def _pillow_package(shapes: tuple[Rings, ...]) -> int:
    out = io.BytesIO()
    with ThreadPoolExecutor(2) as pool, zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as bundle:
        for number, data in enumerate(pool.map(_by_pillow, shapes)):
            bundle.writestr(f"{number}.png", data)
    return len(out.getvalue())


def _own_package(shapes: tuple[Rings, ...]) -> int:
    out = io.BytesIO()
    write(job_of(shapes), out)
    return len(out.getvalue())


def layers_1bit_vs_pillow() -> tuple[float, str]:
    """Layers a second, drawn, packed and zipped, over the imaging library's."""
    shapes = plate(LAYERS)
    draw(shapes[0], SCREEN)
    ratios = []
    for _ in range(REPEATS):
        began = time.perf_counter()
        _own_package(shapes)
        middle = time.perf_counter()
        _pillow_package(shapes)
        ratios.append((time.perf_counter() - middle) / (middle - began))
    return statistics.median(ratios), "times (two threads)"


def layers_bytes_vs_pillow() -> tuple[float, str]:
    """Size of the package over the imaging library's."""
    shapes = plate(LAYERS)
    return _own_package(shapes) / _pillow_package(shapes), "times"


def layers_memory_mb() -> tuple[float, str]:
    """Peak memory of a process that writes a package of 2,000 different layers."""
    code = (
        "import re, sys\n"
        f"sys.path.insert(0, {str(Path(__file__).parents[1])!r})\n"
        "from bench.layers import LONG, job_of, plate\n"
        "from drumbo.exchange.layer_package import draw, write\n"
        "def peak(): return int(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1]) / 1024\n"
        "job = job_of(plate(LONG))\n"
        "before = peak()\n"
        "write(job, open(sys.argv[1], 'wb'))\n"
        "print(peak(), before)\n"
    )
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-c", code, f"{folder}/long.zip"]
        peak, before = (float(n) for n in subprocess.check_output(command, text=True).split())
    return peak, f"MB in all, {before:.0f} of it imports and outlines"
