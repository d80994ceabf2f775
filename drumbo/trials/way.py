"""The way from here to a proven profile: which trials are left, and which of them share a job.

Nothing of it is remembered but what somebody wants to find: what comes next follows from what the profile knows then.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from drumbo.core.catalogue import BY_KEY, GROUPS, groups_of, in_group
from drumbo.core.errors import InvalidInput
from drumbo.core.plate import Footprint, arrange
from drumbo.core.printer import Printer
from drumbo.core.prior import Before, unlike
from drumbo.core.profile import OriginKind, Status, sectors
from drumbo.trials import kinds_of
from drumbo.trials.base import SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.plate import MOST, can_share, waits_for

HEAT = "nozzle_c"
"""What all else rests on."""
SKIRT_MM, LAYER_MM = 6.0, 0.2
"""So far around a piece its skirt reaches, and so much may its last layer stand out."""


@dataclass(frozen=True, slots=True)
class Way:
    """What a way is called, and whether its prints are to be quick."""

    key: str
    title: str
    about: str
    quick: bool


QUICK = Way(
    "quick", "Quick", "What most makers need: every value once, in short prints that share the bed.", quick=True
)
THOROUGH = Way(
    "thorough", "Thorough", "Wider ranges and finer steps, again where the first answer is coarse.", quick=False
)
CHANGED = Way("changed", "Only what has changed", "What wants a recheck, and nothing else.", quick=True)
FAMILIAR = Way(
    "familiar", "As the ones before",
    "What differs from spool to spool, in small prints; the rest as earlier spools came to.", quick=True,
)  # fmt: skip
WAYS = (QUICK, FAMILIAR, THOROUGH, CHANGED)
OWN = frozenset({"heat", "flow", "pressure", "retraction", "proof"})
"""Groups in which a spool is looked at by itself, however many came before."""
CLOSING = frozenset(group.key for group in GROUPS if group.closes)


def is_open(way: Way, context: SomeBound) -> bool:
    """Whether a way can be begun: as the ones before only where there were enough."""
    return way is not FAMILIAR or bool(carried(context))


def wanted(way: Way, context: SomeBound) -> tuple[SomeKind, ...]:
    """The trials that a way leads through, from what the profile knows now: one for each group, in order of work."""
    known = {state.group.key: state.known for state in sectors(context.profile)}
    found: dict[str, SomeKind] = {}
    differs = is_unlike(context)
    for kind in kinds_of(context.profile.process).values():
        if kind.on_demand or kind.scope != "profile" or kind.hindered(context) or kind.wants(context) is None:
            continue
        state = known[kind.group]
        if way is FAMILIAR and not (differs or kind.group in OWN):
            continue
        if state == Status.RECHECK if way is CHANGED else not (way.quick and state == Status.MEASURED):
            found.setdefault(kind.group, kind)
    return tuple(found.values())


def carried(context: SomeBound) -> dict[str, Before]:
    """What a familiar material takes from earlier spools: every value of the other groups that they know, by key. Empty
    where one of these groups' main values is not among them: then it is not familiar enough.
    """
    found: dict[str, Before] = {}
    for group in groups_of(context.profile.process):
        if group.key in OWN:
            continue
        held = [p for p in in_group(group.key) if p.key in context.profile.values and not p.found]
        if any(p.main and p.key not in context.before for p in held):
            return {}
        found |= {p.key: context.before[p.key] for p in held if p.key in context.before}
    return found


def is_unlike(context: SomeBound, more: Mapping[str, tuple[float, float]] | None = None) -> bool:
    """Whether what trials have found of this spool says that it is not like the ones before: then none of what was
    taken from those is to be believed. `more` are values that are about to be adopted, with their errors.
    """
    found: dict[str, tuple[float, float | None]] = {}
    for key, value in context.profile.values.items():
        if key in context.before and value.origin.kind == OriginKind.TRIAL and BY_KEY[key].main:
            found[key] = (value.number, value.error) if value.alone is None else value.alone
    found |= more or {}
    return unlike([context.before[key].chance(*told) for key, told in found.items() if key in context.before])


@dataclass(frozen=True, slots=True)
class Jobs:
    """Puts trials into jobs; each piece is measured once."""

    context: SomeBound
    quick: bool
    prints: dict[str, Footprint] = field(default_factory=dict)

    def of(self, left: Sequence[SomeKind]) -> tuple[tuple[SomeKind, ...], ...]:
        """All jobs of what is left, as far as can be told today: none ends outside its range."""
        found, rest = [], list(left)
        while rest:
            job = self.next(rest)
            found.append(job)
            rest = [kind for kind in rest if kind not in job]
        return tuple(found)

    def next(self, left: Sequence[SomeKind]) -> tuple[SomeKind, ...]:
        """Of the trials that are left, those that are printed next: together where none needs the answer of another
        that is left, and all have room. An answer that earlier spools all but gave is not waited for, but for the
        temperature's.
        """
        first, *others = left
        if not can_share(first):
            return (first,)
        job: list[SomeKind] = [first]
        for kind in others:
            free = can_share(kind) and not any(self._must_wait(other, kind) for other in left if other != kind)
            if free and len(job) < MOST and self._fit([*job, kind]):
                job.append(kind)
        return tuple(job)

    def _must_wait(self, one: SomeKind, other: SomeKind) -> bool:
        key = waits_for(one, other)
        return key is not None and (key == HEAT or key not in self.context.before or other.group in CLOSING)

    def _fit(self, kinds: Sequence[SomeKind]) -> bool:
        """Whether pieces have room beside each other, by their own sizes and that of a skirt: for the head, or else
        layer by layer.
        """
        if not isinstance(self.context.printer, Printer):
            return False
        prints = [self._print_of(kind) for kind in kinds]
        waits = all(can_share(kind) and kind.layers_wait for kind in kinds)
        return _have_room(prints, self.context.printer) or (
            waits and _have_room(prints, self.context.printer, by_layer=True)
        )

    def _print_of(self, kind: SomeKind) -> Footprint:
        if kind.slug not in self.prints:
            solid = kind.piece(plan_for(kind, self.context, quick=self.quick), self.context).solid
            x0, y0, _, x1, y1, z1 = solid.bounding_box()
            self.prints[kind.slug] = Footprint(
                x0 - SKIRT_MM, y0 - SKIRT_MM, x1 + SKIRT_MM, y1 + SKIRT_MM, z1 + LAYER_MM
            )
        return self.prints[kind.slug]


def plan_for(kind: SomeKind, context: SomeBound, *, quick: bool) -> TrialPlan:
    """The plan that a way proposes."""
    plan: TrialPlan = kind.quick(context) if quick else kind.suggest(context)
    return plan


def _have_room(prints: Sequence[Footprint], printer: Printer, *, by_layer: bool = False) -> bool:
    try:
        arrange(prints, printer, by_layer=by_layer)
    except InvalidInput:
        return False
    return True
