"""Commands on channels, pipes and culverts."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import echo, print_table, stamp

if TYPE_CHECKING:
    from tarnwater import units
    from tarnwater.routing.channels import Section
    from tarnwater.study.answers import Results
    from tarnwater.study.document import Study
    from tarnwater.study.edits.channels import Kind


def channels(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Channel to set; all are listed without one")] = "",
    values: Annotated[
        list[str] | None,
        typer.Argument(help="FIELD=VALUE, as element='Hill field' slope=0.9% line='Alignment 1' bottom_width=0.6m"),
    ] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Remove it")] = False,
) -> None:
    """List channels and reaches with the flow that governs them, or set, add or remove a channel."""
    from tarnwater.brief.channel_tables import channels_table
    from tarnwater.study.answers.channel_table import channel_rows

    known, results = _set_works(study, "channels", name, values, remove)
    rows = channel_rows(known, results)
    if not rows:
        echo("There are no channels, and no reaches.")
        return
    print_table(channels_table(known, rows).as_lines)


def culverts(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Pipe or culvert to set; all are listed without one")] = "",
    values: Annotated[
        list[str] | None,
        typer.Argument(help="FIELD=VALUE, as element='Yard outlet' headwater=1.6m diameter=0.9m road_level=2m"),
    ] = None,
    size: Annotated[bool, typer.Option("--size", help="Take the next size that is made for its headwater")] = False,
    remove: Annotated[bool, typer.Option("--remove", help="Remove it")] = False,
) -> None:
    """List pipes and culverts with the flow that governs them, or set, size, add or remove one."""
    from tarnwater.brief.channel_tables import culverts_table
    from tarnwater.errors import BadInput
    from tarnwater.routing.works.culvert_design import sized_culvert
    from tarnwater.routing.works.made import made_pipes
    from tarnwater.study.answers.channel_table import culvert_rows, road_of
    from tarnwater.study.edits.channels import set_works
    from tarnwater.study.file.store import edit_study

    known, results = _set_works(study, "culverts", name, values, remove)
    rows = culvert_rows(known, results)
    if size:
        row = next((one for one in rows if name in (one.key, one.works.name)), None)
        allowed = None if row is None else row.works.headwater.value
        if row is None or row.carried is None or allowed is None:
            lacking = "a name" if row is None else "its flow" if row.carried is None else "the allowed headwater"
            raise BadInput(f"{lacking} is missing.", where=name or "--size", remedy="Give it.")
        works = row.works
        made = sized_culvert(
            works.barrel, row.carried.flow, allowed, works.tailwater.value, road_of(works), made_pipes(known.units)
        )  # fmt: skip
        known = edit_study(study, set_works, "culverts", row.key, (("barrel", made),), **stamp())
        rows = culvert_rows(known, results)
    if not rows:
        echo("There are no pipes or culverts.")
        return
    print_table(culverts_table(known, rows).as_lines)


def pipes(
    study: StudyPath,
    areas: Annotated[list[str] | None, typer.Argument(help="Catchments; all without a pipe by default")] = None,
    slope: Annotated[str, typer.Option(help="Slope of each pipe")] = "1%",
    length: Annotated[str, typer.Option(help="Length of each pipe")] = "30m",
    roughness: Annotated[float, typer.Option(help="Roughness of each pipe by Manning")] = 0.013,
    made: Annotated[str, typer.Option(help="Diameters that are made, as '150mm, 225mm, 300mm'")] = "",
) -> None:
    """Add a pipe for each of several inlet areas, of the smallest size that carries its flow full."""
    from tarnwater import units
    from tarnwater.brief.channel_tables import culverts_table
    from tarnwater.errors import BadInput
    from tarnwater.routing.works.made import made_pipes
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.channel_table import culvert_rows
    from tarnwater.study.answers.inlet_pipes import PipeRun, inlet_areas, inlet_pipes
    from tarnwater.study.edits.channels import add_inlet_pipes
    from tarnwater.study.file.store import edit_study, read_study

    known = read_study(study)[0]
    results = compute_cases(known)
    offered = {one.key: one for one in inlet_areas(known, results)}
    keys = [known.key_of(name) for name in areas or []] or list(offered)
    if unfit := next((key for key in keys if key not in offered), ""):
        raise BadInput(
            "it is no catchment, or has a pipe.", where=known.name_of(unfit), remedy="Name catchments without a pipe."
        )
    in_units = "mm" if known.units == "SI" else "in"
    sizes = tuple(units.listed(made, "length", default=in_units)) if made else made_pipes(known.units)
    run = PipeRun(units.parse(length, "length"), units.parse(slope, "slope"), roughness, sizes)
    added = inlet_pipes(known, [offered[key] for key in keys], run)
    known = edit_study(study, add_inlet_pipes, added)
    names = {one.name for one in added}
    rows = [row for row in culvert_rows(known, results) if row.works.name in names]
    print_table(culverts_table(known, rows).as_lines)


def _set_works(
    study: Path, kind: Kind, name: str, values: list[str] | None, remove: bool
) -> tuple[Study, Results | None]:
    """The study after works were set or removed, with its results where it has rain."""
    from tarnwater.errors import BadInput, ComputationFailed, UnknownName
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.edits.channels import remove_works, works_by_name_on_ground
    from tarnwater.study.file.store import edit_study, edit_study_with_blobs, read_study

    wrong = next((one for one in values or [] if "=" not in one), None)
    if wrong is not None:
        raise BadInput("it is no value.", where=wrong, remedy="Write FIELD=VALUE, as slope=0.5%.")
    if remove:
        held = getattr(read_study(study)[0], kind)
        key = next((k for k, one in held.items() if name in (k, one.name)), None)
        if key is None:
            raise UnknownName(name, [one.name for one in held.values()], kind=kind.removesuffix("s"))
        edit_study(study, remove_works, kind, key)
    elif name:
        given = dict(one.partition("=")[::2] for one in values or [])
        edit_study_with_blobs(study, works_by_name_on_ground, kind, name, given, **stamp())
    known = read_study(study)[0]
    try:
        return known, compute_cases(known)
    except ComputationFailed:
        # a typed flow needs no rain
        return known, None


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
