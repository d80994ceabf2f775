"""The way from here to a proven profile: what is left on it, and what shares a job."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.catalogue import BY_KEY, FILAMENT, groups_of, in_group
from drumbo.core.prior import Before, before
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.trials import way
from drumbo.trials.base import Context
from drumbo.trials.plate import waits_for
from tests.conftest import plain_context

MAIN = [
    p.key
    for group in groups_of(FILAMENT)
    if group.key not in way.OWN
    for p in in_group(group.key)
    if p.main and p.key in plain_context().profile.values
]


def _history(context: Context, *, without: str = "") -> dict[str, Before]:
    """Three spools before, all about as the profile has it, of every value but one."""
    found = {}
    for key, value in context.profile.values.items():
        if key != without:
            told = before([value.number - 0.01, value.number, value.number + 0.01], 0.01)
            assert told is not None
            found[key] = told
    return found


def _found(context: Context, key: str, number: float, error: float) -> Context:
    value = Value(number, Origin(OriginKind.TRIAL, "", 1), error)
    return replace(context, profile=changed(context.profile, {key: value}))


def test_a_familiar_spool_takes_what_trials_of_its_own_do_not_find(context: Context) -> None:
    known = replace(context, before=_history(context))
    taken = way.carried(known)
    assert set(MAIN) <= set(taken)
    assert all(BY_KEY[key].group not in way.OWN for key in taken)
    assert not any(BY_KEY[key].found for key in taken), "what only a trial can know is not carried over"
    assert way.is_open(way.FAMILIAR, known)
    assert all(taken[key] is known.before[key] for key in taken)


@pytest.mark.parametrize("key", MAIN)
def test_one_main_value_that_nobody_knows_makes_a_spool_unfamiliar(context: Context, key: str) -> None:
    known = replace(context, before=_history(context, without=key))
    assert way.carried(known) == {}
    assert not way.is_open(way.FAMILIAR, known)
    assert way.is_open(way.QUICK, known)


def test_a_familiar_spool_is_looked_at_in_all_once_it_turns_out_to_be_another(context: Context) -> None:
    like = replace(context, before=_history(context))
    own = {kind.group for kind in way.wanted(way.FAMILIAR, like)}
    assert own <= way.OWN
    heat = like.profile.number("nozzle_c")
    assert not way.is_unlike(_found(like, "nozzle_c", heat, 2.0))
    far = _found(like, "nozzle_c", heat + 30, 2.0)
    assert way.is_unlike(far)
    assert way.is_unlike(like, {"nozzle_c": (heat + 30, 2.0)}), "also before it is adopted"
    assert {kind.group for kind in way.wanted(way.FAMILIAR, far)} > own - {"heat"}


def test_a_value_by_hand_says_nothing_of_the_spool(context: Context) -> None:
    like = replace(context, before=_history(context))
    hand = Value(like.profile.number("nozzle_c") + 30, Origin(OriginKind.HAND))
    assert not way.is_unlike(replace(like, profile=changed(like.profile, {"nozzle_c": hand})))


def test_only_what_wants_a_recheck_is_on_the_way_of_what_has_changed(context: Context) -> None:
    assert way.wanted(way.CHANGED, context) == ()
    flow = _found(context, "flow_ratio", 0.97, 0.004)
    hotter = replace(
        flow, profile=changed(flow.profile, {"nozzle_c": Value(230.0, Origin(OriginKind.HAND))})
    )  # fmt: skip
    assert hotter.profile.values["flow_ratio"].recheck
    assert [kind.group for kind in way.wanted(way.CHANGED, hotter)] == ["flow"]
    quick = {kind.group for kind in way.wanted(way.QUICK, flow)}
    assert "flow" not in quick, "what is measured is not printed again on the quick way"
    assert len(quick) == len(way.wanted(way.QUICK, flow)), "one trial a group"


@pytest.mark.parametrize("history", [False, True])
def test_nothing_in_a_job_waits_for_an_answer_of_a_trial_that_is_still_left(context: Context, history: bool) -> None:
    context = replace(context, before=_history(context)) if history else context
    left = list(way.wanted(way.QUICK, context))
    jobs = way.Jobs(context, quick=True).of(left)
    assert sorted(kind.slug for job in jobs for kind in job) == sorted(kind.slug for kind in left)
    assert jobs[0][0].group == "heat"
    for at, job in enumerate(jobs):
        later = [kind for after in jobs[at:] for kind in after]
        for kind in job:
            keys = {waits_for(other, kind) for other in later if other is not kind} - {None}
            assert way.HEAT not in keys
            assert not keys or len(job) == 1 or (history and keys <= set(context.before))
    assert len(jobs) < len(left), "some share a job"


def test_an_answer_that_earlier_spools_all_but_gave_is_not_waited_for(context: Context) -> None:
    known = replace(context, before=_history(context))
    left = way.wanted(way.FAMILIAR, known)
    assert len(way.Jobs(known, quick=True).of(left)) < len(way.Jobs(context, quick=True).of(left))


def test_a_bed_with_no_room_for_two_has_a_job_for_each(context: Context) -> None:
    small = plain_context("pla", bed_x_mm=90.0, bed_y_mm=90.0)
    left = [kind for kind in way.wanted(way.QUICK, small) if kind.hindered(small) is None]
    assert all(len(job) == 1 for job in way.Jobs(small, quick=True).of(left))
