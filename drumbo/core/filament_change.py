"""Changing filament, step by step: what the printer does at each, and what the hand does.

Old plastic is pulled out while it is soft, the new one pushed in and through until nothing of the old is left. Until
then the nozzle is as hot as the hotter of the two needs; then as the new one does.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

HEAT_MARGIN_C = 4.0
DIRECT_MM, DEFAULT_TUBE_MM, PAST_TUBE_MM = 80.0, 450.0, 60.0
"""From a direct drive to the nozzle; a Bowden tube where nobody said how long it is; what is there besides the tube."""
SOFT = frozenset({"tpu"})
TIP_MM, TIP_MM_S = 12.0, 4.0
"""A short push before the pull leaves a tip that comes back through the drive."""
PULL_MM_S, SOFT_MM_S, TUBE_MM_S, SLOW_MM_S = 25.0, 10.0, 30.0, 4.0
USUAL_PURGE_MM, PORTION_MM, MORE_OUT_MM = 40.0, 20.0, 40.0


class ChangeStep(StrEnum):
    """Where a change of filament is."""

    HEAT = "heat"
    OUT = "out"
    PUT_IN = "in"
    LOAD = "load"
    CLEAN = "clean"
    WIPE = "wipe"
    DONE = "done"
    DROPPED = "dropped"

    @property
    def over(self) -> bool:
        """Whether nothing of it goes on."""
        return self in {ChangeStep.DONE, ChangeStep.DROPPED}


STEPS = (ChangeStep.HEAT, ChangeStep.OUT, ChangeStep.PUT_IN, ChangeStep.LOAD, ChangeStep.CLEAN, ChangeStep.WIPE)


@dataclass(frozen=True, slots=True)
class FilamentChange:
    """One change: temperatures of what is in there (None where nothing is) and of what is to come, °C; drive and tube;
    families; how much it took last time to come clean, mm. One that does not purge goes on as soon as it comes out.
    """

    old_c: float | None
    new_c: float
    drive: str = "direct"
    tube_mm: float | None = None
    old_family: str = ""
    new_family: str = ""
    abrasive: bool = False
    took_mm: float | None = None
    purges: bool = True

    @property
    def hot_c(self) -> float:
        """While old plastic is in there."""
        return max(self.new_c, self.old_c or 0.0)

    @property
    def way_mm(self) -> float:
        """From the drive to the nozzle."""
        if self.drive != "bowden":
            return DIRECT_MM
        return (self.tube_mm or DEFAULT_TUBE_MM) + PAST_TUBE_MM

    @property
    def purge_mm(self) -> float:
        """What is pushed through before anybody looks."""
        return USUAL_PURGE_MM if self.took_mm is None else max(PORTION_MM, round(self.took_mm / 10) * 10)

    @property
    def first(self) -> ChangeStep:
        """Where it begins."""
        return ChangeStep.HEAT

    def press(self, step: ChangeStep, action: str) -> tuple[ChangeStep, tuple[str, ...]]:
        """What follows when somebody presses: the next step, and what the printer is told, see `links.hands`. KeyError
        for an action that this step does not have.
        """
        onward = {
            (ChangeStep.HEAT, "next"): self._after_heat(),
            (ChangeStep.OUT, "next"): (ChangeStep.PUT_IN, ()),
            (ChangeStep.OUT, "again"): (ChangeStep.OUT, (f"feed -{MORE_OUT_MM:g} {self._pull():g}",)),
            (ChangeStep.PUT_IN, "next"): (ChangeStep.LOAD, (self._load(),)),
            (ChangeStep.LOAD, "next"): self._after_load(),
            (ChangeStep.LOAD, "again"): (ChangeStep.LOAD, (f"feed {PORTION_MM:g} {SLOW_MM_S:g}",)),
            (ChangeStep.CLEAN, "next"): (ChangeStep.WIPE, (f"heat {self.new_c:g}",)),
            (ChangeStep.CLEAN, "again"): (ChangeStep.CLEAN, (f"feed {PORTION_MM:g} {SLOW_MM_S:g}",)),
            (ChangeStep.WIPE, "next"): (ChangeStep.DONE, ()),
        }
        return onward[step, action]

    def _after_heat(self) -> tuple[ChangeStep, tuple[str, ...]]:
        if self.old_c is None:
            return ChangeStep.PUT_IN, ()
        return ChangeStep.OUT, (f"feed {TIP_MM:g} {TIP_MM_S:g} -{self.way_mm + TIP_MM:g} {self._pull():g}",)

    def _after_load(self) -> tuple[ChangeStep, tuple[str, ...]]:
        if not self.purges:
            return ChangeStep.WIPE, (f"heat {self.new_c:g}",)
        return ChangeStep.CLEAN, (f"feed {self.purge_mm:g} {SLOW_MM_S:g}",)

    def _pull(self) -> float:
        return SOFT_MM_S if self.old_family in SOFT else PULL_MM_S

    def _load(self) -> str:
        slow = f"{DIRECT_MM:g} {SLOW_MM_S:g}"
        if self.drive != "bowden":
            return f"feed {slow}"
        quick = SOFT_MM_S if self.new_family in SOFT else TUBE_MM_S
        return f"feed {self.way_mm - DIRECT_MM:g} {quick:g} {slow}"

    def advice(self, step: ChangeStep) -> str:
        """What the hand does at a step, and what to do where it does not go well."""
        both = " That is what the plastic in the nozzle needs." if self.old_c and self.old_c > self.new_c else ""
        slow = " It is soft: pull gently, or it stretches." if self.old_family in SOFT else ""
        rough = " It is abrasive: it wants a hardened nozzle." if self.abrasive else ""
        known = "" if self.took_mm is None else f" {self.took_mm:g} mm made it clean before."
        feed = (
            "Watch the nozzle. If nothing comes and the drive clicks, pull back, cut the tip and try again."
            if self.purges
            else "As soon as it comes out, go on: this trial shows how much it takes to come clean."
        )
        out = f"Take the old filament out of the drive.{slow} If it sticks, heat 10 °C more and pull again."
        words = {
            ChangeStep.HEAT: f"The nozzle heats to {self.hot_c:g} °C.{both} Keep hands off it.",
            ChangeStep.OUT: out,
            ChangeStep.PUT_IN: f"Cut the tip at a slant and push it in until the drive takes it.{rough}",
            ChangeStep.LOAD: feed,
            ChangeStep.CLEAN: f"Look at what comes out: is anything of the old one left in it?{known}",
            ChangeStep.WIPE: "Pull the strand off and wipe the nozzle.",
        }
        return words.get(step, "")
