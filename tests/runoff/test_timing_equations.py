"""Equations of time against their published forms, their ranges, and the least time of concentration."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, EditRefused
from tarnwater.network.elements import Catchment, Surface
from tarnwater.network.elements.flow_path import PathPart
from tarnwater.routing.channels import SurveyedSection, Trapezoid
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import (
    BransbyWilliams,
    Kirpich,
    Measures,
    NrcsLag,
    OwnFormula,
    RegionalLag,
    Segmental,
    SnyderLag,
    kirpich,
)
from tarnwater.runoff.timing.segmental import channel_time, shallow_speeds, shallow_time, sheet_time
from tarnwater.units import FOOT, MILE

HERE = Measures(6000.0, 0.02, 0.09, 72.0, 12e6, 2900.0)


def hours(timing, measures=HERE):
    return timing.derive(measures).seconds / 3600


def catchment(**fields):
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=75)),)
    whole = {
        "area": 2e6, "flow_length": 2000.0, "path_slope": 0.03, "mean_slope": 0.08, "surfaces": surfaces,
    } | fields  # fmt: skip
    return Catchment(name="one", **whole).refreshed()


def test_bransby_williams_equals_the_equation_in_miles():
    # Tc[min] = 21.3 L / (A^0.1 S^0.2), L in miles, A in square miles; both coefficients are rounded to three figures
    minutes = 21.3 * 6000 / MILE / ((12e6 / MILE**2) ** 0.1 * 0.02**0.2)
    assert hours(BransbyWilliams()) * 60 == pytest.approx(minutes, rel=5e-3)


def test_snyder_lag_equals_the_equation_in_miles():
    # tp[h] = Ct (L Lc)^0.3 in miles; 0.75 is 1 / 1.609^0.6 rounded
    expected = 2.0 * (6000 / MILE * 2900 / MILE) ** 0.3
    assert hours(SnyderLag(coefficient=2.0)) == pytest.approx(expected, rel=4e-3)


def test_the_regional_form_without_a_slope_is_that_of_snyder():
    flat = Measures(6000.0, 1.0, None, None, None, 2900.0)
    assert hours(RegionalLag(coefficient=1.5, exponent=0.3), flat) == pytest.approx(hours(SnyderLag(coefficient=2.0)))
    assert hours(RegionalLag(coefficient=0.9, exponent=0.33)) == pytest.approx(0.9 * (6 * 2.9 / 0.02**0.5) ** 0.33)


def test_each_segment_by_hand():
    # 100 ft of dense grass at 1 %, 3.6 in: 0.007 (n L)^0.8 / (P2^0.5 S^0.4) h in feet and inches
    expected = 0.007 * (0.24 * 100) ** 0.8 / (3.6**0.5 * 0.01**0.4)
    assert sheet_time(100 * FOOT, 0.01, 0.24, 3.6 * 25.4) / 3600 == pytest.approx(expected, rel=2e-3)
    # unpaved: 16.1345 sqrt(S) ft/s
    assert shallow_time(1400 * FOOT, 0.01, 4.918) == pytest.approx(1400 / (16.1345 * 0.1), rel=2e-4)
    # 1.49 / n R^(2/3) S^(1/2) ft/s; 1.49 is 1.4859 rounded
    velocity = 1.4859 / 0.05 * (27 / 28.2) ** (2 / 3) * 0.005**0.5
    assert channel_time(7300 * FOOT, 0.005, 0.05, 27 / 28.2 * FOOT) == pytest.approx(7300 / velocity, rel=1e-3)


def worksheet(**fields):
    known = {
        "sheet_length": 30.0, "sheet_slope": 0.01, "sheet_roughness": 0.24, "two_year_rain": 91.4,
        "shallow_length": 400.0, "shallow_slope": 0.01, "shallow_speed": 4.918, "channel_length": 2200.0,
        "channel_slope": 0.005, "channel_roughness": 0.05, "channel_radius": 0.29,
    }  # fmt: skip
    return Segmental(**(known | fields))


def test_a_part_of_no_length_takes_no_time_and_needs_nothing():
    whole, none = worksheet(), Measures(None, None, None, None)
    without = Segmental(
        sheet_length=0.0, channel_length=0.0, shallow_length=400.0, shallow_slope=0.01, shallow_speed=4.918
    )
    assert without.lacking() == []
    assert without.derive(none).seconds == pytest.approx(shallow_time(400.0, 0.01, 4.918))
    assert whole.derive(none).seconds > without.derive(none).seconds
    bare = Segmental(sheet_length=30.0, shallow_length=0.0)
    assert bare.lacking() == ["sheet_slope", "sheet_roughness", "two_year_rain", "channel_length"]
    assert bare.derive(none) is None


def in_channel(section, **fields):
    known = {"sheet_length": 0.0, "shallow_length": 0.0, "channel_length": 1600.0, "channel_slope": 0.03}
    return catchment(channel=(section,), timing=Segmental(**(known | fields)))


def test_flow_in_the_channel_has_the_speed_of_its_full_section():
    section = Trapezoid(bottom_width=2.0, side_slope=1.5, bank_height=1.2, roughness=0.04)
    land = in_channel(section)
    area, wetted = (2.0 + 1.5 * 1.2) * 1.2, 2.0 + 2 * 1.2 * 3.25**0.5
    assert land.timing.channel_radius.value == pytest.approx(area / wetted, rel=1e-14)
    assert land.timing.channel_roughness.value == pytest.approx(0.04, rel=1e-14)
    speed = float(section.normal_flow(np.array(1.2), 0.03)) / area
    assert land.concentration.value == pytest.approx(1600.0 / speed, rel=1e-13)
    # what is typed stays
    typed = in_channel(section, channel_radius=0.3, channel_roughness=0.05)
    assert typed.concentration.value == pytest.approx(channel_time(1600.0, 0.03, 0.05, 0.3), rel=1e-14)


def test_a_channel_with_two_roughnesses_has_the_speed_of_its_parts_together():
    section = SurveyedSection(
        stations=(0, 8, 10, 14, 16, 24),
        heights=(2.0, 1.2, 0, 0, 1.2, 2.0),
        roughness=(0.08, 0.035, 0.035, 0.035, 0.08, 0.08),
    )
    land = in_channel(section)
    full = np.array(section.depth)
    speed = float(section.normal_flow(full, 0.03) / section.area(full))
    assert land.concentration.value == pytest.approx(1600.0 / speed, rel=1e-13)


def test_a_channel_has_one_section():
    assert in_channel(Trapezoid()).parts_to_add == {}
    assert list(catchment(timing=Segmental()).parts_to_add) == ["channel"]
    assert catchment().parts_to_add == {}
    with pytest.raises(EditRefused, match="has a section"):
        catchment(channel=(Trapezoid(), Trapezoid()))


def test_lengths_and_slopes_follow_from_the_parts_of_the_flow_path():
    parts = tuple(
        PathPart(kind=kind, length=length, slope=slope)
        for kind, length, slope in (("sheet", 25.0, 0.05), ("shallow", 375.0, 0.04), ("channel", 1600.0, 0.02))
    )
    land = catchment(
        path_parts=parts,
        timing=Segmental(
            sheet_roughness=0.15, two_year_rain=45.0, shallow_surface="Short-grass pasture", channel_roughness=0.04,
            channel_radius=0.3, channel_slope=0.03,
        ),
    )  # fmt: skip
    assert land.timing.shallow_speed.value == shallow_speeds()["Short-grass pasture"]
    assert (land.timing.sheet_length.value, land.timing.channel_slope.value) == (25.0, 0.03)
    expected = (
        sheet_time(25.0, 0.05, 0.15, 45.0) + shallow_time(375.0, 0.04, 2.122) + channel_time(1600, 0.03, 0.04, 0.3)
    )
    assert land.concentration.value == pytest.approx(expected)
    assert land.lag.value == pytest.approx(0.6 * expected)


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"sheet_slope": 0.2, "sheet_length": 40.0}, "sheet flow over 40.00 m is longer than 30.48 m, the greatest"),
        ({"sheet_length": 29.0}, "sheet flow over 29.00 m is longer than 12.70 m, 30.48 √S / n"),
    ],
)
def test_sheet_flow_that_is_too_long_is_a_doubt(fields, words):
    (doubt,) = worksheet(**fields).doubts(HERE)
    assert words in doubt.told("SI")
    assert "ft" in doubt.told("US")


def test_sheet_flow_within_its_limits_is_none():
    assert worksheet(sheet_length=12.0).doubts(HERE) == []


def test_a_measure_outside_the_range_of_an_equation_is_told_in_the_units_of_the_study():
    (doubt,) = NrcsLag().doubts(HERE)
    assert "the area of 12.00 km² is above 8.100 km²" in doubt.told("SI")
    assert "mi²" in doubt.told("US")
    assert NrcsLag().doubts(Measures(2000.0, 0.02, 0.09, 72.0, 2e6)) == []
    (doubt,) = Kirpich().doubts(Measures(300.0, 0.01, None, None, 2e5))
    assert "slope of 1.000 % is below 3.000 %" in doubt.told("SI")


def test_a_missing_measure_gives_no_time():
    for timing in (BransbyWilliams(), SnyderLag(coefficient=2.0), RegionalLag(coefficient=1.0), SnyderLag()):
        assert timing.derive(Measures(1000.0, 0.02, None, None)) is None


def test_an_own_formula_gives_a_time_or_a_lag_in_its_unit():
    own = OwnFormula(formula="0.0195 * (1000*L)^0.77 / S^0.385", unit="min", reference="county manual")
    assert own.derive(HERE).seconds == pytest.approx(kirpich(6000.0, 0.02))
    assert own.derive(HERE).leads == "concentration"
    lag = OwnFormula(formula="0.2 * sqrt(A) * (100 - CN) / 20", gives="lag")
    assert hours(lag) == pytest.approx(0.2 * 12**0.5 * 28 / 20)
    assert catchment(timing=lag).lag_leads
    assert own.derive(Measures(None, 0.02, None, None)) is None
    with pytest.raises(BadInput, match="has no “Z”"):
        OwnFormula(formula="Z + 1")


@pytest.mark.parametrize(
    ("formula", "words"), [("1 / (CN - 72)", "divides by zero for CN = 72"), ("L - 7", "gives a time of -1 h")]
)
def test_a_formula_without_a_time_leaves_the_time_open_and_says_why(formula, words):
    own = OwnFormula(formula=formula)
    assert own.derive(HERE) is None
    (doubt,) = own.doubts(HERE)
    assert (doubt.code, doubt.field) == ("formula-fails", "formula")
    assert words in doubt.text


def test_the_least_time_of_concentration_acts_before_the_lag_and_not_on_a_typed_lag():
    quick = catchment(timing=Kirpich(), flow_length=60.0)
    assert quick.concentration.value < 600.0
    held = catchment(timing=Kirpich(), flow_length=60.0, least_concentration=600.0)
    assert held.concentration.value == quick.concentration.value
    assert held.lag.value == pytest.approx(360.0)
    assert held.least_governs
    typed = catchment(concentration=240.0, least_concentration=600.0)
    assert (typed.concentration.value, typed.lag.value) == (240.0, pytest.approx(360.0))
    by_lag = catchment(lag=100.0, least_concentration=600.0)
    assert (by_lag.lag.value, by_lag.least_governs) == (100.0, False)
    long = catchment(timing=NrcsLag(), least_concentration=600.0)
    assert not long.least_governs
    assert long.lag.value == catchment(timing=NrcsLag()).lag.value
