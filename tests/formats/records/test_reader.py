"""Records from text and workbooks: proposals, readings, and every kind of bad input."""

import locale
from datetime import UTC, datetime

import numpy as np
import pytest

from tarnwater.errors import TableError
from tarnwater.formats.records import propose, read_records
from tarnwater.progress import Progress
from tarnwater.rain.records.mending import mended

HOUR = 3600


def when(*parts):
    return int(datetime(*parts, tzinfo=UTC).timestamp())


def written(folder, text, name="gauge.csv", encoding="utf-8"):
    path = folder / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode(encoding))
    return path


MIDNIGHT = when(2019, 11, 9)


def hours(count, form="%Y-%m-%d %H:%M", begin=MIDNIGHT):
    return [datetime.fromtimestamp(begin + HOUR * n, UTC).strftime(form) for n in range(count)]


def the(found):
    (series,) = found.series.values()
    return series


def test_a_plain_file_is_read_as_proposed(tmp_path):
    path = written(tmp_path, "time,rain (mm)\n" + "".join(f"{t},{n * 7 % 5 / 10}\n" for n, t in enumerate(hours(30))))
    proposal = propose(path)
    assert proposal.doubts == ()
    assert (proposal.reading.order, proposal.reading.form, proposal.reading.delimiter) == (
        "year first",
        "incremental",
        ",",
    )
    series = the(read_records(path, proposal.reading))
    assert series.stamps[0] == when(2019, 11, 9)
    assert series.values.tolist() == pytest.approx([n * 7 % 5 / 10 for n in range(30)])


def test_decimal_commas_and_days_first_are_seen(tmp_path):
    rows = "".join(f"{t};{n},{n % 10}\n" for n, t in enumerate(hours(48, "%d.%m.%Y %H:%M")))
    path = written(tmp_path, "# Gaunt Ridge\n# invented\nDatum;Niederschlag [mm]\n" + rows)
    proposal = propose(path)
    assert (proposal.reading.order, proposal.reading.decimal, proposal.reading.delimiter) == ("day first", ",", ";")
    assert proposal.reading.columns[1].name == "Niederschlag [mm]"
    series = the(read_records(path, proposal.reading))
    assert series.values[12] == pytest.approx(12.2)
    assert series.stamps[1] == when(2019, 11, 9, 1)


def test_thousands_are_told_from_decimals(tmp_path):
    text = "time\tflow m3/s\n" + "".join(f"{t}\t1,2{n:02d}.5\n" for n, t in enumerate(hours(20)))
    proposal = propose(written(tmp_path, text, "flow.tsv"))
    assert (proposal.reading.decimal, proposal.reading.thousands, proposal.reading.form) == (".", ",", "flow")
    series = the(read_records(tmp_path / "flow.tsv", proposal.reading))
    assert series.values[3] == 1203.5
    assert series.quantity == "flow"


def test_a_comma_that_could_be_either_is_said(tmp_path):
    text = "time;rain\n" + "".join(f"{t};1,234\n" for t in hours(20))
    assert any("decimals or thousands" in d for d in propose(written(tmp_path, text)).doubts)


def test_units_convert_and_rates_become_depths(tmp_path):
    path = written(tmp_path, "time,rate [in/h]\n" + "".join(f"{t},1.0\n" for t in hours(5)))
    proposal = propose(path)
    assert (proposal.reading.form, proposal.reading.columns[1].unit) == ("rate", "in/h")
    assert mended(the(read_records(path, proposal.reading))).record.values.tolist() == pytest.approx([25.4] * 5)


def test_a_running_total_is_seen_by_how_it_runs(tmp_path):
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},{100 + n // 3}\n" for n, t in enumerate(hours(60))))
    assert propose(path).reading.form == "cumulative"


def test_stamps_alone_are_tips(tmp_path):
    stamps = ["2019-11-09 06:00:00", "2019-11-09 06:07:12", "2019-11-09 06:07:50"]
    path = written(tmp_path, "tip\n" + "\n".join(stamps) + "\n")
    proposal = propose(path)
    assert proposal.reading.form == "tips"
    series = the(read_records(path, proposal.reading.model_copy(update={"tip": 0.5})))
    assert series.values.tolist() == [0.5] * 3
    assert mended(series).record.tips


def test_date_and_time_in_two_columns(tmp_path):
    path = written(tmp_path, "Date,Time,mm\n" + "".join(f"{t.replace(' ', ',')},0.2\n" for t in hours(30)))
    proposal = propose(path)
    assert [c.role for c in proposal.reading.columns] == ["date", "time", "value"]
    assert the(read_records(path, proposal.reading)).stamps[5] == when(2019, 11, 9, 5)


def test_several_gauges_side_by_side(tmp_path):
    path = written(
        tmp_path, "time,Ridge (mm),Ford (mm)\n" + "".join(f"{t},{n},{2 * n}\n" for n, t in enumerate(hours(9)))
    )
    found = read_records(path, propose(path).reading)
    assert list(found.series) == ["Ridge (mm)", "Ford (mm)"]
    assert found.series["Ford (mm)"].values[4] == 8


def test_a_workbook_is_read_like_a_text(tmp_path):
    from openpyxl import Workbook

    book = Workbook()
    book.active.title = "notes"
    sheet = book.create_sheet("rain")
    sheet.append(["Gauge at the ford"])
    sheet.append(["time", "rain (mm)"])
    for n in range(25):
        sheet.append([datetime(2019, 11, 9, n % 24) if n < 24 else datetime(2019, 11, 10), n / 4])
    book.save(tmp_path / "gauge.xlsx")
    proposal = propose(tmp_path / "gauge.xlsx", sheet="rain")
    assert proposal.sheets == ("notes", "rain")
    series = the(read_records(tmp_path / "gauge.xlsx", proposal.reading))
    assert series.values[5] == 1.25
    assert series.stamps[24] == when(2019, 11, 10)
    with pytest.raises(TableError, match="There are: notes, rain"):
        propose(tmp_path / "gauge.xlsx", sheet="flow")


def test_the_computer_s_language_changes_nothing(tmp_path):
    path = written(tmp_path, "time;mm\n" + "".join(f"{t};1,5\n" for t in hours(30, "%d-%b-%Y %H:%M")))
    plain = the(read_records(path, propose(path).reading))
    held = locale.setlocale(locale.LC_ALL)
    for other in ("de_DE.UTF-8", "C.UTF-8", "tr_TR.UTF-8"):
        try:
            locale.setlocale(locale.LC_ALL, other)
        except locale.Error:
            continue
        again = the(read_records(path, propose(path).reading))
        assert np.array_equal(again.stamps, plain.stamps)
        assert np.array_equal(again.values, plain.values)
    locale.setlocale(locale.LC_ALL, held)


def test_zones_of_a_fixed_offset_and_stamps_with_their_own(tmp_path):
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},1\n" for t in hours(4)))
    reading = propose(path).reading.model_copy(update={"zone": "UTC+01:00"})
    series = the(read_records(path, reading))
    assert series.stamps[0] == when(2019, 11, 8, 23)
    assert series.offset == HOUR
    own = written(tmp_path, "time,mm\n" + "".join(f"{t}+02:00,1\n" for t in hours(4, "%Y-%m-%dT%H:%M")), "own.csv")
    assert the(read_records(own, propose(own).reading)).stamps[0] == when(2019, 11, 8, 22)


def test_a_zone_that_is_none_is_refused(tmp_path):
    path = written(tmp_path, "time,mm\n2019-11-09 00:00,1\n2019-11-09 01:00,1\n")
    for zone in ("UTC+99:00", "Atlantis/Port", "../etc/passwd"):
        with pytest.raises(TableError, match="zone"):
            read_records(path, propose(path).reading.model_copy(update={"zone": zone}))


# bad input


def test_mixed_date_formats_in_one_file(tmp_path):
    rows = [*hours(20, "%d/%m/%Y %H:%M"), *hours(5, "%Y-%m-%d %H:%M", when(2019, 11, 9, 20))]
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},1\n" for t in rows))
    with pytest.raises(TableError, match="5 rows cannot be read; the first is line 22: “2019-11-09 20:00” is no date"):
        read_records(path, propose(path).reading)
    left = read_records(path, propose(path).reading, leave_out_bad=True)
    assert len(the(left)) == 20
    assert left.bad.count == 5
    assert "left out, and their time is missing" in left.notes[0]


def test_the_repeated_hour_of_daylight_saving(tmp_path):
    """27 October 2019 in Lisbon: the hour from one to two comes twice; 31 March has none."""
    clock = [
        "27/10/2019 00:00",
        "27/10/2019 01:00",
        "27/10/2019 01:30",
        "27/10/2019 01:00",
        "27/10/2019 01:30",
        "27/10/2019 02:00",
    ]
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},{n}\n" for n, t in enumerate(clock)))
    plain = the(read_records(path, propose(path).reading))
    # read as a clock without summer time they are rows of the same stamps, and none is lost
    assert len(plain) == 6
    assert [t.fault.kind for t in mended(plain).treated if t.open].count("duplicate") == 1
    summer = the(read_records(path, propose(path).reading.model_copy(update={"zone": "Europe/Lisbon"})))
    assert np.diff(summer.stamps).tolist() == [3600, 1800, 1800, 1800, 1800]
    assert summer.stamps[0] == when(2019, 10, 26, 23)
    # half an hour is its step, so that the hour before is a gap of half an hour, and no stamp is twice
    assert [t.fault.kind for t in mended(summer).open] == ["gap"]


def test_the_hour_that_summer_time_leaves_out_is_told(tmp_path):
    path = written(tmp_path, "time,mm\n31/03/2019 00:00,1\n31/03/2019 01:30,1\n31/03/2019 02:00,1\n")
    reading = propose(path).reading.model_copy(update={"zone": "Europe/Lisbon", "order": "day first"})
    found = read_records(path, reading)
    assert len(the(found)) == 2
    assert "leaves out" in found.notes[-1]


def test_a_byte_order_mark(tmp_path):
    text = "time,mm\n" + "".join(f"{t},1.5\n" for t in hours(10))
    for encoding in ("utf-8-sig", "utf-16"):
        path = written(tmp_path, text, encoding=encoding)
        proposal = propose(path)
        assert proposal.reading.columns[0].name == "time"
        assert the(read_records(path, proposal.reading)).values.tolist() == [1.5] * 10


def test_latin_1_text(tmp_path):
    path = written(tmp_path, "Datum;Höhe (mm)\n" + "".join(f"{t};1,5\n" for t in hours(10)), encoding="latin-1")
    proposal = propose(path)
    assert proposal.reading.encoding == "latin-1"
    assert list(read_records(path, proposal.reading).series) == ["Höhe (mm)"]


def test_empty_columns(tmp_path):
    path = written(tmp_path, "time,,mm,,\n" + "".join(f"{t},,1.5,,\n" for t in hours(10)))
    proposal = propose(path)
    assert [c.role for c in proposal.reading.columns] == ["date and time", "ignored", "value", "ignored", "ignored"]
    assert the(read_records(path, proposal.reading)).values.tolist() == [1.5] * 10


def test_trace_letters_and_missing_codes(tmp_path):
    cells = ["0.2", "T", "M", "-999", "", "trace", "1.4"]
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},{c}\n" for t, c in zip(hours(7), cells, strict=True)))
    proposal = propose(path)
    assert proposal.reading.missing == ("-999",)
    found = read_records(path, proposal.reading)
    assert the(found).values.tolist() == pytest.approx([0.2, 0, np.nan, np.nan, np.nan, 0, 1.4], nan_ok=True)
    assert found.notes == ("3 values are missing.", "2 traces count as 0 mm.")
    half = proposal.reading.model_copy(update={"trace": 0.05})
    assert the(read_records(path, half)).values[1] == 0.05


def test_a_million_bad_rows(tmp_path):
    good = "".join(f"{t},1\n" for t in hours(100))
    path = written(tmp_path, "time,mm\n" + good + "2019-99-99 00:00,1\n" * 1_000_000)
    with pytest.raises(TableError) as refused:
        read_records(path, propose(path).reading)
    assert "1,000,000 rows cannot be read; the first is line 102: “2019-99-99 00:00” is no date" in str(refused.value)
    assert len(refused.value.rows) == 20
    assert len(the(read_records(path, propose(path).reading, leave_out_bad=True))) == 100


def test_two_stamps_a_second_apart(tmp_path):
    stamps = [*(f"{t}:00" for t in hours(30)), "2019-11-10 05:00:01"]
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},{n % 4}\n" for n, t in enumerate(stamps)))
    found = mended(the(read_records(path, propose(path).reading)))
    assert [t.fault.kind for t in found.open] == ["crowded"]
    assert found.record.step == HOUR


def test_a_cumulative_record_that_resets(tmp_path):
    totals = [5, 6, 9, 9, 1, 2]
    path = written(
        tmp_path, "time,accumulated mm\n" + "".join(f"{t},{v}\n" for t, v in zip(hours(6), totals, strict=True))
    )
    proposal = propose(path)
    assert proposal.reading.form == "cumulative"
    found = mended(the(read_records(path, proposal.reading)))
    assert [t.fault.kind for t in found.open] == ["reset"]
    assert found.record.values.tolist() == [1, 3, 0, 1, 1]


def test_rows_of_other_lengths(tmp_path):
    text = (
        "time,mm\n"
        + "".join(f"{t},1\n" for t in hours(5))
        + "2019-11-09 05:00,1,5\n2019-11-09 06:00\n\n2019-11-09 07:00,2\n"
    )
    path = written(tmp_path, text)
    with pytest.raises(TableError, match="line 7: .* has more than 2 cells"):
        read_records(path, propose(path).reading)
    found = the(read_records(path, propose(path).reading, leave_out_bad=True))
    # the row without a value is a missing value, and the blank one is nothing
    assert found.values.tolist() == pytest.approx([1] * 5 + [np.nan, 2], nan_ok=True)


def test_cells_that_are_no_numbers_are_named(tmp_path):
    path = written(
        tmp_path,
        "time,mm\n" + "".join(f"{t},1\n" for t in hours(10)) + "2019-11-09 10:00,1.2.3\n2019-11-09 11:00,inf\n",
    )
    with pytest.raises(TableError, match="2 rows cannot be read; the first is line 12: “1.2.3” is no number"):
        read_records(path, propose(path).reading)


@pytest.mark.parametrize(
    ("content", "what"),
    [(b"", "empty"), (b"\0\1\2" * 50, "no text"), (b"PK\3\4 not a book", "workbook cannot be read")],
)
def test_files_that_are_no_records(tmp_path, content, what):
    name = "gauge.xlsx" if content.startswith(b"PK") else "gauge.csv"
    with pytest.raises(TableError, match=what):
        propose(written(tmp_path, content, name))


def test_a_file_without_stamps_is_told(tmp_path):
    path = written(tmp_path, "a,b\n1,2\n3,4\n")
    with pytest.raises(TableError, match="one column must hold the date"):
        read_records(path, propose(path).reading)


def test_reading_can_be_cancelled(tmp_path):
    path = written(tmp_path, "time,mm\n" + "".join(f"{t},1\n" for t in hours(10)))
    progress = Progress()
    progress.cancel()
    with pytest.raises(Exception, match="cancelled"):
        read_records(path, propose(path).reading, progress=progress)
