"""First estimates of storage by the modified rational method, and the critical duration."""

import numpy as np
import pytest

from tarnwater.network.elements import Catchment, Outfall, Pond, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Uniform
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.first_storage import first_storage, storage_needed
from tarnwater.routing.ponds import Prism
from tarnwater.routing.works import RoundOrifice
from tarnwater.runoff.losses import CurveNumber, RunoffCoefficient
from tarnwater.runoff.transforms import Rational
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.figures import figures_of
from tarnwater.study.document import DesignPoint, Limit, Study
from tarnwater.study.reckonings import explain

HOUR, MINUTE = 3600.0, 60.0


def trapezoid(peak, duration, concentration, count=200_001):
    """The hydrograph of even rain, finely."""
    slope, held = min(duration, concentration), abs(duration - concentration)
    times = np.linspace(0, held + 2 * slope, count)
    return times, np.interp(times, [0, slope, slope + held, held + 2 * slope], [0, peak, peak, 0])


@pytest.mark.parametrize(("duration", "concentration"), [(3600.0, 1200.0), (1200.0, 1200.0), (600.0, 1200.0)])
def test_with_a_constant_release_it_is_the_area_above_it(duration, concentration):
    times, flow = trapezoid(2.0, duration, concentration)
    expected = np.trapezoid(np.maximum(flow - 0.5, 0), times)
    assert storage_needed(2.0, duration, concentration, 0.5, "constant") == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(("duration", "concentration"), [(3600.0, 1200.0), (1200.0, 1200.0), (600.0, 1200.0)])
def test_with_a_rising_release_it_is_the_area_above_the_line_to_the_falling_limb(duration, concentration):
    times, flow = trapezoid(2.0, duration, concentration)
    falling = times > times[np.argmax(flow)]
    meets = times[falling][np.argmax(flow[falling] <= 0.5)]
    line = 0.5 * times / meets
    before = times <= meets
    expected = np.trapezoid((flow - line)[before], times[before])
    assert storage_needed(2.0, duration, concentration, 0.5, "rising") == pytest.approx(expected, rel=1e-4)
    # the form that is usually printed, for storms not shorter than the time of concentration
    if duration >= concentration:
        assert expected == pytest.approx(2.0 * duration - 0.5 * (duration + concentration) / 2, rel=1e-4)


def test_a_release_above_the_peak_needs_no_storage():
    assert storage_needed(0.4, 3600.0, 600.0, 0.5, "rising") == 0.0


def test_the_critical_duration_of_a_power_law_in_closed_form():
    # i = k D^-0.6 and a release that rises: V = A k D^0.4 - Qa (D + Tc) / 2, so that A k 0.4 D^-0.6 = Qa / 2
    k, area, allowed = 2e-4, 1e5, 0.1
    found = first_storage(lambda d: k * d**-0.6, area, 600.0, allowed, "rising", (600.0, 10 * 86400.0))
    expected = (0.8 * area * k / allowed) ** (1 / 0.6)
    assert found.duration == pytest.approx(expected, rel=1e-4)
    assert found.volume == pytest.approx(area * k * expected**0.4 - allowed * (expected + 600) / 2, rel=1e-9)


def study_of(loss, limit=0.05):
    land = Catchment(name="Yard", area=4e4, concentration=15 * MINUTE, transform=Rational(),
                     surfaces=(Surface(loss=loss),))  # fmt: skip
    pond = Pond(name="Pond", storage=(Prism(depth=4.0, plan_area=1200.0),), devices=(RoundOrifice(diameter=0.15),))
    made = edits.add_element(edits.add_element(Study(title="Yard"), Outfall(name="Outlet")), pond)
    made = edits.connect(edits.add_draining(made, land.refreshed(), into="pond"), "pond", "outlet")
    table = DepthTable(durations=(300.0, HOUR, 24 * HOUR), return_periods=(2.0, 100.0),
                       depths=((8.0, 18.0), (20.0, 45.0), (55.0, 120.0)), series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(name="Even", table="t", return_periods=(10.0, 100.0), durations=(HOUR, 6 * HOUR),
                         pattern=Uniform())  # fmt: skip
    made = edits.set_step(edits.set_family(made, "f", family), MINUTE)
    limits = tuple(Limit(return_period=years, flow=limit) for years in (10.0, 100.0))
    return edits.set_design_points(made, ["outlet"], DesignPoint(limits=limits))


def shown(results, case):
    return {name: value for name, value, _ in figures_of(results, case, "pond") if value is not None}


def test_both_estimates_stand_beside_what_is_stored_and_their_durations_are_tried():
    results = compute_cases(study_of(RunoffCoefficient(coefficient=0.7)))
    answer = results.answer("existing", "outlet", 100.0)
    found = shown(results, answer.result)
    rising, constant = (found[f"first storage, release {release}"] for release in ("rising", "constant"))
    tried = {r.case.storm.duration for r in results.cases if r.case.event == 100.0}
    for release in ("rising", "constant"):
        assert np.ceil(found[f"critical duration, release {release}"]) in tried
    stored = max(shown(results, r)["most stored"] for r in results.cases if r.case.event == 100.0)
    # an orifice lets out less than a constant release at first, and more than nothing
    assert constant < stored < rising * 1.6
    assert answer.bracketed


def test_the_reckoning_of_an_estimate_gives_it():
    study = study_of(RunoffCoefficient(coefficient=0.7))
    results = compute_cases(study)
    case = results.answer("existing", "outlet", 100.0).result
    for release in ("rising", "constant"):
        node = explain(study, case, "pond", f"first storage, release {release}", results=results)
        assert node.evaluate(*(i.value for i in node.inputs)) == pytest.approx(node.value, rel=1e-9)
        length = explain(study, case, "pond", f"critical duration, release {release}", results=results)
        assert length.value == node.inputs[1].value


@pytest.mark.parametrize(("loss", "limit"), [(CurveNumber(curve_number=80), 0.05)])
def test_without_a_share_that_runs_off_there_is_no_estimate(loss, limit):
    results = compute_cases(study_of(loss, limit))
    assert not [name for name in shown(results, results.cases[0]) if "first storage" in name]


def test_without_a_limit_there_is_no_estimate():
    study = edits.set_design_point(study_of(RunoffCoefficient(coefficient=0.7)), "outlet", DesignPoint())
    results = compute_cases(study)
    assert not [name for name in shown(results, results.cases[0]) if "first storage" in name]
