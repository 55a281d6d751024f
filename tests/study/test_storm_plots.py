"""Curves of depth and duration, and the storms made of them, as plots."""

import numpy as np
import pytest

from tarnwater.study.pictures.rain import depth_plot, storm_plot


@pytest.fixture
def table(demo_study):
    return next(iter(demo_study.tables.values()))


def test_every_entry_lies_on_its_curve_and_the_cursor_reads_it(table):
    plot = depth_plot(table, "SI")
    curves = [c for c in plot.curves if c.tagged]
    assert [c.label for c in curves] == [f"1 in {t:g}" for t in table.return_periods]
    for row, duration in enumerate(table.durations):
        read = {curve.label: value for curve, value in plot.at(duration / 3600) if curve.tagged}
        for column, period in enumerate(table.return_periods):
            assert read[f"1 in {period:g}"] == pytest.approx(table.depths[row][column], rel=1e-12)


def test_intensity_is_depth_over_duration_in_either_system(table):
    depth, rate = depth_plot(table, "US"), depth_plot(table, "US", intensity=True)
    assert (depth.y.unit, rate.y.unit) == ("in", "in/h")
    hours = depth.curves[0].x
    assert np.allclose(depth.curves[0].y / hours, rate.curves[0].y, rtol=1e-12)
    assert depth.curves[0].y[0] * 25.4 == pytest.approx(table.depths[0][0], rel=1e-12)


def test_both_axes_are_logarithmic_with_named_places(table):
    plot = depth_plot(table, "SI")
    assert plot.x.log
    assert plot.y.log
    assert (1.0, "1 h") in plot.x.ticks
    low, high = min(c.y.min() for c in plot.curves), max(c.y.max() for c in plot.curves)
    # ticks may stand a little outside the data, as far as the axis reaches
    assert all(low / 1.2 <= v <= high * 1.2 for v, _ in plot.y.ticks)


def test_dry_time_stands_before_and_after_the_rain(demo_study, table):
    family = next(iter(demo_study.families.values())).model_copy(update={"lead": 900.0, "tail": 3600.0})
    plot = storm_plot(family, table, 100.0, 7200.0, 600.0, "SI")
    (bars,), (line,) = plot.bars, plot.curves
    # in whole steps: 900 s of dry time are two of 600 s
    assert not bars.heights[:2].any()
    assert bars.heights[2] > 0
    assert not bars.heights[-6:].any()
    assert bars.heights.sum() == pytest.approx(float(table.depth(7200.0, 100.0)), rel=1e-12)
    assert plot.x.high == pytest.approx((1200 + 7200 + 3600) / 3600)
    assert line.x[line.y < line.y[-1]][-1] < (1200 + 7200) / 3600 <= line.x[-7] + 1e-9


@pytest.mark.parametrize("duration", [900.0, 3600.0, 86_400.0])
def test_a_storm_rains_its_depth_and_its_line_ends_at_the_greatest_bar(demo_study, table, duration):
    family = next(iter(demo_study.families.values()))
    plot = storm_plot(family, table, 100.0, duration, 120.0, "SI")
    (bars,), (line,) = plot.bars, plot.curves
    assert bars.heights.sum() == pytest.approx(float(table.depth(duration, 100.0)), rel=1e-12)
    assert line.y[-1] == pytest.approx(bars.heights.max(), rel=1e-12)
    assert (np.diff(line.y) >= 0).all()
    assert plot.x.high == duration / 3600
