"""The `drumbo` command."""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
import time
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click
import platformdirs

from drumbo import __version__


def data_folder(given: str | None) -> Path:
    """The data folder: `--data`, else the environment's DRUMBO_DATA, else the platform's usual place.

    Compiled loops are cached there too, so it must be known before the core is imported.
    """
    folder = Path(given or os.environ.get("DRUMBO_DATA") or platformdirs.user_data_dir("drumbo"))
    os.environ.setdefault("NUMBA_CACHE_DIR", str(folder / "compiled"))
    return folder


def _stop_on_signals() -> None:
    def stop(*_args: object) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    # A shell that starts a program in the background has it ignore Ctrl-C; here that always ends it.
    signal.signal(signal.SIGINT, signal.default_int_handler)


class _Group(click.Group):
    """Errors meant for the user's eyes end in one line and exit code 1, not in a traceback."""

    def invoke(self, context: click.Context) -> Any:
        from drumbo.core.errors import DrumboError  # noqa: PLC0415 - keeps `--help` quick

        try:
            return super().invoke(context)
        except DrumboError as error:
            raise click.ClickException(str(error)) from error


@click.group(cls=_Group)
@click.option("--data", metavar="FOLDER", help="Where the workshop is kept. Also: DRUMBO_DATA.")
@click.version_option(__version__)
@click.pass_context
def main(context: click.Context, data: str | None) -> None:
    """Drumbo, a calibration workbench for 3D-printing materials."""
    context.obj = data_folder(data)


@main.command()
@click.option("--port", default=8765, show_default=True, help="0 picks a free one.")
@click.option("--host", default="127.0.0.1", show_default=True)
@click.pass_obj
def serve(folder: Path, port: int, host: str) -> None:
    """Run the web application on your own workshop."""
    from drumbo.web.serving import run  # noqa: PLC0415 - after the cache folder is set

    _stop_on_signals()
    run(folder, host=host, port=port, say=click.echo)


@main.command()
@click.option("--port", default=8765, show_default=True, help="0 picks a free one.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real the stand-in prints.")
@click.option("--fresh", is_flag=True, help="Fill the demo workshop anew.")
@click.pass_obj
def demo(folder: Path, port: int, pace: float, fresh: bool) -> None:
    """Fill the demo workshop, start its stand-in printer, and run the web application on it."""
    from drumbo.demo.run import run_demo  # noqa: PLC0415

    _stop_on_signals()
    run_demo(folder / "demo", port=port, pace=pace, fresh=fresh, say=click.echo)


@main.group()
def standin() -> None:
    """Simulated devices, as programs of their own."""


@standin.command("resin")
@click.option("--port", default=8772, show_default=True, help="The package service, camera and calliper, over HTTP.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real it prints.")
@click.option("--pixels", default="3840x2400", show_default=True, metavar="WIDExDEEP", help="Of its screen.")
@click.option("--light", default=4.0, show_default=True, help="mW/cm² at the film.")
@click.option("--resin-c", default=25.0, show_default=True, help="How warm the resin is.")
@click.option("--family", default="resin-standard", show_default=True, help="Class of the resin in the vat.")
@click.option("--seed", default=1, show_default=True, help="Which bottle of that class.")
def standin_resin(
    port: int, pace: float, pixels: str, light: float, resin_c: float, family: str, seed: int
) -> None:  # fmt: skip
    """A resin printer on a TCP port of this machine."""
    from drumbo.standins.resin.device import Poured, ResinPrinter  # noqa: PLC0415
    from drumbo.standins.resin.server import PackageServer  # noqa: PLC0415
    from drumbo.standins.resin.thing import Lamp  # noqa: PLC0415

    _stop_on_signals()
    wide, _, deep = pixels.partition("x")
    if not (wide.isdecimal() and deep.isdecimal()):
        raise click.BadParameter(f"{pixels}: write it like 3840x2400")
    device = ResinPrinter((int(wide), int(deep)), pace=pace, lamp=Lamp(light), resin_c=resin_c)
    device.poured = Poured(family, seed)
    server = PackageServer(device, port)
    server.start()
    click.echo(f"stand-in resin printer: http://127.0.0.1:{server.port}")
    try:
        while True:
            time.sleep(3600)
    except (KeyboardInterrupt, SystemExit):
        server.close()


@standin.command("filament")
@click.option("--port", default=8770, show_default=True, help="The line protocol's TCP port.")
@click.option("--side-port", default=8771, show_default=True, help="Camera, spool holder and faults, over HTTP.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real it prints.")
@click.option("--drive", type=click.Choice(["direct", "bowden"]), default="direct", show_default=True)
@click.option("--family", default="pla", show_default=True, help="Polymer of the spool that is loaded.")
@click.option("--seed", default=1, show_default=True, help="Which spool of that polymer.")
@click.option("--bed-seed", default=0, show_default=True, help="How its plate lies; 0 is flat and at the right height.")
@click.option("--skew", default=0.0, show_default=True, help="How far X moves along with each mm of Y.")
@click.option("--fault", multiple=True, metavar="NAME:LINES", help="A fault after so many lines; for practice.")
def standin_filament(
    port: int,
    side_port: int,
    pace: float,
    drive: str,
    family: str,
    seed: int,
    bed_seed: int,
    skew: float,
    fault: tuple[str, ...],
) -> None:
    """A filament printer on a TCP port of this machine."""
    from drumbo.standins.filament.bed import draw_bed  # noqa: PLC0415
    from drumbo.standins.filament.device import FAULTS, FilamentPrinter, Loaded  # noqa: PLC0415
    from drumbo.standins.filament.server import LineServer  # noqa: PLC0415
    from drumbo.standins.filament.side import SideDoor  # noqa: PLC0415

    _stop_on_signals()
    device = FilamentPrinter(pace=pace, drive=drive, bed=draw_bed(bed_seed))
    device.loaded = Loaded(family, seed)
    device.machine.skew = skew
    for entry in fault:
        name, _, at = entry.partition(":")
        if name not in FAULTS or not at.isdigit():
            raise click.BadParameter(f"{entry}: write NAME:LINES, with one of {', '.join(FAULTS)}")
        device.faults[name] = float(at)
    lines, side = LineServer(device, port), SideDoor(device, side_port)
    lines.start()
    side.start()
    click.echo(f"stand-in printer: socket://127.0.0.1:{lines.port}  camera: http://127.0.0.1:{side.port}")
    try:
        while True:
            time.sleep(3600)
    except (KeyboardInterrupt, SystemExit):
        lines.close()
        side.close()


@main.command()
@click.argument("out", type=click.Path(dir_okay=False, path_type=Path))
@click.pass_obj
def archive(folder: Path, out: Path) -> None:
    """Put the whole workshop into one file; it may run meanwhile."""
    from drumbo.core.errors import NotFound  # noqa: PLC0415
    from drumbo.store.archive import DATABASE, pack  # noqa: PLC0415

    if not (folder / DATABASE).exists():
        raise NotFound(f"there is no workshop in {folder}")
    with out.open("wb") as file:
        count = pack(folder, file)
    click.echo(f"{out}: the workshop with {count} file{'s' if count != 1 else ''}")


@main.command()
@click.argument("archive", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.pass_obj
def unpack(folder: Path, archive: Path) -> None:
    """Make a workshop of an archive, in a folder that holds none yet (--data)."""
    from drumbo.store.archive import unpack as unpack_it  # noqa: PLC0415

    count = unpack_it(archive, folder)
    click.echo(f"{folder}: the workshop with {count} file{'s' if count != 1 else ''}; start it with drumbo serve")


@main.command()
def kinds() -> None:
    """List the kinds of trial, with the fields of their plans."""
    from drumbo.trials import kinds as all_kinds  # noqa: PLC0415

    for kind in all_kinds().values():
        context = _plain_context(kind.process)
        click.echo(f"{kind.slug}  {kind.title}: {kind.about}")
        plan = kind.suggest(context)
        for field in kind.fields(context):
            choices = " | ".join(key for key, _ in field.choices)
            click.echo(f"    --set {field.key}={plan[field.key]}  {field.label} {field.unit} {choices}".rstrip())


FAMILIES = {"filament": "pla", "resin": "resin-standard"}
SCREEN = "3840x2400x35"


def _plain_context(process: str, family: str | None = None, drive: str = "direct", screen: str = SCREEN) -> Any:
    """A printer and a material of a process, as they come."""
    family = family or FAMILIES[process]
    return _resin_context(family, screen) if process == "resin" else _filament_context(family, drive)


def _filament_context(family_key: str, drive: str) -> Any:
    from drumbo.core.families import family  # noqa: PLC0415
    from drumbo.core.profile import start  # noqa: PLC0415
    from drumbo.core.workshop import Material, Printer  # noqa: PLC0415
    from drumbo.trials.base import Context  # noqa: PLC0415

    kin = family(family_key)
    material = Material("", kin.name, kin.key, "any colour", "#8b2252", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    printer = Printer("a printer", drive=drive, nozzle_max_c=300)
    return Context(printer, material, start(kin.name, material, printer))


def _resin_context(family_key: str, screen: str) -> Any:
    from drumbo.core.profile import start  # noqa: PLC0415
    from drumbo.core.resin import Resin, ResinPrinter, resin_class  # noqa: PLC0415
    from drumbo.trials.layered import ResinContext  # noqa: PLC0415

    kin = resin_class(family_key)
    try:
        wide, deep, pixel_um = (float(number) for number in screen.split("x"))
    except ValueError:
        raise click.BadParameter(f"{screen}: write it like {SCREEN}, pixels and the width of one in µm") from None
    material = Resin("", kin.name, kin.key, "any colour", "#8b2252", density_g_cm3=kin.density_g_cm3)
    printer = ResinPrinter("a printer", wide, deep, pixel_um, lights_apart="yes")
    return ResinContext(printer, material, start(kin.name, material, printer))


@main.command("make-piece")
@click.argument("slug", metavar="KIND")
@click.option("--set", "settings", multiple=True, metavar="FIELD=VALUE", help="See `drumbo kinds`.")
@click.option("--family", help="A polymer or a class of resin; pla or resin-standard where it is left out.")
@click.option("--drive", type=click.Choice(["direct", "bowden"]), default="direct", show_default=True)
@click.option("--screen", default=SCREEN, show_default=True, help="Of a resin printer: pixels, and µm of one.")
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="The G-code file, or the layer package.")
@click.option("--mesh", type=click.Path(dir_okay=False, path_type=Path), help="The solid: STL, or 3MF by its ending.")
def make_piece(
    slug: str, settings: tuple[str, ...], family: str | None, drive: str, screen: str, out: Path | None,
    mesh: Path | None,
) -> None:  # fmt: skip
    """Make a trial's piece without a workshop: its file, its solid, or both."""
    from drumbo.services.files import as_bytes  # noqa: PLC0415
    from drumbo.services.trials import MESHES  # noqa: PLC0415
    from drumbo.trials import kind  # noqa: PLC0415

    if out is None and mesh is None:
        raise click.UsageError("name a file with --out or --mesh")
    chosen = kind(slug)
    context = _plain_context(chosen.process, family, drive, screen)
    typed = {**chosen.suggest(context), **dict(entry.partition("=")[::2] for entry in settings)}
    unknown = set(typed) - {field.key for field in chosen.fields(context)}
    if unknown:
        raise click.UsageError(f"{slug} has no field {', '.join(sorted(unknown))}; see `drumbo kinds`")
    plan = chosen.read_plan(typed, context)
    if mesh is not None:
        ending = "3mf" if mesh.suffix.lower() == ".3mf" else "stl"
        mesh.write_bytes(MESHES[ending](chosen.piece(plan, context).solid))
        click.echo(f"{mesh}: {mesh.stat().st_size:,} bytes")
    if out is not None:
        file = chosen.print_file(plan, context)
        data = as_bytes(file)
        out.write_bytes(data)
        click.echo(f"{out}: {_long(file.seconds)}, {file.grams:.1f} g, {len(data):,} bytes")


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--json", "as_json", is_flag=True)
@click.option(
    "--beside",
    "other",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Another G-code file: say what differs, and from which command on. Exit code 1 if anything does.",
)
@click.option("--profile", "profile", metavar="NAME", help="Hold it against this profile of the workshop (--data).")
@click.pass_obj
def check(folder: Path, file: Path, as_json: bool, other: Path | None, profile: str | None) -> None:
    """Say what a G-code file or a layer package will really do, and what is odd about it."""
    from drumbo.core.gcode.inspect import inspect  # noqa: PLC0415
    from drumbo.core.gcode.reader import read  # noqa: PLC0415
    from drumbo.services.check import Against, is_package, unpacked  # noqa: PLC0415

    data = file.read_bytes()
    if is_package(data):
        if profile or other:
            raise click.UsageError(f"{file} is a layer package; --profile and --beside are for G-code")
        _check_package(data, as_json=as_json)
        return
    data = unpacked(data)
    held = _against(folder, profile) if profile else Against()
    if other is not None:
        _check_beside(data, unpacked(other.read_bytes()), held, as_json=as_json)
        return
    found = inspect(
        read(data), printer=held.printer, numbers=held.numbers, filament_mm=held.filament_mm,
        density_g_cm3=held.density_g_cm3,
    )  # fmt: skip
    if as_json:
        json.dump(asdict(found), sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
    else:
        for line in _told(found, held):
            click.echo(line)
    if any(remark.weight == "bad" for remark in found.remarks):
        sys.exit(1)


def _against(folder: Path, name: str) -> Any:
    """The profile of that name, as what a file is held against."""
    from drumbo.core.errors import NotFound  # noqa: PLC0415
    from drumbo.services.check import against  # noqa: PLC0415
    from drumbo.services.shelf import named  # noqa: PLC0415
    from drumbo.store.archive import DATABASE  # noqa: PLC0415
    from drumbo.store.database import Workshop  # noqa: PLC0415

    if not (folder / DATABASE).exists():
        raise NotFound(f"there is no workshop in {folder}")
    with closing(Workshop(folder)) as workshop:
        return against(workshop, named(workshop, name))


def _check_beside(data: bytes, other: bytes, held: Any, *, as_json: bool) -> None:
    """What differs between two files, and where they part."""
    from drumbo.core.gcode.beside import pairs, parting  # noqa: PLC0415
    from drumbo.core.gcode.inspect import case_of, summary  # noqa: PLC0415
    from drumbo.core.gcode.reader import read  # noqa: PLC0415

    first, second = (
        case_of(read(each), printer=held.printer, numbers=held.numbers, filament_mm=held.filament_mm)
        for each in (data, other)
    )
    sums = [(case, summary(case, held.filament_mm, held.density_g_cm3)) for case in (first, second)]
    found, part = pairs(*sums), parting(first, second)
    if as_json:
        told = {"pairs": [asdict(p) for p in found], "parting": asdict(part) if part else None}
        json.dump(told, sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
    else:
        for p in (p for p in found if p.differs):
            click.echo(f"{p.name:20} {p.first:.{p.digits}f} and {p.second:.{p.digits}f} {p.unit}".rstrip())
        if part is None:
            click.echo("They do the same from the first command to the last.")
        else:
            ends = [f"line {line}" if line else "its end" for line in (part.first_line, part.second_line)]
            click.echo(f"They part after {part.same:,} moves: at {ends[0]} of the first, {ends[1]} of the second.")
    if part is not None:
        sys.exit(1)


def _check_package(data: bytes, *, as_json: bool) -> None:
    """What a layer package will do: layers, times, pictures."""
    from drumbo.services.check import check_package  # noqa: PLC0415

    found = check_package(data)
    if as_json:
        json.dump(asdict(found), sys.stdout, indent=2, ensure_ascii=False)
        click.echo()
        return
    click.echo(f"layers        {found.layers}, {found.height_mm:g} mm, {found.pictures} different pictures")
    click.echo(f"screen        {found.pixels[0]} × {found.pixels[1]} pixels of {found.pixel_um:g} µm")
    click.echo(f"time          {_long(found.seconds)}")
    for first, last, low, high in found.runs:
        upto = f" to {high:g}" if high > low else ""
        click.echo(f"light         {low:g}{upto} s on layers {first} to {last}")


MOST_BANDS = 24


def _long(seconds: float) -> str:
    """Minutes, and hours where there are some."""
    minutes = round(seconds / 60)
    return f"{seconds / 60:.1f} min" if minutes < 120 else f"{minutes // 60} h {minutes % 60:02d} min"


def _told(found: Any, held: Any) -> list[str]:
    low, high = found.low, found.high
    accel = f"as on {held.printer.name}" if held.printer else "at the default acceleration"
    cost = held.material.cost(found.grams) if held.material else None
    price = "" if cost is None else f", {held.material.currency} {cost:.2f}"
    lines = [
        f"{found.lines:,} lines, {found.moves:,} moves",
        "roads within  " + "   ".join(f"{n} {a:.1f} to {b:.1f}" for n, a, b in zip("XYZ", low, high, strict=True)),
        f"time          {_long(found.seconds)}, {accel} where the file sets none",
        f"filament      {found.filament_mm / 1000:.2f} m, {found.grams:.1f} g at {held.density_g_cm3:g} g/cm³{price}",
        f"flow          {found.flow_median:.1f} mm³/s usual, {found.flow_high:.1f} at most (99 %)",
        f"bed           {found.bed_c:g} °C",
    ]
    lines += [
        f"{part.name:13} {_long(part.seconds)}"
        + (f", {part.grams:.1f} g, {part.flow_usual:.1f} mm³/s usual" if part.grams else "")
        for part in found.parts
    ]
    if found.retractions:
        speed = f" at {found.retraction_mm_s:.0f} mm/s" if found.retraction_mm_s else ""
        lines.append(f"retraction    {found.retraction_mm:.2f} mm{speed}, {found.retractions:,} times")
    lines += [f"waits for     {w.what} {w.heat_c:g} °C, line {w.line}" for w in found.waits]
    lines += [f"nozzle        {b.nozzle_c:g} °C from z {b.low:.2f} to {b.high:.2f}" for b in found.bands[:MOST_BANDS]]
    lines += [f"nozzle        … and {len(found.bands) - MOST_BANDS} more stretches"] * (len(found.bands) > MOST_BANDS)
    lines += [f"unknown       {word} × {count}" for word, count in found.unknown.items()]
    for r in found.remarks:
        place = [f"line {r.line}"] * bool(r.line) + [f"layer {r.layer}"] * bool(r.layer)
        place += [f"{r.share:.0%} of the print"] * (r.share >= 0.005)
        lines.append(f"{r.weight:13} {', '.join(place)}{': ' if place else ''}{r.text}")
        lines += [f"{'':13} {r.do}"] * bool(r.do)
    return lines


@main.command("print")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--link",
    "url",
    required=True,
    metavar="URL",
    help="socket://host:port, a serial port, or http://host:port of a resin printer.",
)
def print_file(file: Path, url: str) -> None:
    """Send a G-code file or a layer package to a printer and follow it. Ctrl-C stops the print."""
    from drumbo.links.sender import SILENCE_S  # noqa: PLC0415
    from drumbo.links.sending import sender_for  # noqa: PLC0415

    ended, last = threading.Event(), {"state": "sending"}

    def report(progress: Any) -> None:
        heat = progress.heat.says if progress.heat else ""
        last["state"] = progress.state
        share = progress.sent / max(progress.total, 1)
        click.echo(f"\r{progress.state} {share:4.0%} {heat} {progress.message}".ljust(78), nl=False)
        if progress.state not in {"sending", "paused"}:
            ended.set()

    sender = sender_for(url, file.read_bytes(), report, SILENCE_S)
    sender.start()
    try:
        while not ended.wait(0.2):
            pass
    except KeyboardInterrupt:
        sender.stop()
        sender.join(5)
    click.echo()
    if last["state"] != "done":
        sys.exit(1)
