"""`drumbo print` and `drumbo stop`: prints without the web application, by the same sending process."""

from __future__ import annotations

import contextlib
import shutil
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from drumbo.cli.common import stop_on_signals
from drumbo.core.run import SURE, Heaters, RunState

if TYPE_CHECKING:
    from drumbo.links.journal import JournalEntry

EACH_S = 0.2
HEATERS = {
    Heaters.OFF: "Heaters are off: the printer says so.",
    Heaters.TOLD: "Heaters were told off, but the printer does not confirm it. Go and look.",
    Heaters.GONE: "The line is gone. Switch the printer off at its plug.",
    Heaters.UNTOUCHED: "Nothing was sent.",
}


@click.command("print")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--link", "url", required=True, metavar="URL",
              help="socket://host:port, a serial port, or http://host:port of a resin printer.")  # fmt: skip
@click.option("--baud", default=115_200, show_default=True, help="Speed of a serial port.")
@click.pass_obj
def print_file(folder: Path, file: Path, url: str, baud: int) -> None:
    """Send a G-code file or a layer package to a printer and follow it. Ctrl-C stops the print: heaters go off, and it
    says whether the printer confirms that.
    """
    from drumbo.core.address import WEB, parse_address  # noqa: PLC0415
    from drumbo.core.errors import LinkError, NotNow  # noqa: PLC0415
    from drumbo.links.package import is_package, layers_of  # noqa: PLC0415
    from drumbo.links.runs import PACKAGE, PRINT, STOP, RunOrder, Runs, count_lines, new_name  # noqa: PLC0415

    web = parse_address(url, "link").way == WEB
    if not web and is_package(file):
        raise LinkError("a layer package goes over a link that begins with http://; this one is for G-code")
    total = layers_of(file) if web else count_lines(file)
    runs, name = Runs(folder), new_name()
    home = runs.folder(name)
    home.mkdir(parents=True, exist_ok=True)
    # A copy, as the file may be written anew while it prints.
    copy = shutil.copyfile(file, home / "file")
    stop_on_signals()
    try:
        runs.begin(RunOrder(PACKAGE if web else PRINT, url, file=str(copy), total=total, baud=baud), name)
        entry = None
        try:
            entry = _follow(runs.folder(name), lambda: runs.alive(name))
        except (KeyboardInterrupt, SystemExit):
            click.echo("\nStopping …")
            with contextlib.suppress(NotNow):
                runs.order(name, STOP)
            entry = _follow(runs.folder(name), lambda: runs.alive(name))
        click.echo()
        click.echo(" ".join(filter(None, (entry.message, _known(entry.heaters, heats=not web)))))
    finally:
        copy.unlink(missing_ok=True)
    if entry.state != RunState.DONE:
        sys.exit(1)


def _known(heaters: Heaters, *, heats: bool) -> str:
    """What is known of the printer now, in a sentence."""
    if heats:
        return HEATERS.get(heaters, HEATERS[Heaters.TOLD])
    return {Heaters.OFF: "", Heaters.UNTOUCHED: HEATERS[Heaters.UNTOUCHED]}.get(heaters, "Go and look at it now.")


def _follow(folder: Path, alive: object) -> JournalEntry:
    """Tell where a print is until it has ended; its last entry."""
    from drumbo.links.journal import JournalEntry, last_entry  # noqa: PLC0415

    while True:
        lives = alive()  # type: ignore[operator]
        entry = last_entry(folder) or JournalEntry(RunState.SENDING)
        share = entry.sent / max(entry.total, 1)
        heat = entry.heat or {}
        nozzle = f"{heat['nozzle_c']:.0f} °C" if heat.get("nozzle_c") is not None else ""
        click.echo(f"\r{entry.state} {share:4.0%} {nozzle} {entry.message}"[:110].ljust(110), nl=False)
        if not entry.running and entry.heaters:
            return entry
        if not lives:
            return JournalEntry(
                RunState.LOST, entry.sent, entry.total, message="The sending process was ended.", heaters=Heaters.TOLD
            )
        time.sleep(EACH_S)


@click.command()
@click.option("--link", "url", default="", metavar="URL", help="Only the print on this printer.")
@click.pass_obj
def stop(folder: Path, url: str) -> None:
    """Stop all running prints of this data folder, and say whether the printers confirm that heaters are off."""
    from drumbo.core.errors import NotNow  # noqa: PLC0415
    from drumbo.links.runs import PACKAGE, STOP, RunOrder, Runs  # noqa: PLC0415

    runs = Runs(folder)
    going = [name for name in runs.names() if runs.at_work(name)]
    going = [name for name in going if not url or RunOrder.read(runs.folder(name)).url == url]
    for name in going:
        with contextlib.suppress(NotNow):
            runs.order(name, STOP)
    unsure = False
    for name in going:
        job = RunOrder.read(runs.folder(name))
        entry = runs.wait(name, 1200.0)
        heaters = entry.heaters if entry else Heaters.TOLD
        unsure = unsure or heaters not in SURE
        click.echo(f"{job.url}: {_known(heaters, heats=job.kind != PACKAGE)}")
    if not going:
        click.echo("Nothing is printing.")
    if unsure:
        sys.exit(1)
