"""The tables of channels and of culverts."""

from __future__ import annotations

from collections.abc import Sequence

from tarnwater.brief.text_table import TextTable, figures, words
from tarnwater.plots import Role
from tarnwater.study.answers.channel_table import WRONG, Carried, ChannelRow, CulvertRow
from tarnwater.study.answers.storms import storm_title
from tarnwater.study.document import Study


def carried_words(study: Study, carried: Carried | None) -> str:
    """The case that a flow is of, in words."""
    if carried is None:
        return ""
    if carried.case is None:
        return "typed"
    case = carried.case.case
    return f"{study.conditions[case.condition].name}, {storm_title(study, case.storm)}"


def _flows(rows: Sequence[ChannelRow] | Sequence[CulvertRow]) -> list[float | None]:
    return [None if row.carried is None else row.carried.flow for row in rows]


def channels_table(study: Study, rows: Sequence[ChannelRow]) -> TextTable:
    """Every channel: its flow, depth, velocity and what that may be, freeboard and shear; grown over beside it."""
    system = study.units
    bare = [row.bare for row in rows]
    grown = [row.grown for row in rows]
    uniform = [None if one is None else one.uniform for one in bare]
    columns = [
        words("channel", (row.name for row in rows)),
        words("", (row.verdict for row in rows)),
        figures("flow", "flow", _flows(rows), system),
        words("shape", ("" if row.section is None else row.section.title for row in rows)),
        figures("slope", "slope", [row.slope for row in rows], system),
        figures("depth", "length", [None if u is None else u.depth for u in uniform], system, endless="–"),
        figures("critical", "length", [None if u is None else u.critical_depth for u in uniform], system),
        figures("velocity", "speed", [None if u is None else u.velocity for u in uniform], system, endless="–"),
        figures("allowed", "speed", [None if one is None else one.allowed for one in bare], system),
        figures("Froude", "factor", [None if u is None else u.froude for u in uniform], system, digits=3, endless="–"),
        figures("freeboard", "length", [None if one is None else one.freeboard for one in bare], system, endless="–"),
        figures("shear", "shear", [None if u is None else u.shear for u in uniform], system, endless="–"),
    ]
    if any(one is not None for one in grown):
        depths = [None if one is None else one.uniform.depth for one in grown]
        speeds = [None if one is None else one.uniform.velocity for one in grown]
        columns += [
            figures("depth grown", "length", depths, system),
            figures("velocity grown", "speed", speeds, system),
        ]
    if any(row.laid is not None for row in rows):
        lengths = [None if row.laid is None else row.laid.length for row in rows]
        lines = ["" if row.laid is None else study.ground_features[row.laid.line].name for row in rows]
        columns += [words("along", lines), figures("length", "length", lengths, system)]
    columns.append(words("flow of", (carried_words(study, row.carried) for row in rows)))
    roles: list[Role | None] = ["limit" if row.verdict in WRONG else None for row in rows]
    return TextTable(tuple(columns), tuple(roles))


def culverts_table(study: Study, rows: Sequence[CulvertRow]) -> TextTable:
    """Every pipe and culvert: its flow, both headwaters, what governs, what flows over the road."""
    system = study.units
    checks = [row.check for row in rows]
    heights = [row.works.barrel.barrel.height for row in rows]
    columns = [
        words("pipe or culvert", (row.works.name for row in rows)),
        words("", (row.verdict for row in rows)),
        figures("flow", "flow", _flows(rows), system),
        words("barrel", (f"{row.works.barrel.barrels} × {row.works.barrel.title}" for row in rows)),
        figures("height", "length", heights, system),
        figures("headwater", "height", [None if c is None else c.level for c in checks], system, digits=5),
        figures("allowed", "height", [row.works.headwater.value for row in rows], system, digits=5),
        figures("by inlet", "height", [None if c is None else c.by_inlet for c in checks], system, digits=5),
        figures("by outlet", "height", [None if c is None else c.by_outlet for c in checks], system, digits=5),
        words("control", ("" if c is None else c.control for c in checks)),
        figures("through", "flow", [None if c is None else c.through for c in checks], system),
        figures("over road", "flow", [None if c is None else c.over_road for c in checks], system),
        figures("velocity", "speed", [None if c is None else c.velocity for c in checks], system),
        figures("full by slope", "flow", [row.full or None for row in rows], system),
        words("flow of", (carried_words(study, row.carried) for row in rows)),
    ]
    roles: list[Role | None] = ["limit" if row.verdict == "too high" else None for row in rows]
    return TextTable(tuple(columns), tuple(roles))
