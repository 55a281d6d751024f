"""One dimension of a pond found for limits, a level or a drain time, in one condition and for all."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, Cancelled
from tarnwater.network.elements import Catchment, Outfall, Pond, Surface
from tarnwater.progress import Progress
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.ponds.forms import Frustum
from tarnwater.routing.works import BroadWeir, RoundOrifice
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.sizing import EmptyWithin, KeepLimits, Sizing, StayBelow, search
from tarnwater.study.document import DesignPoint, Limit, Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.in_conditions import lead_through_in

HOUR = 3600.0
OPENING = "devices/0/diameter"


def pond_of(depth=2.0, diameter=0.3, spillway=True):
    """A pit with an opening at its floor, and a spillway below its top."""
    crest = (BroadWeir(name="spillway", crest=depth - 0.3),) if spillway else ()
    pit = Frustum(length=40.0, width=30.0, depth=depth)
    return Pond(name="Pond", storage=(pit,), devices=(RoundOrifice(name="opening", diameter=diameter), *crest))


def bare(limit=0.1):
    """A yard above an outfall that allows a flow at 1 in 10."""
    surfaces = (Surface(name="all", loss=CurveNumber(curve_number=88)),)
    land = Catchment(name="Yard", area=8e4, lag=900.0, surfaces=surfaces).refreshed()
    study = edits.add_draining(edits.add_element(Study(title="Sizing"), Outfall(name="Beck")), land)
    table = DepthTable(durations=(HOUR, 6 * HOUR, 24 * HOUR), return_periods=(2.0, 100.0),
                       depths=((18.0, 45.0), (32.0, 80.0), (45.0, 110.0)), series="annual maxima")  # fmt: skip
    family = StormFamily(name="Design", table="t", return_periods=(2.0, 10.0), durations=(HOUR, 6 * HOUR, 24 * HOUR),
                         pattern=Huff())  # fmt: skip
    study = edits.set_family(edits.set_table(study, "t", table), "f", family)
    study = edits.set_design_point(study, "beck", DesignPoint(limits=(Limit(return_period=10.0, flow=limit),)))
    return edits.set_step(study, 300.0)


def yard(limit=0.1, **of_pond):
    """The yard with a pond in all conditions."""
    return edits.lead_through(bare(limit), "yard", pond_of(**of_pond))


@pytest.fixture(scope="module")
def study():
    return yard()


def condition(study):
    return next(iter(study.conditions))


def sizing(study, field=OPENING, where=None):
    return Sizing(study, "pond", field, "beck", where or condition(study))


def worst(study, where=None):
    results = compute_cases(study, conditions=[study.conditions[where or condition(study)].name])
    return max(c.peak("beck").ordinate for c in results.cases if c.case.event == 10.0)


def test_an_opening_is_found_that_just_keeps_the_limit(study):
    one = sizing(study)
    found = one.solve(KeepLimits(), 0.05, 1.0)
    # the study with that size, computed anew, keeps the limit, and a hair more does not
    kept, more = one.with_size(found.size), one.with_size(found.size * 1.001)
    assert worst(kept) <= 0.1 < worst(more)
    assert worst(kept) == pytest.approx(0.1, rel=1e-3)
    assert found.excess == pytest.approx(worst(kept) / 0.1 - 1, abs=1e-12)
    assert not found.at_bound


def test_of_two_sizes_that_just_keep_it_the_one_with_less_storage_is_taken(study):
    # smaller openings fill the pond to its spillway, which breaks the limit too
    one = sizing(yard(depth=1.5, limit=0.06))
    found = one.solve(KeepLimits(), 0.05, 1.0)
    kept = [size for size, over in found.tried if over <= 0]
    broken = [size for size, over in found.tried if over > 0]
    assert min(broken) < min(kept) < max(kept) == found.size < max(broken)


def test_a_crest_is_found_from_below_because_a_higher_one_lets_less_through(study):
    one = sizing(yard(diameter=0.15), "devices/1/crest")
    found = one.solve(KeepLimits(), 0.3, 1.9)
    assert worst(one.with_size(found.size)) <= 0.1 < worst(one.with_size(found.size - 0.005))


def test_a_size_for_a_level_and_for_a_drain_time(study):
    one = sizing(study)
    found = one.solve(StayBelow(1.0), 0.05, 1.5)
    results = compute_cases(one.with_size(found.size))
    assert max(c.pool("pond").top for c in results.cases) == pytest.approx(1.0, abs=1e-3)
    empty = one.solve(EmptyWithin(12 * HOUR), 0.05, 1.0)
    pond = one.with_size(empty.size).elements["pond"]
    rating = pond.rating()
    low = np.interp(0.01 * rating.storages[-1], rating.storages, rating.levels)
    assert rating.drawdown(2.0, float(low)) == pytest.approx(12 * HOUR, rel=1e-3)


def test_a_goal_that_cannot_be_reached_says_which_bound_stops_it_and_what_would_free_it(study):
    with pytest.raises(BadInput, match="no size from 0.5 m to 1 m keeps it: with 0.5 m.*above its limit") as found:
        sizing(study).solve(KeepLimits(), 0.5, 1.0)
    assert "The least size stops it: allow a smaller one." in str(found.value)
    with pytest.raises(BadInput, match="The greatest size stops it: allow a greater one"):
        sizing(study).solve(StayBelow(0.5), 0.05, 0.2)
    for depth, words in ((0.3, "The pond overflows: give it more"), (0.8, "With other sizes the pond overflows: give")):
        with pytest.raises(BadInput, match=words):
            sizing(yard(depth=depth, limit=0.01, spillway=False)).solve(KeepLimits(), 0.01, 1.0)
    with pytest.raises(BadInput) as found:
        sizing(study).solve(KeepLimits(), 0.5, 1.0)
    found.value.in_units("US")
    assert "from 1.64 ft to 3.281 ft keeps it" in str(found.value)


def test_where_every_size_keeps_it_the_bound_of_least_cost_is_taken(study):
    found = sizing(study).solve(StayBelow(5.0), 0.2, 0.4)
    assert found.at_bound
    assert found.size == 0.2


def test_a_size_is_typed_for_all_conditions_or_for_the_one_that_has_its_own(study):
    two = edits.add_condition(study, "Built")
    one = sizing(two, where="built")
    size = one.solve(KeepLimits(), 0.05, 1.0).size
    assert one.with_size(size).elements["pond"].devices[0].diameter == size
    two = edits.type_values(two, [("pond", OPENING, 0.9)], condition="built")
    one = sizing(two, where="built")
    after = one.with_size(one.solve(KeepLimits(), 0.05, 1.0).size)
    assert after.elements["pond"].devices[0].diameter == 0.3
    assert resolve(after, "built").elements["pond"].devices[0].diameter == pytest.approx(size, rel=1e-4)
    # so it is where the condition has all devices for itself
    devices = study.elements["pond"].devices
    whole = edits.choose(edits.add_condition(study, "Built"), "pond", "devices", devices, condition="built")
    assert sizing(whole, where="built").home == "built"


def test_a_limit_that_is_the_peak_of_another_condition_is_kept():
    two = edits.add_condition(edits.type_values(bare(), [("yard", "surfaces/0/loss/curve_number", 70.0)]), "Built")
    two = edits.type_values(two, [("yard", "surfaces/0/loss/curve_number", 90.0)], condition="built")
    two, first = lead_through_in(two, "built", "yard", pond_of()), condition(two)
    limits = (Limit(return_period=10.0, of_condition=first),)
    two = edits.set_design_point(two, "beck", DesignPoint(limits=limits))
    one = sizing(two, where="built")
    found = one.solve(KeepLimits(), 0.05, 1.0)
    after = one.with_size(found.size)
    assert worst(after, "built") <= worst(after, first) == worst(two, first)
    assert worst(after, "built") == pytest.approx(worst(after, first), rel=1e-3)


def test_without_a_limit_or_a_storm_it_says_so(study):
    bare = edits.set_design_point(study, "beck", DesignPoint())
    with pytest.raises(BadInput, match="no limit for a storm"):
        sizing(bare).solve(KeepLimits(), 0.05, 1.0)


def test_bounds_that_are_no_range_are_refused():
    with pytest.raises(BadInput, match="not below the greatest"):
        search(lambda size: size, 1.0, 1.0, abs)


def test_a_search_is_cancelled_and_the_study_is_as_before(study):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        sizing(study).solve(KeepLimits(), 0.05, 1.0, progress)
    assert study.elements["pond"].devices[0].diameter == 0.3


@pytest.mark.parametrize("root", [0.11, 0.5, 0.93])
def test_the_search_closes_in_on_a_boundary_from_either_side(root):
    rising = search(lambda size: size - root, 0.1, 1.0, lambda size: -size)
    falling = search(lambda size: root - size, 0.1, 1.0, lambda size: size)
    assert rising.size == pytest.approx(root, rel=2e-5)
    assert falling.size == pytest.approx(root, rel=2e-5)
    assert rising.size <= root <= falling.size
