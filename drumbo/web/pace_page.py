"""What a resin print takes in time and money, as the page shows it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.fields import number
from drumbo.core.light.pace import MOST_ML, Pace, TimeShare, pace
from drumbo.core.profile import Profile
from drumbo.core.resin import Resin
from drumbo.web.page import Page

WIDE = 400.0


@dataclass(frozen=True, slots=True)
class PartAsked:
    """The part that is thought of, as typed."""

    height_mm: str = "40"
    ml: str = "15"


@dataclass(frozen=True, slots=True, kw_only=True)
class PacePage(Page):
    """Where a layer's time goes: `bars` are x, width and share, `risks` what a change would risk, by key; `parts` how
    many of it a bottle is enough for. Without `found` it says in `error` why what was typed is no part.
    """

    asked: PartAsked
    material: Resin
    error: str = ""
    found: Pace | None = None
    bars: tuple[tuple[float, float, TimeShare], ...] = ()
    bars_say: str = ""
    risks: Mapping[str, str] = field(default_factory=dict)
    money: float | None = None
    parts: str = ""


def pace_page(profile: Profile, material: Resin, asked: PartAsked) -> PacePage:
    """Everything for the card; where what was typed is no part, why."""
    try:
        found = pace(profile.numbers(), number("height_mm", asked.height_mm, "mm"))
        ml = number("ml", asked.ml, "ml")
        if not 0 < ml <= MOST_ML:
            raise InvalidInput("ml", f"must be above 0 and up to {MOST_ML:g} ml")
    except InvalidInput as error:
        return PacePage(asked=asked, material=material, error=" ".join(_said(error.problems)))
    bars, x = [], 0.0
    for share in found.shares:
        wide = WIDE * share.seconds / found.layer_s
        bars.append((round(x, 1), round(max(wide - 1, 0.0), 1), share))
        x += wide
    return PacePage(
        asked=asked,
        material=material,
        found=found,
        bars=tuple(bars),
        bars_say=", ".join(f"{share.name} {share.seconds:.1f} s" for share in found.shares),
        risks={each.key: _risk(each.key) for each in found.buys},
        money=material.cost(ml * material.density_g_cm3),
        parts=f"{int(material.bottle_ml // ml)}" if ml <= material.bottle_ml else "",
    )


def _said(problems: Mapping[str, str]) -> list[str]:
    names = {"height_mm": "The height", "ml": "The amount"}
    return [f"{names.get(key, key)} {said}." for key, said in problems.items()]


def _risk(key: str) -> str:
    """What too little of it looks like where the change takes some off, what too much does where it adds."""
    parameter = BY_KEY[key]
    return parameter.too_high if key in MORE else parameter.too_low


MORE = {"lift_speed_mm_min", "retract_mm_min", "layer_um"}
"""Values of which a change that saves time is more."""
