"""Storms whose rain is given in steps: what they refuse, and how they are laid over the steps of a run."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from tarnwater.errors import OutOfRange
from tarnwater.rain.given import AnyStorm, RecordedStorm, TypedStorm
from tarnwater.rain.storms import Rain

READ = TypeAdapter(AnyStorm)
RECORDED = {"kind": "recorded", "name": "May", "step": 900, "origin": "2031-05-12T06:00:00+01:00",
            "rain": {"a": [1, 2, 0, 4], "b": [0, 0, 3, 1]}}  # fmt: skip
TYPED = {"kind": "typed", "name": "Short", "step": 600, "depths": [1, 2, 3]}


def test_both_kinds_go_through_json_and_back():
    for data in (RECORDED, TYPED):
        storm = READ.validate_python(data)
        assert READ.validate_json(json.dumps(storm.model_dump(mode="json"))) == storm
    assert isinstance(READ.validate_python(RECORDED), RecordedStorm)
    assert isinstance(READ.validate_python(TYPED), TypedStorm)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"kind": "guessed"}, "there is no storm 'guessed'"),
        ({"origin": "2031-05-12T06:00:00"}, "timezone"),
        ({"origin": "12 May"}, "datetime"),
        ({"origin": "9999-12-31T00:00:00Z"}, "too late"),
        ({"rain": {}}, "at least one catchment"),
        ({"rain": {"a": []}}, "at least one catchment"),
        ({"rain": {"a": [1, 2], "b": [1]}}, "as many steps of rain"),
        ({"rain": {"a": [-1]}}, "greater than or equal to 0"),
        ({"rain": {"a": [True]}}, "valid number"),
        ({"rain": {"a": ["3"]}}, "valid number"),
        ({"rain": {"a": [float("nan")]}}, "finite"),
        ({"rain": {"a": [5000]}}, "less than or equal to 2000"),
        ({"step": 0}, "at least 1 s"),
        ({"step": True}, "not true or false"),
        ({"name": " "}, "cannot be empty"),
        ({"zone": "UTC"}, "Extra inputs"),
    ],
)
def test_a_storm_that_is_not_one_is_refused(change, said):
    with pytest.raises((ValidationError, OutOfRange), match=said):
        READ.validate_python(RECORDED | change)


def test_a_storm_of_too_many_steps_is_refused():
    with pytest.raises(ValueError, match="too long"):
        READ.validate_python(TYPED | {"depths": [0.0] * 1_000_001})


def test_missing_rain_is_never_none():
    storm = READ.validate_python(RECORDED | {"rain": {"a": [1, None, 2, None]}})
    assert storm.lacks("a") == "its rain is missing in 2 of 4 steps, first at 12 May 2031 06:15."
    assert storm.lacks("b") == "it has no rain there."
    dateless = READ.validate_python(TYPED | {"depths": [1, 2, None]})
    assert dateless.lacks("anywhere") == "its rain is missing in 1 of 3 steps, first at 20 min."


def test_rain_laid_over_other_steps_falls_at_the_same_rate():
    storm = READ.validate_python(RECORDED)
    # 15 min in steps of 10 min: the second takes half of each of its neighbours
    assert storm.rain_on("a", 600.0) == pytest.approx([2 / 3, 1 / 3 + 2 / 3, 4 / 3, 0.0, 4 / 3, 8 / 3], rel=1e-12)
    assert storm.rain_on("a", 900.0).tolist() == [1, 2, 0, 4]
    assert storm.rain_on("a", 1800.0).tolist() == [3, 4]
    assert storm.rain_on("a", 300.0).sum() == pytest.approx(7.0, rel=1e-15)


@given(
    depths=st.lists(st.floats(0, 50), min_size=1, max_size=40),
    own=st.sampled_from([60.0, 300.0, 420.0, 900.0, 3600.0]),
    step=st.sampled_from([60.0, 120.0, 300.0, 600.0, 1000.0, 3600.0]),
)
def test_depths_are_kept_at_any_step_and_never_negative(depths, own, step):
    laid = Rain(np.array([depths]), own).spread_over(step).depths[0]
    assert laid.min() >= 0.0
    # sums of a few dozen floats
    assert laid.sum() == pytest.approx(sum(depths), rel=1e-12, abs=1e-12)
    # at every end of a step as much has fallen as by the record, read between its stamps
    ends = np.minimum(np.arange(1, len(laid) + 1) * step, len(depths) * own)
    fallen = np.interp(ends, np.arange(len(depths) + 1) * own, np.concatenate([[0.0], np.cumsum(depths)]))
    assert np.cumsum(laid) == pytest.approx(fallen, rel=1e-12, abs=1e-12)
