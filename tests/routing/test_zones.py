"""Zones of a pond: their tops, and the times in which they drain."""

import numpy as np
import pytest

from tarnwater.parameters import Setting, Typed
from tarnwater.routing.ponds import FreeOutfall, Prism, Storage, rate
from tarnwater.routing.ponds.zones import ZoneByDepth, ZoneByVolume, drained_zones
from tarnwater.routing.works import Outlets, RoundOrifice, TypedRating

AREA, K = 100.0, 3600.0


def linear(depth=2.0):
    """A tank whose outflow is its water divided by an hour."""
    levels = np.linspace(0.0, depth, 401)
    device = TypedRating(levels=tuple(levels), flows=tuple(AREA * levels / K))
    return rate(Storage((Prism(depth=depth, plan_area=AREA),)), Outlets((device,)), FreeOutfall())


def typed(value):
    return Setting[float](typed=Typed[float](value=value))


def test_zones_stand_on_each_other_and_hold_what_was_typed():
    lower, upper = drained_zones(linear(), (ZoneByVolume(volume=50.0), ZoneByDepth(depth=0.7)))
    assert (lower.bottom, lower.top, lower.volume) == pytest.approx((0.0, 0.5, 50.0))
    assert (upper.bottom, upper.top, upper.volume) == pytest.approx((0.5, 1.2, 70.0))


def test_a_linear_tank_drains_by_the_logarithm():
    lower, upper = drained_zones(linear(), (ZoneByDepth(depth=0.5), ZoneByDepth(depth=1.0)))
    assert upper.time == pytest.approx(K * np.log(1.5 / 0.5), rel=1e-6)
    # the lowest one never empties wholly: one per cent of it is left
    assert lower.time == pytest.approx(K * np.log(100.0), rel=1e-3)


def test_a_zone_may_be_zero():
    nothing, rest = drained_zones(linear(), (ZoneByVolume(volume=0.0), ZoneByDepth(depth=1.0)))
    assert (nothing.bottom, nothing.top, nothing.volume, nothing.time) == (0.0, 0.0, 0.0, 0.0)
    assert rest.top == 1.0
    assert nothing.keeps


def test_a_zone_ends_at_the_top_of_the_pond():
    (zone,) = drained_zones(linear(), (ZoneByVolume(volume=1e6),))
    assert zone.top == 2.0
    (deep,) = drained_zones(linear(), (ZoneByDepth(depth=50.0),))
    assert deep.top == 2.0


def test_bounds_are_kept_or_missed_by_how_much():
    zone = ZoneByDepth(depth=1.0, drains_after=typed(10 * K), drains_within=typed(20 * K))
    (soon,) = drained_zones(linear(), (zone,))
    assert soon.short == pytest.approx(10 * K - soon.time)
    assert soon.short > 0
    assert soon.late < 0
    assert not soon.keeps
    late = ZoneByDepth(depth=1.0, drains_within=typed(0.5 * K))
    (found,) = drained_zones(linear(), (late,))
    assert found.late == pytest.approx(found.time - 0.5 * K)
    assert not found.keeps


def test_water_below_the_outlet_never_drains():
    sill = rate(Storage((Prism(depth=2.0, plan_area=AREA),)), Outlets((RoundOrifice(bottom=0.5),)), FreeOutfall())
    below, above = drained_zones(sill, (ZoneByDepth(depth=0.5), ZoneByDepth(depth=1.0)))
    assert below.time == np.inf
    # the zone above counts as drained when one per cent of it is left
    assert np.isfinite(above.time)
