"""Commands on how rain becomes flow."""

from __future__ import annotations

from typing import Annotated

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import aside, echo, print_table, stamp


def rational(
    study: StudyPath,
    names: Annotated[list[str] | None, typer.Argument(help="Catchments; all of them by default")] = None,
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Reckon catchments by the rational method, with its rain, its durations and its step."""
    from tarnwater.study.edits.rational import rational_by_numbers
    from tarnwater.study.file.store import edit_study
    from tarnwater.units import show_duration

    after = edit_study(study, rational_by_numbers, names or [], condition=condition, **stamp())
    counted = ", ".join(family.name for family in after.families.values() if family.counted) or "no family yet"
    step = after.run.step.value
    echo(
        f"Reckoned by the rational method. Counted storms: {counted}"
        + (f"; step {show_duration(step)}." if step else ".")
    )
    lacking = [f"{element.name}: {one.what}" for element in after.all_elements.values() for one in element.missing()]
    for line in lacking:
        echo(f"missing: {line}")


def cut_section(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Reach with a course on the map, or catchment with a flow path")],
    width: Annotated[str, typer.Argument(help="Width across, as 30m")],
    at: Annotated[float | None, typer.Option(help="Share of its length from the head, 0 to 1")] = None,
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Cut the section of a reach, or of the channel of a flow path, from the terrain."""
    from tarnwater import units
    from tarnwater.network.elements import Reach
    from tarnwater.study.document.conditions import resolve
    from tarnwater.study.document.fields import value_at
    from tarnwater.study.edits.sections import section_by_numbers
    from tarnwater.study.file.store import edit_study_with_blobs

    metres = units.parse(width, "length")
    after = edit_study_with_blobs(study, section_by_numbers, name, metres, at, condition=condition, **stamp())
    scope = after.condition_of(condition) if condition else next(iter(after.conditions))
    made = resolve(after, scope).elements[after.key_of(name)]
    section = value_at(made, "method/section" if isinstance(made, Reach) else "channel/0")
    deep = units.show(section.depth, "length", after.units)
    echo(f"{made.name} has a section of {len(section.stations)} points, {deep} deep.")


def fit_loss_to(
    study: StudyPath,
    catchment: Annotated[str, typer.Argument(help="Catchment")],
    to: Annotated[str, typer.Argument(help="Loss that is fitted, as initial-constant or proportional")],
    surface: Annotated[str, typer.Option(help="Name of the surface; the first by default")] = "",
    condition: Annotated[str, typer.Option(help="Condition whose storms are taken")] = "",
    use: Annotated[bool, typer.Option("--use", help="Take the fitted loss into the study")] = False,
) -> None:
    """Fit a loss to the present one of a surface over the storms of the study, and show each misfit."""
    from tarnwater.runoff.losses import fit_loss
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.fitting import storms_of_fit
    from tarnwater.study.edits.fitted_loss import fitted_by_name, take_fit
    from tarnwater.study.file.store import edit_study, read_study
    from tarnwater.units import show

    known = read_study(study)[0]
    scope = known.condition_of(condition) if condition else next(iter(known.conditions))
    key, row, target, other = fitted_by_name(known, catchment, surface, to, scope)
    results = compute_cases(known, conditions=[known.conditions[scope].name])
    loss, fit = aside("Fitting", lambda _: fit_loss(target, other, storms_of_fit(results, key, scope)))
    rows = [["storm", "rain", "runoff", "fitted", "misfit", "peak", "fitted", "misfit"]]
    rows += [
        [
            one.name, show(one.depth, "rain", known.units), show(one.runoff, "rain", known.units),
            show(one.fitted_runoff, "rain", known.units), f"{100 * one.misfit:+.1f} %",
            show(one.peak, "flow", known.units), show(one.fitted_peak, "flow", known.units),
            f"{100 * one.peak_misfit:+.1f} %",
        ]
        for one in fit.storms
    ]  # fmt: skip
    print_table(rows)
    described = dict(loss.quantities())
    echo(", ".join(f"{described[n].name} {show(v, described[n].kind, known.units)}" for n, v in fit.parameters))
    if use:
        edit_study(study, take_fit, key, row, loss, fit, condition=scope if condition else "", **stamp())
        echo(f"{catchment} has the fitted loss.")


def travel_times(
    study: StudyPath,
    names: Annotated[list[str] | None, typer.Argument(help="Catchments; all of them by default")] = None,
    velocity: Annotated[str, typer.Option(help="Reference velocity; fitted to the lag where it is not typed")] = "",
    least: Annotated[str, typer.Option(help="Least velocity in a cell")] = "",
    most: Annotated[str, typer.Option(help="Greatest velocity in a cell")] = "",
    storage: Annotated[str, typer.Option(help="Storage coefficient of a linear reservoir behind")] = "",
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Give catchments the unit hydrograph of their travel times over the ground."""
    from tarnwater import units
    from tarnwater.network.elements import Catchment
    from tarnwater.study.edits.travel_times import travel_times_by_numbers
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    texts = {"reference": velocity, "slowest": least, "fastest": most, "storage": storage}
    values = {name: text for name, text in texts.items() if text}
    before = read_study(study)[0]
    after = edit_study_with_blobs(study, travel_times_by_numbers, names or [], values, condition=condition, **stamp())
    for key, element in after.all_elements.items():
        was = before.all_elements[key]
        if isinstance(element, Catchment) and isinstance(was, Catchment) and element.transform is not was.transform:
            mean = units.show_duration(round(element.transform.delay or 0.0))
            echo(f"{element.name}: mean travel time {mean}.")
