"""How a file of records is read: the choices that are proposed, shown on its rows, and changed by a person."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Literal

from pydantic import model_validator

from tarnwater.errors import TableError
from tarnwater.formats.records.dates import Order
from tarnwater.parameters import Model, parameter
from tarnwater.rain.records.raw import FORMS, Form, Stamp

#: What a column holds.
Role = Literal["ignored", "date and time", "date", "time", "value"]

Decimal = Literal[".", ","]
Thousands = Literal["", ",", ".", " ", "'"]

#: Texts that stand for a missing value, whatever their case.
MISSING = ("", "na", "n/a", "nan", "null", "none", "-", "--", "---", "m", "missing", "#n/a", "*", "x")

#: Numbers that stand for a missing value where they occur.
MISSING_NUMBERS = ("-9999", "-999", "-99", "-99.9", "-999.9", "-9999.9", "-999.99", "9999", "99999", "-32768", "-6999")

#: Texts for rain too small to measure, whatever their case.
TRACE = ("t", "tr", "tr.", "trace")


class Column(Model):
    """One column: its name, what it holds, and the unit of its values."""

    name: str
    role: Role = "ignored"
    unit: str = ""


class Reading(Model):
    """How a file of records is read.

    ``zone`` is that of stamps without one: ``UTC``, a fixed offset as ``UTC+01:00``, or the name of a zone with summer
    time as ``Europe/Lisbon``. ``missing`` are texts of missing values beside the usual ones. ``tip`` is the depth of
    one tip where a column of stamps alone is read as tips.
    """

    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""
    first_row: int = 0
    columns: tuple[Column, ...] = ()
    order: Order = "year first"
    zone: str = "UTC"
    decimal: Decimal = "."
    thousands: Thousands = ""
    form: Form = "incremental"
    stamp: Stamp = "end"
    missing: tuple[str, ...] = ()
    trace: float = parameter("rain", "depth that a trace counts as", least=0, most=1, default=0.0)
    tip: float = parameter("rain", "depth of one tip", above=0, most=100, default=0.2)

    @model_validator(mode="after")
    def _possible(self) -> Reading:
        if self.decimal == self.thousands:
            raise TableError(
                "decimals and thousands cannot have the same mark.", remedy="Choose another mark for one of them."
            )
        return self

    @property
    def words(self) -> str:
        """How a file is read, in words, for the source of a record."""
        words = [f"dates with the {self.order}", f"times in {self.zone}", FORMS[self.form]]
        if self.form in ("incremental", "rate"):
            words.append(f"times at the {self.stamp} of the interval")
        if self.decimal == ",":
            words.append("decimal commas")
        if self.missing:
            words.append(f"{', '.join(self.missing)} missing")
        return ", ".join(words)

    def of_role(self, *roles: Role) -> list[int]:
        """Numbers of the columns of some roles."""
        return [n for n, column in enumerate(self.columns) if column.role in roles]

    def refuse_incomplete(self, where: str) -> None:
        """Raise `TableError` where no stamp, or no value, is read."""
        stamps = self.of_role("date and time")
        dates, times = self.of_role("date"), self.of_role("time")
        if len(stamps) + len(dates) != 1 or (dates and len(times) != 1) or (stamps and times):
            raise TableError(
                "one column must hold the date and time, or one the date and one the time.",
                where=where,
                remedy="Choose what each column holds.",
            )
        if not self.of_role("value") and self.form != "tips":
            raise TableError(
                "no column holds values.", where=where, remedy="Choose the column with the values, or read it as tips."
            )


def fixed_offset(zone: str) -> int | None:
    """Offset of a zone as ``UTC+01:00``, s; None for a zone by its name.

    >>> fixed_offset("UTC-03:30")
    -12600
    """
    if zone == "UTC":
        return 0
    if not zone.startswith("UTC"):
        return None
    try:
        when = datetime.fromisoformat(f"2000-01-01T00:00:00{zone[3:]}")
    except ValueError as error:
        raise TableError(
            f"“{zone}” is no zone.", remedy="Write it as UTC+01:00, or name it as Europe/Lisbon."
        ) from error
    offset = when.utcoffset()
    return None if offset is None else int(offset.total_seconds())


def winter_offset(zone: str) -> int:
    """Offset of a zone without summer time, s."""
    fixed = fixed_offset(zone)
    if fixed is not None:
        return fixed
    place = named_zone(zone)
    offsets = [datetime(2020, month, 1, tzinfo=UTC).astimezone(place).utcoffset() for month in (1, 7)]
    return int(min(o.total_seconds() for o in offsets if o is not None))


def named_zone(zone: str):  # type: ignore[no-untyped-def]
    """A zone by its name in the tz database; `TableError` for one that it does not have."""
    from zoneinfo import ZoneInfo

    try:
        return ZoneInfo(zone)
    except (KeyError, ValueError, OSError) as error:
        raise TableError(
            f"there is no zone “{zone}”.", remedy="Write it as UTC+01:00, or name it as Europe/Lisbon."
        ) from error
