"""Dates and times of day as people write them, read without any regard to the computer's language."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable, Sequence
from datetime import date
from typing import Literal, NamedTuple

#: How a date is written: which part comes first, or a number of days or seconds.
Order = Literal["day first", "month first", "year first", "days since 1900", "seconds since 1970"]

ORDERS: tuple[Order, ...] = ("year first", "day first", "month first", "days since 1900", "seconds since 1970")

_EPOCH = date(1970, 1, 1).toordinal()

#: Days from the zeroth day of spreadsheets, 30 December 1899, to the start of 1970.
SPREADSHEET_EPOCH = date(1970, 1, 1).toordinal() - date(1899, 12, 30).toordinal()

_MONTHS = {
    name: number
    for number, name in enumerate(
        ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"), start=1
    )
}

_PARTS = re.compile(r"(\d{1,4}|[A-Za-z]{3,9})[\s./-]+(\d{1,2}|[A-Za-z]{3,9})[\s./,-]+(\d{1,4})\.?")
_COMPACT = re.compile(r"(\d{4})(\d{2})(\d{2})")
_TIME = re.compile(
    r"(\d{1,2})(?::?(\d{2}))?(?::?(\d{2})(?:[.,](\d+))?)?\s*([AaPp]\.?[Mm]\.?)?\s*(Z|z|UTC|GMT|[+-]\d{2}:?\d{2}|[+-]\d{2})?"
)

_TIME_AT_END = re.compile(
    r"[\s,;_]+(\d{1,2}:?\d{2}(?::?\d{2}(?:[.,]\d+)?)?(?:\s*[AaPp]\.?[Mm]\.?)?(?:\s*(?:Z|UTC|GMT|[+-]\d{2}:?\d{2}))?)$"
)

#: Two-digit years from this one on are of the last century.
LAST_CENTURY = 50


class TimeOfDay(NamedTuple):
    """Seconds since midnight, to 86,400, and the offset of the zone written with them, s; None without one."""

    seconds: float
    offset: int | None


def day_of(text: str, order: Order) -> int | None:
    """Days from the start of 1970 to a written date; None if it is not one of this order.

    Months may be numbers or English names; years of two digits are from 1950 to 2049.

    >>> day_of("02/01/1970", "day first"), day_of("2 Jan 70", "day first"), day_of("19700102", "year first")
    (1, 1, 1)
    """
    text = text.strip()
    compact = _COMPACT.fullmatch(text)
    if compact and order == "year first":
        return _day(int(compact[1]), int(compact[2]), int(compact[3]))
    parts = _PARTS.fullmatch(text)
    if parts is None:
        return None
    if order == "year first":
        year, month, day = parts[1], parts[2], parts[3]
    elif order == "day first":
        day, month, year = parts[1], parts[2], parts[3]
        if day.isalpha():  # a month by its name may stand first in either order
            day, month = month, day
    else:
        month, day, year = parts[1], parts[2], parts[3]
        if day.isalpha():
            day, month = month, day
    number = _month(month)
    if number is None or not (year.isdigit() and day.isdigit()):
        return None
    if (
        (order == "year first" and len(year) != 4)
        or (order != "year first" and len(year) not in (2, 4))
        or len(day) > 2
    ):
        return None
    return _day(_century(year), number, int(day))


def _century(year: str) -> int:
    if len(year) == 4:
        return int(year)
    return int(year) + (1900 if int(year) >= LAST_CENTURY else 2000)


def _month(text: str) -> int | None:
    if text.isdigit():
        return int(text)
    return _MONTHS.get(text[:3].lower())


def _day(year: int, month: int, day: int) -> int | None:
    try:
        return date(year, month, day).toordinal() - _EPOCH
    except ValueError:
        return None


def time_of(text: str) -> TimeOfDay | None:
    """A written time of day, of twelve or twenty-four hours; 24:00 is the end of the day. None if it is not one.

    >>> time_of("9:30 pm").seconds / 3600, time_of("0930").seconds / 3600, time_of("24:00").seconds / 3600
    (21.5, 9.5, 24.0)
    """
    text = text.strip()
    if not text:
        return TimeOfDay(0.0, None)
    found = _TIME.fullmatch(text)
    if found is None:
        return None
    hour, minute, second = int(found[1]), int(found[2] or 0), int(found[3] or 0)
    if found[5]:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if found[5][0] in "Pp" else 0)
    seconds = 3600 * hour + 60 * minute + second + (float(f"0.{found[4]}") if found[4] else 0.0)
    if minute > 59 or second > 59 or seconds > 86400:
        return None
    return TimeOfDay(seconds, _offset(found[6]))


def _offset(text: str | None) -> int | None:
    if text is None:
        return None
    if text[0] not in "+-":
        return 0
    digits = text[1:].replace(":", "").ljust(4, "0")
    return (1 if text[0] == "+" else -1) * (int(digits[:2]) * 3600 + int(digits[2:]) * 60)


def split_stamp(text: str) -> tuple[str, str]:
    """The date and the time of day of one text.

    >>> split_stamp("2019-11-09T06:00:00Z"), split_stamp("9 Nov 2019 06:00"), split_stamp("201911090600")
    (('2019-11-09', '06:00:00Z'), ('9 Nov 2019', '06:00'), ('20191109', '0600'))
    """
    text = text.strip()
    if text[:8].isdigit() and len(text) > 8:
        return text[:8], text[8:].lstrip("T _")
    if "T" in text and text[:4].isdigit():
        day, _, hours = text.partition("T")
        return day, hours
    found = _TIME_AT_END.search(text)
    # the year of “9 Nov 2019” is no time of day
    if found and (":" in found[1] or re.search(r"\d{4}[\s,;_]+\d{4}$", text)):
        return text[: found.start()], found[1]
    return text, ""


def proposed_order(stamps: Sequence[str]) -> tuple[Order, bool]:
    """The order of dates that reads most of some stamps, and whether no other reads as many.

    Between orders that read as many, the one whose stamps run forward more often is taken.
    """
    found = []
    for order in ORDERS:
        seconds = list(moments(stamps, order))
        read = sum(s is not None for s in seconds)
        forward = _forward([s for s in seconds if s is not None])
        found.append((read, forward, order))
    best = max(found, key=lambda one: (one[0], one[1]))
    rivals = [one for one in found if one[0] == best[0] and one[2] != best[2]]
    return best[2], bool(best[0]) and all(best[1] > rival[1] + 0.05 for rival in rivals)


def _forward(seconds: list[float]) -> float:
    steps = [b > a for a, b in itertools.pairwise(seconds)]
    return sum(steps) / len(steps) if steps else 1.0


def moments(stamps: Iterable[str], order: Order) -> Iterable[float | None]:
    """Seconds from the start of 1970 to stamps in their own zone; None for one that is not of this order."""
    for stamp in stamps:
        yield moment_of_stamp(stamp, order)


def moment_of_stamp(stamp: str, order: Order) -> float | None:
    """Seconds from the start of 1970 to one stamp in its own zone; None if it is not of this order."""
    if order in ("days since 1900", "seconds since 1970"):
        try:
            number = float(stamp.replace(",", "."))
        except ValueError:
            return None
        # numbers that can be no date of a record: before 1901 or after 2200
        if order == "days since 1900":
            return (number - SPREADSHEET_EPOCH) * 86400 if 366 < number < 110_000 else None
        return number if 110_000 < abs(number) < 7.3e9 else None
    day_text, time_text = split_stamp(stamp)
    day, time = day_of(day_text, order), time_of(time_text)
    return None if day is None or time is None else day * 86400 + time.seconds
