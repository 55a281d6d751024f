"""The Works bench: a pond dragged, drawn into, sized and compared by mouse and keys only."""

import ezdxf
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton
from tests.desk.conftest import CTRL, SHIFT, WORKS, Hand

from tarnwater.desk.benches.works.outlet_dialog import OutletDialog
from tarnwater.desk.benches.works.sizing_dialog import SizingDialog
from tarnwater.drawings import Outline
from tarnwater.network.elements import Outfall
from tarnwater.study import edits
from tarnwater.study.answers.pond_events import pond_events
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve

POND, CONDITION = "coldgarth-pond", "yard-with-pond"


@pytest.fixture
def hand(qtbot, open_window, demo):
    """A person at the demo's pond."""
    window = open_window(*demo, bench=WORKS)
    person = Hand(qtbot, window)
    # the first condition has no pond; the bench leads to the one that has it
    person.click(person.named("Look at Yard with pond", QPushButton))
    person.settle()
    return person


def page(hand):
    return hand.window.bench.ponds


def view(hand):
    return page(hand).section


def pond(hand):
    return hand.desk.elements[POND]


def device(hand, name):
    return next(one for one in pond(hand).devices if one.name == name)


def spot(hand, key):
    """Pixel of a grip."""
    section = view(hand)
    grip = next(one for one in section.section.grips if one.key == key)
    return section.pixel(grip.at).toPoint()


def middle_of(hand, name):
    section = view(hand)
    left, low, right, high = next(one.box for one in section.section.devices if one.name == name)
    return section.pixel(((left + right) / 2, (low + high) / 2)).toPoint()


def hold(hand, start, end):
    """Drag and keep hold."""
    section = view(hand)
    hand.bot.mousePress(section, Qt.MouseButton.LeftButton, pos=start)
    for step in (1, 2, 3):
        hand.bot.mouseMove(section, start + (end - start) * step / 3)


def tab(hand, name):
    hand.click(hand.named(f"{name} (table)", QPushButton))


def test_the_bench_leads_to_the_condition_that_has_the_pond(qtbot, open_window, demo):
    person = Hand(qtbot, open_window(*demo, bench=WORKS))
    assert page(person).missing.text() == "Existing has no Coldgarth pond."
    person.click(person.named("Look at Yard with pond", QPushButton))
    person.settle()
    assert person.desk.condition == CONDITION
    assert view(person).section is not None
    assert page(person).margin.text().startswith("1 in 10: 91.318 m, 1.66 % in hand")


def test_the_empty_bench_offers_a_pond(empty):
    bench = empty.bench(WORKS)
    assert "appear here" in bench.ponds.missing.text()
    assert not bench.ponds.section.isVisible()


def test_while_an_opening_is_dragged_everything_follows_and_the_state_before_is_a_ghost(hand):
    key = "devices/1:diameter"
    start, before, study = spot(hand, key), page(hand).margin.text(), hand.desk.file.study
    hold(hand, start, start + QPoint(0, -10))
    assert hand.desk.trial is not None
    wider = device(hand, "low opening").diameter
    assert wider > 0.175
    # nothing is made yet, and all figures are those of the trial
    assert hand.desk.file.study is study
    assert page(hand).margin.text() != before
    assert "over" in page(hand).margin.text()
    assert view(hand)._ghost is not None
    case = hand.desk.case_showing(POND)
    assert case.network.elements[POND] is pond(hand)
    events = {(e.condition, e.event): e.peak for e in pond_events(hand.desk.results, POND)}
    assert len(events) == 5
    hand.bot.mouseRelease(view(hand), Qt.MouseButton.LeftButton, pos=start + QPoint(0, -10))
    hand.settle()
    assert hand.desk.trial is None
    assert device(hand, "low opening").diameter == wider
    assert hand.desk.file.history.past[-1].label.startswith("set diameter of low opening, Coldgarth pond")
    # what was shown while dragging is what is computed afterwards
    after = {(e.condition, e.event): e.peak for e in pond_events(hand.desk.results, POND)}
    assert after == events


def test_sizes_are_rounded_to_what_is_built(hand):
    start = spot(hand, "devices/1:diameter")
    hand.drag(view(hand), start, start + QPoint(0, -7))
    hand.settle()
    millimetres = 1000 * device(hand, "low opening").diameter
    assert millimetres == pytest.approx(5 * round(millimetres / 5), abs=1e-6)


def test_escape_gives_a_drag_up_and_leaves_the_study_byte_for_byte(hand):
    text, start = hand.desk.study.as_text(), spot(hand, "devices/1:diameter")
    hold(hand, start, start + QPoint(0, -12))
    assert hand.desk.trial is not None
    hand.key(Qt.Key.Key_Escape, on=view(hand))
    hand.bot.mouseRelease(view(hand), Qt.MouseButton.LeftButton, pos=start)
    hand.settle()
    assert hand.desk.study.as_text() == text
    assert hand.desk.results.study is hand.desk.study


def test_undo_in_the_middle_of_a_drag_ends_the_drag_and_undoes_no_act(hand):
    text, start = hand.desk.study.as_text(), spot(hand, "devices/1:diameter")
    acts = len(hand.desk.file.history.past)
    hold(hand, start, start + QPoint(0, -12))
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.bot.mouseRelease(view(hand), Qt.MouseButton.LeftButton, pos=start)
    hand.settle()
    assert hand.desk.study.as_text() == text
    assert len(hand.desk.file.history.past) == acts


def test_a_drag_outside_the_section_stops_at_its_edge_and_says_so(hand):
    start = spot(hand, "storage/0:top level")
    hold(hand, start, QPoint(start.x(), -400))
    assert "left the section" in hand.window.message.text()
    hand.bot.mouseRelease(view(hand), Qt.MouseButton.LeftButton, pos=QPoint(start.x(), -400))
    hand.settle()
    # no higher than the upper edge of what was drawn
    assert 92.1 < pond(hand).store.top < 93.0


def test_a_drag_to_a_size_that_cannot_be_says_what_is_wrong_and_keeps_the_last_that_can(hand):
    text, start = hand.desk.study.as_text(), spot(hand, "devices/1:diameter")
    hold(hand, start, start + QPoint(0, 60))
    assert "diameter" in hand.window.message.text()
    hand.key(Qt.Key.Key_Escape, on=view(hand))
    hand.bot.mouseRelease(view(hand), Qt.MouseButton.LeftButton, pos=start)
    hand.settle()
    assert hand.desk.study.as_text() == text


def test_floor_crest_riser_and_spillway_are_dragged(hand):
    for key, read in (
        ("storage/0:floor level", lambda: pond(hand).store.floor),
        ("storage/0:top level", lambda: pond(hand).store.top),
        ("devices/0:crest level", lambda: device(hand, "riser").crest),
        ("devices/3:crest level", lambda: device(hand, "spillway").crest),
    ):
        before, start = read(), spot(hand, key)
        top = pond(hand).store.top
        hand.drag(view(hand), start, start + QPoint(0, -9))
        hand.settle()
        assert read() > before, key
        if key == "storage/0:floor level":
            assert pond(hand).store.top == pytest.approx(top)
    start, before = spot(hand, "storage/0:floor length"), pond(hand).storage[0].length
    hand.drag(view(hand), start, start + QPoint(12, 0))
    hand.settle()
    assert pond(hand).storage[0].length > before


def test_a_device_is_dragged_out_of_the_riser_and_into_it(hand):
    section = view(hand).section
    riser = next(one for one in section.devices if one.hollow)
    start = middle_of(hand, "high opening")
    out = view(hand).pixel((riser.box[2] + 0.35 * (riser.box[2] - riser.box[0]), 91.27)).toPoint()
    hand.drag(view(hand), start, QPoint(out.x(), start.y()))
    hand.settle()
    assert device(hand, "high opening").inside == ""
    assert "out of its riser" in hand.desk.file.history.past[-1].label
    riser = next(one for one in view(hand).section.devices if one.hollow)
    into = view(hand).pixel((0.5 * (riser.box[0] + riser.box[2]), 91.27)).toPoint()
    start = middle_of(hand, "high opening")
    hand.drag(view(hand), start, QPoint(into.x(), start.y()))
    hand.settle()
    assert device(hand, "high opening").inside == "riser"


def test_arrows_move_what_tab_chose_and_one_act_is_made_of_them(hand):
    section = view(hand)
    section.setFocus()
    while section.picked is None or getattr(section.picked, "key", "") != "devices/1:diameter":
        hand.key(Qt.Key.Key_Tab, on=section)
    acts = len(hand.desk.file.history.past)
    hand.key(Qt.Key.Key_Up, on=section)
    hand.key(Qt.Key.Key_Up, on=section)
    assert device(hand, "low opening").diameter == pytest.approx(0.185)
    hand.key(Qt.Key.Key_Down, SHIFT, on=section)
    assert device(hand, "low opening").diameter == pytest.approx(0.135)
    hand.bot.waitUntil(lambda: len(hand.desk.file.history.past) > acts, timeout=3_000)
    hand.settle()
    assert len(hand.desk.file.history.past) == acts + 1
    assert device(hand, "low opening").diameter == pytest.approx(0.135)


def test_enter_leads_to_the_value_in_the_ledger(hand):
    section = view(hand)
    section.setFocus()
    while getattr(section.picked, "key", "") != "devices/1:diameter":
        hand.key(Qt.Key.Key_Tab, on=section)
    hand.key(Qt.Key.Key_Return, on=section)
    hand.bot.wait(50)
    field = QApplication.focusWidget()
    assert isinstance(field, QLineEdit)
    assert field.text() == "0.1750"


def test_an_opening_is_drawn_where_it_sits_and_discharges_into_the_riser_it_is_drawn_on(hand):
    section = view(hand)
    section.setFocus()
    riser = next(one for one in section.section.devices if one.hollow)
    x = riser.box[0] + 0.15
    hand.key(Qt.Key.Key_C, on=section)
    assert section.tool
    hand.drag(section, section.pixel((x, 90.6)).toPoint(), section.pixel((x + 0.2, 90.8)).toPoint())
    hand.settle()
    drawn = pond(hand).devices[-1]
    assert drawn.tag() == "round-orifice"
    assert drawn.inside == "riser"
    # a pixel is some millimetres
    assert drawn.bottom == pytest.approx(90.6, abs=0.02)
    assert drawn.diameter == pytest.approx(0.2, abs=0.03)
    assert drawn.name == "orifice"


def test_a_device_drawn_beside_the_wall_is_refused(hand):
    section = view(hand)
    section.setFocus()
    count = len(pond(hand).devices)
    hand.key(Qt.Key.Key_W, on=section)
    hand.drag(section, QPoint(20, 60), QPoint(50, 40))
    hand.settle()
    assert "drawn on the wall" in hand.window.message.text()
    assert len(pond(hand).devices) == count


def test_the_spillway_is_switched_off_in_one_condition_compared_and_undone(hand):
    text = hand.desk.study.as_text()
    section = view(hand)
    hand.click(section, middle_of(hand, "spillway") + QPoint(18, 0))
    assert section.device.name == "spillway"
    hand.key(Qt.Key.Key_S, on=section)
    hand.settle()
    assert device(hand, "spillway").state == "closed"
    assert hand.desk.scope_of(POND) == CONDITION
    tab(hand, "Tried")
    trials = page(hand).trials.trials
    assert len(trials) == 2
    assert trials[0].keeps
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_text() == text


def test_letters_put_a_device_into_a_riser_or_out_and_remove_it(hand):
    section = view(hand)
    hand.click(section, middle_of(hand, "high opening"))
    hand.key(Qt.Key.Key_I, on=section)
    hand.settle()
    assert device(hand, "high opening").inside == ""
    hand.key(Qt.Key.Key_I, on=section)
    hand.settle()
    assert device(hand, "high opening").inside == "riser"
    hand.key(Qt.Key.Key_Delete, on=section)
    hand.settle()
    assert [one.name for one in pond(hand).devices] == ["riser", "low opening", "spillway"]


def test_the_water_is_played_and_stands_at_the_level_of_its_time(hand):
    section, player = view(hand), page(hand).player
    section.setFocus()
    hand.key(Qt.Key.Key_Space, on=section)
    hand.bot.waitUntil(lambda: player.at > 20, timeout=5_000)
    hand.key(Qt.Key.Key_Space, on=section)
    assert not player.play.isChecked()
    at, case = player.at, hand.desk.case_showing(POND)
    level = float(case.level(POND)[at])
    drawn = (one for one in section.section.drawing.shapes if isinstance(one, Outline) and one.role == "water")
    surface = [one.places[0][1] for one in drawn]
    assert level in surface
    assert f"{level:.3f}" in player.words.text()
    hand.key(Qt.Key.Key_Home, on=player.slider)
    assert player.at == -1
    assert f"{case.pool(POND).top:.3f}" in player.words.text()


def test_the_table_of_events_shows_the_figures_of_the_cases_and_brings_a_case_into_view(hand):
    grid = page(hand).events
    rows = {row[0]: row for row in grid.texts.table.rows}
    events = {f"1 in {e.event:g}": e for e in pond_events(hand.desk.results, POND)}
    assert set(rows) == set(events)
    heads = [column.title for column in grid.texts.table.columns]
    for name, row in rows.items():
        assert float(row[heads.index("highest")]) == pytest.approx(events[name].row.top, abs=5e-4)
    hand.click_cell(grid, 4, 0)
    hand.settle()
    assert hand.desk.view.event == 200.0
    grid.setFocus()
    hand.key(Qt.Key.Key_C, CTRL, on=grid)
    copied = QApplication.clipboard().text().split("\n")
    assert float(copied[1].split("\t")[heads.index("highest")]) == events["1 in 200"].row.top


def test_what_is_required_stands_kept_or_missed(hand):
    tab(hand, "Required")
    rows = page(hand).required.texts.table.rows
    assert len(rows) == 6
    assert all(row[-1] == "kept" for row in rows)


def test_the_table_by_level_takes_an_increment(hand):
    tab(hand, "By level")
    grid = page(hand).levels
    assert len(grid.texts.table.rows) == 12
    hand.fill(page(hand).increment, "0.5 m")
    assert [row[0] for row in grid.texts.table.rows] == [
        "90.000",
        "90.500",
        "91.000",
        "91.500",
        "92.000",
        "92.100",
    ]
    hand.fill(page(hand).increment, "0")
    assert "gives no table" in hand.window.message.text()


def test_a_trial_is_gone_back_to_and_one_is_adopted(hand):
    first, start = pond(hand).devices, spot(hand, "devices/1:diameter")
    hand.drag(view(hand), start, start + QPoint(0, -10))
    hand.settle()
    tab(hand, "Tried")
    grid = page(hand).trials.grid
    told = grid.texts.table.rows
    assert [row[0] for row in told] == ["2", "1"]
    assert told[0][2].startswith("low opening diameter")
    assert told[0][3].startswith("over at 1 in 2")
    assert told[1][3].startswith("keeps all")
    hand.click_cell(grid, 1, 0)
    hand.key(Qt.Key.Key_Return, on=grid)
    hand.settle()
    assert pond(hand).devices == first
    hand.answer_line("as designed")
    hand.click(page(hand).trials.adopt)
    hand.settle()
    (adopted,) = hand.desk.study.adopted.values()
    assert (adopted.name, adopted.devices) == ("as designed", first)
    start = spot(hand, "devices/1:diameter")
    hand.drag(view(hand), start, start + QPoint(0, -10))
    hand.settle()
    assert any(f.code == "works-not-adopted" for f in hand.desk.findings)


def test_the_log_of_trials_is_there_when_the_study_is_opened_again(hand):
    kept = hand.desk.file.kept_state("trials")
    assert len(kept) == 1
    assert kept[0]["outcome"].startswith("keeps all")


def test_a_size_is_found_shown_on_everything_and_taken(hand):
    section = view(hand)
    section.setFocus()
    hand.click(section, spot(hand, "devices/1:diameter"))
    hand.key(Qt.Key.Key_F, on=section)
    asked = hand.dialog(SizingDialog)
    assert asked.dimension.currentText() == "low opening: diameter"
    hand.click(asked.search)
    hand.settle()
    assert hand.desk.trial is not None
    found = device(hand, "low opening").diameter
    assert 0.175 < found < 0.2
    hand.click(asked.take)
    hand.settle()
    assert device(hand, "low opening").diameter == found
    assert page(hand).margin.text().endswith("in hand")


def test_plain_bounds_are_in_the_unit_that_was_shown(hand):
    hand.find("us customary units")
    hand.settle()
    section = view(hand)
    section.setFocus()
    hand.click(section, spot(hand, "devices/1:diameter"))
    hand.key(Qt.Key.Key_F, on=section)
    asked = hand.dialog(SizingDialog)
    assert asked.most.text().endswith(" ft")
    hand.fill(asked.least, "0.3")
    hand.fill(asked.most, "0.9")
    hand.settle()
    assert hand.desk.trial is not None, asked.told.text()
    assert 0.175 < device(hand, "low opening").diameter < 0.2


def test_a_target_that_cannot_be_reached_says_what_stops_it_and_leaves_the_study(hand):
    text = hand.desk.study.as_text()
    hand.click(view(hand), spot(hand, "devices/1:diameter"))
    hand.key(Qt.Key.Key_F, on=view(hand))
    asked = hand.dialog(SizingDialog)
    hand.fill(asked.least, "500 mm")
    hand.fill(asked.most, "900 mm")
    hand.settle()
    assert "no size from 0.5 m to 0.9 m keeps it" in asked.told.text()
    assert "The least size stops it: allow a smaller one." in asked.told.text()
    assert not asked.take.isEnabled()
    hand.key(Qt.Key.Key_Escape, on=asked)
    hand.settle()
    assert hand.desk.study.as_text() == text


def test_a_whole_outlet_is_looked_at_left_and_taken(hand):
    text = hand.desk.study.as_text()
    hand.key(Qt.Key.Key_O, on=view(hand))
    asked = hand.dialog(OutletDialog)
    hand.click(asked.search)
    hand.settle(60_000)
    assert "All limits are kept" in asked.told.text()
    assert hand.desk.trial is not None
    assert pond(hand).devices[0].name == "riser"
    hand.key(Qt.Key.Key_Escape, on=asked)
    hand.settle()
    assert hand.desk.study.as_text() == text
    hand.key(Qt.Key.Key_O, on=view(hand))
    asked = hand.dialog(OutletDialog)
    hand.click(asked.search)
    hand.settle(60_000)
    hand.click(asked.take)
    hand.settle()
    limited = [e for e in pond_events(hand.desk.results, POND) if e.limit is not None]
    assert len(limited) == 3
    assert all(e.keeps for e in limited)


def test_sizes_that_are_made_must_be_sizes(hand):
    hand.key(Qt.Key.Key_O, on=view(hand))
    asked = hand.dialog(OutletDialog)
    asked.sizes.setFocus()
    hand.key(Qt.Key.Key_A, CTRL, on=asked.sizes)
    hand.write("large", on=asked.sizes)
    hand.click(asked.search)
    assert asked.told.text()
    assert not asked.take.isEnabled()


def test_section_and_plan_are_drawn_out_to_files(hand, tmp_path):
    from tarnwater.desk.widgets.finder import Finder

    for words, name in (("section as dxf", "section.dxf"), ("plan as pdf", "plan.pdf")):
        path = tmp_path / name
        view(hand).setFocus()
        hand.key(Qt.Key.Key_X, on=view(hand))
        finder = hand.dialog(Finder)
        hand.write(words, on=finder.line)
        hand.answer_file(path)
        hand.key(Qt.Key.Key_Return, on=finder.line)
        hand.bot.waitUntil(path.exists, timeout=10_000)
        hand.back()
    assert ezdxf.readfile(tmp_path / "section.dxf").modelspace().query("CIRCLE")


def test_a_ditch_is_added_by_name_solved_and_follows_the_flow(hand):
    hand.click(hand.named("Page: Channels", QPushButton))
    page_of = hand.window.bench.channels
    hand.desk.select("hill-field")
    hand.answer_line("Second ditch")
    hand.click(hand.named("Add a channel", QPushButton))
    hand.settle()
    works = hand.desk.study.channels["second-ditch"]
    assert (works.name, works.element) == ("Second ditch", "hill-field")
    ground = hand.named("ground", QComboBox)
    hand.click(ground)
    ground.setFocus()
    hand.key(Qt.Key.Key_Escape)
    hand.write("Stiff", on=ground)
    hand.key(Qt.Key.Key_Return, on=ground)
    hand.settle()
    hand.fill(hand.named("bed slope", QLineEdit), "1.2 %")
    hand.settle()
    row = page_of.row
    assert row.slope == pytest.approx(0.012)
    assert row.carried.flow == max(
        c.peak("hill-field").ordinate for c in hand.desk.results.cases
        if c.standing == "counted" and "hill-field" in c.network.elements
    )  # fmt: skip
    unknown = page_of.unknown
    unknown.setFocus()
    hand.write("bottom", on=unknown)
    hand.key(Qt.Key.Key_Return, on=unknown)
    hand.click(page_of.solving)
    hand.settle()
    # so steep, a ditch without a bottom would carry it at a smaller depth
    assert page_of.told.text()
    assert page_of.row.section == row.section
    hand.fill(hand.named("bed slope", QLineEdit), "0.03 %")
    hand.settle()
    hand.click(page_of.solving)
    hand.settle()
    assert not page_of.told.text()
    solved = page_of.row
    assert solved.section.bottom_width != row.section.bottom_width
    # bare, the flow fills the ditch up to its freeboard
    full = solved.section.depth - page_of.works.freeboard
    assert solved.bare.uniform.depth == pytest.approx(full, rel=1e-6)


@pytest.mark.parametrize(("system", "unit"), [("SI", 1.0), ("US", 0.3048)])
def test_a_plain_depth_of_the_flow_is_in_metres_or_feet(hand, system, unit):
    if system == "US":
        hand.find("us customary units")
        hand.settle()
    hand.click(hand.named("Page: Channels", QPushButton))
    page_of = hand.window.bench.channels
    unknown = page_of.unknown
    unknown.setFocus()
    hand.write("slope", on=unknown)
    hand.key(Qt.Key.Key_Return, on=unknown)
    hand.fill(page_of.at_depth, "0.4")
    hand.settle()
    assert not page_of.told.text()
    assert page_of.row.name == "Cut-off ditch"
    assert page_of.row.bare.uniform.depth == pytest.approx(0.4 * unit, rel=1e-6)


def test_a_culvert_is_sized_and_a_missing_headwater_is_asked_for(hand):
    hand.click(hand.named("Page: Pipes and culverts", QPushButton))
    culverts = hand.window.bench.culverts
    hand.desk.select("yard-outlet")
    hand.answer_line("Road culvert")
    hand.click(hand.named("Add a culvert", QPushButton))
    hand.settle()
    hand.click(culverts.sizing)
    assert "the allowed headwater is missing" in culverts.told.text()
    hand.fill(hand.named("allowed headwater", QLineEdit), "1.6 m")
    hand.settle()
    hand.click(culverts.sizing)
    hand.settle()
    row = culverts.row
    assert row.check.level <= 1.6
    assert row.verdict == "fits"
    text = hand.desk.study.culverts["road-culvert"].barrel.diameter
    hand.fill(hand.named("diameter", QLineEdit), "abc")
    assert culverts.told.text()
    assert hand.desk.study.culverts["road-culvert"].barrel.diameter == text


def test_us_units_and_the_dark_look_change_no_figure(hand):
    exact = [one.row.top for one in pond_events(hand.desk.results, POND)]
    hand.find("us customary units")
    hand.settle()
    assert "ft" in page(hand).margin.text()
    assert [one.row.top for one in pond_events(hand.desk.results, POND)] == exact
    hand.key(Qt.Key.Key_F9, on=hand.window)
    hand.settle()
    assert view(hand).theme.name == "dark"
    start = spot(hand, "devices/1:diameter")
    hand.drag(view(hand), start, start + QPoint(0, -7))
    hand.settle()
    inches = device(hand, "low opening").diameter / 0.0254
    assert inches == pytest.approx(round(inches * 4) / 4, abs=1e-6)


def test_all_ponds_stand_side_by_side(hand):
    tab(hand, "All ponds")
    grid = page(hand).all_ponds
    assert len(grid.texts.table.rows) == 5
    hand.click_cell(grid, 0, 0)
    hand.settle()
    assert hand.desk.view.event == 2.0


def test_an_inlet_and_a_zone_are_added_by_name_and_undone(hand):
    from tarnwater.desk.widgets.finder import Finder

    text = hand.desk.study.as_text()
    for words in ("inlet", "zone by depth"):
        view(hand).setFocus()
        hand.key(Qt.Key.Key_A, on=view(hand))
        finder = hand.dialog(Finder)
        if words == "inlet":
            hand.answer_line("50 L/s")
        hand.write(words, on=finder.line)
        hand.key(Qt.Key.Key_Return, on=finder.line)
        hand.settle()
    network = resolve(hand.desk.study, CONDITION)
    assert network.elements["inlet-of-coldgarth-pond"].rule.capacity == pytest.approx(0.05)
    assert [one.tag() for one in network.elements[POND].zones] == ["zone-by-depth"]
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_text() == text


def test_a_line_behind_which_no_water_stands_is_refused_and_the_storage_stays(hand):
    from tarnwater.desk.widgets.finder import Finder

    def cut(height):
        view(hand).setFocus()
        hand.key(Qt.Key.Key_A, on=view(hand))
        finder = hand.dialog(Finder)
        hand.answer_line(height)
        hand.write("dam along pellowford flood bank", on=finder.line)
        hand.key(Qt.Key.Key_Return, on=finder.line)
        hand.settle()

    # the bank ends on ground lower than such a crest: the storage stays, and what to do is said
    cut("2 m")
    assert "an end of the dam stands on" in hand.window.message.text()
    assert "Draw it on until the ground is as high, or lower the crest." in hand.window.message.text()
    # along the beck, water at the crest of a lower one would stand up to the edge of the terrain
    cut("1 m")
    assert "reaches the edge of the terrain" in hand.window.message.text()
    assert pond(hand).storage[0].tag() == "frustum"


def test_a_pond_is_drawn_and_dragged_before_there_is_any_rain(qtbot, open_window):
    from tests.study.test_sizing import pond_of

    study = edits.add_draining(edits.add_element(Study(title="Dry"), Outfall(name="Beck")), pond_of(), "pond")
    person = Hand(qtbot, open_window(study, bench=WORKS))
    person.desk.select("pond")
    person.settle()
    assert page(person).player.words.text() == "no case of this pond is in view"
    start = spot(person, "devices/0:diameter")
    person.drag(view(person), start, start + QPoint(0, -10))
    person.settle()
    assert person.desk.elements["pond"].devices[0].diameter > 0.3
    section = view(person)
    section.setFocus()
    for key in (Qt.Key.Key_F, Qt.Key.Key_O):
        person.key(key, on=section)
        asked = person.dialog((SizingDialog, OutletDialog)[key == Qt.Key.Key_O])
        person.click(asked.search)
        person.settle()
        # without rain there is nothing to find a size for, and that is said
        assert asked.told.text()
        assert not asked.take.isEnabled()
        person.key(Qt.Key.Key_Escape, on=asked)
        person.back()
