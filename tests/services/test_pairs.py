"""Two materials in one print: pairs made and refused, and how much a change takes, printed, read and kept."""

from __future__ import annotations

import time

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.filament_change import ChangeStep
from drumbo.services import adopting, by_hand, filament, handing, pairs, profiles, reading, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import simulated_readings
from drumbo.standins.filament.by_turns import PAST_MM
from drumbo.standins.filament.mixing import draw_mixing
from drumbo.standins.strips import SEEN
from drumbo.store.database import Workshop
from tests.by_hand import go
from tests.conftest import LABEL, Begun, Standin

BLUE = "#2f4f8f"


@pytest.fixture
def blue(house: Workshop, begun: Begun) -> int:
    """A second spool."""
    label: dict[str, str | float | None] = {
        **LABEL,
        "product": "Tern PLA",
        "colour": "deep blue",
        "colour_hex": BLUE,
        "spool_g": 400,
    }
    return workshop.save_material(house, label, spool_seed=9)


@pytest.fixture
def pair(house: Workshop, begun: Begun, blue: int) -> int:
    other = profiles.create(house, blue, begun.printer, "Tern PLA on it")
    return pairs.create(house, begun.profile, other)


def test_what_is_no_pair_is_refused_and_what_was_chosen_stays(
    house: Workshop, begun: Begun, blue: int, pair: int, client: FlaskClient
) -> None:
    elsewhere = workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "name": "Another"})
    far = profiles.create(house, blue, elsewhere, "far away")
    with pytest.raises(InvalidInput, match="same profile"):
        pairs.create(house, begun.profile, begun.profile)
    with pytest.raises(InvalidInput, match="another printer"):
        pairs.create(house, begun.profile, far)
    with pytest.raises(InvalidInput, match="not there any more"):
        pairs.create(house, begun.profile, 999)
    with pytest.raises(InvalidInput, match="is needed"):
        pairs.create(house, begun.profile, None)
    sheet = pairs.sheet(house, pair)
    other = sheet.other.profile_id
    assert pairs.create(house, other, begun.profile) == pair, "there is one pair of two"
    refused = client.post(f"/pairs/new/{begun.profile}", data={"other": str(far)})
    assert refused.status_code == 422
    assert "Is for another printer" in refused.text
    assert client.post(f"/pairs/new/{begun.profile}", data={"other": str(other)}).location == f"/pairs/{pair}"
    assert "Tern PLA" in client.get(f"/pairs/new/{begun.profile}").text
    assert client.get("/pairs/77").status_code == 404
    with pytest.raises(NotFound):
        trials.draft(house, other, "changeover", None, pair)
    page = client.get(f"/profiles/{begun.profile}/trials/new/changeover").text
    assert "It needs a second material" in page
    too_long = client.post(f"/pairs/{pair}/notes", data={"notes": "x" * 1001})
    assert too_long.status_code == 422
    assert "x" * 1001 in too_long.text, "what was typed stays"


def test_a_part_of_both_tells_its_times_and_what_was_typed_stays(
    house: Workshop, begun: Begun, pair: int, client: FlaskClient
) -> None:
    found = pairs.plan_part(house, pair, 0, "4; 8", "5")
    assert found.part.name == "the reference part"
    assert [change.layer for change in found.plan.changes] == [21, 41]
    page = client.get(f"/pairs/{pair}?part=0&heights=4%3B+8&hand=5").text
    assert "All at the softer one’s limits" in page
    assert "2 changes besides" in page
    for heights, hand, says in (
        ("4; 99", "5", "beyond the part"),
        ("8 4", "5", "must rise"),
        ("4", "500", "between 0"),
    ):
        refused = client.get(f"/pairs/{pair}", query_string={"part": "0", "heights": heights, "hand": hand})
        assert refused.status_code == 422
        assert says in refused.text
        assert f'value="{heights}"' in refused.text
        assert f'value="{hand}"' in refused.text
    assert client.get(f"/pairs/{pair}?part=77&heights=4&hand=5").status_code == 404


def test_a_bond_pauses_once_and_says_where_nothing_holds(house: Workshop, begun: Begun, pair: int) -> None:
    draft = trials.draft(house, begun.profile, "bond-of-two", None, pair)
    trial = trials.create(house, begun.profile, "bond-of-two", draft.plan, pair)
    taken = handing.file_with_pause(house, trial, None).decode()
    before, after = taken.split("; pause before layer ")
    heats = [f"M109 R{step.label}" for step in trials.sheet(house, trial).steps]
    assert len(heats) >= 4
    assert not any(heat in before for heat in heats), "what was there first knows nothing of them"
    assert all(after.count(heat) >= 2 for heat in heats), "two layers of each peg"
    trials.printed_by_hand(house, trial)
    reading.score_all(house, trial, {("joint", k): int(k > 3) for k in range(len(heats))})
    result = trials.sheet(house, trial).result
    assert result is not None
    assert (result.state, result.value) == ("flat", None)
    assert "lock the two by shape" in result.says
    reading.score_all(house, trial, {("joint", k): 4 * int(k > 2) for k in range(len(heats))})
    result = trials.sheet(house, trial).result
    assert result is not None
    assert result.value is not None
    assert float(heats[2][6:]) - 6 < result.value < float(heats[3][6:]) + 6


def test_what_a_change_takes_is_printed_read_and_offered(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, blue: int, pair: int, client: FlaskClient
) -> None:
    sheet = pairs.sheet(house, pair)
    by_hand.set_value(house, sheet.other.profile_id, "nozzle_c", "232")
    draft = trials.draft(house, begun.profile, "changeover", None, pair)
    trial = trials.create(house, begun.profile, "changeover", draft.plan, pair)
    taken = handing.file_with_pause(house, trial, None).decode()
    assert taken.count("; pause before layer") == 2
    assert taken.index("; pause before layer 2") < taken.index("M109 R232") < taken.index("; pause before layer 3")
    run = room.start(trial)
    for spool in (blue, begun.spool):
        until = time.monotonic() + 60
        while (going := trials.sheet(house, trial).run) is None or going.state != "paused":
            assert time.monotonic() < until, going
            time.sleep(0.05)
        page = client.get(f"/trials/{trial}/print").text
        assert f"material={spool}" in page, "the spool that is to come is chosen already"
        number = filament.begin(house, room, begun.printer, spool)
        found = go(house, room, number, "next", "next", "next")
        assert ChangeStep.CLEAN not in found.steps
        assert found.unlike == "", "its file heats for each of the two"
        found = go(house, room, number, "next", "next")
        assert (found.step, found.purged_mm) == (ChangeStep.DONE, 0.0)
        room.go_on(run)
        while (going := trials.sheet(house, trial).run) is not None and going.state == "paused":
            assert time.monotonic() < until, going
            time.sleep(0.05)
    room.join(run, 60)
    simulated_readings(house, trial)
    read = trials.sheet(house, trial)
    assert read.result is not None
    assert read.result.value is not None
    assert read.result.also is not None
    distance = sum((a - b) ** 2 for a, b in zip(bytes.fromhex(LABEL["colour_hex"][1:]), bytes.fromhex(BLUE[1:]),
                                                strict=True)) ** 0.5 / 441.7  # fmt: skip
    ways = (("pla", 3), ("pla", 9))
    for found_mm, (old, new) in ((read.result.value, ways), (read.result.also["back"], ways[::-1])):
        mixing, truth = draw_mixing(old, new), 0.0
        while mixing.old_share(PAST_MM + truth) * distance > SEEN:
            truth += 0.5
        assert found_mm == pytest.approx(truth, rel=0.3, abs=8), (old, new)
    assert adopting.adopt(house, trial) == 0
    kept = pairs.sheet(house, pair).values
    assert kept["purge_there_mm"]["number"] == round(read.result.value)
    page = client.get(f"/pairs/{pair}").text
    assert f"Purge from {sheet.one.partner.name} to {sheet.other.partner.name}" in page
    assert filament.loaded(house, begun.printer).id == begun.spool
    back = filament.begin(house, room, begun.printer, blue)
    assert filament.change(house, back).plan.took_mm == round(read.result.value), "the trial's, not the last time's"
    filament.drop(house, room, back)
    adopting.take_back(house, trial)
    assert pairs.sheet(house, pair).values == {}
    assert trials.sheet(house, trial).adopted_revision is None
