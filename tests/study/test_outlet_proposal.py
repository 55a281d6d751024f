"""A whole outlet for all return periods: openings that are made, and a spillway, on a given or the least plan."""

import pytest
from tests.study.test_sizing import bare, condition, pond_of

from tarnwater.errors import BadInput, Cancelled
from tarnwater.progress import Progress
from tarnwater.routing.works import RoundPipe, RoundRiser
from tarnwater.routing.works.made import MADE_OPENINGS
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.outlet_proposal import Proposing, Wish, take_proposal
from tarnwater.study.document import DesignPoint, Limit
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.history import History

LIMITS = {2.0: 0.03, 10.0: 0.08}


def yard(limits=LIMITS, **of_pond):
    """The yard with a pond, storms up to 1 in 100, and limits at two of its return periods."""
    study = edits.lead_through(bare(), "yard", pond_of(**of_pond))
    family = study.families["f"].model_copy(update={"return_periods": (2.0, 10.0, 100.0)})
    study = edits.set_family(study, "f", family)
    kept = tuple(Limit(return_period=t, flow=flow) for t, flow in limits.items())
    return edits.type_values(
        edits.set_design_point(study, "beck", DesignPoint(limits=kept)), [("pond", "freeboard", 0.3)]
    )


def proposing(study, **wish):
    return Proposing(study, "pond", "beck", condition(study), Wish(**wish))


def peaks(study, event):
    cases = compute_cases(study, return_periods=[event]).cases
    return max(c.peak("beck").ordinate for c in cases), max(c.pool("pond").top for c in cases)


@pytest.fixture(scope="module")
def study():
    return yard()


def test_it_keeps_every_limit_with_the_greatest_openings_that_are_made(study):
    found = proposing(study).propose()
    history = History(study)
    label, after = history.made(take_proposal, "pond", found)
    assert label == "take the proposed outlet of Pond"
    openings = [one for one in found.devices if one.tag() == "round-orifice"]
    assert all(one.diameter in MADE_OPENINGS for one in openings)
    for event, limit in LIMITS.items():
        assert peaks(after, event)[0] <= limit
    # the next size of the first opening breaks the first limit
    greater = MADE_OPENINGS[MADE_OPENINGS.index(openings[0].diameter) + 1]
    wider = edits.type_values(after, [("pond", "devices/0/diameter", greater)])
    assert peaks(wider, 2.0)[0] > LIMITS[2.0]
    for one in found.kept:
        assert (one.peak, one.level) == peaks(after, one.event)
        assert one.limit == LIMITS.get(one.event)


def test_a_rarer_limit_may_ask_for_a_smaller_first_opening():
    # the opening that uses the first limit would let 30 L/s and more through when the water stands higher
    study = yard({2.0: 0.03, 10.0: 0.034})
    found = proposing(study).propose()
    after = take_proposal(study, "pond", found)
    assert peaks(after, 2.0)[0] <= 0.03
    assert peaks(after, 10.0)[0] <= 0.034
    alone = next(one for one in proposing(yard({2.0: 0.03})).propose().devices if one.tag() == "round-orifice")
    assert found.devices[0].diameter < alone.diameter


def test_the_spillway_is_dry_while_limits_are_kept_and_leaves_the_freeboard_in_rarer_storms(study):
    found = proposing(study).propose()
    spillway = next(one for one in found.devices if one.name == "spillway")
    by_event = {one.event: one for one in found.kept}
    assert by_event[10.0].level <= spillway.crest
    assert by_event[100.0].level <= 2.0 - 0.3
    assert by_event[100.0].level > spillway.crest


def test_openings_inside_a_riser_discharge_by_its_pipe(study):
    riser = RoundRiser(name="riser", crest=0.2, diameter=1.0, outlet=RoundPipe(outlet=-0.3, diameter=0.4))
    study = edits.choose(study, "pond", "devices", (riser,))
    found = proposing(study, riser="riser").propose()
    tower, *others = found.devices
    assert tower.name == "riser"
    spillway = next(one for one in others if one.name == "spillway")
    assert tower.crest == spillway.crest
    assert all(one.inside == "riser" for one in others if one is not spillway)
    for event, limit in LIMITS.items():
        assert peaks(take_proposal(study, "pond", found), event)[0] <= limit
    with pytest.raises(BadInput, match="no riser “tower”"):
        proposing(study, riser="tower")


def test_a_share_of_the_limits_leaves_room(study):
    found = proposing(study, share=0.7).propose()
    for event, limit in LIMITS.items():
        assert peaks(take_proposal(study, "pond", found), event)[0] <= 0.7 * limit


def test_the_least_plan_that_keeps_them_is_found_and_taken(study):
    found = proposing(study, least_storage=True).propose()
    assert found.plan < 1
    after = take_proposal(study, "pond", found)
    for event, limit in LIMITS.items():
        assert peaks(after, event)[0] <= limit
    assert peaks(after, 100.0)[1] <= 1.7
    assert after.elements["pond"].storage[0].length == pytest.approx(40 * found.plan**0.5)
    # a plan three per cent less does not do
    smaller = edits.choose(
        study, "pond", "storage", tuple(p.with_plan(0.97 * found.plan) for p in study.elements["pond"].storage)
    )
    with pytest.raises(BadInput):
        proposing(smaller).propose()


def test_what_stops_it_and_what_would_free_it_is_told(study):
    tight = yard({2.0: 0.0001})
    with pytest.raises(BadInput, match="no opening that is made keeps 0.1 L/s.*Allow a smaller opening"):
        proposing(tight).propose()
    with pytest.raises(BadInput, match="Give it more storage"):
        proposing(yard({2.0: 0.002}, depth=0.4)).propose()
    with pytest.raises(BadInput, match="no limit for a storm"):
        proposing(edits.set_design_point(study, "beck", DesignPoint())).propose()
    empty = edits.choose(study, "pond", "storage", ())
    with pytest.raises(BadInput, match="no pond with storage"):
        proposing(empty)


def test_a_condition_with_devices_of_its_own_gets_the_outlet_and_no_other(study):
    two = edits.add_condition(study, "Built")
    two = edits.choose(two, "pond", "devices", study.elements["pond"].devices[:1], condition="built")
    one = Proposing(two, "pond", "beck", "built", Wish())
    found = one.propose()
    after = take_proposal(two, "pond", found, condition=one.home)
    assert after.elements["pond"].devices == study.elements["pond"].devices
    assert resolve(after, "built").elements["pond"].devices == found.devices


def test_it_is_cancelled_and_the_study_is_as_before(study):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        proposing(study).propose(progress)
    assert study.elements["pond"].devices[0].diameter == 0.3


def test_without_freeboard_the_rarer_storm_still_does_not_overflow():
    study = edits.type_values(yard(), [("pond", "freeboard", 0.0)])
    found = Proposing(study, "pond", "beck", next(iter(study.conditions)), Wish(least_storage=True)).propose()
    after = take_proposal(study, "pond", found)
    results = compute_cases(after)
    assert max(case.pool("pond").spilled for case in results.cases if case.standing == "counted") == 0.0


def test_a_sized_pond_rerouted_at_a_quarter_of_the_step_keeps_its_limits(study):
    after = take_proposal(study, "pond", proposing(study, share=0.98).propose())
    fine = edits.set_step(after, 60.0)
    coarse = max(abs(peaks(fine, event)[0] / peaks(after, event)[0] - 1) for event in LIMITS)
    # the step acts on the land's flow too; both agree to a few parts in a thousand, and two per cent are kept in hand
    assert coarse < 5e-3
    for event, limit in LIMITS.items():
        assert peaks(fine, event)[0] <= limit


def test_openings_fit_into_their_riser():
    def slim(diameter):
        shaft = RoundRiser(name="riser", crest=1.6, diameter=diameter, outlet=RoundPipe(diameter=0.3, length=20.0))
        return proposing(edits.choose(yard(), "pond", "devices", (shaft,)), riser="riser")

    wide = [one.diameter for one in slim(1.2).propose().devices if one.tag() == "round-orifice"]
    assert max(wide) > 0.1
    narrow = [one.diameter for one in slim(0.1).propose().devices if one.tag() == "round-orifice"]
    assert max(narrow) <= 0.1
    with pytest.raises(BadInput, match="no further opening that is made finds room in “riser”"):
        slim(0.04).propose()
