"""Foreign tables into entries, units into ours, and labels that hold what they say."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import replace
from xml.etree import ElementTree

import pytest
import segno
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.catalogue import BY_KEY, GROUPS, PARAMETERS, find
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.core.units import likely_unit, unit_of, units_of
from drumbo.exchange.spool_label import as_a4, as_pdf, as_svg, lay_out, offline_text
from drumbo.exchange.table import TableEntry, guess, profile_csv, read_table
from tests.conftest import plain_context

CONTEXT = plain_context("pla")


def test_our_own_table_comes_back_whatever_stands_in_its_notes() -> None:
    sly = Value(0.975, Origin(OriginKind.HAND, '=HYPERLINK("x"), by "hand";\nreally'))
    profile = changed(CONTEXT.profile, {"flow_ratio": sly})
    text = profile_csv(profile)
    rows = list(csv.reader(io.StringIO(text.removeprefix("\ufeff"))))
    assert rows[0][:4] == ["key", "name", "value", "unit"]
    assert not [cell for row in rows for cell in row if cell[:1] in {"=", "@"}], "no spreadsheet runs it"
    found = {entry.name: entry.number for entry in read_table(text.encode()).entries}
    assert found == pytest.approx(profile.numbers())


FOREIGN = {
    "pairs": b"# a comment\nnozzle temperature = 228\nflow: 98 %\nseam = rear\nstart code = G28\n",
    "semicolons": "Name;Wert;Unit\nNozzle temperature;228;°C\nFlow;98;%\nRetraction distance;0,9;mm\n".encode(),
    "tabs in an old coding": "Name\tValue\nNozzle temperature\t228 °C\nFlow\t98 %\n".encode("cp1252"),
    "wide": b"profile,nozzle temperature,flow,bed temperature,notes\nours,228,98 %,60,x\ntheirs,231,97 %,65,y\n",
}


@pytest.mark.parametrize("name", FOREIGN)
def test_tables_of_many_hands_give_the_same_entries(name: str) -> None:
    found = {entry.name.lower(): entry.number for entry in read_table(FOREIGN[name]).entries}
    assert found["nozzle temperature"] == 228
    assert found["flow"] == 98


def test_each_line_of_a_wide_table_is_a_profile() -> None:
    table = read_table(FOREIGN["wide"], row=1)
    assert table.rows == ("ours", "theirs")
    assert {e.name: e.number for e in table.entries}["bed temperature"] == 65
    assert table.signature == read_table(FOREIGN["wide"]).signature


@pytest.mark.parametrize(("data", "why"), [
    (b"hello", "neither a CSV"), (b"\x89PNG\r\n\x1a\n\0\0", "is no text"), (b"a,b\nx,y\n", "no numbers"),
    (b"x" * 2_000_001, "is larger than 2 MB"), (b"", "neither a CSV"), (b"a\n" * 50_000, "neither a CSV"),
])  # fmt: skip
def test_what_is_no_table_says_why(data: bytes, why: str) -> None:
    with pytest.raises(InvalidInput, match=why):
        read_table(data)


@given(st.binary(max_size=300) | st.text(max_size=200).map(str.encode))
def test_no_bytes_make_it_stumble(data: bytes) -> None:
    try:
        table = read_table(data)
    except InvalidInput:
        return
    assert all(entry.number is None or entry.number == entry.number for entry in table.entries)


@pytest.mark.parametrize(("name", "key"), [
    ("Nozzle temperature", "nozzle_c"), ("first_layer_temperature", "nozzle_first_c"),
    ("Bed temperature", "bed_c"), ("extrusion multiplier", "flow_ratio"), ("Retraction distance", "retraction_mm"),
    ("retract_speed", "retraction_speed_mm_s"), ("z hop", "z_hop_mm"), ("fan_percent", "fan_percent"),
    ("Max volumetric speed", "max_flow_mm3_s"), ("Layer height", None), ("Temperature", None), ("", None),
])  # fmt: skip
def test_plain_names_are_understood_and_others_are_left(name: str, key: str | None) -> None:
    assert guess(name) == key


@pytest.mark.parametrize("parameter", PARAMETERS, ids=lambda p: p.key)
def test_a_parameters_own_name_is_understood(parameter: object) -> None:
    if parameter.scope == "profile" and not parameter.aside:
        process = next(g.process for g in GROUPS if g.key == parameter.group)
        assert guess(parameter.name, process) == parameter.key


@pytest.mark.parametrize(("key", "text", "ours"), [
    ("nozzle_c", "446 °F", 230), ("nozzle_c", "446", 230), ("nozzle_c", "228", 228), ("nozzle_c", "503 K", 229.85),
    ("flow_ratio", "98 %", 0.98), ("flow_ratio", "98", 0.98), ("flow_ratio", "0.98", 0.98),
    ("retraction_speed_mm_s", "2100 mm/min", 35), ("retraction_speed_mm_s", "2100", 35), ("fan_percent", "40", 40),
    ("fan_percent", "0.4", 40), ("fan_percent", "0", 0), ("shrinkage_percent", "0.2", 0.2),
    ("overhang_from_deg", "48", 48), ("pressure_advance_s", "45 ms", 0.045), ("density_g_cm3", "1240", 1.24),
])  # fmt: skip
def test_units_of_others_become_ours(key: str, text: str, ours: float) -> None:
    entry, parameter = TableEntry("", text), BY_KEY[key]
    assert entry.number is not None
    unit = unit_of(parameter, likely_unit(parameter, entry.number, entry.unit))
    assert unit.to_ours(entry.number) == pytest.approx(ours)
    assert units_of(parameter)[0].to_ours(3.0) == 3.0, "ours comes first"


@pytest.mark.parametrize(("text", "number"), [
    ("1e-3", 0.001), ("2.5E1 mm", 25), ("0,975", 0.975), ("1,24 g/cm3", 1.24), ("215; 210", 215), ("−0.04 mm", -0.04),
    ("1,200.5", None), ("1.200,5", None), ("215,210", None), ("12,000", None), ("rear", None), ("", None),
])  # fmt: skip
def test_a_cell_is_a_number_only_where_it_can_be_read_in_one_way(text: str, number: float | None) -> None:
    assert TableEntry("", text).number == number


@pytest.mark.parametrize(("words", "key"), [
    ("strings", "retraction_mm"), ("z offset", "first_layer_z_mm"), ("elephant", None), ("melt", "max_flow_mm3_s"),
    ("textured", "bed_textured_c"), ("squashed foot", "nozzle_first_c"), ("brown", "nozzle_c"),
])  # fmt: skip
def test_a_parameter_is_found_by_words_of_makers(words: str, key: str | None) -> None:
    found = find(words)
    assert (found[0].key if found else None) == key


def _label(**material: object) -> object:
    spool = replace(CONTEXT.material, **material)  # type: ignore[arg-type]
    code = offline_text(CONTEXT.profile, 9, spool, CONTEXT.printer, "25 Nov 2026")
    return lay_out(CONTEXT.profile, 9, spool, CONTEXT.printer, "25 Nov 2026", code=code, proven=True)


def test_a_label_says_its_numbers_within_its_edges() -> None:
    label = _label(
        product="A very long name of a very special filament from the far north", colour="ultramarine & grün"
    )
    svg = ElementTree.fromstring(as_svg(label))  # type: ignore[arg-type]
    texts = [element.text for element in svg.iter("{http://www.w3.org/2000/svg}text")]
    assert "nozzle 215/210 °C  bed 60 °C" in texts
    assert "r9, batch 1, 25 Nov 2026, proven" in texts
    assert svg.attrib["width"] == "62mm"
    for words in label.words:
        assert words.x + len(words.text) * words.points * 0.3528 * 0.5 < 62 - 22 - 2
        assert 0 < words.y < 29


def test_the_code_carries_the_values() -> None:
    text = offline_text(CONTEXT.profile, 9, CONTEXT.material, CONTEXT.printer, "25 Nov 2026")
    assert "nozzle 215/210 C, bed 60 C, flow 1.000" in text
    label = _label()
    side = len(segno.make(text, error="l", boost_error=False, micro=False).matrix)
    assert max(x + n for x, _, n in label.dark) == side + 4
    assert label.module_mm > 0.35, "a phone reads squares of a third of a millimetre"


def test_labels_as_pdf_have_their_size_and_fill_sheets_from_a_place_on() -> None:
    label = _label(product="Ńandú „spéciál“ 木")
    one = as_pdf([label, label])  # type: ignore[list-item]
    assert one.startswith(b"%PDF")
    assert re.findall(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", one)[0] == (b"175.75", b"82.20")
    assert len(re.findall(rb"/Type /Page\b(?!s)", one)) == 2
    assert len(re.findall(rb"/Type /Page\b(?!s)", as_a4([label] * 25, start=4))) == 1  # type: ignore[list-item]
    assert len(re.findall(rb"/Type /Page\b(?!s)", as_a4([label] * 27, start=4))) == 2  # type: ignore[list-item]
