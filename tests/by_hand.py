"""A change of filament as a person goes through it, by the services."""

from __future__ import annotations

import time

from drumbo.services import filament
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from tests.conftest import PATIENCE_S


def ready(house: Workshop, number: int) -> filament.ChangePage:
    """Wait until its next step can be pressed."""
    until = time.monotonic() + PATIENCE_S
    while not (found := filament.change(house, number)).ready:
        assert time.monotonic() < until, found
        time.sleep(0.05)
    return found


def go(house: Workshop, room: PrintManager, number: int, *actions: str) -> filament.ChangePage:
    """Press one after the other, each as soon as it can be."""
    for action in actions:
        ready(house, number)
        filament.press(house, room, number, action)
    return filament.change(house, number)
