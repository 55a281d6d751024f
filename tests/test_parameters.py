"""Parameters described once, typed over derived, and errors told as what, where and what to do."""

import pytest
from pydantic import TypeAdapter, ValidationError

from tarnwater.errors import BadInput, ComputationFailed, OutOfRange, TableError, TarnwaterError, UnknownName
from tarnwater.parameters import Model, Name, Setting, derived, parameter, typed


class Field(Model):
    area: Setting[float] = parameter("area", "area of the field", symbol="A", above=0, default=Setting[float]())
    share: float = parameter("share", "share that is paved", least=0, most=1, usual=(0.0, 0.9), default=0.2)
    depths: tuple[float, ...] = parameter("rain", "depth", least=0, default=())


def test_a_bare_number_is_read_as_typed():
    assert Field(area=3.0).area.typed.value == 3.0
    assert Field(area=3.0).area.derived is None


def test_the_typed_value_counts_and_the_derived_one_stays_beside_it():
    both = Setting[float](typed=typed(5.0).typed, derived=4.0)
    assert both.value == 5.0
    assert both.with_derived(7.0).value == 5.0
    assert both.with_derived(7.0).derived == 7.0
    assert derived(4.0).value == 4.0


def test_a_missing_value_is_told_when_it_is_needed():
    with pytest.raises(ComputationFailed, match="a value is missing"):
        _ = Setting[float]().known


@pytest.mark.parametrize("value", [float("inf"), float("-inf"), float("nan")])
def test_what_is_no_number_is_refused_typed_or_derived(value):
    for made in (lambda: Field(area=value), lambda: Field(area=derived(value)), lambda: Field(depths=(1.0, value))):
        with pytest.raises((ValidationError, OutOfRange), match="finite|cannot be"):
            made()


@pytest.mark.parametrize("given", [{"area": True}, {"area": {"typed": {"value": True}}}, {"depths": [1.0, False]}])
def test_truth_values_are_no_numbers(given):
    with pytest.raises(ValidationError):
        Field.model_validate({"area": 1.0} | given)


@pytest.mark.parametrize("name", ["", "  ", "a\x1b[2Jb", "a\nb", "a\u202eb", "x" * 300])
def test_a_name_that_cannot_be_shown_as_it_is_written_is_refused(name):
    with pytest.raises(ValidationError, match="name"):
        TypeAdapter(Name).validate_python(name)
    assert TypeAdapter(Name).validate_python("Old ditch (Ω), é") == "Old ditch (Ω), é"


@pytest.mark.parametrize("value", [0.0, -1.0])
def test_values_outside_their_range_are_refused_typed_or_derived(value):
    with pytest.raises(OutOfRange, match="area: area of the field cannot be .* greater than 0"):
        Field(area=value)
    with pytest.raises(OutOfRange):
        Field(area=derived(value))


def test_every_value_of_a_list_is_checked():
    with pytest.raises(OutOfRange, match="depth cannot be −1.000 mm. It must be at least 0 mm"):
        Field(depths=(3.0, -1.0))


def test_both_bounds_are_told():
    with pytest.raises(OutOfRange, match="at least 0 % and at most 100.0 %"):
        Field(share=1.2)


def test_a_model_takes_no_unknown_fields_and_does_not_change():
    with pytest.raises(ValidationError, match="aera"):
        Field(aera=1.0)
    with pytest.raises(ValidationError, match="frozen"):
        Field().share = 0.3


def test_the_schema_carries_kind_unit_range_and_usual_range():
    share = Field.model_json_schema()["properties"]["share"]
    assert (share["kind"], share["least"], share["most"], list(share["usual"])) == ("share", 0, 1, [0.0, 0.9])


def test_an_error_says_what_where_and_what_to_do():
    error = BadInput("the area is missing.", where="Hask", remedy="Type it.")
    assert str(error) == "Hask: the area is missing. Type it."
    assert str(TarnwaterError("it failed.")) == "it failed."


def test_a_table_error_lists_its_rows_below():
    assert str(TableError("2 entries cannot be read.", rows=["line 2: x", "line 3: y"])).splitlines() == [
        "2 entries cannot be read.", "  line 2: x", "  line 3: y",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "known", "said"),
    [
        ("Wimer", ["Hask", "Wimmer"], "Did you mean “Wimmer”?"),
        ("Zzz", ["Hask", "Wimmer"], "There are: Hask, Wimmer."),
        ("50", ["2", "10"], "There are: 2, 10."),
        ("x", [], "There is no beck yet."),
        ("zz", [f"Q{n:02}" for n in range(20)], "Q11 …"),
    ],
)
def test_an_unknown_name_brings_the_nearest_or_all(name, known, said):
    assert said in str(UnknownName(name, known, kind="beck"))
