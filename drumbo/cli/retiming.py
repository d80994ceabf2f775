"""`drumbo retime`: a layer package with a profile's light, rests and lifts."""

from __future__ import annotations

import re
from contextlib import closing
from pathlib import Path

import click


@click.command()
@click.argument("package", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--profile", required=True, metavar="NAME", help="A resin profile of the workshop (--data).")
@click.option("--out", required=True, type=click.Path(dir_okay=False, path_type=Path))
@click.option(
    "--stretch", "stretches", multiple=True, metavar="FIRST-LAST:SECONDS",
    help="Layers, from 1 on, with a light of their own; may be given again.",
)  # fmt: skip
@click.option("--even", is_flag=True, help="Pictures darker where the printer's lamp is brighter, as its map tells.")
@click.pass_obj
def retime(folder: Path, package: Path, profile: str, out: Path, stretches: tuple[str, ...], *, even: bool) -> None:
    """Copy a layer package with a resin profile's light, rests and lifts; its pictures stay as they are, unless they
    are to even the lamp out.
    """
    from drumbo.cli.common import open_workshop, write_file  # noqa: PLC0415
    from drumbo.core.light.retime import Stretch  # noqa: PLC0415
    from drumbo.services.packages import with_times_of  # noqa: PLC0415
    from drumbo.services.shelf import named  # noqa: PLC0415

    wanted = []
    for row, text in enumerate(stretches, start=1):
        told = re.fullmatch(r"(\d{1,6})-(\d{1,6}):(\d{1,4}(?:\.\d{1,4})?)", text.strip())
        if told is None:
            raise click.UsageError(f"--stretch {text}: write it as 120-180:2.5")
        wanted.append(Stretch(int(told[1]), int(told[2]), float(told[3]), row))
    with closing(open_workshop(folder)) as workshop:
        data = with_times_of(workshop, named(workshop, profile), package.read_bytes(), wanted, even=even)
    write_file(out, data)
    click.echo(f"{out}: {len(data):,} bytes")
