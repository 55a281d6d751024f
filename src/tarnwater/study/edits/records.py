"""Records of gauges and grids of rain: brought in, placed, mended, and cut into storms.

Storms that were cut from records follow them: each edit here cuts them again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.clock import show_moment
from tarnwater.errors import EditRefused, TarnwaterError, UnknownName
from tarnwater.network.elements import Element, FlowCut, Inflow
from tarnwater.rain.areas.frames import Frames
from tarnwater.rain.depth_fit import DepthFit
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.frequency.over_threshold import EXCESS
from tarnwater.rain.given import Cut, Depths, RecordedStorm
from tarnwater.rain.records.events import EventRule
from tarnwater.rain.records.faults import Fault, FaultKind, Remedy
from tarnwater.rain.records.mending import Mend, Neighbour, count_open, refuse_mend
from tarnwater.rain.records.peaks import PeaksOver
from tarnwater.rain.records.raw import Form, RawSeries, Stamp
from tarnwater.rain.records.record import moment_of
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.rain import CatchmentRain, Gauge, MaximaRule, RainGrid
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.network import add_draining
from tarnwater.study.edits.rain import set_rain_table
from tarnwater.study.edits.replacing import with_element_changed
from tarnwater.study.rain.catchments import StretchOfRain, rain_between
from tarnwater.study.rain.records import Frequency, faults_in, frequency_of, gauge_of, raw_of, record_of
from tarnwater.units import show_duration


def _record(words: str) -> Callable[..., str]:
    """The label of an act on one record, by its name."""
    return lambda study, key, **_: f"{words} {study.gauges[key].name if key in study.gauges else key}"


@edit("import the record {names}")
def add_gauges(
    study: Study, blobs: Blobs, series: Mapping[str, RawSeries], names: str, source: str = "", reading: str = "",
    places: Mapping[str, tuple[float, float]] | None = None,
) -> Study:  # fmt: skip
    """Add records by their names, as they were read; ``names`` are those of the label of the act."""
    from tarnwater.formats.series import series_to_bytes

    gauges = dict(study.gauges)
    for name, raw in series.items():
        gauge = Gauge(
            name=_free_name(gauges, name),
            series=blobs.add("series", series_to_bytes(raw)),
            form=raw.form,
            stamp=raw.stamp,
            offset=raw.offset,
            place=(places or {}).get(name),
            source=source,
            reading=reading,
            rows=len(raw),
            open_faults=count_open(raw, ()),
        )
        gauges[slug(gauge.name, gauges)] = gauge
    return followed(changed(study, gauges=gauges), blobs)


def _free_name(gauges: Mapping[str, Gauge], name: str) -> str:
    taken = {gauge.name.casefold() for gauge in gauges.values()}
    return next(n for n in (name, *(f"{name} {k}" for k in range(2, len(taken) + 3))) if n.casefold() not in taken)


def change_gauge(study: Study, blobs: Blobs, key: str, **fields: Any) -> Study:
    """A study with some fields of a record changed."""
    gauge = gauge_of(study, key)
    new = checked(lambda: Gauge(**{n: getattr(gauge, n) for n in Gauge.model_fields} | fields), gauge.name)
    study = changed(study, gauges=study.gauges.with_entry(key, new))
    still_open = count_open(raw_of(study, blobs, key), new.mends)
    if still_open != new.open_faults:
        new = new.model_copy(update={"open_faults": still_open})
        study = changed(study, gauges=study.gauges.with_entry(key, new))
    return followed(study, blobs)


@edit("rename the record to {name}")
def rename_gauge(study: Study, blobs: Blobs, key: str, name: str) -> Study:
    """Rename a record."""
    return change_gauge(study, blobs, key, name=name.strip())


@edit(_record("place the record"))
def place_gauge(study: Study, blobs: Blobs, key: str, place: tuple[float, float] | None) -> Study:
    """Put a gauge on the map, in the coordinates of the study, or take it off."""
    return change_gauge(study, blobs, key, place=place)


@edit(_record("remove the record"))
def remove_gauge(study: Study, blobs: Blobs, key: str) -> Study:
    """Remove a record; refused while another record, an inflow or the rain of a catchment is made from it."""
    gauge = gauge_of(study, key)
    helped = [g.name for g in study.gauges.values() if key in g.neighbours]
    helped += [e.name for e in study.elements.values() if isinstance(e, Inflow) and e.cut and e.cut.gauge == key]
    typed = [study.name_of(c) for c, weights in study.catchment_rain.typed.items() if key in weights]
    if helped or typed:
        raise EditRefused(
            f"{', '.join(helped + typed)} {'is' if len(helped + typed) == 1 else 'are'} made from it.",
            where=gauge.name,
            remedy="Take its weight from there, or remove what is made from it, first.",
        )
    rule = study.catchment_rain
    rule = rule.model_copy(update={"gauges": tuple(g for g in rule.gauges if g != key)})
    return followed(changed(study, gauges=study.gauges.without(key), catchment_rain=rule), blobs)


@edit(_record("say what are the values of"))
def reread_gauge(
    study: Study,
    blobs: Blobs,
    key: str,
    form: Form | None = None,
    stamp: Stamp | None = None,
    offset: int | None = None,
) -> Study:
    """Say what the values of a record are, at which end of their intervals the stamps are, or its zone (s)."""
    asked = {"form": form, "stamp": stamp, "offset": offset}
    return change_gauge(study, blobs, key, **{name: value for name, value in asked.items() if value is not None})


def fault_at(study: Study, blobs: Blobs, key: str, kind: FaultKind, begin: int) -> Fault:
    """The fault of a kind that begins at a moment; `UnknownName` if there is none."""
    for fault in faults_in(study, blobs, key):
        if fault.kind == kind and fault.begin == begin:
            return fault
    raise UnknownName(f"{kind} at {begin}", [], kind="fault", where=gauge_of(study, key).name)


@edit(_record("mend the record"))
def mend_fault(
    study: Study, blobs: Blobs, key: str, fault: Fault | FaultKind, remedy: Remedy, value: float | None = None,
    by: str = "", at: str = "", note: str = "",
) -> Study:  # fmt: skip
    """Choose the remedy of one fault, or of all of a kind; the choice before it for the same is replaced."""
    gauge = gauge_of(study, key)
    alone = isinstance(fault, Fault)
    mend = Mend(
        fault=fault.kind if isinstance(fault, Fault) else fault,
        begin=fault.begin if isinstance(fault, Fault) else None,
        end=fault.end if isinstance(fault, Fault) else None,
        remedy=remedy, value=value, by=by, at=at, note=note,
    )  # fmt: skip
    held = faults_in(study, blobs, key)
    first = next((one for one in held if (one == fault if alone else one.kind == fault)), None)
    if isinstance(fault, Fault):
        first = next((one for one in held if mend.is_for(one)), None)
    refuse_mend(mend, first, raw_of(study, blobs, key))
    if remedy == "neighbours" and not gauge.neighbours:
        raise EditRefused("no neighbour is chosen.", where=gauge.name, remedy="Give a gauge a weight first.")
    return change_gauge(study, blobs, key, mends=(*_without(gauge.mends, mend, alone), mend))


def _without(mends: Sequence[Mend], mend: Mend, alone: bool) -> tuple[Mend, ...]:
    """The mends without those that another one replaces: of the same fault, or all of its kind."""
    same = (mend.fault, mend.begin, mend.end)
    return tuple(m for m in mends if (m.fault, m.begin, m.end) != same and (alone or m.fault != mend.fault))


@edit(_record("take back a remedy of"))
def unmend_fault(study: Study, blobs: Blobs, key: str, fault: Fault | FaultKind) -> Study:
    """Take the remedy of one fault, or those of all of a kind, back."""
    gauge = gauge_of(study, key)
    if isinstance(fault, Fault):
        kept = tuple(m for m in gauge.mends if not (m.begin is not None and m.is_for(fault)))
    else:
        kept = tuple(m for m in gauge.mends if m.fault != fault)
    if len(kept) == len(gauge.mends):
        raise EditRefused("no remedy was chosen for it alone.", where=gauge.name, remedy="Take back that of all alike.")
    return change_gauge(study, blobs, key, mends=kept)


@edit(_record("set the neighbours of"))
def set_neighbours(study: Study, blobs: Blobs, key: str, neighbours: Mapping[str, Neighbour]) -> Study:
    """Set the gauges that fill gaps of a record, with their weights and factors."""
    for name in neighbours:
        if name == key or name not in study.gauges or study.gauges[name].quantity != "rain":
            others = [k for k, g in study.gauges.items() if k != key and g.quantity == "rain"]
            raise UnknownName(name, others, kind="neighbour")
    return change_gauge(study, blobs, key, neighbours=dict(neighbours))


@edit("{act}")
def set_maxima(study: Study, blobs: Blobs, key: str, rule: MaximaRule, act: str) -> Study:
    """Set how the maxima of a record are taken and fitted, with a label for the change."""
    return change_gauge(study, blobs, key, maxima=rule)


@edit("{act}")
def use_years(study: Study, blobs: Blobs, key: str, years: Sequence[int], used: bool | None, act: str) -> Study:
    """Use years for the maxima of a record or leave them out, or (None) leave it to the data that they have."""
    rule, record = gauge_of(study, key).maxima, record_of(study, blobs, key)
    touched, complete = rule.years.completeness(record)
    enough = dict(zip(touched, rule.years.enough(complete).tolist(), strict=True))
    if missing := [year for year in years if year not in enough]:
        names = [rule.years.name(year) for year in touched]
        raise UnknownName(rule.years.name(missing[0]), names, kind="year", where=gauge_of(study, key).name)
    by_hand = {year: chosen for year, chosen in rule.by_hand.items() if year not in years}
    if used is not None:
        # what the data say anyway needs no choice, except for an incomplete year that is left out on purpose
        by_hand |= {year: used for year in years if used != enough[year] or not used}
    new = rule.model_copy(
        update={
            "left_out": tuple(sorted(year for year, chosen in by_hand.items() if not chosen)),
            "taken_in": tuple(sorted(year for year, chosen in by_hand.items() if chosen)),
        }
    )
    return change_gauge(study, blobs, key, maxima=new)


@edit("{act}")
def set_catchment_rain(study: Study, blobs: Blobs, rule: CatchmentRain, act: str) -> Study:
    """Set how the rain of the catchments follows from gauges or a grid, with a label for the change."""
    for names, known, kind in (
        (rule.gauges, study.gauges, "record"),
        ((g for weights in rule.typed.values() for g in weights), study.gauges, "record"),
        (rule.typed, study.all_elements, "catchment"),
        ((rule.grid,) if rule.grid else (), study.rain_grids, "grid of rain"),
    ):
        for name in names:
            if name not in known:
                raise UnknownName(name, known, kind=kind)
    if rule.way == "grid" and not study.rain_grids:
        raise EditRefused("there is no grid of rain.", remedy="Import one first.")
    return followed(changed(study, catchment_rain=rule), blobs)


@edit("change the rule of events")
def set_event_rule(study: Study, rule: EventRule) -> Study:
    """Set what makes an event."""
    return changed(study, event_rule=rule)


# grids


@edit("import the grid {name}")
def add_grid(study: Study, blobs: Blobs, name: str, frames: Frames, source: str = "", reading: str = "") -> Study:
    """Add frames of rain."""
    from tarnwater.formats.series import frames_to_bytes

    digest = blobs.add("series", frames_to_bytes(frames))
    grid = RainGrid(name=name, frames=digest, source=source, reading=reading)
    return changed(study, rain_grids=study.rain_grids.with_entry(slug(name, study.rain_grids), grid))


@edit("set the bias factor of the grid {key}")
def set_grid_factor(study: Study, blobs: Blobs, key: str, factor: float, by: str = "") -> Study:
    """Set the bias factor of a grid; ``by`` says where it is from."""
    if key not in study.rain_grids:
        raise UnknownName(key, study.rain_grids, kind="grid of rain")
    grid = study.rain_grids[key]
    new = checked(lambda: RainGrid(**{**dict(grid), "factor": factor, "factor_by": by}), grid.name)
    return followed(changed(study, rain_grids=study.rain_grids.with_entry(key, new)), blobs)


@edit("remove the grid {key}")
def remove_grid(study: Study, blobs: Blobs, key: str) -> Study:
    """Remove a grid; refused while the rain of the catchments is made from it."""
    if key not in study.rain_grids:
        raise UnknownName(key, study.rain_grids, kind="grid of rain")
    if study.catchment_rain.way == "grid" and key in (study.catchment_rain.grid, next(iter(study.rain_grids))):
        name = study.rain_grids[key].name
        raise EditRefused("the rain of the catchments is made from it.", where=name, remedy="Choose another way.")
    return changed(study, rain_grids=study.rain_grids.without(key))


# depths and storms from records


@edit(_record("make a depth table of the maxima of"))
def table_from_maxima(study: Study, blobs: Blobs, key: str, table: str = "") -> Study:
    """Make a depth table, with its limits, of the fitted depths of a record; ``table`` is the key of one to replace."""
    gauge = gauge_of(study, key)
    return set_rain_table(
        study, table or slug(gauge.name, study.tables), fitted_table(study, blobs, key), f"make depths of {gauge.name}"
    )


def fitted_table(study: Study, blobs: Blobs, key: str) -> DepthTable:
    """The fitted depths of a record as a table, with their limits."""
    gauge, frequency = gauge_of(study, key), frequency_of(study, blobs, key)
    if gauge.quantity != "rain":
        raise EditRefused("it is a record of flow.", where=gauge.name, remedy="Choose a record of rain.")
    depths, rule = frequency.depths, gauge.maxima
    limits = depths.limits
    return DepthTable(
        durations=tuple(float(d) for d in depths.durations),
        return_periods=depths.return_periods,
        depths=_rows(depths.depths),
        low=() if limits is None else _rows(limits.low),
        high=() if limits is None else _rows(limits.high),
        limits="" if limits is None else limits.name,
        # peaks are fitted at return periods between annual maxima
        series="annual maxima",
        years=frequency.years,
        fit=_fit_of(frequency, gauge),
        source=f"{gauge.name}, {_words_of(frequency)}, {rule.fitted.title} by {rule.way}, {rule.together}",
    )


def _words_of(frequency: Frequency) -> str:
    """The years of a frequency, with the peaks of a year where it is of peaks over a threshold."""
    maxima, years = frequency.maxima, f"{frequency.years} years"
    if not isinstance(maxima, PeaksOver):
        return years
    rates = sorted(maxima.rate(d) for d in maxima.durations)
    of_a_year = f"{rates[0]:.3g}" if f"{rates[0]:.3g}" == f"{rates[-1]:.3g}" else f"{rates[0]:.3g} to {rates[-1]:.3g}"
    return f"{years}, {of_a_year} peaks over threshold a year"


def _fit_of(frequency: Frequency, gauge: Gauge) -> DepthFit:
    """The mean of each duration (of peaks: of their excess) with its growth, and what made the depths rise."""
    depths, maxima = frequency.depths, frequency.maxima
    thresholds, rates, distribution = [0.0] * len(depths.durations), [], gauge.maxima.distribution
    if isinstance(maxima, PeaksOver):
        thresholds = [maxima.threshold(d) for d in depths.durations]
        rates = [maxima.rate(d) for d in depths.durations]
        distribution = EXCESS
    samples = [maxima.sample(d) for d in depths.durations]
    means = [float(sample.mean()) - u for sample, u in zip(samples, thresholds, strict=True)]
    if depths.growth is None:
        each = zip(depths.fits, thresholds, means, strict=True)
        growth = [distribution.scaled(_above(one.parameters, u), 1 / mean) for one, u, mean in each]
    else:
        growth = [depths.growth.parameters]
    return DepthFit(
        gauge=gauge.name,
        distribution=distribution,
        way=gauge.maxima.way,
        thresholds=tuple(thresholds) if rates else (),
        rates=tuple(rates),
        means=tuple(means),
        sizes=tuple(len(sample) for sample in samples),
        growth=tuple(tuple(float(v) for v in row) for row in growth),
        shifts=_rows(depths.shifts) if np.any(depths.shifts) else (),
    )


def _above(parameters: Floats, threshold: float) -> Floats:
    """Parameters of what exceeds a threshold; none is subtracted from those of annual maxima."""
    return np.array([parameters[0] - threshold, *parameters[1:]])


def _rows(depths: Floats) -> tuple[tuple[float, ...], ...]:
    return tuple(tuple(float(v) for v in row) for row in depths)


@edit("make a storm of the rain from {words}")
def cut_storm(study: Study, blobs: Blobs, name: str, begin: int, end: int, step: int, words: str = "") -> Study:
    """Make a recorded storm of a stretch of the records (s since 1970): the rain of each catchment in steps (s).

    The stretch is made longer to whole steps.
    """
    end = begin + max(1, -(-(end - begin) // step)) * step
    storm = checked(lambda: storm_of(rain_between(study, blobs, begin, end, step), name), name)
    return changed(study, storms=study.storms.with_entry(slug(name, study.storms), storm))


#: Points that an inflow may have.
MOST_POINTS = 100_000


@edit("let the flow of {words} in as {name}")
def cut_inflow(
    study: Study, blobs: Blobs, gauge: str, name: str, begin: int, end: int, into: str = "", words: str = ""
) -> Study:
    """Make an inflow of a stretch of a record of flow (s since 1970), or give an inflow of that name this hydrograph.

    ``into`` is the element that it drains into, of an inflow that is new. Raises `EditRefused`.
    """
    given = flow_between(study, blobs, FlowCut(gauge=gauge, begin=begin, end=end))
    source = f"flow of {gauge_of(study, gauge).name} from {show_moment(given['origin'])}"
    key = next((k for k, e in study.elements.items() if e.name == name), "")
    if not key:
        made = checked(lambda: Inflow(name=name, note=source, **given), name)
        return add_draining(study, made, slug(name, study.all_elements), into)
    if not isinstance(study.elements[key], Inflow):
        raise EditRefused("it is no inflow.", where=name, remedy="Give the inflow another name.")
    return with_element_changed(study, key, lambda old: old.model_copy(update=given))


def flow_between(study: Study, blobs: Blobs, cut: FlowCut) -> dict[str, Any]:
    """Fields of an inflow that is a stretch of a record of flow. Raises `EditRefused` where flow is missing in it."""
    gauge, record = gauge_of(study, cut.gauge), record_of(study, blobs, cut.gauge)
    if record.quantity != "flow":
        raise EditRefused("it is a record of rain.", where=gauge.name, remedy="Choose a record of flow.")
    inside = (record.ends >= cut.begin) & (record.ends <= cut.end)
    moments, flows = record.ends[inside], record.values[inside]
    if not 2 <= len(moments) <= MOST_POINTS:
        raise EditRefused(
            f"the stretch has {len(moments)} flows; an inflow has from 2 to {MOST_POINTS}.",
            where=gauge.name,
            remedy="Choose another stretch of the record.",
        )
    if not record.whole_between(moments[:1], moments[-1:])[0]:
        first = moments[np.isnan(flows)][:1] if np.isnan(flows).any() else moments[:1]
        raise EditRefused(
            f"flow is missing in the stretch, from about {show_moment(record.moment(int(first[0])))}.",
            where=gauge.name,
            remedy="Mend the record, or choose a stretch without a gap: missing flow is never taken as none.",
        )
    return {
        "origin": record.moment(int(moments[0])),
        "times": tuple(float(m - moments[0]) for m in moments),
        "flows": tuple(float(q) for q in flows),
        "cut": cut,
    }


def storm_of(stretch: StretchOfRain, name: str) -> RecordedStorm:
    """A recorded storm of a stretch of rain; rain that is missing stays missing."""
    if not stretch.rain:
        reason = next(iter(stretch.lacking.values()), "no catchment takes rain.")
        remedy = "Say how the rain of catchments is found."
        raise EditRefused(f"no catchment has rain: {reason}", where=name, remedy=remedy)
    end = stretch.begin + stretch.step * len(next(iter(stretch.rain.values())))
    origin = moment_of(stretch.begin, stretch.offset)
    return RecordedStorm(
        name=name,
        step=float(stretch.step),
        origin=origin,
        rain={key: _depths(rain) for key, rain in stretch.rain.items()},
        source=f"records from {show_moment(origin)} for {show_duration(end - stretch.begin)}; {stretch.way}",
        cut=Cut(begin=stretch.begin, end=end, way=stretch.way),
    )


def _depths(rain: Floats) -> Depths:
    return tuple(None if np.isnan(v) else float(v) for v in rain)


def _with_fields(fields: Mapping[str, Any]) -> Callable[[Element], Element]:
    return lambda old: old.model_copy(update=fields)


def followed(study: Study, blobs: Blobs) -> Study:
    """The study with the storms and inflows that were cut from its records cut again.

    One whose records no longer give it stays as it was.
    """
    storms = dict(study.storms)
    for key, storm in study.storms.items():
        if not isinstance(storm, RecordedStorm) or storm.cut is None:
            continue
        try:
            stretch = rain_between(study, blobs, storm.cut.begin, storm.cut.end, int(storm.step))
            again = storm_of(stretch, storm.name)
        except TarnwaterError:
            continue
        if (again.rain, again.cut) != (storm.rain, storm.cut):
            fields = {"rain": again.rain, "cut": again.cut, "source": again.source, "origin": again.origin}
            storms[key] = storm.model_copy(update=fields)
    if any(storms[key] is not study.storms[key] for key in storms):
        study = changed(study, storms=storms)
    for key, element in study.elements.items():
        if isinstance(element, Inflow) and element.cut is not None:
            try:
                given = flow_between(study, blobs, element.cut)
            except TarnwaterError:
                continue
            if any(getattr(element, name) != value for name, value in given.items()):
                study = with_element_changed(study, key, _with_fields(given))
    return study
