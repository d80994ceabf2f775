"""What a line of a profile is, and a sector of the drum."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from drumbo.core.sure import half_90

FILAMENT, RESIN = "filament", "resin"

ELSEWHERE = ("family", "material", "machine", "drive", "nozzle", "screen", "light", "layer")
"""What may differ between a profile and its copy for another spool or printer."""


@dataclass(frozen=True, slots=True)
class Group:
    """A sector of the drum, in trial order; profiles of one `process` have the same sectors. Once the one that `closes`
    the drum is measured, a profile is proven.
    """

    key: str
    name: str
    about: str
    process: str = FILAMENT
    closes: bool = False


Facts = Mapping[str, float]
"""What a starting value may hang on: a family's figures, the drive (`bowden` is 1 or 0), `nozzle_mm`, a layer."""
Start = float | str | Callable[[Facts], float]
"""A number, the name of a fact, or what becomes of several."""


def by_drive(direct: float | str, bowden: float | str) -> Start:
    """One starting value for a direct drive and another for a Bowden tube."""
    return lambda facts: _from(bowden if facts["bowden"] else direct, facts)


def _from(start: Start, facts: Facts) -> float:
    if callable(start):
        return start(facts)
    return facts[start] if isinstance(start, str) else start


@dataclass(frozen=True, slots=True)
class LabelWord:
    """A parameter's word on the spool label, in its `line` at its `place`; on no line, in the label's code alone. A
    word like “/” or “at” goes on from the number before it.
    """

    line: int | None
    place: int
    word: str


@dataclass(frozen=True, slots=True)
class Parameter:
    """One line of a profile.

    `main` parameters decide their group's state on the drum. `tolerance` is the change, in `unit`, that
    makes what rests on this parameter doubtful, or `tolerance_share` of it if that is more. Spools of one sort differ
    about as much (standard deviation), or by the share `spools_differ` if that is more. `rests_on` names parameters by
    key. A parameter of scope "printer" is the printer's own: no profile holds it. One that is
    `shared` may have a value of the printer's beneath the profile's, for all materials. One that is `found` has no
    starting value: only a trial can tell it; one that stands `aside` is about the profile itself, and no slicer asks
    for it; the one that `counts` says how many batches or bottles a profile has seen. `lost_with` and `doubted_with`
    name what of a profile's surroundings must be alike for a copy of the value to hold elsewhere (`ELSEWHERE`): where
    the first differs it starts anew, where the second does it wants a recheck.
    `also_called` are other words that makers use for it, or for what it cures. Those of one `plate` each may be set
    all at once. `zero` is the word for a 0 that is no number. Some printers do not honour what `may_be_ignored`.

    Profiles get the `start`; older ones too, as soon as there is a parameter that they do not know. What a toolpath is
    laid with stands under its `setting`, as value ÷ `per`; the speed
    of a role under “speeds.” and its name. Of what process it is, its group says.
    """

    key: str
    name: str
    unit: str
    group: str
    low: float
    high: float
    decimals: int = 0
    main: bool = False
    tolerance: float = 0.0
    tolerance_share: float = 0.0
    spools_differ: float = 0.0
    rests_on: tuple[str, ...] = ()
    too_low: str = ""
    too_high: str = ""
    help: str = ""
    scope: str = "profile"
    shared: bool = False
    found: bool = False
    aside: bool = False
    lost_with: tuple[str, ...] = ()
    doubted_with: tuple[str, ...] = ()
    also_called: tuple[str, ...] = ()
    plate: bool = False
    zero: str = ""
    may_be_ignored: bool = False
    counts: bool = False
    start: Start | None = None
    setting: str = ""
    per: float = 1.0
    label: LabelWord | None = None

    def begins_at(self, facts: Facts) -> float | None:
        """The starting value where such facts hold; None for what only a trial can tell."""
        return None if self.start is None else float(_from(self.start, facts))

    @property
    def lendable(self) -> bool:
        """Whether another profile may take it over: a proof and the count of batches are of one profile alone."""
        return not self.aside or (self.found and not self.main)

    def show(self, value: float) -> str:
        """The number as it is printed everywhere, without its unit."""
        text = f"{value:.{self.decimals}f}"
        return text.replace("-", "−") if float(text) else text.replace("-", "")

    def show_error(self, error: float) -> str:
        """How sure a value is, from its standard error: half of the interval that holds in 90 of 100 cases, and never
        less than the last digit shown.
        """
        return f"{max(half_90(error), 10**-self.decimals):.{self.decimals}f}"

    def moved_too_far(self, before: float, after: float) -> bool:
        """Whether a change makes what rests on this parameter doubtful."""
        return abs(after - before) > self.tolerance_at(before) + 1e-9

    def tolerance_at(self, value: float) -> float:
        """The change from this value on that matters."""
        return max(self.tolerance, self.tolerance_share * abs(value))

    def spread_at(self, value: float) -> float:
        """How far spools of one sort commonly differ about this value, one standard deviation."""
        return max(self.tolerance_at(value), self.spools_differ * abs(value))

    def warn(self, value: float) -> str | None:
        """A warning where the value is unusual, else None."""
        if value < self.low:
            return f"unusually low; {self.show(self.low)} to {self.show(self.high)} {self.unit} is common"
        if value > self.high:
            return f"unusually high; {self.show(self.low)} to {self.show(self.high)} {self.unit} is common"
        return None
