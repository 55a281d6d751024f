"""Dates and times of a run, from the date at which its storm begins.

A run counts seconds from the start of its rain. Where that has a date and a zone, every time of the run has them
too; the zone is that of the record, a fixed offset, so that no hour is missing or twice there.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, tzinfo

#: Distances between ticks of an axis of dates, s.
TICKS = (60, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 2 * 86400, 5 * 86400, 10 * 86400, 30 * 86400)

#: Latest date at which rain may begin, so that the times after it have dates too.
LATEST = datetime(9990, 1, 1, tzinfo=UTC)


def moment(origin: datetime, seconds: float) -> datetime:
    """The moment some seconds after another one, to the nearest second, in the same zone."""
    return origin + timedelta(seconds=round(seconds))


def show_moment(when: datetime) -> str:
    """Date and time of day, with seconds only if they are not zero.

    >>> show_moment(datetime.fromisoformat("2031-05-12T06:20:00+01:00"))
    '12 May 2031 06:20'
    """
    seconds = ":%S" if when.second else ""
    return f"{show_day(when)} {when.strftime(f'%H:%M{seconds}')}"


def show_day(when: datetime) -> str:
    """The day of a moment.

    >>> show_day(datetime.fromisoformat("2031-05-12T06:20:00+01:00"))
    '12 May 2031'
    """
    return f"{when.day} {when.strftime('%b %Y')}"


def show_zone(when: datetime) -> str:
    """The zone of a moment as its offset from universal time.

    >>> show_zone(datetime.fromisoformat("2031-05-12T06:20:00-03:30"))
    'UTC-03:30'
    """
    offset = when.strftime("%z")
    return "UTC" if offset in ("+0000", "-0000") else f"UTC{offset[:3]}:{offset[3:5]}"


def date_ticks(origin: datetime, low: float, high: float, most: int) -> list[tuple[float, str]]:
    """Ticks of an axis in hours since an origin: round times of day, with the date where a day begins.

    ``low`` and ``high`` are in hours; at most ``most`` ticks are given, more only where the axis is longer than the
    widest distance between ticks allows.
    """
    span = (high - low) * 3600
    apart = next((t for t in TICKS if span / t <= most), None) or -(-span // (most * TICKS[-1])) * TICKS[-1]
    midnight = origin.replace(hour=0, minute=0, second=0, microsecond=0)
    offset = (origin - midnight).total_seconds()
    first = -(-(low * 3600 + offset) // apart)
    ticks = []
    while (seconds := first * apart - offset) <= high * 3600 + 1e-6:
        when = moment(origin, seconds)
        whole_day = when.hour == when.minute == 0
        ticks.append((seconds / 3600, f"{when.day} {when.strftime('%b')}" if whole_day else when.strftime("%H:%M")))
        first += 1
    return ticks


#: Distances between ticks of a long axis: calendar unit, how many of it, and its length about, s.
_CALENDAR = (
    *(("minute", n, 60 * n) for n in (1, 5, 15, 30)),
    *(("hour", n, 3600 * n) for n in (1, 3, 6, 12)),
    *(("day", n, 86400 * n) for n in (1, 2, 5, 10)),
    *(("month", n, 2_629_800 * n) for n in (1, 3, 6)),
    *(("year", n, 31_557_600 * n) for n in (1, 2, 5, 10, 20, 50, 100)),
)


def calendar_ticks(low: float, high: float, zone: tzinfo, most: int) -> list[tuple[float, str]]:
    """Ticks of an axis in seconds since 1970, at round times of a zone: years, months, days or hours.

    Each names what changes at it: the year, the month, the day or the time of day; at most ``most`` are given.

    >>> calendar_ticks(0, 86400 * 800, UTC, 4)
    [(0.0, '1970'), (31536000.0, '1971'), (63072000.0, '1972')]
    """
    span = high - low
    kind, count, length = next((c for c in _CALENDAR if span / c[2] <= most), _CALENDAR[-1])
    when = _floor(datetime.fromtimestamp(0, zone) + timedelta(seconds=low), kind, count)
    ticks: list[tuple[float, str]] = []
    while len(ticks) <= most + 1:
        seconds = when.timestamp()
        if seconds > high:
            break
        if seconds >= low:
            ticks.append((seconds, _tick_words(when, kind)))
        when = _after(when, kind, count, length)
    return ticks


def _floor(when: datetime, kind: str, count: int) -> datetime:
    day = when.replace(hour=0, minute=0, second=0, microsecond=0)
    if kind == "year":
        return day.replace(year=max(when.year // count * count, 1), month=1, day=1)
    if kind == "month":
        return day.replace(month=(when.month - 1) // count * count + 1, day=1)
    if kind == "day":
        return day.replace(day=(when.day - 1) // count * count + 1)
    if kind == "hour":
        return day + timedelta(hours=when.hour // count * count)
    return day + timedelta(hours=when.hour, minutes=when.minute // count * count)


def _after(when: datetime, kind: str, count: int, length: float) -> datetime:
    if kind == "year":
        return when.replace(year=when.year + count)
    if kind == "month":
        months = when.month - 1 + count
        return when.replace(year=when.year + months // 12, month=months % 12 + 1)
    after = when + timedelta(seconds=length)
    # days are counted anew in each month, and the last of one are not beside the first of the next
    half = timedelta(seconds=length / 2 if count > 1 else 0)
    return (after + half).replace(day=1) if kind == "day" and (after + half).month != when.month else after


def _tick_words(when: datetime, kind: str) -> str:
    if kind == "year" or (kind == "month" and when.month == 1):
        return f"{when.year}"
    if kind == "month":
        return when.strftime("%b")
    if when.hour == when.minute == 0:
        return f"{when.day} {when.strftime('%b')}" + (f" {when.year}" if when.month == when.day == 1 else "")
    return when.strftime("%H:%M")
