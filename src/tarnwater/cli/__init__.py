"""The command line.

Errors go to standard error; the exit code is 2 for bad input and 1 for a failed computation. Nothing
heavy is imported before the command that needs it.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tarnwater import __version__
from tarnwater.cli.channels import channels, culverts, ditch, pipes
from tarnwater.cli.equations import equation, times
from tarnwater.cli.ground import StudyPath, areas, export, ground, outlets, outline, print_outlets, shape
from tarnwater.cli.land import classes, land
from tarnwater.cli.records import catchment_rain, design_rain, events, inflow, maxima, records, serve_design_rain
from tarnwater.cli.runoff import cut_section, fit_loss_to, rational, travel_times
from tarnwater.cli.terminal import aside, echo, print_table, stamp
from tarnwater.cli.works import dam, draw_out, inlet, levels, limit, outlet, ponds, required, size
from tarnwater.errors import BadInput, Cancelled, ComputationFailed, StorageError, TarnwaterError, UnknownName

if TYPE_CHECKING:
    from tarnwater.progress import Progress
    from tarnwater.rain.areal import ArealCurve
    from tarnwater.rain.depths import Series
    from tarnwater.rain.patterns import Pattern
    from tarnwater.study.answers import Results
    from tarnwater.study.checks.findings import Finding
    from tarnwater.study.document import Study

app = typer.Typer(
    help="Flood hydrology: from terrain and rain to hydrographs and peaks.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


def main() -> None:
    """Run the program; known errors end it with a message and their exit code."""
    signal.signal(signal.SIGTERM, _end)
    try:
        try:
            _command()()
        finally:
            sys.stdout.flush()
    except ComputationFailed as error:
        _fail(error, 1)
    except (BadInput, StorageError) as error:
        _fail(error, 2)
    except (Cancelled, KeyboardInterrupt):
        typer.echo("Stopped. Nothing was changed.", err=True)
        raise SystemExit(130) from None
    except MemoryError:
        _fail(ComputationFailed("there is not enough memory.", remedy="Ask for fewer cases at once."), 1)
    except BrokenPipeError:
        _without_output()
        raise SystemExit(0) from None
    except OSError as error:
        # any other error is one of the output itself, such as a full disk or a closed pipe
        _without_output()
        _fail(StorageError(f"the output cannot be written: {error.strerror}.", remedy="Write it elsewhere."), 2)


@cache
def _command() -> Callable[[], None]:
    """The commands with their arguments, read from the functions; that takes longer than most commands."""
    return typer.main.get_command(app)


def _end(*_: object) -> None:
    """Exit on a request to end, so that unfinished files are removed."""
    raise SystemExit(143)


def _without_output() -> None:
    """Stop all output, so that the end of the program does not try to write again."""
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _fail(error: TarnwaterError, code: int) -> None:
    echo(f"tarnwater: {error}", err=True)
    for note in getattr(error, "__notes__", ()):
        echo(f"  {note}", err=True)
    raise SystemExit(code)


@app.callback(invoke_without_command=True)
def _root(version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False) -> None:
    if version:
        echo(f"tarnwater {__version__}")
        raise typer.Exit


@app.command()
def demo(
    out: Annotated[Path, typer.Option(help="Folder for results and pictures")] = Path("demo-results"),
    show: Annotated[bool, typer.Option(help="Open the window afterwards where there is a display")] = True,
) -> None:
    """Compute the demo study, print its answers, write results and pictures to a folder, and open the window."""
    from tarnwater.brief.pictures import write_pictures
    from tarnwater.demo.study import build_demo
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.checks import check, check_results
    from tarnwater.study.edits.conditioning import terrain_of
    from tarnwater.study.file import StudyFile

    study, blobs = aside("Building the valley", build_demo)
    results = aside("Computing", lambda progress: compute_cases(study, progress=progress))
    doubts = aside("Checking", lambda progress: check_results(results, progress))
    _print_answers(results)
    _print_findings(study, [*check(study), *doubts])
    folder = out.resolve()
    _write_results(results, folder)
    file = folder / "pellow-beck.tarn.gpkg"
    if file.exists():
        echo(f"{file} was there already and was left as it is")
    else:
        StudyFile.create(file, study, blobs).close()
    drainage = aside("Drawing", lambda progress: terrain_of(study, blobs, progress))
    write_pictures(results, blobs, drainage, folder)
    echo(f"\nThe study, its results and pictures are in {folder}")
    if show:
        _show(file)


def _show(file: Path) -> None:
    """Open the window if there is a display; otherwise say how to open it."""
    from tarnwater.desk.starting import has_display, open_window

    if has_display():
        echo("Opening the window on it; close it to end.")
        raise typer.Exit(open_window(file))
    echo(f"There is no display here. With one: tarnwater window {file}")


@app.command()
def window(
    study: Annotated[
        Path | None, typer.Argument(help="The study file, *.tarn.gpkg; by default the last one, or a copy of the demo")
    ] = None,
) -> None:
    """Open the window on a study."""
    from tarnwater.desk.starting import open_window

    raise typer.Exit(open_window(study))


@app.command("desktop-entry")
def desktop_entry(remove: Annotated[bool, typer.Option("--remove", help="Remove it")] = False) -> None:
    """Put Tarnwater among the desktop's programs: entry, icon, and studies opened by a double click."""
    from tarnwater.desk import entry

    for path in entry.remove() if remove else entry.install():
        echo(f"{'Removed' if remove else 'Made'} {path}")


@app.command()
def new(
    study: StudyPath,
    title: Annotated[str, typer.Option(help="Title of the study")] = "",
    author: Annotated[str, typer.Option(help="Who makes it")] = "",
    us: Annotated[bool, typer.Option("--us", help="Show US customary units")] = False,
) -> None:
    """Make an empty study."""
    from tarnwater.study.document import Study
    from tarnwater.study.document.blobs import Blobs
    from tarnwater.study.file.store import create_study

    name = title or study.name.split(".")[0]
    create_study(study, Study(title=name, author=author, units="US" if us else "SI"), Blobs())
    echo(f"Made {study}. Next: tarnwater add {study} catchment NAME area=… curve_number=… lag=…")


@app.command()
def add(
    study: StudyPath,
    kind: Annotated[str, typer.Argument(help="catchment, confluence, inflow, outfall, pond, reach or split")],
    name: Annotated[str, typer.Argument(help="Its name")],
    values: Annotated[
        list[str] | None, typer.Argument(help="FIELD=VALUE, units as typed", metavar="[FIELD=VALUE]...")
    ] = None,
    into: Annotated[str, typer.Option(help="Element it drains into; an outfall is made where none is named")] = "",
) -> None:
    """Add an element by numbers; it needs no map."""
    from tarnwater.study.edits.by_numbers import add_by_numbers
    from tarnwater.study.file.store import edit_study

    after = edit_study(study, add_by_numbers, kind, name, _pairs(values or []), into=into, **stamp())
    key = after.key_of(name)
    down = [after.name_of(link.down) for link in after.links.values() if link.up == key]
    echo(f"Added the {kind} {name}" + (f"; it drains into {down[0]}." if down else "."))


@app.command()
def duplicate(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Element")],
    new: Annotated[str, typer.Argument(help="Name of the duplicate")] = "",
) -> None:
    """Duplicate an element with all its values; what was measured is kept as typed."""
    from tarnwater.study.edits.by_numbers import duplicate_by_numbers
    from tarnwater.study.file.store import edit_study

    after = edit_study(study, duplicate_by_numbers, name, new)
    echo(f"Duplicated {name} as {list(after.elements.values())[-1].name}.")


@app.command()
def pond(
    study: StudyPath,
    above: Annotated[str, typer.Argument(help="Element above the pond")],
    name: Annotated[str, typer.Argument(help="Name of the pond")] = "",
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Put a pond into the link below an element; until it has storage and a device it passes its inflow on."""
    from tarnwater.study.edits.parts_by_numbers import put_pond_by_numbers
    from tarnwater.study.file.store import edit_study

    after = edit_study(study, put_pond_by_numbers, above, name, condition=condition)
    echo(f"Put {list(after.all_elements.values())[-1].name} below {above}.")


@app.command("add-part")
def add_part(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Element")],
    field: Annotated[str, typer.Argument(help="storage or devices")],
    form: Annotated[str, typer.Argument(help="Form of storage, or device, such as frustum or round-orifice")],
    values: Annotated[list[str] | None, typer.Argument(help="FIELD=VALUE", metavar="FIELD=VALUE...")] = None,
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Add storage or a device to a pond."""
    from tarnwater.study.edits.parts_by_numbers import add_part_by_numbers
    from tarnwater.study.file.store import edit_study

    edit_study(study, add_part_by_numbers, name, field, form, _pairs(values or []), condition=condition, **stamp())
    echo(f"Added {form} to {name}.")


@app.command("remove-part")
def remove_part(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Element")],
    part: Annotated[str, typer.Argument(help="Part by its name or position, such as devices.weir or storage.0")],
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Remove storage or a device of a pond."""
    from tarnwater.study.edits.parts_by_numbers import remove_part_by_numbers
    from tarnwater.study.file.store import edit_study

    edit_study(study, remove_part_by_numbers, name, part, condition=condition, **stamp())
    echo(f"Removed {part} of {name}.")


@app.command("set")
def set_values(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Element")],
    values: Annotated[list[str], typer.Argument(help="FIELD=VALUE, units as typed", metavar="FIELD=VALUE...")],
    condition: Annotated[str, typer.Option(help="Only in this condition")] = "",
) -> None:
    """Type values of an element."""
    from tarnwater.study.edits.by_numbers import set_by_numbers
    from tarnwater.study.file.store import edit_study

    edit_study(study, set_by_numbers, name, _pairs(values), condition=condition, **stamp())
    echo(f"Set {', '.join(values)} of {name}.")


def _pairs(values: list[str]) -> dict[str, str]:
    pairs = {}
    for text in values:
        field, equals, value = text.partition("=")
        if not equals:
            raise BadInput(f"“{text}” sets nothing.", remedy="Write it as field=value, for example area=3km2.")
        pairs[field] = value
    return pairs


@app.command()
def rain(
    study: StudyPath,
    table: Annotated[
        Path | None, typer.Argument(help="Depth table: durations down, return periods across (CSV, mm)")
    ] = None,
    depths: Annotated[
        list[str] | None, typer.Option(help="Depths of one return period, as '100: 1h 43, 6h 88' (mm)", metavar="TEXT")
    ] = None,
    unit: Annotated[str, typer.Option(help="Unit of the depths")] = "mm",
    return_periods: Annotated[str, typer.Option(help="Return periods, as 2,10,100; all of the table by default")] = "",
    durations: Annotated[str, typer.Option(help="Durations, as 1h,3h,6h; all of the table by default")] = "",
    pattern: Annotated[
        str,
        typer.Option(
            help="huff-1 to huff-4, triangular, a file of typed patterns; nested: alternating-block, type-I, -IA, -II, "
            "-III"
        ),
    ] = "huff-2",
    areal: Annotated[
        str, typer.Option(help="Areal reduction: none, leclerc-schaake, or a file of shares by area and duration")
    ] = "none",
    series: Annotated[
        str, typer.Option(help="Of which series the table is: annual-maxima or peaks-over-threshold")
    ] = "",
    beside: Annotated[bool, typer.Option("--beside", help="Show it beside: it gives no answers")] = False,
    prescribed: Annotated[
        str, typer.Option(help="Source of the rule that prescribes it; no duration is searched for", metavar="SOURCE")
    ] = "",
    name: Annotated[str, typer.Option(help="Name of the storm family")] = "Design storms",
) -> None:
    """Set the depth table of a study and make a storm family from it."""
    from tarnwater.formats.tables import read_depth_table
    from tarnwater.study.edits.by_numbers import rain_by_numbers, table_from_lists
    from tarnwater.study.file.store import edit_study

    if (table is None) == (not depths):
        raise BadInput("the depths are missing.", remedy="Give a table file, or --depths, one of the two.")
    of_series = _series(series)
    if table:
        known = read_depth_table(table, unit=unit, series=of_series)
    else:
        known = table_from_lists(depths or [], unit, of_series)
    after = edit_study(
        study, rain_by_numbers, known, name=name, return_periods=return_periods, durations=durations, pattern=pattern,
        areal=areal, areal_curve=_areal_curve(areal), typed_pattern=_typed_pattern(pattern),
        beside=beside, prescribed=prescribed,
    )  # fmt: skip
    family = after.families[after.family_of(name)]
    echo(f"{name}: {_counted(family.return_periods, 'return period')}, {_counted(family.tried, 'duration')}.")


def _typed_pattern(text: str) -> Pattern | None:
    """The pattern of a file, or the ensemble of several, where the text names one: it has a suffix."""
    from tarnwater.formats.patterns import read_patterns
    from tarnwater.rain.patterns import Ensemble, TypedCurve

    if not Path(text).suffix:
        return None
    curves = read_patterns(Path(text))
    return TypedCurve(curve=curves[0]) if len(curves) == 1 else Ensemble(curves=curves)


def _areal_curve(text: str) -> ArealCurve | None:
    """The curve of a file, where the text names one: it has a suffix, which no name of a method has."""
    from tarnwater.formats.areal_curves import read_areal_curve

    return read_areal_curve(Path(text)) if Path(text).suffix else None


def _counted(things: Sequence[object], word: str) -> str:
    return f"{len(things)} {word}{'s'[: len(things) != 1]}"


def _series(text: str) -> Series:
    names: dict[str, Series] = {
        "": "unstated", "annual-maxima": "annual maxima", "peaks-over-threshold": "peaks over threshold",
    }  # fmt: skip
    if text not in names:
        raise UnknownName(text, [name for name in names if name], kind="series", where="--series")
    return names[text]


@app.command()
def delineate(
    grid: Annotated[
        list[Path], typer.Argument(help="Elevation grid: GeoTIFF or ASCII grid; several are joined", metavar="GRID…")
    ],
    outlet: Annotated[list[str], typer.Option(help="An outlet, as X,Y or X,Y,NAME; may be given again")],
    out: Annotated[Path, typer.Option(help="The new study")],
    crs: Annotated[str, typer.Option(help="Coordinate system where the grid states none")] = "",
    height_unit: Annotated[str, typer.Option(help="m, ft, us-ft, km, dm, cm or mm where the grid does not say")] = "",
    reproject: Annotated[str, typer.Option(help="Projected system for a grid in degrees, or auto")] = "",
    cell_size: Annotated[str, typer.Option(help="Cell size of the reprojected grid, as 30m")] = "",
    no_data: Annotated[float | None, typer.Option(help="No-data value where the grid does not state it")] = None,
    within: Annotated[str, typer.Option(help="Part to cut out, as W,S,E,N in the coordinates of the grid")] = "",
    breach_depth: Annotated[str, typer.Option(help="Greatest depth of a breach out of a pit, as 3m")] = "",
    breach_length: Annotated[str, typer.Option(help="Greatest length of a breach, as 100m")] = "",
    threshold: Annotated[str, typer.Option(help="Area that makes a stream")] = "25 ha",
    snap: Annotated[str, typer.Option(help="How far an outlet may move to a stream")] = "100 m",
    accept: Annotated[bool, typer.Option("--accept", help="Accept outlets that lie on no stream")] = False,
) -> None:
    """Delineate catchments and the network between them, into a new study."""
    from tarnwater.study.edits.by_numbers import study_from_terrain
    from tarnwater.study.file.store import create_study, is_text

    is_text(out)
    if os.path.lexists(out):
        raise BadInput("there is a file of that name.", where=str(out), remedy="Choose another name.")
    made, blobs, notes = aside(
        "Delineating",
        lambda progress: study_from_terrain(
            grid,
            outlet,
            title=out.name.split(".")[0],
            crs=crs or None,
            height_unit=height_unit or None,
            reproject=reproject or None,
            cell_size=cell_size or None,
            threshold=threshold,
            radius=snap,
            accept=accept,
            no_data=no_data,
            within=within,
            breach={"breach_depth": breach_depth, "breach_length": breach_length},
            progress=progress,
        ),
    )
    create_study(out, made, blobs)
    for note in notes:
        echo(f"note: {note}")
    print_outlets(made)
    echo(f"Made {out}.")


app.command()(ground)
app.command()(shape)
app.command()(outlets)
app.command()(areas)
app.command()(outline)
app.command()(land)
app.command()(classes)
app.command()(records)
app.command()(maxima)
app.command()(events)
app.command()(rational)
app.command("travel-times")(travel_times)
app.command("fit-loss")(fit_loss_to)
app.command("cut-section")(cut_section)
app.command()(limit)
app.command()(size)
app.command()(ponds)
app.command()(inlet)
app.command()(required)
app.command()(levels)
app.command("draw-out")(draw_out)
app.command()(channels)
app.command()(culverts)
app.command()(pipes)
app.command()(ditch)
app.command()(outlet)
app.command()(dam)
app.command()(inflow)
app.command("catchment-rain")(catchment_rain)
app.command("design-rain")(design_rain)
app.command()(equation)
app.command()(times)
app.command("serve-design-rain")(serve_design_rain)
app.command()(export)


@app.command()
def compute(
    study: StudyPath,
    condition: Annotated[list[str] | None, typer.Option(help="Only this condition; may be given again")] = None,
    storm: Annotated[list[str] | None, typer.Option(help="Only these: 100, 100/6h, a family, a storm")] = None,
    point: Annotated[list[str] | None, typer.Option(help="Only this design point")] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for peaks.csv, hydrographs.csv and balance.csv")] = None,
    netcdf: Annotated[Path | None, typer.Option(help="File for the governing cases by the CF conventions")] = None,
) -> None:
    """Compute the cases of a study and print the answers."""
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.answers.asked import storms_asked
    from tarnwater.study.checks import check, check_results
    from tarnwater.study.checks.file import findings_of_file
    from tarnwater.study.file.store import read_study

    known, _ = read_study(study)
    asked = storms_asked(known, storm or [])
    findings = [*check(known), *findings_of_file(study)]

    def work(progress: Progress) -> tuple[Results, list[Finding]]:
        found = compute_cases(known, conditions=condition, points=point, progress=progress, **asked)
        return found, check_results(found, progress)

    results, doubts = aside("Computing", work)
    _print_answers(results)
    _print_findings(known, [*findings, *doubts])
    if out is not None:
        _write_results(results, out)
    if netcdf is not None:
        from tarnwater.brief.arrays import write_netcdf

        write_netcdf(results, netcdf)
        echo(f"Wrote {netcdf}.")
    _end_with_withheld(results)


def _end_with_withheld(results: Results) -> None:
    """Report what is withheld on standard error; the exit code is then 1."""
    from tarnwater.brief.answers import withheld_lines

    lines = list(withheld_lines(results))
    if lines:
        many = len(results.withheld)
        head = f"{many} case{'s are' if many > 1 else ' is'} withheld:" if results.cases else "no case can be computed:"
        raise ComputationFailed("\n  ".join([head, *lines]))


def _write_results(results: Results, folder: Path) -> None:
    from tarnwater.brief.tables import write_tables

    for path in write_tables(results, folder):
        echo(f"wrote {path}")


def _print_answers(results: Results) -> None:
    from tarnwater.brief.answers import answer_rows, beside_rows, points_answered

    for point in points_answered(results):
        echo(f"\n{results.study.name_of(point)}")
        print_table(answer_rows(results, point))
        if any(not a.bracketed for a in results.answers() if a.result.case.point == point):
            echo("* at the end of the durations tried: the greatest peak is not bracketed")
    for point in dict.fromkeys(r.case.point for r in results.cases):
        if rows := beside_rows(results, point):
            echo(f"\n{results.study.name_of(point)}, families that are not counted")
            print_table(rows)


def _print_findings(study: Study, findings: list[Finding]) -> None:
    if findings:
        echo("")
    for finding in findings:
        echo(finding.told(study))


@app.command()
def accept(
    study: StudyPath,
    code: Annotated[str, typer.Argument(help="Code of the doubt, as check and compute print it")],
    reason: Annotated[str, typer.Option(help="Why it is accepted")],
    at: Annotated[str, typer.Option(help="Element it is at, where several have it")] = "",
    condition: Annotated[str, typer.Option(help="Condition it holds in, where several have it")] = "",
) -> None:
    """Accept a doubt for a reason; it lapses when its cause changes."""
    from tarnwater.study.checks.acceptance import accept as accept_doubt
    from tarnwater.study.checks.findings import the_doubt
    from tarnwater.study.file.store import edit_study, read_study

    known, _ = read_study(study)
    found = the_doubt(known, _findings_with(known, code), code, at, condition)
    edit_study(study, accept_doubt, found, reason, f"accept the doubt {code}", **stamp())
    echo(f"Accepted {code}: {reason}")


@app.command()
def mend(
    study: StudyPath,
    code: Annotated[str, typer.Argument(help="Code of the finding, as check and compute print it")],
    place: Annotated[str, typer.Argument(help="Element it is at, where several have it")] = "",
    condition: Annotated[str, typer.Option(help="Condition it holds in, where several have it")] = "",
    remedy: Annotated[int, typer.Option(help="Which of its remedies that act, from 1")] = 1,
) -> None:
    """Apply the remedy of a finding, where it is an edit."""
    from tarnwater.study.checks.mending import acting, named, the_finding
    from tarnwater.study.checks.mending import mend as apply_remedy
    from tarnwater.study.file.store import edit_study, read_study

    known, _ = read_study(study)
    found = the_finding(known, _findings_with(known, code), code, place, condition)
    offered = acting(found)
    if not 1 <= remedy <= len(offered):
        texts = "; ".join(f"{n} {one.text}" for n, one in enumerate(offered, start=1))
        raise BadInput(f"there is no remedy {remedy} that acts: {texts}.", where=code, remedy="Choose one of them.")
    chosen = offered[remedy - 1]
    edit_study(study, apply_remedy, found, chosen, named(known, chosen, found))
    echo(f"Mended {code}: {chosen.text}")


def _findings_with(study: Study, code: str) -> list[Finding]:
    """Findings of a study; its cases are computed if the code needs them."""
    from tarnwater.study.answers import compute_cases
    from tarnwater.study.checks import check as check_study
    from tarnwater.study.checks import check_results

    found = check_study(study)
    if (study.families or study.storms) and not any(one.code == code for one in found):
        found += aside("Computing", lambda p: check_results(compute_cases(study, progress=p), p))
    return found


@app.command()
def explain(
    study: StudyPath,
    element: Annotated[str, typer.Argument(help="Element")],
    field: Annotated[str, typer.Argument(help="peak, volume, lag, curve_number …")] = "peak",
    condition: Annotated[str, typer.Option(help="Condition; the first by default")] = "",
    storm: Annotated[str, typer.Option(help="Storm: 100, 100/6h or its name; the governing one by default")] = "",
    point: Annotated[str, typer.Option(help="Design point the storm is made for; the element by default")] = "",
    depth: Annotated[int, typer.Option(help="Levels to show; -1 for all")] = 3,
) -> None:
    """Show how a figure was worked out, down to the map, the table or the person."""
    from tarnwater.study.file.store import read_study
    from tarnwater.study.reckonings.asked import reckoning_asked

    known, _ = read_study(study)
    node = aside(
        "Computing", lambda progress: reckoning_asked(known, element, field, condition, storm, point, progress)
    )
    for line in node.lines(known.units, None if depth < 0 else depth):
        echo(line)


@app.command()
def steps(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="Catchment")],
    of: Annotated[str, typer.Option(help="losses or convolution")] = "losses",
    condition: Annotated[str, typer.Option(help="In this condition")] = "",
    storm: Annotated[str, typer.Option(help="One of these: 100, 100/6h, a family, a storm")] = "",
    point: Annotated[str, typer.Option(help="The storm made for this design point")] = "",
) -> None:
    """Print the losses or the convolution of a catchment step by step, as a table with tabs."""
    from tarnwater.study.file.store import read_study
    from tarnwater.study.reckonings.asked import case_asked
    from tarnwater.study.reckonings.steps import convolution_steps, loss_steps

    tables = {"losses": loss_steps, "convolution": convolution_steps}
    if of not in tables:
        raise UnknownName(of, tables, kind="table of steps")
    known, _ = read_study(study)
    asked = aside("Computing", lambda progress: case_asked(known, name, condition, storm, point, progress))
    for row in tables[of](asked.chosen, known.key_of(name)).rows(known.units):
        echo("\t".join(row))


@app.command()
def check(study: StudyPath) -> None:
    """List stops, doubts and notes; the exit code is 1 where there are stops."""
    from tarnwater.study.checks import check as check_study
    from tarnwater.study.checks.file import findings_of_file
    from tarnwater.study.file.store import read_study

    known, _ = read_study(study)
    findings = [*check_study(known), *findings_of_file(study)]
    for finding in findings:
        echo(finding.told(known))
    counts = {s: sum(f.severity == s for f in findings) for s in ("stop", "doubt", "note")}
    accepted = sum(f.severity == "accepted" for f in findings)
    more = f", {accepted} accepted" if accepted else ""
    echo(", ".join(f"{n} {s}{'' if n == 1 else 's'}" for s, n in counts.items()) + more)
    if counts["stop"]:
        raise typer.Exit(1)


@app.command()
def schema() -> None:
    """Print the JSON schema of a study."""
    import json

    from tarnwater.study.document import Study

    echo(json.dumps(Study.model_json_schema(), ensure_ascii=False, indent=1))


@app.command()
def convert(
    study: StudyPath,
    to: Annotated[Path, typer.Argument(help="The new file, of the other form", metavar="TO")],
) -> None:
    """Write a study in the other form: *.tarn.gpkg (the study file) or *.tarn.json (text)."""
    from tarnwater.study.file.store import convert_study

    lost = convert_study(study, to)
    echo(f"Wrote {to}.")
    for line in lost:
        echo(f"note: {line}")
