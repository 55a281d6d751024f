"""Checks of channels, pipes and culverts with the flows that govern them."""

from __future__ import annotations

from collections.abc import Iterator

from tarnwater.study.answers import Results
from tarnwater.study.answers.channel_table import WRONG, ChannelRow, channel_rows, culvert_rows
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.units import System, show

#: The code of what is wrong with a channel.
CODES = {
    "scours": "channel-scours", "spills": "channel-spills", "freeboard": "channel-freeboard",
    "above ground": "channel-above-ground",
}  # fmt: skip


def channels(results: Results, search: object) -> Iterator[Finding]:
    """Channels that scour or spill, here or where the ground beside them lies lower, and those with less freeboard."""
    study = results.study
    for row in channel_rows(study, results):
        if row.verdict not in WRONG:
            continue
        place = f"channels/{row.key}" if row.designed else f"{row.key}/method/section"
        element = study.channels[row.key].element if row.designed else row.key
        yield Finding(
            CODES[row.verdict],
            "doubt",
            f"{row.name}: {_told(row, study.units)}",
            (Remedy(_remedy(row)),),
            element=element,
            field="" if row.designed else place.partition("/")[2],
            subject=row.key,
        )


def _told(row: ChannelRow, system: System) -> str:
    """What is wrong with a channel, with its figures: of the state in which it is worst."""
    checks = [one for one in (row.bare, row.grown) if one is not None]
    if row.verdict == "scours":
        worst = max(checks, key=lambda one: one.uniform.velocity)
        speed = show(worst.uniform.velocity, "speed", system)
        return f"the water runs at {speed}; {show(worst.allowed, 'speed', system)} does not scour."
    if row.verdict == "above ground" and row.above_ground is not None:
        over, where = (show(value, "length", system) for value in row.above_ground)
        return f"{where} down its line the water stands {over} above the ground beside it."
    worst = max(checks, key=lambda one: one.uniform.depth)
    depth = show(worst.uniform.depth, "length", system)
    assert row.section is not None
    banks = show(row.section.depth, "length", system)
    if row.verdict == "spills":
        return f"the water stands {depth} deep; its banks are at {banks}."
    free = show(row.freeboard, "length", system)
    return f"the water stands {depth} deep below banks of {banks}; {free} shall be free."


def _remedy(row: ChannelRow) -> str:
    if row.verdict == "scours":
        return "Make it wider, less steep, or line it."
    if row.verdict == "above ground":
        return "Draw its line on lower ground, raise its banks there, or make it deeper."
    return "Make it wider or deeper, or raise its banks."


def culverts(results: Results, search: object) -> Iterator[Finding]:
    """Culverts before which the water stands too high."""
    study = results.study
    for row in culvert_rows(study, results):
        allowed = row.works.headwater.value
        if row.verdict != "too high" or row.check is None:
            continue
        level, bound = (show(z, "height", study.units, digits=5) for z in (row.check.level, allowed))
        yield Finding(
            "culvert-too-high",
            "doubt",
            f"{row.works.name}: the water before it stands at {level}; {bound} is allowed.",
            (Remedy("Take the next size that is made, or allow more."),),
            element=row.works.element,
            subject=row.key,
        )


OF_RESULTS = (channels, culverts)
