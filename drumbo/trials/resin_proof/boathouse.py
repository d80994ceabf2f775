"""The boathouse: the piece of the resin proof, a design of our own.

On a flat foot with a cut corner: a hut that is hollow, with a drain at its foot and a word raised and sunk on its
front; thin fences beside it; a jetty, a slab on fine tips; a bollard in a socket as wide as the plug that lies beside
it; and leaves, which tell what the light has added (`toolkit/leaves`). It is lit by the plate, without other supports.
"""

from __future__ import annotations

from collections.abc import Callable

from manifold3d import Manifold

from drumbo.core.piece import Part, Piece, Place, block, slab, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.trials.toolkit import leaves, tips

WIDE, DEEP, CUT = 36.0, 27.0, 4.0
HUT, HUT_DEEP, HUT_HIGH, SHELL, DRAIN = 10.0, 9.0, 6.2, 0.9, 1.2
SUNK = 0.4
FENCES = (0.3, 0.4, 0.6)
FENCE_LONG, FENCE_HIGH = 5.0, 3.4
JETTY_HIGH = 3.0
SOCKET, PLUG_TALL = 3.4, 5.0
SOCKET_WALL = 2.2


def boathouse(
    label: str, base: float, tip_mm: float, snap: Callable[[float], float], pixel_mm: float
) -> tuple[Piece, Manifold, Manifold]:  # fmt: skip
    """The whole part, which has one step; what of it is compensated as real parts are, and the leaves, which are not.
    `tip_mm` is how wide the jetty's tips are where they touch it.
    """
    x0, y0 = -WIDE / 2, -DEEP / 2
    made = leaves.leaf_set(0, x0 + 1.6, y0 + 1.6, base, snap)
    top, right = y0 + leaves.DEEP + 4.2, x0 + leaves.WIDE + 5.0
    solid, digits = _hut(label, x0 + 1.8, top, base)
    parts = [
        Part("foot", _foot(base)),
        *made.parts,
        Part("wall", solid),
        Part("digits", digits),
        Part("needle", _fences(x0 + HUT + 4.4, top + 1.0, base)),
        Part("post", tips.table(right + 4.4, y0 + 2.4, base, JETTY_HIGH, tip_mm)),
        Part("mast", _socket(right - 1.2, top + 1.4, base, snap, pixel_mm)),
    ]
    high = base + max(HUT_HIGH, PLUG_TALL)
    place = Place(0, 0.0, label, (x0, y0, 0.0), (x0 + WIDE, y0 + DEEP, high), axis=0)
    whole = union(part.solid for part in parts)
    rest, loose = (union(p.solid for p in parts if (p in made.parts) is mine) for mine in (False, True))
    return Piece("Boathouse", whole, tuple(parts), (place,), made.jaws), rest, loose


def _foot(base: float) -> Manifold:
    w, d = WIDE / 2, DEEP / 2
    return slab([(-w, -d), (w, -d), (w, d - CUT), (w - CUT, d), (-w, d)], 0.0, base)


def _hut(label: str, x: float, y: float, base: float) -> tuple[Manifold, Manifold]:
    """A box without a lid on it, so that no resin stays in; open at the foot, so that it is no cup."""
    low, high = base - 0.2, base + HUT_HIGH
    shell = block((x, y, low), (x + HUT, y + HUT_DEEP, high))
    hollow = block((x + SHELL, y + SHELL, base), (x + HUT - SHELL, y + HUT_DEEP - SHELL, high - SHELL))
    drain = block((x + HUT / 2 - DRAIN / 2, y + HUT_DEEP - SHELL - 0.5, base),
                  (x + HUT / 2 + DRAIN / 2, y + HUT_DEEP + 0.5, base + DRAIN))  # fmt: skip
    vent = block((x + HUT / 2 - DRAIN / 2, y + HUT_DEEP / 2 - DRAIN / 2, high - SHELL - 0.5),
                 (x + HUT / 2 + DRAIN / 2, y + HUT_DEEP / 2 + DRAIN / 2, high + 0.5))  # fmt: skip
    text = text_shape(label, 1.9, 0.42)
    left, _, right, _ = text.bounds()
    text = text.scale((min(1.0, (HUT - 2) / (right - left)), 1.0))
    sunk = along_y(text.translate((x + HUT / 2, base + 1.7)), y - 0.5, y + SUNK)
    raised = along_y(text.translate((x + HUT / 2, base + 4.4)), y - SUNK, y + 0.2)
    return shell - hollow - drain - vent - sunk, raised


def _fences(x: float, y: float, base: float) -> Manifold:
    """Thin walls, and one with a fine slot in it."""
    walls, at = [], x
    for wide in FENCES:
        walls.append(block((at, y, base - 0.2), (at + wide, y + FENCE_LONG, base + FENCE_HIGH)))
        at += wide + 1.2
    sill = block((x, y + FENCE_LONG + 0.9, base - 0.2), (at, y + FENCE_LONG + 2.9, base + 1.4))
    for k, wide in enumerate((0.3, 0.4)):
        left = x + 0.8 + 1.4 * k
        sill -= block((left, y + FENCE_LONG + 1.3, base - 0.1), (left + wide, y + FENCE_LONG + 2.5, base + 2.0))
    return union([*walls, sill])


def _socket(x: float, y: float, base: float, snap: Callable[[float], float], pixel_mm: float) -> Manifold:
    """A ring with a square hole, and beside it the plug that presses in, one pixel or two narrower."""
    play = max(round(0.03 / pixel_mm), 1) * pixel_mm
    left, front = snap(x + SOCKET_WALL), y + SOCKET_WALL
    wide = snap(left + SOCKET) - left
    ring = block((x, y, base - 0.2), (left + wide + SOCKET_WALL, front + wide + SOCKET_WALL, base + PLUG_TALL))
    ring -= block((left, front, base), (left + wide, front + wide, base + PLUG_TALL + 1))
    beside = snap(left + wide + SOCKET_WALL + 1.6)
    side = wide - play
    plug = block((beside, front, base + leaves.NECK_TALL), (beside + side, front + side, base + PLUG_TALL))
    middle = (beside + side / 2, front + side / 2)
    neck = block((middle[0] - 0.35, middle[1] - 0.35, base - 0.2), (middle[0] + 0.35, middle[1] + 0.35, base + 0.7))
    return union([ring, plug, neck])
