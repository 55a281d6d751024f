"""Results as tables, in SI units, which the column heads name.

``peaks.csv`` has a row a case; ``hydrographs.csv`` the flow of every element in the governing cases;
``balance.csv`` the water balance of every element in them; ``ponds.csv`` each pond in each case. The columns are those
of `PEAK_COLUMNS`, `BALANCE_COLUMNS` and `POND_COLUMNS`.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

import numpy as np

from tarnwater.study.answers import CaseResult, Results, keeps
from tarnwater.study.answers.pond_table import pond_rows
from tarnwater.study.file.writing import make_folder, write_whole

PEAK_COLUMNS = {
    "design_point": "element at which the answer is wanted",
    "condition": "state of land and works",
    "family": "storm family, or the name of a recorded or typed storm",
    "return_period_years": "return period of the rain, years; empty for a recorded or typed storm",
    "duration_h": "duration of the storm, h",
    "standing": "counted: tried for the answer; beside: of a family not counted; other length: of a nested storm",
    "governing": "yes for the counted case with the greatest peak",
    "peak_m3_per_s": "highest computed flow, m³/s",
    "fitted_peak_m3_per_s": "check of the step: top of the parabola through it, m³/s; empty where none is drawn",
    "time_h": "time of the peak from the start of the rain, h",
    "volume_m3": "volume of the flood until it has receded, less baseflow, m³",
    "receded_h": "time at which the flood has receded, from the start of the rain, h",
    "let_in_m3": "what inflow elements above let in until the flood has receded, m³",
    "area_km2": "area draining there, km²",
    "rain_mm": "depth of the storm over that area, mm",
    "areal_factor": "its share of the depth at a point",
    "runoff_mm": "direct runoff, mm",
    "share_of_rain": "direct runoff over rain",
    "peak_m3_per_s_per_km2": "peak per area, m³/s per km²",
    "limit_m3_per_s": "allowed peak, m³/s; empty without a limit",
    "keeps_limit": "yes or no: whether this case keeps the limit; empty without one, or where it is not counted",
    "verdict": "kept, exceeded or unknown, over every duration tried; empty without a limit",
    "after": "storm from whose end state the run begins; empty at rest",
    "begins": "date, time and zone of the start of the rain; empty where the storm has none",
}

BALANCE_COLUMNS = {
    "design_point": "element the storm was made for",
    "condition": "state of land and works",
    "family": "storm family, or the name of a recorded or typed storm",
    "return_period_years": "return period of the rain, years; empty for a recorded or typed storm",
    "duration_h": "duration of the storm, h",
    "run_h": "length of the run, h",
    "element": "element",
    "rain_m3": "rain on it, m³",
    "inflow_m3": "water from above, m³",
    "from_outside_m3": "water that an inflow element lets in, m³",
    "from_ground_m3": "baseflow, m³",
    "start_storage_m3": "water in it at the start, m³",
    "outflow_m3": "water that left it, m³",
    "end_storage_m3": "water in it at the end, m³",
    "losses_m3": "water the ground kept, m³",
    "error": "what does not balance, as a share of what came in",
}


POND_COLUMNS = {
    **dict(list(BALANCE_COLUMNS.items())[:5]),
    "pond": "pond",
    "highest_level_m": "highest level, m",
    "at_h": "when, hours from the start of the rain",
    "held_m3": "water in it then, m³",
    "share": "that as a share of all that it can hold",
    "freeboard_left_m": "height from the highest level to the top, m",
    "keeps_freeboard": "whether the freeboard asked for is left and nothing flowed over",
    "inflow_peak_m3_per_s": "greatest inflow, m³/s",
    "outflow_peak_m3_per_s": "greatest outflow, m³/s",
    "by_device_m3_per_s": "flow of each device at the highest level, m³/s",
    "overflow_m3": "water over the top, m³",
    "drains_in_h": "time from the highest level to 1 % of the volume, hours; empty where it does not empty so far",
}

#: Columns that identify a case in every table; each row of ``peaks.csv`` has a different set of values.
CASE_COLUMNS = tuple(BALANCE_COLUMNS)[:5]


def write_tables(results: Results, folder: Path) -> list[Path]:
    """Write the tables into a folder, that of ponds where there is one; each file is whole. Returns their paths."""
    make_folder(folder)
    written = []
    tables = {
        "peaks.csv": peak_rows(results),
        "hydrographs.csv": hydrograph_rows(results),
        "balance.csv": balance_rows(results),
    }
    if any(element.has_level for element in results.study.all_elements.values()):
        tables["ponds.csv"] = pond_rows_of(results)
    for name, rows in tables.items():
        path = folder / name
        write_whole(path, _csv(rows))
        written.append(path)
    return written


def _csv(rows: Iterable[Sequence[object]]) -> str:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows([harmless(cell) for cell in row] for row in rows)
    return text.getvalue()


def harmless(cell: object) -> object:
    """A cell that no spreadsheet reads as a formula: text that begins like one gets an apostrophe.

    >>> [harmless(c) for c in ("=1+1", "-Beck", "-0.5", "Hask", 3)]
    ["'=1+1", "'-Beck", '-0.5', 'Hask', 3]
    """
    if not isinstance(cell, str) or cell[:1] not in ("=", "+", "-", "@", "\t", "\r"):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}"
    return cell


def _number(value: float | None) -> str:
    return "" if value is None else repr(float(value))


def _yes(value: bool | None) -> str:
    return "" if value is None else "yes" if value else "no"


def _of_case(results: Results, case: CaseResult) -> list[str]:
    study, storm = results.study, case.case.storm
    return [
        study.name_of(case.case.point),
        study.conditions[case.case.condition].name,
        storm.maker(study),
        "" if isinstance(storm.event, str) else f"{storm.event:g}",
        _number(storm.duration / 3600),
    ]


def _date(case: CaseResult, seconds: float) -> str:
    at = case.moment(seconds)
    return "" if at is None else at.isoformat()


def pond_rows_of(results: Results) -> Iterator[list[str]]:
    """Rows of ``ponds.csv``, its head first: each pond in each case."""
    yield list(POND_COLUMNS)
    for key, element in results.study.all_elements.items():
        for row in pond_rows(results, key) if element.has_level else ():
            devices = "; ".join(f"{name}: {flow!r}" for name, flow in row.by_device.items())
            yield [
                *_of_case(results, row.case), element.name, _number(row.top), _number(row.time / 3600),
                _number(row.stored), _number(row.share), _number(row.freeboard), _yes(row.keeps_freeboard),
                _number(row.inflow), _number(row.outflow), devices, _number(row.spilled),
                "" if row.drain_time == float("inf") else _number(row.drain_time / 3600),
            ]  # fmt: skip


def peak_rows(results: Results) -> Iterator[list[str]]:
    """Rows of ``peaks.csv``, its head first."""
    yield list(PEAK_COLUMNS)
    for case in results.cases:
        at = case.case
        figures = case.figures(at.point)
        peak = figures.peak
        counted = case.standing == "counted"
        limit = results.limit(at.point, at.event, at.condition)
        governs = results.governing(at.condition, at.point, at.event) is case
        kept = keeps(case, at.point, limit) if counted and limit is not None else None
        verdict = None if limit is None else results.verdict(at.condition, at.point, at.event, limit)
        yield [
            *_of_case(results, case),
            case.standing,
            _yes(governs),
            _number(peak.ordinate),
            _number(peak.fitted),
            _number(peak.time / 3600),
            _number(figures.volume),
            _number(figures.receded / 3600),
            _number(figures.given_volume),
            _number(figures.area / 1e6),
            _number(figures.rain_depth),
            _number(case.areal_factor),
            _number(figures.runoff_depth),
            _number(figures.share_of_rain),
            _number(figures.per_area * 1e6),
            _number(limit),
            _yes(kept),
            "" if verdict is None else verdict.words,
            results.study.storms[at.start].name if at.start else "",
            _date(case, 0.0),
        ]


def hydrograph_rows(results: Results) -> Iterator[list[str]]:
    """Rows of ``hydrographs.csv``: the case, the time (and the date where there is one), each element's flow in m³/s.

    For an element with several links down, the flow in each link follows the total.
    """
    study = results.study
    names = list(dict.fromkeys(k for a in results.answers() for k in a.result.network.order))
    ways = {n: link for a in results.answers() for n, link in a.result.network.parting.items()}
    heads = [study.name_of(n) for n in names] + [
        f"{study.name_of(w.up)} to {study.name_of(w.down)}" for w in ways.values()
    ]
    yield [*CASE_COLUMNS, "time_h", "date", *(f"{head} m3/s" for head in heads)]
    for answer in results.answers():
        case = answer.result
        start = _of_case(results, case)
        flows = [case.flow(n) if n in case.network.elements else None for n in names]
        flows += [case.flow_by(n) if n in case.network.parting else None for n in ways]
        for index in range(len(case.flow(case.case.point))):
            cells = ["" if flow is None else f"{flow[index]:.10g}" for flow in flows]
            seconds = index * case.step
            yield [*start, _number(seconds / 3600), _date(case, seconds), *cells]


def balance_rows(results: Results) -> Iterator[list[str]]:
    """Rows of ``balance.csv``, its head first."""
    yield list(BALANCE_COLUMNS)
    for answer in results.answers():
        case = answer.result
        for key in case.network.order:
            balance = case.balance(key)
            volumes = (
                balance.rain,
                balance.inflow,
                balance.outside,
                balance.baseflow,
                balance.start_storage,
                balance.outflow,
                balance.end_storage,
                balance.losses,
                balance.error,
            )
            yield [
                *_of_case(results, case),
                _number(case.length / 3600),
                results.study.name_of(key),
                *(_number(float(np.asarray(v)[0])) for v in volumes),
            ]
