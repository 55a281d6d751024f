"""Depth tables as text; every faulty row is listed with its line."""

import pytest

from tarnwater.errors import TableError
from tarnwater.formats.tables import depth_table_from_text, has_decimal_commas, read_depth_table

GOOD = "# of the valley\nduration,2,1 in 10,100 years\n15 min,9,14.5,24\n1 h,16,26,43\n"


@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_a_table_is_read_whatever_parts_its_columns(separator):
    table = depth_table_from_text(GOOD.replace(",", separator))
    assert table.durations == (900.0, 3600.0)
    assert table.return_periods == (2.0, 10.0, 100.0)
    assert table.depths[0] == (9.0, 14.5, 24.0)
    assert table.source == "of the valley"


def test_inches_are_converted_exactly():
    assert depth_table_from_text(GOOD, unit="in").depths[1][0] == 16 * 25.4


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("duration;2;10\n15 min;9,500;14\n1 h;16;26\n", "line 2, 1 in 2: “9,500” has a comma"),
        ("duration,2,10\n15 min,9,many\n1 h,16,26\n", "line 2, 1 in 10: “many” is not a number"),
        ("duration,2,10\n15,9,14\n1 h,16,26\n", "line 2, duration: “15” has no unit"),
        ("duration,2,10\n15 min,9\n1 h,16,26\n", "line 2: 2 columns, not 3"),
        ("duration,2,x\n15 min,9,14\n1 h,16,26\n", "line 1, return period: “x” is not a number"),
        ("duration,2,10\n15 min,9,14\n", "one duration"),
        ("duration,2,10\n15 min,9,14\n1 h,8,26\n", "1 h, 1 in 2: 8 mm is less than 9 mm in 15 min"),
        ("duration,2,10\n15 min,9,8\n1 h,16,26\n", "15 min, 1 in 10: 8 mm is less than 9 mm at 1 in 2"),
        ("", "the table is empty"),
    ],
    ids=[
        "a comma that may part thousands",
        "text in it",
        "no unit",
        "ragged",
        "text in the head",
        "one duration",
        "falling with duration",
        "falling with return period",
        "empty",
    ],
)
def test_a_table_that_cannot_be_read_lists_its_faults(text, said):
    with pytest.raises(TableError) as caught:
        depth_table_from_text(text, where="depths.csv")
    assert said in str(caught.value)
    assert "depths.csv" in str(caught.value)


@pytest.mark.parametrize("part", [";", "\t"], ids=["semicolons", "tabs"])
def test_decimal_commas_are_read_where_they_can_be_nothing_else(part):
    text = "duration;2;10\n15 min;9,5;14,125\n1 h;16;26,0\n".replace(";", part)
    table = depth_table_from_text(text)
    assert table.depths == ((9.5, 14.125), (16.0, 26.0))
    assert has_decimal_commas(text)
    assert not has_decimal_commas(text.replace(",", "."))


def test_all_faults_are_listed_together():
    with pytest.raises(TableError) as caught:
        depth_table_from_text("duration,2,10\nsoon,9,many\n1 h,,26\n")
    assert len(caught.value.rows) == 3


def test_a_file_that_is_not_there_or_holds_no_text_is_refused(tmp_path):
    with pytest.raises(TableError, match="no such file"):
        read_depth_table(tmp_path / "none.csv")
    (tmp_path / "t.csv").write_bytes(b"\xff\xfe\x00\x80")
    with pytest.raises(TableError, match="holds no text"):
        read_depth_table(tmp_path / "t.csv")
