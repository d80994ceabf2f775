"""A package that was brought: its page, what a profile would change of it, and copies with a profile's times."""

from __future__ import annotations

import io
import re
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient

from drumbo.cli import main
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.light.job import Layer, Light, LitSolid, exposures, job, lift_of
from drumbo.core.light.lamp import LampMap
from drumbo.core.light.retime import Stretch, retimed
from drumbo.core.piece import block
from drumbo.exchange.layer_package import package_bytes, read_package
from drumbo.services import check, packages, profiles, workshop
from drumbo.store.database import Workshop
from drumbo.store.models import PrinterRow
from drumbo.trials.toolkit.layered import screen_of
from tests.conftest import resin_context
from tests.services.test_resin_line import BOTTLE


def _sliced(normal_s: float = 5.0, layer_um: float = 50.0) -> bytes:
    """As another slicer would have it: a block of 20 layers, lit too long, hardly lifted."""
    context = resin_context(layer_um=layer_um)
    numbers = {**context.profile.numbers(), "exposure_s": normal_s, "lift_mm": 3.0, "rest_before_s": 0.0}
    solid = block((-5, -5, 0), (5, 5, 20 * layer_um / 1000))
    screen = screen_of(context)
    return package_bytes(job([LitSolid(solid, normal_s, 40.0)], numbers, screen, title=("a block",)))


@pytest.fixture
def profile(house: Workshop) -> int:
    printer = workshop.save_printer(house, asdict(resin_context().printer))
    bottle = workshop.save_material(house, BOTTLE)
    return profiles.create(house, bottle, printer, "Auk Grey on Gannet Light", "50")


def test_a_copy_has_the_profiles_times_and_the_same_pictures(house: Workshop, profile: int) -> None:
    data = _sliced()
    copy = packages.retime(house, packages.bring(house, data), profile, [Stretch(15, 16, 1.5)])
    before, after = read_package(data), read_package(check.kept(house, copy).read_bytes())
    numbers = packages.numbers_of(house, profile)
    wanted = exposures(numbers["exposure_s"], numbers["bottom_exposure_s"], int(numbers["bottom_layers"]),
                       int(numbers["transition_layers"]), 20)  # fmt: skip
    wanted[14:16] = [1.5, 1.5]
    assert [layer.lights[0].seconds for layer in after.layers] == pytest.approx(wanted, abs=1e-4)
    assert after.layers[-1].lift == lift_of(numbers, bottom=False) != before.layers[-1].lift
    assert after.layers[-1].rest_before_s == numbers["rest_before_s"] > 0
    assert after.title == ("a block", "times of Auk Grey on Gannet Light")
    for number in range(len(before.images)):
        assert np.array_equal(before.image(number), after.image(number))
    assert packages.retime(house, packages.bring(house, data), profile, [Stretch(15, 16, 1.5)]) == copy


def test_a_copy_may_even_the_lamp_out_once(house: Workshop, profile: int, monkeypatch: pytest.MonkeyPatch) -> None:
    ((printer, _),) = workshop.printers(house)
    brought = packages.bring(house, _sliced())
    assert packages.retiming(house, brought, profile).evens_percent is None
    with pytest.raises(InvalidInput, match="takes no grey pictures"):
        packages.retime(house, brought, profile, [], even=True)
    lamp = LampMap(2, 2, (1.0, 0.8, 1.0, 0.8))
    with house.writing() as session:
        row = session.get_one(PrinterRow, printer)
        row.spec = {**row.spec, "greys": "yes", "lamp_map": lamp.to_json()}
    assert packages.retiming(house, brought, profile).evens_percent == pytest.approx(20)
    plain, even = (packages.retime(house, brought, profile, [], even=even) for even in (False, True))
    one, other = (read_package(check.kept(house, copy).read_bytes()) for copy in (plain, even))
    assert [b.lights[0].seconds / a.lights[0].seconds for a, b in zip(one.layers, other.layers, strict=True)] == (
        pytest.approx([1.25] * 20, rel=1e-3)
    )
    lit = one.image(0) > 0
    assert (other.image(0)[~lit] == 0).all()
    shares = _shares(lamp, one.screen.pixels)
    assert (1.25 * other.image(0) / 255 * shares)[lit] == pytest.approx(1.0, abs=0.012), "all get what the middle gets"
    with pytest.raises(InvalidInput, match="already"):
        packages.retime(house, even, profile, [], even=True)
    assert not packages.look(house, even, profile).remarks, "it is lit as the profile says, where the lamp is darkest"
    again = read_package(check.kept(house, packages.retime(house, even, profile, [])).read_bytes())
    assert [layer.lights[0].seconds for layer in again.layers] == pytest.approx(
        [layer.lights[0].seconds for layer in other.layers], abs=2e-4
    ), "pictures that are dimmed stay lit as much longer"
    monkeypatch.setattr(packages, "MOST_EVENED", 0)
    with pytest.raises(InvalidInput, match="drumbo retime"):
        packages.retime(house, brought, profile, [], even=True)


def _shares(lamp: LampMap, pixels: tuple[int, int]) -> np.ndarray:
    """(rows, columns) of light that reaches each pixel, rows from the back."""
    x, y = ((np.arange(count) + 0.5) / count * 2 - 1 for count in pixels)
    return np.array([lamp.at(x, np.full(len(x), -each)) for each in y])


def test_layers_with_several_lights_keep_their_shares() -> None:
    context = resin_context()
    numbers = context.profile.numbers()
    pair = [LitSolid(block((x, 0, 0), (x + 3, 3, 1)), seconds, 2 * seconds) for x, seconds in ((-8, 2.0), (4, 3.0))]
    layers = job(pair, numbers, screen_of(context)).layers
    last: Layer = retimed(layers, {**numbers, "exposure_s": 4.0})[-1]
    assert [light.seconds for light in last.lights] == [4.0, 2.0]
    dim = [replace(layers[-1], lights=(Light(0, 2.0, 0.4), Light(1, 1.0, 0.8)))]
    plain = {**numbers, "bottom_layers": 0.0, "transition_layers": 0.0}
    (found,) = retimed(dim, {**plain, "exposure_s": 4.0, "power_percent": 50.0})
    assert [(light.seconds, light.power) for light in found.lights[:1]] == [(4.0, 0.5)]
    assert (found.lights[1].seconds, found.lights[1].power) == pytest.approx((2.0, 1.0))
    for lights in ((Light(0, 0.001), Light(1, 1.0)), (Light(0, 2.0, 0.2), Light(1, 1.0, 0.8))):
        with pytest.raises(InvalidInput, match="cannot light layer 1"):
            retimed([replace(dim[0], lights=lights)], {**plain, "exposure_s": 4.0, "power_percent": 100.0})


@pytest.mark.parametrize(
    ("stretches", "field", "says"),
    [
        ([Stretch(0, 3, 2.0)], "stretch_1", "between layer 1 and 20"),
        ([Stretch(5, 4, 2.0)], "stretch_1", "its first layer not behind"),
        ([Stretch(19, 21, 2.0)], "stretch_1", "between layer 1 and 20"),
        ([Stretch(1, 9, 2.0, 2), Stretch(9, 12, 2.0, 3)], "stretch_3", "has not ended yet"),
        ([Stretch(1, 9, 900.0)], "stretch_1", "0.1 to 600 s"),
    ],
)
def test_stretches_that_cannot_be_are_told_by_their_row(
    house: Workshop, profile: int, stretches: list[Stretch], field: str, says: str
) -> None:
    with pytest.raises(InvalidInput) as caught:
        packages.retime(house, packages.bring(house, _sliced()), profile, stretches)
    assert says in caught.value.problems[field]


def test_what_the_light_would_not_fit_is_refused(house: Workshop, profile: int) -> None:
    other = packages.bring(house, _sliced(layer_um=100.0))
    assert "is 100 µm high and wants another light" in packages.retiming(house, other, profile).problem
    with pytest.raises(InvalidInput, match="another light"):
        packages.retime(house, other, profile, [])
    printer = workshop.save_printer(house, {**asdict(resin_context().printer), "name": "Fine", "pixel_um": 35.0})
    finer = profiles.create(house, 1, printer, "Auk Grey on Fine", "50")
    assert "slice it for this printer" in packages.retiming(house, packages.bring(house, _sliced()), finer).problem
    with pytest.raises(NotFound):
        packages.look(house, "f" * 64, None)


def test_the_page_shows_what_would_change_and_makes_the_copy(
    client: FlaskClient, house: Workshop, profile: int
) -> None:
    sent = {"file": (io.BytesIO(_sliced()), "block.zip"), "profile": str(profile)}
    page = client.post("/check/", data=sent, follow_redirects=True)
    address = page.request.path
    assert "Light of the last layer" in page.text
    assert client.get(address).status_code == 200, "it has an address of its own"
    assert "Hold it against a resin profile" in client.get(address).text
    typed = {"profile": str(profile), "name": "block.zip", "from_2": "15", "to_2": "1", "light_2": "1.5"}
    refused = client.post(f"{address}/retime", data=typed)
    assert refused.status_code == 422
    assert "This stretch must lie between layer 1 and 20" in refused.text
    assert 'name="from_2" value="15"' in " ".join(refused.text.split())
    assert client.post(f"{address}/retime", data={**typed, "to_2": ""}).status_code == 422
    made = client.post(f"{address}/retime", data={**typed, "to_2": "16"}, follow_redirects=True)
    assert "layer 15 to 16" in made.text
    assert "block, retimed.zip" in made.text
    link = re.search(r'href="([^"]*package\.zip[^"]*)"', made.text)
    assert link is not None
    with client.get(link[1].replace("&amp;", "&")) as answer:
        assert read_package(answer.data).layers[14].lights[0].seconds == 1.5
        assert "block, retimed.zip" in answer.headers["Content-Disposition"]


def test_a_copy_is_made_by_command_too(house: Workshop, profile: int, tmp_path: Path) -> None:
    del profile
    block_zip, out = tmp_path / "block.zip", tmp_path / "copy.zip"
    block_zip.write_bytes(_sliced())
    at = ["--data", str(house.folder), "retime", str(block_zip), "--out", str(out), "--profile"]
    done = CliRunner().invoke(main, [*at, "Auk Grey on Gannet Light", "--stretch", "15-16:1.5"])
    assert done.exit_code == 0, done.output
    assert read_package(out.read_bytes()).layers[15].lights[0].seconds == 1.5
    assert CliRunner().invoke(main, [*at, "Auk Grey on Gannet Light", "--stretch", "15"]).exit_code == 2
    refused = CliRunner().invoke(main, [*at, "Auk Grey on Gannet Light", "--stretch", "15-99:2"])
    assert (refused.exit_code, "between layer 1 and 20" in refused.output) == (1, True)
