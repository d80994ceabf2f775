"""`drumbo check`: what a file will really do, in lines of words, as JSON, or as SARIF for other programs."""

from __future__ import annotations

import json
import sys
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from drumbo.cli.common import open_workshop
from drumbo.core.errors import GcodeError, InvalidInput

if TYPE_CHECKING:
    from drumbo.core.gcode.against import Against

PLAIN_UP_TO = 64_000
"""Bytes; for a file so small the compiler would take longer to load than the check takes."""
BAD_EXIT, UNREADABLE_EXIT = 1, 3
_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


class Unreadable(click.ClickException):
    """The file itself is the trouble."""

    exit_code = UNREADABLE_EXIT


@click.command()
@click.argument("file", type=_FILE, required=False)
@click.option("--json", "as_json", is_flag=True)
@click.option(
    "--sarif", "as_sarif", is_flag=True, help="SARIF 2.1.0, for editors and for checks that run by themselves."
)
@click.option("--beside", "other", type=_FILE, help="Another G-code file: say what differs, and from which command on.")
@click.option("--profile", metavar="NAME", help="Hold it against this profile of the workshop (--data).")
@click.option("--dialect", metavar="KEY", default="", help="Read it as this dialect, like m900.")
@click.option("--watch", "watched", type=click.Path(exists=True, file_okay=False, path_type=Path), metavar="FOLDER",
              help="Check files as they arrive there, and write a report beside each, until Ctrl-C.")  # fmt: skip
@click.pass_obj
def check(
    folder: Path, file: Path | None, as_json: bool, as_sarif: bool, other: Path | None, profile: str | None,
    dialect: str, watched: Path | None,
) -> None:  # fmt: skip
    """Say what a G-code file or a layer package will really do, and what is odd about it.

    Exit codes: 0 nothing that may spoil a print, 1 something may (or two files differ), 2 a wrong call, 3 the file
    cannot be read.
    """
    if (file is None) == (watched is None):
        raise click.UsageError("name a file, or a folder to watch")
    if as_json and as_sarif:
        raise click.UsageError("--json or --sarif, not both")
    form = "sarif" if as_sarif else "json" if as_json else "text"
    if watched is not None:
        from drumbo.cli.watching import watch  # noqa: PLC0415

        watch(watched, form, _against(folder, profile, dialect), click.echo)
        return
    assert file is not None
    data = file.read_bytes()
    if len(data) <= PLAIN_UP_TO and data[:2] not in {b"PK", b"\x1f\x8b"} and other is None:
        from drumbo.core.compiled import keep_plain  # noqa: PLC0415

        keep_plain()
    if data[:2] == b"PK" and other:
        raise click.UsageError(f"{file} is a layer package; --beside is for G-code")
    held = _against(folder, profile, dialect, resin=data[:2] == b"PK")
    try:
        if other is not None:
            _check_beside(data, other.read_bytes(), held, as_json=as_json)
            return
        told, bad = report(data, file.name, form, held)
    except (GcodeError, InvalidInput) as error:
        raise Unreadable(str(error)) from error
    click.echo(told)
    if bad:
        sys.exit(BAD_EXIT)


def _against(folder: Path, profile: str | None, dialect: str, *, resin: bool = False) -> Against:
    """What a file is held against: the profile of that name, if one is given."""
    from drumbo.core.gcode.against import Against  # noqa: PLC0415
    from drumbo.core.gcode.dialects import dialect as known  # noqa: PLC0415

    if dialect:
        known(dialect)
    if not profile:
        return Against(dialect=dialect)
    from dataclasses import replace  # noqa: PLC0415

    from drumbo.services.check import against  # noqa: PLC0415
    from drumbo.services.shelf import named  # noqa: PLC0415

    with closing(open_workshop(folder)) as workshop:
        if resin:
            from drumbo.services.packages import numbers_of  # noqa: PLC0415 - layers take as long to load as G-code

            return Against(numbers=numbers_of(workshop, named(workshop, profile)))
        return replace(against(workshop, named(workshop, profile)), dialect=dialect)


def report(data: bytes, name: str, form: str, held: Against) -> tuple[str, bool]:
    """(what is found of a file, as text, json or sarif; whether anything is bad). GcodeError or InvalidInput where it
    cannot be read.
    """
    from drumbo.exchange.incoming import is_package, unpacked  # noqa: PLC0415

    if is_package(data):
        from drumbo.exchange.package_check import check_package  # noqa: PLC0415

        lit = check_package(data, held.numbers)
        bad = any(remark.weight == "bad" for remark in lit.remarks)
        return (_as_json(asdict(lit)) if form == "json" else _written(lit, name, form)), bad
    _, found = held.look(held.read(unpacked(data)))
    bad = any(remark.weight == "bad" for remark in found.remarks)
    if form == "text":
        from drumbo.cli.telling import told_lines  # noqa: PLC0415

        return "\n".join(told_lines(found, held)), bad
    return (_as_json(asdict(found)) if form == "json" else _sarif(found.remarks, name)), bad


def _written(lit: Any, name: str, form: str) -> str:
    from drumbo.cli.telling import package_lines  # noqa: PLC0415

    return _sarif(lit.remarks, name) if form == "sarif" else "\n".join(package_lines(lit))


def _sarif(remarks: Any, name: str) -> str:
    from drumbo.exchange.sarif import sarif  # noqa: PLC0415

    return _as_json(sarif(name, remarks))


def _as_json(told: Any) -> str:
    return json.dumps(told, indent=2, ensure_ascii=False)


def _check_beside(data: bytes, other: bytes, held: Against, *, as_json: bool) -> None:
    """What differs between two files, and where they part."""
    from drumbo.core.gcode.beside import pairs, parting  # noqa: PLC0415
    from drumbo.exchange.incoming import unpacked  # noqa: PLC0415

    sums = [held.look(held.read(unpacked(each))) for each in (data, other)]
    found, part = pairs(*sums), parting(sums[0][0], sums[1][0])
    if as_json:
        click.echo(_as_json({"pairs": [asdict(p) for p in found], "parting": asdict(part) if part else None}))
    else:
        for p in (p for p in found if p.differs):
            click.echo(f"{p.name:20} {p.first:.{p.digits}f} and {p.second:.{p.digits}f} {p.unit}".rstrip())
        if part is None:
            click.echo("They do the same from the first command to the last.")
        else:
            ends = [f"line {line}" if line else "its end" for line in (part.first_line, part.second_line)]
            click.echo(f"They part after {part.same:,} moves: at {ends[0]} of the first, {ends[1]} of the second.")
    if part is not None:
        sys.exit(BAD_EXIT)
