"""Checks of depth tables and storms."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.network.elements import Catchment
from tarnwater.rain.patterns import TwentyFourHour
from tarnwater.rain.patterns.twenty_four_hour import DAY, FINEST_COARSE_STEP
from tarnwater.study import edits
from tarnwater.study.document import Study, proposed_step
from tarnwater.study.findings import Finding, Remedy
from tarnwater.units import show_duration


def no_rain(study: Study) -> Iterator[Finding]:
    """A study without storms."""
    if not study.families:
        yield Finding(
            "no-rain",
            "stop",
            "there is no rain.",
            (Remedy("Give a depth table and make a storm family."),),
            field="families",
        )


def falling_depths(study: Study) -> Iterator[Finding]:
    """Depths that fall with duration or return period."""
    for key, table in study.tables.items():
        for entry in table.falling():
            yield Finding("depths-fall", "doubt", f"{entry}.", (Remedy("Correct the entry."),), field=f"tables/{key}")


def outside_table(study: Study) -> Iterator[Finding]:
    """Storms beyond their table: a stop, or a doubt where extrapolation is allowed."""
    for key, family in study.families.items():
        table = study.tables[family.table]
        beyond = [
            f"1 in {t:g}" for t in family.return_periods if not table.return_periods[0] <= t <= table.return_periods[-1]
        ]
        beyond += [show_duration(d) for d in family.durations if d > table.durations[-1]]
        if beyond:
            said = "extrapolated" if table.extrapolate else "not in the table"
            yield Finding(
                "outside-table",
                "doubt" if table.extrapolate else "stop",
                f"{family.name}: {', '.join(beyond)} {'is' if len(beyond) == 1 else 'are'} {said}.",
                (Remedy("Add them to the table, leave them out, or allow extrapolation."),),
                field=f"families/{key}",
            )
        if min(family.durations, default=0) < table.durations[0]:
            yield Finding(
                "below-shortest-duration",
                "note",
                f"{family.name}: below {show_duration(table.durations[0])} the first depth is spread evenly.",
                (Remedy("Add shorter durations to the table."),),
                field=f"families/{key}",
            )


def storm_against_run(study: Study) -> Iterator[Finding]:
    """Storms longer than a typed length of the run."""
    length = study.run.length.value
    for key, family in study.families.items():
        longer = [show_duration(d) for d in family.durations if length is not None and d > length]
        if longer:
            yield Finding(
                "storm-longer-than-run",
                "stop",
                f"{family.name}: {', '.join(longer)} is longer than the run of {show_duration(length or 0)}.",
                (Remedy("Give the length of the run back, or type a greater one."),),
                field=f"families/{key}",
            )


def storm_against_concentration(study: Study) -> Iterator[Finding]:
    """Families whose longest storm is shorter than a catchment's time of concentration."""
    for key, family in study.families.items():
        longest = max(family.durations, default=0.0)
        for name, element in study.elements.items():
            if isinstance(element, Catchment) and (element.concentration.value or 0.0) > longest:
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
    """24-hour patterns on other durations, and coarse ones at fine steps."""
    for key, family in study.families.items():
        if not isinstance(family.pattern, TwentyFourHour):
            continue
        others = [show_duration(d) for d in family.durations if d != DAY]
        if others:
            yield Finding(
                "pattern-on-other-duration",
                "doubt",
                f"{family.name}: a 24-hour pattern on {', '.join(others)}.",
                (Remedy("Keep 24 h only, or take another pattern."),),
                field=f"families/{key}",
            )
        step = study.run.step.value
        if family.pattern.type != "II" and step is not None and step < FINEST_COARSE_STEP:
            yield Finding(
                "pattern-coarse",
                "doubt",
                f"{family.name}: type {family.pattern.type} is too coarse for a step of {show_duration(step)}.",
                (Remedy("Take a step of 15 min, or another pattern."),),
                field=f"families/{key}",
            )


def quicker_response(study: Study) -> Iterator[Finding]:
    """A response that wants a finer step than the one held."""
    wanted, held = proposed_step(study), study.run.step.value
    if study.run.step.typed is None and wanted is not None and held is not None and wanted < held:
        yield Finding(
            "step-wanted",
            "doubt",
            f"the quickest lag wants a step of {show_duration(wanted)}; the study holds {show_duration(held)}.",
            (Remedy(f"Take {show_duration(wanted)}.", partial(edits.set_step, step=wanted)),),
            field="run/step",
        )


CHECKS = (
    no_rain,
    falling_depths,
    outside_table,
    storm_against_run,
    storm_against_concentration,
    patterns,
    quicker_response,
)
