"""`drumbo kinds` and `drumbo make-piece`: trials without a workshop."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from drumbo.cli.common import long_words, write_file

FAMILIES = {"filament": "pla", "resin": "resin-standard"}
SCREEN = "3840x2400x35"


@click.command()
def kinds() -> None:
    """List the kinds of trial, with the fields of their plans."""
    from drumbo.trials import kinds as all_kinds  # noqa: PLC0415

    for kind in all_kinds().values():
        context = _plain_context(kind.process)
        click.echo(f"{kind.slug}  {kind.title}: {kind.about}")
        plan = kind.suggest(context)
        for field in kind.asked(context):
            choices = " | ".join(key for key, _ in field.choices)
            click.echo(f"    --set {field.key}={plan[field.key]}  {field.label} {field.unit} {choices}".rstrip())


def _plain_context(process: str, family: str | None = None, drive: str = "direct", screen: str = SCREEN) -> Any:
    """A printer and a material of a process, as they come."""
    family = family or FAMILIES[process]
    return _resin_context(family, screen) if process == "resin" else _filament_context(family, drive)


def _filament_context(family_key: str, drive: str) -> Any:
    from drumbo.core.families import family  # noqa: PLC0415
    from drumbo.core.material import Material  # noqa: PLC0415
    from drumbo.core.printer import Printer  # noqa: PLC0415
    from drumbo.core.profile import start  # noqa: PLC0415
    from drumbo.trials.base import Context  # noqa: PLC0415

    kin = family(family_key)
    material = Material("", kin.name, kin.key, "any colour", "#8b2252", kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    printer = Printer("a printer", drive=drive, nozzle_max_c=300)
    return Context(printer, material, start(kin.name, material, printer))


def _resin_context(family_key: str, screen: str) -> Any:
    from drumbo.core.profile import start  # noqa: PLC0415
    from drumbo.core.resin import Resin, ResinPrinter, resin_class  # noqa: PLC0415
    from drumbo.trials.toolkit.layered import ResinContext  # noqa: PLC0415

    kin = resin_class(family_key)
    try:
        wide, deep, pixel_um = (float(number) for number in screen.split("x"))
    except ValueError:
        raise click.BadParameter(f"{screen}: write it like {SCREEN}, pixels and the width of one in µm") from None
    material = Resin("", kin.name, kin.key, "any colour", "#8b2252", density_g_cm3=kin.density_g_cm3)
    printer = ResinPrinter("a printer", wide, deep, pixel_um, lights_apart="yes")
    return ResinContext(printer, material, start(kin.name, material, printer))


@click.command("make-piece")
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
    from drumbo.exchange.meshes import MESHES  # noqa: PLC0415
    from drumbo.services.files import as_bytes  # noqa: PLC0415
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
        write_file(mesh, MESHES[ending](chosen.piece(plan, context).solid))
        click.echo(f"{mesh}: {mesh.stat().st_size:,} bytes")
    if out is not None:
        file = chosen.print_file(plan, context)
        data = as_bytes(file)
        write_file(out, data)
        click.echo(f"{out}: {long_words(file.seconds)}, {file.grams:.1f} g, {len(data):,} bytes")
