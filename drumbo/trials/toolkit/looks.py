"""What a plastic looks like by itself: filled and matt ones hide their faults, and what is read from them says less."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from drumbo.core.families import family
from drumbo.core.fields import Scalar
from drumbo.core.material import Material
from drumbo.trials.plan import ask

PLAIN, HIDING = "plain", "matt"


def ask_looks() -> Any:
    """The field of a plan; it may be changed after printing."""
    choices = ((PLAIN, "smooth, shows its faults"), (HIDING, "filled or matt, hides them"))
    return ask("The plastic by itself", kind="choice", choices=choices, late=True)


def usual_looks(material: Material) -> str:
    """What is usual of a material's polymer."""
    return HIDING if family(material.family).hides else PLAIN


def with_looks(plan: Mapping[str, Scalar]) -> Mapping[str, Scalar]:
    """A plan of times when every plastic was taken for one that shows its faults."""
    return {"looks": PLAIN, **plan}
