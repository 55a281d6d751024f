"""Dates and times of day as people write them."""

from datetime import UTC, datetime

import pytest

from tarnwater.formats.records.dates import moment_of_stamp, proposed_order, split_stamp, time_of


def when(year, month, day, hour=0, minute=0, second=0):
    return datetime(year, month, day, hour, minute, second, tzinfo=UTC).timestamp()


NOVEMBER = when(2019, 11, 9, 6, 30)


@pytest.mark.parametrize(
    ("stamp", "order"),
    [
        ("2019-11-09 06:30", "year first"),
        ("2019-11-09T06:30:00", "year first"),
        ("2019/11/09 6:30", "year first"),
        ("201911090630", "year first"),
        ("20191109 0630", "year first"),
        ("20191109T063000Z", "year first"),
        ("2019 Nov 9 06:30", "year first"),
        ("09/11/2019 06:30", "day first"),
        ("9.11.2019 06:30:00", "day first"),
        ("09-11-19 6:30 am", "day first"),
        ("9 November 2019 06:30", "day first"),
        ("09-Nov-2019 06:30", "day first"),
        ("11/09/2019 06:30", "month first"),
        ("11/9/19 6:30 AM", "month first"),
        ("Nov 9, 2019 06:30", "month first"),
        ("43778.2708333333", "days since 1900"),
        ("43778,2708333333", "days since 1900"),
        ("1573281000", "seconds since 1970"),
    ],
)
def test_a_stamp_in_any_common_form_is_read(stamp, order):
    # ten decimals of a day are good to 1e-5 s
    assert moment_of_stamp(stamp, order) == pytest.approx(NOVEMBER, abs=1e-4)


@pytest.mark.parametrize(
    ("stamp", "order"),
    [
        ("31/02/2019 00:00", "day first"),
        ("13/13/2019", "day first"),
        ("2019-11-09 25:00", "year first"),
        ("2019-11-09 06:61", "year first"),
        ("09/11/2019", "year first"),
        ("9 Nuv 2019", "day first"),
        ("12:30 13:00", "day first"),
        ("", "day first"),
        ("0 am", "month first"),
        ("12", "days since 1900"),
        ("nan", "seconds since 1970"),
    ],
)
def test_what_is_no_date_is_not_read_as_one(stamp, order):
    assert moment_of_stamp(stamp, order) is None


def test_midnight_may_be_the_end_of_a_day():
    assert moment_of_stamp("2019-11-09 24:00", "year first") == when(2019, 11, 10)
    assert moment_of_stamp("31/12/2019 24:00:00", "day first") == when(2020, 1, 1)


def test_noon_and_midnight_of_twelve_hours():
    assert time_of("12:00 am").seconds == 0
    assert time_of("12:00 p.m.").seconds == 12 * 3600
    assert time_of("13:00 pm") is None


def test_offsets_are_read_with_the_time():
    assert [time_of(t).offset for t in ("06:00Z", "06:00+01:00", "06:00-0330", "06:00 UTC", "06:00")] == [
        0, 3600, -12600, 0, None,
    ]  # fmt: skip


def test_a_year_is_no_time_of_day():
    assert split_stamp("9 Nov 2019") == ("9 Nov 2019", "")


def test_the_order_that_makes_time_run_forward_is_proposed():
    days = [f"{d:02d}/{m:02d}/2019" for m in (1, 2, 3) for d in (3, 5, 9, 12)]
    assert proposed_order(days) == ("day first", True)
    turned = [f"{m:02d}/{d:02d}/2019" for m in (1, 2, 3) for d in (3, 5, 9, 12)]
    assert proposed_order(turned) == ("month first", True)
    assert proposed_order(["03/04/2019"])[1] is False
    assert proposed_order(["2019-04-03", "2019-04-04"]) == ("year first", True)


def test_years_of_two_digits_are_of_the_last_hundred_years_about_now():
    assert moment_of_stamp("01/01/50", "day first") == when(1950, 1, 1)
    assert moment_of_stamp("01/01/49", "day first") == when(2049, 1, 1)
