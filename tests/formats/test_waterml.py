"""WaterML 2.0, written and read back, and hostile files."""

import numpy as np
import pytest

from tarnwater.errors import TableError
from tarnwater.formats.waterml import is_waterml, read_waterml, write_waterml
from tarnwater.rain.records import Record
from tarnwater.rain.records.mending import mended

HOUR = 3600


def record(**known):
    return Record.regular(1_573_257_600, HOUR, np.array([0.2, np.nan, 3.4, 0.0]), **known)


def test_a_record_is_written_and_read_back_as_it_is(tmp_path):
    path = tmp_path / "gauges.xml"
    tips = Record(np.array([10, 75, 80]), np.zeros(3), np.full(3, 0.2))
    flow = Record(HOUR * np.arange(1, 4), np.full(3, HOUR), np.array([1.25, np.nan, 7.5]), "flow")
    write_waterml(
        path,
        {"Ridge": record(offset=HOUR), "Bucket": tips, "Bridge": flow},
        {"Ridge": (411_200.5, 533_000.0)},
        "EPSG:32630",
    )
    assert is_waterml(path)
    ridge, bucket, bridge = read_waterml(path).series
    assert (ridge.name, ridge.place, ridge.crs, ridge.unit) == ("Ridge", (411_200.5, 533_000.0), "EPSG:32630", "mm")
    again = mended(ridge.raw).record
    assert np.array_equal(again.ends, record().ends)
    assert np.array_equal(again.values, record().values, equal_nan=True)
    assert again.offset == HOUR
    assert bucket.raw.form == "tips"
    assert mended(bridge.raw).record.values.tolist() == pytest.approx([1.25, np.nan, 7.5], nan_ok=True)
    assert bridge.raw.quantity == "flow"


POINT = (
    "<wml2:point><wml2:MeasurementTVP><wml2:time>{}</wml2:time><wml2:value>{}</wml2:value>"
    "</wml2:MeasurementTVP></wml2:point>"
)


def document(points, kind="TotalPrec", unit="mm", head=""):
    return f"""<?xml version="1.0"?>{head}
<wml2:Collection xmlns:wml2="http://www.opengis.net/waterml/2.0" xmlns:om="http://www.opengis.net/om/2.0"
 xmlns:xlink="http://www.w3.org/1999/xlink"><wml2:observationMember><om:OM_Observation>
<om:observedProperty xlink:title="rain"/><om:result><wml2:MeasurementTimeseries><wml2:defaultPointMetadata>
<wml2:DefaultTVPMeasurementMetadata><wml2:uom code="{unit}"/>
<wml2:interpolationType xlink:href="http://www.opengis.net/def/waterml/2.0/interpolationType/{kind}"/>
</wml2:DefaultTVPMeasurementMetadata></wml2:defaultPointMetadata>{points}
</wml2:MeasurementTimeseries></om:result></om:OM_Observation></wml2:observationMember></wml2:Collection>"""


def test_units_and_the_side_of_the_stamp_are_those_stated(tmp_path):
    points = POINT.format("2019-11-09T00:00:00Z", "6") + POINT.format("2019-11-09T00:10:00Z", "12")
    path = tmp_path / "rate.xml"
    path.write_text(document(points, "AverageSucc", "mm/h"))
    found = mended(read_waterml(path).series[0].raw).record
    assert found.values.tolist() == [1, 2]
    assert found.ends[0] == found.first + 600
    path.write_text(document(points, unit="in"))
    assert mended(read_waterml(path).series[0].raw).record.values.tolist() == pytest.approx([152.4, 304.8])


def test_points_that_cannot_be_read_are_counted(tmp_path):
    points = (
        POINT.format("2019-11-09T00:00:00Z", "6")
        + POINT.format("yesterday", "12")
        + POINT.format("2019-11-09T01:00:00Z", "x")
    )
    path = tmp_path / "bad.xml"
    path.write_text(document(points))
    found = read_waterml(path)
    assert found.bad.count == 2
    assert "yesterday" in found.bad.first[0]


def test_a_waterml_file_with_entities(tmp_path):
    """Refused safely: neither a file of the computer nor memory without end is given away."""
    secret = tmp_path / "secret.txt"
    secret.write_text("a secret")
    path = tmp_path / "hostile.xml"
    outside = f'<!DOCTYPE x [<!ENTITY secret SYSTEM "{secret.as_uri()}">]>'
    path.write_text(document(POINT.format("2019-11-09T00:00:00Z", "&secret;"), head=outside))
    with pytest.raises(TableError, match="may hold entities") as refused:
        read_waterml(path)
    assert "a secret" not in str(refused.value)
    laughs = "".join(f'<!ENTITY l{n} "{f"&l{n - 1};" * 10}">' for n in range(1, 12))
    path.write_text(
        document(POINT.format("2019-11-09T00:00:00Z", "&l11;"), head=f'<!DOCTYPE x [<!ENTITY l0 "1">{laughs}]>')
    )
    with pytest.raises(TableError, match="may hold entities"):
        read_waterml(path)


@pytest.mark.parametrize(
    ("text", "what"),
    [("<a><b></a>", "no whole XML"), ("<a/>", "no series"), ("", "no whole XML"), ("plain text", "no whole XML")],
)
def test_files_that_are_no_waterml(tmp_path, text, what):
    path = tmp_path / "other.xml"
    path.write_text(text)
    with pytest.raises(TableError, match=what):
        read_waterml(path)


def test_a_unit_that_is_none_of_rain_is_refused(tmp_path):
    path = tmp_path / "unit.xml"
    path.write_text(document(POINT.format("2019-11-09T00:00:00Z", "6"), unit="degC"))
    with pytest.raises(TableError, match="degC"):
        read_waterml(path)
