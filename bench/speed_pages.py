"""How fast pages and the planner answer, and how quick and small the application is."""

from __future__ import annotations

import statistics
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from bench.live import live_view
from bench.starting import demo_ready, idle_memory, serve_first_page
from bench.timed import Measured, plain_context, ratio_of, timed, vars_of


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
        house, context = Workshop(Path(folder)), plain_context()
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
        times = [timed(partial(_fetched, base + page)) for page in pages * 20]
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
        context = plain_context()
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
        ratio = ratio_of(lambda: urllib.request.urlopen(page).read(), lambda: urllib.request.urlopen(bare).read(), 25)
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
        house, context = Workshop(Path(folder)), plain_context()
        printer = workshop.save_printer(house, vars_of(context.printer))
        spool = workshop.save_material(house, vars_of(context.material))
        yield house, profiles.create(house, spool, printer, "bench")
        house.close()
