"""Commands of cover and soil: maps, what their values mean, the table of a catchment, and the classes."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import echo, print_table
from tarnwater.errors import BadInput

if TYPE_CHECKING:
    from tarnwater.cover import CoverClass
    from tarnwater.study.document import Study


def land(
    study: StudyPath,
    catchment: Annotated[list[str] | None, typer.Argument(help="Catchments to print; by default all")] = None,
    source: Annotated[
        Path | None, typer.Option("--from", help="GeoPackage, shapefile, GeoJSON, DXF, or a grid of classes")
    ] = None,
    holds: Annotated[str, typer.Option(help="What it holds: cover, soil-group or soil-texture")] = "cover",
    field: Annotated[str, typer.Option(help="Field with the values; by default the one that is best known")] = "",
    layer: Annotated[str, typer.Option(help="Layer of that file, if it has several")] = "",
    crs: Annotated[str, typer.Option(help="Coordinate system where that file states none")] = "",
    swap_axes: Annotated[bool, typer.Option("--swap-axes", help="Take the first coordinate for the second")] = False,
    join: Annotated[Path | None, typer.Option(help="A table (CSV) whose columns become fields")] = None,
    key: Annotated[str, typer.Option(help="Key of that table, as FIELD=COLUMN")] = "",
    name: Annotated[str, typer.Option(help="Name of the layer")] = "",
    of_condition: Annotated[str, typer.Option(help="The condition that the layer belongs to")] = "",
    means: Annotated[
        list[str] | None, typer.Option(help="What a value means, as VALUE=CLASS; may be given again")
    ] = None,
    of_layer: Annotated[str, typer.Option(help="The layer whose values are meant, without --from")] = "",
    remove: Annotated[list[str] | None, typer.Option(help="A layer to remove, by name")] = None,
    measure: Annotated[bool, typer.Option("--measure", help="Measure cover and soil again")] = False,
    use: Annotated[str, typer.Option(help="What catchments get: surfaces or composite")] = "",
    default_cover: Annotated[str | None, typer.Option(help="Cover where no map tells any")] = None,
    default_soil: Annotated[str | None, typer.Option(help="Soil group where no map tells any")] = None,
    default_texture: Annotated[str | None, typer.Option(help="Soil texture where no map tells any")] = None,
    drained: Annotated[
        bool | None, typer.Option("--drained/--not-drained", help="Whether land of dual soil groups is drained")
    ] = None,
    rain: Annotated[str, typer.Option(help="The rain whose runoff is printed, as 50mm")] = "",
    condition: Annotated[str, typer.Option(help="The condition to print; by default the first")] = "",
    return_period: Annotated[float, typer.Option(help="Return period of the runoff coefficients, years")] = 10.0,
) -> None:
    """Bring in maps of cover and soil, say what their values mean, and print the table of each catchment."""
    from tarnwater import units
    from tarnwater.study.edits.land_by_numbers import LayerSource, holds_named, land_by_numbers
    from tarnwater.study.file.kept import read_kept
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    given: dict[str, Any] = {
        "default_cover": default_cover, "default_soil": default_soil, "default_texture": default_texture,
        "drained": drained, "rain": units.parse(rain, "rain", default="mm") if rain else None,
    }  # fmt: skip
    rules = {key: value for key, value in given.items() if value is not None}
    if not 1 <= return_period <= 1e6:
        what = f"a return period of {return_period:g} years is none that can be used."
        raise BadInput(what, where="--return-period", remedy="Give one from 1 to 1,000,000 years.")
    if use not in ("", "surfaces", "composite"):
        raise BadInput(f"“{use}” is no way to use cover and soil.", where="--use", remedy="Give surfaces or composite.")
    if source or means or remove or measure or rules or use:
        kept = read_kept()
        kind = holds_named(holds)
        asked = None
        if source is not None:
            asked = LayerSource(
                source, kind, field, layer, crs, swap_axes, join, key, name, of_condition, kept.of(kind)
            )  # fmt: skip
        known = edit_study_with_blobs(
            study,
            land_by_numbers,
            source=asked,
            means=means or (),
            of_layer=of_layer,
            remove=remove or (),
            rules=rules,
            uses=use,
            classes=kept.classes,
            tell=lambda text: echo(f"note: {text}"),
        )
    else:
        known = read_study(study)[0]
    print_layers(known)
    _print_tables(known, condition, catchment or [], return_period)


def print_layers(study: Study) -> None:
    """Write the layers of cover and soil with their values."""
    from tarnwater.formats.joining import in_one_line
    from tarnwater.units import show

    for layer in study.land_layers.values():
        where = f", in {study.conditions[layer.condition].name}" if layer.condition else ""
        echo(f"{layer.name}: {layer.holds}{where}, from {layer.source or 'the study'}")
        rows = [["value", "polygons", "area", "means"]]
        for one in layer.values:
            rows.append(
                [in_one_line(one.value), str(one.count), show(one.area, "area", study.units), one.means or "unknown"]
            )
        print_table(rows)


def _print_tables(study: Study, condition: str, names: list[str], return_period: float) -> None:
    from tarnwater.brief.land import land_pages

    where = study.condition_of(condition) if condition else next(iter(study.conditions))
    keys = [study.key_of(name) for name in names]
    pages = list(land_pages(study, where, keys, return_period))
    for name, rows, runoff in pages:
        echo(f"{name}, {study.conditions[where].name}, coefficients for 1 in {return_period:g} years")
        print_table(rows)
        for line in runoff:
            echo(line)
    if not pages:
        echo("No catchment has cover and soil. Bring in a map with --from FILE, or type its curve number.")


def classes(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="A class to set")] = "",
    values: Annotated[
        list[str] | None, typer.Argument(help="Its fields, as group_a=39 coefficient=0.3", metavar="[FIELD=VALUE]")
    ] = None,
    remove: Annotated[str, typer.Option(help="A class of the study to remove")] = "",
    keep: Annotated[bool, typer.Option("--keep", help="Keep the class for other studies too")] = False,
    everything: Annotated[bool, typer.Option("--all", help="List those of the program too")] = False,
) -> None:
    """List the classes of land cover with curve numbers, coefficients and roughness; set one, or remove one."""
    from tarnwater.study.edits.cover import remove_class
    from tarnwater.study.edits.land_by_numbers import class_by_numbers
    from tarnwater.study.file.kept import read_kept, write_kept
    from tarnwater.study.file.store import edit_study, read_study

    if remove:
        known = edit_study(study, remove_class, remove)
    elif name and (values or keep):
        pairs = [text.partition("=") for text in values or ()]
        if any(not equals for _, equals, _ in pairs):
            raise BadInput("a value says no field.", where=name, remedy="Write it as group_a=39.")
        known = edit_study(study, class_by_numbers, name, {key.strip(): text.strip() for key, _, text in pairs})
        if keep:
            from tarnwater.cover import find_cover

            write_kept(read_kept().with_class(find_cover(name, known.cover_classes)))
    else:
        known = read_study(study)[0]
    _print_classes(known, everything=everything, only=name)


def _print_classes(study: Study, *, everything: bool, only: str) -> None:
    from tarnwater.cover import cover_classes
    from tarnwater.study.reckonings.land import mark_of

    shown = {**(cover_classes() if everything or not study.cover_classes else {}), **study.cover_classes}
    rows = [["class", "A", "B", "C", "D", "impervious", "connected", "C to 10 years", "roughness", "mark"]]
    for one in shown.values():
        if not only or one.name.casefold() == only.casefold():
            rows.append([*_class_row(one), mark_of(one)])
    print_table(rows)


def _class_row(one: CoverClass) -> list[str]:
    numbers = ["–" if number is None else f"{number:g}" for number in one.numbers]
    if one.parts:
        shares = [f"{part.cover} {'rest' if part.share is None else f'{100 * part.share:g} %'}" for part in one.parts]
        return [f"{one.name} = {' + '.join(shares)}", *numbers, "", "", "", ""]
    return [
        one.name,
        *numbers,
        f"{100 * one.impervious:g} %",
        f"{100 * one.connected:g} %",
        "–" if one.coefficient is None else f"{one.coefficient:g}",
        "–" if one.roughness is None else f"{one.roughness:g}",
    ]
