"""Limits of a design point as text."""

from __future__ import annotations

import re

from tarnwater import units
from tarnwater.errors import BadInput, UnitError
from tarnwater.study.document import DesignPoint, Limit, Study

_SHARE = re.compile(r"\s*(?:(?P<share>[^%]+)%\s*(?:of\s+)?)?(?P<name>\S.*?)\s*$")


def limit_words(study: Study, limit: Limit) -> str:
    """A limit as it is typed: a flow, a condition, or a share of its peak."""
    if limit.flow is not None:
        return units.show(limit.flow, "flow", study.units)
    assert limit.of_condition is not None
    name = study.conditions[limit.of_condition].name
    return name if limit.share == 1 else f"{units.rounded(100 * limit.share, 12).rstrip('0').rstrip('.')} % of {name}"


def read_limit(study: Study, return_period: float, text: str, unit: str = "") -> Limit | None:
    """Read the limit at a return period: a flow, ``Existing``, ``90 % of Existing``; empty for no limit.

    Raises `BadInput` for anything else.
    """
    if not text.strip():
        return None
    where = f"limit at 1 in {return_period:g}"
    try:
        return _limit_of_condition(study, return_period, text, where) or Limit(
            return_period=return_period, flow=units.parse(text, "flow", default=unit or None)
        )
    except BadInput as error:
        error.where = where
        error.args = error.what, where, error.remedy
        raise


def _limit_of_condition(study: Study, return_period: float, text: str, where: str) -> Limit | None:
    found = _SHARE.fullmatch(text)
    names = {c.name.casefold(): key for key, c in study.conditions.items()}
    if found is None:
        return None
    key = names.get(found["name"].casefold())
    if key is None and found["share"] is None:
        if text.strip()[:1] in "0123456789.+-−":
            return None
        known = ", ".join(c.name for c in study.conditions.values())
        what = f"“{text.strip()}” is neither a flow nor a condition."
        raise UnitError(what, where=where, remedy=f"Type a flow, or one of {known}, or a share such as 90 % of it.")
    if key is None:
        key = study.condition_of(found["name"])
    share = units.parse(f"{found['share']} %", "share") if found["share"] else 1.0
    return Limit(return_period=return_period, of_condition=key, share=share)


def with_limits(point: DesignPoint, limits: list[Limit]) -> DesignPoint:
    """A design point with other limits, in the order of their return periods."""
    return point.model_copy(update={"limits": tuple(sorted(limits, key=lambda limit: limit.return_period))})
