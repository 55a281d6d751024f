"""A method that the program has never met works in every public way: nothing falls through in silence."""

import json
import runpy
from pathlib import Path

import numpy as np
import pytest

from tarnwater.cli import main
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.elements import Catchment, Outfall, Reach, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.runoff.baseflow import ConstantBaseflow, NoBaseflow
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study
from tarnwater.study.edits.assignments import assign
from tarnwater.study.reckonings import FIGURES, explain, explain_setting

from .methods import Bucket, Burst, Shift, Sponge, Spring, Walk

HOUR = 3600.0


@pytest.fixture
def study():
    """A catchment and a reach of strangers only, under a storm of a stranger."""
    land = Catchment(
        name="Hask",
        area=3e6,
        flow_length=3600.0,
        surfaces=(Surface(name="whole", share=1.0, loss=Sponge(share=0.4)),),
        timing=Walk(speed=1.0),
        transform=Bucket(share=0.1),
        baseflow=Spring(flow=0.2),
    ).refreshed()
    made = edits.add_element(Study(title="Strangers"), land)
    made = edits.add_element(made, Reach(name="Beck", method=Shift(travel_time=10 * HOUR)))
    made = edits.add_element(made, Outfall(name="Bridge"))
    made = edits.connect(edits.connect(made, "hask", "beck"), "beck", "bridge")
    table = DepthTable(durations=(HOUR, 6 * HOUR), return_periods=(100.0,), depths=((43.0,), (88.0,)))
    made = edits.set_table(made, "t", table)
    family = StormFamily(table="t", return_periods=(100.0,), durations=(HOUR, 6 * HOUR), pattern=Burst(share=0.5))
    return edits.set_step(edits.set_family(made, "f", family), 300.0)


@pytest.fixture
def results(study):
    return compute_cases(study)


def test_a_study_of_strangers_is_written_and_read_back(study):
    text = study.as_text()
    again = Study.model_validate(json.loads(text))
    assert again == study
    assert again.as_text() == text
    assert isinstance(again.elements["hask"].surfaces[0].loss, Sponge)
    schema = json.dumps(Study.model_json_schema())
    for one in (Sponge, Walk, Bucket, Spring, Shift, Burst):
        assert one.__doc__ in schema


def test_what_a_stranger_derives_is_derived(study):
    hask = study.elements["hask"]
    assert hask.lag.value == pytest.approx(3600.0)
    assert hask.surfaces[0].loss.room.value == pytest.approx(80.0)


def test_a_flood_of_strangers_arrives_late_and_balances(results):
    for case in results.cases:
        hask, bridge = case.peak("hask"), case.peak("bridge")
        assert bridge.ordinate == pytest.approx(hask.ordinate, rel=1e-12)
        assert bridge.time == pytest.approx(hask.time + 10 * HOUR)
        # a delay of ten hours is no flood that has receded: the run goes on until it has passed
        assert case.receded("bridge", results.study.run.recession_share)
        assert bridge.ordinate > 1
        assert abs(float(case.run.balance.error[case.index])) < 1e-12


def test_the_run_of_a_stranger_is_cut_in_two_by_its_state(study):
    network = Network(study.elements, study.links)
    rain = Rain(np.random.default_rng(3).random((2, 24)), 300.0)
    whole = compute(Batch(network, rain, 300.0, 200))
    first = compute(Batch(network, Rain(rain.depths[:, :17], 300.0), 300.0, 17))
    rest = compute(Batch(network, Rain(rain.depths[:, 17:], 300.0), 300.0, 183, start=first.states))
    for key, response in whole.responses.items():
        joined = np.concatenate([first.responses[key].flow, rest.responses[key].flow[:, 1:]], axis=1)
        # rounding only: the same sums in another order
        assert joined == pytest.approx(response.flow, rel=1e-9, abs=1e-12)


def test_every_figure_of_a_stranger_is_reckoned_from_its_inputs(results):
    case = results.answers()[0].result
    for key in case.network.elements:
        for field in FIGURES:
            try:
                root = explain(results.study, case, key, field, results=results)
            except TarnwaterError:
                continue
            for node in root.walk():
                if node.evaluate is None:
                    continue
                again = node.recomputed()
                if isinstance(node.value, Hydrograph):
                    again, value = again.flow, node.value.flow
                else:
                    value = node.value
                assert again == pytest.approx(value, rel=1e-12, abs=1e-12), (key, field, node.title)
    lag = explain_setting(results.study, "existing", "hask", "lag")
    assert (lag.equation, lag.recomputed()) == ("tL = L / v", pytest.approx(3600.0))
    room = explain_setting(results.study, "existing", "hask", "surfaces/0/loss/room")
    assert room.recomputed() == pytest.approx(80.0)
    with pytest.raises(BadInput, match="has no unit hydrograph"):
        explain(results.study, case, "hask", "unit hydrograph", results=results)


def test_what_a_stranger_lacks_stops_its_cases_and_is_named(study):
    bare = edits.choose(study, "beck", "method", Shift())
    (stop,) = [f for f in check(bare) if f.severity == "stop"]
    assert (stop.element, stop.field) == ("beck", "method/travel_time")
    withheld = compute_cases(bare).withheld
    assert withheld
    assert "the travel time is missing" in withheld[0].reason


def test_a_stranger_doubts_what_is_out_of_its_range_and_what_it_says_itself(study):
    odd = edits.type_values(study, [("hask", "surfaces/0/loss/share", "95 %")])
    assert [f.field for f in check(odd) if f.code == "unusual-value"] == ["surfaces/0/loss/share"]
    full = edits.type_values(study, [("hask", "surfaces/0/loss/share", "100 %")])
    (doubt,) = [f for f in check(full) if f.code == "sponge-full"]
    mended = doubt.remedies[0].edit(full)
    assert mended.elements["hask"].surfaces[0].loss.share == 0.5
    assert not [f for f in check_results(compute_cases(study)) if f.severity == "stop"]


def test_a_stranger_is_chosen_in_one_condition_only(study):
    study = edits.add_condition(study, "developed")
    own = assign(study, "hask", {"loss": "sponge", "loss.share": "0.1"}, condition="developed")
    before, after = (compute_cases(own, conditions=[c]).cases[0].peak("hask").ordinate for c in own.conditions)
    assert after > before
    assert own.elements["hask"].surfaces[0].loss.share == 0.4


def test_values_by_case_reach_a_stranger(study):
    network = Network(study.elements, study.links)
    rain = Rain(np.tile(np.full(12, 4.0), (3, 1)), 300.0)
    shares = np.array([0.1, 0.4, 0.9])
    path = ("surfaces", 0, "loss", "share")
    batch = compute(Batch(network, rain, 300.0, 100, values={("hask", path): shares}))
    for case, share in enumerate(shares):
        one = edits.type_values(study, [("hask", "surfaces/0/loss/share", float(share))])
        single = compute(Batch(Network(one.elements, one.links), rain.of(slice(case, case + 1)), 300.0, 100))
        assert batch.responses["hask"].flow[case] == pytest.approx(single.responses["hask"].flow[0], rel=1e-12)


@pytest.fixture
def run(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)

    def program(*words, code=0):
        monkeypatch.setattr("sys.argv", ["tarnwater", *words])
        with pytest.raises(SystemExit) as ended:
            main()
        told = capsys.readouterr()
        assert (ended.value.code or 0) == code, told.out + told.err
        return told.out if code == 0 else told.err

    return program


def test_strangers_are_chosen_on_the_command_line(run):
    run("new", "s.tarn.json")
    run("add", "s.tarn.json", "catchment", "Hask", "area=3km2", "loss=sponge", "loss.share=40%", "lag=1h",
        "baseflow=spring", "baseflow.flow=0.2m3/s", "transform=bucket", "transform.share=0.1")  # fmt: skip
    run("add", "s.tarn.json", "reach", "Beck", "method=shift", "method.travel_time=1h")
    run("rain", "s.tarn.json", "--depths", "100: 1h 43, 6h 88", "--pattern", "burst")
    run("compute", "s.tarn.json")
    loss = _written()["elements"]["hask"]["surfaces"][0]["loss"]
    assert (loss["method"], loss["share"]) == ("sponge", 0.4)
    for address, value in (
        ("surfaces.whole.loss.share", "50%"),
        ("loss.share", "60%"),
        ("surfaces/0/loss/share", "70%"),
    ):
        run("set", "s.tarn.json", "Hask", f"{address}={value}")
        assert _written()["elements"]["hask"]["surfaces"][0]["loss"]["share"] == float(value.rstrip("%")) / 100


def _written():
    return json.loads(Path("s.tarn.json").read_text())


@pytest.mark.parametrize(
    ("values", "said"),
    [
        (["loss=sponge"], "needs its share. Add loss.share=…"),
        (["loss=spong"], "Did you mean “sponge”"),
        (["loss=sponge", "loss.share=2"], "cannot be"),
        (["loss=sponge", "loss.hare=0.2"], "Did you mean “share”"),
        (["share=0.2", "loss=sponge"], "needs its share"),
    ],
)
def test_half_a_choice_on_the_command_line_chooses_nothing(run, values, said):
    run("new", "s.tarn.json")
    run("add", "s.tarn.json", "catchment", "Hask", "area=3km2", "curve_number=80", "lag=1h")
    before = _written()
    assert said in run("set", "s.tarn.json", "Hask", *values, code=2)
    assert _written() == before


def test_a_field_of_several_surfaces_is_addressed_by_the_name_of_one(study):
    two = (Surface(name="Field", share=0.6, loss=Sponge(share=0.3)), Surface(name="Yard", share=0.4))
    study = edits.choose(study, "hask", "surfaces", two)
    with pytest.raises(BadInput, match=r"surfaces\.Field\.loss, surfaces\.Yard\.loss"):
        assign(study, "hask", {"loss": "none"})
    study = assign(study, "hask", {"surfaces.yard.loss": "sponge", "surfaces.yard.loss.share": "0.2"})
    loss = study.elements["hask"].surfaces[1].loss
    assert (loss.tag(), loss.share) == ("sponge", 0.2)


def test_the_methods_page_shows_every_stranger():
    docs = Path(__file__).parents[2] / "docs" / "make_methods.py"
    page = runpy.run_path(str(docs))["page"]()
    for method in (Sponge, Walk, Bucket, Spring, Shift, Burst):
        own = page.split(f"(`{method.tag()}`)", 1)[1].split("\n### ", 1)[0]
        assert method.equation in own
        assert method.source in own
        assert all(description.meaning in own for _, description in method.quantities())


@pytest.mark.parametrize("ground", [NoBaseflow(), ConstantBaseflow(flow=500.0)], ids=["dry", "much baseflow"])
def test_a_run_that_ends_before_the_wave_has_come_has_not_receded(study, ground):
    dry = edits.choose(study, "hask", "baseflow", ground)
    short = edits.set_run(dry, study.run.model_copy(update={"length": study.run.length.with_typed(8 * HOUR)}))
    results = compute_cases(short)
    case = results.cases[0]
    assert case.peak("bridge").ordinate == pytest.approx(getattr(ground, "flow", 0.0), rel=1e-12)
    assert case.fallen("bridge", short.run.recession_share)
    assert not case.receded("bridge", short.run.recession_share)
    told = [f.text for f in check_results(results) if f.code == "tail-not-receded"]
    assert told
    assert "of the water still on its way" in told[0]
