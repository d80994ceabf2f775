"""Plans: what a kind asks for before it prints, as a frozen value of its own.

A kind writes its plan once, as a dataclass of `ask(…)`s; form, bounds, JSON, command line and key of the kept file all
come from there:

>>> @dataclass(frozen=True, slots=True, kw_only=True)
... class Plan(TrialPlan):
...     hot_c: float = ask("Hottest", "°C", low=150, high=300)
...     steps: int = ask("Steps", low=3, high=9, whole=True)
>>> Plan(hot_c=220.0, steps=5).to_json()
{'hot_c': 220.0, 'steps': 5}
>>> Plan.read({"hot_c": "220 °C", "steps": "5"})
Plan(hot_c=220.0, steps=5)
"""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Self

from drumbo.core.errors import InvalidInput
from drumbo.core.fields import Field, Scalar, read_all

_ASK = "ask"


def ask(label: str, unit: str = "", **more: Any) -> Any:
    """A field of a plan; `more` is what `Field` takes, but for its key."""
    return dataclasses.field(metadata={_ASK: Field("", label, unit, **more)})


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a printer, material or profile makes of a field: narrower bounds, or other words beside it."""

    low: float | None = None
    high: float | None = None
    help: str | None = None

    def on(self, field: Field) -> Field:
        """The field within these bounds."""
        given = {key: value for key in ("low", "high", "help") if (value := getattr(self, key)) is not None}
        return dataclasses.replace(field, **given)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialPlan:
    """What every kind's plan can do. Where a mapping is wanted it unpacks as one, by its fields' keys: `{**plan}`."""

    @classmethod
    def fields(cls) -> tuple[Field, ...]:
        """What is asked, in order, with the bounds that hold for every printer."""
        return tuple(dataclasses.replace(f.metadata[_ASK], key=f.name) for f in dataclasses.fields(cls))

    @classmethod
    def of(cls, values: Mapping[str, Scalar]) -> Self:
        """The plan that `to_json` wrote. What it does not know is left aside; InvalidInput names what is missing."""
        given: dict[str, Any] = {}
        for field in dataclasses.fields(cls):
            if field.name in values:
                given[field.name] = _typed(str(field.type), field.name, values[field.name])
            elif str(field.type).endswith("| None"):
                given[field.name] = None
            else:
                raise InvalidInput(field.name, "is missing")
        return cls(**given)

    @classmethod
    def read(
        cls, typed: Mapping[str, str | float | None], fields: Sequence[Field] | None = None
    ) -> Self:  # fmt: skip
        """The plan that was typed, within the bounds of `fields`; InvalidInput gathers the problems by field."""
        return cls.of(read_all(cls.fields() if fields is None else fields, {**typed}))

    def to_json(self) -> dict[str, Scalar]:
        """Plain data; `of` gives an equal plan back."""
        return {key: self[key] for key in self.keys()}

    def with_value(self, key: str, value: Scalar) -> Self:
        """The same plan with one field set."""
        return dataclasses.replace(self, **{key: value})

    def keys(self) -> Iterator[str]:
        """The fields' keys, in order."""
        return (field.name for field in dataclasses.fields(self))

    def __getitem__(self, key: str) -> Scalar:
        value: Scalar = getattr(self, key)
        return value


def _typed(written: str, key: str, value: Scalar) -> Scalar:
    """A value as its field's annotation has it: whole numbers that came as 5.0 are 5."""
    kind = written.removesuffix(" | None")
    if value is None:
        if kind == written:
            raise InvalidInput(key, "is needed")
        return None
    if kind == "str":
        return str(value)
    if isinstance(value, str):
        raise InvalidInput(key, "must be a number")
    return int(value) if kind == "int" else float(value)
