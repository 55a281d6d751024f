"""Moments, zones and the ticks of an axis of dates."""

from datetime import datetime, timedelta

import pytest

from tarnwater.clock import date_ticks, moment, show_moment, show_zone

MAY = datetime.fromisoformat("2031-05-12T22:40:00+01:00")


def test_a_moment_keeps_its_zone_to_the_second():
    assert moment(MAY, 7200.4) == MAY + timedelta(hours=2)
    assert moment(MAY, 7200.4).isoformat() == "2031-05-13T00:40:00+01:00"


@pytest.mark.parametrize(("text", "zone"), [("+00:00", "UTC"), ("+05:45", "UTC+05:45"), ("-03:30", "UTC-03:30")])
def test_a_zone_is_its_offset(text, zone):
    assert show_zone(datetime.fromisoformat(f"2031-05-12T06:00:00{text}")) == zone


def test_seconds_are_told_only_where_there_are_any():
    assert show_moment(MAY) == "12 May 2031 22:40"
    assert show_moment(moment(MAY, 5)) == "12 May 2031 22:40:05"


def test_ticks_stand_at_round_times_of_day_and_name_the_day_where_it_begins():
    ticks = date_ticks(MAY, 0.0, 6.0, 8)
    assert [words for _, words in ticks] == ["23:00", "13 May", "01:00", "02:00", "03:00", "04:00"]
    # 22:40 is the zero of the axis
    assert ticks[0][0] == pytest.approx(1 / 3, abs=1e-12)


@pytest.mark.parametrize("hours", [0.01, 1.0, 24.0, 500.0, 20_000.0])
def test_there_are_never_more_ticks_than_have_room(hours):
    assert 1 <= len(date_ticks(MAY, 0.0, hours, 6)) <= 7
