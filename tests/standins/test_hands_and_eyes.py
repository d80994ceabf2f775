"""Who reads an object, with what, and how far off: callipers, scales, eyes and phones."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from bench.rig import moves_of
from drumbo.core.colours import lab
from drumbo.core.errors import DrumboError
from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import block
from drumbo.core.toolpath import build, settings_for
from drumbo.sight.paper import whitened
from drumbo.sight.rectify import View, by_corners
from drumbo.standins import eye, tools
from drumbo.standins.filament.above import PAPER, top_picture
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.standins.phone import Photo, photo_of
from drumbo.standins.worlds import Reader, looking
from tests.conftest import plain_context

SIDE, TALL = 20.0, 0.8
PRACTISED = Reader()


@pytest.fixture(scope="module")
def cube() -> PrintedObject:
    """A flat block of 20 mm, by a spool that does not shrink; nothing is laid around it."""
    context = plain_context()
    x, y = context.printer.bed_middle
    solid = block((-SIDE / 2, -SIDE / 2, 0), (SIDE / 2, SIDE / 2, TALL))
    settings = replace(settings_for(context.profile.numbers(), context.printer), skirt_loops=0)
    path = build(solid, settings, middle=(x, y), purge_from=(5.0, 5.0))
    job = PrintJob(context.printer, 215.0, 210.0, 60.0, 60.0, 0.0, ("a cube",))
    spool = replace(draw_spool("pla", 3), shrink=0.0, grip=1.0, diameter_mm=1.75)
    return melt(geometry(moves_of(write(path, job))), spool, nozzle_c=spool.centre_c)


def _ends(cube: PrintedObject) -> tuple[np.ndarray, np.ndarray]:
    """Lowest and highest x and y of the block, without what is laid beside it at first."""
    shape = cube.geometry
    block = shape.a[shape.layer > 1]
    return block.min(axis=0), block.max(axis=0)


def _across(cube: PrintedObject, tool: str = "calliper", reach: float = 2.0) -> tools.JawsOnBed:
    middle = sum(_ends(cube)) / 2
    half = SIDE / 2 + reach
    return tools.JawsOnBed((middle[0] - half, middle[1]), (middle[0] + half, middle[1]), TALL / 2, tool)


def _rng(seed: int = 1) -> np.random.Generator:
    return np.random.default_rng(seed)


def test_a_calliper_is_right_to_two_hundredths_and_blunt_jaws_add_on_both_sides(cube: PrintedObject) -> None:
    readings = np.array([tools.calliper(cube, _across(cube), _rng(k)) for k in range(60)])
    assert readings == pytest.approx(readings.mean(), abs=2 * tools.CALLIPER_MM)
    assert SIDE - 0.15 < readings.mean() < SIDE + 0.35
    assert len(set(readings)) > 3, "no two readings are of one mind"
    with looking(replace(PRACTISED, blunt_mm=0.01)):
        blunt = np.array([tools.calliper(cube, _across(cube), _rng(k)) for k in range(60)])
    assert (blunt - readings).mean() == pytest.approx(0.02, abs=2e-3)


def test_a_magnifier_sees_the_topmost_layer_alone_and_has_no_jaws(cube: PrintedObject) -> None:
    with looking(replace(PRACTISED, blunt_mm=0.05)):
        seen = np.array([tools.magnifier(cube, _across(cube), _rng(k)) for k in range(40)])
        gripped = tools.calliper(cube, _across(cube), _rng())
    assert seen == pytest.approx(seen.mean(), abs=2 * tools.MAGNIFIER_MM)
    assert gripped - seen.mean() == pytest.approx(0.1, abs=0.06)
    with pytest.raises(DrumboError, match="nothing lies under"):
        tools.magnifier(cube, tools.JawsOnBed((190.0, 190.0), (194.0, 190.0), 1.0), _rng())


def test_jaws_that_close_on_nothing_say_so(cube: PrintedObject) -> None:
    away = tools.JawsOnBed((190.0, 190.0), (194.0, 190.0), 1.0)
    with pytest.raises(DrumboError, match="close on nothing"):
        tools.calliper(cube, away, _rng())
    with pytest.raises(DrumboError, match="lie apart"):
        tools.calliper(cube, tools.JawsOnBed((5.0, 5.0), (5.0, 5.01), 1.0), _rng())
    with pytest.raises(DrumboError, match="no gap"):
        tools.inside(cube, _across(cube), _rng())
    with pytest.raises(DrumboError, match="nothing stands there"):
        tools.height(cube, away, _rng())
    with pytest.raises(DrumboError, match="there is no tool 'spoon'"):
        tools.measure(cube, replace(away, tool="spoon"), _rng())


def test_heights_and_weights_are_those_of_the_block(cube: PrintedObject) -> None:
    assert tools.measure(cube, _across(cube, "height"), _rng()) == pytest.approx(TALL, abs=0.05)
    low, high = (end + more for end, more in zip(_ends(cube), (-1, 1), strict=True))
    all_of_it = tools.JawsOnBed(tuple(low), tuple(high), 0.0, "scale")
    turned = tools.JawsOnBed(tuple(high), tuple(low), 0.0, "scale")
    whole = tools.measure(cube, all_of_it, _rng())
    fed_g = cube.fed_mm * np.pi * 1.75**2 / 4 * cube.density_g_cm3 / 1000
    assert 0.7 * fed_g < whole < 1.02 * fed_g, "what was fed, less skirt and purge"
    assert tools.measure(cube, turned, _rng()) == whole, "corners in whatever order"
    half = tools.JawsOnBed(tuple(low), ((low[0] + high[0]) / 2, high[1]), 0.0, "scale")
    assert tools.measure(cube, half, _rng()) == pytest.approx(whole / 2, rel=0.08)
    assert tools.weigh(cube, (-9, -9, 0), (-8, -8, 1), _rng()) == pytest.approx(0.0, abs=tools.SCALE_G)


def test_an_eye_scatters_as_it_is_told_and_slips_now_and_then() -> None:
    exact = np.full((4000, 1), 2.0)
    seen = np.array([eye.as_seen(exact[:40], _rng(k)).ravel() for k in range(300)], float)
    biases = seen.mean(axis=1)
    assert seen.mean() == pytest.approx(2.0, abs=0.06)
    assert 0.25 < biases.std() < 0.40, "a session's own bias, 0.3"
    within = (seen - biases[:, None]).std()
    assert 0.5 < within < 0.72, "0.45 a look, rounding, and slips"
    assert np.mean(np.abs(seen - 2.0) >= 2) < 0.05
    with looking(replace(PRACTISED, severity=-1.0)):
        strict = eye.as_seen(exact, _rng()).mean()
    assert eye.as_seen(exact, _rng()).mean() - strict == pytest.approx(1.0, abs=0.1)
    assert eye.as_seen(np.array([[9.0], [-9.0]]), _rng()).ravel().tolist() == [4, 0]


def test_mixed_up_aspects_are_taken_for_one_another() -> None:
    exact = np.column_stack([np.full(3000, 4.0), np.zeros(3000)])
    with looking(replace(PRACTISED, mixed=0.2)):
        seen = eye.as_seen(exact, _rng())
    assert np.mean(seen[:, 0] <= 1) == pytest.approx(0.2, abs=0.04)
    assert np.mean(eye.as_seen(exact, _rng())[:, 0] <= 1) < 0.01


def test_a_digit_is_misread_once_in_two_hundred() -> None:
    rng = _rng(4)
    read = np.array([eye.read_off(12.34, 0.1, rng) for _ in range(20_000)])
    wrong = read[read != 12.34]
    assert len(wrong) / len(read) == pytest.approx(1 / 200, abs=0.0015)
    assert set(np.round(np.abs(wrong - 12.34), 2)) == {0.1, 0.3}


@pytest.mark.parametrize(
    ("there", "begins"),
    [([0, 0, 1, 1, 1], 2), ([0, 1, 0, 1, 1], 3), ([0, 0, 0, 0, 1], 4), ([0, 0, 0, 0, 0], 5), ([1, 1, 1, 1, 1], 0)],
)
def test_a_sign_begins_where_the_next_place_bears_it_out(there: list[int], begins: int) -> None:
    assert eye.begins(np.array(there, bool)) == begins


# -- photos


@pytest.fixture(scope="module")
def shot(cube: PrintedObject) -> tuple[bytes, View, np.ndarray]:
    """The cube on paper from straight above: its picture, the view of it, and its corners from its middle, mm."""
    picture, frame = top_picture(cube, "#4f7396", on=PAPER)
    low, high = _ends(cube)
    corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])]) - (low + high) / 2
    with Image.open(io.BytesIO(picture)) as image:
        pixels = np.asarray(image.convert("RGB"))
    on_bed = corners + (low + high) / 2
    x, y = (on_bed - [frame.left_mm, frame.bottom_mm]).T * frame.px_per_mm
    return picture, by_corners(pixels, corners.tolist(), np.column_stack([x, frame.height - y]).tolist()), corners


def _taken(shot: tuple[bytes, View, np.ndarray], seed: int) -> tuple[Photo, View]:
    picture, straight, corners = shot
    photo = photo_of(picture, _rng(seed), 1400)
    with Image.open(io.BytesIO(photo.jpeg)) as image:
        return photo, by_corners(np.asarray(image), corners.tolist(), photo.places(straight.places(corners)).tolist())


def _middle(view: View) -> np.ndarray:
    spots = np.array([(x, y) for x in np.linspace(-6, 6, 25) for y in np.linspace(-6, 6, 25)])
    return np.median(view.colours(spots), axis=0)


def test_a_photo_of_the_same_seed_is_the_same_and_shows_things_where_it_says(
    shot: tuple[bytes, View, np.ndarray],
) -> None:
    picture, _, corners = shot
    assert photo_of(picture, _rng(2), 1400).jpeg == photo_of(picture, _rng(2), 1400).jpeg
    for seed in range(4):
        _, view = _taken(shot, seed)
        light = lab(view.colours(1.25 * corners))[:, 0]
        dark = lab(view.colours(0.6 * corners))[:, 0]
        assert light.min() > dark.max() + 8, "paper outside of the corners, plastic within"


def test_paper_takes_lamp_and_camera_out_of_a_colour(shot: tuple[bytes, View, np.ndarray]) -> None:
    _, straight, corners = shot
    by_paper = whitened(straight, corners)
    assert by_paper is not None
    plain, raw, mended = lab([_middle(by_paper)])[0], [], []
    for seed in range(8):
        _, view = _taken(shot, seed)
        white = whitened(view, corners)
        assert white is not None
        raw.append(np.linalg.norm(lab([_middle(view)])[0] - plain))
        mended.append(np.linalg.norm(lab([_middle(white)])[0] - plain))
    assert np.mean(mended) < 0.5 * np.mean(raw)
    assert max(mended) < 5


def test_a_dark_or_coloured_ground_is_no_paper(cube: PrintedObject, shot: tuple[bytes, View, np.ndarray]) -> None:
    _, straight, corners = shot
    for ground in ((66.0, 63.0, 68.0), (200.0, 60.0, 50.0), (90.0, 210.0, 90.0)):
        picture, _ = top_picture(cube, "#4f7396", on=np.array(ground))
        with Image.open(io.BytesIO(picture)) as image:
            assert whitened(View(np.asarray(image.convert("RGB")), straight.to_px), corners) is None, ground
    wide = 400 * corners
    assert whitened(straight, wide) is None, "outside of the picture there is none"
