"""Points that fill a cube evenly: what estimators lay their plausible curves through."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def evenly(dimensions: int, log2: int) -> NDArray[np.float64]:
    """(2^log2, dimensions) between 0 and 1, by Sobol's sequence; always the same."""
    # Fetched when something is fitted first: the package takes seconds to load, and pages need not wait for it.
    from scipy.stats import qmc  # noqa: PLC0415

    return np.asarray(qmc.Sobol(dimensions, seed=1).random_base2(log2))
