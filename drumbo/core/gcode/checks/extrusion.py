"""How much is fed: modes that are mixed up, lines that get far too much or too little, pulls that are not made good."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from drumbo.core.gcode.analysis import TWICE_AS_HIGH, FileAnalysis
from drumbo.core.gcode.command import What
from drumbo.core.gcode.move_columns import ROUND, WIDTHS
from drumbo.core.gcode.reader import GULP_MM, LEFT_OVER
from drumbo.core.gcode.roles import INNER, NAMES, OUTER, TOP
from drumbo.core.remark import BAD, ODD, Remark

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

THICK_MM2 = 1.5
"""Nor is a line so thick in cross-section."""
TAKEN_BACK = 0.4
"""Filament that is pulled back on the way, as a share of what is fed: modes are mixed up."""
SPARSE, SWOLLEN = 0.35, 2.2
"""Area of a line over its height, as a share of the nozzle, and its width: far too little, and far too much."""
USUAL_NOZZLE_MM, WIDEST_MM, FLATTEST = 0.4, 1.25, 5.0
NEAR_LAYERS, LEAST_WAY_MM, FEW_LAYERS, ALIKE = 4, 8.0, 6, 1.35
MORE, LESS, FEW_OFF = 1.6, 0.62, 0.15
ROLE_MORE, ROLE_LESS = 2.0, 0.6
NOT_PUSHED, LEAST_PUSH_MM, FEW_PULLS = 0.5, 0.4, 4
RESET_MM = 20.0
LONG, FEW_LONG = 1.7, 0.01
STEEP, LEAST_RISE_MM, LAYERS_AT_ONCE = 0.3, 0.1, 1.5


def _gulps(case: FileAnalysis) -> Bools:
    return case.found.laid & (case.program.e_mm > GULP_MM) & (case.program.e_mm > case.found.way)


def _taken_back(case: FileAnalysis) -> bool:
    given, net, back = case.fed
    return net < LEFT_OVER * given or back > TAKEN_BACK * given


def modes(case: FileAnalysis) -> Iterator[Remark]:
    """Absolute and relative extrusion are mixed up."""
    program, found = case.program, case.found
    gulp = _gulps(case)
    if gulp.any():
        row = int(gulp.argmax())
        text = f"feeds {program.e_mm[row]:.0f} mm of filament on {found.way[row]:.1f} mm of line"
        do = "Absolute and relative extrusion are mixed up: look for M82, M83 and G92 E0 above this line."
        thick = found.width * found.height > THICK_MM2
        yield case.remark(BAD, found.laid & (gulp | thick), text, do)
    elif _taken_back(case):
        given, net, _ = case.fed
        text = f"feeds {given:.0f} mm of filament and takes {given - net:.0f} mm back"
        do = "Values for relative extrusion (M83) are read as absolute ones: put M83 at the start."
        yield case.remark(BAD, found.laid, text, do)


def _mixed_up(case: FileAnalysis) -> bool:
    return _taken_back(case) or (float(case.program.e_mm.max()) > GULP_MM and bool(_gulps(case).any()))


def _middle(way: Floats, power: float = 0.0) -> float:
    """The width, of `WIDTHS`, that half of the way (or of the filament, to the power of 1) is not above."""
    upto = np.cumsum(way * WIDTHS**power)
    return float(WIDTHS[np.searchsorted(upto, upto[-1] / 2)])


def _nozzle_mm(case: FileAnalysis) -> float:
    return case.printer.nozzle_mm if case.printer else USUAL_NOZZLE_MM


def far_from_need(case: FileAnalysis) -> Iterator[Remark]:
    """All lines get far too much or too little for their height and any nozzle."""
    found, laid = case.found, case.found.laid
    if _mixed_up(case):
        return
    flat, height = _middle(case.by_width.sum(axis=0)), float(np.median(found.thick))
    width = flat + ROUND * height
    nozzle = _nozzle_mm(case)
    if flat < SPARSE * nozzle and width < 0.75 * max(height, 0.3):
        text = f"feeds far too little: lines would be {width:.2f} mm wide at a height of {height:.2f}"
        where = laid & (found.width < 1.5 * width)
        yield case.remark(BAD, where, text, "Is E in another unit, or the flow a tenth of what it should be?")
    elif (case.printer and width > SWOLLEN * nozzle) or (width > WIDEST_MM and width > FLATTEST * height):
        text = f"feeds far too much: lines would be {width:.2f} mm wide at a height of {height:.2f}"
        do = "Are E values totals under relative extrusion (M83), or volumes without M200?"
        yield case.remark(BAD, laid & (found.width > width / 1.5), text, do)


def _beside(each: Floats, at: int, least: int) -> tuple[float, float] | None:
    """Medians of the few before a place, from `least` on, and behind it, the lower first; None where it is an end."""
    before, after = each[max(at - NEAR_LAYERS, least) : at], each[at + 1 : at + 1 + NEAR_LAYERS]
    if not (len(before) and len(after)):
        return None
    low, high = sorted((float(np.median(before)), float(np.median(after))))
    return low, high


def one_layer(case: FileAnalysis) -> Iterator[Remark]:
    """A layer, or a few, whose lines get far more or less than the layers around."""
    if case.found.layers < FEW_LAYERS or _mixed_up(case):
        return
    widths, ways = case.by_layer
    votes, ratios = np.zeros((3, case.found.layers)), np.ones(case.found.layers)
    for role in (OUTER, INNER, TOP):
        there = np.flatnonzero(ways[role] > LEAST_WAY_MM)
        each = widths[role, there]
        leaps = np.abs(np.diff(np.log(np.maximum(each, 1e-9)))) > np.log(ALIKE)
        for at in (np.flatnonzero(leaps[:-1] | leaps[1:]) + 1).tolist() if len(there) > 2 else ():
            beside = _beside(each, at, int(there[0] == 0))
            if beside is None or beside[1] > ALIKE * beside[0]:
                continue
            k, ratio = int(there[at]), each[at] / (sum(beside) / 2)
            votes[0 if ratio > MORE else 1 if ratio < LESS else 2, k] += ways[role, k]
            ratios[k] = ratio if ways[role, k] >= votes[:, k].max() else ratios[k]
        calm = np.setdiff1d(there, np.flatnonzero(votes.sum(axis=0)))
        votes[2, calm] += ways[role, calm]
    for off, told in ((votes[0], "more"), (votes[1], "less")):
        layers = np.flatnonzero((off > 0) & (off > 2 * (votes.sum(axis=0) - off)))
        layers = layers[[not _by_its_step(case, int(k), float(ratios[k])) for k in layers]]
        if 0 < len(layers) < max(FEW_OFF * case.found.layers, 2):
            k = int(layers[0])
            where = case.found.laid & np.isin(case.found.layer, layers)
            text = f"layer {k + 1} gets {ratios[k]:.1f} times the filament of those around it"
            yield case.remark(BAD, where, text, f"Something feeds {told} here: look for M221 or a changed flow.")


def _by_its_step(case: FileAnalysis, layer: int, ratio: float) -> bool:
    """Whether a layer has what its lines need but for a step that is too high: one is missing below it, which is told
    as such, or it lies on a raft, which is meant.
    """
    tall = case.tall_step(layer)
    meant = tall > TWICE_AS_HIGH or (tall > ALIKE and case.on_raft(layer))
    return meant and 1 / ALIKE < ratio * tall < ALIKE


def one_role(case: FileAnalysis) -> Iterator[Remark]:
    """Lines of one kind that get far more or less than the others."""
    if case.found.layers < FEW_LAYERS or _mixed_up(case):
        return
    usual = {}
    for role in (OUTER, INNER, TOP):
        if case.by_width[role].sum() > 50 * LEAST_WAY_MM:
            usual[role] = _middle(case.by_width[role], 1.0)
    if len(usual) < 2:
        return
    nozzle = _nozzle_mm(case)
    # Of two that differ, the one that a nozzle would not lay is told of.
    for role, mine in sorted(usual.items(), key=lambda each: -abs(float(np.log(each[1] / nozzle)))):
        others = [value for other, value in usual.items() if other != role]
        if all(mine > ROLE_MORE * value for value in others) or all(mine < ROLE_LESS * value for value in others):
            ratio = mine / float(np.median(others))
            found, tall = case.found, np.float32(ROUND)
            middle = (mine + float(np.median(others))) / 2
            far = (found.width - tall * found.height > middle) == (ratio > 1)
            where = found.laid & (case.role == role) & far
            text = f"{NAMES[role]} get {ratio:.1f} times the filament of other lines for their height"
            yield case.remark(BAD, where, text, "Check the flow and the line width that the slicer has for them.")
            return


def _excused(case: FileAnalysis, first: NDArray[np.int64]) -> NDArray[np.bool_]:
    """(k,) gaps with a change of tool or filament, a pause or a word that is not known in them."""
    rows = {c.row for c, _ in case.program.set_by(What.TOOL, What.PAUSE)}
    rows |= {c.row for c in case.program.commands if c.word in case.program.unknown}
    if not rows or not len(first):
        return np.zeros(len(first), bool)
    at = np.array(sorted(rows))
    laid = case.found.laid
    ends = np.array([row + int(laid[row:].argmax()) for row in first.tolist()]) if len(at) else first
    return np.asarray(np.searchsorted(at, first, "left") < np.searchsorted(at, ends, "right"))


def _usual_of_tool(case: FileAnalysis, column: Floats) -> Floats:
    """(k,) by gap the median of a column over the retractions of the same tool; 0 where it has none."""
    gaps = case.between
    if len(case.program.tools) == 1:
        return np.full(len(column), gaps.usual(column))
    tool, out = case.program.tool[gaps.first], np.zeros(len(column))
    for each in np.unique(tool):
        mine = tool == each
        told = column[mine & gaps.pulls]
        out[mine] = np.median(told) if len(told) else 0.0
    return out


def not_made_good(case: FileAnalysis) -> Iterator[Remark]:
    """Filament that is pulled and never pushed again before the next line, or pushed without having been pulled."""
    gaps = case.between
    net = gaps.pulled_mm - gaps.pushed_mm
    if not len(net) or _mixed_up(case):
        return
    pull = _usual_of_tool(case, gaps.pulled_mm)
    off = np.abs(net - _usual_of_tool(case, net)) > np.maximum(NOT_PUSHED * pull, LEAST_PUSH_MM)
    off &= np.abs(net) > LEAST_PUSH_MM
    if not off.any():
        return
    off[off] &= ~_excused(case, gaps.first[off])
    if not off.any() or (off.sum() > 0.1 * max(gaps.pulls.sum(), 1) and off.sum() > 3):
        return
    k = int(off.argmax())
    row, more = int(gaps.first[k]), f", and so {off.sum()} times" if off.sum() > 1 else ""
    if net[k] > RESET_MM:
        text = f"retracts {net[k]:.0f} mm of filament at once: E begins again at 0"
        yield case.at_row(BAD, row, text, "A reset is missing: put G92 E0 before this line.")
    elif net[k] < -RESET_MM:
        text = f"feeds {-net[k]:.0f} mm of filament at once, with the head still"
        yield case.at_row(BAD, row, text, "Look for a G92 E0 that does not belong here, or for M82 and M83.")
    elif net[k] > 0:
        text = (
            f"retracts {gaps.pulled_mm[k]:.2f} mm and unretracts {gaps.pushed_mm[k]:.2f} mm before the next line{more}"
        )
        yield case.at_row(BAD, row, text, "The next line starts without filament: unretract as much as was retracted.")
    else:
        text = f"unretracts {-net[k]:.2f} mm more than was retracted{more}"
        yield case.at_row(BAD, row, text, "It leaves a blob: unretract as much as was retracted.")


def long_pull(case: FileAnalysis) -> Iterator[Remark]:
    """A pull, or a few, much longer than all others."""
    gaps = case.between
    if gaps.pulls.sum() < FEW_PULLS or _mixed_up(case):
        return
    usual = _usual_of_tool(case, gaps.pulled_mm)
    long = gaps.pulls & (gaps.depth_mm > LONG * usual) & (gaps.depth_mm - usual > LEAST_PUSH_MM)
    long &= np.abs(gaps.pulled_mm - gaps.pushed_mm) < RESET_MM
    if not long.any():
        return
    long[long] &= ~_excused(case, gaps.first[long])
    if long.any() and long.sum() <= max(FEW_LONG * gaps.pulls.sum(), 1):
        k = int(long.argmax())
        text = f"retracts {gaps.depth_mm[k]:.2f} mm here; elsewhere it is {usual[k]:.2f} mm"
        yield case.at_row(ODD, int(gaps.first[k]), text, "Two retractions in a row? One of them should go.")


def lifting(case: FileAnalysis) -> Iterator[Remark]:
    """Filament is fed while the nozzle lifts off."""
    program, found = case.program, case.found
    rows = np.flatnonzero(program.z[1:] != program.z[:-1]) + 1
    rows = rows[found.laid[rows] & (found.layer[rows] > 0)]
    rises = program.z[rows] - program.z[rows - 1]
    usual = float(np.median(found.thick)) if found.layers else 0.0
    off = (rises > LEAST_RISE_MM) & (rises > STEEP * found.way[rows])
    off |= rises > max(LAYERS_AT_ONCE * usual, STEEP)
    steep = np.zeros(len(program), bool)
    steep[rows[off]] = True
    if steep.any():
        yield case.remark(ODD, steep, "feeds filament while the nozzle lifts off; it draws a thread into the air",
                          "Lift without E, after the retraction.")  # fmt: skip


QUESTIONS = (modes, far_from_need, one_layer, one_role, not_made_good, long_pull, lifting)
