"""The state of each bench in two words, for the course bar; the bench need not be loaded."""

from __future__ import annotations

from tarnwater.desk.desk import Desk

#: Words and the role of their colour.
State = tuple[str, str]


def ground_state(desk: Desk) -> State:
    """Whether there is a terrain, and how many outlets are on it."""
    terrain, ground = desk.study.terrain, desk.ground
    if terrain is None:
        return "no terrain", "quiet"
    if ground.working or ground.drainage is None:
        return "working …", "quiet"
    count = len(desk.study.outlets)
    return f"{count} outlet{'s'[: count != 1]}", "quiet"


def rain_state(desk: Desk) -> State:
    """How many storms there are."""
    study = desk.study
    if desk.unfinished:
        return "table unfinished", "loss"
    storms = len(study.storms) + sum(len(f.return_periods) * len(f.tried) for f in study.families.values())
    return (f"{storms} storm{'s'[: storms != 1]}", "quiet") if storms else ("no rain", "limit")


def runoff_state(desk: Desk) -> State:
    """How many catchments there are, or what is doubted of them."""
    doubts = [f for f in desk.findings if f.element and f.severity != "note"]
    stops = sum(f.severity == "stop" for f in doubts)
    if stops:
        return f"{stops} stop{'s'[: stops > 1]}", "limit"
    count = len(desk.study.catchments)
    return f"{count} catchment{'s'[: count != 1]}", "quiet"


def works_state(desk: Desk) -> State:
    """How many ponds there are, or that some overflow."""
    over = {f.element for f in desk.findings if f.code == "pond-overflows"}
    if over:
        return f"{len(over)} overflow{'s'[: len(over) == 1]}", "limit"
    count = sum(element.has_level and element.shape == "pool" for element in desk.study.all_elements.values())
    return f"{count} pond{'s'[: count != 1]}" if count else "no pond", "quiet"


def cases_state(desk: Desk) -> State:
    """How many cases are computed, or that limits are exceeded."""
    over = sum(f.code == "limit-exceeded" for f in desk.findings)
    if over:
        return f"{over} over limit", "limit"
    if desk.results is None:
        return "computing" if desk.computing else "not computed", "quiet"
    return f"{len(desk.results.cases)} cases", "quiet"
