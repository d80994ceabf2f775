"""A tower of storeys with fine features, for what may change with height in a resin print; a design of our own.

Each storey is a floor with a wall at its left, the value in digits on the wall's front; on the floor stand pins and
fins, and a block with slits. What changes, changes from floor to floor.
"""

from __future__ import annotations

from collections.abc import Sequence

from drumbo.core.fields import Scalar
from drumbo.core.piece import Part, Piece, Place, block, text_shape, union
from drumbo.core.piece.solids import along_y
from drumbo.trials.base import Plan, Readings, Result, Step
from drumbo.trials.exposure_coupon.coupon import PIN_SEGMENTS
from drumbo.trials.pictures import Spread

WIDE, DEEP, STOREY, FLOOR = 22.0, 9.0, 4.6, 0.7
WALL, DIGITS_HIGH, STROKE = 8.5, 3.2, 0.6
PINS = (0.15, 0.2, 0.25, 0.3, 0.4, 0.5)
SLITS = (0.12, 0.18, 0.25, 0.35, 0.5)
PIN_TALL = 3.0


def tower(steps: Sequence[Step], base_mm: float) -> Piece:
    """All storeys on one foot; the first step is the lowest storey."""
    parts = [Part("foot", block((-WIDE / 2 - 1, -DEEP / 2 - 1, 0), (WIDE / 2 + 1, DEEP / 2 + 1, base_mm)))]
    places = []
    for step in steps:
        z = base_mm + step.index * STOREY
        parts += _storey(z, step.label)
        low, high = (-WIDE / 2, -DEEP / 2, z), (WIDE / 2, DEEP / 2, z + STOREY)
        places.append(Place(step.index, step.value, step.label, low, high))
    return Piece("storeys", union(part.solid for part in parts), tuple(parts), tuple(places))


def _storey(z: float, label: str) -> list[Part]:
    left, front = -WIDE / 2, -DEEP / 2
    digits = text_shape(label, DIGITS_HIGH, STROKE)
    x0, _, x1, _ = digits.bounds()
    digits = digits.scale((min(1.0, (WALL - 1) / (x1 - x0)), 1.0)).translate(
        (left + WALL / 2, z + FLOOR / 2 + STOREY / 2)
    )
    pins = [_pin(left + WALL + 1.2 + 2.1 * k, front + 2.2, width, z + FLOOR - 0.1) for k, width in enumerate(PINS)]
    x, solid = left + WALL + 0.8, block((left + WALL, front + 4.6, z), (WIDE / 2, front + 8.2, z + FLOOR + 2.0))
    for width in SLITS:
        solid -= block((x, front + 5.2, z + FLOOR), (x + width, front + 7.6, z + FLOOR + 3))
        x += width + 1.9
    return [
        Part("foot", block((left, front, z - 0.1), (WIDE / 2, -front, z + FLOOR))),
        Part("mast", block((left, front + 0.6, z), (left + WALL, -front, z + STOREY))),
        Part("wall", solid),
        Part("needle", union(pins)),
        Part("digits", along_y(digits, front, front + 0.8)),
    ]


def _pin(x: float, y: float, width: float, low: float):  # type: ignore[no-untyped-def]
    from manifold3d import Manifold  # noqa: PLC0415 - only its type is wanted above

    pin = Manifold.cylinder(PIN_TALL, width / 2, width / 2, circular_segments=PIN_SEGMENTS)
    return pin.translate((x, y, low))


def last_clean(
    plan: Plan, steps: Sequence[Step], readings: Readings, sign: str, margin: float, words: tuple[str, str]
) -> Result:
    """The last storey before a sign begins, with a margin from it. `words` call the far and the near end."""
    at = readings.firsts.get(sign)
    if at is None:
        return Result("few", says="Say on which storey it begins, counted as on the tower; or that it does not.")
    values = [step.value for step in steps]
    far, near = words
    if at == 0:
        extend = shifted(plan, values, down=True)
        return Result("edge", says=f"It fails from the first storey on; print {near} ones next.", extend=extend,
                      extend_says=f"Plan {near} ones")  # fmt: skip
    if at >= len(steps):
        value, step = values[-1], abs(values[-1] - values[-2])
        spread = Spread("Held up to", "", 0, ((steps[-1].label, value, True),), value, step / 2)
        return Result(
            "edge", value=value, error=step / 2, low=value, high=value, spreads=(spread,),
            says=f"It held on every storey. {steps[-1].label} can be used; {far} ones may hold too.",
            extend=shifted(plan, values, down=False), extend_says=f"Plan {far} ones",
        )  # fmt: skip
    good, bad = values[at - 1], values[at]
    limit, error = (good + bad) / 2, abs(bad - good) / 12**0.5
    value = limit + margin * (good - bad) / abs(good - bad) * limit
    points = ((f"{steps[at - 1].label} still holds", good, True), (f"{steps[at].label} does not", bad, True))
    spread = Spread("Where it begins", "", 0, points, limit, error)
    return Result(
        "good", value=value, error=error, low=min(value, good), high=max(value, good), spreads=(spread,),
        says=f"It begins between {steps[at - 1].label} and {steps[at].label}; {margin:.0%} of that are kept back.",
    )  # fmt: skip


def shifted(plan: Plan, values: Sequence[float], *, down: bool) -> dict[str, Scalar]:
    """A plan that goes on where this one ends, overlapping by one storey."""
    step = values[1] - values[0]
    first = values[0] - (len(values) - 2) * step if down else values[-2]
    return {**plan, "first": round(max(first, abs(step) / 2), 2)}
