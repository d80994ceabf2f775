"""All that a profile's page shows, and what stands in place where one of its values is opened."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from flask import url_for

from drumbo.core.catalogue import BY_KEY, Parameter, counter_of
from drumbo.core.copying import unfit
from drumbo.core.errors import NotFound
from drumbo.core.heats import heats
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.processes import AnyMaterial, AnyPrinter
from drumbo.core.profile import Change, Profile, Source, effective
from drumbo.core.resin import Resin
from drumbo.services import profiles as service
from drumbo.services import ways
from drumbo.trials import kinds_of
from drumbo.trials.base import SomeKind
from drumbo.web.heats import HeatPicture, heat_picture
from drumbo.web.ledger import LedgerGroup, ledger
from drumbo.web.lights import LightSteps, light_steps
from drumbo.web.pace_page import PacePage, PartAsked, pace_page
from drumbo.web.page import Page
from drumbo.web.views.common import workshop


@dataclass(frozen=True, slots=True, kw_only=True)
class ProfilePage(Page):
    """`kinds` are those of trials that a profile alone may have; `pace` is of resin prints; `way_plan`
    says where the next job of a way is planned.
    """

    number: int
    sheet: service.ProfileSheet
    card: service.Card
    counter: Parameter
    ledger: tuple[LedgerGroup, ...]
    titles: Mapping[str, str]
    kinds: Mapping[str, SomeKind]
    way: ways.WayStanding | None
    way_plan: Callable[[ways.WayStanding, ways.Job, int], str]
    lit: bool
    archived: bool
    unfit: tuple[str, ...]
    heat: HeatPicture | None
    steps: LightSteps | None
    pace: PacePage | None


def profile_page(number: int) -> ProfilePage:
    """A profile's page."""
    sheet = service.sheet(workshop(), number)
    profile, printer, material = sheet.profile, sheet.card.printer, sheet.card.material
    known, resin = kinds_of(profile.process), isinstance(material, Resin)
    return ProfilePage(
        number=number,
        sheet=sheet,
        card=sheet.card,
        counter=counter_of(profile.process),
        ledger=ledger(profile, printer),
        titles={slug: kind.title for slug, kind in known.items()},
        kinds={slug: kind for slug, kind in known.items() if kind.scope != "pair"},
        way=ways.standing(workshop(), number),
        way_plan=_way_plan,
        lit=resin,
        archived=sheet.archived,
        unfit=tuple(unfit(profile, printer)),
        heat=_heats(profile, material, printer),
        steps=light_steps(profile.numbers()) if resin else None,
        pace=pace_page(profile, material, PartAsked()) if isinstance(material, Resin) else None,
    )


def _heats(profile: Profile, material: AnyMaterial, printer: AnyPrinter) -> HeatPicture | None:
    if not (isinstance(material, Material) and isinstance(printer, Printer)):
        return None
    return heat_picture(heats(profile, material, printer))


def _way_plan(way: ways.WayStanding, job: ways.Job, profile: int) -> str:
    """Where the next job of a way is planned: a plate, or a trial alone with the plan that the way proposes."""
    if len(job.slugs) > 1:
        size = "quick" if way.way.quick else "usual"
        return url_for("plates.new", profile=profile, piece=list(job.slugs), size=size)
    plan = ways.proposed(workshop(), profile, job.slugs[0], quick=way.way.quick)
    return url_for("trials.new", profile=profile, slug=job.slugs[0], **plan)


@dataclass(frozen=True, slots=True, kw_only=True)
class ValuePage(Page):
    """One value, opened: what has a say in it, what it was before; and what was typed, where that could not be."""

    profile: ProfilePage
    parameter: Parameter
    says: tuple[Source, ...]
    past: tuple[tuple[service.StoryRevision, Change], ...]
    problem: str | None = None
    text: str | None = None


def value_page(number: int, key: str) -> ValuePage:
    """A value of a profile, opened; NotFound where it has none of that name."""
    page = profile_page(number)
    sheet = page.sheet
    if key not in BY_KEY or key not in sheet.profile.values:
        raise NotFound(f"this profile has no {BY_KEY[key].name.lower() if key in BY_KEY else key[:40]!r}")
    return ValuePage(
        profile=page,
        parameter=BY_KEY[key],
        says=effective(key, sheet.profile, sheet.card.material, sheet.card.printer),
        past=tuple((past, change) for past in sheet.history for change in past.changes if change.key == key),
    )
