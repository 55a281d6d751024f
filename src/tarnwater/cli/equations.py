"""Equations on the command line: depths by one, and times of concentration by all."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, get_args

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import echo, print_table
from tarnwater.errors import BadInput, UnknownName

if TYPE_CHECKING:
    from tarnwater.rain.depth_equation import DepthEquation
    from tarnwater.rain.depth_table import DepthTable
    from tarnwater.rain.equations import Equation
    from tarnwater.study.document import Study


def equation(
    study: StudyPath,
    form: Annotated[str, typer.Option(help="Form of the equation; without it the forms are listed")] = "",
    row: Annotated[
        list[str] | None,
        typer.Option(help="Coefficients as 'RETURN PERIOD: a b c', or 'a m b c' for all; may be given again"),
    ] = None,
    return_periods: Annotated[str, typer.Option(help="Return periods of one row for all, as 2,10,100")] = "",
    intensity: Annotated[str, typer.Option(help="Unit of i: mm/h, in/h or mm/min")] = "mm/h",
    duration: Annotated[str, typer.Option(help="Unit of d: min or h")] = "min",
    durations: Annotated[str, typer.Option(help="Durations that it holds, as 5min,1h,24h")] = "",
    fit: Annotated[str, typer.Option(help="Depth table to which the form is fitted, in place of coefficients")] = "",
    read_table: Annotated[
        bool, typer.Option("--read-table", help="Storms read the table that the equation is fitted to")
    ] = False,
    source: Annotated[str, typer.Option(help="Where the coefficients are from")] = "",
    name: Annotated[str, typer.Option(help="Key of the depths; by default a new one, or that of the table")] = "",
) -> None:
    """Set depths by an equation: as published with its coefficients, or fitted to a table with its residuals."""
    from tarnwater.study.edits import slug
    from tarnwater.study.edits.rain import set_depths
    from tarnwater.study.file.store import edit_study, read_study

    if not form:
        _print_forms()
        return
    known = read_study(study)[0]
    chosen = _form_of(form)
    for text, allowed, option in (
        (intensity, _words_of("IntensityUnit"), "--intensity"), (duration, _words_of("DurationUnit"), "--duration"),
    ):  # fmt: skip
        if text not in allowed:
            raise UnknownName(text, list(allowed), kind="unit", where=option)
    if fit:
        made = _fitted(known, fit, chosen, intensity, duration, read_table=read_table)
        key, act = name or fit, f"fit an equation to the depths {fit}"
        _print_fit(made)
    else:
        made = _published(chosen, row or [], return_periods, intensity, duration, durations, source)
        key, act = name or slug("equation", known.tables), "type an equation of depths"
    edit_study(study, set_depths, key, made, act)
    echo(f"Set the depths {key}: {chosen.title}, {made.told}.")


def _words_of(unit: str) -> tuple[str, ...]:
    from tarnwater.rain import equations

    return get_args(getattr(equations, unit))


def _form_of(form: str) -> type[Equation]:
    from tarnwater.rain.equations import Equation

    if form not in Equation.known:
        raise UnknownName(form, list(Equation.known), kind="form", where="--form")
    return Equation.known[form]


def _print_forms() -> None:
    from tarnwater.rain.equations import Equation

    rows = [["form", "equation", "coefficients"]]
    for tag, one in Equation.known.items():
        rows.append([tag, one.equation, " ".join(one.symbols)])
    print_table(rows)


def _published(
    form: type[Equation], rows: list[str], periods: str, intensity: str, duration: str, durations: str, source: str
) -> DepthEquation:
    from tarnwater import units
    from tarnwater.rain.depth_equation import USUAL_DURATIONS, DepthEquation
    from tarnwater.study.document import checked

    given: dict[float, tuple[float, ...]] = {}
    for number, text in enumerate(rows):
        period, _, numbers = text.rpartition(":")
        if bool(period) == form.of_period:
            wanted = "'a m b c', for all return periods" if form.of_period else "'RETURN PERIOD: a b c'"
            raise BadInput(f"a row of {form.title} is {wanted}.", where=text)
        at = float(number) if form.of_period else units.parse(period, "return period")
        given[at] = tuple(units.parse(part, "factor") for part in numbers.replace(",", " ").split())
    if not given:
        raise BadInput("the coefficients are missing.", remedy="Give --row, or a table with --fit.")
    of = tuple(units.listed(periods, "return period")) if form.of_period else tuple(sorted(given))
    fields: dict[str, Any] = {
        "coefficients": tuple(given[at] for at in sorted(given)), "return_periods": of, "intensity_unit": intensity,
        "duration_unit": duration,
    }  # fmt: skip
    own = tuple(units.listed(durations, "time")) if durations else USUAL_DURATIONS
    return checked(lambda: DepthEquation(equation=form(**fields), durations=own, source=source), form.title)


def _fitted(
    study: Study, key: str, form: type[Equation], intensity: str, duration: str, *, read_table: bool
) -> DepthEquation:
    from tarnwater.rain.depth_equation import fitted_to

    held = study.tables.get(key)
    table: DepthTable | None = None if held is None else held.typed_table
    if table is None:
        raise UnknownName(key, [k for k, t in study.tables.items() if t.typed_table], kind="depth table", where="--fit")
    made = fitted_to(form, table, intensity_unit=intensity, duration_unit=duration)  # type: ignore[arg-type]
    return made.model_copy(update={"read": "points"}) if read_table else made


def _print_fit(made: DepthEquation) -> None:
    from tarnwater import units

    assert made.points is not None
    rows = [["residual", *(f"1 in {t:g}" for t in made.points.return_periods)]]
    for seconds, shares in zip(made.points.durations, made.residuals, strict=True):
        rows.append([units.show_duration(seconds), *(f"{100 * share:+.2f} %" for share in shares)])
    print_table(rows)
    duration, period, worst = made.greatest_residual or (0.0, 0.0, 0.0)
    echo(f"greatest: {100 * worst:+.2f} % at {units.show_duration(duration)}, 1 in {period:g}")
    for number, row in enumerate(made.equation.coefficients):
        where = "" if made.equation.of_period else f"1 in {made.equation.return_periods[number]:g}: "
        values = zip(made.equation.symbols, row, strict=False)
        echo(where + ", ".join(f"{symbol} = {value:.6g}" for symbol, value in values))


def times(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="The catchment; by default all of them")] = "",
    condition: Annotated[str, typer.Option(help="The condition; by default the first")] = "",
) -> None:
    """Print the time of concentration and the lag of catchments by every equation, with what is outside its range."""
    from tarnwater import units
    from tarnwater.brief.times import spread_words, time_rows
    from tarnwater.network.elements import Catchment
    from tarnwater.study.document.conditions import resolve
    from tarnwater.study.file.store import read_study

    known = read_study(study)[0]
    network = resolve(known, known.condition_of(condition) if condition else next(iter(known.conditions)))
    keys = [known.key_of(name)] if name else list(network.elements)
    catchments = [one for key in keys if isinstance(one := network.elements.get(key), Catchment)]
    if not catchments:
        raise BadInput("there is no such catchment.", where=name, remedy="Name a catchment of the study.")
    for one in catchments:
        rows = time_rows(one, known.units)
        echo(f"\n{one.name}: {spread_words(rows)}".removesuffix(": "))
        table = [["", "equation", "Tc", "lag", ""]]
        for row in rows:
            shown = ["–" if t is None else units.show_duration(round(t)) for t in (row.concentration, row.lag)]
            table.append(["*" if row.chosen else "", row.kind.title, *shown, row.lacking or row.outside])
        print_table(table)
