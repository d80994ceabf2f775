"""Files that wait for a printer: none begins before somebody says that the plate is clear."""

from __future__ import annotations

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.services import queue, trials
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from tests.conftest import PATIENCE_S, Begun, Standin

SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}


def test_files_wait_in_order_and_each_for_a_clear_plate(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, client: FlaskClient
) -> None:
    first, second, third = (trials.create(house, begun.profile, "temperature", SMALL) for _ in range(3))
    standin.device.clock.change(300.0)
    going = room.start(first)
    assert "Queue it" in client.get(f"/trials/{second}/print").text
    client.post(f"/trials/{second}/queue", data={"pause_layer": ""})
    client.post(f"/trials/{third}/queue", data={"pause_layer": "12"})
    with pytest.raises(NotNow, match="waits for its printer already"):
        queue.add(house, second)
    with pytest.raises(InvalidInput):
        queue.add(house, first, 4000)
    assert [(f.trial_id, f.pause_layer) for f in queue.queue(house, begun.printer).files] == [
        (second, None),
        (third, 12),
    ]
    page = client.get(f"/trials/{third}/print").text
    assert "number 2 of 2" in page
    assert "with a pause" in page
    with pytest.raises(NotNow, match="is printing"):
        queue.plate_is_clear(house, room, begun.printer)
    assert "The plate is clear" not in client.get("/").text
    standin.device.clock.change(1e6)
    room.join(going, PATIENCE_S)
    assert standin.device.machine.nozzle.target_c == 0, "nothing begins by itself"
    assert "Temperature tower is next" in client.get("/").text

    client.post(f"/printers/{begun.printer}/plate-is-clear")
    run = trials.sheet(house, second).run
    assert run is not None
    room.join(run.id, PATIENCE_S)
    assert trials.sheet(house, second).state == "printed"
    waiting = queue.queue(house, begun.printer).files
    assert [f.trial_id for f in waiting] == [third]

    assert "with a pause before layer 12" in client.get(f"/printers/{begun.printer}").text
    went = client.post(f"/queue/{waiting[0].id}/remove", data={"printer": str(begun.printer)})
    assert went.location == f"/printers/{begun.printer}"
    assert queue.queue(house, begun.printer).files == ()
    with pytest.raises(NotNow, match="nothing waits"):
        queue.plate_is_clear(house, room, begun.printer)
