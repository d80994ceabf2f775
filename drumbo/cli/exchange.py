"""`drumbo export`: a profile as a file."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import click


@click.command()
@click.argument("name", required=False)
@click.option("--as", "key", metavar="FORMAT", default="profile", show_default=True, help="See `drumbo export --list`.")
@click.option("--list", "listed", is_flag=True, help="Say which formats there are.")
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="Named after the profile if left out.")
@click.pass_obj
def export(folder: Path, name: str | None, key: str, listed: bool, out: Path | None) -> None:
    """Write the newest revision of a profile of the workshop (--data) to a file."""
    from drumbo.cli.common import open_workshop, write_file  # noqa: PLC0415
    from drumbo.exchange.exporters import exporter, exporters  # noqa: PLC0415
    from drumbo.services.import_export import export as write  # noqa: PLC0415
    from drumbo.services.shelf import named  # noqa: PLC0415

    if listed:
        for each in exporters().values():
            click.echo(f"{each.key:12} {each.name}: {each.about}")
        return
    if name is None:
        raise click.UsageError("say which profile, by its name")
    chosen = exporter(key)
    with closing(open_workshop(folder)) as workshop:
        data = write(workshop, named(workshop, name), key)
    path = out or Path(f"{name.replace('/', '-')}.{chosen.ending}")
    write_file(path, data)
    click.echo(f"{path}: {len(data):,} bytes")
