"""All that the page of a checked file shows in words and numbers: findings, summary, times by role."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from gettext import ngettext

from drumbo.core.gcode.beside import Pair
from drumbo.core.gcode.dialects import dialect
from drumbo.core.gcode.inspect import HeatBand, Inspection, RoleSummary, Wait
from drumbo.core.light.job import Layer
from drumbo.core.remark import Remark
from drumbo.exchange.package_check import LitLayers
from drumbo.services.check import AnalysedFile
from drumbo.services.packages import Retiming
from drumbo.web.filters import duration, grams, money, plain

MOST_TEMPERATURES, MOST_WAITS, MOST_LIGHTS = 4, 3, 30
WORTH_SAYING = 0.005
"""A share of the print that rounds to a percent, and a length that a hundredth of a millimetre shows."""
LEAST_LIFT_MM = 0.02
_SIGNS = {"bad": "✕", "note": "?"}


@dataclass(frozen=True, slots=True)
class SummaryFact:
    """One line of a summary: what, its value, and what is said more softly after it."""

    name: str
    value: str
    more: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """A finding as it is shown: `line` and `layer` are empty where it is of the whole file."""

    weight: str
    sign: str
    text: str
    remedy: str
    line: str
    layer: int | None
    share: str


@dataclass(frozen=True, slots=True)
class RoleTimes:
    """The time of one role; flow and speed are empty where nothing is extruded."""

    role: int
    name: str
    extrudes: bool
    time: str
    share: str
    flow: str
    speed: str


@dataclass(frozen=True, slots=True)
class FilePage:
    """Of one file."""

    findings: tuple[Finding, ...]
    facts: tuple[SummaryFact, ...]
    roles: tuple[RoleTimes, ...]
    layers: int
    tools: tuple[int, ...]
    dialect: str
    faults: str


def file_page(looked: AnalysedFile) -> FilePage:
    """The words of a checked file."""
    found = looked.found
    return FilePage(
        tuple(_finding(remark) for remark in found.remarks),
        tuple(_facts(looked)),
        tuple(_role(part, found.seconds) for part in found.parts),
        found.layers,
        found.tools if len(found.tools) > 1 else (),
        dialect(found.dialect).name,
        " ".join(f"{remark.layer}:{remark.weight}" for remark in found.remarks if remark.layer),
    )


def _finding(remark: Remark) -> Finding:
    return Finding(
        remark.weight,
        _SIGNS.get(remark.weight, "△"),
        remark.text[:1].upper() + remark.text[1:],
        remark.do,
        f"{remark.line:,}" if remark.line else "",
        remark.layer or None,
        f"{remark.share:.0%}".replace("%", " %") if remark.share >= WORTH_SAYING else "",
    )


def _facts(looked: AnalysedFile) -> Iterable[SummaryFact]:
    found = looked.found
    cost = "" if looked.cost is None else f", {money(looked.cost, looked.currency)}"
    yield SummaryFact("Time", duration(found.seconds))
    yield SummaryFact("Filament", f"{found.filament_mm / 1000:.2f} m, {grams(found.grams)}{cost}")
    yield SummaryFact(
        "Layers", f"{found.layers}", f", usually {found.layer_mm:.2f} mm, lines {found.width_mm:.2f} wide"
    )
    yield SummaryFact("Flow, usual and most", f"{found.flow_median:.1f} / {found.flow_high:.1f} mm³/s")
    yield from _retraction(found)
    yield SummaryFact("Nozzle", f"{_temperatures(found.bands)} °C, bed {plain(found.bed_c)}")
    yield SummaryFact("Waits for temperature", *_waits(found.waits))
    (x0, y0, _), (x1, y1, z1) = found.low, found.high
    yield SummaryFact("Extent", f"X {x0:.1f} to {x1:.1f}, Y {y0:.1f} to {y1:.1f}, Z to {z1:.2f} mm")
    if len(found.tools) > 1:
        yield SummaryFact("Tools", f"{len(found.tools)}", f", changed {found.tool_changes:,} times")
    if found.dwell_s:
        yield SummaryFact("Waits (G4)", duration(found.dwell_s))
    yield SummaryFact("Lines, moves", f"{found.lines:,}, {found.moves:,}")
    if found.ends:
        yield SummaryFact("At the end", ", ".join(found.ends))
    if found.unknown:
        yield SummaryFact("Commands not known", " ".join(f"{word} × {count}" for word, count in found.unknown.items()))


def _retraction(found: Inspection) -> Iterable[SummaryFact]:
    if not found.retractions:
        yield SummaryFact("Retraction", "none")
        return
    speed = f" at {found.retraction_mm_s:.0f} mm/s" if found.retraction_mm_s else ""
    lift = f", lifted {found.lift_mm:.2f} mm" if found.lift_mm >= LEAST_LIFT_MM else ""
    yield SummaryFact("Retraction", f"{found.retraction_mm:.2f} mm{speed}, {found.retractions:,} times", lift)
    if abs(found.restart_mm) >= WORTH_SAYING:
        yield SummaryFact("Unretracted", f"{found.restart_mm:+.3f} mm", " against what was retracted")
    if found.unretracted_travels:
        most = f" over 2 mm, up to {found.unretracted_most_mm:.0f} mm"
        yield SummaryFact("Travels without retraction", f"{found.unretracted_travels:,}", most)


def _temperatures(bands: tuple[HeatBand, ...]) -> str:
    said = ", ".join(plain(band.nozzle_c) for band in bands[:MOST_TEMPERATURES])
    rest = len(bands) - MOST_TEMPERATURES
    return f"{said} and {rest} more" if rest > 0 else said


def _waits(waits: tuple[Wait, ...]) -> tuple[str, str]:
    if not waits:
        return "nowhere", ""
    said = ", ".join(f"{wait.what} {plain(wait.heat_c)} °C" for wait in waits[:MOST_WAITS])
    rest = len(waits) - MOST_WAITS
    lines = ", ".join(f"{wait.line:,}" for wait in waits[:MOST_WAITS])
    more = f" and {rest} more" if rest > 0 else ""
    return said, f" {ngettext('line', 'lines', len(waits))} {lines}{more}"


def _role(part: RoleSummary, seconds: float) -> RoleTimes:
    return RoleTimes(
        part.role,
        part.name,
        part.grams > 0,
        duration(part.seconds),
        f"{100 * part.seconds / seconds if seconds else 0:.0f} %",
        f"{part.flow_usual:.1f} / {part.flow_high:.1f}" if part.grams else "",
        f"{part.speed_usual:.0f}" if part.speed_usual else "",
    )


@dataclass(frozen=True, slots=True)
class PackagePage:
    """A layer package: its findings, its own words, its summary, and the light of its stretches of layers. `pull` is a
    path through how hard layers are pulled off, px in a box of `PULL_PX`, and what it says.
    """

    findings: tuple[Finding, ...]
    title: tuple[str, ...]
    facts: tuple[SummaryFact, ...]
    lights: tuple[SummaryFact, ...]
    more: int
    pull: tuple[str, str] | None = None


PULL_PX = (420.0, 90.0)


def _pull(pulls: Sequence[float]) -> tuple[str, str] | None:
    """Steps from the plate to the top of the part, the hardest as high as the box."""
    most = max(pulls, default=0.0)
    if most <= 0:
        return None
    wide, high = PULL_PX
    each = wide / len(pulls)
    tops = [round(high - (high - 6) * pull / most, 1) for pull in pulls]
    path = f"M0 {high}" + "".join(f"V{top}H{(k + 1) * each:.1f}" for k, top in enumerate(tops)) + f"V{high}Z"
    at = 100 * (pulls.index(most) + 0.5) / len(pulls)
    return path, f"The hardest pull, {most / 1000:.1f} cm² · cm/s, comes {at:.0f} % of the way up."


def package_page(lit: LitLayers) -> PackagePage:
    """The words of a layer package."""
    height = ", on glass" if lit.on_glass else f", {plain(lit.height_mm)} mm high"
    across, down = lit.pixels
    facts = (
        SummaryFact("Time", duration(lit.seconds)),
        SummaryFact("Layers", f"{lit.layers}{height}"),
        SummaryFact("Screen", f"{across} × {down} pixels of {plain(lit.pixel_um)} µm"),
        SummaryFact("Different pictures", f"{lit.pictures}"),
    )
    lights = tuple(
        SummaryFact(
            f"layer {first} to {last}" if last > first else f"layer {first}",
            f"{plain(low)} to {plain(high)} s" if high > low else f"{plain(low)} s",
        )
        for first, last, low, high in lit.runs
    )
    return PackagePage(
        tuple(map(_finding, lit.remarks)),
        lit.title,
        facts,
        lights[:MOST_LIGHTS],
        max(len(lights) - MOST_LIGHTS, 0),
        _pull(lit.pulls),
    )


@dataclass(frozen=True, slots=True)
class RetimeRows:
    """What a profile would change of a package: (name, as it is, as the profile has it); `problem` where it cannot,
    `evens_percent` how uneven a lamp is that its pictures could make up for.
    """

    profile: str
    rows: tuple[tuple[str, str, str], ...]
    problem: str
    evens_percent: float | None = None


def retime_rows(change: Retiming) -> RetimeRows:
    """In words."""
    if change.problem:
        return RetimeRows(change.profile, (), change.problem)
    told: list[tuple[str, Callable[[Sequence[Layer]], str]]] = [
        ("Light of the first layer", lambda layers: f"{plain(_first_s(layers[0]))} s"),
        ("Light of the last layer", lambda layers: f"{plain(_first_s(layers[-1]))} s"),
        ("Rest before light", lambda layers: f"{plain(layers[-1].rest_before_s)} s"),
        ("Lift", lambda layers: f"{plain(layers[-1].lift.mm)} mm at {plain(layers[-1].lift.mm_min)} mm/min"),
        ("Time", lambda layers: duration(sum(layer.seconds for layer in layers))),
    ]
    rows = tuple((name, says(change.before), says(change.after)) for name, says in told)
    return RetimeRows(change.profile, rows, "", change.evens_percent)


def _first_s(layer: Layer) -> float:
    """How long all of a layer is lit."""
    return round(layer.lights[0].seconds, 3) if layer.lights else 0.0


@dataclass(frozen=True, slots=True)
class ComparedQuantity:
    """One quantity of two files, and how far the second is from the first: of temperatures and shares the difference,
    of all else a share; empty where they are the same.
    """

    name: str
    unit: str
    first: str
    second: str
    moved: str
    differs: bool


_BY_DIFFERENCE = {"°C": "°C", "%": "points"}


def pair_rows(pairs: Iterable[Pair]) -> list[ComparedQuantity]:
    """Two files beside each other, in words."""
    return [_pair(pair) for pair in pairs]


def _pair(pair: Pair) -> ComparedQuantity:
    first, second = (f"{value:,.{pair.digits}f}" for value in (pair.first, pair.second))
    moved = ""
    if pair.differs and pair.unit in _BY_DIFFERENCE:
        moved = f"{pair.second - pair.first:+.0f} {_BY_DIFFERENCE[pair.unit]}"
    elif pair.differs and pair.more is not None:
        moved = f"{pair.more * 100:+.1f} %"
    return ComparedQuantity(pair.name, pair.unit, first, second, moved, pair.differs)
