"""The stand-ins of the demo."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace

from drumbo.links.practice import SimulatedPrinter
from drumbo.services import workshop
from drumbo.store.database import Workshop


def relink(house: Workshop, devices: Mapping[str, SimulatedPrinter]) -> None:
    """Stand-ins have new ports at every start; printers with a camera are theirs."""
    for number, printer in workshop.printers(house):
        if printer.camera_url:
            device = devices[printer.process]
            linked = replace(printer, link_url=device.link_url, camera_url=device.camera_url)
            workshop.save_printer(house, asdict(linked), number)
