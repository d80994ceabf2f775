"""How sure a number is, as it is told: after ± stands half of the interval that holds in 90 of 100 cases.

What is kept and reckoned with is a standard error; only what is shown goes through here.
"""

from __future__ import annotations

HALF_90 = 1.645
"""Standard errors on either side of a number within which the right one lies in 90 of 100 cases."""


def half_90(error: float) -> float:
    """Half of that interval, from a standard error. 2.0 → 3.29."""
    return HALF_90 * error
