"""The planner's two pictures: flows against what melts, and where the time goes. Places in pixels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.planner import Planned, Stage
from drumbo.web.filters import clock

FLOW_WIDTH, FLOW_ROW = 330.0, 46.0
FALL_WIDTH, FALL_ROW, FALL_LABEL = 1100.0, 44.0, 390.0
FALL_RIGHT = 160.0


@dataclass(frozen=True, slots=True)
class FlowBar:
    """A kind of road: what comes (from 0), what is asked beyond that, and what is said of it."""

    name: str
    y: float
    comes: float
    beyond: float
    flow: str
    says: str
    held: bool


@dataclass(frozen=True, slots=True)
class FlowPicture:
    """Bars in rows, the limit as a line across them."""

    width: float
    height: float
    row: float
    bars: tuple[FlowBar, ...]
    limit: float
    limit_says: str


def flow_picture(found: Planned) -> FlowPicture:
    """Flow of every road against the limit."""
    most = max(*(row.flow_mm3_s for row in found.rows), found.limit_mm3_s * 1.12)
    scale = (FLOW_WIDTH - 10) / most
    bars = []
    for index, row in enumerate(found.rows):
        comes = min(row.flow_mm3_s, found.limit_mm3_s)
        says = f"held to {row.had_mm_s:.0f} mm/s" if row.held else ""
        bars.append(
            FlowBar(row.name, index * FLOW_ROW, round(comes * scale, 1), round((row.flow_mm3_s - comes) * scale, 1),
                    f"{row.flow_mm3_s:.1f}", says, row.held)
        )  # fmt: skip
    limit = round(found.limit_mm3_s * scale, 1)
    says = f"{found.limit_mm3_s:.1f} mm³/s melt"
    return FlowPicture(FLOW_WIDTH, FLOW_ROW * len(bars), FLOW_ROW, tuple(bars), limit, says)


@dataclass(frozen=True, slots=True)
class Fall:
    """One change: its bar from x over `width`, where it joins the one before, whether it saves time and how much."""

    name: str
    says: str
    y: float
    x: float
    width: float
    saves: bool
    join: float
    worth: str


@dataclass(frozen=True, slots=True)
class WaterfallPicture:
    """The time before at the top, the changes one under the other, the time after at the bottom."""

    width: float
    height: float
    row: float
    left: float
    before_s: float
    after_s: float
    before_width: float
    after_width: float
    falls: tuple[Fall, ...]

    @property
    def last_y(self) -> float:
        """Where the time after stands."""
        return (len(self.falls) + 1) * self.row


def waterfall_picture(steps: Sequence[Stage]) -> WaterfallPicture | None:
    """Where the time goes; None where nothing was changed."""
    if not steps:
        return None
    first, last = steps[0].before_s, steps[-1].after_s
    most = max(first, *(max(s.before_s, s.after_s) for s in steps))
    scale = (FALL_WIDTH - FALL_LABEL - FALL_RIGHT) / most
    falls = []
    for index, step in enumerate(steps, 1):
        low, high = sorted((step.before_s, step.after_s))
        x, width = round(FALL_LABEL + low * scale, 1), round(max((high - low) * scale, 1.5), 1)
        saves = step.after_s <= step.before_s
        falls.append(
            Fall(
                step.name, step.says, index * FALL_ROW, x, width, saves, x + width if saves else x, _worth(step, first)
            )
        )
    height = FALL_ROW * (len(steps) + 2)
    ends = (round(first * scale, 1), round(last * scale, 1))
    return WaterfallPicture(FALL_WIDTH, height, FALL_ROW, FALL_LABEL, first, last, *ends, tuple(falls))


def _worth(step: Stage, first_s: float) -> str:
    """What a change is worth: time with its sign, and its share of the time before all changes."""
    change = step.after_s - step.before_s
    if abs(change) < 0.5:
        return "±0"
    return f"{'−' if change < 0 else '+'}{clock(abs(change))}, {100 * abs(change) / first_s:.0f} %"
