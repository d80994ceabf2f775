"""What tests of pages share."""

from __future__ import annotations

import pytest
from flask.testing import FlaskClient

from drumbo.services import trials
from drumbo.store.database import Workshop
from tests.conftest import Begun

SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}


@pytest.fixture
def printed(client: FlaskClient, house: Workshop, begun: Begun) -> int:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    assert client.post(f"/trials/{trial}/printed").status_code == 302
    return trial
