"""How fast Drumbo is, as ratios within one run, so that the machine does not matter.

    python bench/speed.py [--only NAME …] [--json]

Ratios are medians of interleaved repeats in one process. Names that end in `seconds` or `ms` are times.
"""

from __future__ import annotations

import json
import math
import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any

os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / ".cache" / "numba"))

sys.path.insert(0, str(Path(__file__).parents[1]))

import click
import numpy as np
import shapely

from bench.layers import layers_1bit_vs_pillow, layers_bytes_vs_pillow, layers_memory_mb
from bench.live import live_view
from bench.load import eight_clients_p95_ms
from bench.sending import sender_cpu_percent, sender_lines_per_s, sender_memory_mb
from bench.starting import demo_ready, idle_memory, serve_first_page
from bench.styles import STYLES
from bench.styles import write as write_style
from drumbo.core.families import family
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.loop import read_loop
from drumbo.core.gcode.reader import read
from drumbo.core.motion import _plan_loop, plan_moves
from drumbo.core.profile import start
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.plane import edges_of
from drumbo.core.workshop import Material, Printer
from drumbo.trials import kind
from drumbo.trials.base import Context

Measured = tuple[float, str]
FILE_MB = 50


def _context() -> Context:
    kin = family("pla")
    material = Material("-", "-", "pla", "-", "#808080", kin.nozzle_low_c, kin.nozzle_high_c)
    printer = Printer("bench")
    return Context(printer, material, start("bench", material, printer))


def _tower() -> str:
    trial, context = kind("temperature"), _context()
    return str(trial.print_file(trial.suggest(context), context).gcode)


def _large(megabytes: float) -> bytes:
    """A real tower's file, repeated to the size wanted."""
    one = _tower().encode()
    return one * max(1, round(megabytes * 1e6 / len(one)))


def _timed(job: Callable[[], object]) -> float:
    began = time.perf_counter()
    job()
    return time.perf_counter() - began


def _ratio(slow: Callable[[], object], fast: Callable[[], object], repeats: int) -> float:
    fast()
    pairs = [(_timed(slow), _timed(fast)) for _ in range(repeats)]
    return statistics.median(s / f for s, f in pairs)


def gcode_read_vs_loop() -> Measured:
    data = _large(FILE_MB)
    text = data.decode()
    return _ratio(lambda: read_loop(text), lambda: read(data), 3), "times"


def _flow(e: np.ndarray, seconds: np.ndarray) -> np.ndarray:
    return np.asarray(np.divide(e * (math.pi * 1.75**2 / 4), seconds, out=np.zeros_like(e), where=seconds > 0))


def gcode_pipeline_vs_loop() -> Measured:
    """Read, plan and flow, against the same in plain loops over the same file."""
    data = _large(FILE_MB / 5)
    text = data.decode()

    def fast() -> None:
        program = read(data)
        _flow(program.e_mm, program.motion(2000, 8).seconds)

    return _ratio(lambda: _loops(text), fast, 3), "times"


def _loops(text: str) -> None:
    """A file read, planned and its flow found in plain loops."""
    rows = read_loop(text).rows
    columns = [list(c) for c in zip(*rows, strict=True)]
    x, y, z, e, feed = columns[2:]
    steps: list[Any] = [[b - a for a, b in zip([0.0, *c], c, strict=False)] for c in (x, y, z)]
    n = len(rows)
    many: list[Any] = [e, [f / 60 for f in feed], [2000.0] * n, [8.0] * n]
    _, _, _, seconds = _plan_loop(*steps, *many)
    area = math.pi * 1.75**2 / 4
    [fed * area / s if s > 0 else 0.0 for fed, s in zip(e, seconds, strict=True)]


def check_vs_loop() -> Measured:
    """A file read, planned and judged, against reading and planning alone in plain loops over the same file."""
    data = _large(FILE_MB / 5)
    text = data.decode()
    return _ratio(lambda: _loops(text), lambda: inspect(read(data)), 3), "times"


def gcode_memory_vs_file() -> Measured:
    """Peak memory of reading a file in a fresh process, above that of the imports, over the file's size."""
    return _memory_vs_file("from drumbo.core.gcode.reader import read as job"), "times"


def check_memory_vs_file() -> Measured:
    """The same for reading, planning and judging it."""
    return _memory_vs_file(
        "from drumbo.core.gcode.reader import read\n"
        "from drumbo.core.gcode.inspect import inspect\n"
        "def job(data): return inspect(read(data))"
    ), "times"


def _memory_vs_file(job: str) -> float:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.gcode"
        path.write_bytes(_large(FILE_MB))
        script = (
            f"import sys, re\n{job}\n"
            "def peak(): return int(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1]) * 1024\n"
            "job(b'G28\\nG1 X1 E1 F600\\n')\n"
            "before = peak()\n"
            "kept = job(open(sys.argv[1], 'rb').read())\n"
            "print(peak() - before)"
        )
        out = subprocess.run([sys.executable, "-c", script, str(path)], capture_output=True, text=True, check=True)
        return float(out.stdout) / path.stat().st_size


def check_small_file_seconds() -> Measured:
    """The command on a file of some 30 kB, from start to end, in a process of its own: the middle of five."""
    text = write_style(STYLES["relative extrusion"]).text
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "small.gcode"
        path.write_bytes(text[: text.index(b"; next: 20")] + b"M104 S0\nM140 S0\nM107\nG0 X0 Y0 Z60\n")
        command = [sys.executable, "-m", "drumbo", "check", str(path)]
        times = [_timed(lambda: subprocess.run(command, capture_output=True, check=True)) for _ in range(5)]
    return statistics.median(times), "s"


def check_first_picture_seconds() -> Measured:
    """A file of 50 MB in the file check, from the end of its upload to the page with its pictures."""
    from drumbo.services import check  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415
    from drumbo.web.tracks import bars, strips  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        house, times = Workshop(Path(folder)), []
        for n in range(4):
            data = b"; %d\n" % n + _large(FILE_MB)

            def picture(data: bytes = data) -> None:
                looked = check.look(house, check.bring(house, data))
                strips(check.tracks(looked), "time")
                bars(*check.flow_shares(looked), looked.limit_mm3_s)

            times.append(_timed(picture))
        house.close()
    return statistics.median(times[1:]), "s"


def planner_vs_loop() -> Measured:
    rng = np.random.default_rng(1)
    n = 200_000
    dx, dy = rng.normal(0, 2, n), rng.normal(0, 2, n)
    dz, de, speed = np.zeros(n), np.ones(n), rng.uniform(20, 150, n)
    lists: list[Any] = [c.tolist() for c in (dx, dy, dz, de, speed)]
    limits: list[Any] = [[2000.0] * n, [8.0] * n]
    return _ratio(
        lambda: _plan_loop(*lists, *limits), lambda: plan_moves(dx, dy, dz, de, speed, 2000.0, 8.0), 3
    ), "times"


def hatch_vs_shapely() -> Measured:
    """Hatching the tower's own regions, against intersecting the same lines with shapely."""
    trial, context = kind("temperature"), _context()
    solid = trial.piece(trial.suggest(context), context).solid
    rings = [solid.slice(z).to_polygons() for z in np.arange(0.3, 40.0, 0.6)]
    regions = [(edges_of(r), shapely.polygons([shapely.linearrings(x) for x in r])) for r in rings]
    shapes = [shapely.unary_union(polygons) for _, polygons in regions]
    spacing = 0.45

    def fast() -> None:
        for edges, _ in regions:
            hatch(edges, spacing, math.pi / 4, spacing / 2)

    def slow() -> None:
        for shape in shapes:
            x0, y0, x1, y1 = shape.bounds
            reach = math.hypot(x1 - x0, y1 - y0)
            cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
            along, aside = np.array([1, 1]) / math.sqrt(2), np.array([-1, 1]) / math.sqrt(2)
            offsets = np.arange(-reach / 2, reach / 2, spacing)
            middles = np.array([cx, cy]) + offsets[:, None] * aside
            ends = np.stack([middles - along * reach, middles + along * reach], axis=1)
            shapely.get_coordinates(shapely.intersection(shapely.linestrings(ends), shape))

    return _ratio(slow, fast, 7), "times"


def tower_seconds() -> Measured:
    """A nine-step tower: planned, sliced, written."""
    _tower()
    return statistics.median(_timed(_tower) for _ in range(5)), "s"


def _file_seconds(slug: str) -> Measured:
    trial, context = kind(slug), _context()
    plan = trial.suggest(context)
    trial.print_file(plan, context)
    return statistics.median(_timed(lambda: trial.print_file(plan, context)) for _ in range(5)), "s"


def retraction_tower_seconds() -> Measured:
    """The suggested posts for retraction: planned, sliced, written."""
    return _file_seconds("retraction-length")


def pressure_sheet_seconds() -> Measured:
    """The suggested sheet for pressure advance: planned, sliced, written."""
    return _file_seconds("pressure-advance")


def lag_seconds() -> Measured:
    """The stand-in's pressure lag along half a million roads of 1 to 20 mm, their velocity profile included."""
    from drumbo.core.motion import plan_moves  # noqa: PLC0415
    from drumbo.standins.filament.lag import delivered_share  # noqa: PLC0415

    rng, n = np.random.default_rng(5), 500_000
    way, angle = rng.uniform(1, 20, n), rng.uniform(0, 2 * np.pi, n)
    speed, same = rng.choice([20.0, 60.0, 100.0], n), np.ones(n)
    counts = np.ceil(way).astype(np.int64)
    first = np.cumsum(counts) - counts

    def lag() -> None:
        motion = plan_moves(way * np.cos(angle), way * np.sin(angle), 0 * same, 0.03 * way, speed, 2000.0, 8.0)
        moves = {
            "entry": motion.entry, "cruise": motion.cruise, "leave": motion.leave, "accel": 2000 * same, "way": way,
            "area": 0.08 * same, "pulled": 0 * same,
        }  # fmt: skip
        delivered_share(moves, first, counts, 0.04 * same, 0.02 * same)

    lag()
    return statistics.median(_timed(lag) for _ in range(5)), "s"


def _fetched(address: str) -> bytes:
    return bytes(urllib.request.urlopen(address).read())


def profile_list_p95_ms() -> Measured:
    """The list of profiles, searched, filtered and sorted, with 500 of them, through the server: 95th percentile."""
    from waitress.server import create_server  # noqa: PLC0415

    from drumbo.services import by_hand, profiles, workshop  # noqa: PLC0415
    from drumbo.services.prints import PrintManager  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415
    from drumbo.web import create_app  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        house, context = Workshop(Path(folder)), _context()
        room, printer = PrintManager(house), workshop.save_printer(house, vars_of(context.printer))
        for n in range(500):
            spool = workshop.save_material(house, {**vars_of(context.material), "colour": f"no {n}"})
            made = profiles.create(house, spool, printer, f"profile {n}")
            for key, number in (("flow_ratio", "0.97"), ("fan_percent", "80")):
                by_hand.set_value(house, made, key, number)
        server = create_server(create_app(house, room, secret="bench"), host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        base = f"http://127.0.0.1:{server.effective_port}"
        pages = ("/profiles/", "/profiles/?q=no+4", "/profiles/?sort=name&state=open", "/profiles/?page=7", "/")
        for page in pages:
            urllib.request.urlopen(base + page).read()
        times = [_timed(partial(_fetched, base + page)) for page in pages * 20]
        server.task_dispatcher.shutdown(timeout=30)
        server.close()
        room.close()
    return 1000 * statistics.quantiles(times, n=20)[-1], "ms"


def trial_page_vs_bare_page() -> Measured:
    """A printed and scored trial's page through the server, against an empty route of the same server."""
    from waitress.server import create_server  # noqa: PLC0415

    from drumbo.services import profiles, reading, trials, workshop  # noqa: PLC0415
    from drumbo.services.prints import PrintManager  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415
    from drumbo.web import create_app  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        house = Workshop(Path(folder))
        context = _context()
        printer = workshop.save_printer(house, vars_of(context.printer))
        spool = workshop.save_material(house, vars_of(context.material))
        profile = profiles.create(house, spool, printer, "bench")
        trial = trials.create(house, profile, "temperature", trials.draft(house, profile, "temperature").plan)
        trials.printed_by_hand(house, trial)
        sheet = trials.sheet(house, trial)
        reading.score_all(house, trial, {(a.key, s.index): 3 for a in sheet.to_read.aspects for s in sheet.steps})
        room = PrintManager(house)
        app = create_app(house, room, secret="bench")
        server = create_server(app, host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        base = f"http://127.0.0.1:{server.effective_port}"
        page, bare = f"{base}/trials/{trial}/read", f"{base}/ping"
        ratio = _ratio(lambda: urllib.request.urlopen(page).read(), lambda: urllib.request.urlopen(bare).read(), 25)
        server.task_dispatcher.shutdown(timeout=30)
        server.close()
        room.close()
        house.close()
        return ratio, "times"


def live_view_bytes_per_s() -> Measured:
    """What a page that looks on a print fetches, its head and the layers with it."""
    return live_view()[0], "bytes/s"


def live_view_cpu_share() -> Measured:
    """The share of a core that the application spends on it."""
    return 100 * live_view()[1], "%"


def serve_first_page_s() -> Measured:
    """From the command to the first page of an empty workshop."""
    return serve_first_page(), "s"


def demo_ready_s() -> Measured:
    """From the command to the demo's first page, once it is installed."""
    return demo_ready(), "s"


def idle_memory_mb() -> Measured:
    """What the application holds at rest."""
    return idle_memory(), "MB"


def planner_change_ms() -> Measured:
    """A changed field of the speed planner on the reference part, with every change's share: the median of nine."""
    with _planned_house() as (house, profile):
        times = [_change(house, profile, 0, {"layer_mm": f"{0.16 + 0.01 * n:.2f}"}) for n in range(10)]
    return 1000 * statistics.median(times[1:]), "ms"


def planner_big_part_seconds() -> Measured:
    """The same for a maker's STL of 200,000 triangles, 52 mm across: the median of three."""
    from manifold3d import Manifold  # noqa: PLC0415

    from drumbo.core.piece import stl_bytes  # noqa: PLC0415
    from drumbo.services import planner  # noqa: PLC0415

    def bumpy(v: np.ndarray) -> np.ndarray:
        return np.asarray(v * (1 + 0.04 * np.sin(v[:, 0:1] * 2) * np.sin(v[:, 1:2] * 2) * np.cos(v[:, 2:3])))

    solid = Manifold.sphere(25, 632).warp_batch(bumpy)
    with _planned_house() as (house, profile):
        part = planner.add_part(house, "bumpy.stl", stl_bytes(solid))
        times = [_change(house, profile, part, {"layer_mm": f"{0.22 + 0.02 * n:.2f}"}) for n in range(4)]
    return statistics.median(times[1:]), "s"


def _change(house: Any, profile: int, part: int, typed: dict[str, str]) -> float:
    """Seconds until a changed field is answered in full."""
    from drumbo.services import planner  # noqa: PLC0415

    began = time.perf_counter()
    asked = planner.question(house, profile, part, typed)
    planner.answer(house, asked)
    planner.stages(house, asked)
    return time.perf_counter() - began


@contextmanager
def _planned_house() -> Iterator[tuple[Any, int]]:
    from drumbo.services import profiles, workshop  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        house, context = Workshop(Path(folder)), _context()
        printer = workshop.save_printer(house, vars_of(context.printer))
        spool = workshop.save_material(house, vars_of(context.material))
        yield house, profiles.create(house, spool, printer, "bench")
        house.close()


def vars_of(value: Any) -> dict[str, Any]:
    from dataclasses import asdict  # noqa: PLC0415

    found: dict[str, Any] = asdict(value)
    return found


BENCHES: dict[str, Callable[[], Measured]] = {
    f.__name__: f
    for f in (
        gcode_read_vs_loop, gcode_pipeline_vs_loop, gcode_memory_vs_file, check_vs_loop, check_memory_vs_file,
        check_small_file_seconds, check_first_picture_seconds, planner_vs_loop, hatch_vs_shapely,
        tower_seconds, retraction_tower_seconds, pressure_sheet_seconds, lag_seconds, trial_page_vs_bare_page,
        planner_change_ms, planner_big_part_seconds, profile_list_p95_ms, layers_1bit_vs_pillow, layers_bytes_vs_pillow,
        layers_memory_mb, sender_lines_per_s, sender_cpu_percent, sender_memory_mb, eight_clients_p95_ms,
        live_view_bytes_per_s, live_view_cpu_share, serve_first_page_s, demo_ready_s, idle_memory_mb,
    )
}  # fmt: skip


@click.command()
@click.option("--only", multiple=True)
@click.option("--json", "as_json", is_flag=True)
def main(only: tuple[str, ...], as_json: bool) -> None:
    """Speed, as ratios within one run."""
    unknown = set(only) - set(BENCHES)
    if unknown:
        raise click.UsageError(f"no benchmark {', '.join(sorted(unknown))}; there are {', '.join(BENCHES)}")
    table = {}
    for name in only or BENCHES:
        value, unit = BENCHES[name]()
        table[name] = {"value": round(value, 3), "unit": unit}
        if not as_json:
            print(f"{name:26} {value:8.2f} {unit}", flush=True)
    if as_json:
        json.dump(table, sys.stdout, indent=2)
        print()


if __name__ == "__main__":
    main()
