"""The spool label: 62 × 29 mm, as SVG, as a PDF of that size, or many on A4. See docs/formats.md.

What stands on it is laid out once, in millimetres; SVG and PDF only draw it.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import TYPE_CHECKING
from xml.sax.saxutils import escape

import segno

from drumbo.core.catalogue import PARAMETERS, counter_of
from drumbo.core.pair import CommonGround, Partner
from drumbo.core.processes import AnyMaterial, AnyPrinter
from drumbo.core.profile import Profile

if TYPE_CHECKING:
    from fpdf import FPDF

WIDE, HIGH = 62.0, 29.0
MARGIN, QR_MM, QUIET = 2.0, 22.0, 4
SMALL_PT, USUAL_PT, LARGE_PT = 5.6, 6.6, 9.4
PT_MM = 25.4 / 72
A4 = (210.0, 297.0)
ACROSS, DOWN = 3, 10
LONGEST_QR = 700
_WIDTH_OF = {False: 0.5, True: 0.57}
"""A letter's usual width, of its height, plain and bold: to tell what has no room."""
FONTS = "'Atkinson Hyperlegible Next', Atkinson, Helvetica, Arial, sans-serif"

_ON = sorted(((p.label.place, p) for p in PARAMETERS if p.label is not None), key=lambda pair: pair[0])
_GOES_ON = frozenset({"/", "at"})
"""Words that go on from the number before them."""


@dataclass(frozen=True, slots=True)
class Words:
    """A text with its left end on the baseline, mm from the upper left corner."""

    x: float
    y: float
    text: str
    points: float = USUAL_PT
    bold: bool = False


@dataclass(frozen=True, slots=True)
class Label:
    """All that is on a label. `dark` (m,) are the code's dark runs: column, row and how many squares; `module_mm` is a
    square's side.
    """

    words: tuple[Words, ...]
    dark: tuple[tuple[int, int, int], ...]
    module_mm: float
    qr_at: tuple[float, float]


def offline_text(profile: Profile, revision: int, material: AnyMaterial, printer: AnyPrinter, day: str) -> str:
    """A profile's numbers as one short text that any phone shows."""
    said = "".join(", " * bool(k) + line for k, line in enumerate(_lines(profile, (0, 1, 2, 3, None))))
    plain = said.replace("−", "-").replace("°", "").replace("³", "3").replace("µ", "u").replace("  ", ", ")
    return f"{material.name[:40]}\n{printer.name[:24]}, {printer.says}\n{plain}\nr{revision} {day}"[:LONGEST_QR]


def lay_out(
    profile: Profile, revision: int, material: AnyMaterial, printer: AnyPrinter, day: str, *, code: str, proven: bool
) -> Label:
    """A label with `code` as its QR code: an address or `offline_text`."""
    counter = counter_of(profile.process)
    held = profile.values.get(counter.key)
    batch = "" if held is None else f", {counter.name.lower()} {held.number:g}"
    words = [
        _words(5.6, material.product, LARGE_PT, bold=True),
        _words(8.7, f"{material.colour} · {material.family_name}", SMALL_PT),
        _words(11.3, f"{material.maker} · {printer.name}, {printer.says}", SMALL_PT),
        *(_words(15.1 + 2.9 * row, line, USUAL_PT, bold=row == 0) for row, line in enumerate(_lines(profile))),
        _words(HIGH - 1.9, f"r{revision}{batch}, {day}{', proven' if proven else ''}", SMALL_PT),
    ]
    dark, module = _code(code)
    return Label(tuple(words), dark, module, (WIDE - MARGIN - QR_MM, (HIGH - QR_MM) / 2))


def lay_out_pair(
    one: Partner, other: Partner, ground: CommonGround, found: Mapping[str, float], printer: str, *, code: str
) -> Label:
    """A label for two spools that go into one print: what they share, and what trials of the two found, mm and °C."""
    names = (one.material.product, other.material.product)
    joint = f"joint from {found['joint_c']:g} °C" if "joint_c" in found else ""
    purges = [
        f"purge to {name} {found[key]:g} mm"
        for key, name in (("purge_there_mm", names[1]), ("purge_back_mm", names[0]))
        if key in found
    ]
    lines = [
        f"bed {ground.bed.best:g} °C  fan {ground.fan_percent:g} %",
        f"{ground.nozzle_c[0]:g} and {ground.nozzle_c[1]:g} °C, change at {ground.change_c:g} °C",
        *purges, joint,
    ]  # fmt: skip
    words = [
        _words(5.6, f"{names[0]} + {names[1]}", LARGE_PT, bold=True),
        _words(8.7, f"{one.material.colour} + {other.material.colour}, {printer}", SMALL_PT),
        *(_words(12.6 + 2.9 * row, line, USUAL_PT, bold=row == 0) for row, line in enumerate(filter(None, lines))),
    ]
    dark, module = _code(code)
    return Label(tuple(words), dark, module, (WIDE - MARGIN - QR_MM, (HIGH - QR_MM) / 2))


def _lines(profile: Profile, lines: Sequence[int | None] = (0, 1, 2, 3)) -> list[str]:
    return [said for line in lines if (said := _line(profile, line))]


def _line(profile: Profile, line: int | None) -> str:
    """A line of the label; without what this profile does not hold, empty where it holds nothing of it."""
    said = ""
    for _, parameter in _ON:
        label = parameter.label
        if label is not None and label.line == line and parameter.key in profile.values:
            number = parameter.show(profile.number(parameter.key))
            if label.word == "/" and said:
                said = f"{said.removesuffix(f' {parameter.unit}')}/{number} {parameter.unit}"
            else:
                gap = " " if label.word in _GOES_ON else "  "
                said += f"{gap if said else ''}{label.word} {number} {parameter.unit}".rstrip()
    return said


def _words(y: float, text: str, points: float, *, bold: bool = False) -> Words:
    """A line from the left edge to the code: set smaller where it is long, so that no number is cut."""
    needs = len(text) * points * PT_MM * _WIDTH_OF[bold]
    room = WIDE - QR_MM - 2.3 * MARGIN
    return Words(MARGIN, y, text, round(points * min(room / needs, 1.0), 2) if needs else points, bold)


def _code(text: str) -> tuple[tuple[tuple[int, int, int], ...], float]:
    """Dark runs and the side of a square. Low correction: a label is read from close by, and small squares smear."""
    made = segno.make(text, error="l", boost_error=False, micro=False)
    rows = [list(row) for row in made.matrix]
    side = len(rows) + 2 * QUIET
    dark = []
    for y, row in enumerate(rows):
        x = 0
        for cell, cells in groupby(row):
            length = len(list(cells))
            if cell:
                dark.append((x + QUIET, y + QUIET, length))
            x += length
    return tuple(dark), QR_MM / side


def as_svg(label: Label) -> str:
    """A label as a drawing of its real size."""
    x0, y0 = label.qr_at
    m = label.module_mm
    squares = "".join(f"M{x0 + x * m:.3f} {y0 + y * m:.3f}h{n * m:.3f}v{m:.3f}h-{n * m:.3f}z" for x, y, n in label.dark)
    texts = "".join(_text(words) for words in label.words)
    size = f'width="{WIDE:g}mm" height="{HIGH:g}mm" viewBox="0 0 {WIDE:g} {HIGH:g}"'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" {size}><rect width="{WIDE:g}" height="{HIGH:g}" fill="#fff"/>'
        f'<g font-family="{FONTS}" fill="#000">{texts}</g>'
        f'<path d="{squares}" fill="#000" shape-rendering="crispEdges"/></svg>\n'
    )


def _text(words: Words) -> str:
    weight = ' font-weight="700"' if words.bold else ""
    place = f'x="{words.x:.2f}" y="{words.y:.2f}" font-size="{words.points * PT_MM:.3f}"'
    return f"<text {place}{weight}>{escape(words.text)}</text>"


def as_pdf(labels: Sequence[Label]) -> bytes:
    """One page of its size for every label."""
    sheet = _document((WIDE, HIGH))
    for label in labels:
        sheet.add_page()
        _draw(sheet, label, 0.0, 0.0)
    return bytes(sheet.output())


def as_a4(labels: Sequence[Label], start: int = 0) -> bytes:
    """Labels on A4, three across and ten down, beginning at place `start`: what is gone of a sheet is left out."""
    sheet = _document(A4)
    for label, (page, x, y) in zip(labels, _places(start), strict=False):
        while sheet.page <= page:
            sheet.add_page()
        _draw(sheet, label, x, y)
        sheet.set_draw_color(200)
        sheet.set_line_width(0.1)
        sheet.rect(x, y, WIDE, HIGH)
    return bytes(sheet.output())


def _places(start: int) -> Iterator[tuple[int, float, float]]:
    left, top = (A4[0] - ACROSS * WIDE) / 2, (A4[1] - DOWN * HIGH) / 2
    place = start % (ACROSS * DOWN)
    while True:
        page, here = divmod(place, ACROSS * DOWN)
        yield page, left + here % ACROSS * WIDE, top + here // ACROSS * HIGH
        place += 1


def _document(size: tuple[float, float]) -> FPDF:
    # Fetched when a label is printed first: the package takes half a second, and pages need not wait for it.
    from fpdf import FPDF  # noqa: PLC0415

    sheet = FPDF(unit="mm", format=size)
    sheet.set_auto_page_break(False)
    sheet.set_margin(0)
    sheet.set_title("Spool labels")
    sheet.set_creator("Drumbo")
    return sheet


def _draw(sheet: FPDF, label: Label, x: float, y: float) -> None:
    for words in label.words:
        sheet.set_font("Helvetica", "B" if words.bold else "", words.points)
        sheet.text(x + words.x, y + words.y, _in_latin(words.text))
    sheet.set_fill_color(0)
    m, (x0, y0) = label.module_mm, label.qr_at
    for column, row, length in label.dark:
        # A hair too high, so that no light comes through between the rows.
        sheet.rect(x + x0 + column * m, y + y0 + row * m, length * m, m + 0.01, style="F")


def _in_latin(text: str) -> str:
    """What the PDF's own fonts can draw; letters without their marks where need be."""
    out = []
    for sign in text.replace("−", "-").replace("…", "..."):
        plain = sign if _drawn(sign) else unicodedata.normalize("NFKD", sign)
        out.append("".join(c for c in plain if _drawn(c)) or "?")
    return "".join(out)


def _drawn(sign: str) -> bool:
    return sign.encode("latin-1", "ignore") != b""
