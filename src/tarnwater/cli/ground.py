"""Commands of the ground: what was changed in the terrain, and changes of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tarnwater.cli.terminal import aside, echo, print_table, stamp
from tarnwater.errors import BadInput, UnknownName

if TYPE_CHECKING:
    from tarnwater.progress import Progress
    from tarnwater.study.document import Study
    from tarnwater.study.pictures.land import Theme

StudyPath = Annotated[Path, typer.Argument(help="The study: *.tarn.gpkg or *.tarn.json", metavar="STUDY")]


def ground(study: StudyPath) -> None:
    """List what was changed in the terrain: features, breaching, filling, holes."""
    from tarnwater.study.file.store import read_study

    _print_changes(read_study(study)[0])


def _print_changes(study: Study) -> None:
    from tarnwater.brief.ground import HEADS, ground_rows

    rows = [row.texts(study.units) for row in ground_rows(study)]
    if study.terrain is None:
        echo("The study has no terrain.")
    elif not rows:
        echo("Nothing was changed in the terrain.")
    else:
        print_table([HEADS, *rows])


def shape(
    study: StudyPath,
    kind: Annotated[
        str,
        typer.Argument(
            help="A feature to add: alignment, burned-stream, culvert, kept-depression or wall", metavar="[KIND]"
        ),
    ] = "",
    line: Annotated[str, typer.Option(help="Its places, as X,Y X,Y …")] = "",
    lines_from: Annotated[Path | None, typer.Option("--from", help="A vector file with its lines")] = None,
    layer: Annotated[str, typer.Option(help="Layer of that file, if it has several")] = "",
    crs: Annotated[str, typer.Option(help="Coordinate system where that file states none")] = "",
    name: Annotated[str, typer.Option(help="Its name; with --from the field of the names may be given instead")] = "",
    name_field: Annotated[str, typer.Option(help="Field of the names")] = "",
    size: Annotated[str, typer.Option(help="Its height or depth, as 1.2m")] = "",
    size_field: Annotated[str, typer.Option(help="Field of the heights or depths, m")] = "",
    remove: Annotated[list[str] | None, typer.Option(help="A feature to remove, by name; may be given again")] = None,
    breach_depth: Annotated[str, typer.Option(help="Greatest depth of a breach, as 3m; 0m for none")] = "",
    breach_length: Annotated[str, typer.Option(help="Greatest length of a breach, as 100m")] = "",
    hole: Annotated[
        list[str] | None, typer.Option(help="A hole as NUMBER=TREATMENT: outlet, wall or interpolate")
    ] = None,
) -> None:
    """Add or remove features of the ground, breach pits, say what a hole is; the outlets are surveyed again."""
    from tarnwater import units
    from tarnwater.study.edits.by_numbers import reshape_by_numbers
    from tarnwater.study.file.store import edit_study_with_blobs

    given = {"breach_depth": breach_depth, "breach_length": breach_length}
    asked = bool(kind or remove or hole or any(given.values()))
    if not asked:
        raise BadInput("there is nothing to change.", where="shape", remedy="Give a kind with --line or --from.")
    after = edit_study_with_blobs(
        study,
        reshape_by_numbers,
        kind=kind,
        line=line,
        source=lines_from,
        layer=layer,
        crs=crs,
        name=name,
        name_field=name_field,
        size=units.parse(size, "length", default="m") if size else None,
        size_field=size_field,
        remove=remove or (),
        holes=hole or (),
        settings={key: units.parse(text, "length", default="m") for key, text in given.items() if text},
        tell=lambda text: echo(f"note: {text}"),
    )
    _print_changes(after)


def outlets(
    study: StudyPath,
    add: Annotated[list[str] | None, typer.Option(help="An outlet, as X,Y or X,Y,NAME; may be given again")] = None,
    points_from: Annotated[Path | None, typer.Option("--from", help="A vector file with points")] = None,
    layer: Annotated[str, typer.Option(help="Layer of that file, if it has several")] = "",
    crs: Annotated[str, typer.Option(help="Coordinate system where that file states none")] = "",
    name_field: Annotated[str, typer.Option(help="Field of the names")] = "",
    accept: Annotated[bool, typer.Option("--accept", help="Accept outlets that lie on no stream")] = False,
    remove: Annotated[list[str] | None, typer.Option(help="An outlet to remove, by name; may be given again")] = None,
    divide: Annotated[str, typer.Option(help="Divide into parts of about this size, as 2km2")] = "",
    within: Annotated[str, typer.Option(help="Divide only the catchment of this outlet")] = "",
) -> None:
    """Place, remove and list outlets; their catchments and the network follow, typed values are kept."""
    from tarnwater import units
    from tarnwater.study.edits.by_numbers import outlets_by_numbers
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    if not (add or points_from or remove or divide):
        print_outlets(read_study(study)[0])
        return
    after = edit_study_with_blobs(
        study,
        outlets_by_numbers,
        add=add or (),
        source=points_from,
        layer=layer,
        crs=crs,
        name_field=name_field,
        accept=accept,
        remove=remove or (),
        divide=units.parse(divide, "area") if divide else None,
        within=within,
        tell=lambda text: echo(f"note: {text}"),
    )
    print_outlets(after)


def areas(
    study: StudyPath,
    source: Annotated[Path, typer.Argument(help="GeoPackage, shapefile, GeoJSON or DXF", metavar="FILE")],
    layer: Annotated[str, typer.Option(help="Layer of the file, if it has several")] = "",
    crs: Annotated[str, typer.Option(help="Coordinate system where the file states none")] = "",
    swap_axes: Annotated[bool, typer.Option("--swap-axes", help="Take the first coordinate for the second")] = False,
    drains: Annotated[str, typer.Option(help="Where they drain: terrain, named, one-outfall or outfall-each")] = "",
    name_field: Annotated[str, typer.Option(help="Field of the names")] = "",
    number_field: Annotated[str, typer.Option(help="Field of the curve numbers")] = "",
    area_field: Annotated[str, typer.Option(help="Field of the areas, which are then typed")] = "",
    area_unit: Annotated[str, typer.Option(help="Unit of that field: m², ha, km², ft², ac, mi²")] = "m²",
    downstream_field: Annotated[str, typer.Option(help="Field of the names they drain into")] = "",
    mend: Annotated[str, typer.Option(help="Mend boundaries: gaps, overlaps up to this area, as 50m2")] = "",
) -> None:
    """Import polygons as catchments, measured on the terrain if there is one, and connect them."""
    from tarnwater import units
    from tarnwater.study.edits.by_numbers import areas_by_numbers
    from tarnwater.study.edits.polygons import Fields
    from tarnwater.study.file.store import edit_study_with_blobs

    ways = {"terrain": "terrain", "named": "named", "one-outfall": "one outfall", "outfall-each": "an outfall each"}
    if drains and drains not in ways:
        raise UnknownName(drains, ways, kind="way of draining")
    after = edit_study_with_blobs(
        study,
        areas_by_numbers,
        source=source,
        layer=layer,
        crs=crs,
        swap_axes=swap_axes,
        drains=ways.get(drains, ""),
        fields=Fields(name_field, number_field, area_field, area_unit, downstream_field),
        mend_up_to=units.parse(mend, "area", default="m²") if mend else 0.0,
        tell=lambda text: echo(f"note: {text}"),
        **stamp(),
    )
    _print_catchments(after)


def outline(
    study: StudyPath,
    act: Annotated[str, typer.Argument(help="draw, reshape, split or path (the flow path)", metavar="[ACT]")] = "",
    name: Annotated[str, typer.Argument(help="The catchment; for draw the name of the new one", metavar="[NAME]")] = "",
    line: Annotated[str, typer.Option(help="Its places, as X,Y X,Y …")] = "",
    merge: Annotated[list[str] | None, typer.Option(help="A catchment to merge; given twice or more")] = None,
    mend: Annotated[str, typer.Option(help="Mend gaps and overlaps up to this area, as 50m2")] = "",
    divide: Annotated[str, typer.Option(help="Divide the flow path of this catchment into its parts")] = "",
) -> None:
    """Draw, reshape, split and merge catchments, draw flow paths; without an act list gaps, overlaps, open land."""
    from tarnwater import units
    from tarnwater.study.edits.conditioning import terrain_of
    from tarnwater.study.edits.outlines_by_numbers import ACTS, outlines_by_numbers
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    if act and act not in ACTS:
        raise UnknownName(act, ACTS, kind="act on outlines")
    if act or merge or mend or divide:
        after = edit_study_with_blobs(
            study,
            outlines_by_numbers,
            act=act,
            name=name,
            line=line,
            merge=merge or (),
            mend=units.parse(mend, "area", default="m²") if mend else 0.0,
            divide=divide,
            tell=lambda text: echo(f"note: {text}"),
        )
        _print_catchments(after)
        return
    from tarnwater.brief.boundaries import boundary_rows

    known, blobs = read_study(study)

    def work(progress: Progress) -> list[list[str]]:
        drainage = terrain_of(known, blobs, progress) if known.terrain is not None else None
        rows = boundary_rows(known, blobs, drainage)
        return [[row.what, units.show(row.area, "area", known.units), row.where] for row in rows]

    found = aside("Looking", work)
    if found:
        print_table([["what", "area", "where"], *found])
    else:
        echo("There is no gap, no overlap and no open land.")


def _print_catchments(study: Study) -> None:
    from tarnwater.units import show

    rows = [["catchment", "area", "curve number", "drains into"]]
    for key, catchment in study.catchments.items():
        down = ", ".join(study.name_of(link.down) for link in study.links.values() if link.up == key)
        number = "–" if catchment.curve_number is None else f"{catchment.curve_number:.4g}"
        rows.append([catchment.name, show(catchment.area.value, "area", study.units), number, down])
    print_table(rows)


def export(
    study: StudyPath,
    out: Annotated[
        Path,
        typer.Argument(help="*.gpkg, *.geojson, *.shp, *.dxf for layers; *.tif; *.png, *.svg, *.pdf", metavar="FILE"),
    ],
    layer: Annotated[
        list[str] | None, typer.Option(help="A layer to write; may be given again; by default all")
    ] = None,
    grid: Annotated[str, typer.Option(help="For *.tif: raw, conditioned, directions, upstream or catchments")] = "",
    paper: Annotated[str, typer.Option(help="For a picture: A4, A3, A2, A1 or A0")] = "A4",
    landscape: Annotated[bool, typer.Option("--landscape", help="Lay the paper on its side")] = False,
    scale: Annotated[float | None, typer.Option(help="Scale of the picture, n of 1 : n")] = None,
    land: Annotated[str, typer.Option(help="For a picture: cover or soils, with a legend")] = "",
    hatched: Annotated[
        bool, typer.Option("--hatched/--plain", help="Whether cover is hatched or only coloured")
    ] = True,
    name_out: Annotated[
        list[str] | None, typer.Option(help="Name of a cover elsewhere, as COVER=NAME; kept for the next time")
    ] = None,
) -> None:
    """Write the map: its layers for other programs, a grid of the terrain, or a picture at print size."""
    from tarnwater.brief.exports import write_export
    from tarnwater.cover import find_cover
    from tarnwater.study.edits.conditioning import terrain_of
    from tarnwater.study.file.kept import read_kept, write_kept
    from tarnwater.study.file.store import read_study

    themes: dict[str, Theme] = {"cover": "cover", "soils": "soils"}
    if land and land not in themes:
        raise UnknownName(land, themes, kind="map of land")
    known, blobs = read_study(study)
    kept = read_kept()
    for text in name_out or ():
        cover, equals, name = text.partition("=")
        if not equals:
            raise BadInput(f"“{text}” gives no name.", where="--name-out", remedy="Write it as COVER=NAME.")
        kept = kept.with_name_out(find_cover(cover.strip(), known.cover_classes).name, name)
    if name_out:
        write_kept(kept)

    def work(progress: Progress) -> list[Path]:
        drainage = terrain_of(known, blobs, progress) if known.terrain is not None else None
        return write_export(
            out, known, blobs, drainage, layers=layer or (), grid=grid, paper=paper, landscape=landscape, scale=scale,
            land=themes.get(land), hatched=hatched, names=kept.names_out,
        )  # fmt: skip

    for path in aside("Writing", work):
        echo(f"Wrote {path}.")


def print_outlets(study: Study) -> None:
    """Write every outlet with its areas and the measures of its catchment."""
    from tarnwater.units import show

    rows = [["outlet", "moved", "area before", "area after", "local", "mean slope", "flow path", "10-85"]]
    for key, outlet in study.outlets.items():
        catchment = study.catchments.get(key)
        measures = (
            ["–"] * 4
            if catchment is None
            else [
                show(catchment.area.derived, "area", study.units),
                show(catchment.mean_slope.derived, "slope", study.units),
                show(catchment.flow_length.derived, "length", study.units),
                show(catchment.slope_10_85.derived, "slope", study.units),
            ]
        )
        areas = show(outlet.area_before, "area", study.units), show(outlet.area_after, "area", study.units)
        rows.append([outlet.name, show(outlet.moved, "length", study.units), *areas, *measures])
    print_table(rows)
