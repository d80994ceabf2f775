"""Whatever is done to profiles, in whatever order: what lists show is what they hold, what was taken back is as it was,
and a trial is adopted where a profile holds what it found.
"""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test

from drumbo.core.errors import DrumboError
from drumbo.core.printer import Printer
from drumbo.core.profile import OriginKind, Profile, sectors
from drumbo.services import adopting, by_hand, copying, history, profiles, reading, shelf, trials, workshop
from drumbo.store.database import Workshop
from drumbo.trials.trial import TrialState
from tests.conftest import LABEL

VALUES = {"nozzle_c": (195, 230), "flow_ratio": (0.9, 1.05), "retraction_mm": (0.4, 2.0), "z_hop_mm": (0.0, 0.6)}
SHARED = "z_hop_mm"
SMALL = {"hot_c": "220", "cold_c": "200", "step_c": "10", "step_mm": "8", "first_c": "215", "aim": "balanced"}


class Histories(RuleBasedStateMachine):
    """Two profiles of one printer, and a trial that was read, of each."""

    empty: Path
    both = Bundle("both")

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        shutil.copy(self.empty, self.folder)
        self.house = Workshop(self.folder)
        self.printer = workshop.save_printer(self.house, asdict(Printer("Petrel One")))
        self.spool = workshop.save_material(self.house, LABEL, spool_seed=3)
        self.numbers: dict[int, list[dict[str, float]]] = {}
        self.trials: dict[int, int] = {}

    def teardown(self) -> None:
        self.house.close()
        shutil.rmtree(self.folder)

    @initialize(target=both)
    def one(self) -> Any:
        return self._profile("one")

    @initialize(target=both)
    def other(self) -> Any:
        return self._profile("other")

    def _profile(self, name: str) -> int:
        number = profiles.create(self.house, self.spool, self.printer, name)
        trial = trials.create(self.house, number, "temperature", SMALL)
        trials.printed_by_hand(self.house, trial)
        for step, score in enumerate((2, 4, 1)):
            for aspect in ("bridge", "overhang", "strings", "surface", "bond"):
                reading.score(self.house, trial, aspect, step, score)
        self.numbers[number] = []
        self.trials[number] = trial
        return number

    def _held(self, number: int) -> Profile:
        return profiles.sheet(self.house, number).profile

    @rule(profile=both, key=st.sampled_from(sorted(VALUES)), share=st.sampled_from([0.0, 0.3, 1.0]))
    def by_hand(self, profile: int, key: str, share: float) -> None:
        low, high = VALUES[key]
        wanted = round(low + share * (high - low), 3)
        by_hand.set_value(self.house, profile, key, str(wanted))
        assert self._held(profile).number(key) == wanted

    @rule(profile=both)
    def undo(self, profile: int) -> None:
        card, past = history.history(self.house, profile)
        if len(past) < 2:
            with pytest.raises(DrumboError):
                by_hand.undo(self.house, profile)
            return
        before = self._numbers(profile, past[1].number)
        by_hand.undo(self.house, profile)
        assert self._held(profile).numbers() == before
        assert profiles.card(self.house, profile).revision == card.revision + 1, "nothing is lost"

    @rule(profile=both, back=st.integers(1, 4))
    def go_back(self, profile: int, back: int) -> None:
        wanted = profiles.card(self.house, profile).revision - back
        if wanted < 1:
            return
        before = self._numbers(profile, wanted)
        history.restore(self.house, profile, wanted)
        assert self._held(profile).numbers() == before

    def _numbers(self, profile: int, revision: int) -> dict[str, float]:
        return self.numbers[profile][revision - 1]

    @rule(profile=both)
    def adopt(self, profile: int) -> None:
        trial = trials.sheet(self.house, self.trials[profile])
        if trial.adopted_revision is not None:
            with pytest.raises(DrumboError, match="already"):
                adopting.adopt(self.house, trial.id)
            return
        adopting.adopt(self.house, trial.id)
        value = self._held(profile).values["nozzle_c"]
        assert (value.origin.kind, value.origin.trial) == (OriginKind.TRIAL, trial.id)

    @rule(profile=both, key=st.sampled_from(sorted(VALUES)))
    def still_good(self, profile: int, key: str) -> None:
        if self._held(profile).values[key].recheck:
            by_hand.still_good(self.house, profile, key, "looked at")
            assert not self._held(profile).values[key].recheck

    @rule(profile=both)
    def for_all(self, profile: int) -> None:
        number = self._held(profile).number(SHARED)
        by_hand.share(self.house, profile, SHARED)
        for each in self.numbers:
            value = self._held(each).values[SHARED]
            assert value.number == number or value.origin.kind != OriginKind.START

    @rule(profile=both, source=both)
    def borrow(self, profile: int, source: int) -> None:
        if profile == source:
            return
        wanted = self._held(source).number("retraction_mm")
        if self._held(profile).number("retraction_mm") != wanted:
            copying.borrow(self.house, profile, {source: ["retraction_mm"]})
            assert self._held(profile).number("retraction_mm") == wanted

    @invariant()
    def lists_show_what_is_held(self) -> None:
        spines = {spine.id: spine for spine in shelf.find(self.house, size=50).spines}
        for number in self.numbers:
            sheet = profiles.sheet(self.house, number)
            shown = {sector.group.key: sector.known for sector in spines[number].sectors}
            assert shown == {sector.group.key: sector.known for sector in sectors(sheet.profile)}
            assert spines[number].revision == sheet.card.revision

    @invariant()
    def every_revision_stays(self) -> None:
        for number, kept in self.numbers.items():
            _, past = history.history(self.house, number)
            assert [each.number for each in past] == list(range(len(past), 0, -1))
            assert len(past) >= len(kept)
            while len(kept) < len(past):
                # At most one revision comes by each thing that is done.
                assert len(kept) + 1 == len(past)
                kept.append(self._held(number).numbers())

    @invariant()
    def what_a_trial_found_is_adopted(self) -> None:
        for number, trial in self.trials.items():
            origin = self._held(number).values["nozzle_c"].origin
            if origin.kind == OriginKind.TRIAL and origin.trial == trial:
                assert trials.sheet(self.house, trial).state == TrialState.ADOPTED


def test_whatever_is_done_in_whatever_order(empty_database: Path) -> None:
    Histories.empty = empty_database
    run_state_machine_as_test(Histories, settings=settings(max_examples=5, stateful_step_count=18, deadline=None))
