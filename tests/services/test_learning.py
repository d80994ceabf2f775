"""A new profile of what a file does: seen first, in one transaction, each value with the file as its origin."""

from __future__ import annotations

import pytest
from sqlalchemy import func, select

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.profile import OriginKind
from drumbo.services import by_hand, check, learning, profiles, trials, workshop
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow
from tests.conftest import LABEL, Begun


def test_values_of_a_file_become_a_profile(house: Workshop, begun: Begun) -> None:
    by_hand.set_value(house, begun.profile, "nozzle_c", "230")
    by_hand.set_value(house, begun.profile, "retraction_mm", "1.3")
    trial = trials.create(house, begun.profile, "proof-part", trials.draft(house, begun.profile, "proof-part").plan)
    digest = check.bring(house, trials.printed_file(house, trial))

    lines = {line.parameter.key: line for line in learning.preview_lessons(house, digest, begun.spool, begun.printer)}
    assert lines["retraction_mm"].before is not None
    assert (lines["retraction_mm"].before.number, lines["retraction_mm"].lesson.number) == (0.8, 1.3)
    assert lines["nozzle_c"].warning == "the label says 200 to 220 °C"
    assert lines["bed_c"].same
    with house.reading() as session:
        before = session.scalar(select(func.count()).select_from(ProfileRow))
    made = learning.learn(
        house, digest, "tern.gcode", begun.spool, begun.printer, "as tern", ["retraction_mm", "nozzle_c"]
    )
    sheet = profiles.sheet(house, made)
    assert sheet.history[0].note == "2 values as tern.gcode uses them"
    value = sheet.profile.values["nozzle_c"]
    assert (value.number, value.origin.kind) == (230, OriginKind.COPY)
    assert value.origin.note == "copied from tern.gcode: for all of the layers above the first"
    assert sheet.profile.values["retraction_mm"].basis["nozzle_c"] == 230
    assert sheet.profile.values["bed_c"].origin.kind == OriginKind.START, "what was not picked begins from the start"

    for wrong, says in (
        ({"name": "as tern"}, "called as tern already"), ({"keys": []}, "at least one value"),
        ({"material_id": 99}, "pick a material"), ({"printer_id": 99}, "pick a printer"), ({"name": " "}, "a name"),
    ):  # fmt: skip
        asked = {"material_id": begun.spool, "printer_id": begun.printer, "name": "other", "keys": ["bed_c"], **wrong}
        with pytest.raises(InvalidInput, match=says):
            learning.learn(house, digest, "tern.gcode", **asked)  # type: ignore[arg-type]
    with house.reading() as session:
        assert session.scalar(select(func.count()).select_from(ProfileRow)) == (before or 0) + 1
    with pytest.raises(NotFound):
        learning.preview_lessons(house, "0" * 64, begun.spool, begun.printer)


def test_flow_is_reckoned_with_the_spools_own_diameter(house: Workshop, begun: Begun) -> None:
    thick = workshop.save_material(house, {**LABEL, "colour": "thick", "diameter_mm": "2.85"})
    file = "G28\nM83\nM109 S210\nG1 Z.2\n" + "".join(
        f"G1 X{20 + 60 * (n % 2)} Y{20 + n * 0.4} E2 F3000\n" for n in range(40)
    )
    digest = check.bring(house, file.encode())

    def flow(material: int) -> float:
        lines = learning.preview_lessons(house, digest, material, begun.printer)
        return next(line.lesson.number for line in lines if line.parameter.key == "max_flow_mm3_s")

    assert flow(thick) / flow(begun.spool) == pytest.approx((2.85 / 1.75) ** 2, rel=0.05)
