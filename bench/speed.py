"""How fast Drumbo is, as ratios within one run, so that the machine does not matter.

    python bench/speed.py [--only NAME …] [--json]

Ratios are medians of interleaved repeats in one process. Names that end in `seconds` or `ms` are times.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / ".cache" / "numba"))

sys.path.insert(0, str(Path(__file__).parents[1]))

import click

from bench.layers import layers_1bit_vs_pillow, layers_bytes_vs_pillow, layers_memory_mb
from bench.load import eight_clients_p95_ms
from bench.sending import sender_cpu_percent, sender_lines_per_s, sender_memory_mb
from bench.speed_files import (
    check_first_picture_seconds,
    check_memory_vs_file,
    check_small_file_seconds,
    check_vs_loop,
    gcode_memory_vs_file,
    gcode_pipeline_vs_loop,
    gcode_read_vs_loop,
)
from bench.speed_making import (
    hatch_vs_shapely,
    lag_seconds,
    planner_vs_loop,
    pressure_sheet_seconds,
    retraction_tower_seconds,
    tower_seconds,
)
from bench.speed_pages import (
    demo_ready_s,
    idle_memory_mb,
    live_view_bytes_per_s,
    live_view_cpu_share,
    planner_big_part_seconds,
    planner_change_ms,
    profile_list_p95_ms,
    serve_first_page_s,
    trial_page_vs_bare_page,
)
from bench.timed import Measured

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
