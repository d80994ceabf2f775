"""The line of a printer: how fast it talks, what it should tell of itself, how far it may go, and a greeting."""

from __future__ import annotations

from typing import Any

from drumbo.core.address import BAUDS
from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.dialects import dialect
from drumbo.core.printer import Printer
from drumbo.core.processes import AnyPrinter
from drumbo.links.greeting import greet
from drumbo.links.runs import Runs
from drumbo.services.convert import printer_of
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow


def baud_of(printer: AnyPrinter) -> int:
    """How fast a printer's line talks; the usual, where it has none."""
    return int(printer.baud) if isinstance(printer, Printer) and printer.baud else BAUDS[0]


def asks_line(spec: dict[str, Any]) -> bool:
    """Whether a printer has a line over which it can be asked and told."""
    link = str(spec.get("link_url") or "")
    return bool(link) and not link.startswith("http")


def over_line(printer: Printer) -> dict[str, Any]:
    """What a run needs to know of a printer that is sent line by line."""
    return {
        "baud": baud_of(printer),
        "limits": limits_of(printer),
        "resting": {
            "aside": printer.aside, "highest_mm": printer.height_mm, "standby_c": printer.standby_c,
        },
        "expects": expects_of(printer),
        "pressure_word": pressure_word_of(printer),
    }  # fmt: skip


def limits_of(printer: Printer) -> dict[str, Any]:
    """How far it may go by hand, see `links.hands.Limits`."""
    return {
        "nozzle_max_c": printer.nozzle_max_c, "bed_max_c": printer.bed_max_c, "low": printer.bed_low,
        "high": printer.bed_high, "highest_mm": printer.height_mm,
    }  # fmt: skip


def expects_of(printer: Printer) -> dict[str, float]:
    """What a printer should tell of itself, see `links.self_report`."""
    steps = {"steps_mm": printer.extruder_steps_mm} if printer.extruder_steps_mm else {}
    return {**steps, "accel_mm_s2": printer.accel_mm_s2, "speed_mm_s": printer.speed_max_mm_s}


def pressure_word_of(printer: Printer) -> str:
    """The word by which its page says that pressure advance is set; empty for a dialect without one."""
    setting = dialect(printer.dialect).pressure_advance
    return setting.word if setting is not None else ""


def try_link(workshop: Workshop, printer_id: int) -> str:
    """Greet a printer; LinkError tells what is wrong, NotNow while it prints."""
    with workshop.reading() as session:
        row = session.get(PrinterRow, printer_id)
        printer = printer_of(row) if row is not None else None
    if printer is None or not printer.link_url:
        raise InvalidInput("link_url", "there is no link to test")
    with Runs(workshop.folder).claim(printer.link_url, printer.name):
        if isinstance(printer, Printer):
            said = greet(printer.link_url, baud_of(printer), expects_of(printer), pressure_word_of(printer))
        else:
            said = greet(printer.link_url, baud_of(printer), {}, "")
    return f"It answers{said}."
