"""Lines of a live plot: no more points than are seen, and none of what matters lost."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor, QImage, QPainter

from tarnwater.desk.widgets.strokes import thinned


@given(count=st.integers(0, 3000), most=st.integers(4, 800), seed=st.integers(0, 50))
def test_a_thinned_curve_keeps_its_highest_lowest_first_and_last(count, most, seed):
    rng = np.random.default_rng(seed)
    x, y = np.arange(float(count)), rng.normal(size=count).cumsum()
    thin_x, thin_y = thinned(x, y, most)
    assert len(thin_x) == len(thin_y) <= max(most, 4) + 2
    if count:
        assert (thin_y.max(), thin_y.min()) == (y.max(), y.min())
        assert (thin_x[0], thin_x[-1], thin_y[-1]) == (0.0, x[-1], y[-1])
        assert (np.diff(thin_x) >= 0).all()
        # each point stands within a stretch of where it was
        stretch = -(-2 * count // (most - 1)) + 1
        for a, b in zip(thin_x, thin_y, strict=True):
            near = np.abs(x - a) <= stretch
            assert y[near].min() <= b <= y[near].max()


@pytest.mark.parametrize("count", [10, 190, 720, 50_000])
def test_a_peak_of_one_step_is_seen_however_many_points_there_are(qtbot, count):
    import pyqtgraph as pg
    from PyQt6.QtCore import QSize

    from tarnwater.desk.widgets.strokes import Stroke

    plot = pg.PlotWidget()
    qtbot.addWidget(plot)
    plot.show()
    plot.setBackground("w")
    plot.resize(QSize(260, 200))
    stroke = Stroke(pg.mkPen(QColor("red"), width=1.6))
    plot.addItem(stroke, ignoreBounds=True)
    y = np.zeros(count)
    y[count // 3] = 1.0
    stroke.set_data(np.arange(float(count)), y)
    plot.setXRange(0, count, padding=0)
    plot.setYRange(0, 1.1, padding=0)
    image = QImage(plot.size(), QImage.Format.Format_RGB32)
    painter = QPainter(image)
    plot.render(painter)
    painter.end()
    reds = [
        row
        for row in range(image.height())
        for column in range(image.width())
        if (c := image.pixelColor(column, row)).red() > 200 and c.green() < 160
    ]
    box = plot.getViewBox().sceneBoundingRect()
    # the tip stands a tenth below the top of the box, wherever the curve is thinned
    assert min(reds) == pytest.approx(box.top() + box.height() * (1 - 1 / 1.1), abs=3)
