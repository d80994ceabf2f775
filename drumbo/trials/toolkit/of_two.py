"""What trials of two materials share: the second one, and how their prints change from one to the other."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar

from drumbo.core.errors import InvalidInput
from drumbo.core.pair import Partner, standby_of
from drumbo.core.toolpath import Override, PrintSettings, ToolChange, settings_for
from drumbo.trials.base import Context, Kind, P


class KindOfTwo(Kind[P]):
    """A kind of trial that needs a second material. It is planned from a pair's page, whenever somebody wants to."""

    on_demand: ClassVar[bool] = True
    shares_bed: ClassVar[bool] = False
    asks_at: ClassVar[str]
    """The field that is told where the second material is missing."""

    def hindered(self, context: Context) -> str | None:
        """It needs a second material."""
        if context.other is None:
            return "It is about two materials: open the profile's “Two materials…” and plan it from there."
        return None

    def partner(self, context: Context) -> Partner:
        """The second material. InvalidInput where there is none."""
        if context.other is None:
            raise InvalidInput(self.asks_at, "needs a second material; plan it from a pair's page")
        return context.other

    def second_settings(self, context: Context) -> PrintSettings:
        """How the second material is printed by its own profile."""
        return settings_for(self.partner(context).profile.numbers(), context.printer)

    @abstractmethod
    def change_layers(self, plan: P, context: Context) -> tuple[int, ...]:
        """Layers before which the material changes, from 1 on; to the second one first."""

    def pauses(self, plan: P, context: Context) -> tuple[int, ...]:
        """Before each change it rests for a hand, where the printer has no feeder."""
        return self.change_layers(plan, context) if context.printer.by_hand else ()

    def change(
        self, context: Context, z_mm: float, tool: int, label: str, *,
        nozzle_c: float | None = None, fan: float | None = None,
    ) -> Override:  # fmt: skip
        """From a height on, mm, the material of a tool at its own temperature, or as the zones say where that is None.
        A feeder changes at the hotter one of the two: what comes out and what goes in must both flow. Of two nozzles
        the one that is left waits at standby.
        """
        heats = context.profile.number("nozzle_c"), self.partner(context).number("nozzle_c")
        change = None
        if context.printer.by_feeder:
            change = ToolChange(tool, max(heats))
        elif context.printer.by_nozzles:
            rests = [standby_of(heat) for heat in heats]
            heat_c = heats[tool] if nozzle_c is None else nozzle_c
            change = ToolChange(tool, heat_c, 1 - tool, rests[1 - tool], rests[tool])
        return Override(z_mm, nozzle_c, label, fan, waits=nozzle_c is not None, change=change)

    def loading(self, context: Context) -> str:
        """Where a printer that changes by itself wants the two; empty for one that does not."""
        if context.printer.by_hand:
            return ""
        return f"Load {context.material.name} as T0 and {self.partner(context).name} as T1. "
