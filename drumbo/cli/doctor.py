"""`drumbo doctor`: a data folder looked over."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.option("--mend", is_flag=True, help="Do what loses nothing: set aside what belongs to nothing, clear leftovers.")
@click.pass_obj
def doctor(folder: Path, mend: bool) -> None:
    """Look a workshop's folder over: its database, its files, leftovers, room. Exit code 1 where something is wrong."""
    from drumbo.services.doctor import look_over  # noqa: PLC0415 - after the cache folder is set

    report = look_over(folder, mend=mend)
    click.echo(f"{folder}: {report.files} files in use, {report.free / 1e9:.1f} GB free")
    for ailment in report.ailments:
        click.echo(f"  {'mended' if ailment.mended else 'wrong'}: {ailment.says}; {ailment.remedy}")
    if not report.ailments:
        click.echo("  all is well")
    if any(not ailment.mended for ailment in report.ailments):
        raise SystemExit(1)
