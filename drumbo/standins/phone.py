"""A phone held over what lies on the bed: the camera's picture as a hand would take it.

Held askew, under a lamp to one side, white balance and brightness of its own, a little blurred and grainy, and packed.
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from drumbo.sight.rectify import projection

Floats = NDArray[np.float64]

TILT, SHIFT = 0.10, 0.04
"""By how much of its size a picture's corners are off, and all of it."""
BRIGHT, CAST, FALLS, DARK_EDGE = 0.12, 0.05, 0.18, 0.12
"""Standard deviations: brightness and each colour by their logarithm, light over the picture; how dark corners are."""
GREY, BRIGHTEST = 0.18, 0.85
"""A phone makes its picture as bright as a grey card, all in all, but lets nothing burn out."""
GRAIN, BLUR_PX, QUALITY = 4.0, 1.0, 85


@dataclass(frozen=True, slots=True)
class Photo:
    """A JPEG, and the (3, 3) projection from the camera's pixels to its own."""

    jpeg: bytes
    from_camera: Floats

    def places(self, camera_px: Floats) -> Floats:
        """(n, 2) where on the photo (n, 2) places of the camera's picture are."""
        seen = np.column_stack([camera_px, np.ones(len(camera_px))]) @ self.from_camera.T
        return np.asarray(seen[:, :2] / seen[:, 2:])


def photo_of(picture: bytes, rng: np.random.Generator, long_side_px: int = 2000) -> Photo:
    """The camera's picture, taken by hand."""
    with Image.open(io.BytesIO(picture)) as opened:
        plain = opened.convert("RGB")
    shrunk = long_side_px / max(plain.size)
    size = round(plain.width * shrunk), round(plain.height * shrunk)
    corners = np.array([[0, 0], [plain.width, 0], [plain.width, plain.height], [0, plain.height]], float)
    held = corners * shrunk * 0.84 + np.array(size) * (0.08 + rng.normal(0, SHIFT / 2, 2))
    held += rng.uniform(-TILT / 2, TILT / 2, (4, 2)) * np.array(size)
    there = projection(corners, held)
    back = np.linalg.inv(there)
    back /= back[2, 2]
    laid = plain.transform(size, Image.Transform.PERSPECTIVE, back.ravel()[:8].tolist(), Image.Resampling.BICUBIC,
                           fillcolor=plain.getpixel((2, 2)))  # fmt: skip
    pixels = np.asarray(laid.filter(ImageFilter.GaussianBlur(BLUR_PX)), float) / 255
    linear = pixels**2.2 * _light(size, rng)[..., None]
    gain = min(GREY / linear.mean(), BRIGHTEST / np.quantile(linear, 0.995))
    gain = gain * np.exp(rng.normal(0, CAST, 3) + rng.normal(0, BRIGHT))
    lit = (linear * gain) ** (1 / 2.2)
    grainy = lit * 255 + rng.normal(0, GRAIN, lit.shape)
    out = io.BytesIO()
    Image.fromarray(np.clip(grainy, 0, 255).astype(np.uint8)).save(out, "JPEG", quality=QUALITY)
    return Photo(out.getvalue(), there)


def _light(size: tuple[int, int], rng: np.random.Generator) -> Floats:
    """(h, w) how much light falls where: more on the side of the lamp, less in the corners."""
    x, y = np.meshgrid(np.linspace(-1, 1, size[0]), np.linspace(-1, 1, size[1]))
    lean = rng.normal(0, FALLS, 2)
    return np.asarray(np.exp(lean[0] * x + lean[1] * y - rng.uniform(0, DARK_EDGE) * (x * x + y * y)))
