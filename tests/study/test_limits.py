"""Limits as a person writes them, and conditions added and removed."""

import pytest

from tarnwater.errors import BadInput, EditRefused, UnknownName
from tarnwater.study import edits
from tarnwater.study.document import DesignPoint, Limit
from tarnwater.study.document.limits import limit_words, read_limit, with_limits


@pytest.mark.parametrize(
    ("text", "flow", "share", "condition"),
    [
        ("0.65", 0.65, 1.0, None),
        ("650 L/s", 0.65, 1.0, None),
        ("23 cfs", 23 * 0.3048**3, 1.0, None),
        ("Existing", None, 1.0, "existing"),
        ("existing", None, 1.0, "existing"),
        ("90 % of Existing", None, 0.9, "existing"),
        ("90% Yard surfaced", None, 0.9, "yard-surfaced"),
        ("87.5 % of existing", None, 0.875, "existing"),
    ],
)
def test_a_limit_is_a_flow_a_condition_or_a_share_of_it(demo_study, text, flow, share, condition):
    limit = read_limit(demo_study, 10.0, text, "m³/s")
    assert limit == Limit(return_period=10.0, flow=limit.flow, share=share, of_condition=condition)
    assert limit.flow == (None if flow is None else pytest.approx(flow, rel=1e-12))
    assert read_limit(demo_study, 10.0, limit_words(demo_study, limit)).of_condition == condition


def test_nothing_typed_is_no_limit(demo_study):
    assert read_limit(demo_study, 10.0, "  ") is None


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("much", "neither a flow nor a condition"),
        ("3 ha", "measures an area, not a flow"),
        ("2,500", "Type 2.500"),
        ("-1", "least 0"),
        ("90 % of Nowhere", "no condition"),
        ("many % of Existing", "not a number"),
        ("2000 % of Existing", "1000"),
    ],
)
def test_what_is_no_limit_is_refused_with_what_would_be_one(demo_study, text, said):
    with pytest.raises(BadInput, match=said):
        read_limit(demo_study, 10.0, text)


def test_limits_stand_in_the_order_of_their_return_periods():
    limits = [Limit(return_period=t, flow=1.0) for t in (100.0, 2.0, 10.0)]
    point = with_limits(DesignPoint(step=60.0), limits)
    assert [limit.return_period for limit in point.limits] == [2.0, 10.0, 100.0]
    assert point.step == 60.0


def test_a_condition_is_removed_unless_something_stands_on_it(demo_study):
    demo_study = edits.remove_condition(demo_study, "yard-with-pond")
    study = edits.add_condition(demo_study, "With trees", "yard-surfaced")
    assert edits.remove_condition(study, "With trees").conditions.keys() == demo_study.conditions.keys()
    with pytest.raises(EditRefused, match="With trees inherits from it"):
        edits.remove_condition(study, "yard-surfaced")
    limited = DesignPoint(limits=(Limit(return_period=10.0, of_condition="with-trees"),))
    with pytest.raises(EditRefused, match="limits at Hill field refer to it"):
        edits.remove_condition(edits.set_design_point(study, "hill-field", limited), "with-trees")
    with pytest.raises(EditRefused, match="condition of that name"):
        edits.add_condition(study, "with TREES")
    bare = edits.set_design_point(demo_study, "yard-outlet", None)
    with pytest.raises(EditRefused, match="at least one condition"):
        edits.remove_condition(edits.remove_condition(bare, "yard-surfaced"), "existing")
    with pytest.raises(UnknownName):
        edits.remove_condition(study, "nowhere")
