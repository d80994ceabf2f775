"""What an exporter is: a profile as a file of some open format."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from drumbo.core.processes import AnyMaterial, AnyPrinter
from drumbo.core.profile import Profile
from drumbo.exchange.profile_file import Evidence


@dataclass(frozen=True, slots=True)
class Outgoing:
    """One revision of a profile, what it is for, and what its values came from. `pictures` fetches the newest one of
    each trial, by file name.
    """

    profile: Profile
    revision: int
    material: AnyMaterial
    printer: AnyPrinter
    evidence: tuple[Evidence, ...] = ()
    pictures: Callable[[], Mapping[str, bytes]] = field(default=dict)


@dataclass(frozen=True, slots=True)
class Exporter:
    """Under `key` on the command line and in addresses; `name` and `about` stand beside it on the page, in rising
    `place`. A file ends in `ending`, a point before it.
    """

    key: str
    name: str
    about: str
    ending: str
    mime: str
    write: Callable[[Outgoing], bytes]
    place: int = 100
