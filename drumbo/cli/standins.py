"""`drumbo standin`: simulated devices, as programs of their own."""

from __future__ import annotations

import time
from pathlib import Path

import click

from drumbo.cli.common import stop_on_signals
from drumbo.standins.line.manners import FAULTS

FOLDER = click.Path(file_okay=False, path_type=Path)


@click.group()
def standin() -> None:
    """Simulated devices, as programs of their own."""


@standin.command("resin")
@click.option("--port", default=8772, show_default=True, help="The package service, camera and calliper, over HTTP.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real it prints.")
@click.option("--pixels", default="3840x2400", show_default=True, metavar="WIDExDEEP", help="Of its screen.")
@click.option("--light", default=4.0, show_default=True, help="mW/cm² at the film.")
@click.option("--lamp-seed", default=0, show_default=True, help="Which lamp; 0 is nearly even.")
@click.option("--resin-c", default=25.0, show_default=True, help="How warm the resin is.")
@click.option("--files", type=FOLDER, help="Where files are that it printed earlier: a workshop's folder of files.")
@click.option("--family", default="resin-standard", show_default=True, help="Class of the resin in the vat.")
@click.option("--seed", default=1, show_default=True, help="Which bottle of that class.")
def standin_resin(
    port: int,
    pace: float,
    pixels: str,
    light: float,
    lamp_seed: int,
    resin_c: float,
    files: Path | None,
    family: str,
    seed: int,
) -> None:
    """A resin printer on a TCP port of this machine."""
    from drumbo.standins.resin.device import Poured, ResinDevice  # noqa: PLC0415
    from drumbo.standins.resin.lamp import Lamp, draw_lamp  # noqa: PLC0415
    from drumbo.standins.resin.server import PackageServer  # noqa: PLC0415
    from drumbo.standins.worlds import VARIED  # noqa: PLC0415

    stop_on_signals()
    wide, _, deep = pixels.partition("x")
    if not (wide.isdecimal() and deep.isdecimal()):
        raise click.BadParameter(f"{pixels}: write it like 3840x2400")
    lamp = draw_lamp(lamp_seed, light, VARIED) if lamp_seed else Lamp(light)
    device = ResinDevice((int(wide), int(deep)), pace=pace, lamp=lamp, resin_c=resin_c, files=files)
    device.poured = Poured(family, seed)
    server = PackageServer(device, port)
    server.start()
    click.echo(f"stand-in resin printer: http://127.0.0.1:{server.port}")
    try:
        while True:
            time.sleep(3600)
    except (KeyboardInterrupt, SystemExit):
        server.close()


FAULT_LIST = "\b\nFaults:\n" + "\n".join(f"  {name:16} {words}" for name, words in FAULTS.items())


@standin.command("filament", epilog=FAULT_LIST)
@click.option("--port", default=8770, show_default=True, help="The line protocol's TCP port.")
@click.option("--side-port", default=8771, show_default=True, help="Camera, spool holder and faults, over HTTP.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real it prints.")
@click.option("--drive", type=click.Choice(["direct", "bowden"]), default="direct", show_default=True)
@click.option("--nozzles", type=click.IntRange(1, 2), default=1, show_default=True, help="Nozzles of their own.")
@click.option("--family", default="pla", show_default=True, help="Polymer of the spool that is loaded.")
@click.option("--seed", default=1, show_default=True, help="Which spool of that polymer.")
@click.option("--bed-seed", default=0, show_default=True, help="How its plate lies; 0 is flat and at the right height.")
@click.option("--skew", default=0.0, show_default=True, help="How far X moves along with each mm of Y.")
@click.option("--files", type=FOLDER, help="Where files are that it printed earlier: a workshop's folder of files.")
@click.option("--idle-h", type=float, help="End once nobody asked anything for so many hours.")
@click.option("--fault", multiple=True, metavar="NAME:LINES", help="A fault after so many lines; for practice.")
def standin_filament(
    port: int,
    side_port: int,
    pace: float,
    drive: str,
    nozzles: int,
    family: str,
    seed: int,
    bed_seed: int,
    skew: float,
    files: Path | None,
    idle_h: float | None,
    fault: tuple[str, ...],
) -> None:
    """A filament printer on a TCP port of this machine."""
    from drumbo.standins.filament.bed import draw_bed  # noqa: PLC0415
    from drumbo.standins.filament.device import FilamentPrinter  # noqa: PLC0415
    from drumbo.standins.filament.feeding import LoadedSpool  # noqa: PLC0415
    from drumbo.standins.filament.side import ControlServer  # noqa: PLC0415
    from drumbo.standins.line.session import LineServer  # noqa: PLC0415

    stop_on_signals()
    device = FilamentPrinter(pace=pace, drive=drive, bed=draw_bed(bed_seed), files=files, nozzles=nozzles)
    device.loaded = LoadedSpool(family, seed)
    device.machine.skew = skew
    for entry in fault:
        name, _, at = entry.partition(":")
        if name not in FAULTS or not at.isdigit():
            raise click.BadParameter(f"{entry}: write NAME:LINES, with one of {', '.join(FAULTS)}")
        device.faults[name] = float(at)
    lines, side = LineServer(device, port), ControlServer(device, side_port)
    lines.start()
    side.start()
    click.echo(f"stand-in printer: socket://127.0.0.1:{lines.port}  camera: http://127.0.0.1:{side.port}")
    try:
        while idle_h is None or time.monotonic() - device.heard_at < idle_h * 3600:
            time.sleep(min(60.0, 60.0 if idle_h is None else idle_h * 360))
    except (KeyboardInterrupt, SystemExit):
        pass
    lines.close()
    side.close()
