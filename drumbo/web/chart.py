"""Charts of results as SVG: where everything is, in pixels. A drawing is a few paths, whatever it holds."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from drumbo.core.sure import half_90
from drumbo.trials.pictures import Chart, Series

WIDTH, HEIGHT = 440.0, 250.0
LEFT, RIGHT, TOP, BOTTOM = 44.0, 62.0, 10.0, 34.0
MOST_TICKS, FEWEST_LOG_TICKS = 6, 4
LABEL_PX, LETTER_PX = 12.0, 6.6
LINE_ROWS = 5
CLOSE = 160
"""So many places along a line are some two pixels apart."""


@dataclass(frozen=True, slots=True)
class Dot:
    """One measured place with its error bar (y from, y to) and what it says."""

    x: float
    y: float
    low: float
    high: float
    kept: bool
    tone: int
    says: str


@dataclass(frozen=True, slots=True)
class Mark:
    """One place that is pointed out, its name, and where that begins."""

    x: float
    y: float
    name: str
    says_x: float
    says_y: float


@dataclass(frozen=True, slots=True)
class ChartPicture:
    """Paths and places in px. `lines` are (tone, path, name, its x, its y); ticks are (place, text). `head` and `rows`
    are the same as a table.
    """

    title: str
    x_name: str
    y_name: str
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    bands: tuple[str, ...]
    lines: tuple[tuple[int, str, str, float, float], ...]
    dots: tuple[Dot, ...]
    levels: tuple[tuple[float, str], ...]
    marks: tuple[Mark, ...]
    says: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def chart_picture(chart: Chart) -> ChartPicture:
    """The chart laid out; what is off its frame is cut by the page."""
    xs = [x for s in chart.series for x in s.x]
    ys = [y for s in chart.series for y in (*s.y, *_ends(s))]
    x0, x1 = min(xs), max(xs)
    y0, y1 = _room(min(ys), max(ys))

    def px(x: float) -> float:
        share = math.log(max(x, x0) / x0) / math.log(x1 / x0) if chart.x.log else (x - x0) / (x1 - x0 or 1)
        return round(LEFT + (WIDTH - LEFT - RIGHT) * share, 1)

    def py(y: float) -> float:
        return round(HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (y - y0) / (y1 - y0 or 1), 1)

    def path(x: tuple[float, ...], y: tuple[float, ...]) -> str:
        return "L".join(f"{px(a)} {py(b)}" for a, b in zip(x, y, strict=True))

    lines = [
        (s.tone, "M" + path(s.x, s.y), s.name, px(s.x[-1]) + 4, py(s.y[-1]) + 3)
        for s in chart.series
        if s.look == "line"
    ]
    dots = [dot for s in chart.series if s.look == "points" for dot in _dots(s, chart, px, py)]
    named = tuple(_apart(lines))
    pointed = [s for s in chart.series if s.look == "mark"]
    busy: list[tuple[float, float]] = []
    if pointed:
        busy += [(dot.x, dot.y) for dot in dots]
        busy += [(px(x), py(y)) for s in chart.series if s.look == "line" for x, y in _between(s)]
        busy += [(x + k, y - 4) for _, _, name, x, y in named for k in range(0, round(len(name) * LETTER_PX) + 1, 6)]
    return ChartPicture(
        title=chart.title,
        x_name=f"{chart.x.name}, {chart.x.unit}",
        y_name=f"{chart.y.name}, {chart.y.unit}",
        x_ticks=_log_ticks(x0, x1, px) if chart.x.log else _ticks(x0, x1, px),
        y_ticks=_ticks(y0, y1, py),
        bands=tuple(
            "M" + path(s.x, s.more) + "L" + path(s.x[::-1], s.y[::-1]) + "Z" for s in chart.series if s.look == "band"
        ),
        lines=named,
        dots=tuple(dots),
        levels=tuple((py(s.y[0]), s.name) for s in chart.series if s.look == "level"),
        marks=tuple(_mark(px(s.x[0]), py(s.y[0]), s.name, busy) for s in pointed),
        says=f"{chart.title}: {chart.y.name} over {chart.x.name.lower()}, {len(dots)} points measured",
        head=("", f"{chart.x.name}, {chart.x.unit}", f"{chart.y.name}, {chart.y.unit}", "±"),
        rows=tuple(row for s in chart.series for row in _rows(s)),
    )


def _between(series: Series) -> Iterator[tuple[float, float]]:
    """Places along a line, close enough that none of its stretches goes unseen."""
    count = 1 + CLOSE // len(series.x)
    for a, b, c, d in zip(series.x, series.y, series.x[1:], series.y[1:], strict=False):
        yield from ((a + (c - a) * k / count, b + (d - b) * k / count) for k in range(count + 1))


def _mark(x: float, y: float, name: str, busy: list[tuple[float, float]]) -> Mark:
    """A mark with its name where it covers least of what is drawn, within the frame; of such places the nearest."""
    wide = len(name) * LETTER_PX
    places = [(left, y + off) for off in (15.0, -8.0, 28.0, -21.0, 41.0) for left in (x + 10, x - 10 - wide)]

    def covers(place: tuple[float, float]) -> tuple[bool, int]:
        left, base = place
        inside = left >= LEFT and left + wide <= WIDTH and base - LABEL_PX >= TOP and base <= HEIGHT - BOTTOM
        hidden = sum(left - 4 <= a <= left + wide + 4 and base - LABEL_PX <= b <= base + 4 for a, b in busy)
        return not inside, hidden

    return Mark(x, y, name, *min(places, key=covers))


def _rows(series: Series) -> Iterator[tuple[str, ...]]:
    """What a series says, a row a place; of a line some places."""
    if series.look == "points":
        for x, y, error, kept in zip(series.x, series.y, series.more, series.kept, strict=True):
            name = series.name if kept else f"{series.name}, left out"
            yield name, f"{x:.4g}", f"{y:.4g}", f"{half_90(error):.2g}" if error else ""
    elif series.look == "mark":
        yield series.name, f"{series.x[0]:.4g}", f"{series.y[0]:.4g}", ""
    elif series.look == "level":
        yield series.name, "", f"{series.y[0]:.4g}", ""
    elif series.look == "line":
        last = len(series.x) - 1
        for place in sorted({round(last * k / (LINE_ROWS - 1)) for k in range(LINE_ROWS)}):
            yield series.name or "line", f"{series.x[place]:.4g}", f"{series.y[place]:.4g}", ""


def _ends(series: Series) -> tuple[float, ...]:
    if series.look == "band":
        return series.more
    return ()


def _room(low: float, high: float) -> tuple[float, float]:
    more = 0.06 * (high - low or 1)
    return low - more, high + more


def _dots(series: Series, chart: Chart, px, py) -> list[Dot]:  # type: ignore[no-untyped-def]
    dots = []
    for x, y, error, kept in zip(series.x, series.y, series.more, series.kept, strict=True):
        says = f"{series.name}: {y:g} {chart.y.unit} at {x:g} {chart.x.unit}" + ("" if kept else ", left out")
        dots.append(Dot(px(x), py(y), py(y - error), py(y + error), kept, series.tone, says))
    return dots


def _ticks(low: float, high: float, place) -> tuple[tuple[float, str], ...]:  # type: ignore[no-untyped-def]
    rough = (high - low) / MOST_TICKS or 1.0
    power = 10.0 ** math.floor(math.log10(rough))
    each = next(power * n for n in (1, 2, 5, 10) if power * n >= rough)
    count = math.ceil(low / each), math.floor(high / each)
    return tuple((place(n * each), f"{n * each:g}") for n in range(count[0], count[1] + 1))


def _log_ticks(low: float, high: float, place) -> tuple[tuple[float, str], ...]:  # type: ignore[no-untyped-def]
    """Round numbers on a logarithmic axis, as many as have room."""
    decades = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    for digits in (
        (1,),
        (1, 3),
        (1, 2, 5),
        (1, 1.5, 2, 3, 5, 7),
        (1, 1.2, 1.4, 1.6, 1.8, 2, 2.5, 3, 3.5, 4, 5, 6, 7, 8),
    ):
        found = [d * 10.0**k for k in decades for d in digits if low <= d * 10.0**k <= high * 1.0001]
        if len(found) >= FEWEST_LOG_TICKS:
            break
    return tuple((place(x), f"{x:g}") for x in found)


def _apart(lines: list[tuple[int, str, str, float, float]]) -> list[tuple[int, str, str, float, float]]:
    """Names at the ends of lines, moved down where they would lie on each other."""
    placed, last = [], -1e9
    for tone, path, name, x, y in sorted(lines, key=lambda line: line[4]):
        last = max(y, last + LABEL_PX) if name else y
        placed.append((tone, path, name, x, last))
    return placed
