"""What is odd about a layer package: what cures in the air, cups that hold suction, light and lifts that jump.

A part hangs from the plate and grows at the film; "beneath" is what was cured before. Pictures are looked at in cells
of a quarter of a millimetre or so, a few at a time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.counted import counted
from drumbo.core.light.job import Layer
from drumbo.core.remark import BAD, ODD, Remark

Mask = NDArray[np.bool_]

LEAST_ISLAND_MM2, LEAST_CUP_MM2, LEAST_CUP_MM = 0.15, 12.0, 1.0
JUMP, MOST_BOTTOMS, FAR_SHARE = 0.2, 20, 0.1
BOTTOM = 1.8
"""Times the usual light: a bottom layer."""
MOST_PULL_MM3_S = 4000.0
"""Lit area times lift speed, mm² · mm/s, beyond which large areas tear off; with a profile its own speed counts."""
MOST_TOLD = 3
OR_COPY = "or make a copy with it (File check, with a profile's times)"


def _ndimage() -> Any:
    """Loaded where a package is looked at: no other page waits for it."""
    from scipy import ndimage  # noqa: PLC0415

    return ndimage


@dataclass(frozen=True, slots=True)
class Stack:
    """Layers of a package, and what of each is lit: `lit(k)` gives (rows, columns) of cells, `cell_mm` wide; `numbers`
    of a profile by catalogue key, none where there is none.
    """

    layers: Sequence[Layer]
    lit: Callable[[int], Mask]
    cell_mm: float
    numbers: Mapping[str, float] = field(default_factory=dict)
    areas: dict[tuple[int, ...], float] = field(default_factory=dict)

    def shown(self, layer: int) -> tuple[int, ...]:
        """The pictures of a layer."""
        return tuple(light.shape for light in self.layers[layer].lights if light.seconds > 0)

    def lit_mm2(self, layer: int) -> float:
        """How much of a layer is lit; worked out once for layers with the same pictures."""
        key = self.shown(layer)
        if key not in self.areas:
            self.areas[key] = float(self.lit(layer).sum()) * self.cell_mm**2
        return self.areas[key]

    def seconds(self, layer: int) -> float:
        """The longest light of a layer, s."""
        return sum(light.seconds for light in self.layers[layer].lights)


def stack_remarks(stack: Stack) -> list[Remark]:
    """All that is odd, bad first, then by layer."""
    told = [replace(remark, rule=_rule(ask)) for ask in QUESTIONS for remark in ask(stack)]
    return sorted(told, key=lambda r: (r.weight != BAD, r.layer))


def grown(stack: Stack) -> Iterator[Remark]:
    """Islands, cups and empty layers, in one walk from the plate on."""
    area = stack.cell_mm**2
    before, sealed = None, None
    heights = np.cumsum([layer.height_um / 1000 for layer in stack.layers])
    islands: list[int] = []
    empty: list[int] = []
    cups: dict[int, tuple[float, float]] = {}
    began = np.zeros((0, 0), int)
    last = next((k for k in range(len(stack.layers) - 1, -1, -1) if stack.lit(k).any()), -1)
    for k in range(last + 1):
        here = stack.lit(k)
        stack.lit_mm2(k)
        if here is before and sealed is not None:
            # The same picture once more: what was sealed stays so, and nothing else comes or goes.
            if sealed.any() and (k == last or stack.lit(k + 1) is not here):
                _keep_cups(sealed, began, heights[k] - heights, area, cups)
            continue
        if before is None or sealed is None:
            before, sealed, began = np.ones_like(here), np.ones_like(here), np.zeros(here.shape, int)
        if not here.any():
            empty.append(k)
        elif before.any() and not before.all() and _loose(here, before, area):
            islands.append(k)
        # A hollow stays sealed where all that it grew from was closed: cured, or sealed itself.
        now = _grown_on(here, before | sealed)
        began = np.where(now & sealed, began, k)
        if now.any():
            _keep_cups(now, began, heights[k] - heights, area, cups)
        before, sealed = here, now
    yield from _told_islands(islands)
    if empty:
        some = counted(len(empty), "empty layer")
        yield Remark(BAD, 0, f"{some} in between; what comes after hangs on nothing",
                     empty[0] + 1, do="Slice it again: the part is in two pieces, or a layer was lost.")  # fmt: skip
    if cups:
        first = min(cups)
        large, tall = max(cups.values())
        yield Remark(ODD, 0, f"a cup of {large:.0f} mm² over {tall:.1f} mm of height holds suction",
                     first + 1, do="Give the hollow a drain near the plate, or turn the part.")  # fmt: skip


def _loose(here: Mask, before: Mask, area: float) -> bool:
    """Whether some part of a layer touches nothing of the layer before it."""
    if not (here & ~before).any():
        return False
    box = _box(here)
    here, before = here[box], before[box]
    parts, count = _ndimage().label(here, np.ones((3, 3)))
    near = _ndimage().binary_dilation(before, np.ones((3, 3)))
    sizes = np.bincount(parts.ravel(), minlength=count + 1)
    held = np.unique(parts[near & here])
    sizes[held] = 0
    return bool(sizes[1:].max(initial=0) * area > LEAST_ISLAND_MM2)


def _box(*masks: Mask) -> tuple[slice, slice]:
    """Rows and columns that hold all that is set, and a cell round it."""
    rows = np.flatnonzero(np.logical_or.reduce([mask.any(axis=1) for mask in masks]))
    columns = np.flatnonzero(np.logical_or.reduce([mask.any(axis=0) for mask in masks]))
    if not len(rows):
        return slice(0, 0), slice(0, 0)
    return slice(max(rows[0] - 1, 0), rows[-1] + 2), slice(max(columns[0] - 1, 0), columns[-1] + 2)


def _grown_on(here: Mask, closed: Mask) -> Mask:
    """What is not lit, closed in on all sides, and grew from what was closed as a whole."""
    out = np.zeros_like(here)
    box = _box(here)
    inside = here[box]
    if inside.size:
        out[box] = _sealed(_ndimage().binary_fill_holes(inside) & ~inside, closed[box])
    return out


def _sealed(hollow: Mask, closed: Mask) -> Mask:
    """The hollows that grew from what was closed as a whole."""
    parts, count = _ndimage().label(hollow)
    if not count:
        return np.zeros_like(hollow)
    vented = np.unique(parts[hollow & ~closed])
    good = np.ones(count + 1, bool)
    good[vented] = False
    good[0] = False
    return np.asarray(good[parts])


def _keep_cups(
    now: Mask, began: NDArray[np.int64], above: NDArray[np.float64], area: float, cups: dict[int, tuple[float, float]]
) -> None:
    """Note cups that are large and tall by now, under the layer on which they begin; `above` is how high this one is
    over each."""
    parts, count = _ndimage().label(now)
    for part in range(1, count + 1):
        mine = parts == part
        first = int(began[mine].min())
        size, tall = float(mine.sum()) * area, float(above[first])
        if size > LEAST_CUP_MM2 and tall > LEAST_CUP_MM:
            cups[first] = max(cups.get(first, (0.0, 0.0)), (size, tall))


def _told_islands(islands: list[int]) -> Iterator[Remark]:
    """Layers that follow each other are one island."""
    starts = [k for n, k in enumerate(islands) if n == 0 or k > islands[n - 1] + 1]
    for n, k in enumerate(starts[:MOST_TOLD]):
        more = f", and {len(starts) - MOST_TOLD} more" if n == MOST_TOLD - 1 and len(starts) > MOST_TOLD else ""
        yield Remark(BAD, 0, f"cures in the air: nothing lies beneath a part of layer {k + 1}{more}", k + 1,
                     do="It needs a support, or it stays on the film.")  # fmt: skip


def _usual(stack: Stack) -> float:
    """The light that most layers get, s."""
    return float(np.median([stack.seconds(k) for k in range(len(stack.layers))]))


def light_steps(stack: Stack) -> Iterator[Remark]:
    """Light that jumps in mid-print, or differs from the profile's."""
    usual = _usual(stack)
    seconds = np.array([stack.seconds(k) for k in range(len(stack.layers))])
    if any(len({light.shape for light in layer.lights}) > 1 for layer in stack.layers):
        # Several exposures side by side are a test's.
        return
    bottoms = int((np.cumsum(seconds <= BOTTOM * usual) == 0).sum())
    # What steps down evenly behind the bottom is a transition.
    after = bottoms
    while after + 1 < len(seconds) and seconds[after] > usual * (1 + JUMP) and seconds[after + 1] <= seconds[after]:
        after += 1
    # A layer without any light is empty, which is said already.
    later = seconds[after + 1 :]
    off = np.flatnonzero((np.abs(later / max(usual, 1e-9) - 1) > JUMP) & (later > 0)) + after + 1
    if len(off) and len(seconds) > 2 * bottoms + 5:
        k = int(off[0])
        text = f"layer {k + 1} is lit for {seconds[k]:g} s; most are for {usual:g} s"
        more = f" ({len(off)} such layers)" if len(off) > 1 else ""
        yield Remark(ODD, 0, text + more, k + 1, len(off) / len(seconds),
                     "Is it meant? Otherwise take the change of exposure out.")  # fmt: skip
    wanted = stack.numbers.get("exposure_s")
    if wanted and abs(usual / wanted - 1) > FAR_SHARE:
        yield Remark(BAD, 0, f"lights most layers for {usual:g} s; the profile says {wanted:g} s", bottoms + 1, 1.0,
                     f"Slice it again with the profile's exposure, {OR_COPY}.")  # fmt: skip


def bottoms(stack: Stack) -> Iterator[Remark]:
    """Bottom layers: none, too many, or other ones than the profile's."""
    usual = _usual(stack)
    first, count = stack.seconds(0), 0
    # Those that step down behind them are a transition.
    while count < len(stack.layers) and stack.seconds(count) > max(BOTTOM * usual, 0.95 * first):
        count += 1
    if len(stack.layers) < 10:
        return
    wanted = stack.numbers.get("bottom_layers")
    if count == 0:
        yield Remark(BAD, 0, "has no bottom layers: the first are lit no longer than the others", 1, 0.0,
                     "Without longer light it does not hold on the plate.")  # fmt: skip
    elif count > MOST_BOTTOMS:
        yield Remark(ODD, 0, f"has {count} bottom layers; it flares, and comes off with a chisel only", 1, 0.0,
                     "Three to ten are common.")  # fmt: skip
    elif wanted and count != round(wanted):
        yield Remark(ODD, 0, f"has {count} bottom layers; the profile says {wanted:g}", 1, 0.0,
                     f"Slice it again with the profile's bottom layers, {OR_COPY}.")  # fmt: skip


def pulls_mm3_s(stack: Stack) -> list[float]:
    """How hard each layer is pulled off the film: lit area times lift speed, mm² · mm/s; 0 where nothing is lifted."""
    return [
        stack.lit_mm2(k) * layer.lift.mm_min / 60 if layer.lift.mm > 0 else 0.0 for k, layer in enumerate(stack.layers)
    ]


def lifts(stack: Stack) -> Iterator[Remark]:
    """Large areas that are torn off quickly, or quicker than the profile says."""
    wanted = stack.numbers.get("lift_speed_mm_min")
    for k, layer in enumerate(stack.layers):
        quick = wanted and layer.lift.mm > 0 and layer.lift.mm_min > 1.1 * wanted
        if quick and k > stack.numbers.get("bottom_layers", 0):
            yield Remark(ODD, 0, f"lifts at {layer.lift.mm_min:g} mm/min; the profile says {wanted:g}", k + 1, 0.0,
                         f"Slice it again with the profile's lift speed, {OR_COPY}.")  # fmt: skip
            return
    pulls = pulls_mm3_s(stack)
    at = max(range(len(pulls)), key=pulls.__getitem__)
    worst = pulls[at]
    if worst > MOST_PULL_MM3_S:
        speed = stack.layers[at].lift.mm_min
        text = f"pulls {worst / speed * 60:.0f} mm² off the film at {speed:g} mm/min; it may tear"
        yield Remark(ODD, 0, text, at + 1, 0.0, "Lift such layers more slowly, or turn the part.")


QUESTIONS: tuple[Callable[[Stack], Iterator[Remark]], ...] = (grown, light_steps, bottoms, lifts)


def _rule(ask: Callable[[Stack], Iterator[Remark]]) -> str:
    return ask.__name__.replace("_", "-")


RULES: dict[str, str] = {_rule(ask): (ask.__doc__ or "").strip() for ask in QUESTIONS}
"""What each rule is about, by its name."""
