"""What a page that looks on costs while a print goes on: bytes a second, and share of a core, of a default tower.

The print is played to the application by its journal, in the print's own time as its file is planned; the page asks as
the real one does.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from bench.load import vars_of
from drumbo.core.printer import Printer
from drumbo.core.run import RunState
from drumbo.links.journal import Journal
from drumbo.links.runs import Runs
from drumbo.services import live, profiles, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.store.models import PrintRow
from drumbo.web import create_app

ASKS, EVERY_S = 300, 2.0
RUN = "20260101-000000-abcdef"
LABEL = {"family": "pla", "maker": "Maker", "product": "Spool", "colour": "grey", "colour_hex": "#808080",
         "nozzle_low_c": "200", "nozzle_high_c": "220", "diameter_mm": "1.75", "density_g_cm3": "1.24",
         "currency": "€"}  # fmt: skip


def live_view() -> tuple[float, float]:
    """Bytes a second, and the share of a core."""
    with tempfile.TemporaryDirectory() as folder:
        house = Workshop(Path(folder))
        room = PrintManager(house)
        # Nobody follows prints here, or it would be found that none sends this one.
        room.close()
        try:
            return _live_view(house, room)
        finally:
            house.close()


def _live_view(house: Workshop, room: PrintManager) -> tuple[float, float]:
    printer = workshop.save_printer(house, vars_of(Printer("Petrel One")))
    profile = profiles.create(house, workshop.save_material(house, LABEL), printer, "profile")
    trial = trials.create(house, profile, "temperature", trials.draft(house, profile, "temperature").plan)
    papers = Runs(house.folder).folder(RUN)
    papers.mkdir(parents=True)
    journal = Journal(papers)
    heat = {"nozzle_c": 215.3, "nozzle_target_c": 215.0, "bed_c": 60.1, "bed_target_c": 60.0}
    journal.note(state=RunState.SENDING, sent=1, total=60_000, line=1, heat=heat, now=True)
    with house.writing() as session:
        session.add(PrintRow(trial_id=trial, printer_id=printer, state=RunState.SENDING, total=60_000, run=RUN))
    client = create_app(house, room, secret="bench").test_client()
    with house.reading() as session:
        way = live.way_of(house, session, trial, trials.get_trial(session, trial).file_digest).course
    # From a tenth of the print on, and once at the beginning, as what is compiled and read is there then.
    lines = [int(line) for line in way.line[:: max(1, len(way.line) // 4000)]]
    begin = way.total_s * 0.1
    count, layer, spent = 0, 0, 0.0
    client.get(f"/trials/{trial}/live")
    for k in range(ASKS):
        at = begin + k * EVERY_S
        line = next(one for one in lines if way.planned_s(one) >= at)
        journal.note(sent=line, line=line, heat={**heat, "nozzle_c": 215.0 + k % 7 / 10}, now=True)
        cpu = time.process_time()
        answers = [client.get(f"/trials/{trial}/live")]
        told = answers[0].get_json()
        assert told["state"] == "sending"
        if told.get("layer", layer) != layer:
            layer = told["layer"]
            answers.append(client.get(f"/trials/{trial}/live/layers/{layer}"))
        spent += time.process_time() - cpu
        count += sum(len(a.data) + len(str(a.headers)) + len("HTTP/1.1 200 OK\r\n") for a in answers)
        assert all(a.status_code == 200 for a in answers)
    return count / (ASKS * EVERY_S), spent / (ASKS * EVERY_S)
