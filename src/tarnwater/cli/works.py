"""Commands on ponds and their outlet works."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import aside, echo, print_table, stamp

if TYPE_CHECKING:
    from tarnwater.network.elements import Pond
    from tarnwater.study.document import Study


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
    from tarnwater.routing.works.made import made_openings
    from tarnwater.study.answers.outlet_proposal import Proposing, Wish, take_proposal
    from tarnwater.study.answers.sizing import pond_by_name
    from tarnwater.study.file.store import edit_study, read_study

    known = read_study(study)[0]
    key, point, home = pond_by_name(known, pond, at, condition)
    given = [units.parse(text, "length") for text in sizes.split(",")] if sizes else made_openings(known.units)
    made = tuple(sorted(given))
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
    ] = "",
    along: Annotated[str, typer.Option(help="Or a line of the map along which it lies, by name")] = "",
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
    from tarnwater.study.document.feature_lines import feature_named, line_of
    from tarnwater.study.edits.conditioning import terrain_of
    from tarnwater.study.edits.impounding import crest_above, dam_by_numbers, water_behind
    from tarnwater.study.file.store import edit_study_with_blobs, read_study
    from tarnwater.terrain.impoundment import Dam

    if bool(line) == bool(along):
        raise BadInput("the dam has a line of its own or one of the map.", where="--line, --along",
                       remedy="Give one of the two.")  # fmt: skip
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
    if along:
        feature = known.ground_features[feature_named(known, along)]
        places = [(float(x), float(y)) for x, y in line_of(feature, blobs)]
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
    from tarnwater.brief.pond_tables import cases_table
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.pond_table import highest_of, pond_rows
    from tarnwater.study.file.store import read_study

    known = read_study(study)[0]
    results = compute_cases(known, conditions=[condition] if condition else None)
    keys = [known.key_of(name) for name in names or []] or [k for k, e in known.all_elements.items() if e.has_level]

    for key in keys:
        rows = pond_rows(results, key)
        if not rows:
            echo(f"{known.name_of(key)} stores no water, or no storm is computed through it.")
            continue
        echo(f"{known.name_of(key)}, the flows of its devices at the highest level beside:")
        print_table(cases_table(results, rows if every else highest_of(rows)).as_lines)


def required(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond")],
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Show what is required of a pond, what was found, and by how much it is kept or missed; exit code 1 if missed."""
    from tarnwater.brief.pond_tables import requirements_table
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.pond_events import pond_events
    from tarnwater.study.answers.requirements import requirements
    from tarnwater.study.checks import check_results
    from tarnwater.study.file.store import read_study

    known = read_study(study)[0]
    results, key = compute_cases(known), known.key_of(pond)
    events = pond_events(results, key)
    if condition:
        events = [one for one in events if one.condition == known.condition_of(condition)]
    if not events:
        echo(f"{pond} stores no water, or no storm is computed through it.")
        raise typer.Exit(1)
    those = requirements(results, key, events)
    live = {(f.code, f.element, f.condition) for f in check_results(results) if f.severity == "accepted"}
    accepted = [
        (one.code, one.element, one.condition, one.reason)
        for one in known.accepted
        if (one.code, one.element, one.condition) in live
    ]
    table = requirements_table(known, those, accepted)
    print_table(table.as_lines)
    if any(role is not None for role in table.roles):
        raise typer.Exit(1)


def inlet(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond")],
    capacity: Annotated[str, typer.Argument(help="Most that its inlet lets in, as 200L/s; the rest goes by")],
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Put an inlet before a pond, as of a buried storage, that lets in so much at most; the rest goes by."""
    from tarnwater import units
    from tarnwater.study.edits.in_conditions import home_of
    from tarnwater.study.edits.works import limit_inlet
    from tarnwater.study.file.store import edit_study, read_study

    known = read_study(study)[0]
    key = known.key_of(pond)
    home = known.condition_of(condition) if condition else "" if key in known.elements else home_of(known, key)
    edit_study(study, limit_inlet, key, units.parse(capacity, "flow"), condition=home)
    echo(f"{pond} takes {units.show(units.parse(capacity, 'flow'), 'flow', known.units)} at most; the rest goes by.")


def levels(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond")],
    increment: Annotated[str, typer.Option(help="Increment of the levels, as 0.1m; a round one by default")] = "",
    condition: Annotated[str, typer.Option(help="Condition; the first with the pond")] = "",
) -> None:
    """Show a pond by level: area, volume, the flow of each device, what governs, and the time to empty from there."""
    from tarnwater import units
    from tarnwater.brief.pond_tables import levels_table, recovered_words
    from tarnwater.study.answers.level_table import level_table
    from tarnwater.study.file.store import read_study

    known = read_study(study)[0]
    step = units.parse(increment, "length") if increment else None
    owner = _pond_of(known, pond, condition)
    print_table(levels_table(known, level_table(owner, step)).as_lines)
    if told := recovered_words(owner):
        echo(told)


def draw_out(
    study: StudyPath,
    pond: Annotated[str, typer.Argument(help="Pond")],
    file: Annotated[Path, typer.Argument(help="File to write: *.pdf, *.svg, *.png or *.dxf")],
    plan: Annotated[bool, typer.Option("--plan", help="The plan instead of the section")] = False,
    condition: Annotated[str, typer.Option(help="Condition; the first with the pond")] = "",
) -> None:
    """Draw the section of a pond with its outlet works, or its plan, to scale, with dimensions."""
    from tarnwater.brief.drawings import save_drawing
    from tarnwater.errors import BadInput
    from tarnwater.study.file.store import read_study
    from tarnwater.study.pictures.pond_plan import pond_plan
    from tarnwater.study.pictures.pond_section import pond_section

    known = read_study(study)[0]
    owner = _pond_of(known, pond, condition)
    section = None if plan else pond_section(owner, known.units)
    drawing = pond_plan(owner, known.units) if plan else section.drawing if section is not None else None
    if drawing is None:
        raise BadInput("it has no storage to draw.", where=pond, remedy="Add storage.")
    try:
        save_drawing(drawing, file)
    except ValueError as error:
        raise BadInput(f"{error}.", where=str(file), remedy="Choose one of these.") from None
    echo(f"{file} is written: {drawing.told}.")


def _pond_of(known: Study, name: str, condition: str) -> Pond:
    """A pond by its name, in a condition or in the first that has it."""
    from tarnwater.errors import BadInput
    from tarnwater.network.elements import Pond
    from tarnwater.study.document.conditions import resolve

    key = known.key_of(name)
    there = [known.condition_of(condition)] if condition else list(known.conditions)
    owners = (resolve(known, one).elements.get(key) for one in there)
    found = next((one for one in owners if one is not None), None)
    if not isinstance(found, Pond):
        raise BadInput("it is no pond of this condition.", where=name, remedy="Name a pond.")
    return found
