"""The tables of a pond: its events with their limits, every case, and what it is at each level."""

from __future__ import annotations

from collections.abc import Sequence

from tarnwater import units
from tarnwater.brief.text_table import TextTable, figures, words
from tarnwater.network.elements import Pond
from tarnwater.plots import Role
from tarnwater.study.answers import Results
from tarnwater.study.answers.level_table import LevelTable, recovered_areas
from tarnwater.study.answers.pond_events import PondEvent
from tarnwater.study.answers.pond_table import PondRow
from tarnwater.study.answers.requirements import Requirement
from tarnwater.study.answers.storms import event_title, storm_title
from tarnwater.study.document import Study
from tarnwater.units import show, show_duration

#: An accepted doubt: its code, element, condition and reason.
Accepted = tuple[str, str, str, str]

#: Overflow below which none is told, m3.
DRY = 1e-9


def _in_hand(one: PondEvent) -> float | None:
    """What is left of the limit, as a share of it."""
    return None if one.over is None else -one.over


def verdict(one: PondEvent) -> str:
    """Whether an event keeps what it must, in words."""
    if one.row.spilled > DRY:
        return "overflows"
    if one.keeps is False:
        return "over"
    if not one.row.keeps_freeboard:
        return "freeboard"
    return "keeps" if one.keeps else "no limit"


def events_table(results: Results, events: Sequence[PondEvent]) -> TextTable:
    """Ponds in each condition and event; the duration that governs the level stands beside that of the flow."""
    study, system = results.study, results.study.units
    rows = [one.row for one in events]
    columns = []
    if len({one.key for one in events}) > 1:
        columns.append(words("pond", (study.name_of(one.key) for one in events)))
    if len({one.condition for one in events}) > 1:
        columns.append(words("condition", (study.conditions[one.condition].name for one in events)))
    columns += [
        words("event", (event_title(study, one.event) for one in events)),
        words("level by", (show_duration(round(row.case.case.storm.duration)) for row in rows)),
        figures("in", "flow", [row.inflow for row in rows], system),
        figures("out", "flow", [row.outflow for row in rows], system),
        words("flow by", ("" if e.flow is None else show_duration(round(e.flow.case.storm.duration)) for e in events)),
        figures("below", "flow", [one.peak if one.flow is not None else None for one in events], system),
        figures("limit", "flow", [one.limit for one in events], system),
        figures("in hand", "share", [_in_hand(one) for one in events], system, digits=3),
        words("", (verdict(one) for one in events)),
        figures("highest", "height", [row.top for row in rows], system, digits=5),
        words("at", (row.case.when(row.time) for row in rows)),
        figures("freeboard", "length", [row.freeboard for row in rows], system, digits=3),
        figures("held", "volume", [row.stored for row in rows], system),
        figures("of all", "share", [row.share for row in rows], system, digits=3),
        figures("drains in", "time", [row.drain_time for row in rows], system, digits=3),
        figures("overflow", "volume", [row.spilled if row.spilled > DRY else 0.0 for row in rows], system),
    ]
    compared = {one.beside for one in events if one.beside}
    for other in [key for key in study.conditions if key in compared]:
        ratios = [one.peak / one.reference if one.beside == other and one.reference else None for one in events]
        columns.append(figures(f"of {study.conditions[other].name}", "share", ratios, system, digits=3))
    roles: list[Role | None] = [
        "limit" if verdict(one) in ("over", "overflows", "freeboard") else None for one in events
    ]
    return TextTable(tuple(columns), tuple(roles))


def cases_table(results: Results, rows: Sequence[PondRow]) -> TextTable:
    """A pond in every case, with the flow of each device that leaves it at the highest level."""
    study, system = results.study, results.study.units
    signs = list(dict.fromkeys(sign for row in rows for sign in row.by_device))
    points = {row.case.case.point for row in rows}
    columns = [
        words("condition", (study.conditions[row.case.case.condition].name for row in rows)),
        words("storm", (storm_title(study, row.case.case.storm) for row in rows)),
    ]
    if len(points) > 1:
        columns.append(words("made for", (study.name_of(row.case.case.point) for row in rows)))
    columns += [
        figures("highest", "height", [row.top for row in rows], system, digits=5),
        words("at", (row.case.when(row.time) for row in rows)),
        figures("held", "volume", [row.stored for row in rows], system),
        figures("of all", "share", [row.share for row in rows], system, digits=3),
        figures("freeboard", "length", [row.freeboard for row in rows], system, digits=3),
        figures("in", "flow", [row.inflow for row in rows], system),
        figures("out", "flow", [row.outflow for row in rows], system),
        figures("overflow", "volume", [row.spilled if row.spilled > DRY else 0.0 for row in rows], system),
        figures("drains in", "time", [row.drain_time for row in rows], system, digits=3),
        *(figures(sign, "flow", [row.by_device.get(sign) for row in rows], system) for sign in signs),
    ]
    roles: list[Role | None] = ["limit" if not row.keeps_freeboard else None for row in rows]
    return TextTable(tuple(columns), tuple(roles))


def recovered_words(pond: Pond) -> str:
    """What is said of areas that are recovered from volumes, for display; empty of none."""
    told = [
        f"the area of “{name}” is recovered from its volumes"
        + (f", and goes back and forth by {show(swing, 'share', digits=3)} of the greatest" if swing > 0 else "")
        for name, swing in recovered_areas(pond).items()
    ]
    return f"{'; '.join(told)}; the volumes are used as they are." if told else ""


def levels_table(study: Study, table: LevelTable) -> TextTable:
    """A pond by level: area, volume by part and of all, flow by device and of all, levels in risers, time to empty."""
    system = study.units
    columns = [
        figures("level", "height", list(table.levels), system, digits=5),
        figures("depth", "length", list(table.levels - table.levels[0]), system),
        figures("area", "area", list(table.areas), system),
    ]
    if len(table.by_part) > 1:
        columns += [figures(name, "volume", list(part), system) for name, part in table.by_part.items()]
    columns += [
        figures("volume", "volume", list(table.volumes), system),
        *(figures(name, "flow", list(flow), system) for name, flow in table.flows.by_device.items()),
        figures("all out", "flow", list(table.flows.total), system),
        *(figures(f"in {name}", "height", list(z), system, digits=5) for name, z in table.flows.inside.items()),
        words("governs", table.flows.controls),
        figures("empties in", "time", list(table.drains), system, digits=3),
    ]
    return TextTable(tuple(columns), (None,) * len(table.levels))


def event_words(study: Study, one: PondEvent) -> str:
    """An event of a pond in one line: its level, its flow against the limit, and what is in hand."""
    at = f"{event_title(study, one.event)}: {show(one.row.top, 'height', study.units, digits=5)}"
    if one.limit is None or one.over is None:
        return at
    hand = show(abs(one.over), "share", study.units, digits=3)
    return f"{at}, {hand} {'over' if one.over > 0 else 'in hand'}"


def requirements_table(study: Study, those: Sequence[Requirement], accepted: Sequence[Accepted] = ()) -> TextTable:
    """What is required of a pond, what was found, by how much it is kept or missed; a miss may be accepted."""
    several = len({one.condition for one in those}) > 1
    told: list[list[str]] = []
    roles: list[Role | None] = []
    alike: dict[str, list[float]] = {}
    for one in those:
        alike.setdefault(one.kind, []).extend((one.asked, one.found))
    unit = {kind: units.display_unit(kind, known, study.units) for kind, known in alike.items()}
    for one in those:
        reason = "" if one.kept else _reason(one, accepted)
        digits = 5 if one.kind == "height" else 4
        shown = [show(figure, one.kind, unit=unit[one.kind], digits=digits) for figure in (one.asked, one.found)]
        shown.append(show(abs(one.missed), one.kind, unit=unit[one.kind], digits=3))
        how = "in hand" if one.kept else "missed by"
        margin = f"{shown[2]} {how}" if one.kept else f"{how} {shown[2]}"
        if one.kept and one.code == "pond-overflows":
            margin = ""
        verdict_of = "kept" if one.kept else f"accepted: {reason}" if reason else "not kept"
        told.append([study.conditions[one.condition].name, one.words, shown[0], shown[1], margin, verdict_of])
        roles.append("limit" if not one.kept and not reason else None)
    heads = ["condition", "what is required", "bound", "found", "", ""]
    columns = [list(column) for column in zip(*told, strict=True)] or [[] for _ in heads]
    made = [words(head, column) for head, column in zip(heads, columns, strict=True)]
    return TextTable(tuple(made if several else made[1:]), tuple(roles))


def _reason(one: Requirement, accepted: Sequence[Accepted]) -> str:
    """The reason for which a miss was accepted; empty if it was not."""
    for code, element, condition, reason in accepted:
        if code == one.code and element in one.elements and condition == one.condition:
            return reason
    return ""
