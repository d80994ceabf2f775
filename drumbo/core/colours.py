"""Colours: by the words that stand on labels, and as far apart as they look."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

NAMED = {
    "black": "#26242a", "anthracite": "#3b3d42", "charcoal": "#45464b", "graphite": "#53555b", "slate": "#4f7396",
    "grey": "#8d8f94", "gray": "#8d8f94", "silver": "#b4b7bd", "aluminium": "#a9adb3", "white": "#f4f2ec",
    "ivory": "#ece4cf", "cream": "#efe5c8", "bone": "#e4dac2", "chalk": "#cfc6b4", "natural": "#d8cfbb",
    "sand": "#d3bd93", "beige": "#d6c3a0", "brown": "#6f4a2f", "wood": "#b08a5a", "copper": "#b06a42",
    "bronze": "#8f6a3a", "gold": "#c69a3c", "yellow": "#edc935", "lemon": "#f0dc55", "orange": "#e5782d",
    "red": "#b2342b", "crimson": "#9a1f33", "burgundy": "#6d1f33", "pink": "#e292ae", "magenta": "#b8327e",
    "purple": "#6b3f8f", "violet": "#7a55a8", "lilac": "#b59ccb", "blue": "#2f5fa5", "navy": "#22335b",
    "sky": "#7fb2dc", "turquoise": "#35a5a5", "teal": "#1f7a7a", "cyan": "#3bb4cf", "green": "#3f8a45",
    "olive": "#6e7332", "lime": "#a9c83f", "mint": "#a5d6b7", "moss": "#5f7039", "clear": "#dfe6e6",
    "transparent": "#dfe6e6",
}  # fmt: skip
"""A word of a label and the colour that it is commonly shown in."""


def named_colour(label: str) -> str | None:
    """The colour of a label's words: the last one that is known has it, as in “slate blue”. None where none is.

    >>> named_colour("Signal red")
    '#b2342b'
    """
    words = [word for word in label.lower().replace("-", " ").split() if word in NAMED]
    return NAMED[words[-1]] if words else None


_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_WHITE = _TO_XYZ.sum(axis=1)
_DARK = (6 / 29) ** 3


def lab(srgb: ArrayLike) -> NDArray[np.float64]:
    """(n, 3) lightness, redness and yellowness (CIE L*a*b* 1976, D65) of (n, 3) sRGB, 0..255. The straight distance
    between two is about how far apart they look; side by side, 2.3 is just seen (Mahy et al. 1994).

    >>> lab([[255, 255, 255], [119, 119, 119]]).round(1)[:, 0].tolist()
    [100.0, 50.0]
    """
    coded = np.clip(np.asarray(srgb, float) / 255, 0, 1)
    linear = np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4)
    share = linear @ _TO_XYZ.T / _WHITE
    x, y, z = np.where(share > _DARK, np.cbrt(share), share / (3 * (6 / 29) ** 2) + 4 / 29).T
    return np.column_stack([116 * y - 16, 500 * (x - y), 200 * (y - z)])
