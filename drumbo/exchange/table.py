"""Tables of values: ours, for a spreadsheet; and foreign ones, a CSV or lines of key and value, read into entries.

A foreign table says nothing of what its names mean: `Entry` is a name with a text, and a maker says which is which.
"""

from __future__ import annotations

import csv
import hashlib
import io
import re
from dataclasses import dataclass

from drumbo.core.catalogue import FILAMENT, GROUPS, PARAMETERS, of_process
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Profile

LARGEST = 2_000_000
MOST_ENTRIES, LONGEST_NAME, LONGEST_CELL, LONGEST_LINE = 2000, 120, 400, 20_000
_MARKS = re.compile(r"[=:]")
_NUMBER = re.compile(
    r"^\s*[“\"']?((?:[+\-−]?\d+(?:[.,]\d+)?|[+\-−]?[.,]\d+)(?:[eE][+\-]?\d+)?)\s*([^\d\s;,“\"'][^;,“\"']*)?"
)
_TWO_WAYS = re.compile(r"\d[.,]\d{3}[.,]\d|^\D*\d{2,},\d{3}(?!\d)")
"""1,200.5 has a thousands mark; 215,210 may be two numbers, or thousands, or a strange decimal."""
_SEVERAL = frozenset("0123456789.,+-−; \t")


def _lists_several(text: str) -> bool:
    """Whether it is nothing but numbers with marks between them."""
    return ";" in text and set(text) <= _SEVERAL and all(part.strip() for part in text.split(";"))


def _pair(line: str) -> tuple[str, str] | None:
    """Name and text of a line like “name = value” or “name: value”; None for any other, and for remarks."""
    name, found, text = line.lstrip(), _MARKS.search(line.lstrip()), ""
    if found is None or name.startswith(("#", ";", "//")):
        return None
    name, text = name[: found.start()].rstrip(), name[found.end() :].strip()
    return (name, text) if name else None


@dataclass(frozen=True, slots=True)
class TableEntry:
    """A name and what stands under it."""

    name: str
    text: str

    @property
    def number(self) -> float | None:
        """The number at the beginning of the text, of the first where it lists several; None where there is none, or
        where it can be read in two ways.
        """
        text = re.split(r"[;,]", self.text, maxsplit=1)[0] if _lists_several(self.text) else self.text
        found = None if _TWO_WAYS.search(text) else _NUMBER.match(text)
        return None if found is None else float(found[1].replace(",", ".").replace("−", "-"))

    @property
    def unit(self) -> str:
        """What is written behind the number."""
        found = _NUMBER.match(self.text)
        return (found[2] or "").strip() if found else ""


@dataclass(frozen=True, slots=True)
class Table:
    """Entries of a foreign text. One with a line for each of several profiles has `rows`, by their first cells."""

    entries: tuple[TableEntry, ...]
    rows: tuple[str, ...] = ()

    @property
    def signature(self) -> str:
        """The same for all tables with the same names, in whatever order: what was chosen for one holds for another."""
        names = "\n".join(sorted({entry.name.lower() for entry in self.entries}))
        return hashlib.sha256(names.encode()).hexdigest()


def profile_csv(profile: Profile) -> str:
    """A line a parameter: key, name, number, unit, error, group, state, origin. Commas, points, UTF-8 with its mark."""
    out = io.StringIO()
    out.write("\ufeff")
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(("key", "name", "value", "unit", "error", "group", "origin", "note", "recheck"))
    groups = {group.key: group.name for group in GROUPS}
    for parameter in PARAMETERS:
        value = profile.values.get(parameter.key)
        if value is not None:
            error = "" if value.error is None else f"{value.error:.6g}"
            table.writerow((
                parameter.key, parameter.name, f"{value.number:.10g}", parameter.unit, error, groups[parameter.group],
                str(value.origin.kind), _plain(value.origin.note), _plain(value.recheck or ""),
            ))  # fmt: skip
    return out.getvalue()


def _plain(text: str) -> str:
    """No spreadsheet takes it for a formula."""
    return f"'{text}" if text[:1] in {"=", "+", "-", "@", "\t", "\r"} else text


def read_table(data: bytes, row: int = 0) -> Table:
    """The entries of a CSV or of lines like “name = value”; InvalidInput says why there are none.

    A CSV is either a line a value (a column of names, one of numbers) or a line a profile (names on top); then `row`
    counts which.
    """
    if len(data) > LARGEST:
        raise InvalidInput("file", f"is larger than {LARGEST // 1_000_000} MB; no table of values is")
    if b"\0" in data[:4096]:
        raise InvalidInput("file", "is no text; a CSV or lines of key and value are read, and Drumbo's own files")
    text = _text(data)
    lines = [line[:LONGEST_LINE] for line in text.splitlines() if line.strip()][:MOST_ENTRIES]
    pairs = [found for line in lines if (found := _pair(line))]
    if len(pairs) >= max(0.5 * len(lines), 1):
        return Table(tuple(_entry(*found) for found in pairs))
    cells = _cells("\n".join(lines))
    if len(cells) < 2 or max(len(line) for line in cells) < 2:
        raise InvalidInput("file", "is neither a CSV with names and numbers nor lines like “name = value”")
    table = _long(cells) or _wide(cells, row)
    if not table.entries:
        raise InvalidInput("file", "has names, but no numbers to them")
    return table


def _text(data: bytes) -> str:
    for coding in ("utf-8-sig", "cp1252"):
        try:
            return data.decode(coding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")


def _entry(name: str, text: str) -> TableEntry:
    return TableEntry(name.strip()[:LONGEST_NAME], text.strip()[:LONGEST_CELL])


def _cells(text: str) -> list[list[str]]:
    """Cells, by whichever of the usual marks makes the most even table."""
    best: tuple[float, list[list[str]]] = (-1.0, [])
    for mark in (";", "\t", ","):
        try:
            cells = [line for line in csv.reader(io.StringIO(text), delimiter=mark) if any(c.strip() for c in line)]
        except csv.Error:
            continue
        widths = [len(line) for line in cells]
        usual = max(set(widths), key=widths.count) if widths else 0
        even = widths.count(usual) / len(widths) if usual > 1 else 0.0
        if even > best[0] + 1e-9:
            best = (even, cells)
    return best[1]


def _long(cells: list[list[str]]) -> Table | None:
    """A line a value: one column has names that are no numbers, another is mostly numbers and says so."""
    body = cells[1:] if _numbers(cells[0]) == 0 else cells
    wide = min(len(line) for line in cells)
    if wide < 2 or len(body) < 2:
        return None
    columns = list(zip(*(line[:wide] for line in body), strict=True))
    shares = [_numbers(column) / len(column) for column in columns]
    names = next(
        (k for k, column in enumerate(columns) if shares[k] < 0.2 and len(set(column)) > 0.8 * len(column)), None
    )
    values = next((k for k, share in enumerate(shares) if share > 0.6), None)
    if names is None or values is None or sum(share > 0.6 for share in shares) > 2:
        return None
    unit = next((k for k, head in enumerate(cells[0][:wide]) if head.strip().lower() in {"unit", "units"}), None)
    return Table(tuple(
        _entry(line[names], f"{line[values]} {line[unit] if unit is not None else ''}")
        for line in body if line[names].strip() and line[values].strip()
    ))  # fmt: skip


def _wide(cells: list[list[str]], row: int) -> Table:
    """A line a profile, names on top."""
    head, body = cells[0], cells[1:]
    line = body[min(max(row, 0), len(body) - 1)]
    entries = [_entry(name, text) for name, text in zip(head, line, strict=False) if name.strip() and text.strip()]
    rows = tuple(line[0].strip()[:LONGEST_NAME] or f"line {k + 2}" for k, line in enumerate(body))
    return Table(tuple(entry for entry in entries if entry.number is not None), rows if len(body) > 1 else ())


def _numbers(cells: list[str] | tuple[str, ...]) -> int:
    return sum(_entry("", cell).number is not None for cell in cells)


def guess(name: str, process: str = FILAMENT) -> str | None:
    """Key of the parameter that a foreign name most likely means, or None where none is plain.

    Every word of a parameter's name that stands in the foreign one counts for it, and words that it has beside count
    against it.
    """
    said = _words(name)
    if not said:
        return None
    plain = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")
    of_ours = {parameter.key: parameter for parameter in of_process(process)}
    if plain in of_ours:
        return plain
    best, second, key = 0.0, 0.0, None
    for parameter in of_ours.values():
        if parameter.aside or parameter.scope != "profile":
            continue
        score = max(_likeness(said, _words(words)) for words in (parameter.name, *parameter.also_called))
        if score > best:
            best, second, key = score, best, parameter.key
        else:
            second = max(second, score)
    return key if best >= 0.6 and best > second + 0.05 else None


def _words(text: str) -> frozenset[str]:
    return frozenset(re.findall(r"[a-z]{2,}", text.lower().replace("_", " "))) - {"of", "the", "for", "in", "value"}


def _likeness(one: frozenset[str], other: frozenset[str]) -> float:
    return len(one & other) / max(len(one | other), 1)
