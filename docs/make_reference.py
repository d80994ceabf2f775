"""Writes `docs/reference.md` from the code: `python docs/make_reference.py`. A test says where the page is behind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import click

from drumbo.cli import main as command
from drumbo.core.catalogue import GROUPS, Parameter, in_group
from drumbo.core.fields import Field
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.processes import PROCESSES
from drumbo.exchange.exporters import exporters
from drumbo.exchange.meshes import MESHES
from drumbo.trials import kinds

PAGE = Path(__file__).with_name("reference.md")
ENVIRONMENT = (
    ("DRUMBO_DATA", "the data folder, where `--data` is not given"),
    ("DRUMBO_CODE", "the access code where others may reach the application; without it one is drawn at every start"),
    ("NUMBA_CACHE_DIR", "where compiled loops and templates are kept; in the data folder where it is not set"),
)


def reference() -> str:
    """The page."""
    return "\n".join(line.rstrip() for line in _lines()) + "\n"


def _lines() -> Iterator[str]:
    yield "# Reference\n"
    yield "What there is to choose from, by the names that files, addresses and the command line know it by."
    yield "Written from the code by `python docs/make_reference.py`.\n"
    yield "## Parameters\n"
    yield "A value's key in profile files and tables, its name, its unit, what is usual, and what it rests on.\n"
    for process in PROCESSES.values():
        yield f"### {process.name}\n"
        groups = [group for group in GROUPS if group.process == process.key]
        held = [parameter for group in groups for parameter in in_group(group.key)]
        yield from _table(("key", "name", "unit", "usual", "rests on"), map(_parameter, held))
    yield "## Kinds of trial\n"
    yield "For `drumbo make-piece KIND`; `drumbo kinds` tells the fields of their plans.\n"
    yield from _table(("kind", "title", "sets"), ((f"`{k.slug}`", k.title, _keys(k.sets)) for k in kinds().values()))
    yield "## Firmware dialects\n"
    told = ((d, d.pressure_advance.template if d.pressure_advance else "") for d in DIALECTS)
    yield from _table(("dialect", "what it is", "word"), ((f"`{d.key}`", d.name, f"`{t}`" * bool(t)) for d, t in told))
    yield "## Files that profiles go out as\n"
    yield "For `drumbo export NAME --as FORMAT`.\n"
    formats = ((f"`{e.key}`", f".{e.ending}", f"{e.name}: {e.about}") for e in exporters().values())
    yield from _table(("format", "ending", "what it holds"), formats)
    yield f"Solids are written as {' and '.join(f'`{m}`' for m in MESHES)} (`drumbo make-piece --mesh`).\n"
    yield "## Settings of printers\n"
    for process in PROCESSES.values():
        yield f"### {process.name}\n"
        yield from _table(("setting", "name", "unit", "about"), map(_setting, process.printer_fields))
    yield "## Commands\n"
    yield from _table(("command", "what it does"), _commands())
    yield "## Environment\n"
    yield from _table(("variable", "what it is"), ((f"`{name}`", what) for name, what in ENVIRONMENT))


def _table(head: Sequence[str], rows: Iterable[Sequence[str]]) -> Iterator[str]:
    yield f"| {' | '.join(head)} |"
    yield "|---" * len(head) + "|"
    yield from (f"| {' | '.join(row)} |" for row in rows)
    yield ""


def _keys(keys: Iterable[str]) -> str:
    return ", ".join(f"`{key}`" for key in keys)


def _parameter(p: Parameter) -> Sequence[str]:
    return f"`{p.key}`", p.name, p.unit, f"{p.show(p.low)} to {p.show(p.high)}", _keys(p.rests_on)


def _setting(field: Field) -> Sequence[str]:
    return f"`{field.key}`", field.label, field.unit, field.help


def _commands() -> Iterator[Sequence[str]]:
    yield from _options("drumbo", command)
    for name, one in sorted(command.commands.items()):
        if isinstance(one, click.Group):
            for sub, inner in sorted(one.commands.items()):
                yield from _options(f"drumbo {name} {sub}", inner)
        else:
            yield from _options(f"drumbo {name}", one)


def _options(name: str, one: Any) -> Iterator[Sequence[str]]:
    yield f"`{name}`", one.get_short_help_str(200)
    for option in one.params:
        if isinstance(option, click.Option):
            yield f"`{name} {option.opts[0]}`", option.help or ""


if __name__ == "__main__":
    PAGE.write_text(reference())
