"""Commands on ponds and their outlet works."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import aside, echo, print_table, stamp

if TYPE_CHECKING:
    from tarnwater import units
    from tarnwater.routing.channels import Section


def limit(
    study: StudyPath,
    point: Annotated[str, typer.Argument(help="Design point; another element becomes one")],
    values: Annotated[
        list[str] | None,
        typer.Argument(help="PERIOD=LIMIT, as 100=60L/s, 10=Existing or 2='90 % of Existing'; 10= clears one"),
    ] = None,
) -> None:
    """Set the allowed peaks of a design point by return period, and show them."""
    from tarnwater.errors import BadInput
    from tarnwater.study import edits
    from tarnwater.study.document.limits import limit_words
    from tarnwater.study.file.store import edit_study, read_study

    given = dict(one.partition("=")[::2] for one in values or [])
    wrong = next((one for one in values or [] if "=" not in one), None)
    if wrong is not None:
        raise BadInput("it is no limit.", where=wrong, remedy="Write PERIOD=LIMIT, as 100=60L/s.")
    after = edit_study(study, edits.set_limits_by_name, point, given) if given else read_study(study)[0]
    known = after.design_points.get(after.key_of(point))
    if known is None or not known.limits:
        echo(f"{point} has no limit.")
    for one in () if known is None else known.limits:
        echo(f"1 in {one.return_period:g}: {limit_words(after, one)}")


def size(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond")],
    dimension: Annotated[str, typer.Argument(help="Dimension by its path, as devices.low.diameter or storage.0.depth")],
    least: Annotated[str, typer.Option(help="Least size, as 50mm")],
    most: Annotated[str, typer.Option(help="Greatest size, as 1m")],
    below: Annotated[str, typer.Option(help="Goal: no level above this one, as 92.4m")] = "",
    empty_in: Annotated[str, typer.Option(help="Goal: from full to 1 % of its volume in this time, as 24h")] = "",
    at: Annotated[str, typer.Option(help="Design point whose limits are kept; the nearest below by default")] = "",
    condition: Annotated[str, typer.Option(help="Condition whose storms are taken; the first with the pond")] = "",
    use: Annotated[bool, typer.Option("--use", help="Take the size into the study")] = False,
) -> None:
    """Find one dimension of a pond so that the limits below are kept, or that it stays below a level or empties."""
    from tarnwater import units
    from tarnwater.errors import BadInput
    from tarnwater.study import edits
    from tarnwater.study.answers.sizing import EmptyWithin, KeepLimits, StayBelow, sizing_by_name
    from tarnwater.study.file.store import edit_study, read_study

    if below and empty_in:
        raise BadInput("two goals are given.", where="--below, --empty-in", remedy="Give one, or none for the limits.")
    known = read_study(study)[0]
    sizing = sizing_by_name(known, pond, dimension, at, condition)
    low, high = (edits.read_value(sizing.pond, sizing.field, text) for text in (least, most))
    goal = (
        StayBelow(units.parse(below, "height")) if below
        else EmptyWithin(units.parse(empty_in, "time")) if empty_in
        else KeepLimits()
    )  # fmt: skip
    try:
        found = aside("Sizing", lambda progress: sizing.solve(goal, low, high, progress))
    except BadInput as error:
        error.in_units(known.units)
        raise
    trial = sizing.trial(found.size)
    shown = units.show(found.size, sizing.kind, known.units)
    bound = ", a bound that was given" if found.at_bound else ""
    echo(f"{pond}, {dimension}: {shown}{bound}; {len(found.tried)} sizes tried.")
    rows = [["storm", "highest level", "outflow", f"peak at {known.name_of(sizing.point)}", "limit"]]
    for case in trial.governing:
        limit = trial.results.limit(sizing.point, case.case.event, sizing.condition)
        pool = case.pool(sizing.key)
        rows.append([
            f"1 in {case.case.event:g}" if isinstance(case.case.event, float) else str(case.case.event),
            "" if pool is None else units.show(pool.top, "height", known.units),
            units.show(case.peak(sizing.key).ordinate, "flow", known.units),
            units.show(case.peak(sizing.point).ordinate, "flow", known.units),
            "" if limit is None else units.show(limit, "flow", known.units),
        ])  # fmt: skip
    print_table(rows)
    if use:
        values = [(sizing.key, sizing.field, found.size)]
        note = f"sized for {goal.title}"
        edit_study(study, edits.type_values, values, condition=sizing.home, note=note, **stamp())
        echo(f"{pond} has this size.")


def outlet(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond with storage")],
    riser: Annotated[
        str, typer.Option(help="Its riser, into which the openings discharge; they lead out without")
    ] = "",
    share: Annotated[str, typer.Option(help="Share of each limit that may be used")] = "100%",
    sizes: Annotated[str, typer.Option(help="Diameters that are made, as '100mm, 150mm, 225mm'")] = "",
    least_storage: Annotated[
        bool, typer.Option("--least-storage", help="Find the least plan of its storage too")
    ] = False,
    at: Annotated[str, typer.Option(help="Design point whose limits are kept; the nearest below by default")] = "",
    condition: Annotated[str, typer.Option(help="Condition; the first with the pond")] = "",
    use: Annotated[bool, typer.Option("--use", help="Take it into the study")] = False,
) -> None:
    """Propose a whole outlet for all limits at once: openings that are made, and a spillway for rarer storms."""
    from tarnwater import units
    from tarnwater.errors import BadInput
    from tarnwater.study.answers.outlet_proposal import MADE, Proposing, Wish, take_proposal
    from tarnwater.study.answers.sizing import pond_by_name
    from tarnwater.study.file.store import edit_study, read_study

    known = read_study(study)[0]
    key, point, home = pond_by_name(known, pond, at, condition)
    made = tuple(sorted(units.parse(text, "length") for text in sizes.split(","))) if sizes else MADE
    proposing = Proposing(known, key, point, home, Wish(made, units.parse(share, "share"), riser, least_storage))
    try:
        found = aside("Sizing the outlet", proposing.propose)
    except BadInput as error:
        error.in_units(known.units)
        raise
    for one in found.devices:
        sized = ", ".join(
            f"{described.name} {units.show(value, described.kind, known.units)}"
            for name, described in one.quantities()
            if name in ("bottom", "crest", "diameter", "length") and isinstance(value := getattr(one, name), float)
        )
        echo(f"{one.sign}, {one.title}: {sized}")
    if found.plan != 1.0:
        echo(f"plan of the storage times {found.plan:.3g}")
    rows = [["event", f"peak at {known.name_of(point)}", "limit", "highest level"]]
    rows += [
        [
            f"1 in {one.event:g}", units.show(one.peak, "flow", known.units),
            "" if one.limit is None else units.show(one.limit, "flow", known.units),
            units.show(one.level, "height", known.units),
        ]
        for one in found.kept
    ]  # fmt: skip
    print_table(rows)
    if use:
        edit_study(study, take_proposal, key, found, condition=proposing.home, **stamp())
        echo(f"{pond} has this outlet.")


def dam(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond that gets the storage")],
    line: Annotated[
        str, typer.Option(help="The dam from end to end, in coordinates of the study, as '500,900 560,930'")
    ],
    crest: Annotated[str, typer.Option(help="Level of the crest, as 92.4m")] = "",
    height: Annotated[str, typer.Option(help="Or its height above the lowest ground under it, as 3m")] = "",
    crest_width: Annotated[str, typer.Option(help="Width of the crest")] = "3m",
    sides: Annotated[str, typer.Option(help="Run over rise of the wet and the dry side")] = "3, 2",
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Cut the storage of a pond from the terrain: the valley behind a dam, by level, and the earth that it takes."""
    import numpy as np

    from tarnwater import units
    from tarnwater.errors import BadInput
    from tarnwater.network.elements import Pond
    from tarnwater.study.document.conditions import resolve
    from tarnwater.study.edits.conditioning import terrain_of
    from tarnwater.study.edits.impounding import crest_above, dam_by_numbers, water_behind
    from tarnwater.study.file.store import edit_study_with_blobs, read_study
    from tarnwater.terrain.impoundment import Dam

    if bool(crest) == bool(height):
        raise BadInput("the crest has a level or a height.", where="--crest, --height", remedy="Give one of the two.")
    try:
        places = [tuple(float(part) for part in text.split(",")) for text in line.split()]
        wet, dry = (units.parse(text, "factor") for text in sides.split(","))
    except ValueError:
        raise BadInput(
            "it is no list of numbers.",
            where=f"{line}; {sides}",
            remedy="Write places as 500,900 560,930, sides as 3, 2.",
        ) from None
    if any(len(place) != 2 for place in places):
        raise BadInput("a place has two coordinates.", where=line, remedy="Write them as 500,900 560,930.")
    known, blobs = read_study(study)
    drainage = terrain_of(known, blobs)
    top = units.parse(crest, "height") if crest else crest_above(drainage, places, units.parse(height, "length"))
    made = Dam(np.array(places), top, units.parse(crest_width, "length"), wet, dry)
    after = edit_study_with_blobs(study, dam_by_numbers, pond, made, condition=condition, **stamp())
    scope = after.condition_of(condition) if condition else next(iter(after.conditions))
    key = after.key_of(pond)
    owner = resolve(after, scope).elements.get(key, after.all_elements[key])
    assert isinstance(owner, Pond)
    found = water_behind(drainage, owner, made)
    echo(
        f"{pond} holds {units.show(float(found.volumes[-1]), 'volume', after.units)} on "
        f"{units.show(float(found.areas[-1]), 'area', after.units)} below {units.show(top, 'height', after.units)}; "
        f"the dam takes {units.show(found.earth, 'volume', after.units)} of earth."
    )


def ponds(
    study: StudyPath,
    names: Annotated[list[str] | None, typer.Argument(help="Ponds; all of them by default")] = None,
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
    every: Annotated[bool, typer.Option("--every", help="Every case, not only the one of the highest level")] = False,
) -> None:
    """Show the levels of ponds in all storms: volume, freeboard, flows of the devices, overflow and drain time."""
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.pond_table import PondRow, highest_of, pond_rows
    from tarnwater.study.answers.storms import storm_title
    from tarnwater.study.file.store import read_study
    from tarnwater.units import show, show_duration

    known = read_study(study)[0]
    results = compute_cases(known, conditions=[condition] if condition else None)
    keys = [known.key_of(name) for name in names or []] or [k for k, e in known.all_elements.items() if e.has_level]

    def told(row: PondRow) -> list[str]:
        drains = "never" if row.drain_time == float("inf") else show_duration(round(row.drain_time))
        return [
            known.conditions[row.case.case.condition].name, storm_title(known, row.case.case.storm),
            show(row.top, "height", known.units), show_duration(round(row.time)),
            show(row.stored, "volume", known.units), show(row.share, "share", known.units),
            show(row.freeboard, "length", known.units) + ("" if row.keeps_freeboard else " !"),
            show(row.inflow, "flow", known.units), show(row.outflow, "flow", known.units),
            show(row.spilled, "volume", known.units) if row.spilled else "none", drains,
        ]  # fmt: skip

    for key in keys:
        rows = pond_rows(results, key)
        if not rows:
            echo(f"{known.name_of(key)} stores no water, or no storm is computed through it.")
            continue
        shown = rows if every else highest_of(rows)
        echo(f"{known.name_of(key)}, the flows of its devices at the highest level beside:")
        heads = ["condition", "storm", "highest", "at", "held", "of all", "freeboard", "inflow", "outflow", "overflow",
                 "drains in"]  # fmt: skip
        signs = list(dict.fromkeys(sign for row in shown for sign in row.by_device))
        table = [[*heads, *signs]]
        for row in shown:
            flows = (row.by_device.get(sign) for sign in signs)
            table.append([*told(row), *("" if f is None else show(f, "flow", known.units) for f in flows)])
        print_table(table)


def ditch(
    values: Annotated[
        list[str] | None, typer.Argument(help="FIELD=VALUE of the shape, as bottom_width=0.6m side_slope=2")
    ] = None,
    flow: Annotated[str, typer.Option(help="Flow, as 2.5m3/s; or --study and --element for the greatest peak")] = "",
    study: Annotated[Path | None, typer.Option(help="Study whose cases give the flow")] = None,
    element: Annotated[str, typer.Option(help="Element of the study whose greatest peak it carries")] = "",
    slope: Annotated[str, typer.Option(help="Slope of the bed, as 0.4%")] = "",
    shape: Annotated[str, typer.Option(help="trapezoid, parabola, circle or surveyed")] = "trapezoid",
    ground: Annotated[str, typer.Option(help="Ground that must not scour, as 'Stiff clay'")] = "",
    silty: Annotated[bool, typer.Option("--silty", help="The water carries fine silt")] = False,
    grown: Annotated[float | None, typer.Option(help="Roughness when grown over, for the depth")] = None,
    depth: Annotated[str, typer.Option(help="Depth at which the flow passes, with --solve")] = "",
    solve: Annotated[
        str, typer.Option(help="Unknown: slope, roughness, a size as bottom_width, or width-and-depth for the ground")
    ] = "",
) -> None:
    """Design a channel: depth, velocity, freeboard and shear of a flow, or one unknown of it."""
    from tarnwater import units
    from tarnwater.errors import BadInput
    from tarnwater.routing.channels import Section, design
    from tarnwater.study.edits.assignments import new_method

    asked = dict(text.partition("=")[::2] for text in values or [])
    known = None if not ground else design.ground_named(ground)
    if known is not None:
        asked.setdefault("roughness", str(known.roughness))
    carried: float | None = None
    system: units.System = "SI"
    if study is not None:
        carried, system = _flow_of(study, element)
    if flow:
        carried = units.parse(flow, "flow")
    if carried is None or (not slope and solve != "slope"):
        missing = "the flow" if carried is None else "the slope"
        raise BadInput(f"{missing} is missing.", where="ditch", remedy="Give --flow or --study, and --slope.")
    section = new_method(Section, shape, asked, "ditch")
    assert isinstance(section, Section)
    on = units.parse(slope, "slope") if slope else 0.0
    allowed = None if known is None else known.silty if silty else known.clear
    at = units.parse(depth, "length") if depth else None
    section, on = design.solved(section, solve, carried, on, at, allowed) if solve else (section, on)
    for line in _told_of(section, carried, on, allowed, grown, system):
        echo(line)


def _flow_of(study: Path, element: str) -> tuple[float, units.System]:
    """The greatest counted peak of an element in a study, m3/s, and its system of units."""
    from tarnwater import units
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.storms import storm_title
    from tarnwater.study.file.store import read_study

    known = read_study(study)[0]
    results, key = compute_cases(known), known.key_of(element)
    cases = [c for c in results.cases if c.standing == "counted" and key in c.network.elements]
    worst = max(cases, key=lambda case: case.peak(key).ordinate)
    peak, storm = worst.peak(key).ordinate, storm_title(known, worst.case.storm)
    condition = known.conditions[worst.case.condition].name
    echo(f"{known.name_of(key)} carries {units.show(peak, 'flow', known.units)} in {condition}, {storm}.")
    return peak, known.units


def _told_of(
    section: Section, flow: float, slope: float, allowed: float | None, grown: float | None, system: units.System
) -> list[str]:
    """A channel in words, as it is and as it is grown over."""
    from tarnwater import units
    from tarnwater.routing.channels import design

    sizes = ", ".join(
        f"{described.name} {units.show(value, described.kind, system)}"
        for name, described in section.quantities() if isinstance(value := getattr(section, name), float)
    )  # fmt: skip
    told = [f"{section.title}: {sizes}; slope {units.show(slope, 'slope', system)}"]
    states = [("" if grown is None else "bare, ", section)]
    if grown is not None:
        states.append(("grown, ", section.model_copy(update={"roughness": grown})))
    for name, state in states:
        check = design.checked_channel(state, flow, slope, allowed)
        uniform = check.uniform
        limit = "" if allowed is None else f" of {units.show(allowed, 'speed', system)} allowed"
        told.append(
            f"{name}depth {units.show(uniform.depth, 'length', system)}, critical "
            f"{units.show(uniform.critical_depth, 'length', system)}, velocity "
            f"{units.show(uniform.velocity, 'speed', system)}{limit}{' (scours)' if check.scours else ''}, Froude "
            f"{uniform.froude:.2f}, shear {uniform.shear:.1f} N/m², freeboard "
            f"{units.show(check.freeboard, 'length', system)}{' (spills)' if check.spills else ''}"
        )
    return told
