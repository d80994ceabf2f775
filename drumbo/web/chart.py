"""Charts of results as SVG: where everything is, in pixels. A drawing is a few paths, whatever it holds."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
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


@dataclass(frozen=True, slots=True)
class _Frame:
    """What of both axes is shown, and where on the drawing that is."""

    x0: float
    x1: float
    y0: float
    y1: float
    log: bool

    def px(self, x: float) -> float:
        """Where an x lies, px."""
        share = (x - self.x0) / (self.x1 - self.x0 or 1)
        if self.log:
            share = math.log(max(x, self.x0) / self.x0) / math.log(self.x1 / self.x0)
        return round(LEFT + (WIDTH - LEFT - RIGHT) * share, 1)

    def py(self, y: float) -> float:
        """Where a y lies, px."""
        return round(HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (y - self.y0) / (self.y1 - self.y0 or 1), 1)

    def path(self, x: tuple[float, ...], y: tuple[float, ...]) -> str:
        """Places joined by lines."""
        return "L".join(f"{self.px(a)} {self.py(b)}" for a, b in zip(x, y, strict=True))


def _frame(chart: Chart) -> _Frame:
    xs = [x for s in chart.series for x in s.x]
    ys = [y for s in chart.series for y in (*s.y, *(s.more if s.look == "band" else ()))]
    return _Frame(min(xs), max(xs), *_room(min(ys), max(ys)), chart.x.log)


def chart_picture(chart: Chart) -> ChartPicture:
    """The chart laid out; what is off its frame is cut by the page."""
    at, by = _frame(chart), _by_look(chart)
    lines = [(s.tone, "M" + at.path(s.x, s.y), s.name, at.px(s.x[-1]) + 4, at.py(s.y[-1]) + 3) for s in by("line")]
    dots = [dot for s in by("points") for dot in _dots(s, chart, at)]
    named = tuple(_apart(lines))
    busy = _drawn(by("line"), dots, named, at) if by("mark") else []
    x_name, y_name = (f"{axis.name}, {axis.unit}" for axis in (chart.x, chart.y))
    return ChartPicture(
        title=chart.title,
        x_name=x_name,
        y_name=y_name,
        x_ticks=_log_ticks(at.x0, at.x1, at.px) if at.log else _ticks(at.x0, at.x1, at.px),
        y_ticks=_ticks(at.y0, at.y1, at.py),
        bands=tuple(f"M{at.path(s.x, s.more)}L{at.path(s.x[::-1], s.y[::-1])}Z" for s in by("band")),
        lines=named,
        dots=tuple(dots),
        levels=tuple((at.py(s.y[0]), s.name) for s in by("level")),
        marks=tuple(_mark(at.px(s.x[0]), at.py(s.y[0]), s.name, busy) for s in by("mark")),
        says=f"{chart.title}: {chart.y.name} over {chart.x.name.lower()}, {len(dots)} points measured",
        head=("", x_name, y_name, "±"),
        rows=tuple(row for s in chart.series for row in _rows(s)),
    )


def _by_look(chart: Chart) -> Callable[[str], list[Series]]:
    return lambda look: [series for series in chart.series if series.look == look]


def _drawn(
    lines: list[Series], dots: list[Dot], named: tuple[tuple[int, str, str, float, float], ...], at: _Frame
) -> list[tuple[float, float]]:
    """Places that a name should not cover."""
    busy = [(dot.x, dot.y) for dot in dots]
    busy += [(at.px(x), at.py(y)) for s in lines for x, y in _between(s)]
    busy += [(x + k, y - 4) for _, _, name, x, y in named for k in range(0, round(len(name) * LETTER_PX) + 1, 6)]
    return busy


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


def _room(low: float, high: float) -> tuple[float, float]:
    more = 0.06 * (high - low or 1)
    return low - more, high + more


def _dots(series: Series, chart: Chart, at: _Frame) -> list[Dot]:
    dots = []
    for x, y, error, kept in zip(series.x, series.y, series.more, series.kept, strict=True):
        says = f"{series.name}: {y:g} {chart.y.unit} at {x:g} {chart.x.unit}" + ("" if kept else ", left out")
        dots.append(Dot(at.px(x), at.py(y), at.py(y - error), at.py(y + error), kept, series.tone, says))
    return dots


def _ticks(low: float, high: float, place: Callable[[float], float]) -> tuple[tuple[float, str], ...]:
    rough = (high - low) / MOST_TICKS or 1.0
    power = 10.0 ** math.floor(math.log10(rough))
    each = next(power * n for n in (1, 2, 5, 10) if power * n >= rough)
    count = math.ceil(low / each), math.floor(high / each)
    return tuple((place(n * each), f"{n * each:g}") for n in range(count[0], count[1] + 1))


def _log_ticks(low: float, high: float, place: Callable[[float], float]) -> tuple[tuple[float, str], ...]:
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
