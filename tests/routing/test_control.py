"""The flow of each device of a pond one by one, and which of them governs."""

import numpy as np
import pytest

from tarnwater.routing.works import BroadWeir, Outlets, RectangularOrifice, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.routing.works.control import crest_name, device_flows

LOW = RoundOrifice(name="low", inside="riser", bottom=0.0, diameter=0.2)
HIGH = RectangularOrifice(name="high", inside="riser", bottom=1.0, width=0.6, height=0.3)
SPILLWAY = BroadWeir(name="spillway", crest=2.2, length=6.0)


def riser(pipe=0.6):
    outlet = RoundPipe(name="pipe", bottom=-0.2, outlet=-0.4, diameter=pipe, length=15.0)
    return RoundRiser(name="riser", crest=1.8, diameter=1.2, outlet=outlet)


def flows(outlets, levels):
    levels = np.asarray(levels, float)
    return device_flows(Outlets(outlets), levels, np.full_like(levels, -5.0))


def test_what_enters_a_riser_is_what_leaves_it_at_every_level():
    levels = np.linspace(0.0, 3.0, 61)
    found = flows((riser(), LOW, HIGH, SPILLWAY), levels)
    entering = found.by_device[crest_name(riser())] + found.by_device["low"] + found.by_device["high"]
    # the search for the level inside closes in on flows to rounding of the whole
    assert entering == pytest.approx(found.by_device["riser"], abs=2e-8)
    assert found.total == pytest.approx(found.by_device["riser"] + found.by_device["spillway"], rel=1e-12)
    assert found.sums == {"riser"}
    assert np.all(np.diff(found.total) >= -1e-9)


def test_inside_stands_between_the_pipe_and_the_pond():
    levels = np.linspace(0.1, 3.0, 30)
    inside = flows((riser(), LOW, HIGH), levels).inside["riser"]
    assert np.all(inside <= levels + 1e-9)
    assert np.all(np.diff(inside) >= -1e-9)


def test_openings_govern_a_wide_pipe_and_a_narrow_pipe_governs():
    levels = [0.5, 1.3, 2.0]
    wide = flows((riser(pipe=1.5), LOW, HIGH), levels).controls
    assert wide[0] == "low"
    assert wide[1] == "high"
    narrow = flows((riser(pipe=0.15), LOW, HIGH), levels).controls
    assert all(one.startswith("pipe") for one in narrow[1:])
    assert "held back" in narrow[2]


def test_the_greatest_of_devices_side_by_side_governs_and_nothing_governs_a_dry_pond():
    outlets = (RoundOrifice(name="a", diameter=0.1), RoundOrifice(name="b", bottom=0.5, diameter=0.4))
    assert flows(outlets, [0.0, 0.4, 2.0]).controls == ("", "a", "b")
    assert flows((), [1.0]).controls == ("",)


def test_a_riser_without_devices_is_no_sum():
    found = flows((riser(), SPILLWAY), [2.5])
    assert found.sums == frozenset()
    assert set(found.by_device) == {"riser", "spillway"}
    assert found.controls[0]


def test_a_riser_in_a_riser_is_followed_to_its_depth():
    outer = riser()
    inner = RoundRiser(
        name="inner", inside="riser", crest=1.2, diameter=0.5, outlet=RoundPipe(bottom=0.2, outlet=0.1, diameter=0.3)
    )
    drop = RoundOrifice(name="drop", inside="inner", bottom=0.4, diameter=0.15)
    levels = np.linspace(0.5, 2.5, 21)
    found = flows((outer, inner, drop), levels)
    taken = found.by_device["drop"] + found.by_device[crest_name(inner)]
    assert taken == pytest.approx(found.by_device["inner"], abs=1e-8)
    both = found.by_device["inner"] + found.by_device[crest_name(outer)]
    # two searches, one in the other, each to its own rounding
    assert both == pytest.approx(found.by_device["riser"], abs=1e-6)
