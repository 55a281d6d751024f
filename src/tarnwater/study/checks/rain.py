"""Checks of depth tables and storms."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.network.elements import Catchment
from tarnwater.network.memo import IdentityMemo
from tarnwater.rain.depths import Depths
from tarnwater.rain.frequency.fits import doubtful_periods
from tarnwater.rain.given import RecordedStorm
from tarnwater.rain.storms import StormFamily, heaviest_window
from tarnwater.study import edits
from tarnwater.study.checks.element import steps_of
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study, proposed_step
from tarnwater.units import show, show_duration

#: Dry time within a storm from which losses that do not recover are doubted, s.
LONG_DRY = 24 * 3600.0


def no_rain(study: Study) -> Iterator[Finding]:
    """A study without storms."""
    if not study.families and not study.storms:
        yield Finding(
            "no-rain",
            "stop",
            "there is no rain.",
            (Remedy("Give a depth table and make a storm family."),),
            field="families",
        )
    elif not study.storms and not any(family.counted for family in study.families.values()):
        yield Finding(
            "no-counted-family",
            "stop",
            "no storm family is counted, so there are no answers.",
            (Remedy("Count one of them."),),
            field="families",
        )


def missing_rain(study: Study) -> Iterator[Finding]:
    """Given storms without their whole rain on a catchment: the cases that it drains to are withheld."""
    rained_on = [key for key, element in study.all_elements.items() if element.takes_rain]
    for key, storm in study.storms.items():
        for catchment in rained_on:
            if lack := storm.lacks(catchment):
                yield Finding(
                    "rain-missing",
                    "stop",
                    f"“{storm.name}”: {lack}",
                    (Remedy("Give its rain there; missing rain is never taken as none."),),
                    element=catchment,
                    field=f"storms/{key}",
                    subject=storm.name,
                )


def falling_depths(study: Study) -> Iterator[Finding]:
    """Depths that fall with duration or return period."""
    for key, table in study.tables.items():
        for entry in table.falling(study.units):
            yield Finding("depths-fall", "doubt", f"{entry}.", (Remedy("Correct the entry."),), field=f"tables/{key}")


def unlike_rain(study: Study) -> Iterator[Finding]:
    """Intervals with more mean intensity than the interval before, which cannot be in maxima of one record."""
    for key, table in study.tables.items():
        for entry in table.steepening(study.units):
            yield Finding(
                "intensity-rises",
                "doubt",
                f"the mean intensity rises with duration: {entry}.",
                (Remedy("Check these entries."),),
                field=f"tables/{key}",
            )


def unstated_series(study: Study) -> Iterator[Finding]:
    """A table that does not say of which series its return periods are."""
    for key, table in study.tables.items():
        if table.series == "unstated":
            yield Finding(
                "series-unstated",
                "note",
                "the table does not say of which series its return periods are; they were read as of annual maxima.",
                (Remedy("Say whether it is of annual maxima or of peaks over a threshold."),),
                field=f"tables/{key}",
            )


def outside_table(study: Study) -> Iterator[Finding]:
    """Storms beyond their table: withheld, or a doubt where extrapolation is allowed."""
    for key, family in study.families.items():
        table = study.tables[family.table]
        periods = table.annual_periods
        beyond = [f"1 in {t:g}" for t in family.return_periods if not periods[0] <= t <= periods[-1]]
        beyond += [show_duration(d) for d in family.tried if d > table.longest]
        if beyond:
            said = "extrapolated" if table.extrapolate else "not in the table"
            remedies = [Remedy("Add them to the table, or leave them out.")]
            if not table.extrapolate:
                allowed = partial(edits.allow_extrapolation, key=family.table)
                remedies.append(Remedy("Allow extrapolation of the table.", allowed))
            yield Finding(
                "outside-table",
                "doubt" if table.extrapolate else "stop",
                f"{family.name}: {', '.join(beyond)} {'is' if len(beyond) == 1 else 'are'} {said}.",
                tuple(remedies),
                field=f"families/{key}",
            )
        if min(family.tried, default=table.shortest) < table.shortest:
            yield Finding(
                "below-shortest-duration",
                "note",
                f"{family.name}: below {show_duration(table.shortest)} the first depth is spread evenly.",
                (Remedy("Add shorter durations to the table."),),
                field=f"families/{key}",
            )


def beyond_record(study: Study) -> Iterator[Finding]:
    """Return periods of families beyond three times the record that their depths were fitted to."""
    for key, family in study.families.items():
        years = study.tables[family.table].years_of_record
        rare = [] if years is None else doubtful_periods(family.return_periods, years)
        if rare:
            told = ", ".join(f"1 in {t:g}" for t in rare) + (" is" if len(rare) == 1 else " are")
            yield Finding(
                "beyond-record",
                "doubt",
                f"{family.name}: {told} beyond three times the {years} years of the record.",
                (Remedy("Bring a longer record or a regional table, or leave them out."),),
                field=f"families/{key}",
            )


def open_faults(study: Study) -> Iterator[Finding]:
    """Records with faults without a choice, where storms or depths are made of them."""
    from tarnwater.study.rain.catchments import gauges_in_use

    of_catchments = study.catchment_rain.way != "grid" and any(
        isinstance(storm, RecordedStorm) and storm.cut for storm in study.storms.values()
    )
    tables = [table for depths in study.tables.values() if (table := depths.typed_table) is not None]
    fitted = {table.fit.gauge for table in tables if table.fit is not None}
    for key, gauge in study.gauges.items():
        storms = of_catchments and key in gauges_in_use(study)
        if not gauge.open_faults or not (storms or gauge.name in fitted):
            continue
        many = gauge.open_faults != 1
        what = " and ".join(word for word, made in (("storms", storms), ("depths", gauge.name in fitted)) if made)
        yield Finding(
            "open-faults",
            "doubt",
            f"{gauge.name}: {gauge.open_faults} fault{'s' * many} of the record {'wait' if many else 'waits'} for a "
            f"choice, and {what} are made of it.",
            (Remedy("Choose a remedy of each under Rain, Records."),),
            field=f"gauges/{key}",
        )


def dry_spells(study: Study) -> Iterator[Finding]:
    """Given storms with a dry spell, on losses that tire and do not recover: the later rain finds the ground full."""
    catchments = {key: one for key, one in study.all_elements.items() if isinstance(one, Catchment)}
    tired = [
        key
        for key, one in catchments.items()
        if any(surface.loss.tires and not surface.loss.recovers for surface in one.surfaces)
    ]
    for key, storm in study.storms.items():
        dry = {catchment: spell for catchment in tired if (spell := storm.dry_spell(catchment)) >= LONG_DRY}
        if not dry:
            continue
        names = ", ".join(study.name_of(one) for one in list(dry)[:3])
        more = f" and {len(dry) - 3} more" if len(dry) > 3 else ""
        yield Finding(
            "no-recovery",
            "doubt",
            f"“{storm.name}” is dry for {show_duration(max(dry.values()))}; the losses of {names}{more} do not "
            "recover.",
            (Remedy("Give these losses a recovery rate, or cut the storm in two."),),
            field=f"storms/{key}",
        )


def storm_against_run(study: Study) -> Iterator[Finding]:
    """Storms longer than a typed length of the run."""
    length = study.run.length.value
    for key, family in study.families.items():
        longer = [show_duration(d) for d in family.tried if length is not None and d > length]
        if longer:
            yield Finding(
                "storm-longer-than-run",
                "stop",
                f"{family.name}: {', '.join(longer)} is longer than the run of {show_duration(length or 0)}.",
                (Remedy("Clear the typed length of the run, or type a longer one."),),
                field=f"families/{key}",
            )


def given_storm_against_run(study: Study) -> Iterator[Finding]:
    """Given storms longer than a typed length of the run."""
    length = study.run.length.value
    for key, storm in study.storms.items():
        if length is not None and storm.duration > length:
            yield Finding(
                "storm-longer-than-run",
                "stop",
                f"{storm.name}: {show_duration(storm.duration)} is longer than the run of {show_duration(length)}.",
                (Remedy("Clear the typed length of the run, or type a longer one."),),
                field=f"storms/{key}",
            )


def storm_against_concentration(study: Study) -> Iterator[Finding]:
    """Counted families whose longest storm is shorter than a catchment's time of concentration."""
    for key, family in study.families.items():
        longest = max(family.tried, default=0.0)
        for name, element in study.elements.items():
            if not isinstance(element, Catchment) or not family.counted or family.prescribed:
                continue
            if (element.concentration.value or 0.0) > longest:
                yield Finding(
                    "storm-shorter-than-concentration",
                    "doubt",
                    f"the longest storm of {family.name} ({show_duration(longest)}) is shorter than the time of "
                    f"concentration ({show_duration(element.concentration.value or 0)}); the peak may be missed.",
                    (Remedy("Add longer durations."),),
                    element=name,
                    field=f"families/{key}",
                )


def patterns(study: Study) -> Iterator[Finding]:
    """Doubts of the patterns of the families."""
    for key, family in study.families.items():
        for doubt in family.pattern.doubts(family.tried, steps_of(study)):
            remedies = tuple(Remedy(text) for text, _ in doubt.cures)
            told = f"{family.name}: {doubt.text}"
            yield Finding(doubt.code, doubt.severity, told, remedies, field=f"families/{key}")


def storms_off_the_step(study: Study) -> Iterator[Finding]:
    """Storms that are not a whole number of steps: it rains in a part of their last step."""
    for key, family in study.families.items():
        for step in steps_of(study):
            off = [show_duration(d) for d in family.tried if abs(d / step - round(d / step)) > 1e-9]
            if off:
                yield Finding(
                    "storm-off-step",
                    "note",
                    f"{family.name}: {', '.join(off)} {'is' if len(off) == 1 else 'are'} not a whole number of steps "
                    f"of {show_duration(step)}; the last step holds the rest of the storm.",
                    (Remedy("Take a step that divides them, or other durations."),),
                    field=f"families/{key}",
                )


#: Share by which a window of a nested storm may exceed the table without a note.
WINDOW_OVER = 0.01


def _heaviest(study: Study, family: StormFamily, period: float, step: float) -> tuple[float, float, float]:
    memo: IdentityMemo[tuple[float, float, float]] = study.memory.of("heaviest windows of storms", 512)
    table = study.tables[family.table]
    known = memo.get((family, table), (period, step))
    return known or memo.put((family, table), _find_heaviest(family, table, period, step), (period, step))


def _find_heaviest(family: StormFamily, table: Depths, period: float, step: float) -> tuple[float, float, float]:
    duration = family.tried[0]
    rain = family.increments(table, period, duration, area=0.0, step=step)
    return heaviest_window(rain, family.curve(table, period, 0.0), step)


def windows_over_table(study: Study) -> Iterator[Finding]:
    """Windows of a storm of blocks that hold more than the table gives for their duration."""
    step = study.run.step.value
    for key, family in study.families.items():
        table = study.tables[family.table]
        if step is None or not family.pattern.blocks or not family.tried or table.falling():
            continue
        for period in family.return_periods:
            if not (table.holds_period(period) and table.holds_duration(family.tried[0])):
                continue
            duration, most, depth = _heaviest(study, family, period, step)
            if most > (1 + WINDOW_OVER) * depth:
                yield Finding(
                    "window-over-table",
                    "note",
                    f"{family.name}, 1 in {period:g}: a window of {show_duration(duration)} beside the peak holds "
                    f"{show(most, 'rain', study.units)}, the table {show(depth, 'rain', study.units)}.",
                    (Remedy("One storm cannot have these depths; choose another pattern, or check the table."),),
                    field=f"families/{key}",
                )


def quicker_response(study: Study) -> Iterator[Finding]:
    """A response that needs a finer step than the present one."""
    wanted, held = proposed_step(study), study.run.step.value
    if study.run.step.typed is None and wanted is not None and held is not None and wanted < held:
        yield Finding(
            "step-wanted",
            "doubt",
            f"the shortest lag needs a step of {show_duration(wanted)}; the study uses {show_duration(held)}.",
            (Remedy(f"Take {show_duration(wanted)}.", partial(edits.set_step, step=wanted)),),
            field="run/step",
        )


CHECKS = (
    no_rain,
    falling_depths,
    unlike_rain,
    unstated_series,
    outside_table,
    beyond_record,
    open_faults,
    dry_spells,
    storm_against_run,
    missing_rain,
    given_storm_against_run,
    storm_against_concentration,
    patterns,
    storms_off_the_step,
    windows_over_table,
    quicker_response,
)
