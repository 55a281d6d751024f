"""Two methods on one storm, drawn over each other."""

from __future__ import annotations

from dataclasses import replace

from tarnwater import units
from tarnwater.plots import Axis, Plot, end_above
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.again import Comparison
from tarnwater.study.pictures.hydrographs import event_end, flow_curve, peak_mark, time_axis
from tarnwater.units import System


def comparison_plot(one: CaseResult, other: CaseResult, key: str, names: tuple[str, str], system: System) -> Plot:
    """Flow of an element with a method and with another, their peaks, and the difference in the title."""
    unit = units.display_unit("flow", [case.peak(key).ordinate for case in (one, other)], system)
    curves = (
        flow_curve(one.flow(key), one.step, unit, "ink", names[0], "dashed"),
        flow_curve(other.flow(key), other.step, unit, "water", names[1], "solid"),
    )
    marks = peak_mark(one, one.peak(key), unit, "ink"), peak_mark(other, other.peak(key), unit, "water")
    title = difference_words(Comparison.of(one, other, key), system)
    # the quiet end of the longer run would squeeze the flood
    axis = replace(time_axis(one), high=end_above(max(event_end(one, key), event_end(other, key))))
    return Plot(title, axis, Axis("flow", unit, low=0.0), curves, marks=marks)


def difference_words(found: Comparison, system: System) -> str:
    """The change of peak, time and volume in words."""
    peaks = units.show_alike(found.peaks, "flow", system)
    change = found.change
    share = "" if change is None else f" ({'+' if change >= 0 else '−'}{units.show(abs(change), 'share', digits=3)})"
    later = found.times[1] - found.times[0]
    when = "at the same time"
    if abs(later) >= 1:
        when = f"{units.show_duration(round(abs(later)))} {'later' if later > 0 else 'earlier'}"
    volumes = units.show_alike(found.volumes, "volume", system)
    return f"peak {peaks[0]} → {peaks[1]}{share}, {when}; volume {volumes[0]} → {volumes[1]}"
