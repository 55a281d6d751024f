"""The demo's pond: its limits, its second reckoning in plain NumPy, its ditch."""

from itertools import pairwise

import numpy as np
import pytest

from tarnwater.routing.works.plain import PlainOutlets
from tarnwater.study.answers.channel_table import channel_rows
from tarnwater.study.answers.pond_events import pond_events
from tarnwater.study.answers.requirements import requirements

POND, CONDITION = "coldgarth-pond", "yard-with-pond"


def test_it_keeps_its_limits_at_1_in_2_10_and_100_and_passes_1_in_200(demo_results):
    events = [one for one in pond_events(demo_results, POND) if one.condition == CONDITION]
    assert {one.event for one in events if one.limit is not None} == {2.0, 10.0, 100.0}
    found = requirements(demo_results, POND, events)
    assert all(one.kept for one in found), [one.words for one in found if not one.kept]
    assert any(one.words == "1 in 200: freeboard left" for one in found)
    # every duration that is tried keeps the limit, not only the one of the highest level
    for one in events:
        if one.limit is not None:
            own = demo_results.of(CONDITION, "yard-outlet", one.event)
            assert len(own) >= 9
            assert max(case.peak("yard-outlet").ordinate for case in own) <= one.limit


def test_plain_numpy_gives_its_outflow_again_at_every_level(demo_results):
    pond = demo_results.case(CONDITION, "yard-outlet", 100.0, None).network.elements[POND]
    levels = np.linspace(90.0, 92.1, 64)
    behind = np.full_like(levels, -1e300)
    plain = PlainOutlets(pond.outlets, float(levels.max()))
    compiled = pond.outlets.flows(levels, behind)
    for device, flow in zip(pond.outlets.outer, compiled, strict=True):
        # two searches for the level in the riser, each to its own rounding
        assert plain.flow(device, levels, behind) == pytest.approx(flow, abs=1e-8)


def test_its_routing_is_followed_by_plain_numpy_step_by_step(demo_results):
    """S2 − S1 = Δt [(I1 + I2)/2 − (O1 + O2)/2] with sub-steps of a twentieth, by halving."""
    case = demo_results.case(CONDITION, "yard-outlet", 100.0, None)
    pond, step = case.network.elements[POND], case.step
    (link,) = [name for name, _ in case.network.inlets[POND]]
    inflow, rating = case.flow_by(link), pond.rating()
    stored = rating.storages[0]

    def out(held):
        return np.interp(held, rating.storages, rating.total[-1])

    outflow, parts = [out(stored)], 20
    h = step / parts
    for first, then in pairwise(inflow):
        for part in range(parts):
            i1, i2 = first + (then - first) * part / parts, first + (then - first) * (part + 1) / parts
            wanted = stored + h * (0.5 * (i1 + i2) - 0.5 * out(stored))
            low, high = 0.0, rating.storages[-1]
            for _ in range(60):
                middle = 0.5 * (low + high)
                low, high = (middle, high) if middle + 0.5 * h * out(middle) < wanted else (low, middle)
            stored = 0.5 * (low + high)
        outflow.append(out(stored))
    # the error of a step is held to two parts in ten thousand of the flow through the pond
    assert np.abs(np.array(outflow) - case.flow(POND)).max() < 5e-4 * case.peak(POND).ordinate


def test_its_ditch_carries_the_hill_field_and_does_not_scour(demo_study, demo_results):
    row = next(one for one in channel_rows(demo_study, demo_results) if one.designed)
    assert row.name == "Cut-off ditch"
    assert row.verdict == "fits"
    assert row.bare.uniform.velocity < row.bare.allowed
    assert row.grown.uniform.depth > row.bare.uniform.depth
