"""One loss fitted to another over storms."""

import numpy as np
import pytest

from tarnwater.errors import EditRefused
from tarnwater.runoff.losses import (
    CurveNumber,
    GreenAmpt,
    InitialConstant,
    InitialProportional,
    NoLoss,
    Proportional,
    StormsOfFit,
    fit_loss,
)

STEP = 900.0


def storms(depths=(20.0, 35.0, 60.0, 90.0), steps=16):
    shape = np.sin(np.linspace(0, np.pi, steps + 2))[1:-1]
    rain = np.array([depth * shape / shape.sum() for depth in depths])

    # the peak of the largest four steps together stands for a hydrograph
    def peak(excess):
        return np.array([np.convolve(row, np.ones(4)).max() for row in excess])

    return StormsOfFit([f"storm {n}" for n in range(len(depths))], rain, STEP, np.full(len(depths), steps * STEP), peak)


@pytest.mark.parametrize(("target", "true"), [
    (InitialConstant(initial=1.0, constant=1.0), InitialConstant(initial=12.0, constant=3.5)),
    (Proportional(coefficient=0.5), Proportional(coefficient=0.37)),
    (InitialProportional(initial=1.0, coefficient=0.5), InitialProportional(initial=9.0, coefficient=0.62)),
    (CurveNumber(curve_number=50), CurveNumber(curve_number=81.5)),
    (GreenAmpt(conductivity=1.0, suction=90.0, porosity=0.4), GreenAmpt(conductivity=2.7, suction=90.0, porosity=0.4)),
])  # fmt: skip
def test_a_loss_fitted_to_its_own_kind_finds_its_parameters(target, true):
    fitted, fit = fit_loss(target, true, storms())
    for name, value in fit.parameters:
        assert value == pytest.approx(getattr(true, name).value, rel=1e-3)
        assert getattr(fitted, name).typed_value == value
    assert abs(fit.worst.misfit) < 1e-3


def test_a_curve_number_is_met_on_the_whole_and_each_misfit_is_kept():
    _, fit = fit_loss(InitialConstant(initial=5.0, constant=1.0), CurveNumber(curve_number=75), storms())
    runoff = np.array([one.runoff for one in fit.storms])
    own = np.array([one.fitted_runoff for one in fit.storms])
    # peaks count as much as runoff, so that the sum is met in part only
    assert own.sum() == pytest.approx(runoff.sum(), rel=0.15)
    # the forms differ, so that no storm is met exactly, and the small ones least
    assert any(abs(one.misfit) > 0.005 for one in fit.storms)
    assert fit.depths == pytest.approx((20.0, 90.0))
    assert fit.durations == (16 * STEP, 16 * STEP)
    assert fit.of == "curve number"


def test_no_other_pair_fits_better():
    set_of, other = storms(), CurveNumber(curve_number=75)
    fitted, fit = fit_loss(InitialConstant(initial=5.0, constant=1.0), other, set_of)
    runoff, peak = set_of.answer(other)

    def misfit(loss):
        own_runoff, own_peak = set_of.answer(loss)
        return (((own_runoff - runoff) / runoff.mean()) ** 2).sum() + (((own_peak - peak) / peak.mean()) ** 2).sum()

    least = misfit(fitted)
    for initial in np.linspace(0, 30, 31):
        for constant in np.linspace(0, 8, 33):
            assert misfit(InitialConstant(initial=initial, constant=constant)) >= least - 1e-9
    assert fit.holds_for(fitted)
    assert not fit.holds_for(fitted.with_values(("constant",), (9.0,)))
    assert not fit.holds_for(other)


def test_a_loss_without_parameters_is_refused():
    with pytest.raises(EditRefused, match="no parameter to be fitted"):
        fit_loss(NoLoss(), CurveNumber(curve_number=75), storms())


def test_storms_without_runoff_are_refused():
    with pytest.raises(EditRefused, match="nothing runs off"):
        fit_loss(Proportional(coefficient=0.5), CurveNumber(curve_number=30), storms(depths=(3.0, 5.0)))
