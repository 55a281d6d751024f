"""The storms that a person asks for by a text: ``100/6h``, a family, a storm."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from tarnwater import units
from tarnwater.errors import UnknownName
from tarnwater.study.answers.storms import storms_of
from tarnwater.study.document import Study


def storms_asked(study: Study, texts: Sequence[str]) -> dict[str, Any]:
    """Arguments of `compute_cases` from texts: the name of a family or a storm, ``100`` or ``100/6h``."""
    families: list[str] = []
    storms: list[str] = []
    periods: list[float] = []
    durations: list[float] = []
    known_periods = sorted({t for f in study.families.values() for t in f.return_periods})
    known_durations = sorted({s.duration for key in study.families for s in storms_of(study, key)})
    for text in texts:
        period, slash, duration = text.partition("/")
        number = re.fullmatch(r"\s*(?:1\s+in\s+)?(\d+(?:\.\d+)?)\s*", period)
        if number is None:
            kind, key = _storm_named(study, text)
            (storms if kind == "storms" else families).append(key)
            continue
        periods.append(_among(float(number[1]), known_periods, "return period", [f"{t:g}" for t in known_periods]))
        if slash:
            seconds = units.parse(duration, "time")
            # what methods add is known with the cases only
            if not any(element.storm_duration for element in study.all_elements.values()):
                names = [units.show_duration(d) for d in known_durations]
                seconds = _among(seconds, known_durations, "duration", names)
            durations.append(seconds)
    return {
        "families": families or None,
        "return_periods": periods or None,
        "durations": durations or None,
        "storms": storms or None,
    }


def _storm_named(study: Study, name: str) -> tuple[str, str]:
    """Family or given storm by its name (or key): ``families`` or ``storms``, and its key."""
    try:
        return "storms", study.storm_of(name)
    except UnknownName:
        names = [f.name for f in study.families.values()] + [s.name for s in study.storms.values()]
        if name not in study.families and name.casefold() not in (n.casefold() for n in names):
            raise UnknownName(name, names, kind="storm or storm family") from None
        return "families", study.family_of(name)


def _among(value: float, known: Sequence[float], kind: str, names: Sequence[str]) -> float:
    if value not in known:
        raise UnknownName(units.show_duration(value) if kind == "duration" else f"{value:g}", names, kind=kind)
    return value
