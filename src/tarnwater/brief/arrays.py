"""Results as labelled arrays, by the CF conventions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater import __version__
from tarnwater.arrays import Floats
from tarnwater.errors import ComputationFailed
from tarnwater.network.elements import Catchment, Pond
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.storms import event_title
from tarnwater.study.file.writing import make_whole

if TYPE_CHECKING:
    import xarray

CONVENTIONS = "CF-1.11"

#: Variables by name: standard name of the CF table, unit, and meaning.
VARIABLES = {
    "flow": ("water_volume_transport_in_river_channel", "m3 s-1", "flow out of the element, at the ends of the steps"),
    "level": ("water_surface_height_above_reference_datum", "m", "level of a pond, at the ends of the steps"),
    "rain": ("thickness_of_rainfall_amount", "mm", "rain on a catchment in the step that ends then"),
    "peak": ("water_volume_transport_in_river_channel", "m3 s-1", "highest computed flow"),
    "time_of_peak": ("", "s", "time of the peak from the start of the rain"),
    "volume": ("", "m3", "volume of the flood until it has receded, less baseflow"),
}


def governing_cases(results: Results) -> list[CaseResult]:
    """The governing case of each answer, each once."""
    found = {id(answer.result): answer.result for answer in results.answers()}
    return list(found.values())


def results_dataset(results: Results, cases: Sequence[CaseResult] | None = None) -> xarray.Dataset:
    """Cases as a dataset with the dimensions case, element and step.

    ``cases`` are the governing ones unless given. Series of shorter runs end in missing values; elements that do not
    drain to the design point of a case are missing in it. Raises `ComputationFailed` without a case.
    """
    import xarray

    shown = governing_cases(results) if cases is None else list(cases)
    if not shown:
        raise ComputationFailed("there is no computed case.", remedy="Compute the study, or ask for other cases.")
    study = results.study
    keys = list(dict.fromkeys(key for case in shown for key in case.network.order))
    longest = max(len(case.flow(case.case.point)) for case in shown)
    series: dict[str, Callable[[CaseResult, str], Floats | None]] = {
        "flow": lambda case, key: case.flow(key),
        "level": lambda case, key: case.level(key) if isinstance(case.network.elements[key], Pond) else None,
        "rain": _rain_at_ends,
    }
    figures: dict[str, Callable[[CaseResult, str], float]] = {
        "peak": lambda case, key: case.peak(key).ordinate,
        "time_of_peak": lambda case, key: case.peak(key).time,
        "volume": lambda case, key: case.figures(key).volume,
    }
    data: dict[str, Any] = {}
    for name, read in series.items():
        values = np.full((len(shown), len(keys), longest), np.nan)
        for row, case in enumerate(shown):
            for column, key in enumerate(keys):
                own = read(case, key) if key in case.network.elements else None
                if own is not None:
                    values[row, column, : len(own)] = own
        data[name] = (("case", "element", "step"), values, _attributes(name))
    for name, figure in figures.items():
        own_values = [[figure(c, k) if k in c.network.elements else np.nan for k in keys] for c in shown]
        data[name] = (("case", "element"), np.array(own_values), _attributes(name))
    steps = np.array([case.step for case in shown])
    times = np.arange(longest) * steps[:, None]
    about = {"long_name": "time from the start of the rain", "units": "s"}
    time: Any = (("case", "step"), times, about) if np.unique(steps).size > 1 else ("step", times[0], about)
    coordinates = {
        "time": time,
        "element": ("element", [study.name_of(key) for key in keys], {"cf_role": "timeseries_id"}),
        "design_point": ("case", [study.name_of(c.case.point) for c in shown]),
        "condition": ("case", [study.conditions[c.case.condition].name for c in shown]),
        "event": ("case", [event_title(study, c.case.event) for c in shown]),
        "storm": ("case", [c.case.storm.words(study) for c in shown]),
        "duration": (
            "case",
            [c.case.storm.duration for c in shown],
            {"units": "s", "long_name": "duration of the storm"},
        ),
    }
    attributes = {
        "Conventions": CONVENTIONS,
        "title": study.title,
        "source": f"Tarnwater {__version__}",
        "institution": study.author,
    }
    return xarray.Dataset(data, coordinates, {name: text for name, text in attributes.items() if text})


def _attributes(name: str) -> dict[str, str]:
    standard, unit, meaning = VARIABLES[name]
    found = {"units": unit, "long_name": meaning, "standard_name": standard}
    return {key: text for key, text in found.items() if text}


def _rain_at_ends(case: CaseResult, key: str) -> Floats | None:
    """Rain of each step at its end, mm, none at the start; None where no rain falls."""
    if not isinstance(case.network.elements[key], Catchment):
        return None
    rain, found = case.rain_on(key), np.zeros(len(case.flow(key)))
    found[1 : len(rain) + 1] = rain
    return found


def write_netcdf(results: Results, path: Path, cases: Sequence[CaseResult] | None = None) -> None:
    """Write cases as a NetCDF file by the CF conventions, completely or not at all."""
    dataset = results_dataset(results, cases)
    packed = {name: {"zlib": True, "complevel": 4} for name, one in dataset.data_vars.items() if one.ndim > 2}
    make_whole(path, lambda part: dataset.to_netcdf(part, engine="h5netcdf", encoding=packed))
