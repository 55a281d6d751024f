"""WaterML 2.0 (OGC 10-126r4): series of measurements, read and written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from tarnwater import units
from tarnwater.errors import TableError, UnitError
from tarnwater.formats.records.reader import BadRows
from tarnwater.progress import Progress
from tarnwater.rain.records.raw import Form, RawSeries, Stamp
from tarnwater.rain.records.record import Record, moment_of

WML = "http://www.opengis.net/waterml/2.0"
GML = "http://www.opengis.net/gml/3.2"
OM = "http://www.opengis.net/om/2.0"
SAMS = "http://www.opengis.net/samplingSpatial/2.0"
SF = "http://www.opengis.net/sampling/2.0"
XLINK = "http://www.w3.org/1999/xlink"
XSI = "http://www.w3.org/2001/XMLSchema-instance"
TYPES = "http://www.opengis.net/def/waterml/2.0/interpolationType/"

#: What the values of a series are by the last word of its interpolation type.
FORMS: Mapping[str, tuple[Form, Stamp]] = {
    "TotalPrec": ("incremental", "end"),
    "TotalSucc": ("incremental", "start"),
    "AveragePrec": ("rate", "end"),
    "ConstPrec": ("rate", "end"),
    "AverageSucc": ("rate", "start"),
    "ConstSucc": ("rate", "start"),
    "InstantTotal": ("cumulative", "end"),
    "Discontinuous": ("tips", "end"),
    "Continuous": ("flow", "end"),
}


@dataclass(frozen=True)
class WaterSeries:
    """One series of a file: its name, what was observed, its unit, its place (or None), and its values."""

    name: str
    observed: str
    unit: str
    place: tuple[float, float] | None
    crs: str
    raw: RawSeries


@dataclass(frozen=True)
class WaterFile:
    """The series of a file, points that could not be read, and what is worth knowing, in words."""

    series: tuple[WaterSeries, ...]
    bad: BadRows
    notes: tuple[str, ...]

    @property
    def by_name(self) -> dict[str, WaterSeries]:
        """The series by their names; one whose name is taken already gets its number."""
        found: dict[str, WaterSeries] = {}
        for number, one in enumerate(self.series, start=1):
            found[one.name if one.name not in found else f"{one.name} {number}"] = one
        return found

    def places_in(self, crs: str) -> dict[str, tuple[float, float]]:
        """Places of the series that are given in a coordinate system, by name."""
        named = self.by_name.items()
        return {name: one.place for name, one in named if one.place is not None and one.crs and one.crs == crs}


def is_waterml(path: Path) -> bool:
    """Whether a file looks like XML by its first bytes."""
    try:
        with path.open("rb") as raw:
            return raw.read(512).lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"<")
    except OSError:
        return False


def read_waterml(path: Path) -> WaterFile:
    """Read all series of a file.

    A file with a document type, and so with entities, is refused: it could ask for other files, or grow without end.
    """
    from lxml import etree

    bad = BadRows()
    found: list[WaterSeries] = []
    try:
        with path.open("rb") as raw:
            for element in _observations(raw, path.name):
                found += _observation(element, len(found), bad)
    except etree.XMLSyntaxError as error:
        raise TableError(
            f"the file is no whole XML: {error.msg}.", where=path.name, remedy="Fetch it again."
        ) from error
    except FileNotFoundError as error:
        raise TableError("there is no such file.", where=str(path), remedy="Check the name and the folder.") from error
    except OSError as error:
        raise TableError("the file cannot be read.", where=str(path), remedy="Check its name and rights.") from error
    if not found:
        raise TableError(
            "the file holds no series of measurements.", where=path.name, remedy="Give a file of WaterML 2.0 series."
        )
    notes = (f"{bad.told} Their time is missing.",) if bad.count else ()
    return WaterFile(tuple(found), bad, notes)


def _observations(raw: BinaryIO, where: str) -> Iterator[Any]:
    """Each observation of a file when it has been read; what was read is then let go."""
    from lxml import etree

    for event, element in etree.iterparse(
        raw, events=("start", "end"), resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True
    ):
        if event == "start":
            if element.getparent() is None and element.getroottree().docinfo.doctype:
                raise TableError(
                    "the file declares a document type, and may hold entities; it is not read.",
                    where=where,
                    remedy="Ask for the file without a document type.",
                )
        elif element.tag == f"{{{OM}}}OM_Observation":
            yield element
            element.clear()


def _observation(element: Any, before: int, bad: BadRows) -> Iterable[WaterSeries]:
    feature = element.find(f"{{{OM}}}featureOfInterest")
    observed = element.find(f"{{{OM}}}observedProperty")
    told = "" if observed is None else observed.get(f"{{{XLINK}}}title") or observed.get(f"{{{XLINK}}}href") or ""
    place, crs = _place(feature)
    for series in element.iter(f"{{{WML}}}MeasurementTimeseries"):
        unit, kind = _metadata(series)
        form, stamp = FORMS.get(kind, ("incremental", "end"))
        quantity = {"flow": "flow", "rate": "rain rate"}.get(form, "rain")
        try:
            factor = units.factor_of(unit or units.kind(quantity).base, quantity)
        except UnitError as error:
            raise TableError(f"the unit of the series: {error.what}", where=told, remedy=error.remedy) from error
        stamps, values, offset = _points(series, bad)
        name = _name(feature) or told or f"series {before + 1}"
        raw = RawSeries(np.array(stamps, np.int64), np.array(values) * factor, form, stamp, offset)
        yield WaterSeries(name, told, unit, place, crs, raw)


def _name(feature: Any) -> str:
    if feature is None:
        return ""
    name = feature.find(f".//{{{GML}}}name")
    return (name.text or "").strip() if name is not None else feature.get(f"{{{XLINK}}}title") or ""


def _place(feature: Any) -> tuple[tuple[float, float] | None, str]:
    position = None if feature is None else feature.find(f".//{{{GML}}}pos")
    if position is None:
        return None, ""
    try:
        x, y = (float(part) for part in (position.text or "").split()[:2])
    except ValueError:
        return None, ""
    return (x, y), position.get("srsName") or ""


def _metadata(series: Any) -> tuple[str, str]:
    """Unit and kind of interpolation: those of all points, or those of the first one."""
    unit = series.find(f".//{{{WML}}}uom")
    kind = series.find(f".//{{{WML}}}interpolationType")
    told = "" if unit is None else unit.get("code") or ""
    name = "" if kind is None else (kind.get(f"{{{XLINK}}}href") or "").rstrip("/").rsplit("/", 1)[-1]
    return units.spelled(told), name


def _points(series: Any, bad: BadRows) -> tuple[list[int], list[float], int]:
    stamps: list[int] = []
    values: list[float] = []
    offset = 0
    for number, point in enumerate(series.iter(f"{{{WML}}}MeasurementTVP"), start=1):
        time, value = point.find(f"{{{WML}}}time"), point.find(f"{{{WML}}}value")
        try:
            when = datetime.fromisoformat((time.text or "").strip())
            nil = value is None or value.get(f"{{{XSI}}}nil") in ("true", "1") or not (value.text or "").strip()
            depth = float("nan") if nil else float(value.text)
            if not (nil or np.isfinite(depth)):
                raise ValueError
        except (ValueError, AttributeError):
            told = " ".join(part.text or "" for part in (time, value) if part is not None)
            bad.add([number], [f"“{told[:60]}” is no time and value"])
            continue
        when = when if when.tzinfo is not None else when.replace(tzinfo=UTC)
        if not stamps:
            own = when.utcoffset()
            offset = 0 if own is None else int(own.total_seconds())
        stamps.append(round(when.timestamp()))
        values.append(depth)
    return stamps, values, offset


def write_waterml(
    path: Path,
    records: Mapping[str, Record],
    places: Mapping[str, tuple[float, float]] | None = None,
    crs: str = "",
    progress: Progress | None = None,
) -> None:
    """Write records by their names, each as one series; missing values are nil, and gaps have no points.

    ``places`` are those of gauges in the coordinate system ``crs``.
    """
    from lxml import etree

    names = {None: WML, "gml": GML, "om": OM, "sams": SAMS, "sf": SF, "xlink": XLINK, "xsi": XSI}
    root = etree.Element(f"{{{WML}}}Collection", nsmap=names)
    root.set(f"{{{GML}}}id", "collection")
    for number, (name, record) in enumerate(records.items(), start=1):
        if progress is not None:
            progress.tell(name, (number - 1) / len(records))
        member = etree.SubElement(root, f"{{{WML}}}observationMember")
        observation = etree.SubElement(member, f"{{{OM}}}OM_Observation")
        observation.set(f"{{{GML}}}id", f"observation-{number}")
        _write_head(observation, number, name, record, (places or {}).get(name), crs)
        _write_points(observation, number, record, progress)
    part = path.with_name(path.name + ".part")
    part.write_bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))
    part.replace(path)


def _write_head(
    observation: Any, number: int, name: str, record: Record, place: tuple[float, float] | None, crs: str
) -> None:
    from lxml.etree import SubElement

    time = SubElement(SubElement(observation, f"{{{OM}}}phenomenonTime"), f"{{{GML}}}TimePeriod")
    time.set(f"{{{GML}}}id", f"period-{number}")
    for tag, moment in (("beginPosition", record.first), ("endPosition", record.last)):
        SubElement(time, f"{{{GML}}}{tag}").text = moment_of(moment, record.offset).isoformat()
    observed = SubElement(observation, f"{{{OM}}}observedProperty")
    observed.set(f"{{{XLINK}}}title", "rain" if record.quantity == "rain" else "flow")
    point = SubElement(SubElement(observation, f"{{{OM}}}featureOfInterest"), f"{{{WML}}}MonitoringPoint")
    point.set(f"{{{GML}}}id", f"point-{number}")
    SubElement(point, f"{{{GML}}}name").text = name
    if place is not None:
        shape = SubElement(SubElement(point, f"{{{SAMS}}}shape"), f"{{{GML}}}Point")
        shape.set(f"{{{GML}}}id", f"place-{number}")
        position = SubElement(shape, f"{{{GML}}}pos")
        position.set("srsName", crs)
        position.text = f"{place[0]!r} {place[1]!r}"


def _write_points(observation: Any, number: int, record: Record, progress: Progress | None) -> None:
    from lxml.etree import SubElement

    result = SubElement(observation, f"{{{OM}}}result")
    series = SubElement(result, f"{{{WML}}}MeasurementTimeseries")
    series.set(f"{{{GML}}}id", f"series-{number}")
    all_points = SubElement(series, f"{{{WML}}}defaultPointMetadata")
    defaults = SubElement(all_points, f"{{{WML}}}DefaultTVPMeasurementMetadata")
    flow = record.quantity == "flow"
    SubElement(defaults, f"{{{WML}}}uom").set("code", "m3/s" if flow else "mm")
    kind = SubElement(defaults, f"{{{WML}}}interpolationType")
    kind.set(f"{{{XLINK}}}href", TYPES + ("Continuous" if flow else "Discontinuous" if record.tips else "TotalPrec"))
    for count, (when, value) in enumerate(record):
        if progress is not None and count % 10_000 == 0:
            progress.tell("points", count / len(record))
        pair = SubElement(SubElement(series, f"{{{WML}}}point"), f"{{{WML}}}MeasurementTVP")
        SubElement(pair, f"{{{WML}}}time").text = when.isoformat()
        cell = SubElement(pair, f"{{{WML}}}value")
        if np.isnan(value):
            cell.set(f"{{{XSI}}}nil", "true")
        else:
            cell.text = repr(value)
