"""A lamp's map as SVG: the screen from above, darker where there is less light, with lines of equal light's numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drumbo.core.light.lamp import LampMap

WIDE = 420.0
ACROSS, ALONG = 28, 20
NUMBERS = ((-0.84, -0.42, 0.0, 0.42, 0.84), (-0.78, 0.0, 0.78))
TONES = 7
"""Shades from the darkest to the brightest place."""


@dataclass(frozen=True, slots=True)
class LampPicture:
    """Everything in px. `tones` is one path a shade, from dark to bright; `numbers` are (x, y, text)."""

    wide: float
    high: float
    tones: tuple[str, ...]
    numbers: tuple[tuple[float, float, str], ...]
    says: str


def lamp_picture(lamp: LampMap, size_mm: tuple[float, float]) -> LampPicture:
    """The map laid out, the front of the screen below; numbers in % of the light in the middle."""
    high = round(WIDE * size_mm[1] / size_mm[0], 1)
    x, y = np.meshgrid((np.arange(ACROSS) + 0.5) / ACROSS * 2 - 1, 1 - (np.arange(ALONG) + 0.5) / ALONG * 2)
    shares = lamp.at(x.ravel(), y.ravel())
    low, span = float(shares.min()), max(float(np.ptp(shares)), 1e-6)
    tone = np.minimum(((shares - low) / span * TONES).astype(int), TONES - 1).reshape(ALONG, ACROSS)
    wide_px, high_px = WIDE / ACROSS, high / ALONG
    tones = tuple(
        "".join(
            f"M{column * wide_px:.1f} {row * high_px:.1f}h{wide_px:.1f}v{high_px:.1f}h-{wide_px:.1f}z"
            for row, column in np.argwhere(tone == shade)
        )
        for shade in range(TONES)
    )
    numbers, told = [], []
    for up in reversed(NUMBERS[1]):
        for side in NUMBERS[0]:
            percent = 100 * float(lamp.at(np.array([side]), np.array([up]))[0])
            numbers.append((round((side + 1) / 2 * WIDE, 1), round((1 - up) / 2 * high, 1), f"{percent:.0f}"))
            told.append(f"{percent:.0f}")
    says = f"Light over the screen in % of the middle, from the back left: {', '.join(told)}"
    return LampPicture(WIDE, high, tones, tuple(numbers), says)
