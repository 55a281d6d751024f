"""Commands of records: read, mended, their maxima and events, and the rain of catchments that follows from them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, get_args

import typer

from tarnwater.cli.ground import StudyPath
from tarnwater.cli.terminal import aside, echo, print_table, stamp
from tarnwater.errors import BadInput, UnknownName

if TYPE_CHECKING:
    from tarnwater.study.document import Study
    from tarnwater.study.document.blobs import Blobs
    from tarnwater.study.document.rain import Gauge

RecordName = Annotated[str, typer.Argument(help="The record, by name")]


def record_key(study: Study, name: str) -> str:
    """The key of a record by its name."""
    name = name.strip()
    found = next((k for k, g in study.gauges.items() if name == k or g.name.casefold() == name.casefold()), None)
    if found is None:
        raise UnknownName(name, [g.name for g in study.gauges.values()], kind="record")
    return found


def records(
    study: StudyPath,
    name: Annotated[str, typer.Argument(help="The record whose faults are printed; by default all in short")] = "",
    source: Annotated[
        Path | None,
        typer.Option("--from", help="Text, workbook or WaterML file with records to bring in; NAME then names one"),
    ] = None,
    sheet: Annotated[str, typer.Option(help="Sheet of the workbook")] = "",
    dates: Annotated[str, typer.Option(help="year-first, day-first, month-first …; by default as the rows show")] = "",
    zone: Annotated[str, typer.Option(help="Zone of the times, as UTC+01:00 or Europe/Lisbon")] = "",
    form: Annotated[str, typer.Option(help="incremental, cumulative, rate, tips or flow")] = "",
    times_at: Annotated[str, typer.Option(help="Where times stand: start or end of the interval")] = "",
    unit: Annotated[str, typer.Option(help="Unit of the values")] = "",
    missing: Annotated[list[str] | None, typer.Option(help="A text that stands for a missing value")] = None,
    tip: Annotated[str, typer.Option(help="Depth of one tip, as 0.2mm")] = "",
    leave_out_bad: Annotated[
        bool, typer.Option("--leave-out-bad", help="Leave out rows that cannot be read; their time is missing")
    ] = False,
    place: Annotated[str, typer.Option(help="Where the gauge stands, as X,Y in the units of the map")] = "",
    mend: Annotated[
        list[str] | None, typer.Option(help="Remedy for all faults of a kind, as spike=missing; may be given again")
    ] = None,
    neighbour: Annotated[
        list[str] | None, typer.Option(help="A gauge that fills gaps, as NAME=WEIGHT; may be given again")
    ] = None,
    write: Annotated[Path | None, typer.Option(help="File (WaterML 2.0) to which the mended record is written")] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Remove the record")] = False,
) -> None:
    """Bring in records of rain and flow, list their faults, mend them, and write them as WaterML."""
    from tarnwater import units
    from tarnwater.study.edits.records import remove_gauge
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    if source is not None:
        given = {
            "order": dates.replace("-", " "), "zone": zone, "form": form, "stamp": times_at,
            "missing": tuple(missing or ()), "tip": units.parse(tip, "rain", default="mm") if tip else None,
        }  # fmt: skip
        name = _bring_in(study, source, name, sheet, {k: v for k, v in given.items() if v}, unit, leave_out_bad)
    if place or mend or neighbour:
        if not name:
            raise BadInput("the record is not named.", remedy="Name it after the study.")
        _mend(study, name, place, mend or [], neighbour or [])
    if remove:
        edit_study_with_blobs(study, remove_gauge, record_key(read_study(study)[0], name))
        echo(f"Removed {name}.")
        return
    known, blobs = read_study(study)
    if write is not None:
        _write(known, blobs, write, name)
    if name:
        _print_faults(known, blobs, record_key(known, name))
    elif known.gauges:
        _print_records(known, blobs)
    else:
        echo(f"There are no records. Next: tarnwater records {study} --from FILE")


def _bring_in(
    study: Path, source: Path, name: str, sheet: str, given: dict[str, Any], unit: str, leave_out_bad: bool
) -> str:
    """Add the records of a file; a single one gets a name, or that of its file. Returns it, or nothing for several."""
    from tarnwater.formats.waterml import is_waterml, read_waterml
    from tarnwater.study.edits.records import add_gauges
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    if is_waterml(source):
        if given or unit or sheet:
            raise BadInput("a WaterML file says how it is read.", where=str(source), remedy="Leave those options out.")
        found = read_waterml(source)
        places = found.places_in(read_study(study)[0].map_crs)
        series, words, notes = {n: one.raw for n, one in found.by_name.items()}, "WaterML 2.0", found.notes
    else:
        series, words, notes = _read_table(source, sheet, given, unit, leave_out_bad)
        places = {}
    if name and len(series) == 1:
        ((read_as, raw),) = series.items()
        series, places = {name: raw}, {name: places[read_as]} if read_as in places else {}
    names = ", ".join(series)
    before = read_study(study)[0].gauges
    after = edit_study_with_blobs(study, add_gauges, series, names, source.name, words, places).gauges
    made = [gauge.name for key, gauge in after.items() if key not in before]
    for note in notes:
        echo(f"note: {note}")
    echo(f"Brought in {', '.join(made)} from {source.name}: {words}.")
    return made[0] if len(made) == 1 else ""


def _read_table(
    source: Path, sheet: str, given: dict[str, Any], unit: str, leave_out_bad: bool
) -> tuple[dict[str, Any], str, tuple[str, ...]]:
    """Series of a table by name, how it was read, and what is worth knowing; what is uncertain must be given."""
    from tarnwater.formats.records import Reading, propose, read_records
    from tarnwater.study.document import checked

    proposal = propose(source, sheet=sheet)
    columns = tuple(
        column.model_copy(update={"unit": unit}) if unit and column.role == "value" else column
        for column in proposal.reading.columns
    )
    fields = {**dict(proposal.reading), "columns": columns, **given}
    reading = checked(lambda: Reading(**fields), source.name)
    found = aside("Reading", lambda p: read_records(source, reading, leave_out_bad=leave_out_bad, progress=p))
    return found.named(source.stem), reading.words, (*proposal.doubts, *found.notes)


def _mend(path: Path, name: str, place: str, mends: list[str], neighbours: list[str]) -> None:
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    key = record_key(read_study(path)[0], name)
    edit_study_with_blobs(path, _mended, key, place, mends, neighbours, stamp())
    echo(f"Changed {name}.")


def _mended(
    study: Study, blobs: Blobs, key: str, place: str, mends: list[str], neighbours: list[str], by: dict[str, str]
) -> Study:
    """A record with its place, neighbours and remedies set, as one act."""
    from tarnwater import units
    from tarnwater.rain.records.faults import FaultKind, Remedy
    from tarnwater.study.edits.by_numbers import places_in
    from tarnwater.study.edits.records import mend_fault, place_gauge, set_neighbours
    from tarnwater.study.rain.records import neighbours_of

    if place:
        study = place_gauge(study, blobs, key, places_in(place, "--place")[0])
    if neighbours:
        pairs = [text.rpartition("=") for text in neighbours]
        weights = {record_key(study, other): units.parse(weight, "factor") for other, _, weight in pairs}
        known = neighbours_of(study, blobs, key, weights)
        study = set_neighbours(study, blobs, key, known)
    for text in mends:
        kind, _, remedy = text.partition("=")
        kind, remedy = kind.replace("-", " "), remedy.replace("-", " ")
        for word, of_all, what in ((kind, get_args(FaultKind), "fault"), (remedy, get_args(Remedy), "remedy")):
            if word not in of_all:
                raise UnknownName(word, of_all, kind=what, where="--mend")
        study = mend_fault(study, blobs, key, kind, remedy, **by)  # type: ignore[arg-type]
    return study


def _write(study: Study, blobs: Blobs, path: Path, name: str) -> None:
    from tarnwater.formats.waterml import write_waterml
    from tarnwater.study.rain.records import record_of

    keys = [record_key(study, name)] if name else list(study.gauges)
    if path.exists():
        raise BadInput("there is a file of that name.", where=str(path), remedy="Choose another name.")
    named = {study.gauges[key].name: record_of(study, blobs, key) for key in keys}
    places = {study.gauges[key].name: place for key in keys if (place := study.gauges[key].place) is not None}
    aside("Writing", lambda progress: write_waterml(path, named, places, study.map_crs, progress))
    echo(f"wrote {path}")


def _print_records(study: Study, blobs: Blobs) -> None:
    from tarnwater.brief.records import counted, gauge_words
    from tarnwater.study.rain.records import mended_of

    for key, gauge in study.gauges.items():
        found = mended_of(study, blobs, key)
        still = counted(found.treated)
        echo(f"{gauge.name}: {gauge.quantity}, {gauge_words(gauge, found.record)}")
        echo(f"  to look at: {still}" if still else "  nothing to look at")


def _print_faults(study: Study, blobs: Blobs, key: str) -> None:
    from tarnwater.brief.records import FaultRow, YearRow, fault_rows, gauge_words, year_rows
    from tarnwater.study.rain.records import incomplete_years, mended_of

    gauge = study.gauges[key]
    found = aside("Reading", lambda _: mended_of(study, blobs, key))
    echo(f"{gauge.name}: {gauge_words(gauge, found.record)}")
    rows: list[FaultRow | YearRow] = [*fault_rows(found.treated, found.record, study.units)]
    rows += year_rows(incomplete_years(study, blobs, key))
    if rows:
        print_table([["fault", "when", "extent", "done"], *([r.what, r.when, r.extent, r.done] for r in rows)])


def maxima(
    study: StudyPath,
    name: RecordName,
    distribution: Annotated[str, typer.Option(help="generalised-extreme-value, gumbel, log-pearson-three …")] = "",
    way: Annotated[str, typer.Option(help="How it is fitted: l-moments or maximum-likelihood")] = "",
    together: Annotated[str, typer.Option(help="one-growth-curve or nearest-rising-depths")] = "",
    first_month: Annotated[int, typer.Option(help="First month of the year; 0 leaves it")] = 0,
    leave_out: Annotated[list[int] | None, typer.Option(help="A year to leave out; may be given again")] = None,
    take_in: Annotated[
        list[int] | None, typer.Option(help="A year to use, whatever data it lacks; may be given again")
    ] = None,
    return_periods: Annotated[str, typer.Option(help="Return periods, as 2,10,100")] = "",
    fitted_to: Annotated[str, typer.Option(help="annual-maxima or peaks-over-threshold")] = "",
    peaks: Annotated[str, typer.Option(help="Peaks a year, from which the thresholds follow, as 3")] = "",
    threshold: Annotated[
        list[str] | None,
        typer.Option(help="Threshold of a duration, as 1h=12mm; of flow as 25m3/s; may be given again"),
    ] = None,
    apart: Annotated[str, typer.Option(help="Time between two peaks, as 1d")] = "",
    table: Annotated[bool, typer.Option("--table", help="Make a depth table of the fitted depths")] = False,
) -> None:
    """Print the annual maxima of a record with their dates, the fit, its limits and tests; make a depth table."""
    from tarnwater.study.edits.records import set_maxima, table_from_maxima, use_years
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    known, _ = read_study(study)
    key = record_key(known, name)
    rule = known.gauges[key].maxima
    changes = _changes_of_rule(rule, distribution, way, together, first_month, return_periods)
    changes |= _changes_of_peaks(known.gauges[key], fitted_to, peaks, threshold or [], apart)
    if changes:
        from tarnwater.study.document import checked
        from tarnwater.study.document.rain import MaximaRule

        new = checked(lambda: MaximaRule(**{**dict(rule), **changes}), name)
        edit_study_with_blobs(study, set_maxima, key, new, f"change the maxima of {name}")
    for years, used in ((leave_out, False), (take_in, True)):
        if years:
            act = f"{'use' if used else 'leave out'} {', '.join(map(str, years))}"
            edit_study_with_blobs(study, use_years, key, years, used, act)
    known, blobs = read_study(study)
    _print_maxima(known, blobs, key)
    if table:
        after = edit_study_with_blobs(study, table_from_maxima, key)
        made = next(k for k in after.tables if k not in known.tables)
        echo(f"\nMade the depth table {made}.")


def _changes_of_rule(
    rule: Any, distribution: str, way: str, together: str, first_month: int, periods: str
) -> dict[str, Any]:
    from tarnwater import units
    from tarnwater.rain.frequency.distributions import Distribution
    from tarnwater.rain.frequency.fits import Way
    from tarnwater.rain.frequency.growth import Together

    changes: dict[str, Any] = {}
    if distribution:
        if distribution not in Distribution.known:
            raise UnknownName(distribution, list(Distribution.known), kind="distribution")
        changes["distribution"] = Distribution.known[distribution]()
    for field, text, words in (("way", way, get_args(Way)), ("together", together, get_args(Together))):
        if text:
            word = next((w for w in words if w.casefold().replace(" ", "-") == text.casefold()), None)
            if word is None:
                raise UnknownName(text, [w.casefold().replace(" ", "-") for w in words], kind=field)
            changes[field] = word
    if first_month:
        changes["years"] = {**dict(rule.years), "first_month": first_month}
    if periods:
        changes["return_periods"] = tuple(units.listed(periods, "return period"))
    return changes


def _changes_of_peaks(gauge: Gauge, fitted_to: str, peaks: str, thresholds: list[str], apart: str) -> dict[str, Any]:
    """What changes in a rule of maxima for options of peaks; those of peaks alone choose peaks."""
    from tarnwater import units
    from tarnwater.rain.records.peaks import typed_thresholds
    from tarnwater.study.document.rain import Sampled

    rule, flow = gauge.maxima, gauge.quantity == "flow"
    changes: dict[str, Any] = {}
    if fitted_to:
        words = {word.replace(" ", "-"): word for word in get_args(Sampled)}
        if fitted_to not in words:
            raise UnknownName(fitted_to, list(words), kind="sample")
        changes["sampled"] = words[fitted_to]
    elif peaks or thresholds or apart:
        changes["sampled"] = "peaks over threshold"
    own: dict[str, Any] = {}
    if peaks:
        own["rate"] = units.parse(peaks, "factor")
    known = rule.peaks.thresholds
    for text in thresholds:
        duration, _, value = text.rpartition("=")
        if flow == bool(duration):
            raise BadInput("a threshold of rain is of a duration, one of flow is of none.", where=text)
        seconds = 0 if flow else round(units.parse(duration, "time"))
        known = typed_thresholds(known, seconds, units.parse(value, "flow" if flow else "rain", default=None))
    if thresholds:
        own["thresholds"] = known
    if apart:
        seconds_apart = units.parse(apart, "time")
        (changes if flow else own)["apart" if flow else "between_storms"] = seconds_apart
    if own:
        changes["peaks"] = {**dict(rule.peaks), **own}
    return changes


def _print_maxima(study: Study, blobs: Blobs, key: str) -> None:
    from tarnwater import units
    from tarnwater.brief.records import fit_words, frequency_words, maximum_rows
    from tarnwater.study.rain.records import frequency_of

    gauge, system = study.gauges[key], study.units
    kind = "rain" if gauge.quantity == "rain" else "flow"
    frequency = aside("Fitting", lambda progress: frequency_of(study, blobs, key, progress))
    for duration in frequency.depths.durations:
        echo(f"\n{gauge.name}, {units.show_duration(duration) if duration else 'peaks'}")
        heads = ["greatest", "corrected"] if kind == "rain" else ["greatest"]
        rows = [["year", *heads, "begins" if kind == "rain" else "when", "used"]]
        for row in maximum_rows(frequency.maxima, duration):
            values = [units.show(v, kind, system) if v == v else "" for v in (row.measured, row.corrected)]
            used = ("yes" if row.date else "no peak") if row.used else f"no, {100 * row.complete:.3g} % there"
            rows.append([row.year, *values[: len(heads)], row.date, used])
        print_table(rows)
        echo(fit_words(frequency, duration))
        for line in frequency_words(frequency, gauge, duration, system):
            echo(f"  {line}")
    depths = frequency.depths
    rows = [["", *(f"1 in {t:g}" for t in depths.return_periods)]]
    for number, duration in enumerate(depths.durations):
        head = units.show_duration(duration) if duration else "peaks"
        rows.append([head, *(units.show(float(v), kind, system) for v in depths.depths[number])])
        if depths.limits is not None:
            for word, bound in (("lower", depths.limits.low), ("upper", depths.limits.high)):
                rows.append([f"  {word}", *(units.show(float(v), kind, system) for v in bound[number])])
    echo("")
    print_table(rows)


def events(
    study: StudyPath,
    name: RecordName,
    storm: Annotated[int, typer.Option(help="Number of the event that becomes a storm")] = 0,
    step: Annotated[str, typer.Option(help="Step of that storm; by default that of the record")] = "",
    storm_name: Annotated[str, typer.Option(help="Name of that storm")] = "",
) -> None:
    """List the events of a record by the study's rule; make a storm of one, with each catchment's own rain."""
    from tarnwater import units
    from tarnwater.clock import show_moment
    from tarnwater.rain.records.events import events_of
    from tarnwater.rain.records.record import moment_of
    from tarnwater.study.edits.records import cut_storm
    from tarnwater.study.file.store import edit_study_with_blobs, read_study
    from tarnwater.study.rain.records import record_of

    known, blobs = read_study(study)
    key = record_key(known, name)
    if known.gauges[key].quantity != "rain":
        raise BadInput("it is a record of flow.", where=name, remedy="Name a record of rain.")
    record = aside("Reading", lambda _: record_of(known, blobs, key))
    found = events_of(record, known.event_rule)
    begins = [show_moment(moment_of(event.begin, record.offset)) for event in found]
    if storm:
        if not 1 <= storm <= len(found):
            raise BadInput(f"there is no event {storm}.", where=name, remedy=f"Give one from 1 to {len(found)}.")
        event, when = found[storm - 1], begins[storm - 1]
        length = int(units.parse(step, "time")) if step else record.step or 300
        called = storm_name or f"{name} {when}"
        edit_study_with_blobs(study, cut_storm, called, event.begin, event.end, length, words=when)
        echo(f"Made the storm {called}.")
        return
    rows = [["number", "begins", "length", "depth", "missing"]]
    for number, (event, when) in enumerate(zip(found, begins, strict=True), start=1):
        rows.append(
            [
                str(number), when, units.show_duration(event.end - event.begin),
                units.show(event.depth, "rain", known.units),
                units.show_duration(event.missing) if event.missing else "none",
            ]
        )  # fmt: skip
    print_table(rows)


def inflow(
    study: StudyPath,
    record: Annotated[str, typer.Argument(help="Record of flow")],
    name: Annotated[str, typer.Argument(help="Inflow that takes it; it is made where there is none of that name")],
    begins: Annotated[str, typer.Option("--begins", help="Date and time of its first flow, as 2031-05-12T06:00")],
    ends: Annotated[str, typer.Option("--ends", help="Date and time of its last flow, in the zone of the record")],
    into: Annotated[str, typer.Option(help="Element that a new inflow drains into")] = "",
) -> None:
    """Let a stretch of a record of flow into the network by an inflow."""
    from tarnwater.study.edits.records import cut_inflow
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    known = read_study(study)[0]
    key = record_key(known, record)
    moments = [_moment(text, known.gauges[key].offset) for text in (begins, ends)]
    below = known.key_of(into) if into else ""
    after = edit_study_with_blobs(study, cut_inflow, key, name, *moments, into=below, words=known.gauges[key].name)
    element = after.elements[after.key_of(name)]
    echo(f"{name} lets in {element.note or f'flow of {record}'}.")


def _moment(text: str, offset: int) -> int:
    """A moment (s since 1970) typed as a date and time, in a zone (offset in s) where none is typed."""
    from datetime import datetime, timedelta, timezone

    try:
        when = datetime.fromisoformat(text)
    except ValueError as error:
        raise BadInput(
            f"“{text}” is no date and time.", remedy="Give it as 2031-05-12T06:00, with +01:00 behind it for a zone."
        ) from error
    if when.tzinfo is None:
        when = when.replace(tzinfo=timezone(timedelta(seconds=offset)))
    return int(when.timestamp())


def catchment_rain(
    study: StudyPath,
    way: Annotated[
        str, typer.Option(help="one-gauge, thiessen, inverse-distance, typed-weights or grid; by default left")
    ] = "",
    gauge: Annotated[list[str] | None, typer.Option(help="A record that takes part; may be given again")] = None,
    weights: Annotated[
        list[str] | None, typer.Option(help="Weights of a catchment, as NAME:GAUGE=0.6,GAUGE=0.4; may be given again")
    ] = None,
    grid: Annotated[list[Path] | None, typer.Option(help="Frames to bring in: a NetCDF file, or GeoTIFFs")] = None,
) -> None:
    """Set how the rain of catchments follows from gauges or a grid, and print the share of each gauge."""
    from tarnwater.study.edits.records import set_catchment_rain
    from tarnwater.study.file.store import edit_study_with_blobs, read_study

    if grid:
        _add_frames(study, grid)
    known, blobs = read_study(study)
    changes = _changes_of_rain(known, way, gauge or [], weights or [])
    if changes:
        from tarnwater.study.document import checked
        from tarnwater.study.document.rain import CatchmentRain

        new = checked(lambda: CatchmentRain(**{**dict(known.catchment_rain), **changes}), "--weights")
        edit_study_with_blobs(study, set_catchment_rain, new, "change the rain of catchments")
        known, blobs = read_study(study)
    _print_shares(known, blobs)


def _add_frames(study: Path, paths: list[Path]) -> None:
    from tarnwater.formats.gridded_rain import read_frames
    from tarnwater.study.edits.records import add_grid
    from tarnwater.study.file.store import edit_study_with_blobs

    found = aside("Reading", lambda _: read_frames(paths))
    edit_study_with_blobs(study, add_grid, paths[0].stem, found.frames, paths[0].name, " ".join(found.notes))
    for note in found.notes:
        echo(f"note: {note}")
    echo(f"Brought in {len(found.frames.ends)} frames of {paths[0].stem}.")


def _changes_of_rain(study: Study, way: str, gauges: list[str], weights: list[str]) -> dict[str, Any]:
    from tarnwater.study.document.rain import RainWay

    changes: dict[str, Any] = {}
    if way:
        ways = {word.casefold().replace(" ", "-"): word for word in get_args(RainWay)}
        if way not in ways:
            raise UnknownName(way, list(ways), kind="way", where="--way")
        changes["way"] = ways[way]
    if gauges:
        changes["gauges"] = tuple(record_key(study, name) for name in gauges)
    if weights:
        typed = dict(study.catchment_rain.typed)
        for text in weights:
            catchment, _, pairs = text.partition(":")
            shares = [pair.rpartition("=") for pair in pairs.split(",")]
            try:
                typed[study.key_of(catchment.strip())] = {record_key(study, g): float(w) for g, _, w in shares}  # type: ignore[assignment]
            except ValueError:
                remedy = "Write it as NAME:GAUGE=0.6,GAUGE=0.4."
                raise BadInput(f"“{text}” holds no weights.", where="--weights", remedy=remedy) from None
        changes["typed"] = typed
    return changes


def _print_shares(study: Study, blobs: Blobs) -> None:
    from tarnwater import units
    from tarnwater.study.rain.catchments import gauge_shares, grid_shares

    rule = study.catchment_rain
    echo(f"Rain of catchments: {rule.way}")
    if rule.way == "grid":
        key = rule.grid or next(iter(study.rain_grids), "")
        found = grid_shares(study, blobs, key)
        rows = [["catchment", "cells"]]
        rows += [[study.name_of(k), str(len(found.cells.of(n)))] for n, k in enumerate(found.catchments)]
    else:
        shares = gauge_shares(study, blobs)
        rows = [["catchment", *(study.gauges[g].name for g in shares.gauges)]]
        for number, key in enumerate(shares.catchments):
            rows.append([study.name_of(key), *(units.show(float(v), "share") for v in shares.shares[number])])
    print_table(rows)
    lacking = found.lacking if rule.way == "grid" else shares.lacking
    for key, reason in lacking.items():
        echo(f"note: {study.name_of(key)}: {reason}")


def design_rain(
    study: StudyPath,
    url: Annotated[str, typer.Option(help="Address of the service; by default the stand-in of this program")] = "",
    collection: Annotated[str, typer.Option(help="Collection of the service")] = "depths",
    file: Annotated[Path | None, typer.Option(help="GeoJSON file of cells in place of a service")] = None,
    catchment: Annotated[str, typer.Option(help="The catchment whose mean is asked for; by default all of them")] = "",
    point: Annotated[str, typer.Option(help="A point in place of it, as LONGITUDE,LATITUDE")] = "",
    take: Annotated[bool, typer.Option("--take", help="Take the depths into the study")] = False,
) -> None:
    """Ask a design rainfall service (OGC API - Features) and print its depths, source and cells; take them if told."""
    from contextlib import nullcontext

    from tarnwater.feeds.design_rain import averaged, depths_at, depths_in_file
    from tarnwater.feeds.design_rain.server import StandIn
    from tarnwater.study.edits import slug
    from tarnwater.study.edits.rain import set_depths
    from tarnwater.study.file.store import edit_study, read_study

    known, blobs = read_study(study)
    place = _asked_place(known, blobs, catchment, point)
    if file is not None:
        answer = depths_in_file(file)
    else:
        with nullcontext() if url else StandIn() as own:
            address = url or str(own.url) if own is not None else url
            answer = aside("Asking", lambda progress: depths_at(address, collection, place.bounds, progress=progress))
    found = averaged(answer, place.shape, place.to_place)
    _print_depths(known, found)
    if take:
        key = slug("service", known.tables)
        edit_study(study, set_depths, key, found.table, "take depths of a service")
        echo(f"Took them as the depth table {key}.")


def _asked_place(study: Study, blobs: Blobs, catchment: str, point: str) -> Any:
    import shapely

    from tarnwater.feeds.design_rain import point_at, polygon_in
    from tarnwater.study.edits.by_numbers import places_in
    from tarnwater.study.rain.catchments import rained_on

    if point:
        return point_at(*places_in(point, "--point")[0])
    keys = [study.key_of(catchment)] if catchment else rained_on(study)
    elements = study.all_elements
    outlines = [blobs.shape(getattr(elements[key], "outline", None)) for key in keys]
    there = [outline for outline in outlines if outline is not None]
    if not there or not study.map_crs:
        raise BadInput("there is no catchment on the map.", where=catchment, remedy="Give --point LONGITUDE,LATITUDE.")
    return polygon_in(shapely.union_all(there), study.map_crs)


def _print_depths(study: Study, found: Any) -> None:
    from tarnwater import units

    table = found.table
    rows = [["", *(f"1 in {t:g}" for t in table.return_periods)]]
    for duration, depths in zip(table.durations, table.depths, strict=True):
        rows.append([units.show_duration(duration), *(units.show(v, "rain", study.units) for v in depths)])
    print_table(rows)
    echo(f"{table.source} · {table.series}")
    cells = zip(found.cells, found.shares, strict=True)
    echo("cells: " + ", ".join(f"{cell} {units.show(float(share), 'share')}" for cell, share in cells))


def serve_design_rain(
    port: Annotated[int, typer.Option(help="Port on the loopback; 0 takes a free one")] = 0,
) -> None:
    """Run the stand-in of a design rainfall service, with invented depths, until it is stopped by Ctrl-C."""
    import threading

    from tarnwater.feeds.design_rain.server import StandIn

    try:
        own = StandIn(port)
    except (OSError, OverflowError) as error:
        raise BadInput(f"port {port} cannot be used.", where="--port", remedy="Give another one, or 0.") from error
    with own:
        echo(f"Design rain, invented: {own.url}")
        threading.Event().wait()
