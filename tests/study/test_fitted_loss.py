"""A loss fitted to another over the storms of a study, its misfits kept, and storms outside doubted."""

import json

import pytest

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.network.elements import Catchment, Outfall, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.runoff.losses import CurveNumber, InitialConstant, fit_loss
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.fitting import storms_of_fit
from tarnwater.study.checks import check_results
from tarnwater.study.document import Study, study_from
from tarnwater.study.edits.fitted_loss import candidates, fitted_by_name, take_fit
from tarnwater.study.edits.history import History

HOUR = 3600.0


@pytest.fixture
def study():
    field = Surface(name="field", loss=CurveNumber(curve_number=78))
    land = Catchment(name="Hask", area=2e6, lag=2400.0, surfaces=(field,))
    made = edits.add_draining(edits.add_element(Study(title="Fit"), Outfall(name="Outlet")), land.refreshed())
    table = DepthTable(durations=(HOUR, 6 * HOUR, 24 * HOUR), return_periods=(2.0, 100.0),
                       depths=((25.0, 60.0), (45.0, 100.0), (60.0, 140.0)), series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(name="Design", table="t", return_periods=(10.0, 100.0), durations=(HOUR, 6 * HOUR),
                         pattern=Huff())  # fmt: skip
    return edits.set_step(edits.set_family(made, "f", family), 300.0)


def fitted(study):
    results = compute_cases(study)
    key, row, target, other = fitted_by_name(study, "Hask", "field", "initial-constant", "existing")
    return results, key, row, *fit_loss(target, other, storms_of_fit(results, key, "existing"))


def test_peaks_and_runoff_of_the_present_loss_are_those_of_the_cases(study):
    results, key, _, _, fit = fitted(study)
    for one, case in zip(fit.storms, results.cases, strict=True):
        assert one.runoff == pytest.approx(case.figures(key).runoff_depth, rel=1e-9)
        assert one.peak == pytest.approx(case.peak(key).ordinate, rel=1e-9)
        assert one.depth == pytest.approx(case.rain_depth(key), rel=1e-12)


def test_it_is_taken_with_its_misfits_written_read_and_undone(study):
    _, key, row, loss, fit = fitted(study)
    history = History(study)
    before = study.as_text()
    after = history.do(take_fit, key, row, loss, fit)
    surface = after.elements[key].surfaces[row]
    assert isinstance(surface.loss, InitialConstant)
    assert surface.holding_fit.storms == fit.storms
    assert study_from(json.loads(after.as_text())).elements[key].surfaces[row].holding_fit == fit
    # the peaks of the study are now the fitted ones
    for one, case in zip(fit.storms, compute_cases(after).cases, strict=True):
        assert one.fitted_peak == pytest.approx(case.peak(key).ordinate, rel=1e-9)
    history.undo()
    assert history.study.as_text() == before


def test_a_storm_outside_of_the_fitted_range_is_doubted(study):
    _, key, row, loss, fit = fitted(study)
    after = take_fit(study, key, row, loss, fit)
    assert not [f for f in check_results(compute_cases(after)) if f.code == "loss-outside-fit"]
    longer = after.families["f"].model_copy(update={"durations": (HOUR, 6 * HOUR, 24 * HOUR)})
    wider = edits.set_family(after, "f", longer)
    (doubt,) = [f for f in check_results(compute_cases(wider)) if f.code == "loss-outside-fit"]
    assert doubt.element == key
    assert "curve number" in doubt.text


def test_a_parameter_typed_over_ends_the_fit(study):
    _, key, row, loss, fit = fitted(study)
    after = edits.type_values(take_fit(study, key, row, loss, fit), [(key, "surfaces/0/loss/constant", 9.0)])
    assert after.elements[key].surfaces[row].holding_fit is None
    after = edits.set_family(after, "f", after.families["f"].model_copy(update={"durations": (24 * HOUR,)}))
    assert not [f for f in check_results(compute_cases(after)) if f.code == "loss-outside-fit"]


def test_in_one_condition_only(study):
    study = edits.add_condition(study, "Built")
    _, key, row, loss, fit = fitted(study)
    after = take_fit(study, key, row, loss, fit, condition="built")
    results = compute_cases(after)
    tags = {r.case.condition: r.network.elements[key].surfaces[0].loss.tag() for r in results.cases}
    assert tags == {"existing": "curve-number", "built": "initial-constant"}


def test_what_cannot_be_fitted_is_refused_with_what_can(study):
    with pytest.raises(EditRefused, match="cannot be fitted"):
        fitted_by_name(study, "Hask", "", "none", "existing")
    with pytest.raises(UnknownName, match="surface"):
        fitted_by_name(study, "Hask", "roof", "proportional", "existing")
    with pytest.raises(EditRefused, match="no catchment"):
        fitted_by_name(study, "Outlet", "", "proportional", "existing")
    # no suction is known without the soil, and no storm tells it
    with pytest.raises(EditRefused, match="suction is missing.*soil texture"):
        fitted_by_name(study, "Hask", "", "green-ampt", "existing")


@pytest.mark.parametrize("tag", ["initial-constant", "proportional", "initial-proportional", "green-ampt", "horton"])
def test_every_loss_that_is_offered_is_fitted_from_nothing(study, tag):
    loam = study.elements["hask"].surfaces[0].model_copy(update={"texture": "Loam"})
    study = edits.choose(study, "hask", "surfaces", (loam,))
    assert tag in {one.loss.tag() for one in candidates(loam) if not one.lacks}
    key, row, target, other = fitted_by_name(study, "Hask", "field", tag, "existing")
    storms = storms_of_fit(compute_cases(study), key, "existing")
    loss, fit = fit_loss(target, other, storms)

    def misfit(loss):
        parts = zip(storms.answer(loss), storms.answer(other), strict=True)
        return sum((((own - known) / known.mean()) ** 2).sum() for own, known in parts)

    least = misfit(loss)
    for name, value in fit.parameters:
        for near in (0.98 * value, 1.02 * value):
            # a change that leaves all results alike differs by the rounding of the sums
            assert misfit(loss.with_values((name,), (near,))) >= least * (1 - 1e-12)
    assert all(low <= dict(fit.parameters)[name] <= high for name, (low, high) in target.fits.items())
    after = take_fit(study, key, row, loss, fit)
    assert after.elements[key].surfaces[row].holding_fit == fit
    assert compute_cases(after).cases[0].figures(key).runoff_depth == pytest.approx(fit.storms[0].fitted_runoff)
