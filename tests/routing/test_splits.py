"""Splits: rules, exact volumes, and their place in a network."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from tarnwater.errors import BadInput
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.elements import Inflow, Link, Outfall, Split
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.routing.splits import InletRule, RatedRule, ShareRule, ThresholdRule

RULES = [
    ShareRule(share=0.3), ThresholdRule(threshold=2.0), ThresholdRule(threshold=1.0, most=2.5),
    InletRule(capacity=1.5, efficiency=0.8), InletRule(capacity=0.0), RatedRule(flows=(1.0, 4.0), second=(0.0, 2.0)),
]  # fmt: skip


@pytest.mark.parametrize(
    ("rule", "flow", "second"),
    [
        (RULES[0], 5.0, 1.5), (RULES[1], 1.0, 0.0), (RULES[1], 5.0, 3.0), (RULES[2], 9.0, 2.5), (RULES[3], 1.0, 0.2),
        (RULES[3], 5.0, 3.5), (RULES[4], 3.0, 3.0), (RULES[5], 2.5, 1.0), (RULES[5], 8.0, 4.0), (RULES[5], 0.5, 0.0),
        (RULES[1], -1.0, 0.0),
    ],
)  # fmt: skip
def test_a_rule_says_what_goes_the_second_way(rule, flow, second):
    assert float(rule.diverted(np.array(flow))) == pytest.approx(second)


@pytest.mark.parametrize("rule", RULES, ids=lambda r: r.method)
@given(flows=st.lists(st.floats(0, 10), min_size=2, max_size=8), beyond=st.booleans())
@settings(max_examples=25, deadline=None)
def test_volumes_are_exact_and_add_up(rule, flows, beyond):
    q = np.array([flows])
    uneven = np.full((1, len(flows) - 1), 30.0) if beyond else None
    inflow = Hydrograph(q, 600.0, uneven)
    first, second = rule.part(inflow)
    assert first.volume + second.volume == pytest.approx(inflow.volume, rel=1e-12, abs=1e-9)
    if not beyond:
        for n in range(len(flows) - 1):
            exact = quad(lambda s, n=n: float(rule.diverted(np.array(flows[n] + (flows[n + 1] - flows[n]) * s))), 0, 1,
                         limit=200)[0]  # fmt: skip
            # what SciPy's integral makes of the bends
            assert second.volume[0, n] == pytest.approx(600 * exact, abs=2e-4 * 600)


def network(split, ends=("left", "right")):
    flood = Inflow(name="Flood", times=(0.0, 3600.0, 10800.0), flows=(0.0, 6.0, 0.0))
    elements = {"flood": flood, "fork": split, **{end: Outfall(name=end) for end in ends}}
    links = {"a": Link(up="flood", down="fork"), **{end: Link(up="fork", down=end) for end in ends}}
    return compute(Batch(Network(elements, links), Rain(np.zeros((1, 1)), 300.0), 300.0, 48))


def test_the_second_way_is_the_last_link_or_the_one_that_is_named():
    rule = ThresholdRule(threshold=4.0)
    last, named = network(Split(name="Fork", rule=rule)), network(Split(name="Fork", rule=rule, diverts_to="left"))
    assert last.responses["right"].flow.max() == pytest.approx(2.0) == named.responses["left"].flow.max()
    assert last.responses["left"].flow.max() == pytest.approx(4.0)
    for one in (last, named):
        assert one.balance.error == pytest.approx(0, abs=1e-12)


def test_with_one_link_all_goes_that_way():
    found = network(Split(name="Fork"), ends=("left",))
    assert found.responses["left"].flow.max() == 6.0


def test_beyond_two_links_the_others_are_dry():
    found = network(Split(name="Fork"), ends=("left", "right", "middle"))
    assert found.responses["right"].flow.max() == 0
    assert found.responses["middle"].flow.max() == 3.0


@pytest.mark.parametrize(
    "made",
    [
        lambda: ShareRule(share=1.1), lambda: ShareRule(share=-0.1), lambda: ThresholdRule(threshold=-1),
        lambda: InletRule(efficiency=0), lambda: RatedRule(flows=(1, 2), second=(0, 3)),
        lambda: RatedRule(flows=(2, 1), second=(0, 0)), lambda: RatedRule(flows=(1,), second=(0,)),
    ],
)  # fmt: skip
def test_a_rule_that_cannot_be_is_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()
