"""Plots drawn for pages and files from the descriptions that the desk draws live."""

import xml.etree.ElementTree as ElementTree

import numpy as np
import pytest
from matplotlib.colors import to_hex

from tarnwater.brief import colours
from tarnwater.brief.plots import drawn_plot, save_plot
from tarnwater.plots import HANGING, Axis, Bars, Curve, Hanging, Level, Mark, Plot
from tarnwater.study.pictures.hydrographs import flow_plot, governing_plot, hanging_rain, look_of, pinned_plot


@pytest.fixture
def plot():
    x = np.linspace(0.0, 4.0, 9)
    return Plot(
        "Beck · Existing · 1 in 100 · 6 h",
        Axis("time", "h", low=0.0, high=4.0),
        Axis("flow", "m³/s", low=0.0),
        curves=(
            Curve(x, x**2, "water", "one", filled=True),
            Curve(x, 2 * x, "ink", "two", "dashed", legend="other"),
            Curve(x, x, "ink", "three", "dashed", legend="other"),
        ),
        marks=(Mark(4.0, 16.0, "16.00 m³/s at 4 h"),),
        levels=(Level(9.0, "limit 9.000 m³/s"),),
        hanging=Hanging(Bars(x[:-1], 0.5, np.arange(8.0), "rain", "rain"), Axis("rain in 30 min", "mm")),
    )


def test_every_part_is_drawn_in_the_colour_of_its_role(plot):
    axes, above = drawn_plot(plot).axes
    assert [to_hex(line.get_color()) for line in axes.lines[:3]] == [
        colours.WATER.lower(), colours.INK.lower(), colours.INK.lower()
    ]  # fmt: skip
    assert [line.get_linestyle() for line in axes.lines[:3]] == ["-", "--", "--"]
    assert {text.get_text() for text in axes.texts} == {"16.00 m³/s at 4 h", "limit 9.000 m³/s"}
    assert axes.get_xlabel() == "time, h"
    assert axes.get_ylabel() == "flow, m³/s"
    assert [t.get_text() for t in axes.get_legend().get_texts()] == ["one", "other"]
    assert above.get_ylabel() == "rain in 30 min, mm"


def test_what_hangs_reaches_down_its_share_and_never_into_the_curves(plot):
    axes, above = drawn_plot(plot).axes
    low, high = axes.get_ylim()
    depths = [bar.get_height() for bar in above.patches]
    assert max(depths) == 7.0
    assert above.get_ylim() == (7.0 / HANGING, 0.0)
    assert max(line.get_ydata().max() for line in axes.lines[:3]) <= low + (high - low) * (1 - HANGING)


def test_the_cursor_reads_curves_between_points_and_what_hangs_by_bar(plot):
    assert {curve.label: value for curve, value in plot.at(1.25)} == {"one": 1.625, "two": 2.5, "three": 1.25}
    assert [plot.hanging.at(x) for x in (-0.1, 0.0, 0.49, 0.5, 3.99, 4.0)] == [0.0, 0.0, 0.0, 1.0, 7.0, 0.0]
    assert plot.at(9.0) == []


def test_the_data_of_a_plot_hold_its_rain_too(plot):
    heads = plot.as_table()[0]
    assert heads == ["time, h", "one m³/s", "time, h", "two m³/s", "time, h", "three m³/s", "time, h (end)", "rain mm"]
    assert [row[-1] for row in plot.as_table()[1:]] == [*(repr(float(n)) for n in range(8)), ""]


@pytest.mark.parametrize("suffix", [".png", ".svg", ".SVG"])
def test_a_plot_is_saved_as_its_suffix_says(plot, tmp_path, suffix):
    path = tmp_path / f"plot{suffix}"
    save_plot(plot, path)
    if suffix == ".png":
        assert path.read_bytes()[:8] == b"\x89PNG\r\n\x1a\n"
    else:
        assert ElementTree.parse(path).getroot().tag.endswith("svg")


@pytest.mark.parametrize("name", ["plot.jpg", "plot"])
def test_another_suffix_is_refused(plot, tmp_path, name):
    with pytest.raises(ValueError, match=r"\.png, \.svg, \.pdf or \.dxf"):
        save_plot(plot, tmp_path / name)


def test_log_axes_keep_their_named_ticks():
    x = np.geomspace(0.25, 24, 20)
    ticks = ((0.25, "15 min"), (1.0, "1 h"), (24.0, "24 h"))
    plot = Plot(
        "d", Axis("duration", "h", log=True, ticks=ticks), Axis("depth", "mm", log=True), (Curve(x, x**0.4, "water"),)
    )
    (axes,) = drawn_plot(plot).axes
    assert (axes.get_xscale(), axes.get_yscale()) == ("log", "log")
    assert [t.get_text() for t in axes.get_xticklabels()] == ["15 min", "1 h", "24 h"]


def test_the_rain_over_a_hydrograph_is_that_of_its_case(demo_results):
    case = demo_results.answer("existing", "pellowford-outlet", 100.0).result
    plot = flow_plot(demo_results, [case], "pellowford-outlet", rained=True)
    assert plot.hanging.bars.heights.sum() == pytest.approx(case.rain_depth(case.case.point), rel=1e-12)
    assert plot.hanging.axis.title == "rain in 2 min, mm"
    assert hanging_rain(case, "US").bars.heights.sum() * 25.4 == pytest.approx(
        case.rain_depth(case.case.point), rel=1e-12
    )


def test_a_condition_looks_the_same_in_every_plot(demo_results):
    study = demo_results.study
    looks = {key: look_of(study, key) for key in study.conditions}
    assert len({(role, style) for _, role, style in looks.values()}) == len(study.conditions)
    plot = governing_plot(demo_results, "yard-outlet")
    for curve in plot.curves:
        key = next(k for k, (name, _, _) in looks.items() if name == curve.legend)
        assert (curve.role, curve.style) == looks[key][1:]


def test_governing_hydrographs_show_every_answer_with_its_peak_and_limit(demo_results):
    plot = governing_plot(demo_results, "yard-outlet")
    answers = [a for a in demo_results.answers() if a.result.case.point == "yard-outlet"]
    assert len(plot.curves) == len(answers)
    peaks = sorted(a.figures.peak.ordinate for a in answers)
    # below the overflowing spillway of the pond the highest flow lies within a step, and a curve has its ends only
    assert sorted(c.y.max() for c in plot.curves) == pytest.approx(peaks, rel=2.5e-3)
    exact = [a for a in answers if a.result.case.condition != "yard-with-pond"]
    highest = {round(float(c.y.max()), 12) for c in plot.curves}
    assert {round(a.figures.peak.ordinate, 12) for a in exact} <= highest
    assert len(plot.levels) == len({a.limit for a in answers if a.limit is not None})


def test_a_pinned_plot_has_no_words_in_it(demo_results):
    case = demo_results.answer("yard-surfaced", "yard-outlet", 10.0).result
    plot = pinned_plot(demo_results, case, "yard-outlet", ghost=case, limit=0.5)
    assert plot.marks == ()
    assert [level.text for level in plot.levels] == [""]
    assert plot.curves[0].role == "quiet"
