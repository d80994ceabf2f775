"""The `drumbo` command."""

from __future__ import annotations

import errno
import os
from pathlib import Path
from typing import Any

import click
import platformdirs

from drumbo import __version__
from drumbo.cli.checking import check
from drumbo.cli.common import stop_on_signals
from drumbo.cli.doctor import doctor
from drumbo.cli.exchange import export
from drumbo.cli.pieces import kinds, make_piece
from drumbo.cli.prints import print_file, stop
from drumbo.cli.retiming import retime
from drumbo.cli.standins import standin
from drumbo.core.counted import counted


def data_folder(given: str | None) -> Path:
    """The data folder: `--data`, else the environment's DRUMBO_DATA, else the platform's usual place.

    Compiled loops are cached there too, so it must be known before the core is imported.
    """
    folder = Path(given or os.environ.get("DRUMBO_DATA") or platformdirs.user_data_dir("drumbo"))
    os.environ.setdefault("NUMBA_CACHE_DIR", str(folder / "compiled"))
    return folder


REFUSED_BY_DISK = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EFBIG, errno.EACCES, errno.EIO})


class _Group(click.Group):
    """Errors meant for the user's eyes end in one line and exit code 1, not in a traceback."""

    def invoke(self, context: click.Context) -> Any:
        from drumbo.core.errors import DrumboError  # noqa: PLC0415 - keeps `--help` quick

        try:
            return super().invoke(context)
        except DrumboError as error:
            raise click.ClickException(str(error)) from error
        except OSError as error:
            if error.errno not in REFUSED_BY_DISK:
                raise
            where = f" ({error.filename})" if error.filename else ""
            raise click.ClickException(f"the disk refuses: {error.strerror}{where}") from error


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
@click.option(
    "--name", "names", multiple=True, help="A name by which this machine is known, where it is open to others."
)
@click.option("--stop-prints", is_flag=True, help="Stop running prints when it ends; otherwise they go on.")
@click.pass_obj
def serve(folder: Path, port: int, host: str, names: tuple[str, ...], stop_prints: bool) -> None:
    """Run the web application on your own workshop. Prints go on when it ends; the next start finds them again."""
    from drumbo.web.serving import run  # noqa: PLC0415 - after the cache folder is set

    stop_on_signals()
    run(folder, host=host, port=port, say=click.echo, names=names, stop_prints=stop_prints)


@main.command()
@click.option("--port", default=8765, show_default=True, help="0 picks a free one.")
@click.option("--pace", default=60.0, show_default=True, help="How much faster than real the stand-in prints.")
@click.option("--fresh", is_flag=True, help="The demo workshop again as it was at the start.")
@click.pass_obj
def demo(folder: Path, port: int, pace: float, fresh: bool) -> None:
    """Start the demo: a filled workshop, its two stand-in printers, and the web application on it."""
    from drumbo.demo.run import run_demo  # noqa: PLC0415

    stop_on_signals()
    run_demo(folder / "demo", port=port, pace=pace, fresh=fresh, say=click.echo)


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
    click.echo(f"{out}: the workshop with {counted(count, 'file')}")


@main.command()
@click.argument("archive", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.pass_obj
def unpack(folder: Path, archive: Path) -> None:
    """Make a workshop of an archive, in a folder that holds none yet (--data)."""
    from drumbo.store.archive import unpack as unpack_it  # noqa: PLC0415

    count = unpack_it(archive, folder)
    click.echo(f"{folder}: the workshop with {counted(count, 'file')}; start it with drumbo serve")


for command in (standin, kinds, make_piece, check, retime, export, print_file, stop, doctor):
    main.add_command(command)
