"""Events by rules."""

import numpy as np
import pytest

from tarnwater.rain.records import Record
from tarnwater.rain.records.events import EventRule, event_between, events_of

HOUR = 3600


def hourly(values):
    return Record.regular(0, HOUR, np.array(values, float))


RAIN = hourly([0, 2, 0, 0, 5, 1, 0, 0, 0, 0, 0, 0, 0, 12, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 4, 0])


def spells(**rule):
    return [(e.begin // HOUR, e.end // HOUR, e.depth) for e in events_of(RAIN, EventRule(**rule))]


def test_dry_time_parts_events_and_little_depth_leaves_them_out():
    assert spells(dry=6 * HOUR, least_depth=0) == [(1, 6, 8), (13, 14, 12), (25, 26, 4)]
    assert spells(dry=6 * HOUR, least_depth=8) == [(1, 6, 8), (13, 14, 12)]
    # two dry hours part the first event, seven do not part it from the second
    assert spells(dry=2 * HOUR, least_depth=0)[:2] == [(1, 2, 2), (4, 6, 6)]
    assert spells(dry=8 * HOUR, least_depth=0)[0] == (1, 14, 20)


def test_lead_and_extension_belong_to_the_event_and_join_what_they_reach():
    assert spells(dry=6 * HOUR, least_depth=0, lead=HOUR, extension=2 * HOUR)[0] == (0, 8, 8)
    assert spells(dry=6 * HOUR, least_depth=0, extension=7 * HOUR) == [(1, 21, 20), (25, 33, 4)]


def test_flow_parts_events_of_little_consequence():
    flow = Record(HOUR * np.arange(1, 28), np.full(27, HOUR), np.r_[np.ones(13), [9.0] * 4, np.ones(10)], "flow")
    found = events_of(RAIN, EventRule(least_depth=0, least_flow=5), flow)
    assert [(e.depth, e.peak) for e in found] == [(12, 9)]


def test_missing_time_in_an_event_is_told():
    values = RAIN.values.copy()
    values[3] = np.nan
    event = events_of(hourly(values), EventRule(least_depth=0))[0]
    assert event.missing == HOUR
    assert event.most == 5


def test_an_event_may_be_any_stretch_of_time():
    event = event_between(RAIN, 4 * HOUR, 5 * HOUR + 1800)
    assert event.depth == pytest.approx(5.5)
    assert np.isnan(event.peak)


def test_a_dry_record_has_no_events():
    assert events_of(hourly([0, 0, np.nan]), EventRule()) == []
