"""Tried works: logged with their outcome, told apart, gone back to, adopted."""

from dataclasses import replace

import pytest
from tests.study.test_sizing import condition, yard

from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.pond_events import pond_events
from tarnwater.study.answers.trials import MOST_TRIALS, WorksTrial, difference, outcome_of, trial_from, with_trial
from tarnwater.study.checks import check
from tarnwater.study.checks.mending import mend
from tarnwater.study.edits.works import adopt_works, copy_works, release_works, shape_pond, take_works


def trial_of(study, at="2026-01-01T10:00:00Z"):
    results = compute_cases(study)
    told, keeps = outcome_of(study, pond_events(results, "pond"))
    pond = study.elements["pond"]
    return WorksTrial("pond", condition(study), pond.storage, pond.devices, at, told, keeps)


def with_diameter(study, size):
    return edits.type_values(study, [("pond", "devices/0/diameter", size)])


def test_an_outcome_says_what_is_kept_and_what_is_missed():
    small, large = trial_of(with_diameter(yard(), 0.2)), trial_of(with_diameter(yard(), 0.6))
    assert small.keeps
    assert small.outcome.startswith("keeps all, ")
    assert not large.keeps
    assert large.outcome.startswith("over at 1 in 10 by ")
    full = trial_of(yard(depth=0.3, spillway=False, diameter=0.05))
    assert "overflows at 1 in 2" in full.outcome


def test_without_a_limit_the_highest_level_is_told():
    study = edits.set_limits_by_name(yard(), "Beck", {"10": ""})
    assert trial_of(study).outcome.startswith("highest ")


def test_the_same_works_are_one_trial_and_others_another():
    one, other = trial_of(yard()), trial_of(with_diameter(yard(), 0.2))
    log = with_trial(with_trial([], one), other)
    assert len(log) == 2
    again = with_trial(log, replace(one, outcome="worse now", keeps=False, at="later"))
    assert [t.outcome for t in again] == ["worse now", other.outcome]
    # the time is that of the first
    assert again[0].at == one.at


def test_the_oldest_trials_of_a_pond_are_dropped():
    one = trial_of(yard())
    log = []
    for number in range(MOST_TRIALS + 3):
        device = one.devices[0].model_copy(update={"diameter": 0.1 + 0.001 * number})
        log = with_trial(log, replace(one, devices=(device,)))
    assert len(log) == MOST_TRIALS
    assert log[0].devices[0].diameter == pytest.approx(0.103)


def test_a_trial_is_kept_as_plain_data_and_read_back():
    one = trial_of(yard())
    assert trial_from(one.as_plain()) == one


@pytest.mark.parametrize("damaged", [None, 3, [], {}, {"pond": "pond"}, {"devices": "x"}])
def test_what_is_no_trial_is_left_out(damaged):
    assert trial_from(damaged) is None


def test_damaged_devices_of_a_trial_are_left_out():
    plain = trial_of(yard()).as_plain()
    assert trial_from({**plain, "devices": [{"method": "no-such"}]}) is None


def test_differences_are_told_by_what_was_changed():
    study = yard()
    before, after = trial_of(study), trial_of(with_diameter(study, 0.2))
    assert difference(before, after, "SI") == "opening diameter 0.2000 m"
    assert difference(before, before, "SI") == ""
    fewer = replace(before, devices=before.devices[:1])
    assert difference(before, fewer, "SI") == "without spillway"
    assert difference(fewer, before, "SI") == "with spillway"
    closed = replace(before, devices=(before.devices[0].model_copy(update={"state": "closed"}), before.devices[1]))
    assert difference(before, closed, "SI") == "opening closed"


def test_works_are_gone_back_to_as_one_act():
    first = yard()
    changed = shape_pond(first, "pond", [("devices/0/diameter", 0.2), ("storage/0/length", 50.0)])
    pond = first.elements["pond"]
    back = take_works(changed, "pond", pond.storage, pond.devices, "trial 1")
    assert back.elements["pond"].storage == pond.storage
    assert back.elements["pond"].devices == pond.devices
    assert take_works.label(changed, "pond", pond.storage, pond.devices, "trial 1") == "go back to trial 1 of Pond"


def test_adopted_works_raise_a_doubt_when_they_are_changed_and_the_remedy_goes_back():
    study = adopt_works(yard(), "pond", "as designed", "keeps all", condition=condition(yard()), by="E. Marsh")
    assert not [f for f in check(study) if f.code == "works-not-adopted"]
    changed = with_diameter(study, 0.25)
    (found,) = (f for f in check(changed) if f.code == "works-not-adopted")
    assert "differ from the adopted “as designed”: keeps all" in found.text
    mended = mend(changed, found, found.remedies[0], "go back")
    assert mended.elements["pond"].devices == study.elements["pond"].devices
    released = release_works(changed, "pond", condition=condition(study))
    assert not [f for f in check(released) if f.code == "works-not-adopted"]


def test_works_are_copied_as_high_above_the_floor_as_they_were():
    study = yard()
    source = study.elements["pond"]
    lifted = shape_pond(study, "pond", [("storage/0/bottom", 50.0)])
    copied = copy_works(edits.choose(lifted, "pond", "devices", ()), "pond", source)
    assert [one.invert for one in copied.elements["pond"].devices] == pytest.approx([50.0, 51.7])


def test_a_device_is_moved_and_put_into_a_riser_as_one_act():
    from tarnwater.routing.works import RoundPipe, RoundRiser

    study = edits.add_part(yard(), "pond", "devices", RoundRiser(name="riser", outlet=RoundPipe()))
    moved = shape_pond(study, "pond", [("devices/0/bottom", 0.3)], (0, "riser"))
    device = moved.elements["pond"].devices[0]
    assert (device.bottom, device.inside) == (0.3, "riser")
    label = shape_pond.label(study, "pond", [("devices/0/bottom", 0.3)], (0, "riser"))
    assert label == "move opening of Pond into riser"
    assert shape_pond.label(study, "pond", [("devices/0/bottom", 0.3)]) == "set invert of opening, Pond"


def test_an_inlet_lets_only_so_much_in_and_the_rest_goes_by():
    from tarnwater.study.edits.works import limit_inlet

    study = limit_inlet(yard(), "pond", 0.05)
    results = compute_cases(study)
    for case in results.cases:
        (into,) = [name for name, link in case.network.links.items() if link.down == "pond"]
        by = next(n for n, link in case.network.links.items() if link.up == "inlet-of-pond" and link.down == "beck")
        land = case.flow("yard")
        # the capacity to rounding, and nothing is lost between both ways
        assert case.flow_by(into).max() <= 0.05 * (1 + 1e-12)
        assert case.flow_by(into) + case.flow_by(by) == pytest.approx(land, abs=1e-12)
    assert limit_inlet.label(yard(), "pond", 0.05) == "let only so much into Pond"


def test_an_inlet_in_one_condition_leaves_the_others():
    from tarnwater.study.document.conditions import resolve
    from tarnwater.study.edits.works import limit_inlet

    study = edits.add_condition(yard(), "Buried")
    changed = limit_inlet(study, "pond", 0.05, condition="buried")
    assert "inlet-of-pond" in resolve(changed, "buried").elements
    assert "inlet-of-pond" not in resolve(changed, condition(study)).elements
    assert resolve(changed, "buried").upstream["pond"] == ("inlet-of-pond",)


def test_an_inlet_without_anything_above_is_refused():
    from tarnwater.errors import EditRefused
    from tarnwater.study.edits.works import limit_inlet

    study = edits.add_draining(yard(), yard().elements["pond"].model_copy(update={"name": "Alone"}), "alone")
    with pytest.raises(EditRefused, match="nothing flows into it"):
        limit_inlet(study, "alone", 0.05)
