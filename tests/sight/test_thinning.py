"""From where a field is clean: laws that fits do not know, light that is not even, and flaws."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from drumbo.core.colours import lab
from drumbo.sight.thinning import CLEAN, Found, clean_from

FED = np.arange(0.5, 96) * 2.5
OLD, NEW = np.array([47.0, 79.0, 143.0]), np.array([207.0, 198.0, 180.0])
LAWS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "plain": lambda fed: np.exp(-(fed + 15) / 24),
    "clings": lambda fed: 0.85 * np.exp(-(fed + 15) / 18) + 0.15 * np.exp(-(fed + 15) / 45),
    "power": lambda fed: (1 + fed / 20) ** -3.2,
    "late": lambda fed: 1 / (1 + np.exp((fed - 40) / 9)),
}


def _rows(law: str, old: np.ndarray = OLD, new: np.ndarray = NEW) -> np.ndarray:
    share = LAWS[law](FED)[:, None]
    return np.asarray(share * old + (1 - share) * new)


def _right(law: str, old: np.ndarray = OLD, new: np.ndarray = NEW) -> float:
    fed = np.arange(0.0, 240.0, 0.1)
    share = LAWS[law](fed)[:, None]
    off = np.linalg.norm(lab(share * old + (1 - share) * new) - lab([new]), axis=1)
    return float(fed[np.argmax(off <= CLEAN)])


def _seen(rows: np.ndarray, light: float = 0.0, grain: float = 0.0, seed: int = 1) -> Found:
    """As a photo shows it, with light that falls by so much from the front to the back."""
    rng = np.random.default_rng(seed)
    falls = np.exp(light * np.linspace(-1, 1, len(rows)) - 0.3 * light * np.linspace(-1, 1, len(rows)) ** 2)[:, None]
    pure = np.tile(NEW, (len(rows), 1)) * 0.93  # its lines run another way
    return clean_from(
        FED, rows * falls + rng.normal(0, grain, rows.shape), pure * falls + rng.normal(0, grain, rows.shape)
    )


@pytest.mark.parametrize("law", LAWS)
@pytest.mark.parametrize("light", [0.0, 0.3, -0.3])
def test_the_place_is_found_whatever_the_law_and_the_light(law: str, light: float) -> None:
    found = _seen(_rows(law), light, grain=0.4)
    assert found.clean_mm == pytest.approx(_right(law), rel=0.08, abs=3)
    assert found.clean_mm is not None
    assert abs(found.clean_mm - _right(law)) < 3 * found.sd_mm


def test_a_stripe_and_rows_with_flaws_are_still_read() -> None:
    rng, rows = np.random.default_rng(5), _rows("plain")
    holes = rng.random(len(rows)) < 0.15
    flawed = np.where(holes[:, None], OLD, rows)
    pure = np.where((rng.random(len(rows)) < 0.2)[:, None], OLD, np.tile(NEW, (len(rows), 1)))
    found = clean_from(FED, flawed, pure)
    assert found.clean_mm == pytest.approx(_right("plain"), abs=6)


def test_without_even_light_the_stripe_is_what_saves_it() -> None:
    """The same rows beside a stripe that is told to be evenly lit are far off: so the test above is one."""
    light = np.exp(0.3 * np.linspace(-1, 1, len(FED)))[:, None]
    fooled = clean_from(FED, _rows("plain") * light, np.tile(NEW, (len(FED), 1)))
    assert fooled.clean_mm is None or abs(fooled.clean_mm - _right("plain")) > 12


@pytest.mark.parametrize("ends_mm", [4.0, 9.0, 14.0])
def test_what_is_lost_within_a_few_rows_is_found_there_and_not_called_unclean(ends_mm: float) -> None:
    share = np.where(ends_mm > FED, 1.0, 0.0)[:, None]
    found = _seen(share * OLD + (1 - share) * NEW)
    assert found.clean_mm is not None
    assert abs(found.clean_mm - ends_mm) < 2 * found.sd_mm < 16


def test_colours_that_are_alike_need_nothing_and_one_that_never_gets_clean_says_so() -> None:
    alike = _seen(_rows("plain", old=NEW + 2))
    assert (alike.clean_mm, alike.apart) == (0.0, pytest.approx(0.0, abs=CLEAN))
    share = (1 - 0.5 * FED / FED[-1])[:, None]
    never = _seen(share * OLD + (1 - share) * NEW).clean_mm
    assert never is None or never > 0.88 * FED[-1], "so near the end nothing is called clean"
