"""A piece of a plate looks and measures as it does alone."""

from __future__ import annotations

import numpy as np
import pytest

from drumbo.standins import eye
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.room import within
from drumbo.standins.filament.spool import draw_spool
from drumbo.standins.tools import JawsOnBed
from drumbo.trials import kind
from drumbo.trials.plate import PieceAsked, plate_file
from tests.conftest import plain_context

PIECES = ("flow-surface", "retraction-length", "rising-wall", "flow-wall")


def _printed(gcode: str) -> PrintedObject:
    device = Machine()
    for line in gcode.splitlines():
        device.run(line)
    return melt(geometry(device.moves), draw_spool("pla", 7, "direct"), nozzle_c=210.0)


def test_what_is_read_off_a_piece_of_a_plate_is_what_it_is_alone() -> None:
    context = plain_context(bed_y_mm=300.0)
    pieces = [PieceAsked(kind(slug), kind(slug).suggest(context)) for slug in PIECES]  # type: ignore[arg-type]
    file = plate_file(pieces, context)
    whole = _printed(file.gcode)
    for piece, share in zip(pieces, file.shares, strict=True):
        alone = _printed(piece.kind.print_file(piece.plan, context).gcode)
        part = within(whole, share.standing.room)
        shape, to_read = piece.kind.piece(piece.plan, context), piece.kind.readings(piece.plan)
        seen = []
        for thing, middle in ((alone, context.printer.bed_middle), (part, share.standing.middle)):
            boxes = [place.box(middle) for place in shape.places]
            aspects = [a.key for a in to_read.aspects]
            firsts = [f.key for f in to_read.firsts]
            scores = eye.exact_scores(thing, boxes, aspects) if aspects else np.zeros(0)
            begins = list(eye.first_seen(thing, boxes, firsts, 1).values()) if firsts else []
            jaws = [JawsOnBed(j.a, j.b, j.z, j.tool) for j in (jaw.on_bed(middle) for jaw in shape.jaws)]
            numbers = [n for n in eye.measure_all(thing, jaws, 3) if n is not None] if jaws else []
            seen.append((scores, begins, numbers))
        (scores, begins, numbers), (there, begin_there, numbers_there) = seen
        assert there == pytest.approx(scores, abs=0.12), piece.kind.slug
        assert begin_there == pytest.approx(begins, abs=1), piece.kind.slug
        assert numbers_there == pytest.approx(numbers, abs=0.06), piece.kind.slug
        assert len(part.geometry.a) == pytest.approx(len(alone.geometry.a), rel=0.05)
