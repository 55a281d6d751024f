"""Tables and pictures of results."""

import csv

import pytest

from tarnwater.brief.pictures import drawn_map, write_pictures
from tarnwater.brief.plots import drawn_plot
from tarnwater.brief.tables import CASE_COLUMNS, balance_rows, hydrograph_rows, peak_rows, write_tables
from tarnwater.errors import StorageError
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.pictures.hydrographs import governing_plot
from tarnwater.study.reckonings import explain


@pytest.fixture(scope="module")
def drainage(demo):
    return terrain_of(*demo)


def test_peaks_have_a_row_a_case_and_one_governs_each_answer(demo_results):
    head, *rows = peak_rows(demo_results)
    assert len(rows) == len(demo_results.cases)
    assert sum(row[head.index("governing")] == "yes" for row in rows) == len(demo_results.answers())
    assert {row[head.index("keeps_limit")] for row in rows} == {"", "yes", "no"}


def test_no_two_rows_of_peaks_have_one_key(demo_results):
    head, *rows = peak_rows(demo_results)
    assert head[:5] == list(CASE_COLUMNS)
    assert len({tuple(row[:5]) for row in rows}) == len(rows)
    assert {row[head.index("standing")] for row in rows} == {"counted", "beside"}


def test_a_row_that_breaks_its_limit_is_never_under_a_verdict_of_kept(demo_results):
    head, *rows = peak_rows(demo_results)
    keeps, verdict, peak, limit = (head.index(n) for n in ("keeps_limit", "verdict", "peak_m3_per_s", "limit_m3_per_s"))
    for row in rows:
        if row[keeps]:
            assert (row[keeps] == "yes") == (float(row[peak]) <= float(row[limit]))
            assert not (row[keeps] == "no" and row[verdict] == "kept")


def test_the_volume_of_the_table_is_the_volume_of_the_reckoning(demo_results):
    head, *rows = peak_rows(demo_results)
    told = {tuple(row[:5]): float(row[head.index("volume_m3")]) for row in rows}
    for result in demo_results.cases[::37]:
        case, study = result.case, demo_results.study
        key = (
            study.name_of(case.point), study.conditions[case.condition].name, study.families[case.storm.key].name,
            f"{case.event:g}", repr(case.storm.duration / 3600),
        )  # fmt: skip
        node = explain(study, result, case.point, "volume", results=demo_results)
        assert node.value == told[key]
        # the baseflow above is added up in another order
        assert node.recomputed() == pytest.approx(node.value, rel=1e-12)


def test_hydrographs_hold_every_element_of_the_governing_cases(demo_results):
    head, *rows = hydrograph_rows(demo_results)
    answer = demo_results.answer("existing", "pellowford-outlet", 100.0)
    own = [r for r in rows if r[:4] == ["Pellowford bridge", "Existing", "Valley storms", "100"]]
    column = head.index("Sallow Head m3/s")
    flows = [float(r[column]) for r in own]
    # written to ten figures
    assert flows == pytest.approx(list(answer.result.flow("sallow-head")), rel=1e-9)
    assert float(own[30][head.index("time_h")]) == 1.0


def test_balances_close_in_every_row(demo_results):
    head, *rows = balance_rows(demo_results)
    for row in rows:
        v = dict(zip(head[7:], map(float, row[7:]), strict=True))
        came = v["rain_m3"] + v["inflow_m3"] + v["from_ground_m3"] + v["start_storage_m3"]
        went = v["outflow_m3"] + v["end_storage_m3"] + v["losses_m3"]
        assert went == pytest.approx(came, rel=1e-9, abs=1e-9)


def test_tables_are_written_whole_or_not_at_all(demo_results, tmp_path, monkeypatch):
    (tmp_path / "peaks.csv").write_text("older")

    def full(*_):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr("os.fsync", full)
        with pytest.raises(StorageError, match="No space left"):
            write_tables(demo_results, tmp_path)
    assert [p.name for p in tmp_path.iterdir()] == ["peaks.csv"]
    assert (tmp_path / "peaks.csv").read_text() == "older"
    written = write_tables(demo_results, tmp_path)
    assert [p.name for p in written] == ["peaks.csv", "hydrographs.csv", "balance.csv", "ponds.csv"]
    with (tmp_path / "peaks.csv").open() as file:
        assert len(list(csv.reader(file))) == len(demo_results.cases) + 1


def drawn(figure):
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    return canvas.get_renderer()


@pytest.mark.parametrize("point", ["pellowford-outlet", "yard-outlet"])
def test_no_label_of_a_hydrograph_picture_is_cut_or_lies_on_another(demo_results, point):
    plot = governing_plot(demo_results, point)
    figure = drawn_plot(plot)
    renderer = drawn(figure)
    axes = figure.axes[0]
    boxes = [t.get_window_extent(renderer) for t in axes.texts]
    assert len(boxes) == len(plot.marks) + len(plot.levels) >= 5
    for number, box in enumerate(boxes):
        assert figure.bbox.contains(box.x0, box.y0)
        assert figure.bbox.contains(box.x1, box.y1)
        assert not any(box.overlaps(other) for other in boxes[number + 1 :])
    title = axes.title if axes.get_title() else axes._left_title
    assert figure.bbox.contains(*title.get_window_extent(renderer).max)


def test_the_map_shows_every_catchment_and_every_doubtful_depression(demo, drainage):
    figure = drawn_map(*demo, drainage)
    drawn(figure)
    told = " ".join(t.get_text() for t in figure.axes[0].texts)
    for catchment in demo[0].catchments.values():
        if catchment.outline:
            assert catchment.name in told
    assert told.count("filled") == len(demo[0].terrain.depressions) == 1
    assert "Pellowford bridge" in told


def test_pictures_are_written_one_a_design_point_and_a_map(demo, demo_results, drainage, tmp_path):
    names = [p.name for p in write_pictures(demo_results, demo[1], drainage, tmp_path)]
    assert names == ["map.png", "hydrographs-pellowford-bridge.png", "hydrographs-yard-outlet.png"]
    assert len(write_pictures(demo_results, demo[1], None, tmp_path)) == 2
