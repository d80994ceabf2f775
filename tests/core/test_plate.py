"""Where pieces of one job stand, and that the head has room on its way through them."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.against import Against
from drumbo.core.heights import TIP_MM, HeadClearance, runs_into
from drumbo.core.plate import Footprint, arrange, clearance_of
from drumbo.core.printer import Printer
from drumbo.core.toolpath import Toolpath
from drumbo.core.toolpath.columns import Role, Set
from drumbo.core.toolpath.pace import layer_times
from drumbo.trials import kind
from drumbo.trials.base import Context
from drumbo.trials.plate import Order, PieceAsked, PieceShare, PlateFile, once_more, plate_file
from tests.conftest import plain_context

ROOM: dict[str, Any] = {"clearance_radius_mm": 40.0, "clearance_height_mm": 25.0}
TOGETHER = ("flow-surface", "retraction-length", "fan-bands")


def _plate(*slugs: str, **printer: object) -> tuple[list[PieceAsked], PlateFile]:
    context = plain_context("pla", **{**ROOM, **printer})
    pieces = [PieceAsked(kind(slug), kind(slug).suggest(context)) for slug in slugs]  # type: ignore[arg-type]
    return pieces, plate_file(pieces, context)


_SIDE = st.floats(5, 120)


@given(
    st.lists(st.tuples(_SIDE, _SIDE, st.floats(0.3, 90)), min_size=2, max_size=5), st.floats(10, 60), st.floats(10, 50)
)
def test_no_piece_is_in_the_way_of_the_head_at_one_that_comes_later(
    sizes: list[tuple[float, float, float]], radius: float, height: float
) -> None:
    printer = Printer("p", clearance_radius_mm=radius, clearance_height_mm=height)
    prints = [Footprint(-wide / 2, -deep / 3, wide / 2, deep * 2 / 3, high) for wide, deep, high in sizes]
    try:
        order, standing = arrange(prints, printer)
    except InvalidInput:
        return
    assert sorted(order) == list(range(len(prints)))
    assert [prints[k].height for k in order] == sorted(p.height for p in prints)
    boxes = []
    for mine, stands in zip(prints, standing, strict=True):
        (x, y) = stands.middle
        boxes.append((x + mine.left, y + mine.front, x + mine.right, y + mine.back))
    (low_x, low_y), (high_x, high_y) = printer.bed_low, printer.bed_high
    assert all(b[0] > low_x and b[1] > low_y and b[2] < high_x and b[3] < high_y for b in boxes)
    for earlier, later in combinations(order, 2):
        a, b = boxes[earlier], boxes[later]
        gap_x, gap_y = max(a[0] - b[2], b[0] - a[2]), max(a[1] - b[3], b[1] - a[3])
        if prints[earlier].height > TIP_MM:
            assert max(gap_x, gap_y) > radius
        if prints[earlier].height > height:
            assert gap_y > radius, "the carriage goes along all of X"
        assert max(gap_x, gap_y) > 0


def test_pieces_without_room_are_said_to_have_none() -> None:
    wide = Footprint(-100, -100, 100, 100, 30)
    with pytest.raises(InvalidInput, match="no room beside each other"):
        arrange([wide, wide], Printer("p"))


def test_a_plates_file_has_no_finding_and_its_head_runs_into_nothing() -> None:
    pieces, file = _plate(*TOGETHER)
    context = plain_context("pla", **ROOM)
    _without_a_finding(file, context)
    path = file.path
    laid = (path.e_mm > 0) & (path.role != Role.RESTART)
    moves = np.ones(len(path), bool)
    assert not runs_into(path.x, path.y, path.z, laid, moves, 0.2, clearance_of(context.printer)).any()
    broad = HeadClearance(200.0, 25.0)
    assert runs_into(path.x, path.y, path.z, laid, moves, 0.2, broad).any(), "a broader head would not get through"
    assert len(pieces) == len(file.shares)


def _without_a_finding(file: PlateFile, context: Context) -> None:
    held = Against(context.printer, context.material, context.profile.numbers())
    _, found = held.look(held.read(file.gcode.encode()))
    assert found.remarks == ()
    assert found.seconds == pytest.approx(file.seconds, rel=0.01)


def test_each_piece_is_printed_as_it_would_be_alone() -> None:
    pieces, file = _plate(*TOGETHER)
    context = plain_context("pla", **ROOM)
    middle = np.array(context.printer.bed_middle)
    for piece, share in zip(pieces, file.shares, strict=True):
        alone = piece.kind.print_file(piece.plan, context).path
        one, other = (
            _of_piece(alone, middle, None),
            _of_piece(file.path, np.array(share.standing.middle), share.standing.room),
        )
        assert len(one) == len(other)
        assert one == pytest.approx(other, abs=2e-3)


def _of_piece(path: Toolpath, middle: np.ndarray, room: tuple[float, ...] | None) -> np.ndarray:
    """Ends, filament and speed of all that is laid above the first layer, about the piece's middle."""
    held = (path.e_mm > 0) & (path.layer > 0)
    if room is not None:
        held &= (path.x > room[0]) & (path.x < room[2]) & (path.y > room[1]) & (path.y < room[3])
    return np.column_stack([path.x - middle[0], path.y - middle[1], path.z, path.e_mm, path.speed])[held]


def test_every_piece_begins_with_the_temperature_and_the_pressure_of_the_profile() -> None:
    _, file = _plate("pressure-advance", "retraction-length")
    profile = plain_context().profile
    begins = [event.row for event in file.path.events if event.text.startswith("piece ")]
    assert len(begins) == 2
    second = [event for event in file.path.events if begins[1] <= event.row <= begins[1] + 4]
    told = {event.what: event.value for event in second}
    assert told[Set.HEAT] == profile.number("nozzle_first_c")
    assert told[Set.PRESSURE] == profile.number("pressure_advance_s")
    assert told[Set.FAN] == 0
    over = file.path.z[begins[1] : begins[1] + 2]
    assert over.min() > file.path.z[: begins[1]].max(), "it goes there over all that stands"


def test_the_bed_keeps_its_first_layers_heat_until_the_last_piece_has_one() -> None:
    context = plain_context("petg", **ROOM)
    values = dict(context.profile.values)
    values["bed_first_c"] = replace(values["bed_first_c"], number=85.0)
    warm = replace(context, profile=replace(context.profile, values=values))
    pieces = [PieceAsked(kind(slug), kind(slug).suggest(warm)) for slug in TOGETHER]  # type: ignore[arg-type]
    file = plate_file(pieces, warm)
    beds = [event for event in file.path.events if event.what == Set.BED]
    begins = [event.row for event in file.path.events if event.text.startswith("piece ")]
    assert [event.value for event in beds] == [warm.profile.number("bed_c")]
    assert beds[0].row > begins[-1]
    assert "M140 S85" in file.gcode


def test_what_cannot_share_a_bed_is_refused_by_name() -> None:
    with pytest.raises(InvalidInput, match="it needs the bed"):
        _plate("flow-surface", "weighed-blobs")
    with pytest.raises(InvalidInput, match="a plate has 2 to 6"):
        _plate("flow-surface")
    with pytest.raises(InvalidInput, match="one trial twice"):
        _plate("flow-surface", "flow-surface")


POSTS = ("flow-surface", "retraction-length", "retraction-restart")


def _by_layer(*slugs: str, **printer: object) -> tuple[list[PieceAsked], PlateFile]:
    context = plain_context("pla", **{**ROOM, **printer})
    pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in slugs]  # type: ignore[arg-type]
    return pieces, plate_file(pieces, context, order=Order.BY_LAYER)


@pytest.mark.parametrize(
    ("numbers", "printer"),
    [
        ({}, {}),
        ({"z_hop_mm": 0.8, "coasting_mm": 0.1}, {"primes": "line"}),
        ({"retraction_mm": 0.4, "restart_extra_mm": 0.05}, {"nozzle_mm": 0.8, "primes": "skirt"}),
    ],
)
def test_layer_by_layer_each_piece_is_laid_as_it_would_be_alone(
    numbers: dict[str, float], printer: dict[str, Any]
) -> None:
    context = _with(plain_context("pla", **ROOM, **printer), **numbers)
    pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in POSTS]  # type: ignore[arg-type]
    file = plate_file(pieces, context, order=Order.BY_LAYER)
    _without_a_finding(file, context)
    middle = np.array(context.printer.bed_middle)
    for piece, share in zip(pieces, file.shares, strict=True):
        alone = piece.kind.print_file(piece.plan, context).path
        mine = _of_piece(file.path, np.array(share.standing.middle), share.standing.room)[:, :4]
        # The filament that comes back after a travel from another piece is the one thing that is new.
        laid = mine[_lays(file.path, share.standing.room)]
        assert laid == pytest.approx(_of_piece(alone, middle, None)[:, :4][_lays(alone, None)], abs=2e-3)
    path = file.path
    laid_z = path.z[(path.e_mm > 0) & (path.role >= Role.SKIRT)]
    assert (np.diff(laid_z) >= 0).all(), "nothing is ever laid beneath what stands there"
    top = np.maximum.accumulate(np.where((path.e_mm > 0) & (path.role >= Role.SKIRT), path.z, 0.0))
    assert (path.z >= top - 1e-9).all(), "and the nozzle never goes below it"
    links = np.flatnonzero(np.diff(_which(path, file.shares)) != 0) + 1
    assert len(links) > 20
    assert (path.role[links] == Role.TRAVEL).all()
    assert (path.z[links] > top[links] + 0.3).all(), "from piece to piece it goes lifted"
    assert not _strings(path), "nothing is laid while filament is retracted"
    alone_mm = [_back_and_forth_mm(piece.kind.print_file(piece.plan, context).path) for piece in pieces]
    ends_mm = context.profile.number("retraction_mm") * (len(pieces) - 1)
    assert _back_and_forth_mm(path) == pytest.approx(sum(alone_mm) + ends_mm), "what a piece pushes more, it does here"


def _back_and_forth_mm(path: Toolpath) -> float:
    return float(path.e_mm[np.isin(path.role, (Role.RETRACT, Role.RESTART))].sum())


def _which(path: Toolpath, shares: tuple[PieceShare, ...]) -> np.ndarray:
    """The piece over which each move ends, counted on where it ends over none."""
    over = np.zeros(len(path), int)
    for number, share in enumerate(shares):
        assert share.standing.room is not None
        left, front, right, back = share.standing.room
        over[(path.x > left) & (path.x < right) & (path.y > front) & (path.y < back)] = number
    return over


def _strings(path: Toolpath) -> list[int]:
    retracted, found = False, []
    for row, (role, fed) in enumerate(zip(path.role.tolist(), path.e_mm.tolist(), strict=True)):
        if fed > 0 and role != Role.RESTART and retracted:
            found.append(row)
        retracted = role == Role.RETRACT or (retracted and role != Role.RESTART)
    return found


def _lays(path: Toolpath, room: tuple[float, ...] | None) -> np.ndarray:
    held = (path.e_mm > 0) & (path.layer > 0)
    if room is not None:
        held &= (path.x > room[0]) & (path.x < room[2]) & (path.y > room[1]) & (path.y < room[3])
    return np.asarray((path.role >= Role.SKIRT)[held])


def test_between_its_layers_a_piece_finds_again_what_it_had_set() -> None:
    _, file = _by_layer("pressure-advance", "flow-surface", "retraction-restart")
    context = plain_context("pla", **ROOM)
    for slug, share in zip(("pressure-advance", "flow-surface"), file.shares, strict=False):
        trial = kind(slug)
        alone = trial.print_file(trial.quick(context), context).path
        for what in (Set.PRESSURE, Set.FAN):
            begin = context.profile.number("pressure_advance_s") if what == Set.PRESSURE else 0.0
            told = _set_at(file.path, what, begin)[_mine(file.path, share.standing.room)]
            assert told.tolist() == _set_at(alone, what, begin)[_mine(alone, None)].tolist()


def _set_at(path: Toolpath, what: Set, begin: float) -> np.ndarray:
    held = np.full(len(path), begin)
    for event in path.events:
        if event.what == what:
            held[event.row :] = event.value
    return held


def _mine(path: Toolpath, room: tuple[float, ...] | None) -> np.ndarray:
    laid = (path.e_mm > 0) & (path.role >= Role.SKIRT)
    if room is not None:
        laid &= (path.x > room[0]) & (path.x < room[2]) & (path.y > room[1]) & (path.y < room[3])
    return np.asarray(laid)


def test_layers_that_wait_for_each_other_are_slowed_down_together() -> None:
    slugs = ("retraction-length", "retraction-speed")
    _, file = _by_layer(*slugs)
    context = plain_context("pla", **ROOM)
    pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in slugs]  # type: ignore[arg-type]
    assert file.seconds < plate_file(pieces, context, order=Order.IN_TURN).seconds - 120
    least_s = context.profile.number("layer_time_min_s")
    assert layer_times(file.path)[1:-1].min() > 0.95 * least_s


def test_layer_by_layer_is_chosen_where_it_saves_much_time() -> None:
    slugs = ("retraction-length", "retraction-speed")
    for least_s, saves in ((5.0, False), (14.0, True)):
        context = _with(plain_context("pla", **ROOM), layer_time_min_s=least_s)
        pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in slugs]  # type: ignore[arg-type]
        file = plate_file(pieces, context)
        assert file.by_layer is saves
        in_turn = plate_file(pieces, context, order=Order.IN_TURN)
        assert (file.seconds < 0.9 * in_turn.seconds) is saves


def test_where_the_head_has_no_room_pieces_are_printed_layer_by_layer() -> None:
    slugs = ("retraction-length", "retraction-speed", "retraction-restart")
    small: dict[str, Any] = {"bed_x_mm": 180.0, "bed_y_mm": 130.0}
    context = plain_context("pla", **{**ROOM, **small})
    pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in slugs]  # type: ignore[arg-type]
    with pytest.raises(InvalidInput, match="its head needs 40 mm"):
        plate_file(pieces, context, order=Order.IN_TURN)
    assert plate_file(pieces, context).by_layer
    with pytest.raises(InvalidInput, match="those of temperature tower cannot wait"):
        _by_layer("temperature", "flow-surface")


def test_a_trial_is_printed_at_two_temperatures_and_each_piece_keeps_its_own() -> None:
    context = plain_context("pla", **ROOM)
    now, lead = context.profile.number("nozzle_c"), 5.0
    flow = kind("flow-surface")
    pieces = [PieceAsked(flow, flow.quick(context), c) for c in (None, now + 12.0)]  # type: ignore[arg-type]
    file = plate_file(pieces, context)
    assert "Flow by surface at" in file.gcode.split("piece 2 of 2")[1][:40]
    waits = [event for event in file.path.events if event.what == Set.HEAT]
    then = [event for event in file.path.events if event.what == Set.NOZZLE]
    assert [event.value for event in waits] == [now + 12 + lead], "the head waits for it over the bed"
    assert [event.value for event in then] == [now + 12]
    alone = flow.print_file(flow.quick(context), context).path
    for share in file.shares:
        mine = _of_piece(file.path, np.array(share.standing.middle), share.standing.room)
        assert mine == pytest.approx(_of_piece(alone, np.array(context.printer.bed_middle), None), abs=2e-3)
    with pytest.raises(InvalidInput, match="have different temperatures"):
        plate_file(pieces, context, order=Order.BY_LAYER)
    assert not once_more(kind("temperature"))


def test_a_fan_that_blows_more_on_quick_layers_blows_as_alone() -> None:
    context = _with(plain_context("petg", **ROOM), fan_percent=20.0, fan_short_percent=70.0)
    trial = kind("retraction-length")
    pieces = [PieceAsked(kind(slug), kind(slug).quick(context)) for slug in POSTS]  # type: ignore[arg-type]
    file = plate_file(pieces, context, order=Order.BY_LAYER)
    alone = trial.print_file(trial.quick(context), context).path
    told = _set_at(file.path, Set.FAN, 0.0)[_mine(file.path, file.shares[1].standing.room)]
    assert len(set(told.tolist())) > 1
    assert told.tolist() == _set_at(alone, Set.FAN, 0.0)[_mine(alone, None)].tolist()


def _with(context: Context, **numbers: float) -> Context:
    values = context.profile.values
    new = {key: replace(values[key], number=number) for key, number in numbers.items()}
    return replace(context, profile=replace(context.profile, values={**values, **new}))
