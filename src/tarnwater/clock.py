"""Dates and times of a run, from the date at which its storm begins.

A run counts seconds from the start of its rain. Where that has a date and a zone, every time of the run has them
too; the zone is that of the record, a fixed offset, so that no hour is missing or twice there.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

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
